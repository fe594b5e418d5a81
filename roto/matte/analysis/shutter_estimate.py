"""The shutter angle read from the plate: how much wider the picture's edge is where the outline moves across it.

An edge that a lens softens to a bell of some sigma, moving across at v px a frame while the shutter is open for a share a of it, is smeared
evenly over a v px. Over all places of an outline on some frames, sorted by their speed, that pair of sigma and share is taken which
explains best what was found (least absolute gaps over groups of like speed); how far the answers of groups drawn anew go apart tells how
far to trust it.
"""

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.errors import RotoError
from roto.matte.analysis.softness import RAMP, across, read_softness, smeared

LEAST_SPEED = 3.0
"""px a frame: below it motion does not show beside the softness of the lens"""
LEAST_PLACES = 40
GROUPS = 12
DRAWS, SURE = 30, 2.6
"""how often the groups are drawn anew, with repeats, to see how far the answer goes apart (Efron's bootstrap), and how many of its spreads
hold in nine of ten tries"""
LEAST_GIVE, MOST_GIVE = 8.0, 60.0
"""degrees: what is said at the least, and from where on there is no answer"""


class NotMoving(RotoError):
    """The outline does not move enough for a shutter to be read."""

    code = "shutter.unread"


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadShutter:
    """angle: degrees, 0..360. give: degrees by which it may be off, from how the groups of places agree. places: how many told."""

    angle: float
    give: float
    places: int


def read_shutter(looks: Iterable[tuple[Floats, Floats, Floats, NDArray[np.float32] | None]]) -> ReadShutter:
    """The shutter angle from looks at frames: (picture (h, w, 3), outline (n, 6), how far each point moves from frame to frame (n, 2),
    alpha (h, w) of other shapes, if any)."""
    speeds, sigmas = [], []
    for picture, points, moved, others in looks:
        read = read_softness(np.asarray(picture, np.float32), points, others=others)
        known = np.isfinite(read.width)
        speeds.append(np.abs(across(read.at, read.outward, moved))[known])
        sigmas.append(read.width[known] / RAMP)
    speed, sigma = (np.concatenate(v) if v else np.zeros(0) for v in (speeds, sigmas))
    if len(speed) < LEAST_PLACES or np.percentile(speed, 90) < LEAST_SPEED:
        raise NotMoving("The outline does not move across its edge enough, or the picture shows too little of it. Try faster frames.")
    order = np.argsort(speed)
    parts = np.array_split(order, min(GROUPS, len(order) // 8))
    way = np.array([np.median(speed[p]) for p in parts])
    found = np.array([np.median(sigma[p]) for p in parts])
    draws = np.random.default_rng(0).integers(0, len(way), (DRAWS, len(way)))
    apart = 360 * np.array([_share(way[which], found[which]) for which in draws])
    angle = 360 * _share(way, found)
    give = max(LEAST_GIVE, SURE * float(np.sqrt(np.mean((apart - angle) ** 2))))
    if give > MOST_GIVE:
        raise NotMoving("The picture does not tell the shutter: its edges are as wide where they are quick as where they are slow, nearly.")
    return ReadShutter(angle=angle, give=give, places=len(speed))


def _share(way: Floats, found: Floats) -> float:
    """The share of the frame for which the shutter is open that explains the sigmas found at these speeds, with one softness for all."""
    share = np.linspace(0.0, 1.0, 181)[:, None, None]
    bell = np.linspace(0.15, max(0.3, float(found.max())), 80)[None, :, None]
    gaps = np.abs(smeared(bell, share * way) - found).sum(axis=2)
    return float(share.ravel()[np.unravel_index(gaps.argmin(), gaps.shape)[0]])
