"""Reach along the outline: from the points that have one of their own to every vertex of the flattened outline.

Between two such points it runs by arc length, as a cubic that never leaves what lies between their values (Fritsch and Carlson, "Monotone
piecewise cubic interpolation", SIAM J. Numer. Anal. 17, 1980), so it is smooth at the points too. It never changes faster than
STEEPEST_REACH, and does not go across a limb to where another reach meets it: the larger one gives way.
"""

import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.curve.flatten import edge_counts
from roto.jit import kernel, leaf
from roto.tolerances import STEEPEST_REACH


@leaf
def _slope(before, after, h0, h1):
    """The speed at a place between two stretches of so many px with these mean speeds."""
    if before * after <= 0.0:
        return 0.0
    w0, w1 = 2.0 * h1 + h0, h1 + 2.0 * h0
    return (w0 + w1) / (w0 / before + w1 / after)


LOOKS = 96
"""places of an outline that are held against each other to see whether a reach is wider than the limb it lies on"""


@leaf
def _held_back(vertices, begin, end, out):
    """A reach that goes across a limb (or a gap) to where another one meets it gives way just so far that both agree there.

    At the far edge q of a limb of width d, the reach of p has let in (o_p + d) / (o_p + i_p); what lies beyond q begins at
    o_q / (o_q + i_q) and cannot know of p. Where that is more, the inner reach of p is less. The same for the outer reach across a gap.
    """
    total = end - begin
    area = 0.0
    for v in range(total):
        w = v + 1 if v + 1 < total else 0
        area += vertices[begin + v, 0] * vertices[begin + w, 1] - vertices[begin + w, 0] * vertices[begin + v, 1]
    hand = 1.0 if area > 0.0 else -1.0
    step = max(1, total // LOOKS)
    for p in range(total):
        inner, outer = out[begin + p, 0], out[begin + p, 1]
        if inner + outer < 1e-6:
            continue
        px, py = vertices[begin + p, 0], vertices[begin + p, 1]
        a, b = (p - 1) % total, (p + 1) % total
        tx, ty = vertices[begin + b, 0] - vertices[begin + a, 0], vertices[begin + b, 1] - vertices[begin + a, 1]
        long = np.sqrt(tx * tx + ty * ty)
        if long == 0.0:
            continue
        nx, ny = -ty / long * hand, tx / long * hand  # inwards
        for q in range(0, total, step):
            dx, dy = vertices[begin + q, 0] - px, vertices[begin + q, 1] - py
            d = np.sqrt(dx * dx + dy * dy)
            if d < 1e-6 or d > inner + outer:
                continue
            across = (dx * nx + dy * ny) / d
            a, b = (q - 1) % total, (q + 1) % total
            sx, sy = vertices[begin + b, 0] - vertices[begin + a, 0], vertices[begin + b, 1] - vertices[begin + a, 1]
            wide = np.sqrt(sx * sx + sy * sy)
            if wide == 0.0:
                continue
            back = (dx * sy - dy * sx) / wide * hand / d  # of the way back, how much runs inwards there
            there = out[begin + q, 1] / max(out[begin + q, 0] + out[begin + q, 1], 1e-6)
            if across > 0.3 and back > 0.3 and there > 0.0:
                inner = min(inner, max(0.0, (outer + d) / there - outer))
            elif across < -0.3 and back < -0.3 and there < 1.0:
                outer = min(outer, max(0.0, (d + there * inner) / (1.0 - there)))
        out[begin + p, 0], out[begin + p, 1] = inner, outer


@kernel
def _along(vertices, starts, counts, reach):
    out = np.empty((len(vertices), 2))
    moments, n = counts.shape
    own = np.flatnonzero(~np.isnan(reach[:, 0]))
    knots = len(own)
    for s in range(moments):
        begin, end = starts[s], starts[s + 1]
        total = end - begin
        arc = np.zeros(total + 1)
        for v in range(total):
            w = v + 1 if v + 1 < total else 0
            dx = vertices[begin + w, 0] - vertices[begin + v, 0]
            dy = vertices[begin + w, 1] - vertices[begin + v, 1]
            arc[v + 1] = arc[v] + np.sqrt(dx * dx + dy * dy)
        around = max(arc[total], 1e-9)
        first = np.zeros(n, np.int64)  # the vertex that each point is
        for i in range(1, n):
            first[i] = first[i - 1] + counts[s, i - 1]
        for c in range(2):
            if knots == 1:
                for v in range(begin, end):
                    out[v, c] = reach[own[0], c]
                continue
            for k in range(knots):
                a, b = own[k], own[(k + 1) % knots]
                z, y = own[(k - 1) % knots], own[(k + 2) % knots]
                h = (arc[first[b]] - arc[first[a]]) % around
                if h <= 0.0:
                    h = around if knots == 1 else 1e-9
                h_before = max((arc[first[a]] - arc[first[z]]) % around, 1e-9)
                h_after = max((arc[first[y]] - arc[first[b]]) % around, 1e-9)
                mean = (reach[b, c] - reach[a, c]) / h
                at_a = _slope((reach[a, c] - reach[z, c]) / h_before, mean, h_before, h)
                at_b = _slope(mean, (reach[y, c] - reach[b, c]) / h_after, h, h_after)
                v = first[a]
                while v != first[b]:
                    u = min(1.0, ((arc[v] - arc[first[a]]) % around) / h)
                    w = 1.0 - u
                    out[begin + v, c] = (
                        w * w * (1.0 + 2.0 * u) * reach[a, c] + u * u * (3.0 - 2.0 * u) * reach[b, c] + h * u * w * (w * at_a - u * at_b)
                    )
                    v = v + 1 if v + 1 < total else 0
        _held_back(vertices, begin, end, out)
        for c in range(2):
            for _ in range(2):  # twice round: what gives way at the start does so from both ends
                for v in range(total):
                    w = v + 1 if v + 1 < total else 0
                    out[begin + w, c] = min(out[begin + w, c], out[begin + v, c] + STEEPEST_REACH * (arc[v + 1] - arc[v]))
                for v in range(total - 1, -1, -1):
                    w = v + 1 if v + 1 < total else 0
                    out[begin + v, c] = min(out[begin + v, c], out[begin + w, c] + STEEPEST_REACH * (arc[v + 1] - arc[v]))
    return out


def along(points: Floats, vertices: Floats, starts: NDArray[np.int64], tolerance: float, reach: Floats) -> Floats:
    """Inner and outer reach (V, 2) in px at the vertices of outlines (T, n, 6) that `flatten` made at this tolerance.

    reach: (n, 2), NaN for points without one of their own; at least one has one.
    """
    return np.asarray(_along(vertices, starts, edge_counts(points, tolerance), np.ascontiguousarray(reach)))
