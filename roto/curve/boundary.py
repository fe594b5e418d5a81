"""The boundary of the filled area of an outline that may cross itself (non-zero winding)."""

import numpy as np
from numpy.typing import NDArray

from roto.arrays import Bytes, Floats, Whole
from roto.jit import kernel, leaf

WINDS, BOUNDS = 1, 2
"""What a side is good for: counting windings, being the filled area's boundary."""
MOST_CHAINS = 48
"""chains of sides that are held against each other, each against each"""
FLAT = 1e-9
"""of dx: a side whose dy is not more is flat"""


@leaf
def _meet(edges, a, b, out):
    """Parameters on side a where side b meets it, at most two (an overlap has two ends); returns how many."""
    ax, ay, bx, by = edges[a, 0], edges[a, 1], edges[a, 2], edges[a, 3]
    cx, cy, dx, dy = edges[b, 0], edges[b, 1], edges[b, 2], edges[b, 3]
    rx, ry = bx - ax, by - ay
    sx, sy = dx - cx, dy - cy
    cross = rx * sy - ry * sx
    long = rx * rx + ry * ry
    if long == 0.0:
        return 0
    qx, qy = cx - ax, cy - ay
    if abs(cross) > 1e-12 * (long + sx * sx + sy * sy):
        t = (qx * sy - qy * sx) / cross
        u = (qx * ry - qy * rx) / cross
        if -1e-12 <= u <= 1 + 1e-12 and 0.0 <= t <= 1.0:
            out[0] = t
            return 1
        return 0
    if abs(qx * ry - qy * rx) > 1e-9 * np.sqrt(long):
        return 0
    t0 = (qx * rx + qy * ry) / long
    t1 = t0 + (sx * rx + sy * ry) / long
    if max(t0, t1) <= 1e-9 or min(t0, t1) >= 1 - 1e-9:
        return 0
    out[0] = min(1.0, max(0.0, t0))
    out[1] = min(1.0, max(0.0, t1))
    return 2


@leaf
def _note(edges, i, j, found, which, where):
    """Note where two sides meet, unless they only share a corner as neighbours; `which` and `where` have room for four more."""
    near = abs(i - j) == 1 or abs(i - j) == len(edges) - 1
    for turn in range(2):
        a, b = (i, j) if turn == 0 else (j, i)
        hits = _meet(edges, a, b, where[found:])
        if near and hits == 1:
            continue
        for h in range(hits):
            which[found + h] = a
        found += hits
    return found


@kernel
def _more_room(found, which, where):
    """The same arrays with room for four more at least."""
    if found + 4 <= len(which):
        return which, where
    return np.append(which, np.empty(found, np.int64)), np.append(where, np.empty(found))


@kernel
def _chains(edges):
    """Runs of sides along which y rises, or falls, throughout; flat sides by themselves. int64 (C, 2): the first side and the one after the
    last; (C, 4): left, top, right, bottom. Only the first MOST_CHAINS + 1 of them."""
    n = len(edges)
    runs, boxes = np.empty((MOST_CHAINS + 1, 2), np.int64), np.empty((MOST_CHAINS + 1, 4))
    count, before = 0, 0
    for i in range(n):
        dx, dy = edges[i, 2] - edges[i, 0], edges[i, 3] - edges[i, 1]
        way = 0 if abs(dy) <= FLAT * abs(dx) else (1 if dy > 0.0 else -1)
        x0, x1 = min(edges[i, 0], edges[i, 2]), max(edges[i, 0], edges[i, 2])
        y0, y1 = min(edges[i, 1], edges[i, 3]), max(edges[i, 1], edges[i, 3])
        if i and way and way == before:
            k = count - 1
            boxes[k, 0], boxes[k, 1] = min(boxes[k, 0], x0), min(boxes[k, 1], y0)
            boxes[k, 2], boxes[k, 3] = max(boxes[k, 2], x1), max(boxes[k, 3], y1)
            runs[k, 1] = i + 1
        else:
            if count > MOST_CHAINS:
                break
            runs[count, 0], runs[count, 1] = i, i + 1
            boxes[count, 0], boxes[count, 1], boxes[count, 2], boxes[count, 3] = x0, y0, x1, y1
            count += 1
        before = way
    return runs[:count], boxes[:count]


