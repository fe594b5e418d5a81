"""Reach: alpha by the distance to the edge, averaged over each pixel."""

import json
import re
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.ndimage import distance_transform_edt as edt

from roto.matte.feather import profile
from roto.matte.feather.profile import CUBICS, CURVE, average, parts
from roto.matte.render import render
from roto.matte.stack import Entry

from .build import bell_along, blob, matte, rectangle, shape, with_reach


def alpha(*entries, **more):
    return render(matte(*entries, **more), 6).alpha


def test_a_half_plane_has_these_alphas():
    """Edge at x = 50, inner reach 8, outer 4: t = (50 - x + 4) / 12 at pixel centres, straight."""
    row = alpha(shape(rectangle(-500, -500, 50, 600), inner=8, outer=4))[50]
    x = np.arange(120) + 0.5
    want = np.clip((54 - x) / 12, 0, 1)
    assert np.allclose(row, want, atol=1e-4)


@pytest.mark.parametrize("name", CUBICS)
@given(t=st.floats(-0.5, 1.5), a=st.floats(0, 0.8), b=st.floats(0, 0.8))
@settings(max_examples=8, deadline=None)
def test_pixel_average_of_a_profile(name, t, a, b):
    c = parts(name)[0, CURVE:]
    u, v = np.meshgrid(*[(np.arange(300) + 0.5) / 300 - 0.5] * 2)
    w = np.clip(t + a * u + b * v, 0.0, 1.0)
    want = (c[0] + w * (c[1] + w * (c[2] + w * c[3]))).mean()
    assert average(parts(name), t, a, b) == pytest.approx(want, abs=1e-4)


@pytest.mark.parametrize("cross", [0.0, 0.3])
def test_exactly_black_and_white_beyond_the_reach(cross):
    points = blob(n=12, cross=cross)
    hard = alpha(shape(points))
    soft = alpha(shape(points, inner=3, outer=2))
    outside, inside = edt(hard == 0), edt(hard == 1)
    assert (soft[outside > 2 + 0.71 + 1.5] == 0).all()
    assert (soft[inside > 3 + 0.71 + 1.5] == 1).all()
    assert ((soft > 0) & (soft < 1)).sum() > ((hard > 0) & (hard < 1)).sum()


@pytest.mark.parametrize("points", [blob(n=12), blob(n=8, cross=0.3), rectangle(20.3, 30.1, 70.9, 60.4)])
def test_reach_tends_to_the_coverage(points):
    hard = alpha(shape(points))
    off = [np.abs(alpha(shape(points, inner=r, outer=r)) - hard).max() for r in (0.05, 0.005, 0.0005)]
    assert off[0] > off[2] and off[2] < 2e-3


@given(inner=st.floats(0, 6), outer=st.floats(0, 6), shift=st.floats(-3, 3), nudge=st.floats(0, 0.02))
@settings(max_examples=25, deadline=None)
def test_a_little_more_reach_changes_alpha_a_little(inner, outer, shift, nudge):
    points = blob(n=10)
    one = alpha(shape(points, inner=inner, outer=outer, shift=shift))
    two = alpha(shape(points, inner=inner + nudge, outer=outer, shift=shift + nudge))
    assert np.abs(one - two).max() <= 3.5 * nudge / max(inner + outer, 1.0) + 2e-3


@pytest.mark.parametrize("px", [-0.9, -0.4, 0.1, 0.3, 0.6, 0.95, 1.2])
@pytest.mark.parametrize("soft", [{}, {"outer": 0.3}, {"each": True}])
def test_an_edge_shift_of_a_part_of_a_pixel_moves_the_edge_by_just_that(px, soft):
    def along(shift):
        it = shape(rectangle(30.25, 30, 60, 60), shift=shift, **{k: v for k, v in soft.items() if k != "each"})
        it = with_reach(it, [(0.0, 0.2)] * 4) if "each" in soft else it
        return alpha(it)[45, :50].sum()

    assert along(px) - along(0.0) == pytest.approx(px, abs=0.02)


def test_edge_shift_grows_by_its_pixels():
    grown = alpha(shape(rectangle(30, 30, 60, 60), shift=2.0))
    assert grown[45, 28:62].min() == pytest.approx(1.0, abs=1e-3)
    assert grown[45, 27] == grown[45, 62] == 0


def test_distance_is_exact_to_two_hundredths():
    x, y = np.meshgrid(np.arange(120) + 0.5, np.arange(100) + 0.5)
    k = 4 / 3 * np.tan(np.pi / 8) * 30
    circle = np.array([[90, 50, 0, -k, 0, k], [60, 80, k, 0, -k, 0], [30, 50, 0, k, 0, -k], [60, 20, -k, 0, k, 0]])
    got = alpha(shape(circle, inner=20, outer=10))
    want = np.clip((30 - np.hypot(x - 60, y - 50) + 10) / 30, 0, 1)
    within = (want > 0.03) & (want < 0.97)  # the ends of the reach are rounded by the pixel
    assert np.abs(got - want)[within].max() * 30 < 0.035  # 0.02 of distance, 0.008 of the cubic circle, the rest of the pixel's mean


