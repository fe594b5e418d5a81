"""Two mattes of a frame held against each other: how much, where, in colours, and both outlines."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.errors import BadPicture

Matte = NDArray[np.uint16]

SAME = 260
"""of 65535: a difference up to this is what rounding to 8 bits leaves"""
FINER, MOST = 4, 12_000_000
"""times by which a matte is made larger to have its outline between pixels, and px that it may have then"""
MORE, LESS = (31, 111, 156), (184, 116, 26)
"""where the other one covers more, and where less"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Difference:
    """How another matte differs from one. more, less: px of area that it covers more, and less. worst: the largest difference of alpha,
    0..1. box: what holds all that differs, px; None where nothing does."""

    more: float
    less: float
    worst: float
    box: tuple[int, int, int, int] | None

    @property
    def amount(self) -> float:
        """px of area that differ, either way."""
        return self.more + self.less


def difference(one: Matte, other: Matte, loses: float = 0.0) -> Difference:
    """How `other` differs from `one`, uint16 (h, w), 65535 being covered. loses: differences of alpha up to this, 0..1, are what a kind of
    file loses, and none. BadPicture where the sizes differ."""
    if one.shape != other.shape:
        raise BadPicture(f"They differ in size: {one.shape[1]} x {one.shape[0]} and {other.shape[1]} x {other.shape[0]} pixels.")
    apart = cv2.absdiff(one, other)
    apart[apart <= max(SAME, round(loses * 65535))] = 0
    across, down = cv2.reduce(apart, 0, cv2.REDUCE_MAX).ravel(), cv2.reduce(apart, 1, cv2.REDUCE_MAX).ravel()
    x, y = np.flatnonzero(across), np.flatnonzero(down)
    if not len(x):
        return Difference(more=0.0, less=0.0, worst=0.0, box=None)
    box = (int(x[0]), int(y[0]), int(x[-1]) + 1, int(y[-1]) + 1)
    part = (slice(box[1], box[3]), slice(box[0], box[2]))
    up = np.where(other[part] > one[part], apart[part], 0).sum(dtype=np.int64)
    whole = apart[part].sum(dtype=np.int64)
    return Difference(more=int(up) / 65535, less=int(whole - up) / 65535, worst=int(across.max()) / 65535, box=box)


def coloured(one: Matte, other: Matte) -> NDArray[np.uint8]:
    """A picture (h, w, 3) of both: what both cover in grey, what only the other one does in MORE, what only the first does in LESS."""
    both = np.minimum(one, other).astype(np.float32)[..., None] / 65535
    more, less = (np.maximum(a.astype(np.float32) - b, 0)[..., None] / 65535 for a, b in ((other, one), (one, other)))
    made = both * np.float32(150) + more * np.array(MORE, np.float32) * 1.25 + less * np.array(LESS, np.float32) * 1.25
    return np.clip(np.rint(made), 0, 255).astype(np.uint8)


def outlines(matte: Matte) -> list[Floats]:
    """The lines (n, 2) along which a matte is a half, closed, px of the plate, to about an eighth of a pixel."""
    solid = (matte >> 8).astype(np.uint8)
    x, y, across, down = cv2.boundingRect((solid > 127).astype(np.uint8))
    if not across:
        return []
    x0, y0, x1, y1 = max(0, x - 1), max(0, y - 1), min(matte.shape[1], x + across + 1), min(matte.shape[0], y + down + 1)
    part = np.pad(solid[y0:y1, x0:x1], 1)  # black beyond the picture, so that lines close along its border
    times = max(1, min(FINER, int((MOST / part.size) ** 0.5)))
    finer = part if times == 1 else cv2.resize(part, None, fx=times, fy=times, interpolation=cv2.INTER_LINEAR)
    found, _ = cv2.findContours((finer > 127).astype(np.uint8), cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
    lines = (cv2.approxPolyDP(line, 0.12 * times, True)[:, 0] for line in found if len(line) > 2)
    return [(line + 0.5) / times - 1 + np.array([x0, y0]) for line in lines if len(line) > 2]
