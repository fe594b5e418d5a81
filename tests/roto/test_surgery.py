"""Freehand loops, key surgery, offsets of all keys."""

import numpy as np
import pytest
import shapely
from hypothesis import example, given, settings
from hypothesis import strategies as st

from roto.curve.curve_fit import fit_loop
from roto.curve.flatten import polygon
from roto.errors import BadGeometry, BadKeys
from roto.matte.render import render
from roto.motion import edits, placement, retime
from roto.motion.keys import FLOWING, HOLD, STRAIGHT, Keys
from roto.motion.shape import CORNER, CURVE, DIVIDING
from roto.motion.shared_edge import share_edge
from roto.motion.steady_form import steady
from tests.roto.build import blob, matte, rectangle, shape

EVERY = ("form", "placement", "settings")


def off(path, points):
    return shapely.distance(shapely.LinearRing(polygon(points, 0.01)), shapely.points(path)).max()


@settings(max_examples=25)
@example(192, 4.0, 4)
@given(st.integers(0, 1000), st.floats(0.5, 4), st.integers(0, 4))
def test_a_freehand_loop_becomes_few_points_near_it(seed, tolerance, bumps):
    turn = np.linspace(0, 2 * np.pi, 300, endpoint=False)
    far = 150 * (1 + 0.15 * np.sin(bumps * turn + seed))
    path = np.stack([400 + far * np.cos(turn), 300 + 0.7 * far * np.sin(turn)], axis=1)
    points, curves = fit_loop(path, tolerance)
    assert off(path, points) <= tolerance + 0.4
    assert len(points) <= 6 + 5 * bumps / min(1, tolerance) and all(curves)
    trembling = path + np.random.default_rng(seed).normal(0, 0.25, path.shape)
    assert off(path, fit_loop(trembling, tolerance)[0]) < tolerance + 1.0


def test_a_freehand_box_keeps_its_corners():
    corners = np.array([[100, 100], [300, 100], [300, 250], [100, 250]], float)
    path = np.concatenate([np.linspace(a, b, 50, endpoint=False) for a, b in zip(corners, np.roll(corners, -1, axis=0), strict=True)])
    points, curves = fit_loop(path, 1.0)
    assert len(points) == 4 and not any(curves)
    assert np.abs(points[np.lexsort(points[:, :2].T), :2] - corners[np.lexsort(corners.T)]).max() < 1.0


@pytest.mark.parametrize(
    "path", [[], [[0, 0], [1, 1]], [[0, 0]] * 9, [[0, 0], [0.1, 0], [0, 0.1], [0.1, 0.1]], [[0, 0], [np.nan, 1], [2, 2]]]
)
def test_a_loop_too_small_is_refused(path):
    with pytest.raises(BadGeometry):
        fit_loop(path, 1.0)


def keyed():
    """A kite keyed on 1 and 5 and 11 (form), moved from 1 to 11."""
    it = shape(blob(n=6), move=(20, 10), inner=1.0, outer=2.0)
    it = edits.move_points(it, 5, {0: [90, 50, 0, -4, 0, 4]})
    return edits.move_points(it, 11, {0: [99, 60, 0, -4, 0, 4], 1: [70, 90, 0, 0, 0, 0]})


@given(st.integers(-200, 200), st.integers(-50, 60))
def test_shifted_keys_move_everything_in_time(by, frame):
    it = keyed()
    moved = retime.shift_keys(it, EVERY, by)
    assert np.allclose(moved.outlines(np.array([frame + by])), it.outlines(np.array([frame])), atol=1e-9)


@given(st.integers(2, 9), st.integers(-3, 14))
def test_stretched_keys_run_slower(times, frame):
    it = keyed()
    slow = retime.stretch_keys(it, EVERY, (1, 11), (1, 1 + 10 * times))
    assert np.allclose(slow.outlines(np.array([1 + (frame - 1) * times])), it.outlines(np.array([frame])), atol=1e-9)


@given(st.integers(1, 11), st.sampled_from([HOLD, STRAIGHT, FLOWING]))
def test_reversed_keys_run_backwards(frame, kind):
    it = keyed()
    it = edits.key_kind(it, "placement", 1, ["hold", "straight", "flowing"][kind])
    back = retime.reverse_keys(it, EVERY, (1, 11))
    twice = retime.reverse_keys(back, EVERY, (1, 11))
    assert np.allclose(twice.outlines(np.array([frame])), it.outlines(np.array([frame])), atol=1e-9)
    if kind != HOLD or frame in (1, 11):
        assert np.allclose(back.outlines(np.array([12 - frame])), it.outlines(np.array([frame])), atol=1e-9)


def test_keys_that_would_fall_on_one_frame_are_refused():
    with pytest.raises(BadKeys, match="one frame"):
        retime.stretch_keys(keyed(), ["form"], (1, 11), (1, 2))
    with pytest.raises(BadKeys, match="too far"):
        retime.shift_keys(keyed(), ["form"], 10**7)


