"""A reach that varies along the outline: a row of pixels of one outline at a moment.

Every place p of the outline has an outer reach o(p) and an inner one i(p) (with the edge shift in them), so that a pixel at a distance d
from it lies at t = (o +- d) / (o + i) of the way into the reach, plus inside and minus outside. Of all places that face the pixel (a reach
does not go through the shape) the one counts that lets least in: the largest t outside, the least inside. The largest and the least of
continuous functions are continuous, also where another piece of the outline becomes the nearest; with the same reach everywhere this is
what `reach` has. Alpha is the profile at t, averaged over the pixel. A reach thinner than a pixel is corrected to the exact coverage.
"""

import numpy as np

from roto.arrays import Bytes, Floats, Singles, Smalls, Whole
from roto.jit import leaf
from roto.matte.feather.profile import average
from roto.matte.feather.reach import NO_REACH, columns_beside, crossings_in_row, from_edge
from roto.matte.raster.edges import (
    HAND,
    INNER,
    INNER_BY,
    LONG,
    OUTER,
    OUTER_BY,
    TX,
    TY,
)
from roto.tolerances import SOFT_MARGIN, THIN_REACH

UNSEEN = 1e30


@leaf
def _hands(first, last, where, way, count, box0, hand):
    """1 where a pixel's centre is inside, -1 where it is outside."""
    for x in range(first, last):
        hand[x] = -1.0
    winding = 0
    for c in range(count):
        winding += way[c]
        if winding == 0:
            continue
        a = max(first, int(np.ceil(min(max(where[c] - box0 - 0.5, first), last))))
        b = last
        if c + 1 < count:
            b = min(last, int(np.ceil(min(max(where[c + 1] - box0 - 0.5, first), last))))
        for x in range(a, b):
            hand[x] = 1.0


@leaf
def _note(first, last, column, x0, dy, tx, ty, long, face, outer, outer_by, whole, whole_by, which, hand, best, near):
    """What a side makes of the pixels [first, last): the least of hand t, and whose it is.

    In single precision, in a loop that compiles to vector instructions. column: the centre of the box's first one; x0: the side's start.
    whole: the reach, outer and inner.
    """
    zero, slack, unseen, least = np.float32(0.0), np.float32(-1e-4), np.float32(1e30), np.float32(NO_REACH)
    for x in range(first, last):
        px = np.float32(column + x - x0)  # from the picture's own columns, so that numbers do not depend on the box
        way = px * tx + dy * ty
        off = (dy * tx - px * ty) * face
        side = hand[x]
        s = min(max(way, zero), long)
        away = np.sqrt(off * off + (way - s) * (way - s))
        t = (side * (outer + outer_by * s) + away) / max(whole + whole_by * s, least)
        t = t if side * off >= slack else unseen
        near[x] = which if t < best[x] else near[x]
        best[x] = t if t < best[x] else best[x]


@leaf
def varying_row(
    row: int, edges: Floats, ways: Whole, use: Bytes, items: Whole, begin: int, end: int, shift: float, thin_too: bool, profile: Floats,
    box0: int, box1: int, hand: Singles, best: Singles, near: Smalls, where: Floats, way: Whole, thin: Singles, alpha: Singles,
) -> tuple[int, int]:  # fmt: skip
    """Alpha of one outline in a pixel row. `thin` holds its exact coverage where some of its reach is thinner than a pixel (thin_too).

    hand, best: float32, near: int32, as wide as the box, for the work. Returns the columns [lo, hi), relative to the box, in which
    `alpha` was set; it is 0 elsewhere.
    """
    yc = row + 0.5
    width = box1 - box0
    count = crossings_in_row(row, edges, ways, use, items, begin, end, where, way)
    lo, hi = width, 0
    for q in range(begin, end):
        k = items[q]
        if not use[k] & 2:
            continue
        first, last = columns_beside(edges, k, yc - edges[k, 1], box0, box1)
        if first < last:
            lo, hi = min(lo, first), max(hi, last)
    if count:
        lo = min(lo, int(min(max(np.floor(where[0]) - box0, 0.0), width)))
        hi = max(hi, int(min(max(np.floor(where[count - 1]) + 1.0 - box0, 0.0), width)))
    if lo >= hi:
        return 0, 0
    _hands(lo, hi, where, way, count, box0, hand)
    for x in range(lo, hi):
        best[x] = np.float32(UNSEEN)
    for q in range(begin, end):
        k = items[q]
        if not use[k] & 2:
            continue
        dy = yc - edges[k, 1]
        first, last = columns_beside(edges, k, dy, box0, box1)
        if first >= last:
            continue
        _note(
            first, last, box0 + 0.5, edges[k, 0], np.float32(dy), np.float32(edges[k, TX]), np.float32(edges[k, TY]),
            np.float32(edges[k, LONG]), np.float32(edges[k, HAND]), np.float32(edges[k, OUTER] + shift), np.float32(edges[k, OUTER_BY]),
            np.float32(edges[k, OUTER] + edges[k, INNER]), np.float32(edges[k, OUTER_BY] + edges[k, INNER_BY]), np.int32(k), hand, best,
            near,
        )  # fmt: skip
    for x in range(lo, hi):
        side = np.float64(hand[x])
        alpha[x] = max(0.0, side)
        if best[x] >= UNSEEN:
            continue
        k = near[x]
        nx, ny = from_edge(edges, k, x + box0 + 0.5, yc)
        d = np.sqrt(nx * nx + ny * ny)
        at = (x + box0 + 0.5 - nx - edges[k, 0]) * edges[k, TX] + (yc - ny - edges[k, 1]) * edges[k, TY]
        outer, inner = edges[k, OUTER] + at * edges[k, OUTER_BY], edges[k, INNER] + at * edges[k, INNER_BY]
        if side * d > inner - shift + SOFT_MARGIN or side * d < -outer - shift - SOFT_MARGIN:
            continue
        if d > 1e-9:
            nx, ny = abs(nx) / d, abs(ny) / d
        else:
            nx, ny = abs(edges[k, TY]), abs(edges[k, TX])
        whole = max(outer + inner, NO_REACH)
        signed = side * d + shift
        value = average(profile, (signed + outer) / whole, nx / whole, ny / whole)
        if thin_too:
            blend = min(1.0, max(0.0, THIN_REACH - (outer + inner) - abs(shift)))
            if blend > 0.0:
                plain = average(profile, (side * d + 0.5 * NO_REACH) / NO_REACH, nx / NO_REACH, ny / NO_REACH)
                value = value + (thin[x] - plain) * blend
        value = min(1.0, max(0.0, value))
        alpha[x] = 0.0 if value < 1e-9 else (1.0 if value > 1.0 - 1e-9 else value)
    return lo, hi
