"""The shutter: which moments of an exposure are looked at."""

from dataclasses import dataclass
from fractions import Fraction
from math import ceil

import numpy as np

from roto.compiled import kernel
from roto.curve.flatten import flatten
from roto.errors import RotoError
from roto.motion.keys import Floats
from roto.tolerances import BLUR_CAP, BLUR_STEP


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
        """`count` even moments, each the middle of its share of the exposure."""
        opens, closes = self.exposure(frame)
        if count == 1:
            return np.array([float(frame)]) if self.angle == 0 else np.array([0.5 * (opens + closes)])
        return opens + (np.arange(count) + 0.5) * (closes - opens) / count


def angle_of(exposure: Fraction, rate: Fraction) -> float:
    """Shutter angle (degrees) of an exposure in seconds at a rate in frames a second.

    >>> angle_of(Fraction(1, 50), Fraction(25))
    180.0
    """
    return float(360 * exposure * rate)


@kernel
def _longest(points, low_x, low_y, high_x, high_y, steps):
    moments, n, _ = points.shape
    longest = 0.0
    any_seen = False
    box = np.array([np.inf, np.inf, -np.inf, -np.inf])
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


def longest_way(points: Floats, picture: tuple[int, int], reach: float, steps: int = 8) -> float:
    """The longest way (px) that any piece of outline within the picture plus reach travels over the moments given.

    points: (T, n, 6) at rising moments. Way is measured at places along the curves, the same parameters at every moment.
    """
    margin = reach + 1.0
    return float(_longest(np.ascontiguousarray(points), -margin, -margin, picture[0] + margin, picture[1] + margin, steps))


def samples_for(way: float, cap: int) -> int:
    """How many samples a way of so many px takes: steps of at most BLUR_STEP, at most the cap.

    >>> samples_for(0.0, 64), samples_for(4.9, 64), samples_for(500.0, 64)
    (1, 10, 64)
    """
    return 1 if way < 1e-6 else min(cap, max(2, ceil(way / BLUR_STEP)))


def polygons(points: Floats, tolerance: float) -> list[Floats]:
    """The polygons of an outline at several moments: (V, 2) each."""
    vertices, starts = flatten(points, tolerance)
    return [vertices[starts[i] : starts[i + 1]] for i in range(len(points))]
