"""Outlines laid by a line: redrawn by a stroke, led along another one, mirrored; points brought into line; placement that stretches."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from roto.curve import align
from roto.curve.flatten import polygon
from roto.curve.redraw import redrawn, taken_over
from roto.curve.take_keys import take_keys
from roto.errors import BadGeometry
from roto.motion import edits, interpolate, placement
from roto.motion.keys import Keys
from roto.motion.mirror import mirrored
from roto.motion.shape import CURVE, GROUP
from roto.motion.steady_form import steady

from .build import blob, rectangle, shape

EVERY = np.arange(1, 31)
CURVES = np.ones(10, np.int8)


def off(one, other):
    """px: how far two closed lines are apart at the most, either way."""
    away = np.hypot(*(one[:, None] - other[None]).transpose(2, 0, 1))
    return max(away.min(axis=0).max(), away.min(axis=1).max())


def swinging(points=None, **more):
    """A shape whose form and placement are keyed unevenly."""
    rng = np.random.default_rng(3)
    points = blob(8, radius=20, seed=2) if points is None else points
    keys = [placement.values((3 * k, -k), 20.0 * k, 1 + 0.1 * k) for k in range(3)]
    it = shape(points, place=Keys.build([1, 12, 25], keys), pivot=(57.0, 49.0), **more)
    return edits.move_points(it, 14, {2: it.outlines(np.array([14]))[0, 2] + rng.normal(0, 4, 6)})


@pytest.mark.parametrize("way", [1, -1])
@pytest.mark.parametrize(("by", "size"), [((0, 0), 1.0), ((30, -12), 1.0), ((4, 3), 1.3)])
def test_a_loop_replaces_the_outline_and_each_point_stays_itself(way, by, size):
    old = blob(10, rough=0.05)
    wanted = (polygon(old, 0.01)[::way] - 60) * size + 60 + by
    new, changed = redrawn(old, CURVES, wanted, closed=True)
    assert off(polygon(new, 0.01), wanted) < 1.0 and len(changed) == 10
    assert np.hypot(*(new[:, :2] - ((old[:, :2] - 60) * size + 60 + by)).T).max() < 3


def test_corners_go_to_the_strokes_corners_and_straight_sides_stay_straight():
    ends = np.array([[12, 12], [112, 14], [110, 72], [13, 70]], float)
    t = np.linspace(0, 1, 60)[:, None]
    stroke = np.concatenate([a + (b - a) * t for a, b in zip(ends, np.roll(ends, -1, axis=0), strict=True)])
    new, _ = redrawn(rectangle(10, 10, 110, 60), np.zeros(4, np.int8), stroke, closed=True)
    assert np.abs(new[:, :2] - ends).max() < 0.6 and not new[:, 2:].any()


def test_an_open_stroke_replaces_a_stretch_and_leaves_the_rest():
    bulge = np.stack([109 + 12 * np.sin(np.linspace(0, np.pi, 50)), np.linspace(15, 55, 50)], axis=1)
    for stroke in (bulge, bulge[::-1]):
        new, changed = redrawn(rectangle(10, 10, 110, 60), np.zeros(4, np.int8), stroke, closed=False)
        assert changed == [1, 2] and (new[[0, 3]] == rectangle(10, 10, 110, 60)[[0, 3]]).all()
        line = polygon(new, 0.01)
        assert np.hypot(*(bulge[10:-10, None] - line[None]).transpose(2, 0, 1)).min(axis=1).max() < 3
    with pytest.raises(BadGeometry, match="far from the outline"):
        redrawn(rectangle(10, 10, 110, 60), np.zeros(4, np.int8), bulge + 200, closed=False)
    with pytest.raises(BadGeometry, match="too short"):
        redrawn(rectangle(10, 10, 110, 60), np.zeros(4, np.int8), bulge[:2], closed=False)


def test_a_form_is_taken_from_an_outline_of_another_number_of_points():
    one, other = shape(blob(7, rough=0.02, seed=5)), shape(blob(12, rough=0.05))
    for frame, size in ((9, 1.2), (20, 0.9)):
        outline = other.outlines(np.array([frame]))[0]
        bent = np.concatenate([(outline[:, :2] - 60) * [size, 1] + 60, outline[:, 2:] * [size, 1, size, 1]], axis=1)
        other = edits.move_points(other, frame, dict(enumerate(bent)))
    taken = take_keys(one, other, ["form"])
    assert taken.form.parts == 7 and taken.form.frames.tolist() == [1, 9, 20]
    for frame in (1, 9, 20):
        lines = [polygon(s.outlines(np.array([frame]))[0], 0.01) for s in (taken, other)]
        assert off(*lines) < 2.0


def test_led_along_a_copy_of_itself_an_outline_is_the_same_wherever_it_begins():
    old = blob(10, rough=0.1)
    led = taken_over(old, CURVES, np.roll(old, 4, axis=0)[None], CURVES)[0]
    assert np.abs(led[:, :2] - old[:, :2]).max() < 0.6


@given(angle=st.floats(-180, 180), x=st.floats(-50, 150), y=st.floats(-50, 150))
def test_mirrored_about_a_line_every_frame_lies_opposite(angle, x, y):
    it = swinging()
    c, s = np.cos(np.radians(2 * angle)), np.sin(np.radians(2 * angle))
    matrix = np.array([[c, s], [s, -c]])
    opposite = (it.outlines(EVERY)[:, :, :2] - (x, y)) @ matrix.T + (x, y)
    new = mirrored(it, angle, (x, y))
    assert np.abs(new.outlines(EVERY)[:, :, :2] - opposite).max() < 1e-6
    assert np.abs(mirrored(new, angle, (x, y)).outlines(EVERY) - it.outlines(EVERY)).max() < 1e-6


def test_mirrored_where_it_is_the_pivot_keeps_its_way():
    it = swinging()
    new = mirrored(it, 90.0)
    way = interpolate.evaluate(it.place, EVERY, EVERY)[:, placement.MOVE] + it.pivot
    upright = way[:, None] + (it.outlines(EVERY)[:, :, :2] - way[:, None]) * [-1, 1]
    assert np.abs(new.outlines(EVERY)[:, :, :2] - upright).max() < 1e-9
    with pytest.raises(BadGeometry, match="none of its own"):
        mirrored(replace(it, kind=GROUP), 90.0)


def test_a_shape_is_made_wider_taller_and_skewed_about_its_pivot():
    box = shape(rectangle(40, 30, 60, 50), pivot=(50.0, 40.0))
    tall = edits.place(box, 1, taller=2.0)
    assert np.allclose(tall.outlines(np.array([1]))[0, :, :2], [[40, 20], [60, 20], [60, 60], [40, 60]])
    lean = edits.place(box, 1, skew=45.0)
    assert np.allclose(lean.outlines(np.array([1]))[0, :, :2], [[30, 30], [50, 30], [70, 50], [50, 50]])
    turned = edits.place(tall, 1, turn=90.0)
    assert np.allclose(turned.outlines(np.array([1]))[0, :, :2], [[70, 30], [70, 50], [30, 50], [30, 30]])
    with pytest.raises(BadGeometry, match="85"):
        edits.place(lean, 1, skew=45.0)
    with pytest.raises(BadGeometry, match="keeps its proportions"):
        edits.place(replace(box, kind=GROUP), 1, taller=2.0)
    both = edits.move_points(tall, 9, {0: [38, 18, 0, 0, 0, 0]})
    with pytest.raises(BadGeometry, match="taller or skewed"):
        steady(both)


PLACES = st.floats(-200, 200)


@given(about=st.tuples(PLACES, PLACES), skew=st.floats(-40, 40), taller=st.floats(0.3, 3), turn=st.floats(-90, 90))
def test_whatever_it_is_stretched_about_stays_where_it_is(about, skew, taller, turn):
    it = edits.place(swinging(), 20, turn=15.0, size=1.3, skew=10.0, taller=1.2)
    frame = np.array([20])
    spot = np.zeros((1, 1, 6))
    spot[0, 0, :2] = about
    local = placement.apply(placement.inverse(it.maps_at(frame, frame)), spot)
    new = edits.place(it, 20, turn=turn, about=about, skew=skew, taller=taller)
    assert np.abs(placement.apply(new.maps_at(frame, frame), local)[0, 0, :2] - about).max() < 1e-6


def test_points_are_brought_level_upright_and_evenly_apart():
    points = np.array([[0, 0], [10, 4], [50, -2], [90, 6]], float)
    outline = np.concatenate([points, np.ones((4, 4))], axis=1)
    level = align.aligned(outline, [0, 1, 2], "level")
    assert [p[1] for p in level.values()] == [1.0] * 3 and [p[0] for p in level.values()] == [0, 10, 50]
    assert {p[0] for p in align.aligned(outline, [1, 3], "upright").values()} == {50.0}
    row = np.concatenate([[[0, 0], [7, 0], [41, 3], [90, 0]], np.ones((4, 4))], axis=1)
    even = align.aligned(row, [0, 1, 2, 3], "even")
    assert np.allclose([p[:2] for p in even.values()], [[0, 0], [30, 0], [60, 3], [90, 0]]) and (even[1][2:] == 1).all()
    with pytest.raises(BadGeometry, match="three points"):
        align.aligned(row, [0, 1], "even")


def test_points_snap_to_a_neighbours_point_or_line_and_not_beyond():
    other = rectangle(100, 0, 150, 50)
    mine = np.concatenate([[[97, 2], [96, 25], [60, 25]], np.zeros((3, 4))], axis=1)
    found = align.snapped(mine, [0, 1, 2], [other], 10.0)
    assert found[0][:2].tolist() == [100, 0] and found[1][:2].tolist() == [100, 25] and 2 not in found
    with pytest.raises(BadGeometry, match="within 10 px"):
        align.snapped(mine, [2], [other], 10.0)


def test_keys_that_a_change_makes_may_hold_or_run_straight():
    it = swinging()
    moved = edits.move_points(it, 20, {0: it.outlines(np.array([20]))[0, 0] + 5})
    held = edits.new_keys_as(it, moved, 20, "hold")
    kinds = dict(zip(held.form.frames.tolist(), held.form.kinds.tolist(), strict=True))
    assert kinds == {1: 2, 14: 2, 20: 0}
    again = edits.new_keys_as(held, edits.move_points(held, 20, {0: [1, 1, 0, 0, 0, 0]}), 20, "straight")
    assert again.form.kinds.tolist() == held.form.kinds.tolist()  # it was there before
    assert CURVE in held.kinds
