"""Dense flow between the small pictures of two frames (Kroeger et al. 2016, as OpenCV has it), and what is done along it.

Flows are of pictures of half the mattes' size, in their px, where nothing else is said.
"""

import math
from functools import lru_cache
from threading import Lock
from typing import Any

import cv2
import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from roto.check import fields
from roto.check.looks import SIGHT, Look, Picture, Small

INSIDE = 2
"""px of them by which the matte is drawn in: nearer to its edge, flow has the ground in it"""
COARSE, STEPS = (46, 16), 8
"""px, its longer and its shorter side, from which flow is taken on the halved picture only and made larger; and steps of its search"""
LEAST = 24
"""px: smaller pictures are continued beyond their borders to be so wide and high"""
CARRIED = 6.0
"""px of them: how far motion is carried outwards at least, as the sigma of a bell"""
LEAP = 4.0
"""px of them that the centre moves by, from which flow is also begun there"""
REMEMBERED = 48 << 20
"""bytes of flows between pictures with a name that are kept: an edit of a matte leaves them as they are"""

_flows: LRUCache[Any, Small] = LRUCache(REMEMBERED, getsizeof=lambda flow: flow.nbytes)
_lock = Lock()


def median(values: NDArray[Any]) -> float:
    """The median of some numbers, at least one: numpy's own spends most of its time on other things, where there are few."""
    middle = values.size // 2
    few = (middle,) if values.size % 2 else (middle - 1, middle)
    parted = np.partition(values, few, axis=None)
    return float(parted[middle]) if values.size % 2 else (float(parted[middle - 1]) + float(parted[middle])) / 2


def led(one: Picture, other: Picture, begun: Small | None) -> Small:
    """Dense flow (h, w, 2) from one picture to another one, px; begun from a flow where one is given."""
    height, width = one.shape
    beyond = (0, max(0, LEAST - height), 0, max(0, LEAST - width))
    if any(beyond):
        one, other = (np.asarray(cv2.copyMakeBorder(v, *beyond, cv2.BORDER_REPLICATE), dtype=np.uint8) for v in (one, other))
        begun = None if begun is None else np.asarray(cv2.copyMakeBorder(begun, *beyond, cv2.BORDER_REPLICATE), dtype=np.float32)
    coarse = max(one.shape) >= COARSE[0] and min(one.shape) >= COARSE[1]
    flow = _finder(int(coarse)).calc(one, other, begun)  # type: ignore[arg-type]
    return np.asarray(flow[:height, :width], dtype=np.float32)


def _between(here: Look, other: Look) -> Small:
    """Dense flow from the one picture to the other, begun from nothing; remembered where both have names. Not to be written to."""
    if here.name is None or other.name is None:
        return led(here.grey, other.grey, None)
    key = (here.name, other.name)
    with _lock:
        found = _flows.get(key)
    if found is None:
        found = led(here.grey, other.grey, None)
        if found.nbytes < REMEMBERED // 8:
            with _lock:
                _flows[key] = found
    return found


def _finder(finest: int) -> cv2.DISOpticalFlow:
    """A new one for each pair of pictures: one that has seen another size breaks down. finest: how often the finest of its levels is
    halved."""
    made = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_ULTRAFAST)
    made.setFinestScale(finest)
    made.setGradientDescentIterations(STEPS)
    return made


def larger(flow: Small, alpha: Small, part: float = 1.0) -> Small:
    """A flow of the pictures' size, or a part of its way, in the size and the px of the mattes."""
    return np.asarray(cv2.resize(flow * np.float32(2 * part), alpha.shape[::-1], interpolation=cv2.INTER_LINEAR), dtype=np.float32)


@lru_cache(64)
def _grid(height: int, width: int) -> Small:
    return np.ascontiguousarray(np.dstack(np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))))


def map_of(flow: Small) -> Small:
    """Where (h, w, 2) each px is found."""
    return np.asarray(flow + _grid(*flow.shape[:2]), dtype=np.float32)


def taken(values: NDArray[Any], where: Small, border: int = cv2.BORDER_REPLICATE, beyond: float = 0.0) -> NDArray[Any]:
    """Values (h, w) of other places (h, w, 2). beyond: the picture, with a border of one value."""
    taken = cv2.remap(values, where, None, cv2.INTER_LINEAR, borderMode=border, borderValue=[beyond] * 4)  # type: ignore[call-overload]
    return np.asarray(taken)


