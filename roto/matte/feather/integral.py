"""Feather integrals: a profile across a reach of so many px, averaged over a pixel and over a piece of motion, in closed form.

With x the way (px) into the reach, a profile is p(x) behind x = 0 less what it would go on to beyond its inner end; both are cubics
without a constant, so that the mean over a pixel is a sum of E[max(0, x + xi)^j], xi being the pixel's own spread across the edge. The
antiderivative of those in x gives the mean over any stretch of x as a difference of two values. Near the two ends (within SOFT_MARGIN)
the antiderivative comes from a table with its slope, read by Hermite cubics; beyond them it is a polynomial, since the spread has the
same variance (1/12) for every direction of the edge.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from roto.arrays import Floats
from roto.jit import inlined, leaf
from roto.matte.feather.profile import BEGINS, CURVE, KEPT, of_cubic, parts
from roto.tolerances import SOFT_MARGIN

ANGLES, CELLS = 32, 32
"""of the tables: directions of the edge, and stretches of its way from -SOFT_MARGIN to SOFT_MARGIN"""
DIAGONAL = 0.70710678119
LEAST_WAY = 0.004
"""px: a piece of motion is taken to be at least so long; what that adds is below 0.0001"""


def _spread(power: int, x: Floats, small: float) -> Floats:
    """E[max(0, x + xi)^power]; xi is the pixel's spread across an edge whose direction's smaller part is `small`."""
    large = np.sqrt(1.0 - small * small)
    if small < 1e-6:
        return (np.maximum(0, x + 0.5) ** (power + 1) - np.maximum(0, x - 0.5) ** (power + 1)) / (power + 1)
    half, gap = 0.5 * (large + small), 0.5 * (large - small)
    order = power + 2
    four = np.maximum(0, x + half) ** order - np.maximum(0, x + gap) ** order - np.maximum(0, x - gap) ** order
    return (four + np.maximum(0, x - half) ** order) / (large * small * (power + 1) * order)


@lru_cache
def _moments() -> Floats:
    """(3, angles, places, 2): antiderivatives of E[max(0, x + xi)^j] for j = 1, 2, 3, and these themselves."""
    x = np.linspace(-SOFT_MARGIN, SOFT_MARGIN, CELLS + 1)
    small = np.linspace(0.0, DIAGONAL, ANGLES + 1)
    return np.array([[np.stack([_spread(j + 1, x, s) / (j + 1), _spread(j, x, s)], axis=1) for s in small] for j in (1, 2, 3)])


NARROW, PARTS = 0.5, 6
"""px: a reach below which the tables are too coarse; places looked at instead"""


@dataclass(frozen=True, slots=True, kw_only=True)
class FeatherIntegral:
    """cubics: (2, 3), of the outer end and of what the inner end takes off, for powers of px. tables: (2, angles, places, 2).

    beyond: (2, angles), what the polynomials lack past the tables. whole: px across. begins: px of the reach before it.
    """

    cubics: Floats
    tables: Floats
    beyond: Floats
    whole: float
    begins: float


@lru_cache(KEPT)
def integral(profile: str, part: int, reach: float) -> FeatherIntegral:
    """The integral of a part of a profile (by name), without its share, where the reach is so many px, more than 0."""
    it = parts(profile)[part]
    begins = float(it[BEGINS] * reach)
    whole = reach - 2 * begins
    _, one, two, three = it[CURVE:]
    powers = whole ** -np.arange(1.0, 4.0)
    cubics = np.array([[one, two, three], [one + 2 * two + 3 * three, two + 3 * three, three]]) * powers
    tables = np.einsum("ej,jacv->eacv", cubics, _moments())
    x = SOFT_MARGIN
    last = cubics @ np.array([x**2 / 2, (x**3 + x / 4) / 3, (x**4 + x**2 / 2) / 4])
    return FeatherIntegral(cubics=cubics, tables=tables, beyond=tables[:, :, -1, 0] - last[:, None], whole=whole, begins=begins)


@inlined
def _sum_to(x, angle, cubic, table, beyond):
    """The antiderivative of one end of the reach at x px from that end."""
    if x <= -SOFT_MARGIN:
        return 0.0
    if x >= SOFT_MARGIN:
        square = x * x
        return beyond[angle] + square * (cubic[0] / 2 + 0.125 * cubic[2] + x * (cubic[1] / 3 + x * cubic[2] / 4)) + x * cubic[1] / 12
    step = 2.0 * SOFT_MARGIN / CELLS
    place = (x + SOFT_MARGIN) / step
    c = min(CELLS - 1, int(place))
    t = place - c
    u = 1.0 - t
    low, high = table[angle, c], table[angle, c + 1]
    return u * u * (1.0 + 2.0 * t) * low[0] + t * t * (3.0 - 2.0 * t) * high[0] + step * t * u * (u * low[1] - t * high[1])


@leaf
def _in_parts(x0, x1, small, curve, whole):
    """As `mean_alpha`, for a reach too narrow for the tables: the mean of a few places on the way, each with the pixel's own average."""
    along, across = small / whole, np.sqrt(1.0 - small * small) / whole
    total = 0.0
    for k in range(PARTS):
        total += of_cubic(curve, (x0 + (x1 - x0) * (k + 0.5) / PARTS) / whole, across, along)
    return total / PARTS


@inlined
def mean_alpha(x0: float, x1: float, small: float, curve: Floats, cubics: Floats, tables: Floats, beyond: Floats, whole: float) -> float:
    """Mean alpha of a pixel whose centre goes evenly from x0 to x1 px into the reach; small: the smaller part of the edge's direction.

    It is that of one part of a profile; curve: its cubic (4,); the rest: see `FeatherIntegral`.
    """
    if whole < NARROW:
        value = _in_parts(x0, x1, small, curve, whole)
        return 0.0 if value < 1e-9 else (1.0 if value > 1.0 - 1e-9 else value)
    angle = int(small * (ANGLES / DIAGONAL) + 0.5)
    middle = 0.5 * (x0 + x1)
    half = max(0.5 * abs(x1 - x0), 0.5 * LEAST_WAY)
    high, low = middle + half, middle - half
    value = _sum_to(high, angle, cubics[0], tables[0], beyond[0]) - _sum_to(low, angle, cubics[0], tables[0], beyond[0])
    if high > whole - SOFT_MARGIN:
        high, low = high - whole, low - whole
        value -= _sum_to(high, angle, cubics[1], tables[1], beyond[1]) - _sum_to(low, angle, cubics[1], tables[1], beyond[1])
    value = value / (2.0 * half)
    return 0.0 if value < 1e-9 else (1.0 if value > 1.0 - 1e-9 else value)
