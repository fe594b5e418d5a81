"""Rendering a matte: from shapes at moments of an exposure to alpha."""

from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from roto.compiled import inner, kernel
from roto.curve.boundary import marked_sides
from roto.curve.flatten import flatten
from roto.errors import BadGeometry
from roto.matte import coverage, profile, rows
from roto.matte.reach import CAP0, CAP1, COLUMNS, LONG, PER_X, PER_Y, SLACK, TX, TY, band, ends
from roto.matte.shutter import longest_way, samples_for
from roto.matte.stack import MODES, Entry, Matte
from roto.motion.keys import Floats
from roto.motion.shape import Shape
from roto.tolerances import FLATTEN_COVERAGE, FLATTEN_REACH, THIN_REACH

Box = tuple[int, int, int, int]
WAY_MOMENTS = 5
"""moments at which an outline is looked at to find how far it travels in an exposure"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Rendered:
    """alpha: float32 (h, w) of the box. samples: moments of the exposure used; capped: whether more were wanted."""

    alpha: NDArray[np.float32]
    box: Box
    samples: int
    capped: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class _Live:
    """A live entry with its numbers at one frame."""

    entry: Entry
    inner: float
    outer: float
    shift: float
    opacity: float

    @property
    def is_area(self) -> bool:
        return self.inner == self.outer == self.shift == 0.0 and self.opacity == 1.0

    @property
    def pad(self) -> float:
        return 0.0 if self.inner == self.outer == self.shift == 0.0 else float(band(self.inner, self.outer, self.shift))


def live_entries(matte: Matte, frame: int) -> list[_Live]:
    """The entries that count on this frame, bottom first."""
    out = []
    for entry in matte.entries:
        if entry.shape.is_live(frame):
            inner, outer, shift, opacity = entry.shape.settings_at(frame)
            out.append(_Live(entry=entry, inner=inner, outer=outer, shift=shift, opacity=opacity * entry.opacity))
    return out


def samples_wanted(matte: Matte, frame: int) -> tuple[int, bool]:
    """How many samples of the exposure this frame takes, and whether the cap cut them down."""
    if matte.shutter.angle == 0.0:
        return 1, False
    way = 0.0
    for live in live_entries(matte, frame):
        if live.entry.shape.blur:
            opens, closes = matte.shutter.exposure(frame)
            points = live.entry.shape.outline(np.linspace(opens, closes, WAY_MOMENTS), frame)
            way = max(way, longest_way(points, matte.size, live.pad))
    wanted = samples_for(way, 1 << 20)
    return min(wanted, matte.shutter.cap), wanted > matte.shutter.cap


def outlines_of(live: _Live, matte: Matte, frame: int, count: int) -> Floats:
    """Points (T, n, 6) of one entry over the exposure; T is 1 when it does not move (or does not blur)."""
    shape = live.entry.shape
    if not shape.blur or matte.shutter.angle == 0.0:
        return shape.outline(float(frame), frame)
    points = shape.outline(matte.shutter.moments(frame, count), frame)
    return points[:1] if len(points) == 1 or (points == points[0]).all() else points


@kernel
def sides_of(polygon, bounds_too):
    """Sides with y rising (see the columns in `reach`), the way each ran (+1 down), and what it is good for.

    A place whose nearest place on the outline is a corner lies in the wedge between the normals there: it leans from either side's
    normal by the sine of the turn at most. Where the neighbours of a side are not known (cut pieces) the wedge is a half circle.
    """
    if bounds_too:
        plain, use = marked_sides(polygon)
    else:
        n = len(polygon)
        plain = np.empty((n, 4))
        for i in range(n):
            plain[i, :2] = polygon[i]
            plain[i, 2:] = polygon[(i + 1) % n]
        use = np.ones(n, np.uint8)
    count = len(plain)
    ring = len(polygon)
    sides = np.zeros((count, COLUMNS))
    ways = np.ones(count, np.int64)
    for i in range(count):
        dx, dy = plain[i, 2] - plain[i, 0], plain[i, 3] - plain[i, 1]
        long = np.sqrt(dx * dx + dy * dy)
        sides[i, :4] = plain[i]
        sides[i, LONG] = long
        sides[i, CAP0] = sides[i, CAP1] = 1.0
        if long > 0.0:
            sides[i, TX], sides[i, TY] = dx / long, dy / long
    if count == ring:
        for i in range(count):
            j = (i + 1) % count
            if sides[i, TX] * sides[j, TX] + sides[i, TY] * sides[j, TY] > 0.0:  # by less than a quarter turn
                turn = abs(sides[i, TX] * sides[j, TY] - sides[i, TY] * sides[j, TX])
                sides[i, CAP1] = turn
                sides[j, CAP0] = turn
    for i in range(count):
        x0, y0, x1, y1 = sides[i, 0], sides[i, 1], sides[i, 2], sides[i, 3]
        if y1 < y0 or (y1 == y0 and x1 < x0):
            sides[i, 0], sides[i, 1], sides[i, 2], sides[i, 3] = x1, y1, x0, y0
            sides[i, TX], sides[i, TY] = -sides[i, TX], -sides[i, TY]
            sides[i, CAP0], sides[i, CAP1] = sides[i, CAP1], sides[i, CAP0]
            ways[i] = -1
        sides[i, PER_X] = 1.0 / sides[i, TX] if sides[i, TX] != 0.0 else 0.0
        sides[i, PER_Y] = 1.0 / sides[i, TY] if sides[i, TY] != 0.0 else 0.0
    return sides, ways, use


@inner
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
def _into_rows(sides, starts, pads, top, bottom):
    """The sides that matter in each pixel row, per layer: CSR (layers, rows + 1), items; and the most in any one row."""
    layers = len(starts) - 1
    height = bottom - top
    rows = np.zeros((layers, height + 1), np.int64)
    total = 0
    for layer in range(layers):
        for k in range(starts[layer], starts[layer + 1]):
            low, high = _rows_of(sides[k], pads[layer], top, bottom)
            for line in range(low, high):
                rows[layer, line] += 1
                total += 1
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
    fill = rows.copy()
    for layer in range(layers):
        for k in range(starts[layer], starts[layer + 1]):
            low, high = _rows_of(sides[k], pads[layer], top, bottom)
            for line in range(low, high):
                items[fill[layer, line]] = k
                fill[layer, line] += 1
    return rows, items, most


def _geometry(live: list[_Live], points: list[Floats], top: int, bottom: int) -> tuple:
    """All sides of all entries at all moments, and where each entry's polygons stand."""
    parts, starts, first_layer = [], [0], []
    pads: list[float] = []
    for one, outline in zip(live, points, strict=True):
        fine = one.pad == 0.0 or one.inner + one.outer + abs(one.shift) < THIN_REACH
        vertices, begin = flatten(outline, FLATTEN_COVERAGE if fine else FLATTEN_REACH)
        if not np.isfinite(vertices).all():
            raise BadGeometry(f"The outline of '{one.entry.shape.name}' has a point that is not a number.")
        first_layer.append(len(pads))
        for s in range(len(outline)):
            part = sides_of(vertices[begin[s] : begin[s + 1]], one.pad > 0.0)
            parts.append(part)
            starts.append(starts[-1] + len(part[0]))
            pads.append(one.pad)
    sides = np.concatenate([p[0] for p in parts])
    ways = np.concatenate([p[1] for p in parts])
    use = np.concatenate([p[2] for p in parts])
    table, items, most = _into_rows(sides, np.array(starts), np.array(pads), top, bottom)
    return (sides, ways, use, table, items), first_layer, most


