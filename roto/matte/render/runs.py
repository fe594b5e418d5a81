"""Runs: the lines of a stack as the row loop takes them, and what one run holds in one pixel row.

A run is a stretch of lines that combine as areas, or one line of another kind. Each kind has a function here that fills the run's row.
"""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from roto.arrays import Flags, Floats, Whole
from roto.jit import inlined, leaf
from roto.matte.feather.blurred import alpha_in_row, look
from roto.matte.feather.profile import CURVE, SHARE
from roto.matte.feather.reach import thin_row
from roto.matte.feather.variable import varying_row
from roto.matte.raster.coverage import areas, sweep_row
from roto.matte.raster.coverage import scratch as coverage_scratch
from roto.matte.raster.edges import Geometry
from roto.matte.raster.emission import UNIT
from roto.matte.raster.spans import columns, fill, union
from roto.simd import LANE
from roto.tolerances import THIN_REACH

AREA, PLAIN, THIN, DEEP, VARYING, OPEN, CLOSE = range(7)
"""Kinds of run. AREA: lines that combine as areas. The others are one line each: PLAIN has no reach but is see-through, THIN has a reach
below a pixel, DEEP any other, VARYING one that varies along the outline. OPEN puts aside what there is; CLOSE lays what has come together
since onto it: a group.

A deep run is looked at where steps of the exposure meet, and its alpha is the mean over each step. The others are looked at in the middle
of each step.
"""


class Stack(NamedTuple):
    """The runs and the lines of a stack. runs: int64 (R, 3) of kind, first line, line after the last. The others have one item a line:
    mode, whether it is inverted, its opacity, in how many steps of its own the exposure is taken. Marks of groups are lines too."""

    runs: Whole
    mode: Whole
    invert: NDArray[np.bool_]
    opacity: Floats
    counts: Whole


class Feathers(NamedTuple):
    """The soft edges of the lines. soft: (lines, 4) of inner reach, outer reach, edge shift, and how far the boundary lies within the
    reach (where the reach varies: the least it may be), px. curves: (lines, P, 6), the parts of their profiles; those without a share come
    last. which: (lines, P), the parts' integrals in the others, which are stacked `FeatherIntegral`s, wholes being what they are across
    and what lies before them, px; -1 for none."""

    soft: Floats
    curves: Floats
    which: Whole
    cubics: Floats
    tables: Floats
    beyond: Floats
    wholes: Floats


class Crossings(NamedTuple):
    """Working arrays for the edges that cross a row; see `sweep_row` and `crossings_in_row`."""

    pieces: Floats
    ids: Whole
    at: Floats
    before: Whole
    wind: Whole
    deciding: Whole
    where: Floats
    way: Whole


class Scratch(NamedTuple):
    """Working arrays of the row loop, as wide as the box and LANE more at either end where it says so.

    values: float32 (kept, 2, padded), what a run lays on, and what it lets through. change: (kept, padded), how the first of them changes.
    part: (2, padded), both of one part of a profile.
    span: (runs, 2), the columns that hold anything. square, near, lanes, inside, seen: (kept + 1, 2, ...), the nearest edges at the begin
    and end of a step; see `blurred`. sums: (2, width + 3), see `sweep_row`. cur, turn, total, held, held_turn: float32 (width,); gap,
    apart: int32 and int64 (width,), how far a step is from the first, and all of them.
    into: float32 (2 LANE). plain: (lines,), the modes of lines taken by themselves; upright: that none is inverted. grounds: (runs, 2),
    what a run of areas makes of 0 and lets through where none of its outlines is.
    """

    values: NDArray[np.float32]
    change: NDArray[np.float32]
    part: NDArray[np.float32]
    span: Whole
    square: NDArray[np.float32]
    near: NDArray[np.int32]
    lanes: NDArray[np.uint8]
    inside: NDArray[np.uint8]
    seen: Whole
    sums: Whole
    cur: NDArray[np.float32]
    turn: NDArray[np.float32]
    total: NDArray[np.float32]
    held: NDArray[np.float32]
    held_turn: NDArray[np.float32]
    gap: NDArray[np.int32]
    apart: Whole
    into: NDArray[np.float32]
    crossings: Crossings
    plain: Whole
    upright: NDArray[np.bool_]
    grounds: Floats


