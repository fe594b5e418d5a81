"""Reach: the signed distance to the boundary of the filled area, a row of pixels at a time, and the alpha of thin reaches.

Cost follows the outline: each side visits only the pixels within its reach.

A reach thinner than a pixel takes its profile averaged over the pixel, the distance running straight across it. That is corrected
towards the exact coverage: by what coverage and straight-edge average differ without a reach and a shift, fading out at THIN_REACH. So
alpha becomes the coverage as the reach goes to 0. For wider reaches see `blurred`.
"""

import numpy as np

from roto.arrays import Bytes, Floats, Singles, Smalls, Whole
from roto.jit import inlined, leaf
from roto.matte.feather.profile import average
from roto.matte.raster.edges import ALONG, ALONG0, ALONG1, BESIDE, BESIDE0, BESIDE1, FAR, LONG, TX, TY
from roto.simd import LANE, note_nearer
from roto.tolerances import SOFT_MARGIN, THIN_REACH

NO_REACH = 1e-3
"""px: what stands for a reach of 0 in the straight-edge average."""


@leaf
def band(inner: float, outer: float, shift: float) -> float:
    """px on either side of the boundary within which alpha may be neither 0 nor 1."""
    return max(inner - shift, outer + shift, 0.0) + SOFT_MARGIN


@inlined
def columns_beside(edges: Floats, k: int, dy: float, box0: int, box1: int) -> tuple[int, int]:
    """The columns [first, last) of the box whose pixels may be nearest to side k, in the row `dy` px below its start; first >= last where
    there is none. They are those beside it, and the wedge at its ends (see `edges`)."""
    one, other = edges[k, BESIDE] * dy, edges[k, ALONG] * dy
    left = max(one + edges[k, BESIDE0], other + edges[k, ALONG0], -FAR)
    right = min(one + edges[k, BESIDE1], other + edges[k, ALONG1], FAR)
    if not left <= right:
        return 0, 0
    return max(int(left + (FAR + 0.5)) - (int(FAR) + box0), 0), min(int(right + (FAR + 0.5)) - (int(FAR) + box0), box1 - box0)


@leaf
def nearest_in_row(
    row: int, edges: Floats, use: Bytes, items: Whole, begin: int, end: int, box0: int, box1: int, square: Singles, near: Smalls,
    lanes: Bytes,
) -> tuple[int, int]:  # fmt: skip
    """Squared distance from each pixel centre of a row to the nearest bounding side within reach, and which side it is.

    Each side visits the pixels that may be nearest to it (`columns_beside`), in lanes that begin at multiples of LANE in the picture, so
    that numbers do not depend on the box.
    square: float32, infinite everywhere before (single precision is good to 1e-5 px, and quick); near: int32; both LANE wider than the
    box at either end. lanes: uint8, 0 everywhere before; 1 where something was visited, per lane, the first being that of the box's first
    column. Returns the lanes [lo, hi) that were touched.
    """
    yc = row + 0.5
    shift = box0 & (LANE - 1)
    lo, hi = len(lanes), 0
    for q in range(begin, end):
        k = items[q]
        if not use[k] & 2:
            continue
        dy = yc - edges[k, 1]
        first, last = columns_beside(edges, k, dy, box0, box1)
        if first >= last:
            continue
        a, b = (first + shift) // LANE, (last + shift + LANE - 1) // LANE
        lo, hi = min(lo, a), max(hi, b)
        x0 = edges[k, 0]
        py, ux, uy, top, which = np.float32(dy), np.float32(edges[k, TX]), np.float32(edges[k, TY]), np.float32(edges[k, LONG]), np.int32(k)
        for lane in range(a, b):
            lanes[lane] = 1
            at = lane * LANE - shift
            note_nearer(square, near, at + LANE, np.float32(at + box0 + 0.5 - x0), py, ux, uy, top, which)
    return lo, hi


