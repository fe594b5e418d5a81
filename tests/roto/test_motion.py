"""Keys and what happens between them."""

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from roto.curve.flatten import polygon
from roto.curve.split import add_point
from roto.errors import BadKeys
from roto.matte.render import render, samples_wanted
from roto.motion import correct, interpolate, placement
from roto.motion.keys import FLOWING, HOLD, STRAIGHT, Keys
from roto.motion.live_ranges import tidy

from .build import blob, matte, rectangle, shape


def line(values, frames=None, kinds=None):
    frames = frames or [10 * k for k in range(len(values))]
    return Keys.build(frames, [[[v, 0.0]] for v in values], kinds=kinds)


def at(keys, t, number=None):
    return interpolate.evaluate(keys, t, np.floor(t) if number is None else number)[:, 0, 0]


def test_passes_through_its_keys_and_follows_polynomials():
    frames = [0, 3, 10, 14, 20]
    parabola = [f**2 / 10 - f for f in frames]
    t = np.linspace(0, 20, 41)
    assert at(line(parabola, frames), t) == pytest.approx(t**2 / 10 - t, abs=1e-9)


@given(st.lists(st.integers(3, 9), min_size=4, max_size=6), st.floats(-1, 1), st.floats(-0.02, 0.02))
def test_a_cubic_motion_is_met_in_every_stretch_and_in_the_exposures_at_its_ends(gaps, bend, turn):
    frames = np.concatenate([[0], np.cumsum(gaps)])

    def true(t):
        u = t - frames[-1] / 2
        return 40 * u + bend * u * u / 2 + turn * u**3 / 6  # never resting: a rest would be kept

    keys = line(true(frames.astype(float)).tolist(), frames.tolist())
    t = np.linspace(0, frames[-1], 61)
    assert at(keys, t) == pytest.approx(true(t), abs=1e-6)
    straight = 0.5 * 0.25**2 * (abs(bend) + 27 * abs(turn)) + 0.01  # what going on straight leaves out
    for end, beyond in ((0, -0.25), (frames[-1], 0.25)):
        assert at(keys, end + beyond, int(end))[0] == pytest.approx(true(end + beyond), abs=straight)


@pytest.mark.parametrize(("kind", "want"), [(HOLD, 0.0), (STRAIGHT, 5.0)])
def test_hold_and_straight(kind, want):
    assert at(line([0, 10, 7], kinds=[kind, FLOWING, FLOWING]), 5)[0] == want


def test_a_stretch_between_equal_keys_stands_still():
    t = np.linspace(10, 20, 33)
    assert (at(line([3, 50, 50, 9, 80]), t) == 50).all()


@given(
    values=st.lists(st.floats(-500, 500), min_size=12, max_size=12),
    frame=st.integers(-20, 20),
    times=st.lists(st.floats(-50, 50), min_size=1, max_size=5),
    speed=st.sampled_from([np.nan, 0.0, 3.0]),
)
@settings(max_examples=60, deadline=None)
def test_an_only_key_holds_everywhere_as_two_equal_ones_would(values, frame, times, speed):
    points = np.array(values).reshape(2, 6)
    one = Keys.build([frame], points[None], speeds=np.full((1, 2, 6), speed))
    two = Keys.build([frame, frame + 7], np.stack([points, points]))
    numbers = np.floor(times).astype(int)
    assert np.array_equal(interpolate.evaluate(one, times, numbers), interpolate.evaluate(two, times, numbers))
    assert not interpolate.speed(one, times, numbers).any()
    assert np.array_equal(interpolate.evaluate(one, times, numbers)[0], points)


def test_an_edit_is_local():
    one, two = line([0, 4, 2, 9, 5, 1, 7, 3]), line([0, 4, 2, 9, 6, 1, 7, 3])
    t = np.linspace(0, 10, 50)
    assert (at(one, t) == at(two, t)).all()
    assert not (at(one, t + 20) == at(two, t + 20)).all()


@given(
    frame=st.integers(1, 69), values=st.lists(st.floats(-100, 100), min_size=8, max_size=8), kind=st.sampled_from([HOLD, STRAIGHT, FLOWING])
)
@settings(max_examples=60, deadline=None)
def test_a_key_without_a_change_moves_nothing(frame, values, kind):
    keys = line(values, kinds=[FLOWING, FLOWING, kind, FLOWING, FLOWING, kind, FLOWING, FLOWING])
    more = correct.key_here(keys, frame)
    t = np.arange(0, 70, 0.25)
    assert at(more, t) == pytest.approx(at(keys, t), abs=1e-9)


def test_holds_jump_by_the_frame_number_alone():
    keys = line([0, 10, 10], kinds=[HOLD, FLOWING, FLOWING])
    assert at(keys, np.array([9.75, 10.25]), 9).tolist() == [0, 0]
    assert at(keys, np.array([9.75, 10.25]), 10).tolist() == [10, 10]


def test_an_exposure_goes_on_at_the_end_speed_and_frames_beyond_stand_still():
    keys = line([0, 10], [0, 10], kinds=[STRAIGHT, STRAIGHT])
    assert at(keys, np.array([-0.25, 0.25]), 0) == pytest.approx([-0.25, 0.25])
    assert at(keys, 10.25, 10)[0] == pytest.approx(10.25)
    assert at(keys, np.array([10.75, 11.25]), 11).tolist() == [10, 10]


