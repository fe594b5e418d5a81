"""The row loop: every step of the exposure, every run of the stack, one pixel row after the other.

Rows do not know of each other, and columns only through exact sums of whole numbers. So any box gives the same bytes as the whole frame.
"""

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from roto.jit import inlined, kernel, leaf
from roto.matte.modes import KEEP, ONE, PASS
from roto.matte.raster.coverage import areas
from roto.matte.raster.edges import Geometry
from roto.matte.raster.emission import UNIT
from roto.matte.raster.folding import fold
from roto.matte.raster.spans import columns, fill, put, widen
from roto.matte.render.mixing import apply_line, close, combine
from roto.matte.render.runs import AREA, CLOSE, OPEN, Feathers, Scratch, Stack, run_in_row, scratch, swept
from roto.simd import LANE

FINE = np.float32(1 << 22)
"""what a difference of 1 is in whole numbers"""


class Frame(NamedTuple):
    """A frame made ready for the row loop.

    box: first column, column after the last, picture width. origin: the box's first row. steps: of the exposure. layers: int64 (2, steps,
    lines), the polygon of each line in each step, for deep runs those at both ends of the line's own step; -1 for marks of groups. most:
    edges of one polygon in any one row. inverted: the whole matte. top: what stands for 1 in the picture; see `DEPTHS`.
    """

    box: tuple[int, int, int]
    origin: int
    steps: int
    stack: Stack
    feathers: Feathers
    layers: NDArray[np.int64]
    geometry: Geometry
    most: int
    inverted: bool
    top: int


@leaf
def _grounds(stack, work):
    """Note what each run of areas makes of the alpha below it where none of its outlines is."""
    for r in range(len(stack.runs)):
        if stack.runs[r, 0] == AREA:
            state = fold(work.plain, stack.runs[r, 1], stack.runs[r, 2], stack.mode, stack.invert)
            if state == PASS and r == 0:
                state = 0
            work.grounds[r, 0] = 1.0 if state == ONE else 0.0
            work.grounds[r, 1] = 1.0 if state == PASS else 0.0


@leaf
def _stride(line, steps, counts, layers, rows):
    """How many steps of the exposure are one for all that lies in a row."""
    used = 1
    for e in range(len(counts)):
        if used % counts[e]:
            for layer in range(layers[0, 0, e], layers[1, steps - 1, e] + 1):
                if rows[layer, line + 1] > rows[layer, line]:
                    a, b = used, counts[e]
                    while b:
                        a, b = b, a % b
                    used *= counts[e] // a
                    break
    return steps // used


@inlined
def _only_areas(row, line, steps, stride, box, stack, layers, geometry, work):
    """A row of a stack that is one run of areas: all steps are summed up at once. Returns its columns and the value outside of them."""
    low, high = 1e300, -1e300
    used = steps // stride
    for s in range(0, steps, stride):
        now = layers[0, s]
        left, right = swept(row, line, now, stack.runs[0, 1], stack.runs[0, 2], stack.mode, stack.invert, False, box, geometry, work)
        if left <= right:
            low, high = min(low, left), max(high, right)
    lo, hi = columns(low, high, box[0], box[1])
    areas(work.sums, 0, work.grounds[0, 0], lo, hi, 1.0 / (used * UNIT), work.total)
    return lo, hi, work.grounds[0, 0]


@inlined
def _lays_nothing(r, stack, work):
    """Whether a run changes nothing where none of its outlines is."""
    first = stack.runs[r, 1]
    if stack.runs[r, 0] == AREA:
        return work.grounds[r, 0] == 0.0 and work.grounds[r, 1] == 1.0
    return stack.mode[first] != KEEP and not stack.invert[first]


@leaf
def _stands(r, s, before, stack, layers):
    """Whether nothing of a run has moved on since an earlier step."""
    stands = True
    for e in range(stack.runs[r, 1], stack.runs[r, 2]):
        stands = stands and layers[0, s, e] == layers[0, before, e]
    return stands


@leaf
def _one_step(row, line, s, stride, steps, box, stack, feathers, layers, geometry, work):
    """The matte of a step of the exposure in a row, into `cur`; after the first step only where something has moved on since the one
    before. Returns the columns that it is made in, those that hold anything, and the value outside of them."""
    clo, chi, below = 0, 0, 0.0
    hlo, hhi, held_ground = 0, 0, 0.0
    cur, turn = work.cur, work.turn
    count, each = len(stack.runs), len(work.values) > 1
    wlo, whi = (0, 0) if s else (0, box[1] - box[0])
    for part in range(1 if each else count):  # where all runs share one set of arrays, each is laid on as soon as it is there
        begin, end = (0, count) if each else (part, part + 1)
        for r in range(begin, end):
            kind, first, k = stack.runs[r, 0], stack.runs[r, 1], r if each else 0
            if kind in (OPEN, CLOSE) or (s and _stands(r, s, s - stride, stack, layers)):
                continue
            for after in range(2):
                if after:
                    run_in_row(row, line, s, r, k, steps, layers, box, stack, feathers, geometry, work)
                lo, hi = work.span[r, 0], work.span[r, 1]
                if s and lo < hi:
                    wlo, whi = (min(wlo, lo), max(whi, hi)) if wlo < whi else (lo, hi)
            invert, opacity = stack.invert[first], stack.opacity[first]
            if kind != AREA and (invert or opacity != 1.0):
                value, change = work.values[k, 0, LANE + lo : LANE + hi], work.change[k, LANE + lo : LANE + hi]
                apply_line(invert, opacity, stack.mode[first], value, change)
        if wlo >= whi:
            return wlo, whi, clo, chi, below
        for r in range(begin, end):
            kind, first, k = stack.runs[r, 0], stack.runs[r, 1], r if each else 0
            if kind == OPEN:
                for x in range(clo, chi):
                    work.held[x] = cur[x]
                    work.held_turn[x] = turn[x]
                hlo, hhi, held_ground = clo, chi, below
                clo, chi, below = 0, 0, 0.0
                continue
            mode, invert, opacity = stack.mode[first], stack.invert[first], stack.opacity[first]
            if kind == CLOSE:
                clo, chi, below = close(
                    mode, invert, opacity, work.held, work.held_turn, hlo, hhi, held_ground, cur, turn, clo, chi, below,
                )  # fmt: skip
                continue
            lo, hi = max(work.span[r, 0], wlo), min(work.span[r, 1], whi)
            if lo >= hi:
                lo, hi = 0, 0
                if _lays_nothing(r, stack, work):
                    continue
            clo, chi, below = combine(
                kind == AREA, mode, invert, opacity, work.grounds[r, 0], work.grounds[r, 1], work.values[k, 0, LANE:],
                work.values[k, 1, LANE:], work.change[k, LANE:], lo, hi, cur, turn, clo, chi, below,
            )  # fmt: skip
    return wlo, whi, clo, chi, below


