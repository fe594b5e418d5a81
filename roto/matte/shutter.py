"""The shutter: which moments of an exposure are looked at."""

from dataclasses import dataclass
from fractions import Fraction
from math import ceil

import numpy as np

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


def longest_way(points: Floats, picture: tuple[int, int], reach: float, steps: int = 8) -> float:
    """The longest way (px) that any piece of outline within the picture plus reach travels over the moments given.

    points: (T, n, 6) at rising moments. Way is measured at points along the curves, the same parameters at every moment.
    """
    width, height = picture
    t = np.arange(steps) / steps
    basis = np.stack([(1 - t) ** 3, 3 * (1 - t) ** 2 * t, 3 * (1 - t) * t**2, t**3])
    p, q = points, np.roll(points, -1, axis=1)
    corners = np.stack([p[..., 0:2], p[..., 0:2] + p[..., 4:6], q[..., 0:2] + q[..., 2:4], q[..., 0:2]])
    places = np.einsum("ck,ctnd->tnkd", basis, corners).reshape(len(points), -1, 2)
    margin = reach + 1.0
    inside = (places > -margin).all(axis=-1) & (places[..., 0] < width + margin) & (places[..., 1] < height + margin)
    seen = inside.any(axis=0)
    if not seen.any():  # the curves may still pass through between the places looked at
        low, high = places.min(axis=(0, 1)), places.max(axis=(0, 1))
        if (high < -margin).any() or low[0] > width + margin or low[1] > height + margin:
            return 0.0
        seen[:] = True
    return float(np.linalg.norm(np.diff(places[:, seen], axis=0), axis=-1).sum(axis=0).max())


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
