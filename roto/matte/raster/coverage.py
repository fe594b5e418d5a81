"""Exact area coverage, a row of pixels at a time.

Each side is cut at the pixel rows. Within a row, edges whose x-extents touch form a group; a group that is one strand from top to
bottom needs no more work, any other is swept in slabs between the heights where edges begin, end or cross, so that the winding of
each outline is known in every span. What is added up is the signed area to the right of each piece of boundary (the accumulation
of areas and covers known from anti-aliased scan conversion), in whole numbers: sums do not depend on order or on the box.

A *run* is a stretch of stack entries that combine as areas. Per point it maps the alpha below it to 0, to 1, or passes it on; the
areas of 'one' and of 'passed' are therefore all that a pixel needs.
"""

import numpy as np

from roto.arrays import Bytes, Flags, Floats, Singles, Whole
from roto.jit import leaf
from roto.matte.modes import AREA_RULES, ONE, PASS, ZERO

OPENS, CLOSES = 3, 4
"""marks of a run: what follows combines by itself, from black; it ends at CLOSES + ADD, CUT or KEEP, which lays it onto what lies below"""
UNIT = float(1 << 40)
"""Whole-number units per pixel area: 2^-40 is far below float32, and 2^23 pixels of sums still fit an int64."""
TIE = 1e-9
"""px: edges that start a slab closer than this are ordered by where they leave it."""
WAY, OWNER, ORDER = 0, 1, 2
"""columns of a side's ids in the row: which way it runs, whose it is, and the order from left to right"""


@leaf
def _put(sums, which, box, column, inside, height):
    full = np.int64(np.rint(height * UNIT))
    if column < box[0]:
        sums[which, 0] += full
    elif column < box[1]:
        part = np.int64(np.rint(height * inside * UNIT))
        at = np.uint64(column - box[0])
        sums[which, at] += full - part
        sums[which, at + np.uint64(1)] += part


@leaf
def _emit(sums, which, box, xa, xb, height):
    """Add the area right of a piece of boundary that runs from xa to xb over `height` (signed) of this row."""
    width = box[2]
    if xa > xb:
        xa, xb = xb, xa
    if xa >= width:
        return
    if xb <= 0.0:
        _put(sums, which, box, 0, 0.0, height)
        return
    if xa < 0.0:
        part = height * (-xa) / (xb - xa)
        _put(sums, which, box, 0, 0.0, part)
        height -= part
        xa = 0.0
    if xb > width:
        height *= (width - xa) / (xb - xa)
        xb = float(width)
    column = min(int(xa), width - 1)
    last = min(int(xb), width - 1)
    slope = height / (xb - xa) if last > column else 0.0
    while column < last:
        if column >= box[1]:
            return
        _put(sums, which, box, column, 0.5 * (xa - column + 1.0), slope * (column + 1 - xa))
        column += 1
        xa = float(column)
    _put(sums, which, box, last, 0.5 * (xa + xb) - last, height if slope == 0.0 else slope * (xb - xa))


@leaf
def fold(wind: Whole, first: int, last: int, mode: Whole, invert: Flags) -> int:
    """What a run makes of the alpha below it where its entries wind like this."""
    state = PASS
    held = PASS
    for e in range(first, last):
        how = mode[e]
        if how == OPENS:
            held = state
            state = ZERO
            continue
        inside = (wind[e] != 0) != invert[e]
        if how >= CLOSES:
            inside = (state == ONE) != invert[e]
            state = held
            how -= CLOSES
        becomes = AREA_RULES[how, 1 if inside else 0]
        if becomes != PASS:
            state = becomes
    return state


@leaf
def _turn(sums, two, box, old, new, xa, xb, height):
    """The state changes from old to new across a piece of boundary."""
    ones = (1 if new == ONE else 0) - (1 if old == ONE else 0)
    if ones != 0:
        _emit(sums, 0, box, xa, xb, ones * height)
    if two:
        passes = (1 if new == PASS else 0) - (1 if old == PASS else 0)
        if passes != 0:
            _emit(sums, 1, box, xa, xb, passes * height)


@leaf
def _insert(ordered, count, value):
    m = count
    while m > 0 and ordered[m - 1] > value:
        ordered[m] = ordered[m - 1]
        m -= 1
    ordered[m] = value
    return count + 1


@leaf
def _sort_in(at, m, xt, xb, k):
    """Put a side into the order of a slab: by where it enters, those that enter together by where they leave."""
    while m > 0 and (at[m - 1, 0] > xt + TIE or (abs(at[m - 1, 0] - xt) <= TIE and at[m - 1, 1] > xb)):
        at[m, 0] = at[m - 1, 0]
        at[m, 1] = at[m - 1, 1]
        at[m, 2] = at[m - 1, 2]
        m -= 1
    at[m, 0] = xt
    at[m, 1] = xb
    at[m, 2] = k


