"""Flattening: cubic outlines to polygons.

The count of edges per cubic follows Wang's bound (as in Sederberg, Computer Aided Geometric Design, ch. 10): with second differences
no longer than M, n = ceil(sqrt(6 M / (8 tolerance))) even steps keep every side within the tolerance.
"""

import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.jit import kernel, leaf

MOST_SIDES = 4096
"""edges per cubic: enough for a curve of a million px at the finest tolerance, and an end to runaway input."""


@leaf
def _sides(p, q, tolerance):
    ax = p[0]
    ay = p[1]
    bx = ax + p[4]
    by = ay + p[5]
    dx = q[0]
    dy = q[1]
    cx = dx + q[2]
    cy = dy + q[3]
    first = (ax - 2 * bx + cx) ** 2 + (ay - 2 * by + cy) ** 2
    second = (bx - 2 * cx + dx) ** 2 + (by - 2 * cy + dy) ** 2
    bend = np.sqrt(max(first, second))
    return min(MOST_SIDES, max(1, int(np.ceil(np.sqrt(0.75 * bend / tolerance)))))


@kernel
def _flatten(points, tolerance):
    moments, n, _ = points.shape
    starts = np.zeros(moments + 1, np.int64)
    for s in range(moments):
        total = 0
        for i in range(n):
            total += _sides(points[s, i], points[s, (i + 1) % n], tolerance)
        starts[s + 1] = starts[s] + total
    out = np.empty((starts[moments], 2))
    at = 0
    for s in range(moments):
        for i in range(n):
            p = points[s, i]
            q = points[s, (i + 1) % n]
            edges = _sides(p, q, tolerance)
            bx = p[0] + p[4]
            by = p[1] + p[5]
            cx = q[0] + q[2]
            cy = q[1] + q[3]
            for k in range(edges):
                t = k / edges
                u = 1.0 - t
                w0 = u * u * u
                w1 = 3 * u * u * t
                w2 = 3 * u * t * t
                w3 = t * t * t
                out[at, 0] = w0 * p[0] + w1 * bx + w2 * cx + w3 * q[0]
                out[at, 1] = w0 * p[1] + w1 * by + w2 * cy + w3 * q[1]
                at += 1
    return out, starts


@kernel
def _counts(points, tolerance):
    moments, n, _ = points.shape
    out = np.empty((moments, n), np.int64)
    for s in range(moments):
        for i in range(n):
            out[s, i] = _sides(points[s, i], points[s, (i + 1) % n], tolerance)
    return out


def edge_counts(points: Floats, tolerance: float) -> NDArray[np.int64]:
    """How many edges `flatten` makes of each segment: (T, n)."""
    return np.asarray(_counts(np.ascontiguousarray(points), tolerance))


def flatten(points: Floats, tolerance: float) -> tuple[Floats, NDArray[np.int64]]:
    """Polygons of closed outlines at several moments.

    points: (T, n, 6). tolerance: px. Returns vertices (V, 2) of all polygons one after the other, and where each starts (T + 1,).
    """
    return _flatten(np.ascontiguousarray(points), tolerance)


def polygon(points: Floats, tolerance: float) -> Floats:
    """The polygon (V, 2) of one outline (n, 6)."""
    return flatten(points[None], tolerance)[0]
