"""Profiles: how alpha falls across the reach, from 0 at its outer side to 1 at its inner side.

A profile is a cubic in t on 0..1, so that its mean over a pixel that an edge crosses at any angle has a closed form: two differences
of the second antiderivative.
"""

import re
from functools import lru_cache

import numpy as np

from roto.arrays import Floats
from roto.errors import RotoError
from roto.jit import leaf

CUBICS = {
    "straight": (0.0, 1.0, 0.0, 0.0),
    "smooth": (0.0, 0.0, 3.0, -2.0),
    "early": (0.0, 2.0, -1.0, 0.0),
    "late": (0.0, 0.0, 1.0, 0.0),
}
NAMES = tuple(CUBICS)
OWN = re.compile(r"own (100|\d{1,2}) (100|\d{1,2})")
"""an own curve: how high (percent) its two handles stand, at a third and at two thirds of the reach; wherever they are, it never falls"""
KEPT = 256
"""profiles and ramps kept: an own curve that is dragged makes many"""


class UnknownProfile(RotoError):
    """There is no profile of that name."""

    code = "profile.unknown"


@lru_cache(KEPT)
def cubic(name: str) -> Floats:
    """The coefficients (4,) of a profile, lowest first.

    >>> cubic("own 33 67").round(2).tolist() == [0.0, 0.99, 0.03, -0.02]
    True
    """
    if own := OWN.fullmatch(name):
        one, two = (int(v) / 100 for v in own.groups())
        return np.array([0.0, 3 * one, 3 * two - 6 * one, 1 + 3 * one - 3 * two])
    if name not in CUBICS:
        raise UnknownProfile(f"There is no profile '{name}'; choose one of {', '.join(NAMES)}, or an own one, for example own 20 90.")
    return np.array(CUBICS[name])


@leaf
def _once(c, t):
    """First antiderivative, 0 at 0; the profile is 0 before 0 and 1 after 1."""
    over = 0.0
    if t <= 0.0:
        return 0.0
    if t > 1.0:
        over = t - 1.0
        t = 1.0
    return t * (c[0] + t * (c[1] / 2 + t * (c[2] / 3 + t * c[3] / 4))) + over


@leaf
def _twice(c, t):
    """Second antiderivative, 0 at 0."""
    if t <= 0.0:
        return 0.0
    if t > 1.0:
        over = t - 1.0
        return c[0] / 2 + c[1] / 6 + c[2] / 12 + c[3] / 20 + over * (c[0] + c[1] / 2 + c[2] / 3 + c[3] / 4 + 0.5 * over)
    return t * t * (c[0] / 2 + t * (c[1] / 6 + t * (c[2] / 12 + t * c[3] / 20)))


@leaf
def average(c: Floats, t: float, a: float, b: float) -> float:
    """Mean of the profile over a pixel: t at its centre, a and b how far t runs over one pixel along x and along y (both >= 0)."""
    half = 0.5 * (a + b)
    if t - half >= 0.0 and t + half <= 1.0:  # no end of the reach in this pixel: exact for a cubic
        return c[0] + t * (c[1] + t * (c[2] + t * c[3])) + (c[2] + 3.0 * c[3] * t) * (a * a + b * b) / 12.0
    if t + half <= 0.0:
        return 0.0
    if t - half >= 1.0:
        return 1.0
    if a < b:
        a, b = b, a
    if b < 1e-3 * a:
        return (_once(c, t + 0.5 * a) - _once(c, t - 0.5 * a)) / a
    gap = 0.5 * (a - b)
    return (_twice(c, t + half) - _twice(c, t + gap) - _twice(c, t - gap) + _twice(c, t - half)) / (a * b)
