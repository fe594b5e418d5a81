"""Rendering a matte: from shapes at moments of an exposure to alpha."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from itertools import groupby
from threading import local
from typing import Any, NamedTuple, Protocol, TypeVar

import numpy as np
from numpy.typing import NDArray

from roto.curve.flatten import flatten
from roto.errors import BadGeometry, NoFringe
from roto.matte import profile, rows
from roto.matte.along import along
from roto.matte.coverage import CLOSES, OPENS
from roto.matte.exposure import MOMENTS, TOGETHER, Live, live_at, steps_of
from roto.matte.ramp import ramp
from roto.matte.reach import band
from roto.matte.sides import Geometry, into_rows, sides_of
from roto.matte.stack import MODES, SOLVE, Entry, Matte
from roto.matte.stretches import SHOWN
from roto.motion.edits import trace
from roto.motion.keys import Floats
from roto.motion.shape import FAR, Shape
from roto.tolerances import FLATTEN_COVERAGE, FLATTEN_REACH, LEAST_DEEP, THIN_REACH

Box = tuple[int, int, int, int]
Taken = TypeVar("Taken")
DEPTHS: dict[str, tuple[type, int]] = {
    "float": (np.float32, 0),
    "8": (np.uint8, 255),
    "16": (np.uint16, 65535),
    "shown": (np.uint8, SHOWN),
}
"""of alpha: what numbers it is kept in, and what stands for 1 (0: 1 itself; SHOWN: 255, and nothing below 1 does)"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Rendered:
    """alpha: (h, w) of the box, of the depth asked for. samples: steps in which the exposure was taken; capped: whether more were
    wanted. fringe: how its fringes stand, the worst of them (an index of FRINGE)."""

    alpha: NDArray[Any]
    box: Box
    samples: int
    capped: bool
    fringe: int = 0


LOOKS = 2 * MOMENTS - 1
"""moments of an exposure at which outlines are looked at to find where they are"""
FRINGE = ("none", "steady", "by itself", "not solved")
"""how a fringe stands on a frame: there is none; solved and steadied; solved from this frame alone; left out, since it is not solved"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Solved:
    """A fringe solved on a frame, all (h, w) of the box. cover: how much the band counts. unknown: where alpha was solved."""

    box: Box
    alpha: NDArray[np.float32]
    cover: NDArray[np.float32]
    unknown: NDArray[np.bool_]
    steady: bool


class Solver(Protocol):
    """Gives solved fringes (see `roto.matte.fringe`)."""

    def solved(self, matte: Matte, at: int, frame: int) -> Solved | None:
        """The fringe that is line `at` of the stack, where there is one; `wait` tells whether None may mean that it is not solved yet."""
        ...

    @property
    def wait(self) -> bool: ...


@dataclass(frozen=True, slots=True, kw_only=True)
class _Ready:
    """All that the row loop needs: see `rows`."""

    live: list[Live]
    steps: int
    capped: bool
    geometry: Geometry
    layers: NDArray[np.int64]
    most: int


def _ready(matte: Matte, frame: int, live: list[Live], top: int, bottom: int) -> _Ready:
    """The layers of a frame. Whether outlines have corners is seen only when they are flattened, and then asks for more steps."""
    while True:
        steps, capped = steps_of(live, matte.shutter.cap)
        points = [one.looks(matte.shutter, frame, steps) for one in live]
        pads = [one.pad + (min(one.way, 2.0 * one.way / steps) if one.kind == rows.DEEP else 0.0) for one in live]
        geometry, starts, most, cornered = _geometry(live, points, top, bottom, pads)
        seen = [replace(one, corners=True) if sharp and one.kind == rows.DEEP else one for one, sharp in zip(live, cornered, strict=True)]
        live = seen
        if steps_of(live, matte.shutter.cap)[0] == steps:
            break
    last = [len(p) - 1 for p in points]
    layers = np.array([[f + min(s, e) for f, e in zip(starts, last, strict=True)] for s in range(steps + 1)], dtype=np.int64)
    return _Ready(live=live, steps=steps, capped=capped, geometry=geometry, layers=layers, most=most)


def samples_wanted(matte: Matte, frame: int) -> tuple[int, bool]:
    """In how many steps this frame's exposure is taken, and whether the cap cut them down."""
    matte = replace(matte, entries=tuple(e for e in matte.entries if e.mode != SOLVE))
    live = live_at(matte, [frame])[frame]
    if not live:
        return 1, False
    made = _ready(matte, frame, live, 0, 1)
    return made.steps, made.capped


