"""Steadying the form: the move, turn and size that hide in form keys go out into placement keys; no keyed outline moves.

At each keyed frame the similarity that brings the first form nearest to the one there is found in closed form (least squares over the
points; Umeyama, "Least-squares estimation of transformation parameters between two point patterns", IEEE PAMI 13, 1991, in two dimensions).
It joins the placement there, and the form keeps what is left of it.
"""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.errors import BadGeometry
from roto.motion import interpolate, placement
from roto.motion.keys import Keys
from roto.motion.shape import Shape


@dataclass(frozen=True, slots=True, kw_only=True)
class Steadied:
    """The new shape, and how far (px) points still move in its form: before and after, the largest way from the first key."""

    shape: Shape
    before: float
    after: float


def nearest_similarity(source: Floats, target: Floats) -> tuple[float, float, Floats]:
    """Turn (degrees), natural logarithm of the size, and move (2,) that bring points (n, 2) nearest to others.

    >>> turn, size, move = nearest_similarity(np.array([[0., 0], [2, 0], [0, 1]]), np.array([[5., 1], [5, 5], [3, 1]]))
    >>> round(turn, 9), round(float(np.exp(size)), 9), move.round(9).tolist()
    (90.0, 2.0, [5.0, 1.0])
    """
    a, b = source.mean(axis=0), target.mean(axis=0)
    p = (source - a) @ [1, 1j]
    q = (target - b) @ [1, 1j]
    spread = float((np.abs(p) ** 2).sum())
    ratio = (np.conj(p) @ q) / spread if spread > 0 else 0.0
    if abs(ratio) < 1e-9:
        ratio = 1.0 + 0.0j
    turned = ratio * complex(*a)
    return float(np.degrees(np.angle(ratio))), float(np.log(np.abs(ratio))), b - np.array([turned.real, turned.imag])


def steady(shape: Shape) -> Steadied:
    """The shape with its form steadied. Every frame that had a key of form or placement has a whole one of both."""
    frames = np.union1d(shape.form.frames, shape.place.frames)
    if len(shape.form.frames) < 2:
        raise BadGeometry(f"The form of '{shape.name}' is keyed once: there is nothing to steady.")
    if not placement.keeps_proportions(shape.place):
        raise BadGeometry(f"'{shape.name}' is made taller or skewed by its placement: its form cannot be steadied beside that.")
    form = interpolate.evaluate(shape.form, frames, frames)
    maps, place = taken_out(shape, frames, form)
    rest = placement.apply(placement.inverse(maps), form)
    way = [farthest(f) for f in (form, rest)]
    steadied = replace(shape, form=Keys.build(frames, rest, kinds=kinds_on(shape.form, frames)), place=place)
    return Steadied(shape=steadied, before=way[0], after=way[1])


def farthest(points: Floats) -> float:
    """The largest way (px) of any point of (T, n, 6) from where it is first."""
    return float(np.hypot(*(points[:, :, :2] - points[0, :, :2]).transpose(2, 0, 1)).max())


def kinds_on(keys: Keys, frames: NDArray[np.int64]) -> list[int]:
    """How the stretch runs that each of these frames lies in."""
    last = np.searchsorted(keys.frames, frames, side="right") - 1
    return [int(keys.kinds[max(0, int(k))]) for k in last]


def taken_out(shape: Shape, frames: NDArray[np.int64], points: Floats) -> tuple[Floats, Keys]:
    """What hides in points (K, n, 6) on these frames: maps (K, 2, 3), from the first of them; and the shape's placement with that in it."""
    placed = interpolate.evaluate(shape.place, frames, frames)
    pivot = np.array(shape.pivot)
    maps = np.empty((len(frames), 2, 3))
    turns = np.empty(len(frames))
    for k in range(len(frames)):
        turn, size, move = nearest_similarity(points[0, :, :2], points[k, :, :2])
        turns[k] = turn if k == 0 else turn - 360.0 * round((turn - turns[k - 1]) / 360.0)  # the short way round from the key before
        angle, factor = np.radians(turns[k]), np.exp(size)
        c, s = np.cos(angle) * factor, np.sin(angle) * factor
        maps[k] = [[c, -s, move[0]], [s, c, move[1]]]
        outer = placement.matrices(placed[k : k + 1], shape.pivot)[0]
        at_pivot = outer[:, :2] @ (maps[k, :, :2] @ pivot + maps[k, :, 2]) + outer[:, 2]
        placed[k, placement.TURN, 0] += turns[k]
        placed[k, placement.SIZE, 0] += size
        placed[k, placement.MOVE] = at_pivot - pivot
    return maps, Keys.build(frames, placed, kinds=kinds_on(shape.place, frames))
