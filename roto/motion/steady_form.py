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
    """The new shape, and how far (px) points still move in its form: before and after, the largest way from the first key. doubtful: pairs
    of keys between which it turns so far that either way round may be meant; the short one was taken."""

    shape: Shape
    before: float
    after: float
    doubtful: tuple[tuple[int, int], ...] = ()

    @property
    def doubt(self) -> str:
        """What to say of them; nothing where there are none."""
        if not self.doubtful:
            return ""
        where = " and ".join(f"{a} and {b}" for a, b in self.doubtful[:3])
        return f". Between {where} it may turn the other way round: set a key there if it does"


CLEAR = 120.0
"""degrees between two keys: a larger turn may go either way round, and the keys beside them tell which"""


def unwound(turns: Floats, frames: NDArray[np.int64]) -> tuple[Floats, tuple[tuple[int, int], ...]]:
    """Turns (K,) in degrees, known but for whole ones, as they go on from key to key; and the pairs of frames where that is doubtful.

    The short way round where that is clear; else the way that agrees best with how fast it turns in the clear stretches beside it.

    >>> unwound(np.array([0.0, 100.0, -70.0, 30.0]), np.array([0, 10, 29, 39]))
    (array([  0., 100., 290., 390.]), ())
    """
    steps = (np.diff(turns) + 180.0) % 360.0 - 180.0
    spans = np.diff(frames).astype(np.float64)
    clear = np.abs(steps) <= CLEAR
    doubtful = []
    for k in np.flatnonzero(~clear):
        beside = [steps[j] / spans[j] for j in (k - 1, k + 1) if 0 <= j < len(steps) and clear[j]]
        if not beside or min(np.abs(beside)) * spans[k] < CLEAR / 2:  # it hardly turns there: that says nothing
            doubtful.append((int(frames[k]), int(frames[k + 1])))
            continue
        steps[k] += 360.0 * round((float(np.mean(beside)) * spans[k] - steps[k]) / 360.0)
    return np.asarray(turns[0] + np.concatenate([[0.0], np.cumsum(steps)])), tuple(doubtful)


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
    maps, place, doubtful = taken_out(shape, frames, form)
    rest = placement.apply(placement.inverse(maps), form)
    way = [farthest(f) for f in (form, rest)]
    steadied = replace(shape, form=Keys.build(frames, rest, kinds=kinds_on(shape.form, frames)), place=place)
    return Steadied(shape=steadied, before=way[0], after=way[1], doubtful=doubtful)


def farthest(points: Floats) -> float:
    """The largest way (px) of any point of (T, n, 6) from where it is first."""
    return float(np.hypot(*(points[:, :, :2] - points[0, :, :2]).transpose(2, 0, 1)).max())


def kinds_on(keys: Keys, frames: NDArray[np.int64]) -> list[int]:
    """How the stretch runs that each of these frames lies in."""
    last = np.searchsorted(keys.frames, frames, side="right") - 1
    return [int(keys.kinds[max(0, int(k))]) for k in last]


def taken_out(shape: Shape, frames: NDArray[np.int64], points: Floats) -> tuple[Floats, Keys, tuple[tuple[int, int], ...]]:
    """What hides in points (K, n, 6) on these frames: maps (K, 2, 3), from the first of them; the shape's placement with that in it; and
    between which frames the way round is doubtful."""
    placed = interpolate.evaluate(shape.place, frames, frames)
    pivot = np.array(shape.pivot)
    maps = np.empty((len(frames), 2, 3))
    nearest = [nearest_similarity(points[0, :, :2], there[:, :2]) for there in points]
    turns, doubtful = unwound(np.array([turn for turn, _, _ in nearest]), frames)
    for k, (_, size, move) in enumerate(nearest):
        angle, factor = np.radians(turns[k]), np.exp(size)
        c, s = np.cos(angle) * factor, np.sin(angle) * factor
        maps[k] = [[c, -s, move[0]], [s, c, move[1]]]
        outer = placement.matrices(placed[k : k + 1], shape.pivot)[0]
        at_pivot = outer[:, :2] @ (maps[k, :, :2] @ pivot + maps[k, :, 2]) + outer[:, 2]
        placed[k, placement.TURN, 0] += turns[k]
        placed[k, placement.SIZE, 0] += size
        placed[k, placement.MOVE] = at_pivot - pivot
    return maps, Keys.build(frames, placed, kinds=kinds_on(shape.place, frames)), doubtful
