"""Edges: the polygons of every layer (an outline at a moment), made ready for the row loop."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from roto.arrays import Bytes, Flags, Floats, Whole
from roto.curve.boundary import BOUNDS, WINDS, marked_edges
from roto.jit import kernel, leaf

TX, TY, LONG, CAP0, CAP1, BESIDE, BESIDE0, BESIDE1, ALONG, ALONG0, ALONG1, SMALL, HAND, OUTER, OUTER_BY, INNER, INNER_BY, COLUMNS = range(
    4, 22
)
"""Columns of a side beside its ends: its unit direction, its length, and how far the wedges at its ends lean (sine of the turn). Then what
may be nearest to it, in a row dy below its start: columns from max(BESIDE dy + BESIDE0, ALONG dy + ALONG0) to min(BESIDE dy + BESIDE1,
ALONG dy + ALONG1), the first pair being the strip beside it as wide as distances are wanted, the other its length with the wedges. Last
the smaller part of its direction, -1 where a corner is near enough to make another direction count. Where the reach varies along the
outline: on which hand the filled area lies (1 for that of (-TY, TX)), and the outer and inner reach at its start, with their change per
px."""
SHARP = 0.1
"""the sine of a turn from which a corner is more than a curve's"""
CORNER = 0.33
"""the sine of a turn from which it is a corner: flattened for a reach, a curve turns so much only where its radius is below 1.5 px"""
MOST_LEAN = 2.0
"""of a distance: how far along the outline from the nearest place the one may lie that counts most"""
FAR = 1e8
"""px: a bound that is none"""
SLACK = 1e-3
"""px: edges that meet overlap by this, so that no pixel falls between them"""


class Geometry(NamedTuple):
    """The edges of all layers. ends: (S, 4), x and y of both, with y rising: all that areas want, close together. edges: (S, COLUMNS),
    the same with what distances want, in layers where these are wanted. ways: which way each ran (+1 down). use: what it is good for, see
    `roto.curve.boundary`. rows: (layers, rows + 1) and items: the edges in each pixel row, per layer (compressed sparse rows)."""

    ends: Floats
    edges: Floats
    ways: NDArray[np.int64]
    use: NDArray[np.uint8]
    rows: NDArray[np.int64]
    items: NDArray[np.int64]


@kernel
def _with_directions(edges, ways, ring):
    """Fill in what follows from the ends of edges, and turn them so that y rises.

    Some places have a corner as their nearest place on the outline. They lie in the wedge between the two normals there, so they lean
    from either normal by the sine of the turn at most. The neighbours of cut pieces are not known (`ring` false): there the wedge is a
    half circle.
    """
    count = len(edges)
    for i in range(count):
        dx, dy = edges[i, 2] - edges[i, 0], edges[i, 3] - edges[i, 1]
        long = np.sqrt(dx * dx + dy * dy)
        edges[i, LONG] = long
        edges[i, CAP0] = edges[i, CAP1] = 1.0
        edges[i, TX] = dx / long if long > 0.0 else 0.0
        edges[i, TY] = dy / long if long > 0.0 else 0.0
        ways[i] = 1
    if ring:
        for i in range(count):
            j = i + 1 if i + 1 < count else 0
            if edges[i, TX] * edges[j, TX] + edges[i, TY] * edges[j, TY] > 0.0:  # by less than a quarter turn
                turn = abs(edges[i, TX] * edges[j, TY] - edges[i, TY] * edges[j, TX])
                edges[i, CAP1] = turn
                edges[j, CAP0] = turn
    for i in range(count):
        x0, y0, x1, y1 = edges[i, 0], edges[i, 1], edges[i, 2], edges[i, 3]
        if y1 < y0 or (y1 == y0 and x1 < x0):
            edges[i, 0], edges[i, 1], edges[i, 2], edges[i, 3] = x1, y1, x0, y0
            edges[i, TX], edges[i, TY] = -edges[i, TX], -edges[i, TY]
            edges[i, CAP0], edges[i, CAP1] = edges[i, CAP1], edges[i, CAP0]
            ways[i] = -1


