"""Two mattes of a frame held against each other."""

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from roto.check import differences
from roto.errors import BadPicture


def box(x0, y0, x1, y1, value=65535, size=(90, 60)):
    out = np.zeros(size[::-1], np.uint16)
    out[y0:y1, x0:x1] = value
    return out


def test_what_is_more_and_what_is_less_is_counted_in_px_of_area():
    found = differences.difference(box(10, 10, 30, 30), box(15, 10, 35, 30))
    assert (found.more, found.less, found.worst, found.box) == (100, 100, 1.0, (10, 10, 35, 30)) and found.amount == 200
    half = differences.difference(box(10, 10, 30, 30), box(10, 10, 30, 30, value=32768))
    assert half.less == pytest.approx(200, abs=0.01) and half.more == 0 and half.worst == pytest.approx(0.5, abs=1e-4)


@given(st.integers(0, 2**32 - 1))
def test_what_rounding_to_8_bits_leaves_is_no_difference_and_what_is_more_is(seed):
    one = np.random.default_rng(seed).integers(0, 65536, (12, 17)).astype(np.uint16)
    eight = (np.rint(one / 257).astype(np.uint8)).astype(np.uint16) * 257
    assert differences.difference(one, eight).box is None
    other = one.copy()
    other[5, 7] = (int(one[5, 7]) + 3 * 257) % 65536
    found = differences.difference(one, other)
    assert found.box == (7, 5, 8, 6) and found.amount == pytest.approx(abs(int(other[5, 7]) - int(one[5, 7])) / 65535, abs=1e-9)
    back = differences.difference(other, one)
    assert (back.more, back.less) == (found.less, found.more)


def test_pictures_of_another_size_are_refused_with_both_sizes():
    with pytest.raises(BadPicture, match="90 x 60 and 80 x 60"):
        differences.difference(box(1, 1, 5, 5), box(1, 1, 5, 5, size=(80, 60)))


def test_each_side_has_a_colour_of_its_own_and_what_both_cover_is_grey():
    shown = differences.coloured(box(10, 10, 30, 30), box(15, 10, 35, 30)).astype(int)
    assert np.ptp(shown[20, 20]) == 0 and shown[20, 20, 0] == 150 and not shown[5, 5].any()
    assert shown[20, 33, 2] > shown[20, 33, 0] + 100 and shown[20, 12, 0] > shown[20, 12, 2] + 100  # blue is more, ochre is less


def test_outlines_lie_on_the_half_between_pixels():
    """A disc of known radius, its edge soft: every place of its line lies on it to an eighth of a px, and the ring's hole has one, too."""
    y, x = np.mgrid[:120, :160] + 0.5
    away = np.hypot(x - 80.3, y - 60.7)
    disc = np.clip(0.5 + 40.25 - away, 0, 1) * np.clip(0.5 + away - 15.4, 0, 1)
    lines = sorted(differences.outlines(np.rint(disc * 65535).astype(np.uint16)), key=len)
    assert len(lines) == 2
    for line, radius in zip(lines, (15.4, 40.25), strict=True):
        off = np.hypot(line[:, 0] - 80.3, line[:, 1] - 60.7) - radius
        assert np.abs(off).max() < 0.35 and abs(off.mean()) < 0.15
        assert cv2.contourArea(line.astype(np.float32)) == pytest.approx(np.pi * radius**2, rel=0.02)


def test_a_matte_at_the_border_has_its_outline_closed_along_it_and_an_empty_one_has_none():
    (line,) = differences.outlines(box(0, 0, 40, 60))
    assert line[:, 0].min() == pytest.approx(0, abs=0.4) and line[:, 0].max() == pytest.approx(40, abs=0.2)
    assert differences.outlines(np.zeros((60, 90), np.uint16)) == []
