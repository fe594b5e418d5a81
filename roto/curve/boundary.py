"""The boundary of the filled area of an outline that may cross itself (non-zero winding)."""

import numpy as np
from numpy.typing import NDArray

from roto.compiled import inner, kernel
from roto.motion.keys import Floats

WINDS, BOUNDS = 1, 2
"""What a side is good for: counting windings, being the filled area's boundary."""


@inner
def _meet(sides, a, b, out):
    """Parameters on side a where side b meets it, at most two (an overlap has two ends); returns how many."""
    ax, ay, bx, by = sides[a, 0], sides[a, 1], sides[a, 2], sides[a, 3]
    cx, cy, dx, dy = sides[b, 0], sides[b, 1], sides[b, 2], sides[b, 3]
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


@kernel
def _crossings(sides):
    """All meetings of sides that are not neighbours: arrays of side and parameter."""
    n = len(sides)
    which = np.empty(16, np.int64)
    where = np.empty(16)
    count = 0
    top = np.minimum(sides[:, 1], sides[:, 3])
    order = np.argsort(top)
    two = np.empty(2)
    for oi in range(n):
        i = order[oi]
        bottom = max(sides[i, 1], sides[i, 3])
        left = min(sides[i, 0], sides[i, 2])
        right = max(sides[i, 0], sides[i, 2])
        for oj in range(oi + 1, n):
            j = order[oj]
            if top[j] > bottom:
                break
            if min(sides[j, 0], sides[j, 2]) > right or max(sides[j, 0], sides[j, 2]) < left:
                continue
            near = abs(i - j) == 1 or abs(i - j) == n - 1
            for turn in range(2):
                a, b = (i, j) if turn == 0 else (j, i)
                hits = _meet(sides, a, b, two)
                if near and hits == 1:  # neighbours always share their corner
                    continue
                for h in range(hits):
                    if count == len(which):
                        which = np.append(which, np.empty(count, np.int64))
                        where = np.append(where, np.empty(count))
                    which[count] = a
                    where[count] = two[h]
                    count += 1
    return which[:count], where[:count]


@inner
def _winding(sides, x, y):
    total = 0
    for k in range(len(sides)):
        x0, y0, x1, y1 = sides[k, 0], sides[k, 1], sides[k, 2], sides[k, 3]
        if (y0 <= y) != (y1 <= y) and x0 + (y - y0) * (x1 - x0) / (y1 - y0) <= x:
            total += 1 if y1 > y0 else -1
    return total


@kernel
def _pieces(sides, which, where):
    """Sides cut at their meetings, those kept that have inside on one hand and outside on the other; they run with the inside on the
    hand of (-dy, dx). Also which side each is of, and the parameters on it where it begins and ends."""
    kept = np.empty((len(sides) + len(which), 4))
    origin = np.empty(len(kept), np.int64)
    spans = np.empty((len(kept), 2))
    count = 0
    order = np.argsort(which)
    at = 0
    cuts = np.empty(len(which) + 2)
    for i in range(len(sides)):
        cuts[0] = 0.0
        m = 1
        while at < len(order) and which[order[at]] == i:
            cuts[m] = where[order[at]]
            m += 1
            at += 1
        cuts[m] = 1.0
        m += 1
        cuts[:m].sort()
        x0, y0, x1, y1 = sides[i, 0], sides[i, 1], sides[i, 2], sides[i, 3]
        dx, dy = x1 - x0, y1 - y0
        length = np.sqrt(dx * dx + dy * dy)
        for k in range(m - 1):
            if (cuts[k + 1] - cuts[k]) * length < 1e-9:
                continue
            mid = 0.5 * (cuts[k] + cuts[k + 1])
            ox, oy = -dy / length * 1e-6, dx / length * 1e-6
            one = _winding(sides, x0 + mid * dx + ox, y0 + mid * dy + oy) != 0
            other = _winding(sides, x0 + mid * dx - ox, y0 + mid * dy - oy) != 0
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
    sides = np.empty((n, 4))
    for i in range(n):
        sides[i, :2] = vertices[i]
        sides[i, 2:] = vertices[(i + 1) % n]
    return sides


@kernel
def marked_sides(vertices):
    """Sides (S, 4) of a closed polygon (V, 2) as (x0, y0, x1, y1), and what each is good for (WINDS, BOUNDS or both).

    A polygon that does not cross itself has every side good for both; otherwise its sides only wind, and the cut pieces bound. Also, per
    side: which of the polygon's it is of (S,), the parameters on that one of its ends (S, 2), and on which hand the filled area lies
    (S,): 1 for that of (-dy, dx), -1 for the other.
    """
    sides = _sides_of(vertices)
    n = len(sides)
    which, where = _crossings(sides)
    area = 0.0
    for i in range(n):
        area += sides[i, 0] * sides[i, 3] - sides[i, 2] * sides[i, 1]
    hand = 1 if area > 0.0 else -1
    crosses = len(which) > 0
    pieces, of, cuts = _pieces(sides, which, where) if crosses else (sides[:0], which, sides[:0, :2])
    total = n + len(pieces)
    out, use, origin = np.empty((total, 4)), np.empty(total, np.uint8), np.empty(total, np.int64)
    spans, hands = np.empty((total, 2)), np.empty(total, np.int64)
    for i in range(total):
        own = i < n
        use[i] = (WINDS if crosses else WINDS | BOUNDS) if own else BOUNDS
        origin[i] = i if own else of[i - n]
        spans[i, 0] = 0.0 if own else cuts[i - n, 0]
        spans[i, 1] = 1.0 if own else cuts[i - n, 1]
        hands[i] = hand if own and not crosses else 1
        for c in range(4):
            out[i, c] = sides[i, c] if own else pieces[i - n, c]
    return out, use, origin, spans, hands


def boundary(vertices: Floats) -> NDArray[np.float64]:
    """The sides (S, 4) that bound the filled area of a closed polygon (V, 2)."""
    sides, use, *_ = marked_sides(np.ascontiguousarray(vertices, dtype=np.float64))
    return sides[(use & BOUNDS) != 0]
