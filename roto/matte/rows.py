"""The row loop: every sample of the exposure, every run of the stack, one pixel row after the other.

Rows do not know of each other and columns only through exact whole-number sums, so any box gives the same bytes as the whole frame.
"""

import numpy as np

from roto.compiled import inner, kernel
from roto.matte.coverage import ADD, CUT, KEEP, ONE, PASS, UNIT, areas, fold, sweep_row
from roto.matte.reach import soft_row
from roto.tolerances import THIN_REACH

AREA, SOFT, PLAIN = 0, 1, 2
"""Runs: entries that combine as areas; one entry with a reach or edge shift; one entry without either, but see-through."""


@inner
def _columns(left, right, box0, box1):
    width = box1 - box0
    if left > right:
        return 0, 0
    lo = int(min(max(np.floor(left) - box0, 0.0), width))
    hi = int(min(max(np.floor(right) + 1.0 - box0, 0.0), width))
    return lo, max(lo, hi)


@inner
def _widen(buffer, lo, hi, to_lo, to_hi, ground):
    """Make `buffer` valid over the union of both ranges; returns it."""
    if to_lo >= to_hi:
        return lo, hi
    if lo >= hi:
        buffer[to_lo:to_hi] = ground
        return to_lo, to_hi
    if to_lo < lo:
        buffer[to_lo:lo] = ground
        lo = to_lo
    if to_hi > hi:
        buffer[hi:to_hi] = ground
        hi = to_hi
    return lo, hi


@inner
def _mix(mode, a, b):
    if mode == ADD:
        return a + b - a * b
    if mode == CUT:
        return a * (1.0 - b)
    return a * b


@inner
def _mix_all(mode, cur, b):
    """`_mix` over a stretch, in loops that compile to vector instructions."""
    one = np.float32(1.0)
    if mode == ADD:
        for x in range(len(cur)):
            cur[x] = cur[x] + b[x] - cur[x] * b[x]
    elif mode == CUT:
        for x in range(len(cur)):
            cur[x] = cur[x] * (one - b[x])
    else:
        for x in range(len(cur)):
            cur[x] = cur[x] * b[x]


@inner
def _entry_alpha(value, invert, opacity, mode):
    b = 1.0 - value if invert else value
    return 1.0 - opacity * (1.0 - b) if mode == KEEP else opacity * b


@inner
def _combine(kind, mode, invert, opacity, one_ground, pass_ground, one, passed, lo, hi, cur, clo, chi, ground):
    """Lay one run onto `cur`; returns its new valid range and its value outside of it."""
    clo, chi = _widen(cur, clo, chi, lo, hi, ground)
    if kind == AREA:
        if one_ground != 0.0 or pass_ground != 1.0:
            for x in range(clo, chi):
                if x < lo or x >= hi:
                    cur[x] = one_ground + pass_ground * cur[x]
        for x in range(lo, hi):
            cur[x] = one[x] + passed[x] * cur[x]
        return clo, chi, one_ground + pass_ground * ground
    outside = _entry_alpha(0.0, invert, opacity, mode)
    if outside != (1.0 if mode == KEEP else 0.0):
        for x in range(clo, chi):
            if x < lo or x >= hi:
                cur[x] = _mix(mode, cur[x], outside)
    if not invert and opacity == 1.0:
        _mix_all(mode, cur[lo:hi], one[lo:hi])
    else:
        for x in range(lo, hi):
            cur[x] = _mix(mode, cur[x], _entry_alpha(one[x], invert, opacity, mode))
    return clo, chi, _mix(mode, ground, outside)