@leaf
def _widen_whole(buffer, lo, hi, to_lo, to_hi):
    """Make a buffer of whole numbers valid over the union of both ranges, 0 where it is new; returns it."""
    if lo >= hi:
        lo, hi = to_lo, to_lo
    for x in range(to_lo, lo):
        buffer[x] = 0
    for x in range(hi, to_hi):
        buffer[x] = 0
    return min(lo, to_lo), max(hi, to_hi)


@leaf
def _apart(first, cur, gap):
    """How far values of a step are from those of the first."""
    for x in range(len(gap)):
        gap[x] = np.int32(np.rint((cur[x] - first[x]) * FINE))


@leaf
def _and_again(apart, gap, times):
    for x in range(len(gap)):
        apart[x] += gap[x] * times


@leaf
def _mean(total, apart, part):
    for x in range(len(apart)):
        total[x] += np.float32(apart[x]) * part


@inlined
def _mean_of_steps(row, line, steps, stride, box, stack, feathers, layers, geometry, work):
    """The mean over the steps in a row, into `total`. Returns its columns and the value outside of them, which is the same in all steps.

    What a step differs by from the first is added up in whole numbers, so that a pixel's bytes depend on nothing but what covers it."""
    total, cur, gap, apart = work.total, work.cur, work.gap, work.apart
    _, _, lo, hi, below = _one_step(row, line, np.int64(0), stride, steps, box, stack, feathers, layers, geometry, work)
    ground = np.float32(below)
    for x in range(lo, hi):
        total[x] = cur[x]
    glo, ghi = 0, 0
    for s in range(stride, steps, stride):
        wlo, whi, clo, chi, _ = _one_step(row, line, s, stride, steps, box, stack, feathers, layers, geometry, work)
        if wlo < whi:
            lo, hi = widen(total, lo, hi, wlo, whi, ground)
            _widen_whole(apart, glo, ghi, wlo, whi)
            glo, ghi = _widen_whole(gap, glo, ghi, wlo, whi)
            widen(cur, clo, chi, wlo, whi, ground)
            _apart(total[wlo:whi], cur[wlo:whi], gap[wlo:whi])
        _and_again(apart[glo:ghi], gap[glo:ghi], np.int32(stride))
    _mean(total[glo:ghi], apart[glo:ghi], np.float32(1.0 / (steps * FINE)))
    return lo, hi, ground


@kernel
def _render(out, begin, end, frame, work):
    stack, layers, geometry, box, steps = frame.stack, frame.layers, frame.geometry, frame.box, frame.steps
    wide = box[1] - box[0]
    _grounds(stack, work)
    only_area = len(stack.runs) == 1 and stack.runs[0, 0] == AREA
    for row in range(begin, end):
        line = row - frame.origin
        stride = _stride(line, steps, stack.counts, layers, geometry.rows)
        shown = work.total
        if only_area:
            lo, hi, ground = _only_areas(row, line, steps, stride, box, stack, layers, geometry, work)
        elif stride < steps:
            lo, hi, ground = _mean_of_steps(row, line, steps, stride, box, stack, frame.feathers, layers, geometry, work)
        else:
            _, _, lo, hi, ground = _one_step(row, line, np.int64(0), steps, steps, box, stack, frame.feathers, layers, geometry, work)
            shown = work.cur
        put(shown[lo:hi], out[line], lo, hi, frame.top, frame.inverted)
        if (1.0 - ground if frame.inverted else ground) != 0.0:
            fill(work.total, np.float32(ground))
            put(work.total, out[line], 0, lo, frame.top, frame.inverted)
            put(work.total, out[line], hi, wide, frame.top, frame.inverted)


def render_rows(out: NDArray[Any], begin: int, end: int, frame: Frame) -> None:
    """Fill the pixel rows [begin, end) of a frame's box with alpha.

    out: (box rows, box columns), 0 so far: float32 where `frame.top` is 0, else whole numbers up to it.
    """
    work: Scratch = scratch(frame.box[1] - frame.box[0], frame.steps, len(frame.stack.runs), len(frame.stack.mode), frame.most)
    _render(out.view(np.uint8), begin, end, frame, work)
