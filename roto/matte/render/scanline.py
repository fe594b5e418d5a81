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


class Frame(NamedTuple):
    """A frame made ready for the row loop.

    box: first column, column after the last, picture width. origin: the box's first row. steps: of the exposure. layers: int64 (steps + 1,
    lines), the polygon of each line where steps meet (deep runs) or in each step; -1 for marks of groups. most: edges of one polygon in
    any one row. inverted: the whole matte. top: what stands for 1 in the picture; see `DEPTHS`.
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
def _moves(line, steps, still, layers, rows):
    """Whether anything that moves in the exposure lies in a row."""
    for e in range(len(still)):
        if not still[e]:
            for s in range(steps + 1):
                if rows[layers[s, e], line + 1] > rows[layers[s, e], line]:
                    return True
    return False


@inlined
def _only_areas(row, line, used, box, stack, layers, geometry, work):
    """A row of a stack that is one run of areas: all steps are summed up at once. Returns its columns and the value outside of them."""
    low, high = 1e300, -1e300
    for s in range(used):
        left, right = swept(row, line, layers[s], stack.runs[0, 1], stack.runs[0, 2], stack.mode, stack.invert, False, box, geometry, work)
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
def _one_step(row, line, s, box, stack, feathers, layers, geometry, work):
    """The matte of a step of the exposure in a row, into `cur`. Returns its columns and the value outside of them."""
    clo, chi, below = 0, 0, 0.0
    hlo, hhi, held_ground = 0, 0, 0.0
    cur, turn, kept = work.cur, work.turn, len(work.values)
    for r in range(len(stack.runs)):
        kind, first, last = stack.runs[r, 0], stack.runs[r, 1], stack.runs[r, 2]
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
        k = r if kept > 1 else 0
        quiet = True
        for e in range(first, last):
            quiet = quiet and stack.still[e]
        if s == 0 or not quiet:
            run_in_row(row, line, s, r, k, quiet, layers, box, stack, feathers, geometry, work)
            lo, hi = work.span[r, 0], work.span[r, 1]
            if kind != AREA and (invert or opacity != 1.0):
                apply_line(invert, opacity, mode, work.values[k, 0, LANE + lo : LANE + hi], work.change[k, LANE + lo : LANE + hi])
        lo, hi = work.span[r, 0], work.span[r, 1]
        if lo >= hi and _lays_nothing(r, stack, work):
            continue
        clo, chi, below = combine(
            kind == AREA, mode, invert, opacity, work.grounds[r, 0], work.grounds[r, 1], work.values[k, 0, LANE:], work.values[k, 1, LANE:],
            work.change[k, LANE:], lo, hi, cur, turn, clo, chi, below,
        )  # fmt: skip
    return clo, chi, below


@inlined
def _mean_of_steps(row, line, used, box, stack, feathers, layers, geometry, work):
    """The mean over so many steps in a row, into `total`. Returns its columns and the value outside of them, which is summed up in the same
    numbers as those within: which columns these are depends on the box."""
    lo, hi, ground = 0, 0, np.float32(0.0)
    total, cur = work.total, work.cur
    for s in range(used):
        clo, chi, outside = _one_step(row, line, s, box, stack, feathers, layers, geometry, work)
        below = np.float32(outside)
        lo, hi = widen(total, lo, hi, clo, chi, ground)
        if below != np.float32(0.0):
            for x in range(lo, hi):
                if x < clo or x >= chi:
                    total[x] += below
        for x in range(clo, chi):
            total[x] += cur[x]
        ground += below
    for x in range(lo, hi):
        total[x] = total[x] / np.float32(used)
    return lo, hi, ground / np.float32(used)


@kernel
def _render(out, begin, end, frame, work):
    stack, layers, geometry, box = frame.stack, frame.layers, frame.geometry, frame.box
    wide = box[1] - box[0]
    _grounds(stack, work)
    only_area = len(stack.runs) == 1 and stack.runs[0, 0] == AREA
    for row in range(begin, end):
        line = row - frame.origin
        used = frame.steps if _moves(line, frame.steps, stack.still, layers, geometry.rows) else 1
        shown = work.total
        if only_area:
            lo, hi, ground = _only_areas(row, line, used, box, stack, layers, geometry, work)
        elif used > 1:
            lo, hi, ground = _mean_of_steps(row, line, used, box, stack, frame.feathers, layers, geometry, work)
        else:
            lo, hi, ground = _one_step(row, line, 0, box, stack, frame.feathers, layers, geometry, work)
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
