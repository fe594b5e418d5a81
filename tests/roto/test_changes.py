"""Two versions of a plate held against each other: what is said of pictures whose difference is known."""

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from roto.picture import changes

SIZE = (320, 180)


def dunes(seed: int = 1) -> np.ndarray:
    """Something soft with grain in it, larger than a frame."""
    rng = np.random.default_rng(seed)
    soft = cv2.resize(rng.random((12, 22, 3)).astype(np.float32), (SIZE[0] + 80, SIZE[1] + 80), interpolation=cv2.INTER_CUBIC)
    return np.clip(60 + 120 * soft + rng.normal(0, 6, soft.shape), 0, 255).astype(np.uint8)


def frame(at: int, dx: float = 0.0, dy: float = 0.0) -> np.ndarray:
    """A frame of a pan by 3 px, its picture moved."""
    turn = np.array([[1, 0, dx - 3 * at], [0, 1, dy - 20]])
    return cv2.warpAffine(dunes(), turn, SIZE, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)


def lossy(picture: np.ndarray) -> np.ndarray:
    return cv2.imdecode(cv2.imencode(".jpg", picture, [cv2.IMWRITE_JPEG_QUALITY, 88])[1], cv2.IMREAD_COLOR)


def test_what_a_lossy_picture_loses_is_no_difference():
    assert not changes.change(frame(1), lossy(frame(1))).seen
    assert changes.change(frame(1), frame(1)) == changes.Change(share=0.0, move=None, gain=None)


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 270), st.integers(0, 140), st.integers(8, 40))
def test_a_patch_is_found_with_its_share_and_is_no_move(x, y, side):
    after = frame(1)
    after[y : y + side, x : x + side] = 255 - after[y : y + side, x : x + side] // 2
    share = (frame(1) != after).any(axis=2).mean()
    found = changes.change(frame(1), after)
    assert found.seen and share * 0.8 < found.share < share * 1.5 + 0.005
    assert changes.moved([found]) is None and changes.graded([found]) is None


@settings(max_examples=20, deadline=None)
@given(st.floats(-8, 8), st.floats(-8, 8))
def test_a_picture_that_lies_elsewhere_is_told_by_how_much(dx, dy):
    found = changes.moved(changes.change(frame(f), frame(f, dx, dy)) for f in range(3))
    if np.hypot(dx, dy) > 1.5:
        assert found is not None and np.hypot(found[0] - dx, found[1] - dy) < 0.4
    elif found is not None:
        assert np.hypot(found[0] - dx, found[1] - dy) < 0.6


@pytest.mark.parametrize("gain", [0.7, 0.9, 1.1, 1.3])
def test_another_grade_is_told_and_is_no_move(gain):
    found = [changes.change(frame(f), np.clip(gain * frame(f).astype(float), 0, 255).astype(np.uint8)) for f in range(3)]
    assert changes.graded(found) == pytest.approx(gain, abs=0.04) and changes.moved(found) is None


def test_frames_that_come_sooner_or_later_are_told_as_stretches():
    before = {f: changes.small(frame(f)) for f in range(1, 21)}
    after = {f: before[f] for f in range(1, 8)} | {f: before[f - 2] for f in range(8, 21)}
    assert changes.retimed(before, after) == [(8, 20, -2)]
    assert changes.retimed(before, before) == []
    still = dict.fromkeys(before, before[1])
    assert changes.retimed(still, still) == []  # a still picture is at no other time
    assert changes.retimed(before, {f: changes.small(dunes(f)[:180, :320]) for f in before}) == []


def test_pictures_of_two_sizes_are_refused():
    with pytest.raises(ValueError, match="cannot be compared"):
        changes.change(frame(1), frame(1)[:90])
