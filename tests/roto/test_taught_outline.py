"""An outline made of mattes: where it lies, what it leaves out, how few points and keys it needs."""

import cv2
import numpy as np
import pytest

from roto.curve.flatten import polygon
from roto.errors import BadGeometry
from roto.matte.teaching import outline
from roto.tolerances import FLATTEN_REACH

SIZE = (200, 160)
FRAMES = range(1, 14)
KEYED = (1, 7, 13)


def egg(frame, sides=300):
    """A closed line: longer than wide, one end sharper, that turns and goes on as if it sped up."""
    t = np.linspace(0, 2 * np.pi, sides, endpoint=False)
    body = np.stack([40 * np.cos(t), (22 + 6 * np.cos(t)) * np.sin(t)], axis=1)
    turn = 0.11 * (frame - 1)
    return body @ np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]]) + [70 + 0.3 * (frame - 1) ** 2, 80]


def covered(line, fine=8):
    """The alpha of what a line encloses."""
    out = np.zeros((SIZE[1] * fine, SIZE[0] * fine), np.uint8)
    cv2.fillPoly(out, [np.rint((line * fine - 0.5) * 256).astype(np.int32)], (255,), cv2.LINE_8, 8)
    return cv2.resize(out.astype(np.float32) / 255, SIZE, interpolation=cv2.INTER_AREA)


def hairy(frame):
    """The egg with strands 2 px across that stand out of it."""
    alpha = covered(egg(frame))
    for x in range(40, 100, 9):
        cv2.line(alpha, (x, 80), (x, 20), 1.0, 2)
    return alpha


def nowhere(frame, frames, places):
    return []


def by_truth(frame, frames, places):
    """As a picture would carry them that shows every place of the thing."""
    for other in frames:
        moved, _, _, _ = np.linalg.lstsq(np.column_stack([egg(frame), np.ones(300)]), egg(other), rcond=None)
        yield other, np.column_stack([places, np.ones(len(places))]) @ moved


def test_the_line_lies_where_alpha_is_a_half():
    for frame in (1, 6, 11):
        found = outline.contour(covered(egg(frame)))
        assert outline.off(found, egg(frame)) < 0.12 and outline.off(egg(frame), found) < 0.15


def test_strands_are_left_out():
    found = outline.contour(hairy(1))
    apart = np.array([np.hypot(*(egg(1, 3000) - one).T).min() for one in found])
    assert np.median(apart) < 0.5 and apart.max() < 6  # they stand out by 30 px


def test_of_several_parts_it_is_the_one_that_is_meant():
    alpha, small = covered(egg(1)), np.array([[150.0, 10], [170, 10], [170, 30], [150, 30]])
    both = np.maximum(alpha, covered(small))
    assert outline.off(outline.contour(both), egg(1)) < 0.12
    within = np.zeros(SIZE[::-1], bool)
    within[5:35, 145:175] = True
    assert outline.off(outline.contour(both, within), small) < 0.5
    with pytest.raises(BadGeometry, match="frame 8"):
        outline.contour(np.where(np.arange(SIZE[0]) % 40 == 20, 1.0, 0.0) * np.ones(SIZE[::-1]), frame=8)


def test_what_the_border_cuts_goes_on_beyond_it():
    found = outline.contour(covered(egg(1) - [70, 0]))
    assert found[:, 0].min() < -6 and found[:, 0].max() < 45


@pytest.mark.parametrize("carried", [by_truth, nowhere])
def test_few_points_follow_it_on_the_keys_and_stay_on_their_places(carried):
    contours = {f: outline.contour(covered(egg(f)), frame=f) for f in FRAMES}
    made = outline.outlined(contours, KEYED, carried, 0.5)
    assert 4 <= len(made.kinds) <= 12
    for frame in KEYED:
        assert outline.off(contours[frame], polygon(made.outline(frame), FLATTEN_REACH)) < 0.3
    first = np.argmin(np.hypot(*(made.outline(1)[:, None, :2] - egg(1)).transpose(2, 0, 1)), axis=1)
    for frame in (4, 7, 13):
        slipped = np.hypot(*(made.outline(frame)[:, :2] - egg(frame)[first]).T)
        assert slipped.max() < (2.0 if carried is by_truth else 6.0)


def test_more_keys_where_straight_in_betweens_are_off():
    contours = {f: outline.contour(covered(egg(f)), frame=f) for f in FRAMES}
    made = outline.outlined(contours, (1, 13), by_truth, 0.5)
    two = made.off(made.shape("a", "a", (1, 13)))
    assert max(two.values()) > outline.OFF_ENOUGH
    keys = made.keys_wanted((1, 13), 6)
    more = made.off(made.shape("a", "a", keys))
    assert keys[0] == 1 and keys[-1] == 13 and 2 < len(keys) <= 6
    assert max(more.values()) < 0.6 * max(two.values())
    assert made.keys_wanted((1, 13), 2) == [1, 13]


def rough(frame, high):
    """A round thing, its edge in waves that are others on each frame, as where hair is solid."""
    t = np.linspace(0, 2 * np.pi, 600, endpoint=False)
    waves = sum(np.sin(k * t + 2.4 * k * frame) for k in (19, 23, 29)) * high / 3
    return np.array([100.0, 80.0]) + (60 + waves)[:, None] * np.stack([np.cos(t), np.sin(t)], axis=1)


@pytest.mark.parametrize("high", [1.0, 8.0])
def test_roughness_is_no_form_to_be_followed_unless_it_is_much(high):
    contours = {f: outline.contour(covered(rough(f, high))) for f in (1, 7)}
    made = outline.outlined(contours, (1, 7), nowhere, 0.4)
    off = made.off(made.shape("thing", "thing", (1, 7)))
    if high < 4:
        assert len(made.kinds) < 12 and max(off.values()) < 0.5
    else:
        assert len(made.kinds) > outline.FEW
