"""Reaches in motion: means over a step in closed form, against plain sums over many moments."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numba import njit

from roto.matte.feather.integral import integral, mean_alpha
from roto.matte.feather.profile import BEGINS, CURVE, NAMES, SHARE, average, parts
from roto.matte.render import exposure, render, render_each, samples_wanted
from roto.matte.render.layers import layers_of
from roto.matte.stack import Entry
from roto.motion import edits, placement
from roto.motion.keys import STRAIGHT, Keys
from roto.motion.shape import DIVIDING
from roto.simd import LANE, even_alpha, note_nearer
from tests.roto.build import blob, corners, matte, rectangle, shape


@njit
def closed(x0, x1, small, curve, cubics, tables, beyond, whole):
    return mean_alpha(x0, x1, small, curve, cubics, tables, beyond, whole)


@njit
def summed(x0, x1, small, profile, whole):
    total, large = 0.0, np.sqrt(1 - small * small)
    for k in range(2000):
        total += average(profile, (x0 + (x1 - x0) * (k + 0.5) / 2000) / whole, large / whole, small / whole)
    return total / 2000


@given(
    st.sampled_from(NAMES), st.sampled_from([0.1, 0.7, 1.0, 3.0, 20.0, 150.0]), st.floats(0, 1), st.floats(-3, 3), st.floats(0, np.pi / 4)
)
def test_the_mean_over_a_step_is_that_of_its_moments(name, whole, at, way, angle):
    x0 = -2 + at * (whole + 4)
    small, got = float(np.sin(angle)), 0.0
    for p, part in enumerate(parts(name)):
        it, a = integral(name, p, whole), x0 - part[BEGINS] * whole
        got += part[SHARE] * closed(a, a + way, small, part[CURVE:], it.cubics, it.tables, it.beyond, it.whole)
    want = summed(x0, x0 + way, small, parts(name), whole)
    narrowest = whole * (1 - 2 * parts(name)[:, BEGINS].max())
    assert abs(got - want) < (0.06 if narrowest < 0.5 and abs(way) > 0.5 else 0.001)  # narrow reaches are only moved by half a pixel a step


@njit
def lane(square, near, px, py, ux, uy, long, which):
    note_nearer(square, near, 0, px, py, ux, uy, long, which)


@given(st.floats(-20, 20), st.floats(-5, 5), st.floats(0, 6.28), st.floats(0, 9))
def test_eight_distances_at_once_are_those_to_a_side(px, py, turn, long):
    square, near = np.full(LANE, 30.0, np.float32), np.full(LANE, 7, np.int32)
    ux, uy = np.cos(turn), np.sin(turn)
    lane(square, near, *(np.float32(v) for v in (px, py, ux, uy, long)), np.int32(3))
    x = px + np.arange(LANE)
    t = np.clip(x * ux + py * uy, 0, long)
    want = (x - t * ux) ** 2 + (py - t * uy) ** 2
    clear = np.abs(want - 30) > 0.01
    assert np.abs(square - np.minimum(want, 30)).max() < 2e-3
    assert (near[clear] == np.where(want < 30, 3, 7)[clear]).all()


def test_eight_alphas_at_once_say_which_need_a_closer_look():
    @njit
    def run(square0, in0, square1, in1, mean, change, into):
        f = np.float32
        return even_alpha(
            square0, in0, square1, in1, 0, f(4), f(0.71), f(6), f(1 / 6), f(0), f(1), f(0), f(0), mean, change, into
        )  # fmt: skip

    away = np.array([9, 5, 4, 2, 0, 1, 2, 8], np.float32)  # px from the edge; the last four lie inside
    mean, change, into = np.zeros(8, np.float32), np.zeros(8, np.float32), np.zeros(16, np.float32)
    bits = run(away**2, 0xF0, (away - 0.5) ** 2, 0xF0, mean, change, into)
    assert [bool(bits >> k & 1) for k in range(8)] == [False, True, True, False, False, False, True, False]
    assert mean[[0, 3, 4, 5, 7]] == pytest.approx([0, (2 + 0.25) / 6, 3.75 / 6 + 0.5 / 6, 4.75 / 6, 1], abs=1e-6)


def turning(points, turn):
    keys = Keys.build([1, 11], [placement.values(), placement.values(turn=turn, move=(12, -7))], kinds=[STRAIGHT, STRAIGHT])
    return replace(shape(points, inner=2.0, outer=3.0), pivot=(60.0, 50.0), place=keys)


SCENES = ["glides", "turns", "has corners", "crosses itself", "two bands", "cuts", "slow under quick", "slow cuts"]


@pytest.mark.parametrize("scene", SCENES)
def test_few_steps_say_what_many_do(scene, monkeypatch):
    soft = {"inner": 2.0, "outer": 3.0}
    glides = shape(blob(n=9), move=(22, -13), **soft)
    box = shape(rectangle(30, 30, 80, 70), move=(-9, 14), name="b", **soft)
    shapes = {
        "glides": [glides],
        "turns": [turning(blob(n=9), 150)],
        "has corners": [box],
        "crosses itself": [shape(blob(n=9, cross=0.3), move=(16, 9), **soft)],
        "two bands": [glides, box],
        "cuts": [glides, (box, "cut")],
        "slow under quick": [shape(blob(n=9), "slow", move=(2, 1), **soft), box],
        "slow cuts": [
            replace(box, place=shape(blob(), move=(100, 60)).place),
            (shape(rectangle(30, 30, 80, 70), "slow", move=(3, 2)), "cut"),
        ],
    }[scene]
    it = matte(*(Entry(shape=s[0], mode=s[1]) if isinstance(s, tuple) else s for s in shapes), angle=360)
    steps = samples_wanted(it, 6)[0]
    got = render(it, 6).alpha
    assert scene.startswith("slow") == (len(set(own_steps(it, 6))) > 1)
    for name, fine in (("BLUR_STEP", 0.02), ("MOST_STEP", 0.02), ("AMONG", 1e-5)):
        monkeypatch.setattr(exposure, name, fine)
    fine = replace(it, shutter=replace(it.shutter, cap=5000))
    assert samples_wanted(fine, 6)[0] > 20 * steps
    want = render(fine, 6).alpha
    edge = (want > 0) & (want < 1)
    off = np.abs(got - want)
    assert off[edge].mean() < 0.001, (steps, off.max(), off[~edge].max())
    assert off.max() < 0.012, (steps, off.max(), off[~edge].max())
    assert off[~edge].max() < 0.001


def own_steps(it, frame):
    """In how many steps each line is looked at."""
    return layers_of(it, frame, exposure.live_at(it, [frame])[frame], (0, 0, *it.size)).counts.tolist()


def test_what_hardly_moves_is_looked_at_seldom_and_groups_of_it_too():
    slow, quick = shape(blob(n=9), "slow", move=(1, 0), inner=2, outer=4), shape(rectangle(20, 20, 40, 40), "quick", move=(200, 0))
    crisp = shape(rectangle(60, 60, 90, 90), "crisp", move=(1, 0))
    it = matte(slow, crisp, quick, angle=180)
    one, few, many = own_steps(it, 6)
    assert one == 1 and 1 < few < many and many % few == 0 and samples_wanted(it, 6) == (many, False)
    alone = render(matte(slow, crisp, angle=180), 6)
    clear = slice(45, 100), slice(0, 120)  # below the quick one: rows that it never touches
    assert np.abs(render(it, 6).alpha[clear] - alone.alpha[clear]).max() < 0.004 and alone.samples < many
    broad = shape(rectangle(30, 60, 90, 95), "broad", move=(60, 0), inner=12, outer=12)  # its corners ask for more than its slope
    assert own_steps(matte(broad, quick, angle=180), 6)[0] >= 6


def test_whole_numbers_are_the_rounded_alpha_and_threads_and_batches_change_nothing():
    it = matte(shape(blob(cross=0.2), move=(30, 9), inner=1.5, outer=4.0, profile="smooth"), angle=180)
    made = dict(render_each(it, range(3, 30), lambda frame, done: (frame, done.alpha.copy()), 2, "16"))
    assert list(made) == list(range(3, 30))
    for frame in (3, 11, 29):
        alpha = render(it, frame).alpha
        assert np.abs(made[frame] - alpha.astype(np.float64) * 65535).max() < 0.51
        assert np.abs(render(it, frame, depth="8").alpha - alpha.astype(np.float64) * 255).max() < 0.51
    upside = replace(it, inverted=True)
    assert np.abs(render(upside, 11, depth="16").alpha.astype(int) + made[11] - 65535).max() <= 1


def many_moments(it, frame, count):
    """The plain mean of so many still pictures of an exposure."""
    opens, closes = it.shutter.exposure(frame)
    total = 0.0
    for k in range(count):
        moment = opens + (k + 0.5) / count * (closes - opens)
        still = []
        for entry in it.entries:
            points = entry.shape.edge(np.array([moment]), frame)[0]
            still.append(Entry(shape=shape(points, entry.shape.id), mode=entry.mode))
        total = total + render(replace(matte(*still, size=it.size)), frame).alpha.astype(np.float64)
    return total / count


def fast_and_far():
    """What moves much in the picture while its corners are far outside, or the other way round; and slow crisp things."""
    turns = Keys.build([1, 11], [placement.values(), placement.values(turn=100)], kinds=[STRAIGHT, STRAIGHT])
    edge = edits.trace("e", "edge", 1, [[60, 50, 0, 0, 30, 0]], [False], kind=DIVIDING)
    yield "an edge turns about the middle", replace(edge, pivot=(60.0, 50.0), place=turns)
    yield "an edge turns about a corner", replace(edge, pivot=(4.0, 96.0), place=turns)
    yield "a long plank turns", replace(shape(rectangle(-1440, 40, 1560, 55)), pivot=(60.0, 47.0), place=turns)
    yield "a far corner", shape(corners((30, 30), (1e6, 60), (30, 70)), move=(240, 80))
    for way in (0.6, 1.0, 2.0, 5.0, 12.0):
        yield f"a thin line goes {way} px", shape(rectangle(50.3, 20.1, 52.3, 80.7), move=(20 * way * 0.9, 20 * way * 0.4))


@pytest.mark.parametrize(("name", "it"), list(fast_and_far()), ids=lambda v: v if isinstance(v, str) else "")
def test_crisp_edges_in_motion_are_near_the_mean_of_all_moments(name, it):
    whole = matte(it, angle=180)
    off = np.abs(render(whole, 6).alpha - many_moments(whole, 6, 300))
    assert off.max() < 0.006, name


def test_what_lies_far_outside_asks_for_no_samples():
    turns = Keys.build([1, 11], [placement.values(), placement.values(turn=300)], kinds=[STRAIGHT, STRAIGHT])
    far = replace(shape(rectangle(5000, 5000, 5400, 5400)), place=turns)
    assert samples_wanted(matte(far, angle=360), 6) == (1, False)


def test_one_step_serves_a_slow_soft_edge():
    assert samples_wanted(matte(shape(blob(n=9), move=(15, 0), inner=2, outer=4), angle=180), 6) == (1, False)
    assert samples_wanted(matte(shape(blob(n=9), move=(15, 0)), angle=180), 6)[0] > 1
