"""The shutter read from moving edges that are drawn here, sharp and soft, with grain."""

import cv2
import numpy as np
import pytest

from roto.matte.analysis.shutter_estimate import NotMoving, read_shutter
from roto.matte.render import render

from .build import blob, matte, shape

POINTS = blob(12, (160, 120), 70, seed=4, rough=0.05)


def look(angle: float, move: tuple[float, float], sigma: float, seed: int):
    """A frame of a blob that moves so many px a frame, seen through a shutter of so many degrees."""
    rng = np.random.default_rng(seed)
    moments = (np.arange(64) + 0.5) / 64 * angle / 360 - angle / 720
    total = np.zeros((240, 320), np.float32)
    for t in moments:
        now = POINTS.copy()
        now[:, :2] += t * np.array(move)
        total += render(matte(shape(now), size=(320, 240)), 1).alpha / len(moments)
    alpha = cv2.GaussianBlur(total, (0, 0), sigma)
    picture = np.repeat((0.3 + 0.4 * alpha)[:, :, None], 3, axis=2) + 0.01 * rng.standard_normal((240, 320, 3))
    return picture.astype(np.float32), POINTS, np.tile(move, (12, 1)).astype(float), None


@pytest.mark.parametrize("angle", [90.0, 180.0, 300.0])
@pytest.mark.parametrize("sigma", [0.8, 2.0])
def test_it_is_right_within_twenty_degrees(angle, sigma):
    read = read_shutter([look(angle, (14.0, 0.0), sigma, 1), look(angle, (6.0, -12.0), sigma, 2)])
    assert abs(read.angle - angle) < 20 and read.places > 100 and read.give < 60


def test_a_shape_that_stands_still_tells_nothing():
    with pytest.raises(NotMoving, match="does not move"):
        read_shutter([look(180.0, (0.5, 0.0), 1.0, 1)])


def test_what_another_shape_hides_is_not_read():
    """A still bar in front of the blob shows sharp edges of its own, which say nothing of the shutter."""
    looks = []
    for move, seed in (((14.0, 0.0), 1), ((6.0, -12.0), 2)):
        picture, points, moved, _ = look(180.0, move, 0.8, seed)
        bar = np.zeros(picture.shape[:2], np.float32)
        bar[60:110] = 1
        picture[60:110] = [0.9, 0.2, 0.2]
        looks.append((picture, points, moved, bar))
    whole, free = read_shutter([(*one[:3], None) for one in looks]), read_shutter(looks)
    assert free.places < 0.85 * whole.places and abs(free.angle - 180) < 20
