"""Profiles: how alpha falls across the reach, from 0 at its outer side to 1 at its inner side.

A profile is a cubic in t on 0..1, so that its mean over a pixel that an edge crosses at any angle has a closed form: two differences
of the second antiderivative. Or it is a sum of several such parts, each with a share of alpha and across a part of the reach.
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
BELL = ((265 / 1024, 0.0), (538 / 1024, 0.174), (221 / 1024, 0.3105))
"""shares (they add up to 1 to the last bit), and where each begins and ends, from either end of the reach, of the cubics "smooth" that
make an edge blurred by a bell whose sigma is BELL_SIGMA of the reach, to 0.0016; found by minimising the largest difference"""
BELL_SIGMA = 0.1604
NAMES = (*CUBICS, "bell")
OWN = re.compile(r"own (100|\d{1,2}) (100|\d{1,2})")
"""an own curve: how high (percent) its two handles stand, at a third and at two thirds of the reach; wherever they are, it never falls"""
SHARE, BEGINS, CURVE = 0, 1, 2
"""columns of the parts of a profile: its share of alpha; where it begins, and how far from the other end of the reach it ends; the first of
its four coefficients, lowest first, in t of that part of the reach"""
KEPT = 256
"""profiles and ramps kept: an own curve that is dragged makes many"""


class UnknownProfile(RotoError):
    """There is no profile of that name."""

    code = "profile.unknown"


@lru_cache(KEPT)
def parts(name: str) -> Floats:
    """The parts (P, 6) that add up to a profile; see SHARE, BEGINS, CURVE. UnknownProfile where there is none of that name.

    >>> parts("own 33 67").round(2).tolist() == [[1.0, 0.0, 0.0, 0.99, 0.03, -0.02]]
    True
    """
    if own := OWN.fullmatch(name):
        one, two = (int(v) / 100 for v in own.groups())
        return np.array([[1.0, 0.0, 0.0, 3 * one, 3 * two - 6 * one, 1 + 3 * one - 3 * two]])
    if name == "bell":
        return np.array([[share, begins, *CUBICS["smooth"]] for share, begins in BELL])
    if name not in CUBICS:
        raise UnknownProfile(f"There is no profile '{name}'; choose one of {', '.join(NAMES)}, or an own one, for example own 20 90.")
    return np.array([[1.0, 0.0, *CUBICS[name]]])


@lru_cache(KEPT)
def steepest(name: str) -> float:
    """How much alpha changes at most with the way across the reach, both counted from 0 to 1; of several parts, no less than that.

    >>> [steepest(name) for name in ("straight", "smooth", "early")], round(steepest("bell"), 1)
    ([1.0, 1.5, 2.0], 2.5)
    """
    total = 0.0
    for share, begins, _, b, c, d in parts(name).tolist():
        turns = [-c / (3 * d)] if d else []
        total += share / (1 - 2 * begins) * max(b + t * (2 * c + 3 * d * t) for t in (0.0, 1.0, *turns) if 0.0 <= t <= 1.0)
    return total


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
def average(some: Floats, t: float, a: float, b: float) -> float:
    """Mean of the profile over a pixel: t at its centre, a and b how far t runs over one pixel along x and along y (both >= 0).

    some: its parts, some of which may be without a share."""
    total = 0.0
    for p in range(len(some)):
        if some[p, SHARE] != 0.0:
            wide = 1.0 - 2.0 * some[p, BEGINS]
            total += some[p, SHARE] * of_cubic(some[p, CURVE:], (t - some[p, BEGINS]) / wide, a / wide, b / wide)
    return total


@leaf
def of_cubic(c: Floats, t: float, a: float, b: float) -> float:
    """The same of one part by itself: a cubic (4,), t from 0 to 1 across it."""
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
