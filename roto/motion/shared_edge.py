"""Sharing an edge: a stretch of one outline becomes that of a neighbour's which runs beside it, points and keys, so that both agree."""

from dataclasses import replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.errors import BadGeometry
from roto.motion.keys import FLOWING, Keys
from roto.motion.point_reach import rearranged
from roto.motion.shape import DIVIDING, Shape
from roto.tolerances import SHARED_EDGE

BACKWARDS = [0, 1, 4, 5, 2, 3]
"""a point's numbers when the outline runs the other way"""


def _way(one: int, other: int, count: int, step: int) -> list[int]:
    """Points from one to another along a closed outline of so many, forwards (1) or backwards (-1)."""
    return [(one + step * k) % count for k in range((step * (other - one)) % count + 1)]


def _beside(mine: Floats, theirs: Floats) -> tuple[list[int], int]:
    """The stretch of another outline (m, 6) that runs beside a stretch (n, 6), in its order, and which way round it is (1 or -1)."""
    ends = [int(np.hypot(*(theirs[:, :2] - end[:2]).T).argmin()) for end in (mine[0], mine[-1])]
    if ends[0] == ends[1]:
        raise BadGeometry("Both ends of the stretch lie nearest to the same point of the other outline. Choose a longer stretch.")
    ways = [(_way(ends[0], ends[1], len(theirs), step), step) for step in (1, -1)]

    def away(way: tuple[list[int], int]) -> float:
        gaps = np.hypot(*(theirs[way[0]][:, None, :2] - mine[None, :, :2]).transpose(2, 0, 1))
        return float(gaps.min(axis=1).mean() + gaps.min(axis=0).mean())

    return min(ways, key=away)


def share_edge(shape: Shape, other: Shape, stretch: list[int], frame: int) -> Shape:
    """`shape` with a stretch of its points replaced by the points of `other` that run beside it on a frame, keyed wherever that needs it.

    stretch: indices of neighbouring points, in the outline's order (it may run past the last point to the first). On every frame between
    the other's first and last key both agree within SHARED_EDGE; the rest of the outline keeps its points and keys.
    """
    n = shape.form.parts
    if DIVIDING in (shape.kind, other.kind):
        raise BadGeometry("A dividing edge cannot be shared point by point.")
    if not 2 <= len(stretch) < n or any((a + 1) % n != b for a, b in pairwise(stretch)):
        raise BadGeometry("Choose two or more neighbouring points, but not the whole outline.")
    where = np.array([frame])
    theirs, step = _beside(shape.outlines(where)[0][stretch], other.outlines(where)[0])
    rest = [(stretch[-1] + 1 + k) % n for k in range(n - len(stretch))]
    taken = np.arange(len(theirs))  # the shared points come first, then what is left

    def wanted(frames: NDArray[np.int64]) -> Floats:
        points = other.outlines(frames)[:, theirs]
        points = points if step == 1 else points[:, :, BACKWARDS]
        return shape.within_form(points, frames, frames)

    kinds = np.concatenate([other.kinds[theirs], shape.kinds[rest]])
    keyed = np.unique(np.concatenate([other.form.frames, other.place.frames, shape.place.frames]))
    reach = rearranged(shape, [-1] * len(theirs) + rest)
    every = np.arange(keyed[0], keyed[-1] + 1)
    while True:
        made = replace(shape, kinds=kinds, form=_joined(shape.form, rest, keyed, wanted(keyed)), **reach)
        seen = made.outlines(every)[:, taken, :2]
        off = np.hypot(*(seen - other.outlines(every)[:, theirs, :2]).transpose(2, 0, 1)).max(axis=1)
        worst = int(off.argmax())
        if off[worst] <= SHARED_EDGE or every[worst] in keyed:
            return made
        keyed = np.union1d(keyed, every[worst : worst + 1])


def _joined(form: Keys, rest: list[int], keyed: NDArray[np.int64], shared: Floats) -> Keys:
    """A form whose first points hold `shared` (K, s, 6) on the frames `keyed`, and the others what they held."""
    frames = np.union1d(form.frames, keyed)
    count, many = shared.shape[1], shared.shape[1] + len(rest)
    values = np.zeros((len(frames), many, 6))
    held = np.zeros((len(frames), many), bool)
    speeds = np.full((len(frames), many, 6), np.nan)
    kinds = np.full(len(frames), FLOWING, np.int8)
    own, new = np.searchsorted(frames, form.frames), np.searchsorted(frames, keyed)
    values[new, :count], held[new, :count] = shared, True
    values[own, count:], held[own, count:], speeds[own, count:] = form.values[:, rest], form.held[:, rest], form.speeds[:, rest]
    kinds[own] = form.kinds
    some = held.any(axis=1)
    return Keys.build(frames[some], values[some], held=held[some], kinds=kinds[some], speeds=speeds[some])