def touched_box(matte: Matte, shapes: Iterable[Shape], frame: int) -> Box:
    """The box of the picture in which the matte of a frame may depend on these shapes: their outlines over the exposure, with reach."""
    opens, closes = matte.shutter.exposure(frame)
    moments = np.linspace(opens, closes, 2 * WAY_MOMENTS - 1)
    low, high = np.full(2, np.inf), np.full(2, -np.inf)
    for shape in shapes:
        points = shape.outline(moments, frame)
        inner, outer, shift, _ = shape.settings_at(frame)
        pad = float(band(inner, outer, shift)) + 1.0
        for tangent in (0, 2, 4):
            places = points[..., :2] + (points[..., tangent : tangent + 2] if tangent else 0.0)
            low = np.minimum(low, places.min(axis=(0, 1)) - pad)
            high = np.maximum(high, places.max(axis=(0, 1)) + pad)
    low, high = np.clip(low, 0, matte.size), np.clip(high, 0, matte.size)
    return int(np.floor(low[0])), int(np.floor(low[1])), int(np.ceil(high[0])), int(np.ceil(high[1]))


def _runs(live: list[_Live]) -> NDArray[np.int64]:
    """Neighbouring entries that combine as areas stand together; the others each stand alone."""
    out: list[list[int]] = []
    for i, one in enumerate(live):
        if one.is_area:
            if out and out[-1][0] == rows.AREA and out[-1][2] == i:
                out[-1][2] = i + 1
            else:
                out.append([rows.AREA, i, i + 1])
        else:
            out.append([rows.SOFT if one.pad > 0.0 else rows.PLAIN, i, i + 1])
    return np.array(out, dtype=np.int64).reshape(-1, 3)


