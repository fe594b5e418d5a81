"""Points taken away and changed, keys moved and changed."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from roto.curve.curve_fit import fit_loop
from roto.curve.remove import fit_stretch, remove_points
from roto.curve.split import add_point, cubic_at
from roto.errors import BadGeometry, BadKeys
from roto.motion import bounds, edits
from roto.motion.shape import CURVE

from .build import blob, rectangle, shape


def keyed(points, seed=0):
    """A shape with a second and a third key, the third of only some points."""
    rng = np.random.default_rng(seed)
    it = shape(points)
    n = len(points)
    for frame, held in ((9, np.ones(n, bool)), (15, rng.random(n) < 0.5)):
        it = it.with_form_key(frame, it.outlines(np.array([frame]))[0] + rng.normal(0, 2, (n, 6)) * [1, 1, 0.1, 0.1, 0.1, 0.1], held)
    return it


@given(segment=st.integers(0, 8), t=st.floats(0.2, 0.8), seed=st.integers(0, 30))
@settings(max_examples=15, deadline=None)
def test_removing_an_added_point_brings_the_outline_back(segment, t, seed):
    """A key of all points: the split is exact, so its undoing by the fit is too (but for the fit's steps)."""
    it = shape(blob(n=9, seed=seed))
    gone = remove_points(add_point(it, segment, t), [segment + 1])
    assert gone.shape.form.parts == 9 and gone.worst < 0.05
    assert np.abs(gone.shape.outlines(np.array([1]))[0] - it.outlines(np.array([1]))[0]).max() < 0.5


def test_what_removing_moves_is_said_and_other_stretches_stay():
    it = keyed(blob(n=9))
    gone = remove_points(it, [4])
    assert 0 < gone.mean < gone.worst < 20
    frames = np.arange(1, 16)
    old, new = it.outlines(frames), gone.shape.outlines(frames)
    keep = [0, 1, 2, 6, 7, 8]
    assert np.allclose(old[:, keep], new[:, [0, 1, 2, 5, 6, 7]])
    assert np.allclose(old[:, [3, 5], :2], new[:, [3, 4], :2], atol=1e-6)  # neighbours keep their places, their tangents are fitted


def test_the_fit_finds_a_cubic_that_is_there():
    row = np.array([[[0, 0, 0, 0, 40, 30], [100, 20, -20, 50, 0, 0]]], float)
    places = cubic_at(row, 0, np.linspace(0, 1, 40) ** 1.5)[0]
    out, into = fit_stretch(places, np.array([4.0, 3.0]), np.array([-2.0, 5.0]))
    got = cubic_at(np.array([[[0, 0, 0, 0, *out], [100, 20, *into, 0, 0]]]), 0, np.linspace(0, 1, 5000))[0]
    off = np.sqrt(((places[:, None] - got[None]) ** 2).sum(axis=2)).min(axis=1)
    assert off.max() < 0.05


def test_a_sharp_corner_becomes_a_curve_and_back():
    it = edits.point_kind(shape(rectangle(0, 0, 30, 30)), [1], "curve")
    points = it.outlines(np.array([1]))[0]
    assert it.kinds.tolist() == [0, CURVE, 0, 0]
    assert points[1, 2:4] @ points[1, 4:6] < 0 and np.linalg.norm(points[1, 2:4]) == pytest.approx(10)
    uneven = edits.move_points(it, 1, {1: [30, 0, -4, -4, 12, 12]})
    even = edits.point_kind(uneven, [1], "even").outlines(np.array([1]))[0, 1]
    assert even.tolist() == pytest.approx([30, 0, -8, -8, 8, 8])
    back = edits.point_kind(it, [1], "sharp")
    assert np.array_equal(back.outlines(np.array([1])), shape(rectangle(0, 0, 30, 30)).outlines(np.array([1])))
    free = edits.point_kind(it, [1], "corner")
    assert free.kinds[1] == 0 and np.array_equal(free.outlines(np.array([1])), it.outlines(np.array([1])))


def test_a_moved_key_takes_its_values_along():
    it = keyed(blob(n=8))
    moved = edits.move_key(it, "form", 9, 20)
    assert moved.form.frames.tolist() == [1, 15, 20]
    assert np.allclose(moved.outlines(np.array([20]))[0], it.outlines(np.array([9]))[0])
    with pytest.raises(BadKeys, match="already"):
        edits.move_key(it, "form", 9, 15)


def test_a_held_key_holds_and_a_key_here_moves_nothing():
    it = keyed(blob(n=8))
    held = edits.key_kind(it, "form", 1, "hold")
    assert np.array_equal(held.outlines(np.array([8])), it.outlines(np.array([1])))
    here = edits.key_here(it, "form", 5)
    frames = np.arange(1, 18)
    assert 5 in here.form.frames and np.allclose(here.outlines(frames), it.outlines(frames), atol=1e-9)


def test_a_shape_of_more_points_than_anybody_traces_is_refused():
    ring = np.stack([np.cos(np.arange(6000) / 955), np.sin(np.arange(6000) / 955)], axis=1) * 300
    many = np.concatenate([ring, np.zeros((6000, 4))], axis=1)
    bounds.check(edits.trace("a", "sail", 1, many[:5000], [False] * 5000))
    with pytest.raises(BadGeometry, match=r"'sail' has 6,000 points; 5,000 are the most"):
        bounds.check(edits.trace("a", "sail", 1, many, [False] * 6000))
    with pytest.raises(BadGeometry, match="The stroke is longer than"):
        fit_loop([[0, 0], [9e6, 0], [0, 1]] * 3, 1.0)