@kernel
def _crossings(edges):
    """All meetings of edges that are not neighbours: arrays of side and parameter.

    Sides of one chain do not meet, and two chains are gone through side by side; where there are very many, all sides from the top down."""
    runs, boxes = _chains(edges)
    if len(runs) > MOST_CHAINS:
        return _crossings_in_order(edges)
    which, where, found = np.empty(16, np.int64), np.empty(16), 0
    for one in range(len(runs)):
        for other in range(one + 1, len(runs)):
            left, top = max(boxes[one, 0], boxes[other, 0]), max(boxes[one, 1], boxes[other, 1])
            right, bottom = min(boxes[one, 2], boxes[other, 2]), min(boxes[one, 3], boxes[other, 3])
            if left <= right and top <= bottom:
                which, where, found = _between(edges, runs[one], runs[other], left, right, top, bottom, which, where, found)
    return which[:found], where[:found]


@kernel
def _between(edges, run, other, left, right, top, bottom, which, where, found):
    """Note where the sides of two chains meet, both from the top down. left to bottom: the box that they share."""
    a, b, c, d = run[0], run[1], other[0], other[1]
    down, falls = edges[a, 3] >= edges[a, 1], edges[c, 3] >= edges[c, 1]
    first = 0
    for k in range(b - a):
        i = a + k if down else b - 1 - k
        y0, y1 = min(edges[i, 1], edges[i, 3]), max(edges[i, 1], edges[i, 3])
        x0, x1 = min(edges[i, 0], edges[i, 2]), max(edges[i, 0], edges[i, 2])
        if y1 < top or x1 < left or x0 > right:
            continue
        if y0 > bottom:
            break
        while first < d - c and _lowest(edges, c + first if falls else d - 1 - first) < y0:
            first += 1
        for m in range(first, d - c):
            j = c + m if falls else d - 1 - m
            if min(edges[j, 1], edges[j, 3]) > y1:
                break
            if min(edges[j, 0], edges[j, 2]) <= x1 and max(edges[j, 0], edges[j, 2]) >= x0:
                which, where = _more_room(found, which, where)
                found = _note(edges, i, j, found, which, where)
    return which, where, found


@leaf
def _lowest(edges, k):
    return max(edges[k, 1], edges[k, 3])


@kernel
def _crossings_in_order(edges):
    """The same, from the top down."""
    n = len(edges)
    which, where, found = np.empty(16, np.int64), np.empty(16), 0
    top = np.minimum(edges[:, 1], edges[:, 3])
    order = np.argsort(top)
    for oi in range(n):
        i = order[oi]
        bottom = max(edges[i, 1], edges[i, 3])
        left = min(edges[i, 0], edges[i, 2])
        right = max(edges[i, 0], edges[i, 2])
        for oj in range(oi + 1, n):
            j = order[oj]
            if top[j] > bottom:
                break
            if min(edges[j, 0], edges[j, 2]) > right or max(edges[j, 0], edges[j, 2]) < left:
                continue
            which, where = _more_room(found, which, where)
            found = _note(edges, i, j, found, which, where)
    return which[:found], where[:found]


@leaf
def _winding(edges, x, y):
    total = 0
    for k in range(len(edges)):
        x0, y0, x1, y1 = edges[k, 0], edges[k, 1], edges[k, 2], edges[k, 3]
        if (y0 <= y) != (y1 <= y) and x0 + (y - y0) * (x1 - x0) / (y1 - y0) <= x:
            total += 1 if y1 > y0 else -1
    return total


