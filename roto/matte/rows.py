"""The row loop: every step of the exposure, every run of the stack, one pixel row after the other.

Rows do not know of each other and columns only through exact whole-number sums, so any box gives the same bytes as the whole frame.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from roto.compiled import inner, kernel, woven
from roto.lanes import LANE
from roto.matte.coverage import ADD, CUT, KEEP, ONE, PASS, UNIT, areas, fold, sweep_row
from roto.matte.coverage import scratch as coverage_scratch
from roto.matte.moving import alpha_in_row, fill, look
from roto.matte.reach import thin_row
from roto.matte.sides import Geometry
from roto.matte.stretches import columns, put, union, widen
from roto.matte.varying import varying_row
from roto.motion.keys import Floats
from roto.tolerances import THIN_REACH

AREA, PLAIN, THIN, DEEP, VARYING, OPEN, CLOSE = range(7)
"""Runs: entries that combine as areas; or one entry without a reach, but see-through; with a reach thinner than a pixel; with any other;
with one that varies along the outline. OPEN puts aside what there is, and CLOSE lays what has come together since onto it: a group.

A deep run is looked at where steps meet and its alpha is the mean over each step; the others are looked at in the middle of each step.
"""


@inner
def _mix(mode, a, b):
    if mode == ADD:
        return a + b - a * b
    if mode == CUT:
        return a * (1.0 - b)
    return a * b


@inner
def _mix_moving(mode, cur, turn, b, db):
    """`_mix` of means over a step in which either side also changes, evenly, by `turn` and `db`: the mean of a product is that of the
    means plus a twelfth of the changes' product. In loops that compile to vector instructions."""
    zero, one, twelfth = np.float32(0.0), np.float32(1.0), np.float32(1.0 / 12.0)
    if mode == ADD:
        for x in range(len(cur)):
            rest, room = one - b[x], one - cur[x]
            value = one - room * rest - turn[x] * db[x] * twelfth
            value = value if value > zero else zero
            cur[x] = value if value < one else one
            turn[x] = turn[x] * rest + db[x] * room
    elif mode == CUT:
        for x in range(len(cur)):
            rest, here = one - b[x], cur[x]
            value = here * rest - turn[x] * db[x] * twelfth
            cur[x] = value if value > zero else zero
            turn[x] = turn[x] * rest - db[x] * here
    else:
        for x in range(len(cur)):
            here = cur[x]
            value = here * b[x] + turn[x] * db[x] * twelfth
            value = value if value > zero else zero
            cur[x] = value if value < one else one
            turn[x] = turn[x] * b[x] + db[x] * here


@inner
def _apply_line(invert, opacity, mode, b, db):
    """Inversion and opacity of a line of the stack, in place."""
    part = np.float32(-opacity if invert else opacity)
    base = np.float32(opacity if invert else 0.0)
    if mode == KEEP:
        base += np.float32(1.0 - opacity)
    for x in range(len(b)):
        b[x] = base + part * b[x]
        db[x] = part * db[x]


@inner
def _entry_alpha(value, invert, opacity, mode):
    b = 1.0 - value if invert else value
    return 1.0 - opacity * (1.0 - b) if mode == KEEP else opacity * b


@woven
def _combine(kind, mode, invert, opacity, one_ground, pass_ground, value, passed, change, lo, hi, cur, turn, clo, chi, ground):
    """Lay one run onto `cur` (and its change over the step, `turn`); returns its new valid range and its value outside of it."""
    widen(turn, clo, chi, lo, hi, 0.0)
    clo, chi = widen(cur, clo, chi, lo, hi, ground)
    if kind == AREA:
        if one_ground != 0.0 or pass_ground != 1.0:
            for x in range(clo, chi):
                if x < lo or x >= hi:
                    cur[x] = one_ground + pass_ground * cur[x]
                    turn[x] *= pass_ground
        for x in range(lo, hi):
            cur[x] = value[x] + passed[x] * cur[x]
            turn[x] *= passed[x]
        return clo, chi, one_ground + pass_ground * ground
    outside = _entry_alpha(0.0, invert, opacity, mode)
    if outside != (1.0 if mode == KEEP else 0.0):
        left = outside if mode == KEEP else 1.0 - outside
        for x in range(clo, chi):
            if x < lo or x >= hi:
                cur[x] = _mix(mode, cur[x], outside)
                turn[x] *= left
    _mix_moving(mode, cur[lo:hi], turn[lo:hi], value[lo:hi], change[lo:hi])
    return clo, chi, _mix(mode, ground, outside)


