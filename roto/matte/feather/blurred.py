"""A reach in motion: a row of pixels of one outline between two moments.

At either moment each pixel has its signed way into the reach; in between that runs evenly (steps are short), so the mean of alpha over
the step is known in closed form (see `integral`). What varies within the step is kept beside the mean as a difference, so that outlines
that move over each other combine as they do at each moment.
"""

import numpy as np

from roto.arrays import Bytes, Floats, Singles, Smalls, Whole
from roto.jit import inlined
from roto.matte.feather.integral import mean_alpha
from roto.matte.feather.reach import crossings_in_row, from_edge, nearest_in_row, touched
from roto.matte.raster.edges import SMALL
from roto.matte.raster.spans import fill
from roto.simd import LANE, even_alpha, lowest_bit
from roto.tolerances import SOFT_MARGIN


@inlined
def look(
    row: int, edges: Floats, ways: Whole, use: Bytes, items: Whole, begin: int, end: int, box0: int, box1: int, square: Singles,
    near: Smalls, lanes: Bytes, inside: Bytes, where: Floats, way: Whole, span: Whole,
) -> None:  # fmt: skip
    """A row of one outline at a moment: where it is near (see `nearest_in_row`), and a bit per pixel, by lanes, where it is inside.

    span: int64 (2,), the columns [first, last) that hold anything of it; on entry those of the row looked at before, whose marks are
    still there and are cleared.
    """
    shift = box0 & (LANE - 1)
    if span[0] < span[1]:
        for lane in range((span[0] + shift) // LANE, (span[1] + shift + LANE - 1) // LANE):
            inside[lane] = 0
            if lanes[lane]:
                lanes[lane] = 0
                for i in range((lane + 1) * LANE - shift, (lane + 2) * LANE - shift):
                    square[i] = np.inf
    span[0] = span[1] = 0
    if begin == end:
        return
    lo, hi = nearest_in_row(row, edges, use, items, begin, end, box0, box1, square, near, lanes)
    count = crossings_in_row(row, edges, ways, use, items, begin, end, where, way)
    span[0], span[1] = touched(lo, hi, where, count, box0, box1)
    winding = 0
    for c in range(count):
        winding += way[c]
        if winding == 0:
            continue
        a = max(0, int(np.ceil(min(where[c] - box0 - 0.5, box1 - box0)))) + shift
        b = box1 - box0 + shift
        if c + 1 < count:
            b = min(b, max(0, int(np.ceil(min(where[c + 1] - box0 - 0.5, box1 - box0)))) + shift)
        if a >= b:
            continue
        one, other = a // LANE, (b - 1) // LANE
        from_a, to_b = (0xFF << (a & (LANE - 1))) & 0xFF, 0xFF >> (LANE - 1 - ((b - 1) & (LANE - 1)))
        if one == other:
            inside[one] |= from_a & to_b
            continue
        inside[one] |= from_a
        for lane in range(one + 1, other):
            inside[lane] = 0xFF
        inside[other] |= to_b


@inlined
def alpha_in_row(
    row: int, lo: int, hi: int, square0: Singles, near0: Smalls, lanes0: Bytes, inside0: Bytes, square1: Singles, near1: Smalls,
    lanes1: Bytes, inside1: Bytes, edges: Floats, box0: int, add: float, curve: Floats, cubics: Floats, tables: Floats, beyond: Floats,
    whole: float, mean: Singles, change: Singles, into: Singles,
) -> None:  # fmt: skip
    """Mean alpha over a step, and how alpha changes from its begin to its end, in columns [lo, hi) of the box; by one part of a profile.

    add: how far the boundary lies within that part of the reach, px. curve: its cubic; cubics to whole: see `FeatherIntegral`.

    mean and change are, like the rest, LANE wider than the box at either end; into: float32 (2 LANE), for the work.
    """
    yc = row + 0.5
    shift = box0 & (LANE - 1)
    c0, c1, c2, c3 = np.float32(curve[0]), np.float32(curve[1]), np.float32(curve[2]), np.float32(curve[3])
    more, margin, wide, per_px = np.float32(add), np.float32(SOFT_MARGIN), np.float32(whole), np.float32(1.0 / whole)
    if lo >= hi:
        return
    lane, lanes = (lo + shift) // LANE, (hi + shift + LANE - 1) // LANE
    while lane < lanes:
        slot = (lane + 1) * LANE - shift
        if not (lanes0[lane] | lanes1[lane]):
            value = np.float32(1.0 if inside1[lane] else 0.0)
            while lane < lanes and not (lanes0[lane] | lanes1[lane]):
                lane += 1
            fill(mean[slot : (lane + 1) * LANE - shift], value)
            fill(change[slot : (lane + 1) * LANE - shift], np.float32(0.0))
            continue
        in0, in1 = np.int64(inside0[lane]), np.int64(inside1[lane])
        open_ = even_alpha(square0, in0, square1, in1, slot, more, margin, wide, per_px, c0, c1, c2, c3, mean, change, into)
        while open_:
            at = lowest_bit(open_)
            open_ &= open_ - 1
            i = slot + at
            a, b = np.float64(into[at]), np.float64(into[LANE + at])
            k = near1[i] if square1[i] < 1e9 else near0[i]
            small = edges[k, SMALL]
            if small < 0.0:
                nx, ny = from_edge(edges, k, i - LANE + box0 + 0.5, yc)
                d = np.sqrt(nx * nx + ny * ny)
                small = min(abs(nx), abs(ny)) / d if d > 1e-9 else 0.0
            mean[i] = mean_alpha(a, b, small, curve, cubics, tables, beyond, whole)
        lane += 1
