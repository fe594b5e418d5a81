"""Reach: alpha from the signed distance to the boundary of the filled area, a row of pixels at a time.

Cost follows the outline: each side visits only the pixels within its reach. Alpha is the profile averaged over the pixel, taking the
distance as straight across it (exact for straight edges). A reach thinner than a pixel is corrected by what the exact coverage and
the straight-edge average at no reach differ by, fading out at THIN_REACH, so that it becomes the coverage as the reach goes to 0.
"""

from functools import lru_cache

import numpy as np

from roto.compiled import inner, kernel
from roto.matte.profile import average, cubic
from roto.motion.keys import Floats
from roto.tolerances import SOFT_MARGIN, THIN_REACH

NO_REACH = 1e-3
"""px: what stands for a reach of 0 in the straight-edge average."""
TX, TY, LONG, CAP0, CAP1, PER_X, PER_Y, COLUMNS = 4, 5, 6, 7, 8, 9, 10, 11
"""columns of a side beside its ends: its unit direction, its length, how far the wedges at its ends lean (sine of the turn), and one over
each part of the direction (0 where that part is 0)"""
SLACK = 1e-3
"""px: sides that meet overlap by this, so that no pixel falls between them"""
ANGLES, CELLS = 16, 68
"""cells of the tables at the ends of a reach: a cell is a fiftieth of a pixel, which leaves errors below 0.0001"""
DIAGONAL = 0.70710678119


@inner
def band(inner, outer, shift):
    """px on either side of the boundary within which alpha may be neither 0 nor 1."""
    return max(inner - shift, outer + shift, 0.0) + SOFT_MARGIN


@inner
def _closer(square, near, px, py, tx, ty, long, k):
    """Note side k where it is the nearest yet. px: float64 from the side's start to the first pixel's centre, so that a pixel's number
    does not depend on where the stretch begins; the distance itself is single precision, good to 1e-5 px, and quick."""
    zero, top = np.float32(0.0), np.float32(long)
    ux, uy, y0 = np.float32(tx), np.float32(ty), np.float32(py)
    along_y = y0 * uy
    which = np.int32(k)
    for i in range(len(square)):  # written so that it compiles to vector instructions
        x = np.float32(px + i)
        t = x * ux + along_y
        t = t if t > zero else zero
        t = t if t < top else top
        ex = x - t * ux
        ey = y0 - t * uy
        d2 = ex * ex + ey * ey
        old = square[i]
        closer = d2 < old
        square[i] = d2 if closer else old
        near[i] = which if closer else near[i]


@inner
def _between(slope, per, at, low, high, left, right):
    """The stretch [left, right] of x cut down to where low <= slope x + at <= high; per = 1 / slope."""
    if abs(slope) < 1e-12:
        return (left, right) if low <= at <= high else (1.0, 0.0)
    a, b = (low - at) * per, (high - at) * per
    if a > b:
        a, b = b, a
    return max(left, a), min(right, b)


@inner
def nearest_in_row(row, sides, use, items, begin, end, reach, box0, box1, square, near):
    """Squared distance from each pixel centre of a row to the nearest bounding side within reach, and which side it is.

    Each side visits the pixels that may be nearest to it: those beside it, and the wedge at its ends (see `sides_of` in render).
    square: float32, near: int32, both of the box's width. Returns the touched columns [lo, hi), relative to the box.
    """
    yc = row + 0.5
    width = box1 - box0
    lo, hi = width, 0
    for q in range(begin, end):
        k = items[q]
        if not use[k] & 2:
            continue
        x0, tx, ty, long = sides[k, 0], sides[k, TX], sides[k, TY], sides[k, LONG]
        dy = yc - sides[k, 1]
        if long == 0.0:
            left, right = -reach, reach
        else:
            left, right = _between(-ty, -sides[k, PER_Y], dy * tx, -reach, reach, -1e9, 1e9)
            left, right = _between(
                tx, sides[k, PER_X], dy * ty, -reach * sides[k, CAP0] - SLACK, long + reach * sides[k, CAP1] + SLACK, left, right
            )
        if left > right:
            continue
        first = max(0, int(np.ceil(max(left + x0 - 0.5 - box0, -1.0))))
        last = min(width, int(np.floor(min(right + x0 - 0.5 - box0, width))) + 1)
        if first >= last:
            continue
        if lo >= hi:
            square[first:last] = np.inf
            lo, hi = first, last
        else:
            if first < lo:
                square[first:lo] = np.inf
                lo = first
            if last > hi:
                square[hi:last] = np.inf
                hi = last
        _closer(square[first:last], near[first:last], first + box0 + 0.5 - x0, dy, tx, ty, long, k)
    return lo, hi


@inner
def crossings_in_row(row, sides, ways, use, items, begin, end, where, way):
    """Where the sides cross the line through the row's pixel centres, from left to right, and which way; returns how many."""
    yc = row + 0.5
    count = 0
    for q in range(begin, end):
        k = items[q]
        if not use[k] & 1:
            continue
        x0, y0, x1, y1 = sides[k, 0], sides[k, 1], sides[k, 2], sides[k, 3]
        if y0 <= yc < y1:
            x = x0 + (yc - y0) * (x1 - x0) / (y1 - y0)
            m = count
            while m > 0 and where[m - 1] > x:
                where[m] = where[m - 1]
                way[m] = way[m - 1]
                m -= 1
            where[m] = x
            way[m] = ways[k]
            count += 1
    return count


