"""A sheet that bends: a uniform cubic B-spline over a grid of control points (de Boor, "A practical guide to splines", 1978).

At rest each control point stands where its grid has it, and the sheet is the picture itself. Moved control points take every place with
them, smoothly; any affine movement of them all is that movement of the sheet. Outside of its grid it goes on straight.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from roto.arrays import Floats
from roto.errors import BadTrack
from roto.jit import kernel, leaf

STEADY = 1e-3
"""stiffness, of the whole, that keeps control points in place which nothing else holds"""
CLOSE = 1e-11
"""px: as close an inverse comes"""
TRIES = 60
"""Newton's steps of an inverse at the most"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Lattice:
    """x, y: px on the home frame where the grid's inner part begins. step: px between control points. across, down: how many there are,
    at least four; one row or column lies outside at the beginning, and one at the end."""

    x: float
    y: float
    step: float
    across: int
    down: int

    def __post_init__(self) -> None:
        if not (4 <= self.across <= 400 and 4 <= self.down <= 400 and self.step > 0 and np.isfinite([self.x, self.y, self.step]).all()):
            raise BadTrack("A sheet has four to four hundred control points each way, and steps of more than 0 px between them.")

    @classmethod
    def around(cls, low: Floats, high: Floats, step: float) -> "Lattice":
        """The grid over a box, px, with its steps even within the box."""
        counts = np.maximum(1, np.ceil((high - low) / step)).astype(int)
        start = (low + high) / 2 - counts * step / 2
        return cls(x=float(start[0]), y=float(start[1]), step=float(step), across=int(counts[0]) + 3, down=int(counts[1]) + 3)

    @property
    def parts(self) -> int:
        """How many control points there are."""
        return self.across * self.down

    def rest(self) -> Floats:
        """Where they stand at rest (parts, 2), row by row, px."""
        x = self.x + (np.arange(self.across) - 1) * self.step
        y = self.y + (np.arange(self.down) - 1) * self.step
        return np.stack(np.meshgrid(x, y), axis=2).reshape(-1, 2)


@leaf
def spline(u, count, weights, slopes):
    """The first control point that a place `u` (in steps) hangs on; the four weights, and their slopes, are written."""
    inside = min(max(u, 0.0), count - 3.0)
    first = min(int(inside), count - 4)
    t = inside - first
    s = 1.0 - t
    weights[0], weights[1] = s * s * s / 6.0, (3.0 * t * t * t - 6.0 * t * t + 4.0) / 6.0
    weights[2], weights[3] = (3.0 * s * s * s - 6.0 * s * s + 4.0) / 6.0, t * t * t / 6.0
    slopes[0], slopes[1] = -0.5 * s * s, 1.5 * t * t - 2.0 * t
    slopes[2], slopes[3] = -(1.5 * s * s - 2.0 * s), 0.5 * t * t
    beyond = u - inside
    if beyond != 0.0:  # straight on
        for k in range(4):
            weights[k] += beyond * slopes[k]
    return first


@kernel
def _bent(points, control, x, y, step, across, down, out, turned):
    wx, wy, sx, sy = np.empty(4), np.empty(4), np.empty(4), np.empty(4)
    for t in range(points.shape[0]):
        for n in range(points.shape[1]):
            i = spline((points[t, n, 0] - x) / step, across, wx, sx)
            j = spline((points[t, n, 1] - y) / step, down, wy, sy)
            px = py = ax = ay = bx = by = 0.0
            for b in range(4):
                row = (j + b) * across + i
                for a in range(4):
                    cx, cy = control[t, row + a, 0], control[t, row + a, 1]
                    w, u, v = wx[a] * wy[b], sx[a] * wy[b], wx[a] * sy[b]
                    px += w * cx
                    py += w * cy
                    ax += u * cx
                    ay += u * cy
                    bx += v * cx
                    by += v * cy
            out[t, n, 0], out[t, n, 1] = px, py
            turned[t, n, 0, 0], turned[t, n, 0, 1] = ax / step, bx / step
            turned[t, n, 1, 0], turned[t, n, 1, 1] = ay / step, by / step


def bent(lattice: Lattice, control: Floats, points: Floats) -> tuple[Floats, Floats]:
    """Where the sheet takes places (T, n, 2) of its home, px, with control points (T, parts, 2); and its slopes there (T, n, 2, 2)."""
    points = np.ascontiguousarray(points, np.float64)
    out, turned = np.empty_like(points), np.empty((*points.shape, 2))
    it = lattice
    _bent(points, np.ascontiguousarray(control, np.float64), it.x, it.y, it.step, it.across, it.down, out, turned)
    return out, turned