def scratch(wide: int, steps: int, runs: int, lines: int, most: int) -> Scratch:
    """Working arrays for a box so many px wide and so many edges in a row at most.

    What several steps need of each run is kept by run; else one set serves all, and stays in the processor's cache. The set after the last
    is for thin and varying runs.
    """
    kept, padded, lanes = (runs if steps > 1 else 1), wide + 2 * LANE, wide // LANE + 3
    pieces, ids, at, before, wind, deciding = coverage_scratch(most * lines, lines)
    where, way = np.empty(most * lines + 1), np.empty(most * lines + 1, np.int64)
    crossings = Crossings(pieces, ids, at, before, wind, deciding, where, way)
    cur, turn, total, held, held_turn = np.empty((5, wide), np.float32)
    gap, apart = np.empty(wide, np.int32), np.empty(wide, np.int64)
    return Scratch(
        values=np.zeros((kept, 2, padded), np.float32), change=np.zeros((kept, padded), np.float32),
        part=np.empty((2, padded), np.float32), span=np.zeros((runs, 2), np.int64),
        square=np.full((kept + 1, 2, padded), np.inf, np.float32), near=np.zeros((kept + 1, 2, padded), np.int32),
        lanes=np.zeros((kept + 1, 2, lanes), np.uint8), inside=np.zeros((kept + 1, 2, lanes), np.uint8),
        seen=np.zeros((kept + 1, 2, 2), np.int64), sums=np.zeros((2, wide + 3), np.int64), cur=cur, turn=turn, total=total, held=held,
        held_turn=held_turn, gap=gap, apart=apart, into=np.empty(2 * LANE, np.float32), crossings=crossings,
        plain=np.zeros(lines, np.int64), upright=np.zeros(lines, np.bool_), grounds=np.zeros((runs, 2)),
    )  # fmt: skip


@inlined
def swept(
    row: int, line: int, layer: Whole, first: int, last: int, mode: Whole, invert: Flags, two: bool, box: Whole, geometry: Geometry,
    work: Scratch,
) -> tuple[float, float]:  # fmt: skip
    """Sweep lines [first, last) of a row; see `sweep_row`."""
    c = work.crossings
    return sweep_row(
        row, line, layer, geometry.ends, geometry.ways, geometry.use, geometry.rows, geometry.items, first, last, mode, invert, work.sums,
        two, box, c.pieces, c.ids, c.at, c.before, c.wind, c.deciding,
    )  # fmt: skip


@inlined
def _areas(row, line, r, k, layer, box, stack, feathers, geometry, work):
    """Exact areas of a run: what it lays on and lets through, or what a thin or varying reach is corrected towards."""
    kind, first, last = stack.runs[r, 0], stack.runs[r, 1], stack.runs[r, 2]
    alone, soft = kind != AREA, kind in (THIN, VARYING)
    mode, invert = (work.plain, work.upright) if alone else (stack.mode, stack.invert)
    if soft:
        fill(work.values[k, 1], np.float32(0.0))
    if kind == VARYING and feathers.soft[first, 3] >= THIN_REACH:
        return 0, 0
    two = not alone and r > 0
    left, right = swept(row, line, layer, first, last, mode, invert, two, box, geometry, work)
    lo, hi = columns(left, right, box[0], box[1])
    areas(work.sums, 0, 0.0 if alone else work.grounds[r, 0], lo, hi, 1.0 / UNIT, work.values[k, 1 if soft else 0, LANE:])
    if two:
        areas(work.sums, 1, work.grounds[r, 1], lo, hi, 1.0 / UNIT, work.values[k, 1, LANE:])
    return lo, hi


@inlined
def _thin(row, line, first, k, layer, box, feathers, geometry, work):
    """A line whose reach is thinner than a pixel: corrected towards its exact areas."""
    kept, g, c, at = len(work.values), geometry, work.crossings, layer[first]
    return thin_row(
        row, g.edges, g.ways, g.use, g.items, g.rows[at, line], g.rows[at, line + 1], feathers.soft[first, 0], feathers.soft[first, 1],
        feathers.soft[first, 2], feathers.curves[first], box[0], box[1], work.square[kept, 0], work.near[kept, 0], work.lanes[kept, 0],
        c.where, c.way, work.values[k, 1, LANE:], work.values[k, 0, LANE:],
    )  # fmt: skip