def weight_of(mask: Small) -> Small:
    """1 within a matte (h/2, w/2), a few px from its edge; all of it where it is too thin for that."""
    solid = (mask > 0.9).astype(np.uint8)
    inside = cv2.erode(solid, np.ones((INSIDE + 1,) * 2, np.uint8), borderType=cv2.BORDER_REPLICATE)
    return (inside if cv2.countNonZero(inside) > SIGHT // 4 else (mask > 0.5).astype(np.uint8)).astype(np.float32)


def found_again(here: Look, other: Look, weight: Small) -> tuple[Small, float, Small]:
    """Where (h/2, w/2, 2) each px of this frame's picture is on the other one; how well it is found there within the weight; and how far
    (h/2, w/2), of 255, the picture differs from what is found."""
    tries = [_between(here, other)]
    far = leap(here, other) / 2
    if math.hypot(*far) > LEAP / 2:
        begun = np.empty_like(tries[0])
        begun[:] = far
        tries.append(led(here.grey, other.grey, begun))
        start = np.empty_like(tries[0])
        start[:] = far
        tries.append(start)
    best: tuple[Small, float, Small] | None = None
    for flow in tries:
        where = map_of(flow)
        found = taken(other.grey, where)
        same = _same(here.grey, found, where, weight)
        if best is None or (-1.0 if math.isnan(same) else same) > (-1.0 if math.isnan(best[1]) else best[1]) + 0.01:
            best = flow, same, np.asarray(cv2.absdiff(here.grey, found), dtype=np.float32)
    assert best is not None, "there is one try at least"
    return best


def leap(here: Look, other: Look) -> NDArray[np.float64]:
    """How far the centre moves, px of the small mattes."""
    away = other.centre - here.centre
    return away if math.isfinite(away[0]) and math.isfinite(away[1]) else np.zeros(2)


def _same(grey: Picture, found: Picture, where: Small, weight: Small) -> float:
    """The correlation of the picture within the weight with what was found for it. where: that is, on the other frame. NaN where too little
    lies there, or where it is evener than two steps of 255."""
    height, width = grey.shape
    wanted, count, one, other, both = fields.alike(grey, found, where, weight, width - 1.0, height - 1.0)
    if count < max(SIGHT // 4, 0.3 * wanted):
        return float("nan")
    spread = math.sqrt(one * other)
    return both / spread if spread > 4.0 * count else float("nan")


def carried_outwards(flow: Small, weight: Small) -> Small:
    """Flows (h, w, 2 or 4) within the weight, carried outwards: means of what lies near, by bells that grow wider until there is
    something."""
    size = (flow.shape[1], flow.shape[0])
    share: Small = weight
    parts: Small = fields.within(flow, weight, np.empty(flow.shape, np.float32))
    first = (max(1, size[0] // 2), max(1, size[1] // 2))
    whole, known = np.zeros((*first[::-1], flow.shape[2]), np.float32), np.zeros(first[::-1], np.float32)
    for halved, sigmas in ((2, (CARRIED / 4,)), (8, (CARRIED / 4, CARRIED))):  # wide bells on few px
        few = (max(1, size[0] // halved), max(1, size[1] // halved))
        share, parts = (_sized(v, few, cv2.INTER_AREA) for v in (share, parts))
        for sigma in sigmas:
            near, sums = (np.asarray(cv2.GaussianBlur(v, (0, 0), sigma), dtype=np.float32) for v in (share, parts))
            mean: Small = fields.means(sums, near, np.empty(sums.shape, np.float32))
            if few != first:
                near, mean = (_sized(v, first, cv2.INTER_LINEAR) for v in (near, mean))
            fields.lay_on(near, mean, whole, known)
    out = np.asarray(cv2.resize(fields.means(whole, known, whole), size, interpolation=cv2.INTER_LINEAR), dtype=np.float32)
    fields.lay_where(flow, weight, out)
    return out


def _sized(values: Small, size: tuple[int, int], how: int) -> Small:
    return np.asarray(cv2.resize(values, size, interpolation=how), dtype=np.float32)
