"""Each side visits few pixels, yet none is missed: against plain distances to the whole outline, by another library."""

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from roto.matte.render import render, touched_box
from roto.matte.stack import Entry
from roto.motion import edits
from roto.motion.keys import Keys
from roto.motion.placement import values

from .build import blob, corners, matte, rectangle, shape
from .test_coverage import filled

STAR = corners(*[(60 + r * np.cos(a), 50 + r * np.sin(a)) for k in range(10) for r, a in [((38, 11)[k % 2], k * np.pi / 5)]])
NEEDLE = corners((10, 48), (110, 50), (10, 52))
COMB = corners((10, 10), (20, 80), (30, 10), (40, 80), (50, 10), (60, 80), (70, 10), (80, 90), (10, 90))
STEPS = corners((20, 20), (40, 20), (40, 40), (60, 40), (60, 60), (80, 60), (80, 80), (20, 80))
BOW = corners((20, 20), (100, 80), (100, 20), (20, 80))
TWICE = np.concatenate([rectangle(30, 30, 80, 70), rectangle(30, 30, 80, 70)])
HALF_OUT = rectangle(-40, -30, 45.3, 60.7)
ZOO = {"star": STAR, "needle": NEEDLE, "comb": COMB, "steps": STEPS, "bow-tie": BOW, "wound twice": TWICE, "half outside": HALF_OUT}


def wanted(points, inner, outer, shift=0.0):
    """The straight profile at pixel centres by distances to the filled area's boundary."""
    area = filled(points, 1e-3)
    x, y = np.meshgrid(np.arange(120) + 0.5, np.arange(100) + 0.5)
    places = shapely.points(x, y)
    shapely.prepare(area)
    signed = np.where(shapely.contains(area, places), 1, -1) * shapely.distance(area.boundary, places)
    return (signed + shift + outer) / (inner + outer)


def compare(points, inner, outer, shift=0.0):
    got = render(matte(shape(points, inner=inner, outer=outer, shift=shift)), 1).alpha
    want = wanted(points, inner, outer, shift)
    margin = 0.75 / (inner + outer)  # nearer to its ends the profile is averaged over the pixel
    middle = (want > margin) & (want < 1 - margin)
    assert np.abs(got - want)[middle].max(initial=0) * (inner + outer) < 0.022
    assert (got[want < -margin] == 0).all() and (got[want > 1 + margin] == 1).all()


@pytest.mark.parametrize("reach", [(3.0, 3.0), (0.0, 12.0), (12.0, 0.0), (20.0, 25.0)])
@pytest.mark.parametrize("name", ZOO)
def test_awkward_outlines(name, reach):
    compare(ZOO[name], *reach)


@given(
    seed=st.integers(0, 200), cross=st.sampled_from([0.0, 0.0, 0.25]), inner=st.floats(1, 9), outer=st.floats(1, 9), shift=st.floats(-4, 4)
)
@settings(max_examples=25, deadline=None)
def test_any_blob(seed, cross, inner, outer, shift):
    compare(blob(n=11, seed=seed, cross=cross, rough=0.3), inner, outer, shift)


@given(
    seed=st.integers(0, 60),
    frame=st.integers(1, 11),
    angle=st.sampled_from([0.0, 180.0, 360.0]),
    soft=st.booleans(),
    turn=st.floats(-90, 90),
)
@settings(max_examples=25, deadline=None)
def test_nothing_changes_outside_the_touched_box(seed, frame, angle, soft, turn):
    rng = np.random.default_rng(seed)
    reach = {"inner": 2.0, "outer": 5.0} if soft else {}
    place = Keys.build([1, 11], [values(), values(move=tuple(rng.normal(0, 15, 2)), turn=turn, size=1.2)])
    old = shape(blob(n=8, seed=seed, centre=(55, 45), radius=18), "kite", place=place, pivot=(55.0, 45.0), **reach)
    other = shape(rectangle(10, 10, 60, 70), "hand", move=(9, 3))
    before = matte(old, Entry(shape=other, mode="cut"), angle=angle)
    new = edits.place(old, frame, move=tuple(rng.normal(0, 6, 2)), turn=float(rng.normal(0, 15)))
    after = before.with_shape(new)
    x0, y0, x1, y1 = touched_box(after, [old, new], frame)
    one, two = render(before, frame).alpha.copy(), render(after, frame).alpha.copy()
    one[y0:y1, x0:x1] = two[y0:y1, x0:x1] = 0
    assert np.array_equal(one, two)


PLACE = st.floats(-50, 150)


@given(st.tuples(PLACE, PLACE), st.floats(-200, 200), st.floats(0.3, 3), st.booleans(), st.integers(0, 9))
@settings(max_examples=30, deadline=None)
def test_turning_about_a_place_leaves_that_place_where_it_is(about, turn, size, earlier, seed):
    it = shape(blob(n=8, seed=seed))
    if earlier:
        it = edits.place(it, 4, move=(5, -3), turn=33, size=1.5)
    was = it.outlines(np.array([4]))[0, :, :2]
    now = edits.place(it, 4, turn=turn, size=size, about=about).outlines(np.array([4]))[0, :, :2]
    c, s = np.cos(np.radians(turn)) * size, np.sin(np.radians(turn)) * size
    want = np.array(about) + (was - about) @ np.array([[c, s], [-s, c]])
    assert np.allclose(now, want, atol=1e-6)
