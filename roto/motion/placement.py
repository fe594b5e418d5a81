"""Placement: move, turn and size of a whole shape about its pivot.

A placement channel has three parts of two numbers: the move (x, y) in px; the turn (degrees, clockwise on screen since y runs down,
and it may exceed 360) and the skew (degrees by which upright lines lean); the natural logarithm of the size, and that of how much
taller it is made beside it. Logarithm, so that growing is even. A shape is sized first, then skewed, then turned, then moved.
"""

import math

import numpy as np

from roto.arrays import Floats
from roto.jit import kernel
from roto.motion.keys import Keys

MOVE, TURN, SIZE = 0, 1, 2
AT_REST = np.zeros((3, 2))


def values(move: tuple[float, float] = (0.0, 0.0), turn: float = 0.0, size: float = 1.0, skew: float = 0.0, taller: float = 1.0) -> Floats:
    """One key's values (3, 2)."""
    return np.array([[move[0], move[1]], [turn, skew], [math.log(size), math.log(taller)]])


def keeps_proportions(keys: Keys) -> bool:
    """Whether a placement moves, turns and sizes only: nothing is made taller or skewed."""
    return not keys.values[:, [TURN, SIZE], 1].any()


def at_rest(frame: int) -> Keys:
    """A placement that does nothing."""
    return Keys.build([frame], AT_REST[None])


@kernel
def matrices_of(placed, pivot_x, pivot_y):
    """`matrices`, compiled."""
    out = np.empty((len(placed), 2, 3))
    for i in range(len(placed)):
        angle, size = math.radians(placed[i, TURN, 0]), math.exp(placed[i, SIZE, 0])
        c, s = math.cos(angle) * size, math.sin(angle) * size
        b, d = -s, c
        if placed[i, TURN, 1] != 0.0 or placed[i, SIZE, 1] != 0.0:
            lean, tall = math.tan(math.radians(placed[i, TURN, 1])), math.exp(placed[i, SIZE, 1])
            b, d = (c * lean - s) * tall, (s * lean + c) * tall
        out[i, 0, 0], out[i, 0, 1], out[i, 1, 0], out[i, 1, 1] = c, b, s, d
        out[i, 0, 2] = pivot_x + placed[i, MOVE, 0] - c * pivot_x - b * pivot_y
        out[i, 1, 2] = pivot_y + placed[i, MOVE, 1] - s * pivot_x - d * pivot_y
    return out


def matrices(placed: Floats, pivot: tuple[float, float]) -> Floats:
    """Affine maps (T, 2, 3) from placement values (T, 3, 2); each number depends on its own row alone, to the last bit."""
    return matrices_of(placed, float(pivot[0]), float(pivot[1]))


@kernel
def apply_all(maps, points, out):
    """`apply` into `out`, compiled; it may be the points themselves."""
    for s in range(points.shape[0]):
        m = maps[s]
        for i in range(points.shape[1]):
            for c in range(0, 6, 2):
                x, y = points[s, i, c], points[s, i, c + 1]
                out[s, i, c] = m[0, 0] * x + m[0, 1] * y
                out[s, i, c + 1] = m[1, 0] * x + m[1, 1] * y
            out[s, i, 0] += m[0, 2]
            out[s, i, 1] += m[1, 2]


def apply(maps: Floats, points: Floats) -> Floats:
    """Points (T, n, 6) moved by maps (T, 2, 3); tangents are turned and sized, not moved."""
    out = np.empty_like(points)
    apply_all(maps, points, out)
    return out


def inverse(maps: Floats) -> Floats:
    """The maps (T, 2, 3) that undo these."""
    a, b, c, d = maps[:, 0, 0], maps[:, 0, 1], maps[:, 1, 0], maps[:, 1, 1]
    det = a * d - b * c
    out = np.empty_like(maps)
    out[:, 0, 0], out[:, 0, 1], out[:, 1, 0], out[:, 1, 1] = d / det, -b / det, -c / det, a / det
    out[:, 0, 2] = -(out[:, 0, 0] * maps[:, 0, 2] + out[:, 0, 1] * maps[:, 1, 2])
    out[:, 1, 2] = -(out[:, 1, 0] * maps[:, 0, 2] + out[:, 1, 1] * maps[:, 1, 2])
    return out