@kernel
def _with_bounds(edges, pad):
    """Fill in which columns of a row may be nearest to a side within `pad` px."""
    for i in range(len(edges)):
        x0, tx, ty = edges[i, 0], edges[i, TX], edges[i, TY]
        low, high = -pad * edges[i, CAP0] - SLACK, edges[i, LONG] + pad * edges[i, CAP1] + SLACK
        sharp = max(edges[i, CAP0], edges[i, CAP1]) > SHARP
        edges[i, SMALL] = -1.0 if sharp else min(abs(tx), ty)
        edges[i, BESIDE], edges[i, BESIDE0], edges[i, BESIDE1] = 0.0, -FAR, FAR
        edges[i, ALONG], edges[i, ALONG0], edges[i, ALONG1] = 0.0, -FAR, FAR
        if edges[i, LONG] == 0.0:
            edges[i, BESIDE0], edges[i, BESIDE1] = x0 - pad, x0 + pad
            continue
        if ty > 1e-9:
            edges[i, BESIDE] = tx / ty
            edges[i, BESIDE0], edges[i, BESIDE1] = x0 - pad / ty, x0 + pad / ty
        if abs(tx) > 1e-9:
            one, other = low / tx, high / tx
            edges[i, ALONG] = -ty / tx
            edges[i, ALONG0], edges[i, ALONG1] = x0 + min(one, other), x0 + max(one, other)


@kernel
def _with_reach(edges, ways, origin, spans, hands, reach):
    """Fill in how the reach runs along edges, which may have been turned. reach: (V, 2), inner and outer at the polygon's vertices."""
    n = len(reach)
    for i in range(len(edges)):
        a, b = reach[origin[i]], reach[(origin[i] + 1) % n]
        one, other = (spans[i, 0], spans[i, 1]) if ways[i] > 0 else (spans[i, 1], spans[i, 0])
        long = max(edges[i, LONG], 1e-12)
        edges[i, HAND] = hands[i] * ways[i]
        edges[i, OUTER] = a[1] + one * (b[1] - a[1])
        edges[i, OUTER_BY] = (other - one) * (b[1] - a[1]) / long
        edges[i, INNER] = a[0] + one * (b[0] - a[0])
        edges[i, INNER_BY] = (other - one) * (b[0] - a[0]) / long


@kernel
def _with_lean(edges):
    """Widen the wedges for a reach that varies: the place that counts most for a pixel need not be the nearest. The steeper the reach
    runs along the outline, the farther off it may be. The bound is twice the largest distance that `variable` may meet."""
    n = len(edges)
    lean = np.empty(n)
    for k in range(n):
        lean[k] = min(MOST_LEAN, 2.0 * (abs(edges[k, OUTER_BY]) + abs(edges[k, INNER_BY])))
    for k in range(n):
        most = max(lean[k - 1], lean[k], lean[k + 1 if k + 1 < n else 0])
        edges[k, CAP0] += most
        edges[k, CAP1] += most


