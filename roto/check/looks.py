"""Frames made ready for the check: small mattes, and pictures of half their size."""

from collections.abc import Hashable
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

Picture = NDArray[np.uint8]
Small = NDArray[np.float32]
Box = tuple[int, int, int, int]

WIDE = 480
"""px: the width of the mattes that are held against each other; larger ones are made smaller. Motion is taken from pictures of half that"""
MARGIN = 20
"""px of them around the matte"""
THIN = 9
"""px of them: narrower parts are thin"""
SIGHT = 40
"""px of them that a matte has at least for its motion to be told"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Grey:
    """A frame's picture made ready, by itself. pixels (h/2, w/2): of half the size of the small mattes. name: under which what is found
    between it and others may be remembered: equal names, equal pixels; None: under none."""

    pixels: Picture
    name: Hashable | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Look:
    """A frame made ready. alpha (h, w): its small matte, 0..1. grey (h/2, w/2): its picture. half: the matte in that size. thin (h/2, w/2):
    1 where the matte is thin, or a gap in it. box: of what is not 0; None when all is. centre: x, y. length: px of the outline.
    scale: px of the plate a px of the small matte. name: that of the picture (see `Grey`)."""

    alpha: Small
    grey: Picture
    half: Small
    thin: Picture
    box: Box | None
    centre: NDArray[np.float64]
    length: float
    scale: float
    name: Hashable | None = None

    def within(self, box: Box) -> "Look":
        """A part of it, its sides even."""
        half = (box[0] // 2, box[1] // 2, box[2] // 2, box[3] // 2)
        return replace(
            self, alpha=_in(self.alpha, box), grey=_in(self.grey, half), half=_in(self.half, half), thin=_in(self.thin, half),
            name=None if self.name is None else (self.name, half),
        )  # fmt: skip


def _size(shape: tuple[int, ...]) -> tuple[int, int]:
    """The width and height of the small matte of one so high and wide: even ones."""
    width = max(2, min(WIDE, shape[1]) // 2 * 2)
    return width, 2 * max(1, round(shape[0] * width / shape[1] / 2))


def grey_of(picture: Picture, shape: tuple[int, ...], name: Hashable | None = None) -> Grey:
    """A picture, uint8 (h, w, 3), made ready beside mattes of that shape (h, w). It may be of any size in their proportion."""
    half = (_size(shape)[0] // 2, _size(shape)[1] // 2)
    few = cv2.resize(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), half, interpolation=cv2.INTER_AREA)
    return Grey(pixels=np.asarray(few, dtype=np.uint8), name=name)


def ready(picture: Picture | Grey, alpha: NDArray[np.uint8], around: Box | None = None) -> Look:
    """A frame made ready for `moving`. picture: see `grey_of`, or what that gave. alpha: uint8 (h, w). around: the box of what of it is
    not 0, where that is known."""
    grey = picture if isinstance(picture, Grey) else grey_of(picture, alpha.shape)
    size, half = _size(alpha.shape), grey.pixels.shape[::-1]
    codes = alpha if alpha.shape[::-1] == size else smaller(alpha, size, around)
    few = smaller(codes, half)
    x, y, across, down = cv2.boundingRect(codes)
    small = codes * np.float32(1 / 255)
    return Look(
        alpha=small, grey=grey.pixels, name=grey.name, half=few * np.float32(1 / 255), thin=_thin(few),
        box=(x, y, x + across, y + down) if across else None, centre=_centre(codes), length=_length(codes) / 255,
        scale=alpha.shape[1] / size[0],
    )  # fmt: skip


def smaller(alpha: NDArray[np.uint8], size: tuple[int, int], around: Box | None = None) -> NDArray[np.uint8]:
    """Alpha made smaller by means over areas; only its own box is touched where the sizes divide evenly."""
    times, rest = divmod(alpha.shape[1], size[0])
    if rest or alpha.shape[0] != times * size[1]:
        return np.asarray(cv2.resize(alpha, size, interpolation=cv2.INTER_AREA), dtype=np.uint8)
    out = np.zeros(size[::-1], np.uint8)
    x, y, across, down = cv2.boundingRect(alpha) if around is None else (*around[:2], around[2] - around[0], around[3] - around[1])
    if across:
        x0, y0, x1, y1 = x // times, y // times, -(-(x + across) // times), -(-(y + down) // times)
        part = alpha[y0 * times : y1 * times, x0 * times : x1 * times]
        out[y0:y1, x0:x1] = cv2.resize(part, (x1 - x0, y1 - y0), interpolation=cv2.INTER_AREA)
    return out


def around_all(looks: list[Look]) -> Box | None:
    """The box of what is not 0 on any of them, with a margin."""
    boxes = [look.box for look in looks if look.box is not None]
    if not boxes:
        return None
    height, width = looks[0].alpha.shape
    x0, y0, x1, y1 = min(b[0] for b in boxes), min(b[1] for b in boxes), max(b[2] for b in boxes), max(b[3] for b in boxes)
    x0, y0, x1, y1 = max(0, x0 - MARGIN), max(0, y0 - MARGIN), min(width, x1 + MARGIN), min(height, y1 + MARGIN)
    short = (max(0, SIGHT - (x1 - x0)), max(0, SIGHT - (y1 - y0)))  # flow wants a picture of some size
    x0, y0 = max(0, x0 - short[0]) // 2 * 2, max(0, y0 - short[1]) // 2 * 2  # even: the pictures are of half the size
    return x0, y0, min(width, (x1 + short[0] + 1) // 2 * 2), min(height, (y1 + short[1] + 1) // 2 * 2)


def _in(values: NDArray[Any], box: Box) -> NDArray[Any]:
    return np.ascontiguousarray(values[box[1] : box[3], box[0] : box[2]])


def _length(alpha: Picture) -> float:
    """The length of the outline, px, times 255."""
    rise = cv2.norm(alpha[1:], alpha[:-1], cv2.NORM_L1) + cv2.norm(alpha[:, 1:], alpha[:, :-1], cv2.NORM_L1)
    return rise * np.pi / 4


def _centre(alpha: Picture) -> NDArray[np.float64]:
    found = cv2.moments(alpha)
    if found["m00"] < 255:
        return np.full(2, np.nan)
    return np.array([found["m10"], found["m01"]]) / found["m00"]


def disc(wide: int) -> NDArray[np.uint8]:
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (wide | 1, wide | 1)), dtype=np.uint8)


def _thin(half: Picture) -> Picture:
    """1 where a matte is thin, or a gap in it: such places meet and part within a frame by nature."""
    solid = (half > 127).astype(np.uint8)
    kernel = disc(THIN // 2)
    closed, opened = (cv2.morphologyEx(solid, how, kernel) for how in (cv2.MORPH_CLOSE, cv2.MORPH_OPEN))
    return np.asarray(cv2.absdiff(closed, opened), dtype=np.uint8)