@inner
def _close(mode, invert, opacity, held, held_turn, hlo, hhi, held_ground, cur, turn, clo, chi, ground):
    """Lay a group onto what was put aside at its beginning, into `cur` and `turn`; returns the valid range and the value outside of it."""
    _apply_line(invert, opacity, mode, cur[clo:chi], turn[clo:chi])
    outside = _entry_alpha(ground, invert, opacity, mode)
    widen(turn, clo, chi, hlo, hhi, 0.0)
    clo, chi = widen(cur, clo, chi, hlo, hhi, outside)
    widen(held_turn, hlo, hhi, clo, chi, 0.0)
    widen(held, hlo, hhi, clo, chi, held_ground)
    _mix_moving(mode, held[clo:chi], held_turn[clo:chi], cur[clo:chi], turn[clo:chi])
    for x in range(clo, chi):
        cur[x] = held[x]
        turn[x] = held_turn[x]
    return clo, chi, _mix(mode, held_ground, outside)


@inner
def _fill(
    out, row_from, row_to, box, origin, steps, runs, mode, invert, opacity, still, soft, curves, ramps, which, layers, geometry, inverted,
    top, buffers,
):  # fmt: skip
    sides, ways, use, rows, items = geometry
    cubics, tables, beyond, wholes = ramps
    values, change, span, square, near, lanes, inside, seen, sums, line_buffers, of_sides, rest, rest_too, grounds = buffers
    cur, turn, total, held, held_turn, into = line_buffers
    pieces, ids, at, breaks, wind, where, way = of_sides
    box0, box1 = box[0], box[1]
    wide = box1 - box0
    entries = len(mode)
    count = len(runs)
    kept = len(values)
    plain_mode, plain_invert = rest, rest_too
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
                for s in range(steps + 1):
                    if rows[layers[s, e], line + 1] > rows[layers[s, e], line]:
                        moving = True
                        break
        used = steps if moving else 1
        tlo, thi = 0, 0
        ground = 0.0
        if only_area:
            low, high = 1e300, -1e300
            for s in range(used):
                left, right = sweep_row(
                    row, line, layers[s], sides, ways, use, rows, items, runs[0, 1], runs[0, 2], mode, invert, sums, count > 1, box,
                    pieces, ids, at, breaks, wind,
                )  # fmt: skip
                if left <= right:
                    low, high = min(low, left), max(high, right)
            tlo, thi = columns(low, high, box0, box1)
            areas(sums, 0, grounds[0, 0], tlo, thi, 1.0 / (used * UNIT), total)
            ground = grounds[0, 0]
        else:
            for s in range(used):
                clo, chi = 0, 0
                below = 0.0
                hlo, hhi, held_ground = 0, 0, 0.0
                for r in range(count):
                    kind, first, last = runs[r, 0], runs[r, 1], runs[r, 2]
                    if kind == OPEN:
                        for x in range(clo, chi):
                            held[x] = cur[x]
                            held_turn[x] = turn[x]
                        hlo, hhi, held_ground = clo, chi, below
                        clo, chi, below = 0, 0, 0.0
                        continue
                    if kind == CLOSE:
                        clo, chi, below = _close(
                            mode[first], invert[first], opacity[first], held, held_turn, hlo, hhi, held_ground, cur, turn, clo, chi, below,
                        )  # fmt: skip
                        continue
                    k = r if kept > 1 else 0
                    quiet = True
                    for e in range(first, last):
                        quiet = quiet and still[e]
                    if s == 0 or not quiet:
                        lo, hi = 0, 0
                        if kind == DEEP:
                            old, new = s & 1, (s + 1) & 1
                            for later in range(2):
                                if not later and (s > 0 or quiet):
                                    continue
                                slot, layer = (new if later else old), layers[s + (later if not quiet else 0), first]
                                if rows[layer, line] == rows[layer, line + 1] and seen[k, slot, 0] >= seen[k, slot, 1]:
                                    continue  # nothing here, and nothing to clear: most runs of most rows
                                look(
                                    row, sides, ways, use, items, rows[layer, line], rows[layer, line + 1], box0, box1, square[k, slot],
                                    near[k, slot], lanes[k, slot], inside[k, slot], where, way, seen[k, slot],
                                )  # fmt: skip
                            if quiet:
                                old = new
                            lo, hi = union(seen[k, 0], seen[k, 1]) if not quiet else (seen[k, new, 0], seen[k, new, 1])
                            w = which[first]
                            alpha_in_row(
                                row, lo, hi, square[k, old], near[k, old], lanes[k, old], inside[k, old], square[k, new], near[k, new],
                                lanes[k, new], inside[k, new], sides, box0, soft[first, 3], curves[first], cubics[w],
                                tables[w], beyond[w], wholes[w], values[k, 0], change[k], into,
                            )  # fmt: skip
                        elif kind == VARYING:
                            layer = layers[s, first]
                            thin_too = soft[first, 3] < THIN_REACH
                            fill(values[k, 1], np.float32(0.0))
                            if thin_too:
                                left, right = sweep_row(
                                    row, line, layers[s], sides, ways, use, rows, items, first, last, plain_mode, plain_invert, sums,
                                    kind != VARYING, box, pieces, ids, at, breaks, wind,
                                )  # fmt: skip
                                lo, hi = columns(left, right, box0, box1)
                                areas(sums, 0, 0.0, lo, hi, 1.0 / UNIT, values[k, 1, LANE:])
                            lo, hi = varying_row(
                                row, sides, ways, use, items, rows[layer, line], rows[layer, line + 1], soft[first, 2], thin_too,
                                curves[first], box0, box1, change[k], square[kept, 0], near[kept, 0], where, way, values[k, 1, LANE:],
                                values[k, 0, LANE:],
                            )  # fmt: skip
                        else:
                            area = kind == AREA
                            left, right = sweep_row(
                                row, line, layers[s], sides, ways, use, rows, items, first, last, mode if area else plain_mode,
                                invert if area else plain_invert, sums, area and r > 0, box, pieces, ids, at, breaks, wind,
                            )  # fmt: skip
                            lo, hi = columns(left, right, box0, box1)
                            if kind == THIN:
                                fill(values[k, 1], np.float32(0.0))
                                areas(sums, 0, 0.0, lo, hi, 1.0 / UNIT, values[k, 1, LANE:])
                                layer = layers[s, first]
                                lo, hi = thin_row(
                                    row, sides, ways, use, items, rows[layer, line], rows[layer, line + 1], soft[first, 0],
                                    soft[first, 1], soft[first, 2], curves[first], box0, box1, square[kept, 0], near[kept, 0],
                                    lanes[kept, 0], where, way, values[k, 1, LANE:], values[k, 0, LANE:],
                                )  # fmt: skip
                            else:
                                areas(sums, 0, grounds[r, 0], lo, hi, 1.0 / UNIT, values[k, 0, LANE:])
                                if area and r > 0:
                                    areas(sums, 1, grounds[r, 1], lo, hi, 1.0 / UNIT, values[k, 1, LANE:])
                        if kind != DEEP:
                            fill(change[k, LANE + lo : LANE + hi], np.float32(0.0))
                        span[r, 0], span[r, 1] = lo, hi
                        if kind != AREA and (invert[first] or opacity[first] != 1.0):
                            _apply_line(
                                invert[first],
                                opacity[first],
                                mode[first],
                                values[k, 0, LANE + lo : LANE + hi],
                                change[k, LANE + lo : LANE + hi],
                            )
                    lays_nothing = mode[first] != KEEP and not invert[first]
                    if kind == AREA:
                        lays_nothing = grounds[r, 0] == 0.0 and grounds[r, 1] == 1.0
                    if lays_nothing and span[r, 0] >= span[r, 1]:
                        continue
                    clo, chi, below = _combine(
                        kind, mode[first], invert[first], opacity[first], grounds[r, 0], grounds[r, 1], values[k, 0, LANE:],
                        values[k, 1, LANE:], change[k, LANE:], span[r, 0], span[r, 1], cur, turn, clo, chi, below,
                    )  # fmt: skip
                if used == 1:
                    put(cur[clo:chi], out[line], clo, chi, top, inverted)
                    tlo, thi, ground = clo, chi, below
                    break
                tlo, thi = widen(total, tlo, thi, clo, chi, ground)
                if below != 0.0:
                    for x in range(tlo, thi):
                        if x < clo or x >= chi:
                            total[x] += below
                for x in range(clo, chi):
                    total[x] += cur[x]
                ground += below
            if used > 1:
                for x in range(tlo, thi):
                    total[x] = total[x] / np.float32(used)
                ground /= used
        if only_area or used > 1:
            put(total[tlo:thi], out[line], tlo, thi, top, inverted)
        if (1.0 - ground if inverted else ground) != 0.0:
            fill(total, np.float32(ground))
            put(total, out[line], 0, tlo, top, inverted)
            put(total, out[line], thi, wide, top, inverted)


