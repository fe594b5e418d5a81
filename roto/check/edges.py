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
from roto.matte.analysis.softness import read_along

LONGEST = 1200
"""px of contour that are read: the longest pieces first"""
APART = 6.0
"""px along the contour between two places that are read"""
SHORTEST = 48
"""px of contour that tell something"""
BLUR, AHEAD = 13, 4
"""px beyond the ends of a contour by which it is made smooth; px along it to either side between which its direction is taken"""
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
    places, outward = places_along_contours(alpha)
    at = np.arange(len(places), dtype=np.float64)
    if not len(at):
        return Edges(plate=np.nan, matte=np.nan, fast_plate=np.nan, fast_matte=np.nan, way=np.nan)
    widths = np.array([read_along(pixels, (at, places - corner, outward)).width for pixels in (picture[part], alpha[part][..., None])])
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


def places_along_contours(alpha: NDArray[np.uint8]) -> tuple[Floats, Floats]:
    """Places (S, 2) along the contours where alpha is a half, the longest first, and the unit normals outwards (S, 2)."""
    found, _ = cv2.findContours((alpha > 127).astype(np.uint8), cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
    places, outward, left = [np.zeros((0, 2))], [np.zeros((0, 2))], LONGEST
    for contour in sorted(found, key=len, reverse=True):
        if left <= 0 or len(contour) < SHORTEST:
            break
        line = cv2.GaussianBlur(_around(contour[:, 0].astype(np.float32)), (1, 13), 2.5) + np.float32(0.5)
        smooth = line[BLUR:-BLUR].astype(np.float64)
        steps = np.hypot(*(line[BLUR + 1 : len(line) - BLUR + 1] - smooth).T)
        arc = np.cumsum(steps) - steps
        which = np.searchsorted(arc, np.arange(0.0, steps.sum(), APART)).clip(0, len(arc) - 1)
        way = line[BLUR + AHEAD + which] - line[BLUR - AHEAD + which].astype(np.float64)
        way /= np.maximum(np.hypot(*way.T), 1e-9)[:, None]
        x, y = smooth.T
        side = np.sign(x @ np.roll(y, -1) - np.roll(x, -1) @ y)
        places.append(smooth[which])
        outward.append(np.stack([way[:, 1], -way[:, 0]], axis=1) * side)
        left -= len(contour)
    return np.concatenate(places), np.concatenate(outward)


def _around(line: NDArray[np.float32]) -> NDArray[np.float32]:
    """A closed line with its ends repeated beyond both, as a picture of one column a number."""
    return np.ascontiguousarray(np.concatenate([line[-BLUR:], line, line[:BLUR]]))
