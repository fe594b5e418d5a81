"""The shutter: which moments of an exposure are looked at."""

from dataclasses import dataclass
from fractions import Fraction
from math import ceil, sqrt

import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.errors import RotoError
from roto.jit import kernel, leaf
from roto.tolerances import BLUR_CAP, CRISP_STEPS

FARTHEST = 1e6
"""px: longer ways are not counted out"""
SHORT = 8.0
"""px: a piece of outline that is no longer is not halved any more to find how far it travels"""
DEPTH = 64
"""halvings of a piece, at the most"""


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
def _halved(stack, at):
    """Split the cubics (T, 4, 2) at a place of the stack in their middles: into this place and the next one."""
    for m in range(stack.shape[1]):
        for c in range(2):
            a, b, d, e = stack[at, m, 0, c], stack[at, m, 1, c], stack[at, m, 2, c], stack[at, m, 3, c]
            ab, bd, de = 0.5 * (a + b), 0.5 * (b + d), 0.5 * (d + e)
            first, second = 0.5 * (ab + bd), 0.5 * (bd + de)
            middle = 0.5 * (first + second)
            stack[at, m, 1, c], stack[at, m, 2, c], stack[at, m, 3, c] = ab, first, middle
            stack[at + 1, m, 0, c], stack[at + 1, m, 1, c], stack[at + 1, m, 2, c], stack[at + 1, m, 3, c] = middle, second, de, e


@leaf
def _longest(points, low_x, low_y, high_x, high_y, stack):
    """The longest way of one outline (T, n, 6); see `travel`. stack: float64 (DEPTH, T, 4, 2), for the work.

    A place of a cubic moves by a mean of the ways of its four points, so the longest of those bounds the ways of all its places. Where
    that is much longer than the ways of the ends, or some of the piece lies outside and moves otherwise, it is halved.
    """
    moments, n, _ = points.shape
    longest = 0.0
    for i in range(n):
        j = (i + 1) % n
        for m in range(moments):
            p, q = points[m, i], points[m, j]
            for c in range(2):
                stack[0, m, 0, c], stack[0, m, 1, c] = p[c], p[c] + p[4 + c]
                stack[0, m, 2, c], stack[0, m, 3, c] = q[c] + q[2 + c], q[c]
        top = 1
        while top:
            top -= 1
            left, upper, right, lower = np.inf, np.inf, -np.inf, -np.inf
            long, ends, apart = 0.0, 0.0, 0.0
            for k in range(4):
                way = 0.0
                for m in range(moments):
                    x, y = stack[top, m, k, 0], stack[top, m, k, 1]
                    left, right, upper, lower = min(left, x), max(right, x), min(upper, y), max(lower, y)
                    if m:
                        dx, dy = x - stack[top, m - 1, k, 0], y - stack[top, m - 1, k, 1]
                        way += np.sqrt(dx * dx + dy * dy)
                        dx -= stack[top, m, 0, 0] - stack[top, m - 1, 0, 0]
                        dy -= stack[top, m, 0, 1] - stack[top, m - 1, 0, 1]
                        apart = max(apart, np.sqrt(dx * dx + dy * dy))
                long = max(long, way)
                if k == 0 or k == 3:
                    ends = max(ends, way)
            if right < low_x or lower < low_y or left > high_x or upper > high_y or long <= longest:
                continue
            within = low_x <= left and right <= high_x and low_y <= upper and lower <= high_y
            even = long <= 1.05 * ends + 0.02 if within else apart <= 0.02 * long
            if even or max(right - left, lower - upper) - long < SHORT or top + 2 > DEPTH:
                longest = long
                continue
            _halved(stack, top)
            top += 2
    return longest


@kernel
def _travel(points, width, height, pads):
    ways = np.empty(len(points))
    stack = np.empty((DEPTH, points.shape[1], 4, 2))
    for f in range(len(points)):
        margin = pads[f] + 1.0
        ways[f] = _longest(points[f], -margin, -margin, width + margin, height + margin, stack)
    return ways


def travel(points: Floats, picture: tuple[int, int], pads: Floats) -> Floats:
    """How far outlines travel in each of several exposures: px (F,).

    points: (F, T, n, 6), T rising moments each. That is a bound of the longest way that any piece of outline within the picture plus its
    pad (F,) travels, the same parameters at every moment; at most a twentieth above it but for pieces of a few px.
    """
    return np.asarray(_travel(np.ascontiguousarray(points), float(picture[0]), float(picture[1]), pads))


def samples_for(way: float, step: float) -> int:
    """In how many steps of so many px at most a way is taken.

    >>> samples_for(0.0, 0.5), samples_for(4.9, 0.5), samples_for(1.9, 2.0)
    (1, 10, 1)
    """
    return 1 if way < 1e-6 else ceil(min(way, FARTHEST) / step)


def crisp_samples(way: float) -> int:
    """In how many steps an edge without a reach takes a way of so many px; see CRISP_STEPS.

    >>> crisp_samples(0.0), crisp_samples(1.0), crisp_samples(30.0)
    (1, 6, 33)
    """
    return 1 if way < 1e-6 else ceil(CRISP_STEPS * sqrt(min(way, FARTHEST)))
