"""Two mattes of a frame that ought to complete each other: where they lie over each other by a little, or leave a seam between them."""

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from roto.check.reading import Box

NEAR = 4
"""px within which two edges count as one line"""
SHARED = 0.2
"""of the shorter outline that must run along the other one, for the two to belong together"""
WITHIN = 0.3
"""of the smaller matte: what lies within the other one by more is a part of it, and meant to be"""
MOST = 0.1
"""of alpha: sums that are off by more are seen"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Meeting:
    """overlap, seam: px of area where alphas add up to more than one, or to less along the line where they meet. line: px that they run
    along each other. box: of what is off."""

    overlap: float
    seam: float
    line: float
    box: Box

    def to_json(self) -> list[Any]:
        """As JSON data."""
        return [round(self.overlap, 2), round(self.seam, 2), round(self.line, 1), list(self.box)]

    @classmethod
    def from_json(cls, data: list[Any]) -> "Meeting":
        """From what `to_json` gave."""
        return cls(overlap=data[0], seam=data[1], line=data[2], box=tuple(data[3]))


def meet(one: NDArray[np.uint8], other: NDArray[np.uint8]) -> Meeting | None:
    """How two mattes, uint8 (h, w), meet on a frame; None where they do not belong together."""
    boxes = [cv2.boundingRect(a) for a in (one, other)]
    if not all(b[2] for b in boxes):
        return None
    x0, y0 = (max(boxes[0][k], boxes[1][k]) - 2 * NEAR for k in (0, 1))
    x1, y1 = (min(boxes[0][k] + boxes[0][k + 2], boxes[1][k] + boxes[1][k + 2]) + 2 * NEAR for k in (0, 1))
    x0, y0, x1, y1 = max(0, x0), max(0, y0), min(one.shape[1], x1), min(one.shape[0], y1)
    if x1 - x0 < 2 or y1 - y0 < 2:
        return None
    a, b = one[y0:y1, x0:x1], other[y0:y1, x0:x1]
    areas = [float(cv2.sumElems(m)[0]) / 255 for m in (one, other)]
    both = float(cv2.sumElems(cv2.min(a, b))[0]) / 255
    if both > WITHIN * min(areas):
        return None
    edges = [cv2.morphologyEx((m > 127).astype(np.uint8), cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)) for m in (a, b)]
    reach = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * NEAR + 1,) * 2)
    near = [np.asarray(cv2.dilate(edge, reach), dtype=np.uint8) for edge in edges]
    along = near[0] & near[1]
    line = min(_outline(a, near[1]), _outline(b, near[0]))
    shortest = min(_outline(m) for m in (one, other))
    if line < SHARED * shortest:
        return None
    total = cv2.add(a.astype(np.int16), b.astype(np.int16))
    over = np.maximum(total - 255, 0) * (along > 0)
    closed = cv2.morphologyEx(np.minimum(total, 255).astype(np.uint8), cv2.MORPH_CLOSE, np.ones((2 * NEAR + 1,) * 2, np.uint8))
    under = np.maximum(closed.astype(np.int16) - total, 0) * (along > 0)
    off = np.where(np.maximum(over, under) > MOST * 255, np.uint8(1), np.uint8(0))
    left, up, across, down = cv2.boundingRect(off)
    return Meeting(
        overlap=float((over * off).sum()) / 255, seam=float((under * off).sum()) / 255, line=line,
        box=(x0 + left, y0 + up, x0 + left + across, y0 + up + down),
    )  # fmt: skip


def _outline(alpha: NDArray[np.uint8], where: NDArray[np.uint8] | None = None) -> float:
    """The length of a matte's outline, px, or of what of it lies where this is not 0."""
    values = alpha.astype(np.int16)
    rise = np.abs(np.diff(values, axis=1))[:-1] + np.abs(np.diff(values, axis=0))[:, :-1]
    return float(rise.sum() if where is None else rise[where[:-1, :-1] > 0].sum()) / 255 * np.pi / 4