@kernel
def edges_of(
    vertices: Floats, begin: Whole, pads: Floats, reach: Floats, varies: Flags
) -> tuple[Floats, Floats, Whole, Bytes, Whole, Flags]:
    """Edges of all layers. vertices: (V, 2) of their polygons; begin: (L + 1,); pads: (L,), px within which distances are wanted, or 0.

    reach: (V, 2), inner and outer reach at each vertex; varies: (L,), the layers where that counts.

    Returns ends, edges, ways, use (see `Geometry`), where each layer's edges start (L + 1,), and which layers have a corner (L,): a sine of
    a turn beyond CORNER, looked for where distances are wanted.
    """
    layers = len(begin) - 1
    ends = np.empty((len(vertices) + 16, 4))
    edges = np.empty((len(vertices) + 16, COLUMNS))
    ways = np.empty(len(edges), np.int64)
    use = np.empty(len(edges), np.uint8)
    starts = np.zeros(layers + 1, np.int64)
    corners = np.zeros(layers, np.bool_)
    at = 0
    for layer in range(layers):
        polygon = vertices[begin[layer] : begin[layer + 1]]
        n = len(polygon)
        if not pads[layer] > 0.0:
            for i in range(n):
                j = i + 1 if i + 1 < n else 0
                turned = polygon[j, 1] < polygon[i, 1] or (polygon[j, 1] == polygon[i, 1] and polygon[j, 0] < polygon[i, 0])
                a, b = (j, i) if turned else (i, j)
                ends[at, 0], ends[at, 1], ends[at, 2], ends[at, 3] = polygon[a, 0], polygon[a, 1], polygon[b, 0], polygon[b, 1]
                ways[at] = -1 if turned else 1
                use[at] = WINDS | BOUNDS
                at += 1
            starts[layer + 1] = at
            continue
        plain, marks, origin, spans, hands = marked_edges(polygon)
        cut = len(plain)
        if at + cut > len(edges) - (len(vertices) - begin[layer + 1]):
            more = np.empty((len(edges) + 2 * cut, COLUMNS))
            more[:at] = edges[:at]
            edges = more
            room = np.empty((len(edges), 4))
            room[:at] = ends[:at]
            ends = room
            ways = np.append(ways, np.empty(2 * cut, np.int64))
            use = np.append(use, np.empty(2 * cut, np.uint8))
        for i in range(cut):
            for c in range(4):
                edges[at + i, c] = plain[i, c]
            use[at + i] = marks[i]
        _with_directions(edges[at : at + cut], ways[at : at + cut], cut == n)
        for k in range(at, at + cut):
            for c in range(4):
                ends[k, c] = edges[k, c]
        for k in range(at, at + cut):
            if use[k] & BOUNDS and max(edges[k, CAP0], edges[k, CAP1]) > CORNER:
                corners[layer] = True
        if varies[layer]:
            _with_reach(edges[at : at + cut], ways[at : at + cut], origin, spans, hands, reach[begin[layer] : begin[layer + 1]])
            _with_lean(edges[at : at + cut])
        _with_bounds(edges[at : at + cut], pads[layer])
        at += cut
        starts[layer + 1] = at
    return ends[:at], edges[:at], ways[:at], use[:at], starts, corners


@leaf
def _rows_of(side, pad, top, bottom):
    """The pixel rows [low, high), relative to `top`, in which a side and what is nearest to it within `pad` lie."""
    low, high = side[1], side[3]
    if pad > 0.0:
        across = pad * abs(side[TX]) if side[LONG] > 0.0 else pad
        low -= across + (pad * side[CAP0] + SLACK) * side[TY]
        high += across + (pad * side[CAP1] + SLACK) * side[TY]
    low = max(np.floor(low), float(top))
    high = min(np.floor(high) + 1.0, float(bottom))
    return int(low) - top, int(high) - top


@kernel
def into_rows(ends: Floats, edges: Floats, starts: Whole, pads: Floats, top: int, bottom: int) -> tuple[Whole, Whole, int]:
    """The edges that matter in each pixel row, per layer: CSR (layers, rows + 1), items; and the most in any one row."""
    layers = len(starts) - 1
    height = bottom - top
    rows = np.zeros((layers, height + 1), np.int64)
    spans = np.empty((len(ends), 2), np.int64)
    total = 0
    for layer in range(layers):
        for k in range(starts[layer], starts[layer + 1]):
            low, high = _rows_of(edges[k] if pads[layer] > 0.0 else ends[k], pads[layer], top, bottom)
            spans[k, 0], spans[k, 1] = low, high
            for line in range(low, high):
                rows[layer, line] += 1
            total += max(0, high - low)
    items = np.empty(total, np.int64)
    most = 0
    at = 0
    for layer in range(layers):
        for line in range(height):
            here = rows[layer, line]
            most = max(most, here)
            rows[layer, line] = at
            at += here
        rows[layer, height] = at
        fill = rows[layer].copy()
        for k in range(starts[layer], starts[layer + 1]):
            for line in range(spans[k, 0], spans[k, 1]):
                items[fill[line]] = k
                fill[line] += 1
    return rows, items, most