@leaf
def crossings_in_row(
    row: int, edges: Floats, ways: Whole, use: Bytes, items: Whole, begin: int, end: int, where: Floats, way: Whole,
) -> int:  # fmt: skip
    """Where the edges cross the line through the row's pixel centres, from left to right, and which way; returns how many."""
    yc = row + 0.5
    count = 0
    for q in range(begin, end):
        k = items[q]
        if not use[k] & 1:
            continue
        x0, y0, x1, y1 = edges[k, 0], edges[k, 1], edges[k, 2], edges[k, 3]
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


@leaf
def from_edge(edges: Floats, k: int, xc: float, yc: float) -> tuple[float, float]:
    """From the nearest place on side k to a pixel's centre: (x, y) in px."""
    x, y, tx, ty = xc - edges[k, 0], yc - edges[k, 1], edges[k, TX], edges[k, TY]
    t = min(edges[k, LONG], max(0.0, x * tx + y * ty))
    return x - t * tx, y - t * ty


@leaf
def touched(lo: int, hi: int, where: Floats, count: int, box0: int, box1: int) -> tuple[int, int]:
    """The columns [first, last) that hold anything of an outline: the lanes [lo, hi) that its edges touched, and all between its
    crossings."""
    width = box1 - box0
    shift = box0 & (LANE - 1)
    first, last = max(0, lo * LANE - shift), min(width, hi * LANE - shift)
    if not count:
        return (first, last) if lo < hi else (0, 0)
    left = min(width, max(0, int(np.floor(min(max(where[0] - box0, -1.0), width)))))
    right = min(width, max(0, int(np.ceil(min(max(where[count - 1] - box0, -1.0), width))) + 1))
    return (left, max(left, right)) if lo >= hi else (min(first, left), max(last, right))


@leaf
def clear(square: Singles, lanes: Bytes, lo: int, hi: int, shift: int) -> None:
    """Make what `nearest_in_row` set as it was before."""
    for lane in range(lo, hi):
        lanes[lane] = 0
    for i in range((lo + 1) * LANE - shift, (hi + 1) * LANE - shift):
        square[i] = np.inf


@leaf
def thin_row(
    row: int, edges: Floats, ways: Whole, use: Bytes, items: Whole, begin: int, end: int, inner: float, outer: float, shift: float,
    profile: Floats, box0: int, box1: int, square: Singles, near: Smalls, lanes: Bytes, where: Floats, way: Whole, thin: Singles,
    alpha: Singles,
) -> tuple[int, int]:  # fmt: skip
    """Alpha of one outline's thin reach in a pixel row. `thin` holds its exact coverage.

    Returns the columns [lo, hi), relative to the box, in which `alpha` was set; it is 0 elsewhere.
    """
    reach = band(inner, outer, shift)
    lo, hi = nearest_in_row(row, edges, use, items, begin, end, box0, box1, square, near, lanes)
    count = crossings_in_row(row, edges, ways, use, items, begin, end, where, way)
    first, last = touched(lo, hi, where, count, box0, box1)
    whole = max(inner + outer, NO_REACH)
    blend = THIN_REACH - (inner + outer) - abs(shift)
    far = np.float32(reach * reach)
    winding = 0
    c = 0
    yc = row + 0.5
    for i in range(first, last):
        while c < count and where[c] <= i + box0 + 0.5:
            winding += way[c]
            c += 1
        sign = 1.0 if winding != 0 else -1.0
        alpha[i] = max(0.0, sign)
        if square[i + LANE] >= far:
            continue
        k = near[i + LANE]
        nx, ny = from_edge(edges, k, i + box0 + 0.5, yc)
        d = np.sqrt(nx * nx + ny * ny)
        signed = sign * d + shift
        if d > 1e-9:
            nx, ny = abs(nx) / d, abs(ny) / d
        else:
            nx, ny = abs(edges[k, TY]), abs(edges[k, TX])
        value = average(profile, (signed + outer) / whole, nx / whole, ny / whole)
        plain = average(profile, (sign * d + 0.5 * NO_REACH) / NO_REACH, nx / NO_REACH, ny / NO_REACH)
        value = min(1.0, max(0.0, value + (thin[i] - plain) * blend))
        alpha[i] = 0.0 if value < 1e-9 else (1.0 if value > 1.0 - 1e-9 else value)
    clear(square, lanes, lo, hi, box0 & (LANE - 1))
    return first, last