def test_soft_stack_and_opacity():
    a, b = shape(rectangle(10, 10, 60, 60), "a"), shape(rectangle(40, 10, 90, 60), "b", opacity=0.25)
    got = alpha(a, Entry(shape=b, mode="cut"))
    assert (got[30, 20], got[30, 50], got[30, 80]) == (1.0, 0.75, 0.0)
    got = alpha(a, b)
    assert (got[30, 20], got[30, 50], got[30, 80]) == (1.0, 1.0, 0.25)
    got = alpha(a, Entry(shape=shape(rectangle(40, 10, 90, 60), "b", inner=2.0), mode="keep", inverted=True))
    assert (got[30, 20], got[30, 50], got[30, 80]) == (1.0, 0.0, 0.0)
    assert alpha(a, inverted=True)[30, [20, 80]].tolist() == [0.0, 1.0]


def test_the_whole_matte_grows_by_its_edge_shift_and_what_it_cuts_shrinks():
    body, hole = shape(rectangle(20, 20, 80, 80)), shape(rectangle(40, 40, 60, 60), "hole")
    whole = matte(body, Entry(shape=hole, mode="cut"), shift=((1, 0.0), (11, 10.0)))
    for frame, by in ((1, 0), (6, 5), (11, 10)):
        found = render(whole, frame).alpha
        bigger = shape(rectangle(20 - by, 20 - by, 80 + by, 80 + by))
        assert found[50, 20 - by - 1] == 0 and found[50, 20 - by + 1] == pytest.approx(1, abs=1e-3)
        inside = 20 - 2 * by
        assert (found[50, 30:70] < 0.5).sum() == max(0, inside)
        assert np.allclose(found[25:35], render(matte(bigger), frame).alpha[25:35], atol=1e-3)
    inverted = matte(Entry(shape=hole, mode="cut", inverted=True), body, shift=((1, 5.0),))
    assert render(inverted, 1).alpha[50, 16] == pytest.approx(1, abs=1e-3)


@given(st.integers(0, 100), st.integers(0, 100))
def test_an_own_curve_never_falls_and_ends_where_it_should(one, two):
    c = parts(f"own {one} {two}")[0, CURVE:]
    t = np.linspace(0, 1, 101)
    curve = c[0] + t * (c[1] + t * (c[2] + t * c[3]))
    assert curve[0] == 0 and curve[-1] == pytest.approx(1) and (np.diff(curve) > -1e-12).all()
    bezier = 3 * t * (1 - t) ** 2 * one / 100 + 3 * t**2 * (1 - t) * two / 100 + t**3
    assert np.allclose(curve, bezier)


def test_own_curves_match_the_ready_made_ones_they_equal():
    for name, own in (("smooth", "own 0 100"), ("late", "own 0 33")):
        ready, mine = (alpha(shape(rectangle(30, 30, 60, 60), inner=8.0, outer=4.0, profile=p)) for p in (name, own))
        assert np.abs(ready - mine).max() < 0.005
    with pytest.raises(profile.UnknownProfile, match="own 20 90"):
        parts("own 20 190")


@pytest.mark.parametrize("sigma", [0.4, 1.0, 3.0])
@pytest.mark.parametrize("each", [False, True])
def test_the_profile_bell_is_what_a_bell_makes_of_a_straight_side(sigma, each):
    half = sigma / profile.BELL_SIGMA / 2
    it = shape(rectangle(39.3, -400, 900, 500), inner=half, outer=half, profile="bell")
    it = with_reach(it, [(half, half * 1.0001)] * 4) if each else it
    want = bell_along(39.3, 1e4, sigma, 120)
    got = alpha(it)[50]
    assert np.abs(got - want).max() < 0.002
    smooth = alpha(replace(it, profile="smooth"))[50]
    assert np.abs(smooth - want).max() > 0.02  # across the same reach


def test_a_side_with_the_profile_bell_moves_as_its_moments_say():
    half, sigma = 2.0 / profile.BELL_SIGMA / 2, 2.0
    it = shape(rectangle(39.3, -400, 900, 500), move=(80, 0), inner=half, outer=half, profile="bell")  # 8 px a frame
    got = alpha(it, angle=180)[50]
    moments = [bell_along(79.3 + 4 * ((k + 0.5) / 200 - 0.5), 1e4, sigma, 120) for k in range(200)]
    assert np.abs(got - np.mean(moments, axis=0)).max() < 0.002


def test_the_plot_of_the_bell_in_the_page_is_the_bell():
    text = (Path(__file__).parents[2] / "jaythread/static/desk/view/panel/profile.js").read_text()
    shown = json.loads(re.search(r"const BELL = (\[.*?\]);", text)[1])
    assert shown == [round(average(parts("bell"), t, 0.0, 0.0), 3) for t in np.linspace(0, 1, len(shown))]
