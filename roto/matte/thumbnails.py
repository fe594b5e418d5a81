"""A matte made small: the same shapes on a picture of another size, for little pictures of it."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.matte.modes import FOUND
from roto.matte.shutter import Shutter
from roto.matte.stack import Matte, within
from roto.motion.keys import Keys
from roto.motion.shape import REACH, SHIFT, Shape


@dataclass(frozen=True, slots=True)
class Sized:
    """Carries shapes onto a picture that is so many times as large."""

    factor: float

    def carry(self, points: Floats, times: Floats, number: int | NDArray[np.int64]) -> Floats:
        """Points (T, n, 6), sized about the picture's origin."""
        return points * self.factor

    def uncarry(self, points: Floats, times: Floats, number: int | NDArray[np.int64]) -> Floats:
        """The points that `carry` brings there."""
        return points / self.factor


def sized(shape: Shape, factor: float) -> Shape:
    """The shape on a picture that is so many times as large, with its reach and edge shift."""
    scale = np.ones((3, 1))
    scale[[REACH, SHIFT]] = factor

    def times(keys: Keys, by: Floats | float) -> Keys:
        return replace(keys, values=keys.values * by, speeds=keys.speeds * by)

    reach = None if shape.reach is None else times(shape.reach, factor)
    return replace(shape, rides=(*shape.rides, Sized(factor)), settings=times(shape.settings, scale), reach=reach)


def so_far(matte: Matte, width: int) -> list[Matte]:
    """The matte up to each line of its stack, bottom first, so many px wide and without motion blur.

    Each can be rendered by itself; the inversion of the whole matte is left out, and so are fringes. Within a group it is what the group
    has come to so far.
    """
    factor = width / matte.size[0]
    size = (width, max(1, round(matte.size[1] * factor)))
    entries = tuple(replace(e, shape=sized(e.shape, factor)) for e in matte.entries)
    bare = replace(matte, size=size, shutter=Shutter(angle=0.0), inverted=False, shift=tuple((f, v * factor) for f, v in matte.shift))
    groups = within(entries)
    starts = [0 if group is None else groups.index(group) for group in groups]
    return [replace(bare, entries=tuple(e for e in entries[start : k + 1] if e.mode not in FOUND)) for k, start in enumerate(starts)]
