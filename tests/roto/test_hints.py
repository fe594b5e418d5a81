"""A region from painted hints, against a drawn one: near its edge from one stroke, other pieces left out, contradictions said."""

import cv2
import numpy as np
import pytest
from scipy.spatial import cKDTree

from roto.errors import BadGeometry
from roto.matte.analysis.hints import Hint, holes_of, outline_of, region

SIZE = (320, 240)


def lobes(middle=(150, 120), wide=60.0):
    angle = 2 * np.pi * np.arange(300) / 300
    r = wide * (1 + 0.22 * np.sin(3 * angle))
    return np.stack([middle[0] + r * np.cos(angle), middle[1] + r * np.sin(angle)], axis=1)


def drawn(things, seed=1, inside=(190, 90, 70), outside=(90, 110, 80)):
    """Things of one colour over a ground of another, both mottled, with grain."""
    rng = np.random.default_rng(seed)
    mask = np.zeros(SIZE[::-1], np.uint8)
    for one in things:
        cv2.fillPoly(mask, [np.rint(one * 16 - 8).astype(np.int32)], (255,), cv2.LINE_8, 4)
    there = (mask > 0)[:, :, None]
    mottled = 25 * cv2.GaussianBlur(rng.standard_normal((*mask.shape, 3)), (0, 0), 4) * 6
    return np.clip(np.where(there, inside, outside) + mottled + rng.normal(0, 4, mottled.shape), 0, 255).astype(np.uint8)


def stroke(*places, inside=True, radius=6.0):
    return Hint(path=np.array(places, float), radius=radius, inside=inside)


def off(line, truth):
    return (cKDTree(truth).query(line)[0].mean() + cKDTree(line).query(truth)[0].mean()) / 2


def test_one_stroke_finds_it_and_the_same_twice():
    truth, picture = lobes(), drawn([lobes()])
    lines = [outline_of(region(picture, [stroke((130, 115), (170, 125))])) for _ in range(2)]
    assert off(lines[0], truth) < 1.2 and np.array_equal(*lines)


def test_what_no_stroke_touches_is_left_out_and_a_stroke_outside_takes_away():
    truth = lobes((90, 120), 45)
    other = lobes((240, 120), 40)
    picture = drawn([truth, other])
    line = outline_of(region(picture, [stroke((80, 118), (100, 122))]))
    assert off(line, truth) < 1.2 and line[:, 0].max() < 165
    bridge = np.array([[90.0, 112], [240, 112], [240, 128], [90, 128]])
    joined = drawn([truth, other, bridge])
    both = outline_of(region(joined, [stroke((80, 118), (100, 122))]))
    assert both[:, 0].max() > 250
    apart = outline_of(region(joined, [stroke((80, 118), (100, 122)), stroke((160, 100), (160, 140), inside=False, radius=9)]))
    assert apart[:, 0].max() < 165


def test_a_hole_is_one_where_somebody_paints_outside_in_it():
    truth, hole = lobes(), lobes((150, 120), 24)
    picture = drawn([truth])
    ground = drawn([])
    inner = np.zeros(SIZE[::-1], np.uint8)
    cv2.fillPoly(inner, [np.rint(hole * 16 - 8).astype(np.int32)], (1,), cv2.LINE_8, 4)
    picture[inner > 0] = ground[inner > 0]
    ring = stroke((105, 100), (105, 140))
    whole = region(picture, [ring])
    assert off(outline_of(whole), truth) < 1.2 and not holes_of(whole)
    found = region(picture, [ring, stroke((147, 119), (153, 121), inside=False, radius=4)])
    (line,) = holes_of(found)
    assert off(line, hole) < 1.5 and off(outline_of(found), truth) < 1.2


def test_colours_that_are_all_over_the_picture_are_said_early_and_not_within_a_loop():
    truth = lobes((90, 120), 34)
    picture = drawn([truth, *(lobes((x, y), 34) for x, y in ((190, 60), (190, 180), (275, 120)))])
    said = region(picture, [stroke((80, 118), (100, 122))]).says
    assert "all over the picture" in said and "loop" in said
    assert not region(picture, [stroke((80, 118), (100, 122))], truth * 1.2 - 0.2 * truth.mean(axis=0)).says
    assert not region(drawn([lobes()]), [stroke((130, 115), (170, 125))]).says


def test_within_a_rough_loop_alone_it_is_found():
    truth, picture = lobes(), drawn([lobes(), lobes((280, 40), 20)])
    rough = truth + 0.22 * (truth - truth.mean(axis=0))
    assert off(outline_of(region(picture, [], rough)), truth) < 1.5


@pytest.mark.parametrize(
    ("hints", "says"),
    [
        ([], "nothing is marked as inside"),
        ([stroke((10, 10), (30, 10), inside=False)], "nothing is marked as inside"),
        ([stroke((130, 115), (170, 125)), stroke((130, 115), (170, 125), inside=False)], "on top of each other"),
    ],
)
def test_hints_that_say_nothing_or_contradict_each_other_are_said(hints, says):
    with pytest.raises(BadGeometry, match=says):
        region(drawn([lobes()]), hints)


def test_a_loop_outside_of_the_picture_is_said():
    with pytest.raises(BadGeometry, match="outside the picture"):
        region(drawn([lobes()]), [], lobes((-400, -400)))