def _buffers(wide: int, steps: int, runs: int, entries: int, most: int) -> tuple:
    """Working arrays of the row loop: what several steps need of each run is kept by run; else one set serves all, and stays in the
    processor's cache. The set after the last is for thin runs."""
    kept, padded, lanes = (runs if steps > 1 else 1), wide + 2 * LANE, wide // LANE + 3
    of_sides = (*coverage_scratch(most * entries, entries), np.empty(most * entries + 1), np.empty(most * entries + 1, np.int64))
    return (
        np.zeros((kept, 2, padded), np.float32), np.zeros((kept, padded), np.float32), np.zeros((runs, 2), np.int64),
        np.full((kept + 1, 2, padded), np.inf, np.float32), np.zeros((kept + 1, 2, padded), np.int32),
        np.zeros((kept + 1, 2, lanes), np.uint8), np.zeros((kept + 1, 2, lanes), np.uint8), np.zeros((kept + 1, 2, 2), np.int64),
        np.zeros((2, wide + 3), np.int64), (*np.empty((5, wide), np.float32), np.empty(2 * LANE, np.float32)),
        of_sides, np.zeros(entries, np.int64), np.zeros(entries, np.bool_), np.zeros((runs, 2)),
    )  # fmt: skip


@kernel
def _run(out, part, box, origin, steps, stack, soft, curves, ramps, which, layers, geometry, inverted, top, buffers):
    runs, mode, invert, opacity, still = stack
    _fill(
        out, part[0], part[1], box, origin, steps, runs, mode, invert, opacity, still, soft, curves, ramps, which, layers, geometry,
        inverted, top, buffers,
    )  # fmt: skip


