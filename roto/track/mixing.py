"""Whether the edges of a plate were mixed in light, as a lens mixes them, or as they are displayed, as drawn pictures often are.

Where an edge lies goes by that: half of the way from dark to bright light is not half of the way as it is displayed, and on a soft edge
that is half a pixel and more. In the space in which it was mixed the mean profile of an edge is even about its middle. What was mixed in
light leans to the dark side as it is displayed; texture leans to both sides alike.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.track.edge_fit import Fit

REACH, STEP = 6.0, 0.5
"""px to either side that the profile of an edge is read, and between two readings"""
ENDS = 3
"""readings at either end that tell what lies there"""
ABOUT = 2.5
"""px to either side of its middle in which a profile is looked at for a lean"""
STRAY = 1.0
"""of the way from dark to bright: a place whose profile goes so far beyond it has something else beside it"""
LEAST = 12
"""places that tell something together"""
LEANS = -0.004
"""of the way from dark to bright: what a profile as it is displayed leans by, at least, when it was mixed in light; half of what edges of
plates that are not the demo's lean by"""
AWAY = np.arange(-REACH, REACH + STEP / 2, STEP)


@dataclass(frozen=True, slots=True, kw_only=True)
class Profile:
    """The way from dark to bright across an edge: the sum over its places (D,), each counting by its contrast; the sum of these weights;
    and how many places there are."""

    summed: Floats
    weight: float
    places: int


def profile(picture: NDArray[np.float32], fit: Fit) -> Profile:
    """The edge that was found on a picture (h, w, 3) as it is displayed, 0..1."""
    known = np.isfinite(fit.offset)
    outward = fit.outward[known]
    middle = fit.places[known] + outward * fit.offset[known][:, None]
    at = (middle[:, None] + AWAY[None, :, None] * outward[:, None] - 0.5).astype(np.float32)
    if not len(at):
        return Profile(summed=np.zeros(len(AWAY)), weight=0.0, places=0)
    read = cv2.remap(picture, at[..., 0], at[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE).reshape(*at.shape[:2], 3)
    begin, end = read[:, :ENDS].mean(axis=1), read[:, -ENDS:].mean(axis=1)
    way = end - begin
    contrast = np.sum(way * way, axis=1)
    part = np.sum((read - begin[:, None]) * way[:, None], axis=2) / np.maximum(contrast, 1e-9)[:, None]
    darkens = way.sum(axis=1) < 0
    part[darkens] = 1.0 - part[darkens][:, ::-1]
    good = (np.abs(part - 0.5) < STRAY).all(axis=1)
    return Profile(summed=contrast[good] @ part[good], weight=float(contrast[good].sum()), places=int(good.sum()))


def in_light(profiles: Sequence[Profile]) -> bool:
    """Whether edges with these profiles were mixed in light. Where too little is known of them they were, as what is filmed."""
    weight, places = sum(one.weight for one in profiles), sum(one.places for one in profiles)
    if places < LEAST or weight <= 0:
        return True
    mean = np.sum([one.summed for one in profiles], axis=0) / weight
    half = np.interp(0.5, np.maximum.accumulate(mean), AWAY)
    beside = np.arange(0.0, ABOUT + STEP / 4, STEP / 2)
    both = np.interp(half + beside, AWAY, mean) + np.interp(half - beside, AWAY, mean)
    return bool(np.mean(both - 1.0) < LEANS)