def test_one_key_holds_the_shape_as_it_is_there():
    it = retime.only_key(keyed(), EVERY, 7)
    assert it.form.frames.tolist() == it.place.frames.tolist() == [7]
    assert np.allclose(it.outlines(np.array([1, 7, 30])), keyed().outlines(np.array([7]))[0], atol=1e-9)


def test_a_copied_key_says_the_same_on_its_new_frame_and_the_others_stay():
    it = retime.copy_key(keyed(), "form", 5, 20)
    assert it.form.held[it.form.index(20)].tolist() == [True] + [False] * 5
    assert np.allclose(it.form_at(20, 20)[0, 0], keyed().form_at(5, 5)[0, 0])
    for frame in (1, 5, 11):
        assert np.allclose(it.form_at(frame, frame), keyed().form_at(frame, frame), atol=1e-9)


def test_taken_keys_fit_or_are_refused():
    one, other = keyed(), shape(blob(n=6, seed=9), move=(-40, 0))
    assert np.array_equal(retime.take_keys(one, other, ["placement"]).place.values, other.place.values)
    assert np.allclose(retime.take_keys(one, other, ["form", "placement"]).outlines(np.array([4])), other.outlines(np.array([4])))
    with pytest.raises(BadGeometry, match="do not fit"):
        retime.take_keys(one, shape(blob(n=7)), ["form"])


@pytest.mark.parametrize("first", [None, 5])
def test_the_same_offset_on_all_keys_or_from_here_on(first):
    it = keyed()
    here = it.outlines(np.array([5]))[0, 2]
    moved = retime.offset_points(it, 5, {2: [here[0] + 3, here[1] - 2, *here[2:]]}, first)
    change = moved.outlines(np.arange(-3, 20)) - it.outlines(np.arange(-3, 20))
    frames = np.arange(-3, 20)
    later = frames >= (5 if first else -3)
    assert np.allclose(change[later, 2, :2], (3, -2), atol=1e-9)
    assert np.allclose(change[frames <= 1, 2], 0 if first else [3, -2, 0, 0, 0, 0], atol=1e-9)
    assert np.allclose(np.delete(change, 2, axis=1), 0, atol=1e-9)
    placed = retime.offset_place(it, 5, (4.0, 0.0), 0.0, 1.0, None, first)
    assert np.allclose((placed.outlines(frames) - it.outlines(frames))[later, :, 0], 4, atol=1e-9)
    soft = retime.offset_soft(it, 5, first, outer=5.0)
    assert [s[1] for s in soft.settings_at(np.array([1, 9]))] == ([2.0, 5.0] if first else [5.0, 5.0])


def test_a_dividing_edge_covers_its_right_side_and_takes_no_more_points():
    edge = edits.trace("e", "edge", 1, [[60, 50, 0, 0, 30, 0]], [False], kind=DIVIDING)
    alpha = render(matte(edge), 1).alpha
    assert (alpha[:50] == 0).all() and (alpha[50:] == 1).all()
    turned = edits.move_points(edge, 1, {0: [60, 50, 0, 0, 0, 30]})
    assert (render(matte(turned), 1).alpha[:, 60:] == 0).all()
    for change in (
        lambda: edits.point_kind(edge, [0], "sharp"),
        lambda: edits.trace("e", "e", 1, [[1, 1, 0, 0, 0, 0]], [False], kind=DIVIDING),
    ):
        with pytest.raises(BadGeometry):
            change()


def test_a_fitted_loop_is_a_shape_like_any_other():
    points, curves = fit_loop(polygon(blob(n=9), 0.5), 0.7)
    it = edits.trace("loop", "loop", 1, points, curves)
    assert set(it.kinds) <= {CORNER, CURVE} and isinstance(it.form, Keys)
    drawn = render(matte(shape(blob(n=9))), 1).alpha
    assert np.abs(render(matte(it), 1).alpha - drawn).sum() < 0.02 * drawn.sum()


@given(st.integers(0, 500), st.floats(-170, 170), st.floats(0.4, 2.5))
def test_steadying_takes_move_turn_and_size_out_of_the_form_and_moves_no_keyed_outline(seed, turn, size):
    it = keyed()
    maps = placement.matrices(placement.values(move=(15, 4), turn=turn, size=size)[None], (50.0, 40.0))
    swung = placement.apply(maps, it.form_at(11, 11))
    it = edits.move_points(it, 20, dict(enumerate(placement.apply(it.maps_at(20, 20), swung)[0])))
    done = steady(it)
    frames = np.array([1, 5, 11, 20])
    assert np.allclose(done.shape.outlines(frames), it.outlines(frames), atol=1e-8)
    again = steady(done.shape)
    assert again.after == pytest.approx(done.after, abs=1e-6)


