"""A correction stays where it is made: how far it moves other frames, and which."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from roto.motion import correct, edits, interpolate
from roto.motion.keys import FLOWING, HOLD, STRAIGHT, Keys

from .build import blob, rectangle, shape

FRAMES = np.arange(1, 61)


def path(keys: Keys, within: bool = False) -> np.ndarray:
    """Where the parts are on FRAMES (60, n, 2)."""
    return interpolate.evaluate(keys, FRAMES, FRAMES, within)


def corrected(keys: Keys, frame: int, by: tuple[float, float], part: int = 0) -> Keys:
    here = interpolate.evaluate(keys, frame, frame)[0]
    here[part] += by
    return correct.put(keys, frame, here, np.arange(keys.parts) == part)


def off(shape_before, shape_after) -> np.ndarray:
    """px by which points move, the most on each of FRAMES."""
    moved = shape_after.outlines(FRAMES)[:, :, :2] - shape_before.outlines(FRAMES)[:, :, :2]
    return np.hypot(*moved.transpose(2, 0, 1)).max(axis=1)


def test_a_corner_dragged_early_in_a_long_stretch_stays_near_its_drag():
    box = edits.key_here(shape(rectangle(20, 20, 120, 90)), "form", 31)
    now = box.outlines(np.array([3]))[0]
    after = edits.move_points(box, 3, {2: now[2] + [4.2, 4.2, 0, 0, 0, 0]})
    assert off(box, after).max() <= 1.1 * np.hypot(4.2, 4.2) + 1e-9
    assert (off(box, after)[31:] == 0).all()
    placed = edits.place(edits.key_here(shape(rectangle(20, 20, 120, 90)), "placement", 31), 3, (6.0, 0.0))
    assert off(box, placed).max() <= 6.6 + 1e-9


@pytest.mark.parametrize("values", [(2, 5, 2), (1, 1, 8), (5, 5, 1)])
def test_reach_and_opacity_never_leave_the_range_of_the_keys_beside_them(values):
    it = shape(rectangle(20, 20, 120, 90))
    for frame, reach in zip((1, 3, 31), values, strict=True):
        it = edits.soften(it, frame, outer=reach, opacity=reach / 10)
    found = np.array(it.settings_at(FRAMES))
    for (a, b), (x, y) in zip(((1, 3), (3, 31)), pairwise(values), strict=True):
        between = found[a - 1 : b]
        assert between[:, 1].min() >= min(x, y) - 1e-12 and between[:, 1].max() <= max(x, y) + 1e-12
        assert between[:, 3].min() >= min(x, y) / 10 - 1e-12 and between[:, 3].max() <= max(x, y) / 10 + 1e-12


walks = st.lists(st.tuples(st.floats(-200, 200), st.floats(-200, 200)), min_size=3, max_size=9)
kinds = st.sampled_from([FLOWING, FLOWING, FLOWING, HOLD, STRAIGHT])


@given(walks, st.data())
@settings(max_examples=150, deadline=None)
def test_no_frame_moves_further_than_the_correction_and_a_tenth(places, data):
    frames = sorted(data.draw(st.lists(st.integers(1, 60), min_size=len(places), max_size=len(places), unique=True)))
    keys = Keys.build(frames, np.array(places)[:, None], kinds=[data.draw(kinds) for _ in places])
    for _ in range(3):
        by = data.draw(st.tuples(st.floats(-30, 30), st.floats(-30, 30)))
        frame = data.draw(st.integers(int(keys.frames[0]), int(keys.frames[-1])))
        after = corrected(keys, frame, by)
        moved = np.hypot(*(path(after) - path(keys))[:, 0].T)
        inside = (keys.frames[0] <= FRAMES) & (keys.frames[-1] >= FRAMES)
        assert moved[inside].max() <= 1.1 * np.hypot(*by) + 1e-6
        at = int(np.searchsorted(after.frames, frame))
        low, high = int(after.frames[max(0, at - 2)]), int(after.frames[min(len(after.frames) - 1, at + 2)])
        assert (moved[((low > FRAMES) | (high < FRAMES)) & inside] < 1e-7).all()  # two stretches on either side, at most
        assert np.allclose(interpolate.evaluate(after, frame, frame)[0, 0] - interpolate.evaluate(keys, frame, frame)[0, 0], by, atol=1e-9)
        keys = after


@given(walks, st.integers(2, 59))
@settings(max_examples=60, deadline=None)
def test_a_key_without_a_change_moves_nothing_and_counts_for_later_keys(places, frame):
    keys = Keys.build(np.linspace(1, 60, len(places)).astype(int), np.array(places)[:, None])
    more = correct.key_here(keys, frame)
    assert more.index(frame) is not None
    assert np.abs(path(more) - path(keys)).max() < 1e-9


@pytest.mark.parametrize("frame", [45, 60])
def test_a_key_without_a_change_beyond_the_last_one_moves_nothing(frame):
    keys = Keys.build([1, 14, 30], [[[0.0, 0.0]], [[30.0, 4.0]], [[50.0, 60.0]]])
    more = correct.key_here(keys, frame)
    assert more.index(frame) == 3 and np.array_equal(path(more), path(keys))
    later = np.abs(path(corrected(more, frame, (0.0, 8.0))) - path(keys))
    assert later.max() < 20  # it cannot both arrive as it did and rest at once


def test_full_keys_and_one_point_corrected_late_leave_early_frames_alone():
    """Keys on 12 to 38, then one point on 40: frames before 33 stand still to the last bit."""
    it = shape(blob(n=8))
    for k, frame in enumerate((12, 29, 31, 33, 36, 38)):
        now = it.outlines(np.array([frame]))[0] + [3.0 * (k % 3), 2.0 * k, 0, 0, 0, 0]
        it = it.with_form_key(frame, now, np.ones(8, bool))
    now = it.outlines(np.array([40]))[0]
    after = edits.move_points(it, 40, {3: now[3] + [4, 2, 0, 0, 0, 0]})
    assert (off(it, after)[:36] == 0).all()
    assert off(it, after)[39] == pytest.approx(np.hypot(4, 2))


def moving() -> Keys:
    places = [[[0.0, 0.0]], [[40.0, 10.0]], [[55.0, 60.0]], [[20.0, 90.0]], [[0.0, 40.0]]]
    return Keys.build([1, 15, 30, 45, 60], places)


def test_a_stretch_that_somebody_looked_at_stands_still_until_it_may_flow_again():
    keys = moving()
    after = corrected(keys, 22, (6.0, -5.0))
    assert np.abs(path(after) - path(keys))[35].max() > 1e-3  # frame 36 follows, but for
    quiet = correct.still(keys, after, {36})
    assert np.abs(path(quiet) - path(keys))[29:60].max() < 1e-9  # the stretch 30-45 runs as it did
    assert np.abs(path(quiet) - path(after))[20:23].max() < 2.0
    assert np.isnan(correct.flow_again(quiet, 30).speeds[2]).all()
    assert correct.still(keys, after, set()) is after


def test_a_key_that_is_taken_away_or_moved_leaves_far_stretches_alone():
    base = shape(rectangle(20, 20, 60, 60))
    for frame, x in ((1, 0), (10, 12), (20, 3), (30, 25), (40, 9), (50, 31), (60, 2)):
        base = edits.place(base, frame, (x - base.outlines(np.array([frame]))[0, 0, 0] + 20, 0.0))
    for after in (
        edits.drop_key(base, "placement", 30),
        edits.move_key(base, "placement", 30, 33),
        edits.key_kind(base, "placement", 30, "hold"),
    ):
        moved = off(base, after)
        assert moved[28:33].max() > 0.1
        assert (moved[:10] < 1e-9).all() and (moved[59:] < 1e-9).all()


def test_the_first_setting_holds_throughout_and_the_second_makes_it_move():
    it = edits.soften(shape(rectangle(20, 20, 120, 90)), 10, outer=6.0)
    assert {row[1] for row in it.settings_at(FRAMES)} == {6.0}
    assert {row[3] for row in it.settings_at(FRAMES)} == {1.0}
    again = edits.soften(it, 10, outer=4.0, inner=1.0)
    assert {row[:2] for row in again.settings_at(FRAMES)} == {(1.0, 4.0)}
    more = edits.soften(it, 30, outer=2.0)
    reach = np.array(more.settings_at(FRAMES))[:, 1]
    assert (reach[:10] == 6.0).all() and (reach[29:] == 2.0).all() and 2.0 < reach[19] < 6.0
    seen = edits.soften(more, 20, opacity=0.5)
    assert {row[3] for row in seen.settings_at(FRAMES)} == {0.5}
    assert np.array(seen.settings_at(FRAMES))[:, 1] == pytest.approx(reach)