def _geometry(
    live: list[Live], points: list[Floats], top: int, bottom: int, pads: list[float]
) -> tuple[Geometry, list[int], int, list[bool]]:
    """All sides of all entries at all moments, where each entry's polygons stand, the most sides in a row, which entries have corners."""
    parts, counts, first_layer, reach = [], [0], [], []
    pad: list[float] = []
    varies: list[bool] = []
    for one, outline, far in zip(live, points, pads, strict=True):
        tolerance = FLATTEN_REACH if one.kind == rows.DEEP or (one.kind == rows.VARYING and one.thinnest > THIN_REACH) else FLATTEN_COVERAGE
        vertices, begin = flatten(outline, tolerance)
        varies.extend([one.reaches is not None] * len(outline))
        known = one.reaches is not None
        reach.append(along(outline, vertices, begin, tolerance, one.reaches) if known else np.zeros((len(vertices), 2)))  # type: ignore[arg-type]
        first_layer.append(len(pad))
        parts.append(vertices)
        counts.extend(counts[-1] + begin[1:])
        pad.extend([far] * len(outline))
    vertices = np.concatenate(parts)
    if not np.isfinite(vertices).all():
        raise BadGeometry("An outline has a point that is not a number.")
    far_of = np.array(pad)
    sides, ways, use, starts, corners = sides_of(vertices, np.array(counts), far_of, np.concatenate(reach), np.array(varies))
    table, items, most = into_rows(sides, starts, far_of, top, bottom)
    cornered = [bool(corners[f : f + len(p)].any()) for f, p in zip(first_layer, points, strict=True)]
    return (sides, ways, use, table, items), first_layer, most, cornered


def touched_box(matte: Matte, shapes: Iterable[Shape], frame: int) -> Box:
    """The box of the picture in which the matte of a frame may depend on these shapes: their outlines over the exposure, with reach."""
    bands = [e.shape for e in matte.entries if e.mode == SOLVE and e.shape.is_live(frame)]  # what a change below solves anew
    return touched_boxes(matte, [*shapes, *bands], [frame])[frame]


def touched_boxes(matte: Matte, shapes: Iterable[Shape], frames: Sequence[int], live: bool = False) -> dict[int, Box]:
    """The same on several frames, fringes aside. live: only of shapes that count there; the box is empty (its ends before its beginning)
    where there is none."""
    numbers = np.array(frames, dtype=np.int64)
    opens, closes = (np.array(v) for v in zip(*(matte.shutter.exposure(int(f)) for f in numbers), strict=True))
    moments = np.linspace(opens, closes, LOOKS, axis=1)
    low, high = np.full((len(numbers), 2), np.inf), np.full((len(numbers), 2), -np.inf)
    grows = np.abs(matte.shift_at(numbers))
    for shape in shapes:
        which = np.array([shape.is_live(int(f)) for f in numbers]) if live else np.ones(len(numbers), bool)
        if not which.any():
            continue
        own = numbers[which]
        points = shape.outline(moments[which].ravel(), np.repeat(own, LOOKS))
        parts = np.ascontiguousarray(np.moveaxis(points.reshape(len(own), -1, points.shape[-1]), 2, 0))  # numbers of a kind side by side
        reaches = shape.reaches_at(own)
        widest = [] if reaches is None else np.nanmax(reaches, axis=1)
        settings = [(s[0], s[1], s[2]) for s in shape.settings_at(own)]
        pads = [band(*(widest[k] if len(widest) else s[:2]), s[2]) for k, s in enumerate(settings)]
        pad = (np.array(pads, dtype=np.float64) + grows[which] + 1.0)[:, None]
        for tangent in (0, 2, 4):
            places = parts[:2] + parts[tangent : tangent + 2] if tangent else parts[:2]
            low[which] = np.minimum(low[which], places.min(axis=2).T - pad)
            high[which] = np.maximum(high[which], places.max(axis=2).T + pad)
    low, high = np.floor(np.clip(low, 0, matte.size)).astype(int), np.ceil(np.clip(high, 0, matte.size)).astype(int)
    return {int(f): (int(a[0]), int(a[1]), int(b[0]), int(b[1])) for f, a, b in zip(numbers, low, high, strict=True)}


class _Line(NamedTuple):
    """A line of the stack, or a mark of a group, as the row loop has it. at: which of the live entries it is, -1 for marks."""

    kind: int
    mode: int
    inverted: bool
    opacity: float
    still: bool
    at: int


def _lines(live: list[Live]) -> list[_Line]:
    """The live entries with marks where groups begin and end. A group of nothing but areas combines as areas with its neighbours."""
    out: list[_Line] = []
    for _, together in groupby(enumerate(live), key=lambda numbered: id(numbered[1].within)):
        some = list(together)
        group = some[0][1].within
        own = [_Line(one.kind, MODES[one.entry.mode], one.entry.inverted, one.opacity, one.still, at) for at, one in some]
        if group is not None:
            areas = group.opacity == 1.0 and all(line.kind == rows.AREA for line in own)
            opens, closes, mark = (rows.AREA, rows.AREA, CLOSES) if areas else (rows.OPEN, rows.CLOSE, 0)
            own = [
                _Line(opens, OPENS, False, 1.0, True, -1),
                *own,
                _Line(closes, MODES[group.mode] + mark, group.inverted, group.opacity, True, -1),
            ]
        out.extend(own)
    return out