@kernel
def render_rows(
    out,
    row_from,
    row_to,
    box,
    origin,
    samples,
    runs,
    mode,
    invert,
    opacity,
    still,
    soft,
    curves,
    tables,
    layers,
    geometry,
    scratch,
    inverted,
):
    """Fill out[row_from - origin : row_to - origin] with alpha.

    out: float32 (box rows, box columns). box: (first column, column after the last, picture width). origin: the box's first row.
    runs: int64 (R, 3) of kind, first entry, entry after the last. mode, invert, opacity, still: per entry. soft: float64 (entries, 3)
    of inner and outer reach and edge shift. curves, tables: profiles per entry, and their averaged ends. layers: int64 (samples,
    entries), polygon of each entry.
    geometry: sides (S, 4) with y rising, ways, uses, and the sides in each row per layer (CSR).
    """
    sides, ways, use, rows, items = geometry
    box0, box1 = box[0], box[1]
    wide = box1 - box0
    entries = len(mode)
    count = len(runs)
    plain_mode = np.zeros(entries, np.int64)
    plain_invert = np.zeros(entries, np.bool_)
    sums = np.zeros((2, wide + 3), np.int64)
    values = np.zeros((count, 2, wide), np.float32)
    span = np.zeros((count, 2), np.int64)
    cur = np.empty(wide, np.float32)
    total = np.empty(wide, np.float32)
    square = np.empty(wide, np.float32)
    near = np.empty(wide, np.int32)
    pieces, ids, at, breaks, wind = scratch
    where = np.empty(len(pieces))
    way = np.empty(len(pieces), np.int64)
    rest = np.zeros(entries, np.int64)
    grounds = np.zeros((count, 2))
    for r in range(count):
        if runs[r, 0] == AREA:
            state = fold(rest, runs[r, 1], runs[r, 2], mode, invert)
            if state == PASS and r == 0:
                state = 0
            grounds[r, 0] = 1.0 if state == ONE else 0.0
            grounds[r, 1] = 1.0 if state == PASS else 0.0
    only_area = count == 1 and runs[0, 0] == AREA
    for row in range(row_from, row_to):
        line = row - origin
        moving = False
        for e in range(entries):
            if not still[e]:
                for s in range(samples):
                    if rows[layers[s, e], line + 1] > rows[layers[s, e], line]:
                        moving = True
                        break
        used = samples if moving else 1
        tlo, thi = 0, 0
        ground = 0.0
        if only_area:
            low, high = 1e300, -1e300
            for s in range(used):
                left, right = sweep_row(
                    row, line, layers[s], sides, ways, use, rows, items, 0, entries, mode, invert, sums, False, box,
                    pieces, ids, at, breaks, wind,
                )  # fmt: skip
                if left <= right:
                    low, high = min(low, left), max(high, right)
            tlo, thi = _columns(low, high, box0, box1)
            areas(sums, 0, grounds[0, 0], tlo, thi, 1.0 / (used * UNIT), total)
            ground = grounds[0, 0]
        else:
            for s in range(used):
                clo, chi = 0, 0
                below = 0.0
                for r in range(count):
                    kind, first, last = runs[r, 0], runs[r, 1], runs[r, 2]
                    quiet = True
                    for e in range(first, last):
                        quiet = quiet and still[e]
                    if s == 0 or not quiet:
                        lo, hi = 0, 0
                        area = kind == AREA
                        if area or kind == PLAIN or soft[first, 0] + soft[first, 1] + abs(soft[first, 2]) < THIN_REACH:
                            left, right = sweep_row(
                                row, line, layers[s], sides, ways, use, rows, items, first, last, mode if area else plain_mode,
                                invert if area else plain_invert, sums, area and r > 0, box, pieces, ids, at, breaks, wind,
                            )  # fmt: skip
                            lo, hi = _columns(left, right, box0, box1)
                            if kind == SOFT:
                                values[r, 1, :] = 0.0
                                areas(sums, 0, 0.0, lo, hi, 1.0 / UNIT, values[r, 1])
                            else:
                                areas(sums, 0, grounds[r, 0], lo, hi, 1.0 / UNIT, values[r, 0])
                                if area and r > 0:
                                    areas(sums, 1, grounds[r, 1], lo, hi, 1.0 / UNIT, values[r, 1])
                        if kind == SOFT:
                            layer = layers[s, first]
                            lo, hi = soft_row(
                                row, sides, ways, use, items, rows[layer, line], rows[layer, line + 1], soft[first, 0], soft[first, 1],
                                soft[first, 2], curves[first], tables[first], box0, box1, square, near, where, way, values[r, 1],
                                values[r, 0],
                            )  # fmt: skip
                        span[r, 0], span[r, 1] = lo, hi
                    clo, chi, below = _combine(
                        kind, mode[first], invert[first], opacity[first], grounds[r, 0], grounds[r, 1], values[r, 0], values[r, 1],
                        span[r, 0], span[r, 1], cur, clo, chi, below,
                    )  # fmt: skip
                tlo, thi = _widen(total, tlo, thi, clo, chi, ground)
                if below != 0.0:
                    total[tlo:clo] += below
                    total[chi:thi] += below
                for x in range(clo, chi):
                    total[x] += cur[x]
                ground += below
            for x in range(tlo, thi):
                total[x] = total[x] / np.float32(used)
            ground /= used
        out[line, :tlo] = ground
        out[line, tlo:thi] = total[tlo:thi]
        out[line, thi:] = ground
        if inverted:
            for x in range(wide):
                out[line, x] = 1.0 - out[line, x]
