"""Reach: alpha from the signed distance to the boundary of the filled area, a row of pixels at a time.

Cost follows the outline: each side visits only the pixels within its reach. Alpha is the profile averaged over the pixel, taking the
distance as straight across it (exact for straight edges). A reach thinner than a pixel is corrected by what the exact coverage and
the straight-edge average at no reach differ by, fading out at THIN_REACH, so that it becomes the coverage as the reach goes to 0.
"""

import numpy as np

from roto.compiled import inner
from roto.matte.profile import average
from roto.tolerances import SOFT_MARGIN, THIN_REACH

NO_REACH = 1e-3
"""px: what stands for a reach of 0 in the straight-edge average."""


@inner
def band(inner, outer, shift):
    """px on either side of the boundary within which alpha may be neither 0 nor 1."""
    return max(inner - shift, outer + shift, 0.0) + SOFT_MARGIN


@inner
def _closer(square, near, px, py, dx, dy, k):
    """Note side k where it is the nearest yet. Single precision, from the side's own start: good to 1e-5 px, and quick."""
    long = dx * dx + dy * dy
    ux = np.float32(dx / long) if long > 0.0 else np.float32(0.0)
    uy = np.float32(py * dy / long) if long > 0.0 else np.float32(0.0)
    sx, sy, x0, y0 = np.float32(dx), np.float32(dy), np.float32(px), np.float32(py)
    zero, one = np.float32(0.0), np.float32(1.0)
    which = np.int32(k)
    for i in range(len(square)):  # written so that it compiles to vector instructions
        x = x0 + np.float32(i)
        t = x * ux + uy
        t = t if t > zero else zero
        t = t if t < one else one
        ex = x - t * sx
        ey = y0 - t * sy
        d2 = ex * ex + ey * ey
        old = square[i]
        closer = d2 < old
        square[i] = d2 if closer else old
        near[i] = which if closer else near[i]


@inner
def nearest_in_row(row, sides, use, items, begin, end, reach, box0, box1, square, near):
    """Squared distance from each pixel centre of a row to the nearest bounding side within reach, and which side it is.

    square: float32, near: int32, both of the box's width. Returns the touched columns [lo, hi), relative to the box.
    """
    yc = row + 0.5
    width = box1 - box0
    lo, hi = width, 0
    for q in range(begin, end):
        k = items[q]
        if not use[k] & 2:
            continue
        x0, y0, x1, y1 = sides[k, 0], sides[k, 1], sides[k, 2], sides[k, 3]
        away = max(0.0, y0 - yc, yc - y1)
        if away >= reach:
            continue
        half = np.sqrt(reach * reach - away * away)
        if y1 - y0 > 1e-12 and abs(x1 - x0) > reach:  # a long slanting side: only the stretch near this row
            slope = (x1 - x0) / (y1 - y0)
            xt = x0 + (max(y0, yc - reach) - y0) * slope
            xb = x0 + (min(y1, yc + reach) - y0) * slope
        else:
            xt, xb = x0, x1
        left = max(0, int(np.ceil(max(min(xt, xb) - half - 0.5 - box0, -1.0))))
        right = min(width, int(np.floor(min(max(xt, xb) + half - 0.5 - box0, width))) + 1)
        if left >= right:
            continue
        if lo >= hi:
            square[left:right] = np.inf
            lo, hi = left, right
        else:
            if left < lo:
                square[left:lo] = np.inf
                lo = left
            if right > hi:
                square[hi:right] = np.inf
                hi = right
        _closer(square[left:right], near[left:right], left + box0 + 0.5 - x0, yc - y0, x1 - x0, y1 - y0, k)
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
def soft_row(row, sides, ways, use, items, begin, end, inner, outer, shift, cubic, box0, box1, square, near, where, way, thin, alpha):
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
    ends = SOFT_MARGIN / whole
    bulge = 1.0 / (12.0 * whole * whole)
    far = np.float32(reach * reach)
    winding = 0
    c = 0
    for x in range(first, last):
        xc = x + box0 + 0.5
        while c < count and where[c] <= xc:
            winding += way[c]
            c += 1
        inside = winding != 0
        if x < lo or x >= hi or square[x] >= far:
            alpha[x] = 1.0 if inside else 0.0
            continue
        d = np.sqrt(np.float64(square[x]))
        u = ((d if inside else -d) + shift + outer) / whole
        if ends <= u <= 1.0 - ends:  # no end of the reach in this pixel, whichever way the edge runs
            alpha[x] = cubic[0] + u * (cubic[1] + u * (cubic[2] + u * cubic[3])) + (cubic[2] + 3.0 * cubic[3] * u) * bulge
            continue
        k = near[x]
        x0, y0, x1, y1 = sides[k, 0], sides[k, 1], sides[k, 2], sides[k, 3]
        dx, dy = x1 - x0, y1 - y0
        long = dx * dx + dy * dy
        t = 0.0
        if long > 0.0:
            t = min(1.0, max(0.0, ((xc - x0) * dx + (row + 0.5 - y0) * dy) / long))
        nx = xc - x0 - t * dx
        ny = row + 0.5 - y0 - t * dy
        d = np.sqrt(nx * nx + ny * ny)
        if d > 1e-9:
            nx, ny = abs(nx) / d, abs(ny) / d
        elif long > 0.0:
            length = np.sqrt(long)
            nx, ny = abs(dy) / length, abs(dx) / length
        signed = (d if inside else -d) + shift
        value = average(cubic, (signed + outer) / whole, nx / whole, ny / whole)
        if blend > 0.0:
            plain = average(cubic, (signed + 0.5 * NO_REACH) / NO_REACH, nx / NO_REACH, ny / NO_REACH)
            value = min(1.0, max(0.0, value + (thin[x] - plain) * blend))
        if value < 1e-9:
            value = 0.0
        elif value > 1.0 - 1e-9:
            value = 1.0
        alpha[x] = value
    return first, max(first, last)
