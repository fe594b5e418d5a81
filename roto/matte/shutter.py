"""The shutter: which moments of an exposure are looked at."""

from dataclasses import dataclass
from fractions import Fraction
from math import ceil

import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.errors import RotoError
from roto.jit import kernel, leaf
from roto.tolerances import BLUR_CAP

FARTHEST = 1e6
"""px: longer ways are not counted out"""


class BadShutter(RotoError):
    """A shutter angle must lie between 0 and 360 degrees."""

    code = "shutter.bad"


@dataclass(frozen=True, slots=True, kw_only=True)
class Shutter:
    """angle: degrees of one frame during which the shutter is open, 0 for none. phase: where it opens, None for centred."""

    angle: float = 0.0
    phase: float | None = None
    cap: int = BLUR_CAP

    def __post_init__(self) -> None:
        if not 0.0 <= self.angle <= 360.0:
            raise BadShutter()
        if self.cap < 1:
            raise BadShutter("At least one sample of the exposure is needed.")

    def exposure(self, frame: int) -> tuple[float, float]:
        """The moments at which the shutter opens and closes for a frame.

        >>> Shutter(angle=180).exposure(10)
        (9.75, 10.25)
        """
        phase = -self.angle / 2 if self.phase is None else self.phase
        return frame + phase / 360.0, frame + (phase + self.angle) / 360.0

    def moments(self, frame: int, count: int) -> Floats:
        """`count` even moments, each the middle of its share of the exposure: (count,)."""
        opens, closes = self.exposure(frame)
        if count == 1:
            return np.array([float(frame)]) if self.angle == 0 else np.array([0.5 * (opens + closes)])
        return opens + (np.arange(count) + 0.5) * (closes - opens) / count

    def meetings(self, frames: int | NDArray[np.int64], steps: int) -> Floats:
        """The moments where `steps` even steps of an exposure meet, its ends included: (..., steps + 1)."""
        phase = -self.angle / 2 if self.phase is None else self.phase
        part = (phase + self.angle * (np.arange(steps + 1) / steps)) / 360.0
        return np.asarray(frames, dtype=np.float64)[..., None] + part


def angle_of(exposure: Fraction, rate: Fraction) -> float:
    """Shutter angle (degrees) of an exposure in seconds at a rate in frames a second.

    >>> angle_of(Fraction(1, 50), Fraction(25))
    180.0
    """
    return float(360 * exposure * rate)


@leaf
def _longest(points, low_x, low_y, high_x, high_y, steps, box):
    """The longest way of one outline (T, n, 6); see `travel`. box: float64 (4,), for the work."""
    moments, n, _ = points.shape
    longest = 0.0
    any_seen = False
    box[0] = box[1] = np.inf
    box[2] = box[3] = -np.inf
    overall = 0.0
    for i in range(n):
        j = (i + 1) % n
        for k in range(steps):
            t = k / steps
            u = 1.0 - t
            w0, w1, w2, w3 = u * u * u, 3 * u * u * t, 3 * u * t * t, t * t * t
            way = 0.0
            before_x, before_y = 0.0, 0.0
            seen = False
            for m in range(moments):
                p, q = points[m, i], points[m, j]
                x = w0 * p[0] + w1 * (p[0] + p[4]) + w2 * (q[0] + q[2]) + w3 * q[0]
                y = w0 * p[1] + w1 * (p[1] + p[5]) + w2 * (q[1] + q[3]) + w3 * q[1]
                if m:
                    way += np.sqrt((x - before_x) ** 2 + (y - before_y) ** 2)
                before_x, before_y = x, y
                seen = seen or (low_x < x < high_x and low_y < y < high_y)
                box[0], box[1] = min(box[0], x), min(box[1], y)
                box[2], box[3] = max(box[2], x), max(box[3], y)
            overall = max(overall, way)
            if seen:
                any_seen = True
                longest = max(longest, way)
    if any_seen:
        return longest
    # the curves may still pass through between the places looked at
    return 0.0 if box[2] < low_x or box[3] < low_y or box[0] > high_x or box[1] > high_y else overall


@kernel
def _travel(points, width, height, pads, steps):
    ways = np.empty(len(points))
    box = np.empty(4)
    for f in range(len(points)):
        margin = pads[f] + 1.0
        ways[f] = _longest(points[f], -margin, -margin, width + margin, height + margin, steps, box)
    return ways


def travel(points: Floats, picture: tuple[int, int], pads: Floats, steps: int = 8) -> Floats:
    """How far outlines travel in each of several exposures: px (F,).

    points: (F, T, n, 6), T rising moments each. That is the longest way that any piece of outline within the picture plus its pad (F,)
    travels, measured at places along the curves, the same parameters at every moment.
    """
    return np.asarray(_travel(np.ascontiguousarray(points), float(picture[0]), float(picture[1]), pads, steps))


def samples_for(way: float, step: float) -> int:
    """In how many steps of so many px at most a way is taken.

    >>> samples_for(0.0, 0.5), samples_for(4.9, 0.5), samples_for(1.9, 2.0)
    (1, 10, 1)
    """
    return 1 if way < 1e-6 else ceil(min(way, FARTHEST) / step)