@inlined
def _varying(row, line, first, k, layer, box, feathers, geometry, work):
    """A line whose reach varies along its outline; where some of it is thinner than a pixel, corrected towards its exact areas."""
    kept, g, c, at = len(work.values), geometry, work.crossings, layer[first]
    return varying_row(
        row, g.edges, g.ways, g.use, g.items, g.rows[at, line], g.rows[at, line + 1], feathers.soft[first, 2],
        feathers.soft[first, 3] < THIN_REACH, feathers.curves[first], box[0], box[1], work.change[k], work.square[kept, 0],
        work.near[kept, 0], c.where, c.way, work.values[k, 1, LANE:], work.values[k, 0, LANE:],
    )  # fmt: skip


@inlined
def _deep(row, line, s, first, k, layers, box, feathers, geometry, work):
    """A line with a reach: the mean over a step of its own, from how it lies at both ends of it."""
    g, c = geometry, work.crossings
    quiet, old = layers[0, s, first] == layers[1, s, first], (layers[0, s, first] - layers[0, 0, first]) & 1
    new = 1 - old
    for later in range(2):
        if not later and (s > 0 or quiet):
            continue
        slot, at = (new if later else old), layers[later, s, first]
        if g.rows[at, line] == g.rows[at, line + 1] and work.seen[k, slot, 0] >= work.seen[k, slot, 1]:
            continue  # nothing here, and nothing to clear: most runs of most rows
        look(
            row, g.edges, g.ways, g.use, g.items, g.rows[at, line], g.rows[at, line + 1], box[0], box[1], work.square[k, slot],
            work.near[k, slot], work.lanes[k, slot], work.inside[k, slot], c.where, c.way, work.seen[k, slot],
        )  # fmt: skip
    if quiet:
        old = new
    lo, hi = union(work.seen[k, 0], work.seen[k, 1]) if not quiet else (work.seen[k, new, 0], work.seen[k, new, 1])
    for p in range(len(feathers.which[first])):
        w, curve = feathers.which[first, p], feathers.curves[first, p]
        if w < 0:
            break
        mean, change = (work.values[k, 0], work.change[k]) if p == 0 else (work.part[0], work.part[1])
        alpha_in_row(
            row, lo, hi, work.square[k, old], work.near[k, old], work.lanes[k, old], work.inside[k, old], work.square[k, new],
            work.near[k, new], work.lanes[k, new], work.inside[k, new], g.edges, box[0], feathers.soft[first, 3] - feathers.wholes[w, 1],
            curve[CURVE:], feathers.cubics[w], feathers.tables[w], feathers.beyond[w], feathers.wholes[w, 0], mean, change, work.into,
        )  # fmt: skip
        if curve[SHARE] != 1.0:
            share = np.float32(curve[SHARE])
            _add_part(share, p == 0, mean[LANE + lo : LANE + hi], work.values[k, 0, LANE + lo : LANE + hi])
            _add_part(share, p == 0, change[LANE + lo : LANE + hi], work.change[k, LANE + lo : LANE + hi])
    return lo, hi


@leaf
def _add_part(share, first, part, total):
    """Add a part of a profile to those before it; the first is `total` itself."""
    for x in range(len(total)):
        total[x] = share * part[x] + (np.float32(0.0) if first else total[x])


@inlined
def run_in_row(
    row: int, line: int, s: int, r: int, k: int, steps: int, layers: Whole, box: Whole, stack: Stack, feathers: Feathers,
    geometry: Geometry, work: Scratch,
) -> None:  # fmt: skip
    """Fill in what run `r` lays on in step `s` of so many, in place `k` of the working arrays; notes its columns of the row in `span`."""
    kind, first = stack.runs[r, 0], stack.runs[r, 1]
    if kind == DEEP:
        lo, hi = _deep(row, line, s, first, k, layers, box, feathers, geometry, work)
    else:
        lo, hi = _areas(row, line, r, k, layers[0, s], box, stack, feathers, geometry, work)
        if kind == THIN:
            lo, hi = _thin(row, line, first, k, layers[0, s], box, feathers, geometry, work)
        elif kind == VARYING:
            lo, hi = _varying(row, line, first, k, layers[0, s], box, feathers, geometry, work)
    if kind != DEEP or stack.counts[first] < steps:  # over one of many steps, what is taken in fewer hardly changes
        fill(work.change[k, LANE + lo : LANE + hi], np.float32(0.0))
    work.span[r, 0], work.span[r, 1] = lo, hi
