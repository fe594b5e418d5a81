"""Exact area coverage, a row of pixels at a time.

Each side is cut at the pixel rows. Within a row, edges whose x-extents touch form a group; a group that is one strand from top to
bottom needs no more work, any other is swept from height to height where edges begin, end or cross, so that the winding of each
outline is known in every span. What is added up is the signed area to the right of each piece of boundary (the accumulation
of areas and covers known from anti-aliased scan conversion), in whole numbers: sums do not depend on order or on the box.
"""

import numpy as np

from roto.arrays import Bytes, Flags, Floats, Singles, Whole
from roto.jit import leaf
from roto.matte.raster.emission import turn
from roto.matte.raster.folding import BITS, folded, mark
from roto.matte.raster.sweep import ORDER, OWNER, PLACES, WAY, sort_ids, sweep_group


@leaf
def _group(start, stop, pieces, ids, at, before, wind, deciding, words, state, first, last, mode, invert, sums, two, box):
    """One group of touching edges; returns the state to the right of it and leaves `wind` there."""
    total = 0.0
    one_strand = True
    lead = -1
    for g in range(start, stop):
        k = ids[g, ORDER]
        tall = pieces[k, 3] - pieces[k, 1]
        if tall > 0.0:
            total += tall
            if lead < 0:
                lead = k
            elif ids[k, WAY] != ids[lead, WAY] or ids[k, OWNER] != ids[lead, OWNER]:
                one_strand = False
                break
    if lead < 0:
        return state
    if one_strand and abs(total - 1.0) < 1e-9:
        wind[ids[lead, OWNER]] += ids[lead, WAY]
        if words:
            mark(deciding, ids[lead, OWNER], last, wind, mode, invert)
        after = folded(deciding, words, wind, first, last, mode, invert)
        if after != state:
            for g in range(start, stop):
                k = ids[g, ORDER]
                tall = pieces[k, 3] - pieces[k, 1]
                if tall > 0.0:
                    turn(sums, two, box, state, after, pieces[k, 0], pieces[k, 2], tall)
        return after
    sweep_group(start, stop, pieces, ids, at, before, wind, deciding, words, state, first, last, mode, invert, sums, two, box)
    for g in range(start, stop):  # right of the group only edges through the row's lower edge matter, and all of them pass it
        k = ids[g, ORDER]
        if pieces[k, 3] >= 1.0 and pieces[k, 1] < 1.0:
            wind[ids[k, OWNER]] += ids[k, WAY]
            if words:
                mark(deciding, ids[k, OWNER], last, wind, mode, invert)
    return folded(deciding, words, wind, first, last, mode, invert)


@leaf
def _collect(row, line, e, layer, ends, ways, rows, items, use, pieces, ids, count):
    """The parts of one layer's edges that lie in the row, appended; returns how many there are now."""
    for q in range(rows[layer, line], rows[layer, line + 1]):
        k = items[q]
        y0, y1 = ends[k, 1], ends[k, 3]
        if not use[k] & 1 or y1 < row or y0 > row + 1:
            continue
        x0, x1 = ends[k, 0], ends[k, 2]
        xt, xb = x0, x1
        top, bottom = y0 - row, y1 - row
        if top < 0.0 or bottom > 1.0:
            slope = (x1 - x0) / (y1 - y0) if y1 > y0 else 0.0
            if top < 0.0:
                xt = x0 - top * slope
                top = 0.0
            if bottom > 1.0:
                xb = x0 + (row + 1.0 - y0) * slope
                bottom = 1.0
        pieces[count, 0] = xt
        pieces[count, 1] = top
        pieces[count, 2] = xb
        pieces[count, 3] = bottom
        pieces[count, 4] = min(xt, xb)
        pieces[count, 5] = max(xt, xb)
        pieces[count, 6] = (xb - xt) / (bottom - top) if bottom > top else 0.0
        ids[count, WAY] = ways[k]
        ids[count, OWNER] = e
        ids[count, ORDER] = count
        count += 1
    return count


@leaf
def sweep_row(
    row: int, line: int, layers: Whole, ends: Floats, ways: Whole, use: Bytes, rows: Whole, items: Whole, first: int, last: int,
    mode: Whole, invert: Flags, sums: Whole, two: bool, box: Whole, pieces: Floats, ids: Whole, at: Floats, before: Whole,
    wind: Whole, deciding: Whole,
) -> tuple[float, float]:  # fmt: skip
    """Add one run's areas in pixel row `row` to sums[0] (one) and, when `two`, sums[1] (passed).

    layers: int64 (entries,), which polygon of each entry counts now; -1 for the marks of a group. ends: see `Geometry`. rows, items: the
    edges in each row (CSR), this row at `line`. sums: int64 (2, box width + 3). box: (first column, column after the last, picture width).
    Returns the leftmost and rightmost x of anything in the row (left > right when there is nothing).
    """
    count = 0
    words = (last - first + BITS - 1) // BITS
    for e in range(first, last):
        wind[e] = 0
        if layers[e] < 0:
            words = 0  # a group's: what comes together in it does not go by the last word
        else:
            count = _collect(row, line, e, layers[e], ends, ways, rows, items, use, pieces, ids, count)
    if count == 0:
        return 1.0, 0.0
    sort_ids(ids, ORDER, 0, count, pieces, 4)
    for w in range(words):
        deciding[0, w] = 0
    if words:
        for e in range(first, last):
            mark(deciding, e, last, wind, mode, invert)
    state = folded(deciding, words, wind, first, last, mode, invert)
    start = count - count  # a literal 0 would have the group compiled once more
    right = pieces[ids[0, ORDER], 5]
    for i in range(1, count + 1):
        if i == count or pieces[ids[i, ORDER], 4] > right:
            state = _group(start, i, pieces, ids, at, before, wind, deciding, words, state, first, last, mode, invert, sums, two, box)
            start = i
            if i < count:
                right = pieces[ids[i, ORDER], 5]
        else:
            right = max(right, pieces[ids[i, ORDER], 5])
    return pieces[ids[0, ORDER], 4], right


@leaf
def areas(sums: Whole, which: int, start: float, lo: int, hi: int, scale: float, out: Singles) -> None:
    """Sum up a row: out[lo:hi] = start + running sums * scale, as float32, rounding dust removed; the sums are cleared."""
    total = np.int64(0)
    for x in range(hi):
        total += sums[which, x]
        sums[which, x] = 0
        if x >= lo:
            value = start + total * scale
            out[x] = 0.0 if value < 1e-9 else (1.0 if value > 1.0 - 1e-9 else value)
    sums[which, hi] = 0
    sums[which, hi + 1] = 0


def scratch(most: int, entries: int) -> tuple[np.ndarray, ...]:
    """Working arrays of `sweep_row` for up to `most` edges in a row: pieces, ids, at, before, wind, deciding."""
    most += 1
    words = entries // BITS + 1
    return (
        np.empty((most, 7)), np.zeros((most, 4), np.int64), np.empty((most, PLACES)), np.empty((most, words), np.int64),
        np.zeros(entries, np.int64), np.zeros((2, words), np.int64),
    )  # fmt: skip