def test_a_corrected_point_leaves_the_others_paths_alone():
    base = shape(blob(n=8))
    two = base.with_form_key(21, base.outlines(np.array([21]))[0] + [5, 3, 0, 0, 0, 0], np.ones(8, bool))
    moved = two.outlines(np.array([11]))[0]
    moved[2, :2] += (9, 9)
    held = np.zeros(8, bool)
    held[2] = True
    three = two.with_form_key(11, moved, held)
    frames = np.arange(1, 22)
    others = np.arange(8) != 2
    assert (three.outlines(frames)[:, others] == two.outlines(frames)[:, others]).all()
    assert three.outlines(np.array([11]))[0, 2, :2] == pytest.approx(moved[2, :2])


def test_a_turning_plank_keeps_its_area():
    keys = Keys.build([1, 7, 13], [placement.values(), placement.values(turn=170, move=(3, 2)), placement.values(turn=400)])
    plank = shape(rectangle(30, 45, 90, 55), place=keys, pivot=(60, 50))
    for frame in range(1, 14):
        assert render(matte(plank), frame).alpha.sum(dtype=float) == pytest.approx(600, abs=1e-2)


def test_edits_in_plate_pixels_come_out_where_they_were_put():
    keys = Keys.build([1, 11], [placement.values(turn=30, size=1.5, move=(4, 4)), placement.values(turn=-50, size=0.7)])
    kite = shape(blob(n=8), place=keys, pivot=(50, 40))
    wanted = kite.outlines(np.array([5]))[0]
    wanted[3] += 2.5
    after = kite.with_form_key(5, wanted, np.arange(8) == 3).outlines(np.array([5]))[0]
    assert after[3, :2] == pytest.approx(wanted[3, :2])


@given(segment=st.integers(0, 8), t=st.floats(0.05, 0.95), seed=st.integers(0, 20))
@settings(max_examples=10, deadline=None)
def test_an_added_point_moves_nothing(segment, t, seed):
    rng = np.random.default_rng(seed)
    kite = shape(blob(n=9, seed=seed))
    for frame in (8, 13, 20):
        held = rng.random(9) < 0.7
        kite = kite.with_form_key(frame, kite.outlines(np.array([frame]))[0] + rng.normal(0, 3, (9, 6)) * [1, 1, 0.2, 0.2, 0.2, 0.2], held)
    more = add_point(kite, segment, t)
    assert more.form.parts == 10
    frames = np.arange(1, 21)
    for one, two in zip(kite.outlines(frames), more.outlines(frames), strict=True):
        assert shapely.hausdorff_distance(shapely.LinearRing(polygon(one, 0.002)), shapely.LinearRing(polygon(two, 0.002))) < 0.05
    for frame in (1, 10, 17):
        assert np.abs(render(matte(more), frame).alpha - render(matte(kite), frame).alpha).max() < 0.02


def test_curve_points_stay_smooth_in_between():
    kite = shape(blob(n=8))
    turned = kite.outlines(np.array([11]))[0]
    turned[:, 2:4] = turned[:, 2:4] @ np.array([[0, 1], [-1, 0]])
    turned[:, 4:6] = -turned[:, 2:4] * 0.5
    kite = kite.with_form_key(11, turned, np.ones(8, bool))
    between = kite.outlines(np.array([6]))[0]
    cross = between[:, 2] * between[:, 5] - between[:, 3] * between[:, 4]
    assert np.abs(cross).max() < 1e-9 and ((between[:, 2:4] * between[:, 4:6]).sum(axis=1) < 0).all()


def test_live_ranges_have_hard_ends_under_blur():
    box = shape(rectangle(30, 30, 60, 60), move=(10, 0), live=tidy([(4, 6)]))
    plain = shape(rectangle(30, 30, 60, 60), move=(10, 0))
    for frame in (4, 5, 6):
        assert np.array_equal(render(matte(box, angle=180), frame).alpha, render(matte(plain, angle=180), frame).alpha)
    assert render(matte(box, angle=180), 3).alpha.max() == render(matte(box, angle=180), 7).alpha.max() == 0


def test_blur_of_a_moving_edge_is_the_ramp():
    """10 px a frame, shutter 180 degrees: the edge at x = 50 smears evenly over 5 px around it."""
    keys = Keys.build([1, 11], [placement.values(move=(-50, 0)), placement.values(move=(50, 0))], kinds=[STRAIGHT, STRAIGHT])
    edge = shape(rectangle(-500, -500, 50, 600), place=keys)
    x = np.arange(120)[:, None] + (np.arange(100) + 0.5) / 100
    want = np.clip((52.5 - x) / 5, 0, 1).mean(axis=1)
    assert np.abs(render(matte(edge, angle=180), 6).alpha[50] - want).max() < 0.006


def test_still_frames_cost_one_sample_and_the_cap_is_said():
    assert samples_wanted(matte(shape(blob()), angle=180), 6) == (1, False)
    count, capped = samples_wanted(matte(shape(blob(), move=(400, 0)), angle=180, size=(900, 100)), 6)
    assert 26 <= count <= 28 and not capped
    assert samples_wanted(matte(shape(blob(), move=(16000, 0)), angle=180, size=(20000, 100)), 6)[1]


@pytest.mark.parametrize(
    "bad",
    [
        {"frames": [2, 1], "values": np.zeros((2, 1, 2))},
        {"frames": [1], "values": np.full((1, 1, 2), np.nan)},
        {"frames": [2**70], "values": np.zeros((1, 1, 2))},
        {"frames": [1.5], "values": np.zeros((1, 1, 2))},
    ],
)
def test_bad_keys_are_refused(bad):
    with pytest.raises(BadKeys):
        Keys.build(**bad)
    with pytest.raises(BadKeys):
        line([1]).drop(0)