def render_rows(
    out: NDArray[Any], part: tuple[int, int], box: tuple[int, int, int], origin: int, steps: int, stack: tuple, soft: Floats,
    curves: Floats, ramps: tuple[Floats, ...], which: NDArray[np.int64], layers: NDArray[np.int64], geometry: Geometry, most: int,
    inverted: bool, top: int,
) -> None:  # fmt: skip
    """Fill out[part[0] - origin : part[1] - origin] with alpha.

    out: (box rows, box columns), 0 so far: float32 where `top` is 0, else whole numbers up to `top`. box: (first column, column after the
    last, picture width). origin: the box's first row. stack: runs, int64 (R, 3) of kind, first entry, entry after the last; and per
    entry mode, invert, opacity, and whether it stands still. The marks of a group are entries without polygons: layer -1.
    soft: float64 (entries, 4) of inner and outer reach, edge shift, and how far the boundary lies within the reach (where that varies:
    the least it may be). curves: profiles per entry. ramps: those in use (see `ramp`), which: the entry's. layers: int64 (steps + 1,
    entries), the polygon of each entry where steps meet (deep runs) or in each step. geometry: see `sides`, and the sides in each row
    per layer (CSR). most: sides of one layer in any one row.
    """
    buffers = _buffers(box[1] - box[0], steps, len(stack[0]), len(soft), most)
    _run(out.view(np.uint8), part, box, origin, steps, stack, soft, curves, ramps, which, layers, geometry, inverted, top, buffers)
