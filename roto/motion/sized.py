"""Shapes on a picture of another size."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.motion.keys import Keys
from roto.motion.shape import REACH, SHIFT, Shape

FrameKeys = tuple[tuple[int, float], ...]
"""keys (frame, px) in order of frames"""


@dataclass(frozen=True, slots=True)
class Sized:
    """Carries shapes onto a picture that is so many times as large, with so many px more to the left of it and above."""

    factor: float
    margin: float = 0.0

    def carry(self, points: Floats, times: Floats, number: int | NDArray[np.int64]) -> Floats:
        """Points (T, n, 6), sized about the picture's origin, and moved on by the margin."""
        out = points * self.factor
        out[..., :2] += self.margin
        return out

    def uncarry(self, points: Floats, times: Floats, number: int | NDArray[np.int64]) -> Floats:
        """The points that `carry` brings there."""
        out = np.array(points, dtype=np.float64)
        out[..., :2] -= self.margin
        return out / self.factor


def sized(shape: Shape, factor: float, margin: float = 0.0) -> Shape:
    """The shape on a picture that is so many times as large, with its reach, edge shift and lens softness. margin: px of the new picture
    that are added to the left of it and above."""
    scale = np.ones((3, 1))
    scale[[REACH, SHIFT]] = factor

    def times(keys: Keys, by: Floats | float) -> Keys:
        return replace(keys, values=keys.values * by, speeds=keys.speeds * by)

    reach = None if shape.reach is None else times(shape.reach, factor)
    return replace(shape, rides=(*shape.rides, Sized(factor, margin)), settings=times(shape.settings, scale), reach=reach)


def sized_keys(keys: FrameKeys, factor: float) -> FrameKeys:
    """Keys of a number of px on a picture that is so many times as large."""
    return tuple((frame, px * factor) for frame, px in keys)