@leaf
def _slab(start, stop, top, bottom, pieces, ids, at, wind, state, first, last, mode, invert, sums, two, box):
    """Sweep one group between two heights where no side begins or ends; crossings split it further."""
    while top < bottom:
        active = 0
        for g in range(start, stop):
            k = ids[g, ORDER]
            y0, y1 = pieces[k, 1], pieces[k, 3]
            if y0 <= top and y1 >= bottom and y1 > y0:
                slope = (pieces[k, 2] - pieces[k, 0]) / (y1 - y0)
                _sort_in(at, active, pieces[k, 0] + (top - y0) * slope, pieces[k, 0] + (bottom - y0) * slope, k)
                active += 1
        down = bottom
        for m in range(active - 1):
            gap_top = at[m + 1, 0] - at[m, 0]
            gap_bottom = at[m + 1, 1] - at[m, 1]
            if gap_bottom < 0.0 and gap_top > TIE:
                y = top + (bottom - top) * gap_top / (gap_top - gap_bottom)
                if top + 1e-12 < y < down:
                    down = y
        share = (down - top) / (bottom - top)
        now = state
        for m in range(active):
            k = int(at[m, 2])
            wind[ids[k, OWNER]] += ids[k, WAY]
            after = fold(wind, first, last, mode, invert)
            if after != now:
                _turn(sums, two, box, now, after, at[m, 0], at[m, 0] + share * (at[m, 1] - at[m, 0]), down - top)
            now = after
        for m in range(active):
            k = int(at[m, 2])
            wind[ids[k, OWNER]] -= ids[k, WAY]
        top = down


@leaf
def _group(start, stop, pieces, ids, at, breaks, wind, state, first, last, mode, invert, sums, two, box):
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
        after = fold(wind, first, last, mode, invert)
        if after != state:
            for g in range(start, stop):
                k = ids[g, ORDER]
                tall = pieces[k, 3] - pieces[k, 1]
                if tall > 0.0:
                    _turn(sums, two, box, state, after, pieces[k, 0], pieces[k, 2], tall)
        return after
    n = 0
    for g in range(start, stop):
        k = ids[g, ORDER]
        n = _insert(breaks, _insert(breaks, n, pieces[k, 1]), pieces[k, 3])
    for b in range(n - 1):
        if breaks[b + 1] > breaks[b]:
            _slab(start, stop, breaks[b], breaks[b + 1], pieces, ids, at, wind, state, first, last, mode, invert, sums, two, box)
    for g in range(start, stop):  # right of the group only edges through the row's lower edge matter, and all of them pass it
        k = ids[g, ORDER]
        if pieces[k, 3] >= 1.0 and pieces[k, 1] < 1.0:
            wind[ids[k, OWNER]] += ids[k, WAY]
    return fold(wind, first, last, mode, invert)


@leaf
def _collect(row, line, e, layer, edges, ways, rows, items, use, pieces, ids, count):
    """The parts of one layer's edges that lie in the row, appended; returns how many there are now."""
    for q in range(rows[layer, line], rows[layer, line + 1]):
        k = items[q]
        y0, y1 = edges[k, 1], edges[k, 3]
        if not use[k] & 1 or y1 < row or y0 > row + 1:
            continue
        x0, x1 = edges[k, 0], edges[k, 2]
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
        ids[count, WAY] = ways[k]
        ids[count, OWNER] = e
        m = count
        while m > 0 and pieces[ids[m - 1, ORDER], 4] > pieces[count, 4]:
            ids[m, ORDER] = ids[m - 1, ORDER]
            m -= 1
        ids[m, ORDER] = count
        count += 1
    return count


@leaf
def sweep_row(
    row: int, line: int, layers: Whole, edges: Floats, ways: Whole, use: Bytes, rows: Whole, items: Whole, first: int, last: int,
    mode: Whole, invert: Flags, sums: Whole, two: bool, box: Whole, pieces: Floats, ids: Whole, at: Floats, breaks: Floats, wind: Whole,
) -> tuple[float, float]:  # fmt: skip
    """Add one run's areas in pixel row `row` to sums[0] (one) and, when `two`, sums[1] (passed).

    layers: int64 (entries,), which polygon of each entry counts now; -1 for the marks of a group. rows, items: the edges in each row
    (CSR), this row at `line`. sums: int64 (2, box width + 3). box: (first column, column after the last, picture width).
    Returns the leftmost and rightmost x of anything in the row (left > right when there is nothing).
    """
    count = 0
    for e in range(first, last):
        wind[e] = 0
        if layers[e] >= 0:
            count = _collect(row, line, e, layers[e], edges, ways, rows, items, use, pieces, ids, count)
    if count == 0:
        return 1.0, 0.0
    state = fold(wind, first, last, mode, invert)
    start = 0
    right = pieces[ids[0, ORDER], 5]
    for i in range(1, count + 1):
        if i == count or pieces[ids[i, ORDER], 4] > right:
            state = _group(start, i, pieces, ids, at, breaks, wind, state, first, last, mode, invert, sums, two, box)
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
    """Working arrays of `sweep_row` for up to `most` edges in a row: pieces, ids, at, breaks, wind."""
    most += 1
    return (
        np.empty((most, 6)), np.zeros((most, 3), np.int64), np.empty((most, 3)), np.empty(2 * most), np.zeros(entries, np.int64)
    )  # fmt: skip