def _runs(lines: list[_Line]) -> NDArray[np.int64]:
    """Neighbouring lines that combine as areas stand together; the others each stand alone."""
    out: list[list[int]] = []
    for i, line in enumerate(lines):
        if line.kind == rows.AREA and out and out[-1][0] == rows.AREA:
            out[-1][2] = i + 1
        else:
            out.append([line.kind, i, i + 1])
    return np.array(out, dtype=np.int64).reshape(-1, 3)


def render_each(
    matte: Matte, frames: Iterable[int], take: Callable[[int, Rendered], Taken], workers: int, depth: str, fringes: Solver | None = None
) -> Iterator[Taken]:
    """Whole frames of a matte, each handed to `take` in one of so many threads; yields what that returns, in order.

    Outlines are evaluated several frames at once; each thread draws into one array again and again, so what is handed over is lent only.
    Stop iterating to stop the work.
    """
    numbers, workers = list(frames), max(1, workers)
    lent = local()
    over = len(numbers) % workers  # the last ones, fewer than there are threads: these share out the rows of each
    shared = dict.fromkeys(numbers[-over:], workers // over) if over else {}

    def one(frame: int, live: list[Live] | None) -> Taken:
        if not hasattr(lent, "picture"):
            lent.picture = np.zeros(matte.size[::-1], DEPTHS[depth][0])
        threads = shared.get(frame, 1)
        return take(frame, render(matte, frame, depth=depth, ready=live, out=lent.picture, fringes=fringes, threads=threads))

    pool = ThreadPoolExecutor(workers)
    try:
        for begin in range(0, len(numbers), TOGETHER):
            some = numbers[begin : begin + TOGETHER]
            ready = dict.fromkeys(some) if _solves(matte) else live_at(matte, some)
            yield from pool.map(one, ready, ready.values())
    finally:
        pool.shutdown(cancel_futures=True)


def render(
    matte: Matte,
    frame: int,
    *,
    box: Box | None = None,
    cap: int | None = None,
    threads: int = 1,
    depth: str = "float",
    ready: list[Live] | None = None,
    out: NDArray[Any] | None = None,
    fringes: Solver | None = None,
) -> Rendered:
    """Alpha of a matte at a frame.

    box: the part wanted, cut to the picture; the whole picture by default. The bytes equal the same crop of the whole frame.
    cap: fewer samples of the exposure than the shutter's own cap, for a quick look. threads: rows are shared out among so many.
    depth: "float" (float32, 0..1), "8" or "16" (whole numbers, rounded to the nearest), "shown" (bytes in which only what is exactly 0 or
    1 is black or white). ready: the live entries of the frame, where
    they are known. out: where to put the picture, of the right shape and kind; a new array by default. fringes: solves those of the stack.
    """
    width, height = matte.size
    x0, y0, x1, y1 = box or (0, 0, width, height)
    x0, y0, x1, y1 = max(0, x0), max(0, y0), min(width, x1), min(height, y1)
    if _solves(matte):
        return _with_fringes(matte, frame, (x0, y0, max(x0, x1), max(y0, y1)), fringes, out, depth, {"cap": cap, "threads": threads})
    if cap is not None and cap < matte.shutter.cap:
        matte = replace(matte, shutter=replace(matte.shutter, cap=cap))
    live = live_at(matte, [frame])[frame] if ready is None else ready
    kind, top = DEPTHS[depth]
    if out is None:
        out = np.zeros((max(0, y1 - y0), max(0, x1 - x0)), kind)
    else:
        out.fill(0)
    if x1 <= x0 or y1 <= y0 or not live:
        out.fill(min(top or 1, np.iinfo(kind).max if top else 1) if matte.inverted else 0)
        return Rendered(alpha=out, box=(x0, y0, x1, y1), samples=1, capped=False)
    made = _ready(matte, frame, live, y0, y1)
    live, count = made.live, made.steps
    lines = _lines(live)
    at = np.array([line.at for line in lines])
    stack = (
        _runs(lines),
        np.array([line.mode for line in lines], np.int64),
        np.array([line.inverted for line in lines]),
        np.array([line.opacity for line in lines]),
        np.array([line.still for line in lines]),
    )
    soft = np.array([[one.inner, one.outer, one.shift, one.thinnest if one.kind == rows.VARYING else one.into] for one in live])
    curves = np.stack([profile.cubic(one.entry.shape.profile) for one in live])
    ramps, which = _ramps(live)
    layers = np.where(at >= 0, made.layers[:, at], -1)  # what marks have of the rest, the last entry's, is never asked for

    def rows_between(begin: int, end: int) -> None:
        rows.render_rows(
            out, (begin, end), (x0, x1, width), y0, count, stack, soft[at], curves[at], ramps, which[at], layers, made.geometry, made.most,
            matte.inverted, top,
        )  # fmt: skip

    if threads <= 1:
        rows_between(y0, y1)
    else:
        edges = np.linspace(y0, y1, 2 * threads + 1).astype(int)
        with ThreadPoolExecutor(threads) as pool:
            list(pool.map(rows_between, edges[:-1], edges[1:]))
    return Rendered(alpha=out, box=(x0, y0, x1, y1), samples=count, capped=made.capped)


def _solves(matte: Matte) -> bool:
    return any(e.mode == SOLVE for e in matte.entries)


_ALL = Entry(
    shape=trace("all", "all", 0, [[x, y, 0, 0, 0, 0] for x, y in ((-FAR, -FAR), (FAR, -FAR), (FAR, FAR), (-FAR, FAR))], [False] * 4)
)
"""covers every picture"""


def _with_fringes(
    matte: Matte, frame: int, box: Box, fringes: Solver | None, out: NDArray[Any] | None, depth: str, how: dict[str, Any]
) -> Rendered:
    """A matte some of whose lines are fringes: what lies below one is rendered, the solved band laid on it, the rest laid over that.

    Each way of combining is linear in what lies below, so the rest is rendered over black and over white.
    """
    alpha = np.zeros((box[3] - box[1], box[2] - box[0]), np.float32)
    samples, capped, state, begin = 1, False, 0, 0
    for at, entry in [*enumerate(matte.entries), (len(matte.entries), None)]:
        if entry is not None and entry.mode != SOLVE:
            continue
        part = replace(matte, entries=matte.entries[begin:at], inverted=False)
        if part.entries:
            over_black = render(part, frame, box=box, **how)
            samples, capped = max(samples, over_black.samples), capped or over_black.capped
            if begin == 0:
                alpha = over_black.alpha
            else:
                over_white = render(replace(part, entries=(_ALL, *part.entries)), frame, box=box, **how)
                alpha = over_black.alpha + alpha * (over_white.alpha - over_black.alpha)
        begin = at + 1
        if entry is None or not entry.shape.is_live(frame):
            continue
        if fringes is None:
            raise NoFringe(name=entry.shape.name)
        solved = fringes.solved(matte, at, frame)
        state = max(state, _laid(alpha, box, solved, entry.opacity) if solved else 0 if fringes.wait else 3)
    alpha = 1 - alpha if matte.inverted else alpha
    done = _of_depth(alpha, depth)
    if out is not None:
        out[...] = done
        done = out
    return Rendered(alpha=done, box=box, samples=samples, capped=capped, fringe=state)


def _laid(alpha: NDArray[np.float32], box: Box, solved: Solved, opacity: float) -> int:
    """Lay a solved fringe on the alpha of a box, in place; says how it stands."""
    x0, y0, x1, y1 = (f(a, b) for f, a, b in zip((max, max, min, min), box, solved.box, strict=True))
    if x0 < x1 and y0 < y1:
        there = (slice(y0 - solved.box[1], y1 - solved.box[1]), slice(x0 - solved.box[0], x1 - solved.box[0]))
        here = alpha[y0 - box[1] : y1 - box[1], x0 - box[0] : x1 - box[0]]
        part = np.where(solved.unknown[there], solved.cover[there] * np.float32(opacity), np.float32(0))
        here += part * (solved.alpha[there] - here)
    return 1 if solved.steady else 2


def _of_depth(alpha: NDArray[np.float32], depth: str) -> NDArray[Any]:
    """Alpha 0..1 in the numbers of a depth; see DEPTHS."""
    kind, top = DEPTHS[depth]
    if top == 0:
        return alpha
    if top != SHOWN:
        return np.rint(alpha * np.float32(top)).astype(kind)
    shown = np.rint(alpha * np.float32(255)).astype(kind)
    shown[(alpha > 0) & (shown == 0)] = 1
    shown[(alpha < 1) & (shown == 255)] = 254
    return shown


def _ramps(live: list[Live]) -> tuple[tuple[Floats, ...], NDArray[np.int64]]:
    """The ramps in use, stacked, and which of them each entry has."""
    wanted = [
        (one.entry.shape.profile, max(one.inner + one.outer, LEAST_DEEP)) if one.kind == rows.DEEP else ("straight", 1.0) for one in live
    ]
    different = sorted(set(wanted))
    made = [ramp(*key) for key in different]
    stacked = tuple(np.stack([getattr(r, name) for r in made]) for name in ("cubics", "tables", "beyond", "whole"))
    return stacked, np.array([different.index(key) for key in wanted], np.int64)