def unbent(lattice: Lattice, control: Floats, points: Floats) -> Floats:
    """The places (T, n, 2) of its home that the sheet takes to these, by Newton's method. BadTrack where it is folded over."""
    rest = lattice.rest()
    start = np.concatenate([rest, np.ones((len(rest), 1))], axis=1)
    at = np.empty_like(points)
    for k, moved in enumerate(control):  # its affine part leads near
        back = np.linalg.lstsq(np.concatenate([moved, np.ones((len(moved), 1))], axis=1), start, rcond=None)[0]
        at[k] = points[k] @ back[:2, :2] + back[2, :2]
    for _ in range(TRIES):
        there, slopes = bent(lattice, control, at)
        off = points - there
        if not off.size or np.abs(off).max() < CLOSE * max(1.0, float(np.abs(points).max()) * 1e-3):
            return at
        across = slopes[..., 0, 0] * slopes[..., 1, 1] - slopes[..., 0, 1] * slopes[..., 1, 0]
        if not (across > 1e-3).all():
            break
        way = np.stack(
            [
                slopes[..., 1, 1] * off[..., 0] - slopes[..., 0, 1] * off[..., 1],
                slopes[..., 0, 0] * off[..., 1] - slopes[..., 1, 0] * off[..., 0],
            ],
            axis=-1,
        )
        at = at + way / across[..., None]
    raise BadTrack("What carries the outline is folded over itself there. Set a key nearby, and let the picture draw again.")


def carried(lattice: Lattice, control: Floats, points: Floats) -> Floats:
    """Points (T, n, 6) with their tangents where the sheet takes them; a tangent goes as a small piece of outline does."""
    there, slopes = bent(lattice, control, points[:, :, :2])
    out = np.empty_like(points)
    out[:, :, :2] = there
    for c in (2, 4):
        out[:, :, c : c + 2] = np.einsum("tnij,tnj->tni", slopes, points[:, :, c : c + 2])
    return out


def uncarried(lattice: Lattice, control: Floats, points: Floats) -> Floats:
    """The points that `carried` brings there."""
    at = unbent(lattice, control, np.ascontiguousarray(points[:, :, :2]))
    _, slopes = bent(lattice, control, at)
    back = np.linalg.inv(slopes)
    out = np.empty_like(points)
    out[:, :, :2] = at
    for c in (2, 4):
        out[:, :, c : c + 2] = np.einsum("tnij,tnj->tni", back, points[:, :, c : c + 2])
    return out


@lru_cache(64)
def _grams(count: int) -> tuple[Floats, Floats, Floats]:
    """Integrals over the grid of products of the splines, of their slopes, and of their bends (count, count), a step being 1."""
    places, shares = np.polynomial.legendre.leggauss(4)
    out = np.zeros((3, count, count))
    for at, share in zip((places + 1) / 2, shares / 2, strict=True):
        s = 1 - at
        rows = np.array(
            [
                [s**3 / 6, (3 * at**3 - 6 * at**2 + 4) / 6, (3 * s**3 - 6 * s**2 + 4) / 6, at**3 / 6],
                [-(s**2) / 2, 1.5 * at**2 - 2 * at, -(1.5 * s**2 - 2 * s), at**2 / 2],
                [s, 3 * at - 2, 3 * s - 2, at],
            ]
        )
        for first in range(count - 3):
            for kind in range(3):
                out[kind, first : first + 4, first : first + 4] += share * np.outer(rows[kind], rows[kind])
    return out[0], out[1], out[2]


@lru_cache(16)
def bending(lattice: Lattice) -> Floats:
    """The matrix (parts, parts) of the sheet's bending energy: the integral of its squared second slopes over the grid, px. What is affine
    bends nothing."""
    (a0, a1, a2), (d0, d1, d2) = _grams(lattice.across), _grams(lattice.down)
    return (np.kron(d0, a2) + 2 * np.kron(d1, a1) + np.kron(d2, a0)) / lattice.step**2


def weights_of(lattice: Lattice, places: Floats) -> tuple[np.ndarray, Floats]:
    """Of places (n, 2): the numbers of the 16 control points that each hangs on (n, 16), and their weights."""
    first, weights = np.empty((len(places), 16), np.int64), np.empty((len(places), 16))
    _weights(np.ascontiguousarray(places, np.float64), lattice.x, lattice.y, lattice.step, lattice.across, lattice.down, first, weights)
    return first, weights


@kernel
def _weights(places, x, y, step, across, down, first, weights):
    wx, wy, sx, sy = np.empty(4), np.empty(4), np.empty(4), np.empty(4)
    for n in range(len(places)):
        i = spline((places[n, 0] - x) / step, across, wx, sx)
        j = spline((places[n, 1] - y) / step, down, wy, sy)
        for b in range(4):
            for a in range(4):
                first[n, 4 * b + a] = (j + b) * across + i + a
                weights[n, 4 * b + a] = wx[a] * wy[b]


def through(lattice: Lattice, places: Floats, there: Floats, stiffness: float = STEADY) -> Floats:
    """Control points (parts, k) of the sheet that comes nearest to values `there` (n, k) at places (n, 2) of its home, by least squares."""
    first, weights = weights_of(lattice, places)
    rows = np.zeros((len(places), lattice.parts))
    np.put_along_axis(rows, first, weights, axis=1)
    return np.asarray(
        np.linalg.solve(rows.T @ rows + stiffness * lattice.step**2 * bending(lattice) + 1e-9 * np.eye(lattice.parts), rows.T @ there)
    )
