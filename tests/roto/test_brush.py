"""Painted strokes become outlines."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from shapely import LineString, Point, Polygon
from shapely.ops import unary_union

from roto.curve.brush import stroke_outline
from roto.curve.flatten import flatten
from roto.errors import BadGeometry

place = st.tuples(st.floats(-50, 400), st.floats(-50, 300)).map(lambda p: (round(p[0], 3), round(p[1], 3)))  # as a pointer has them


def polygon(points):
    vertices, _ = flatten(points[None], 0.05)
    return Polygon(vertices).buffer(0)


@settings(max_examples=50, deadline=None)
@given(st.lists(place, min_size=2, max_size=8), st.floats(10, 40))
@example([(0.0, -20.0), (63.0, 0.0), (0.0, 9.0), (0.0, 1.0)], 10.0)
@example([(50.0, 0.0), (64.0, 0.0), (96.0, 60.0), (0.0, 9.0)], 15.5)
def test_the_outline_is_the_strokes_rim_within_a_pixel_or_two(path, radius):
    points, _ = stroke_outline(path, radius, 1.0)
    stretches = [(Point(a) if a == b else LineString([a, b])).buffer(radius) for a, b in pairwise(path)]  # as one it fails in itself
    wanted = Polygon(unary_union(stretches).exterior)
    assert (
        polygon(points).symmetric_difference(wanted.buffer(0)).buffer(-2.5).is_empty
    )  # most in the cleft where a stroke comes back to itself


def test_a_stroke_has_few_points_and_a_dab_is_round():
    points, curves = stroke_outline([(10, 10), (200, 40), (300, 30)], 20)
    assert len(points) < 20 and any(curves)
    dab = polygon(stroke_outline([(50, 60)], 15)[0])
    assert dab.area == pytest.approx(np.pi * 225, rel=0.03) and dab.centroid.distance(Polygon([(50, 60), (50, 60.01), (50.01, 60)])) < 0.2


@pytest.mark.parametrize("path,radius", [([], 5), ([(1, 2)], 0), ([(np.nan, 1), (2, 3)], 5)])
def test_nothing_to_paint_is_said(path, radius):
    with pytest.raises(BadGeometry, match="brush"):
        stroke_outline(path, radius)


def test_a_pen_pressed_harder_paints_wider():
    path = np.stack([np.linspace(20, 120, 60), np.full(60, 50.0)], axis=1)
    points, _ = stroke_outline(path, 10.0, 0.5, np.linspace(4, 16, 60))
    line, _ = flatten(points[None], 0.01)
    for x, radius in ((40, 6.4), (100, 13.6)):
        near = line[np.abs(line[:, 0] - x) < 2]
        assert np.ptp(near[:, 1]) / 2 == pytest.approx(radius, abs=1.0)
    with pytest.raises(BadGeometry, match="radius"):
        stroke_outline(path, 10.0, 0.5, [4.0])