@inner
def _from_edge(sides, k, xc, yc):
    """From the nearest place on side k to a pixel's centre: (x, y) in px."""
    x, y, tx, ty = xc - sides[k, 0], yc - sides[k, 1], sides[k, TX], sides[k, TY]
    t = min(sides[k, LONG], max(0.0, x * tx + y * ty))
    return x - t * tx, y - t * ty


@inner
def _looked_up(table, px, nx, ny):
    """The averaged profile at one end of the reach: px from that end, from -SOFT_MARGIN to SOFT_MARGIN, and the edge's direction."""
    across = min(nx, ny) * (ANGLES / DIAGONAL)
    a = min(ANGLES - 1, int(across))
    across -= a
    place = (px + SOFT_MARGIN) * (CELLS / (2.0 * SOFT_MARGIN))
    c = min(CELLS - 1, max(0, int(place)))
    place -= c
    one = table[a, c] + place * (table[a, c + 1] - table[a, c])
    two = table[a + 1, c] + place * (table[a + 1, c + 1] - table[a + 1, c])
    return one + across * (two - one)


@kernel
def _ends(cubic, whole):
    out = np.empty((2, ANGLES + 1, CELLS + 1), np.float64)
    for a in range(ANGLES + 1):
        small = a * DIAGONAL / ANGLES
        large = np.sqrt(1.0 - small * small)
        for c in range(CELLS + 1):
            px = (2.0 * c / CELLS - 1.0) * SOFT_MARGIN
            for end in range(2):
                out[end, a, c] = average(cubic, end + px / whole, small / whole, large / whole)
    out[0, :, 0] = 0.0
    out[1, :, CELLS] = 1.0
    return out


@lru_cache(maxsize=512)
def ends(profile: str, whole: float) -> Floats:
    """The averaged profile at both ends of a reach of `whole` px, as a table (2, angles, places) for `_looked_up`."""
    return _ends(cubic(profile), max(whole, NO_REACH))


@inner
def soft_row(
    row, sides, ways, use, items, begin, end, inner, outer, shift, curve, tables, box0, box1, square, near, where, way, thin, alpha
):
    """Alpha of one outline's reach in a pixel row. `thin` holds its exact coverage (used only for a thin reach).

    Returns the columns [lo, hi), relative to the box, in which `alpha` was set; it is 0 elsewhere.
    """
    width = box1 - box0
    reach = band(inner, outer, shift)
    lo, hi = nearest_in_row(row, sides, use, items, begin, end, reach, box0, box1, square, near)
    count = crossings_in_row(row, sides, ways, use, items, begin, end, where, way)
    first, last = lo, hi
    if count:
        left = min(width, max(0, int(np.floor(min(max(where[0] - box0, -1.0), width)))))
        right = min(width, max(0, int(np.ceil(min(max(where[count - 1] - box0, -1.0), width))) + 1))
        if lo >= hi:
            first, last = left, right
        else:
            first, last = min(lo, left), max(hi, right)
    whole = max(inner + outer, NO_REACH)
    blend = THIN_REACH - (inner + outer) - abs(shift)
    tabled = whole > 2.0 * SOFT_MARGIN
    per_px = 1.0 / whole
    margin = SOFT_MARGIN * per_px
    bulge = 1.0 / (12.0 * whole * whole)
    far = np.float32(reach * reach)
    winding = 0
    c = 0
    yc = row + 0.5
    x = first
    while x < last:
        while c < count and where[c] <= x + box0 + 0.5:
            winding += way[c]
            c += 1
        stop = last
        if c < count:
            stop = min(last, max(x + 1, int(np.ceil(where[c] - box0 - 0.5))))
        inside = winding != 0
        sign = 1.0 if inside else -1.0
        alpha[x:stop] = 1.0 if inside else 0.0
        for i in range(max(x, lo), min(stop, hi)):
            if square[i] >= far:
                continue
            k = near[i]
            nx, ny = _from_edge(sides, k, i + box0 + 0.5, yc)
            d = np.sqrt(nx * nx + ny * ny)
            signed = sign * d + shift
            u = (signed + outer) * per_px
            if margin <= u <= 1.0 - margin:  # no end of the reach in this pixel, whichever way the edge runs
                alpha[i] = curve[0] + u * (curve[1] + u * (curve[2] + u * curve[3])) + (curve[2] + 3.0 * curve[3] * u) * bulge
                continue
            if u <= -margin:
                alpha[i] = 0.0
                continue
            if u >= 1.0 + margin:
                alpha[i] = 1.0
                continue
            if d > 1e-9:
                nx, ny = abs(nx) / d, abs(ny) / d
            else:
                nx, ny = abs(sides[k, TY]), abs(sides[k, TX])
            if tabled:
                alpha[i] = _looked_up(tables[0], signed + outer, nx, ny) if u < 0.5 else _looked_up(tables[1], signed - inner, nx, ny)
                continue
            value = average(curve, u, nx / whole, ny / whole)
            if blend > 0.0:
                plain = average(curve, (signed + 0.5 * NO_REACH) / NO_REACH, nx / NO_REACH, ny / NO_REACH)
                value = min(1.0, max(0.0, value + (thin[i] - plain) * blend))
            alpha[i] = 0.0 if value < 1e-9 else (1.0 if value > 1.0 - 1e-9 else value)
        x = stop
    return first, max(first, last)
