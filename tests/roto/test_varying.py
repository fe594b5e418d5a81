"""A reach that varies along the outline: where it is the plain one, what it is between, and that alpha is continuous."""

from dataclasses import replace

import numpy as np
import pytest

from roto.curve.flatten import flatten
from roto.errors import BadGeometry
from roto.matte.feather.along_outline import along
from roto.matte.render import render, touched_box
from roto.motion.keys import Keys
from roto.tolerances import FLATTEN_REACH

from .build import blob, matte, rectangle, shape, with_reach

NONE = (np.nan, np.nan)


def alpha(it, **more):
    return render(matte(it, **more), 1).alpha


@pytest.mark.parametrize("profile", ["straight", "smooth", "late", "bell"])
@pytest.mark.parametrize(("inner", "outer"), [(4, 8), (0, 0), (0.3, 0.2), (2, 0), (0, 12), (0, 0.9)])
@pytest.mark.parametrize("cross", [0.0, 0.15])
def test_the_same_reach_everywhere_is_the_plain_one(inner, outer, profile, cross):
    points = blob(20, radius=30, cross=cross)
    plain = alpha(shape(points, inner=inner, outer=outer, profile=profile))
    each = alpha(with_reach(shape(points, profile=profile), [(inner, outer)] * 20))
    one = alpha(with_reach(shape(points, profile=profile), [(inner, outer)] + [NONE] * 19))
    assert np.abs(each - plain).max() < 0.001 and np.abs(one - each).max() == 0


def test_between_two_points_it_runs_by_arc_length_and_smoothly():
    """A long upper edge, hard at its left end, with an outer reach of 16 px at its right end."""
    box = with_reach(shape(rectangle(20, 50, 180, 90)), [(0, 0), (0, 16), (0, 16), (0, 0)])
    a = alpha(box, size=(200, 100))
    wide = [np.count_nonzero((a[:50, x] > 0) & (a[:50, x] < 1)) for x in (30, 60, 100, 140, 170)]
    assert wide == sorted(wide) and wide[0] < 2 and wide[-1] > 13
    assert abs(wide[2] - 8) <= 1  # half way: half as much
    assert a[47, 100] == pytest.approx(1 - (50 - 47.5) / 8, abs=0.03)
    assert a[60, 100] == 1 and a[30, 100] == 0


def test_reaches_along_an_outline_stay_between_those_of_the_points_and_are_not_too_steep():
    points = blob(12, radius=30)[None]
    reach = np.array([NONE] * 12)
    reach[[0, 3, 4, 9]] = [(1, 2), (1, 9), (6, 9), (0, 0)]
    vertices, starts = flatten(points, FLATTEN_REACH)
    got = along(points, vertices, starts, FLATTEN_REACH, reach)
    assert got.min() >= 0 and got[:, 0].max() <= 6 + 1e-9 and got[:, 1].max() <= 9 + 1e-9
    steps = np.hypot(*(np.roll(vertices, -1, axis=0) - vertices).T)
    assert (np.abs(np.roll(got, -1, axis=0) - got) <= 0.5 * steps[:, None] + 1e-9).all()


def test_a_box_is_the_crop_and_direction_does_not_matter():
    points = blob(20, radius=30)
    reach = np.array([NONE] * 20)
    reach[[0, 7, 12]] = [(1, 2), (3, 14), (0, 0)]
    it = with_reach(shape(points), reach)
    whole = alpha(it)
    for box in ((40, 30, 90, 80), (13, 7, 71, 99), (55, 45, 56, 46)):
        x0, y0, x1, y1 = box
        assert (render(matte(it), 1, box=box).alpha == whole[y0:y1, x0:x1]).all()
    back = with_reach(shape(points[::-1][:, [0, 1, 4, 5, 2, 3]]), reach[::-1])
    assert np.abs(alpha(back) - whole).max() < 0.001
    x0, y0, x1, y1 = touched_box(matte(it), [it], 1)
    outside = np.ones_like(whole, bool)
    outside[y0:y1, x0:x1] = False
    assert (whole[outside] == 0).all()


@pytest.mark.parametrize(
    "reach",
    [[(0, 3), (0, 3), (8, 10), (8, 10)], [(2, 5), (6, 1), (9, 9), (1, 12)], [(1, 1), (12, 1), (1, 12), (3, 3)]],
)
def test_alpha_is_continuous_also_on_a_limb_thinner_than_the_reach(reach):
    """Seen ever larger, the steepest step between neighbouring pixels shrinks with the pixels, as it does not where alpha jumps."""
    steepest = []
    for k in (2, 4, 8):
        it = with_reach(shape(rectangle(20, 20, 70, 25) * k), np.array(reach, float) * k)
        a = alpha(it, size=(90 * k, 45 * k))
        steepest.append(max(np.abs(np.diff(a, axis=0)).max(), np.abs(np.diff(a, axis=1)).max()))
    assert steepest[2] < 0.62 * steepest[1] < 0.4 * steepest[0]


def test_a_hard_edge_beside_a_soft_one_stays_hard():
    a = alpha(with_reach(shape(rectangle(20, 30, 100, 36)), [(0, 0), (0, 0), (0, 12), (0, 12)]))
    assert a[29, 60] == 0 and a[30, 60] == 1 and a[35, 60] == pytest.approx(1, abs=0.01)
    assert 0.4 < a[41, 60] < 0.6 and a[49, 60] == 0


def test_keyed_and_blurred():
    it = with_reach(shape(rectangle(20, 30, 100, 70), move=(40, 0)), [(0, 2)] * 4)
    it = replace(it, reach=Keys.build([1, 11], [[(0, 2)] * 4, [(0, 12)] * 4]))
    soft = [render(matte(it), f).alpha[:30, 60] for f in (1, 11)]
    assert [np.count_nonzero(s) for s in soft] == [3, 13] or [np.count_nonzero(s) for s in soft] == [2, 12]
    same = with_reach(shape(rectangle(20, 30, 100, 70), move=(40, 0)), [(3, 5)] * 4)
    plain = shape(rectangle(20, 30, 100, 70), move=(40, 0), inner=3, outer=5)
    one, other = (render(matte(s, angle=180.0), 6).alpha for s in (same, plain))
    assert np.abs(one - other).max() < 0.01 and np.abs(one - other).mean() < 0.0005


def test_a_reach_needs_a_point_that_has_it():
    with pytest.raises(BadGeometry, match="a point that has it"):
        replace(shape(rectangle(0, 0, 9, 9)), reach=Keys.build([1], np.zeros((1, 4, 2))), own=(False,) * 4)