def render(matte: Matte, frame: int, *, box: Box | None = None, cap: int | None = None, threads: int = 1) -> Rendered:
    """Alpha of a matte at a frame.

    box: the part wanted, cut to the picture; the whole picture by default. The bytes equal the same crop of the whole frame.
    cap: fewer samples of the exposure than the shutter's own cap, for a quick look. threads: rows are shared out among so many.
    """
    width, height = matte.size
    x0, y0, x1, y1 = box or (0, 0, width, height)
    x0, y0, x1, y1 = max(0, x0), max(0, y0), min(width, x1), min(height, y1)
    if cap is not None and cap < matte.shutter.cap:
        matte = replace(matte, shutter=replace(matte.shutter, cap=cap))
    live = live_entries(matte, frame)
    if x1 <= x0 or y1 <= y0 or not live:
        ground = 1.0 if matte.inverted else 0.0
        return Rendered(
            alpha=np.full((max(0, y1 - y0), max(0, x1 - x0)), ground, np.float32), box=(x0, y0, x1, y1), samples=1, capped=False
        )
    count, capped = samples_wanted(matte, frame)
    points = [outlines_of(one, matte, frame, count) for one in live]
    still = np.array([len(p) == 1 for p in points])
    if still.all():
        count, capped = 1, False
    geometry, first_layer, most = _geometry(live, points, y0, y1)
    layers = np.array([[f if q else f + s for f, q in zip(first_layer, still, strict=True)] for s in range(count)], dtype=np.int64)
    out = np.empty((y1 - y0, x1 - x0), np.float32)
    numbers = (
        _runs(live),
        np.array([MODES[one.entry.mode] for one in live], np.int64),
        np.array([one.entry.inverted for one in live]),
        np.array([one.opacity for one in live]),
        still,
        np.array([[one.inner, one.outer, one.shift] for one in live]),
        np.stack([profile.cubic(one.entry.shape.profile) for one in live]),
        np.stack([ends(one.entry.shape.profile, one.inner + one.outer) for one in live]),
    )

    def rows_between(begin: int, end: int) -> None:
        scratch = coverage.scratch(most * len(live), len(live))
        rows.render_rows(out, begin, end, (x0, x1, width), y0, count, *numbers, layers, geometry, scratch, matte.inverted)

    if threads <= 1:
        rows_between(y0, y1)
    else:
        edges = np.linspace(y0, y1, 2 * threads + 1).astype(int)
        with ThreadPoolExecutor(threads) as pool:
            list(pool.map(rows_between, edges[:-1], edges[1:]))
    return Rendered(alpha=out, box=(x0, y0, x1, y1), samples=count, capped=capped)