@kernel
def _pieces(edges, which, where):
    """Edges cut at their meetings, those kept that have inside on one hand and outside on the other; they run with the inside on the
    hand of (-dy, dx). Also which side each is of, and the parameters on it where it begins and ends."""
    kept = np.empty((len(edges) + len(which), 4))
    origin = np.empty(len(kept), np.int64)
    spans = np.empty((len(kept), 2))
    count = 0
    order = np.argsort(which)
    at = 0
    cuts = np.empty(len(which) + 2)
    for i in range(len(edges)):
        cuts[0] = 0.0
        m = 1
        while at < len(order) and which[order[at]] == i:
            cuts[m] = where[order[at]]
            m += 1
            at += 1
        cuts[m] = 1.0
        m += 1
        cuts[:m].sort()
        x0, y0, x1, y1 = edges[i, 0], edges[i, 1], edges[i, 2], edges[i, 3]
        dx, dy = x1 - x0, y1 - y0
        length = np.sqrt(dx * dx + dy * dy)
        for k in range(m - 1):
            if (cuts[k + 1] - cuts[k]) * length < 1e-9:
                continue
            mid = 0.5 * (cuts[k] + cuts[k + 1])
            ox, oy = -dy / length * 1e-6, dx / length * 1e-6
            one = _winding(edges, x0 + mid * dx + ox, y0 + mid * dy + oy) != 0
            other = _winding(edges, x0 + mid * dx - ox, y0 + mid * dy - oy) != 0
            if one != other:
                a, b = (cuts[k], cuts[k + 1]) if one else (cuts[k + 1], cuts[k])
                kept[count, 0] = x0 + a * dx
                kept[count, 1] = y0 + a * dy
                kept[count, 2] = x0 + b * dx
                kept[count, 3] = y0 + b * dy
                origin[count] = i
                spans[count, 0], spans[count, 1] = a, b
                count += 1
    return kept[:count], origin[:count], spans[:count]


@kernel
def _sides_of(vertices):
    n = len(vertices)
    edges = np.empty((n, 4))
    for i in range(n):
        j = i + 1 if i + 1 < n else 0
        edges[i, 0], edges[i, 1], edges[i, 2], edges[i, 3] = vertices[i, 0], vertices[i, 1], vertices[j, 0], vertices[j, 1]
    return edges


@kernel
def marked_edges(vertices: Floats) -> tuple[Floats, Bytes, Whole, Floats, Whole]:
    """Edges (S, 4) of a closed polygon (V, 2) as (x0, y0, x1, y1), and what each is good for (WINDS, BOUNDS or both).

    A polygon that does not cross itself has every side good for both, one without an area none to bound; otherwise its edges only wind,
    and the cut pieces bound. Also, per
    side: which of the polygon's it is of (S,), the parameters on that one of its ends (S, 2), and on which hand the filled area lies
    (S,): 1 for that of (-dy, dx), -1 for the other.
    """
    edges = _sides_of(vertices)
    n = len(edges)
    which, where = _crossings(edges)
    area = 0.0
    for i in range(n):
        area += edges[i, 0] * edges[i, 3] - edges[i, 2] * edges[i, 1]
    hand = 1 if area > 0.0 else -1
    crosses = len(which) > 0
    flat = area == 0.0  # what fills nothing has no boundary, and so no reach: a line, points on one spot
    pieces, of, cuts = _pieces(edges, which, where) if crosses else (edges[:0], which, edges[:0, :2])
    total = n + len(pieces)
    out, use, origin = np.empty((total, 4)), np.empty(total, np.uint8), np.empty(total, np.int64)
    spans, hands = np.empty((total, 2)), np.empty(total, np.int64)
    for i in range(total):
        own = i < n
        use[i] = (WINDS if crosses or flat else WINDS | BOUNDS) if own else BOUNDS
        origin[i] = i if own else of[i - n]
        spans[i, 0] = 0.0 if own else cuts[i - n, 0]
        spans[i, 1] = 1.0 if own else cuts[i - n, 1]
        hands[i] = hand if own and not crosses else 1
        for c in range(4):
            out[i, c] = edges[i, c] if own else pieces[i - n, c]
    return out, use, origin, spans, hands


def boundary(vertices: Floats) -> NDArray[np.float64]:
    """The edges (S, 4) that bound the filled area of a closed polygon (V, 2)."""
    edges, use, *_ = marked_edges(np.ascontiguousarray(vertices, dtype=np.float64))
    return edges[(use & BOUNDS) != 0]
