"""The edge of a matte beside the edge of its picture: softer, harder, or blurred otherwise than what moves.

Both are read alike, at the same places along the matte's own contour (`roto.matte.analysis.softness`), so that what the reading itself
adds to an edge drops out of the difference.
"""

from dataclasses import asdict, dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.check.motion import Look, carried
from roto.errors import BadPicture
from roto.matte.analysis.softness import places_along, read_softness

LONGEST = 1200
"""px of contour that are read: the longest pieces first"""
APART = 6.0
"""px along the contour between two places that are read"""
EVERY = 8
"""px between the points of the outline that is laid along the contour"""
SLOW, FAST = 1.5, 6.0
"""px a frame across the edge: up to the one an edge counts as still, from the other on its motion is seen in its blur"""
BESIDE = 40
"""px around the matte in which its edge is read"""
LEAST = 16
"""places that tell something together"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Edges:
    """Widths of a straight ramp, px, the medians of places where both are known. plate, matte: where the edge stands still or nearly;
    fast_plate, fast_matte: where it moves across itself, by `way` px a frame. NaN where too few places tell."""

    plate: float
    matte: float
    fast_plate: float
    fast_matte: float
    way: float

    def to_json(self) -> dict[str, Any]:
        """As JSON data."""
        return {name: None if np.isnan(value) else round(value, 2) for name, value in asdict(self).items()}

    @classmethod
    def from_json(cls, data: dict[str, Any]) -> "Edges":
        """From what `to_json` gave."""
        return cls(**{name: float("nan") if value is None else value for name, value in data.items()})


def compare(alpha: NDArray[np.uint8], picture: NDArray[np.uint8], here: Look, other: Look | None) -> Edges:
    """A matte, uint8 (h, w), beside its plate, uint8 (h, w, 3). here, other: this frame and one beside it made ready for motion; without
    another one, all counts as standing still. BadPicture where the sizes differ."""
    if picture.shape[:2] != alpha.shape:
        raise BadPicture("The plate and the matte are of different sizes.")
    flow = None if other is None else carried(here, other)
    part = _around_all(alpha)
    corner = np.array([part[1].start, part[0].start], dtype=np.float64)
    colours = picture[part].astype(np.float32) / np.float32(255)
    values = alpha[part].astype(np.float32)[..., None] / np.float32(255)
    outlines = contours_as_outlines(alpha)
    if not outlines:
        return Edges(plate=np.nan, matte=np.nan, fast_plate=np.nan, fast_matte=np.nan, way=np.nan)
    at, places, outward = (np.concatenate(some) for some in zip(*(places_along(one, APART) for one in outlines), strict=True))
    along = at, places - corner, outward
    widths = np.array([read_softness(picture, outlines[0], along=along).width for picture in (colours, values)])
    way = np.zeros(len(at)) if flow is None else np.abs(_across(flow, places / here.scale, outward) * here.scale)
    known = np.isfinite(widths).all(axis=0)
    slow, fast = known & (way <= SLOW), known & (way >= FAST)
    still = np.median(widths[:, slow], axis=1) if slow.sum() >= LEAST else np.full(2, np.nan)
    moved = np.median(widths[:, fast], axis=1) if fast.sum() >= LEAST else np.full(2, np.nan)
    speed = float(np.median(way[fast])) if fast.sum() >= LEAST else float("nan")
    return Edges(plate=float(still[0]), matte=float(still[1]), fast_plate=float(moved[0]), fast_matte=float(moved[1]), way=speed)


def _around_all(alpha: NDArray[np.uint8]) -> tuple[slice, slice]:
    """The part of the picture (rows, columns) that a matte's edge is read in."""
    x, y, across, down = cv2.boundingRect(alpha)
    return slice(max(0, y - BESIDE), y + down + BESIDE), slice(max(0, x - BESIDE), x + across + BESIDE)


def _across(flow: NDArray[np.float32], places: Floats, outward: Floats) -> Floats:
    """How far (S,) the picture moves across the outline there, px of the small picture."""
    x, y = np.clip(places.astype(int), 0, np.array(flow.shape[1::-1]) - 1).T
    return np.asarray((flow[y, x] * outward).sum(axis=1), dtype=np.float64)


def contours_as_outlines(alpha: NDArray[np.uint8]) -> list[Floats]:
    """Outlines (n, 6) along the contours where alpha is a half, the longest first."""
    found, _ = cv2.findContours((alpha > 127).astype(np.uint8), cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
    out, left = [], LONGEST
    for contour in sorted(found, key=len, reverse=True):
        if left <= 0 or len(contour) < 6 * EVERY:
            break
        smooth = cv2.GaussianBlur(_around(contour[:, 0].astype(np.float32)), (1, 13), 2.5)[13:-13] + np.float32(0.5)
        points = smooth[::EVERY].astype(np.float64)
        way = (np.roll(points, -1, axis=0) - np.roll(points, 1, axis=0)) / 6
        out.append(np.concatenate([points, -way, way], axis=1))
        left -= len(contour)
    return out


def _around(line: NDArray[np.float32]) -> NDArray[np.float32]:
    """A closed line with its ends repeated beyond both, as a picture of one column a number."""
    return np.ascontiguousarray(np.concatenate([line[-13:], line, line[:13]]))
