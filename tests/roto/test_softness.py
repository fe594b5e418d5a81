"""Softness read from pictures whose softness is known: drawn here, with grain and over an uneven ground."""

import cv2
import numpy as np
import pytest

from roto.matte.analysis.softness import read_softness
from roto.matte.render import render

from .build import blob, matte, shape

POINTS = blob(12, (160, 120), 80, seed=4, rough=0.05)


def plate(sigma=0.0, offset=0.0, grain=0.012, contrast=0.4, smear=0.0, seed=1):
    """A blob over an uneven ground; its edge softened by a bell of `sigma` px, or smeared by motion to the right of so many px."""
    rng = np.random.default_rng(seed)
    alpha = render(matte(shape(POINTS, shift=offset), size=(320, 240)), 1).alpha
    if smear:
        kernel = np.ones((1, int(smear)), np.float32) / int(smear)
        alpha = cv2.filter2D(alpha, -1, kernel, borderType=cv2.BORDER_REFLECT)
    if sigma:
        alpha = cv2.GaussianBlur(alpha, (0, 0), sigma)
    ground = 0.35 + 0.04 * cv2.GaussianBlur(rng.standard_normal((240, 320)).astype(np.float32), (0, 0), 12) * 12
    picture = np.repeat((ground + contrast * alpha * 0.9)[:, :, None], 3, axis=2).astype(np.float32)
    picture[:, :, 2] -= 0.25 * contrast * alpha
    return picture + grain * rng.standard_normal(picture.shape).astype(np.float32)


@pytest.mark.parametrize("sigma", [0.8, 1.5, 3.0, 5.0])
def test_the_width_is_right_within_a_fifth_where_it_is_known(sigma):
    read = read_softness(plate(sigma), POINTS)
    width = read.width[np.isfinite(read.width)]
    assert read.known > 0.7
    assert np.median(width) == pytest.approx(np.sqrt(12) * sigma, rel=0.15)
    assert (np.abs(width / (np.sqrt(12) * sigma) - 1) < 0.2).mean() > 0.8
    reach = read.reach_of_points(12)
    assert np.nanmedian(reach[:, 0]) == pytest.approx(np.nanmedian(reach[:, 1]), abs=0.35 + 0.1 * sigma)


def test_an_edge_that_lies_off_the_outline_is_met_from_both_sides():
    reach = read_softness(plate(2.0, offset=1.5), POINTS).reach_of_points(12)
    width = np.sqrt(12) * 2.0
    assert np.nanmedian(reach[:, 1]) == pytest.approx(width / 2 + 1.5, abs=0.6)
    assert np.nanmedian(reach[:, 0]) == pytest.approx(width / 2 - 1.5, abs=0.6)


def test_what_motion_blur_explains_is_not_counted_twice():
    smeared = plate(1.2, smear=9.0)
    moved = np.tile([9.0, 0.0], (12, 1))
    blind, knowing = read_softness(smeared, POINTS), read_softness(smeared, POINTS, moved)
    assert np.nanmax(blind.width) > 7 and np.nanmedian(knowing.width) == pytest.approx(np.sqrt(12) * 1.2, rel=0.3)


def test_it_says_unknown_rather_than_guess():
    flat = read_softness(plate(2.0, contrast=0.02), POINTS)
    assert flat.known < 0.1 and np.isnan(flat.reach_of_points(12)).mean() > 0.8
    outside = POINTS.copy()
    outside[:, 0] += 5000
    assert read_softness(plate(2.0), outside).known == 0


@pytest.mark.parametrize("sigma", [0.8, 1.5, 3.0])
def test_an_edge_that_one_lens_has_softened_is_offered_as_that(sigma):
    lens = read_softness(plate(sigma, offset=0.4), POINTS).as_lens(12)
    assert lens is not None
    assert lens[0] == pytest.approx(sigma, rel=0.12)
    assert lens[1] == pytest.approx(0.4, abs=0.15)


def test_an_edge_that_differs_along_the_outline_is_not_offered_as_one_lens():
    across = np.clip((np.arange(320) - 100) / 120, 0, 1)[None, :, None].astype(np.float32)
    both = (1 - across) * plate(0.8) + across * plate(5.0)
    assert read_softness(both, POINTS).as_lens(12) is None
    assert read_softness(plate(2.0, contrast=0.02), POINTS).as_lens(12) is None, "nor is one of which nothing is known"