def turned_by_points(turns):
    """A plank whose points were set anew on each of these frames, by its turn there (degrees)."""
    it = shape(rectangle(30, 40, 90, 60))
    for frame, turn in turns.items():
        points = placement.apply(placement.matrices(placement.values(turn=turn)[None], (60.0, 50.0)), rectangle(30, 40, 90, 60)[None])[0]
        it = edits.move_points(it, frame, dict(enumerate(points)))
    return it


@given(st.floats(122, 238), st.sampled_from([-1, 1]))
def test_a_wide_turn_goes_the_way_that_the_keys_beside_it_go(wide, way):
    done = steady(turned_by_points({11: way * 90, 11 + round(wide / 9): way * (90 + wide), 21 + round(wide / 9): way * (180 + wide)}))
    assert done.doubtful == () and np.diff(done.shape.place.values[:, 1, 0]) == pytest.approx([way * 90, way * wide, way * 90])
    middle = 11 + round(wide / 18)
    turn = np.degrees(np.arctan2(*np.diff(done.shape.outlines(np.array([middle]))[0, :2, :2], axis=0)[0][::-1]))
    gap = (turn - way * (90 + wide * (middle - 11) / round(wide / 9)) + 180) % 360 - 180
    assert abs(gap) < 12


def test_a_wide_turn_by_itself_is_taken_the_short_way_and_said():
    done = steady(turned_by_points({11: 190}))
    assert done.doubtful == ((1, 11),) and done.shape.place.values[1, 1, 0] == pytest.approx(-170)
    assert "Between 1 and 11 it may turn the other way round" in done.doubt
    assert steady(turned_by_points({11: 110})).doubt == ""


def test_a_plank_that_was_turned_by_its_points_keeps_its_area_once_steadied():
    it = shape(rectangle(30, 40, 90, 60))
    for frame, turn in ((11, 90), (21, 180)):
        points = placement.apply(placement.matrices(placement.values(turn=turn)[None], (60.0, 50.0)), rectangle(30, 40, 90, 60)[None])[0]
        it = edits.move_points(it, frame, dict(enumerate(points)))
    done = steady(it)
    assert done.after < 1e-6 and done.before > 50
    for frame in range(1, 22):
        area = shapely.Polygon(done.shape.outlines(np.array([frame]))[0, :, :2]).area
        assert area == pytest.approx(1200, rel=1e-9)
    assert shapely.Polygon(it.outlines(np.array([6]))[0, :, :2]).area < 1000
    with pytest.raises(BadGeometry, match="nothing to steady"):
        steady(shape(rectangle(1, 1, 9, 9)))


@pytest.mark.parametrize("moves", [None, (-12, 30)])
def test_a_shared_edge_agrees_on_every_frame(moves):
    left = edits.move_points(shape(rectangle(10, 10, 50, 90), move=(20, 10)), 6, {1: [55, 25, 0, 0, 0, 0]})
    right = shape(rectangle(52, 12, 100, 88), name="right", move=moves)
    got = share_edge(right, left, [3, 0], 1)  # its left edge, which runs up: the other's right edge runs down
    frames = np.arange(1, 12)
    mine, theirs = got.outlines(frames), left.outlines(frames)
    assert np.abs(mine[:, :2, :2] - theirs[:, [2, 1], :2]).max() <= 0.05
    assert np.allclose(mine[:, 2:, :2], right.outlines(frames)[:, 1:3, :2], atol=1e-9)
    if moves is None:
        whole = render(matte(got, left), 4).alpha
        ends = left.outlines(np.array([4]))[0, 1:3, :2]
        y = np.arange(35, 85)
        x = (ends[0, 0] + (y - ends[0, 1]) * (ends[1, 0] - ends[0, 0]) / (ends[1, 1] - ends[0, 1])).astype(int)
        assert whole[y, x].min() > 0.999  # no seam


def test_a_stretch_that_cannot_be_shared_is_refused():
    one, other = shape(rectangle(10, 10, 50, 90)), shape(rectangle(52, 12, 100, 88))
    for stretch in ([0], [0, 2], [0, 1, 2, 3], [1, 0]):
        with pytest.raises(BadGeometry):
            share_edge(one, other, stretch, 1)


def test_a_retraced_outline_keeps_its_placement_and_needs_a_form_keyed_once():
    it = shape(blob(n=6), move=(20, 10), inner=3.0)
    new = edits.retrace(it, 6, rectangle(20, 20, 70, 60), [False] * 4)
    assert np.allclose(new.outlines(np.array([6]))[0, :, :2], rectangle(20, 20, 70, 60)[:, :2], atol=1e-9)
    assert new.place is it.place and new.settings is it.settings
    with pytest.raises(BadGeometry, match="3 frames"):
        edits.retrace(keyed(), 6, rectangle(20, 20, 70, 60), [False] * 4)
