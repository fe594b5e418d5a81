"""Frames that are hard to draw by, told before: blurred, empty, outside the picture; what follows is lost just there."""

import cv2
import numpy as np
import pytest

from roto.picture import display
from roto.track import between, foresee
from roto.track.bend import Bender

from .bodies import SIZE, swaying

TABLE = display.light(np.arange(256) / 255.0).astype(np.float32)


@pytest.fixture(scope="module")
def body():
    return swaying()


def spoilt(body, spoil):
    """Its frames in linear light; spoil: by frame, what is done to it."""
    grain = np.random.default_rng(2)
    made = {f: TABLE[body.picture(f)] for f in range(body.frames)}
    for frame, do in spoil.items():
        made[frame] = (do(made[frame]) + grain.normal(0, 0.003, made[frame].shape)).astype(np.float32)
    return made


def seen(picture, outline):
    size = picture.shape[1::-1]
    x0, y0, x1, y1 = foresee.around(outline, size)
    return foresee.seen(picture[y0:y1, x0:x1], outline, (x0, y0), size)


def looked_at(body, made):
    return {f: seen(made[f], body.truth(f)) for f in made}


def test_good_frames_are_not_called_hard(body):
    assert foresee.hard(looked_at(body, spoilt(body, {})), [0, 8]) == {}


@pytest.mark.parametrize(
    ("spoil", "why"),
    [
        (lambda made: cv2.GaussianBlur(made, (0, 0), 7), foresee.BLURRED),
        (lambda made: cv2.blur(made, (41, 1)), foresee.BLURRED),
        (lambda made: made * 0, foresee.FLAT),
        (lambda made: np.full_like(made, 0.4), foresee.FLAT),
    ],
)
def test_a_spoilt_frame_is_told_and_is_where_what_follows_is_lost(body, spoil, why):
    made = spoilt(body, {4: spoil})
    assert foresee.hard(looked_at(body, made), [0, 8]) == {4: why}
    outline = body.truth(0)
    it = Bender(made.__getitem__, 0, between.inside(outline, SIZE), outline)
    found = list(it.follow(range(1, 5)))
    assert found[-1].frame == 4 and (found[-1].bridged or found[-1].control is None)
    assert not any(done.bridged for done in found[:-1])


@pytest.mark.parametrize("spoil", [lambda made: cv2.GaussianBlur(made, (0, 0), 1.5), lambda made: cv2.blur(made, (7, 1))])
def test_a_frame_that_is_blurred_a_little_is_not_called_hard_and_is_followed(body, spoil):
    made = spoilt(body, {4: spoil})
    assert foresee.hard(looked_at(body, made), [0, 8]) == {}
    outline = body.truth(0)
    it = Bender(made.__getitem__, 0, between.inside(outline, SIZE), outline)
    *_, done = it.follow(range(1, 5))
    assert not done.bridged and np.hypot(*(it.places(done.control) - body.truth(4)).T).mean() < 1


def test_a_blurred_key_makes_its_neighbours_no_better_and_keys_are_never_called_hard(body):
    made = spoilt(body, {f: lambda one: cv2.GaussianBlur(one, (0, 0), 7) for f in (3, 4)})
    looked = looked_at(body, made)
    assert foresee.hard(looked, [0, 4, 8]) == {3: foresee.BLURRED}  # frame 0 shows what could be seen
    assert foresee.hard(looked, [4]) == {}
    assert foresee.hard(looked, []) == {}


def test_what_leaves_the_picture_or_is_too_small_is_told():
    away = np.array([[-60.0, 20], [20, 20], [20, 80], [-60, 80]])
    picture = np.random.default_rng(1).random((160, 240, 3)).astype(np.float32)
    tiny = seen(picture, np.array([[50.0, 50], [56, 50], [56, 56], [50, 56]]))
    frames = {
        1: seen(picture, away + np.array([90, 0])),
        2: seen(picture, away),
        3: tiny,
        4: seen(picture, away - np.array([900, 0])),
    }
    assert foresee.hard(frames, [1]) == {2: foresee.OUT, 3: foresee.FLAT, 4: foresee.OUT}
