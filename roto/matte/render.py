"""Rendering a matte: from shapes at moments of an exposure to alpha."""

from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from threading import local
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from roto.curve.flatten import flatten
from roto.errors import BadGeometry
from roto.matte import profile, rows
from roto.matte.along import along
from roto.matte.exposure import MOMENTS, TOGETHER, Live, live_at, steps_of
from roto.matte.ramp import ramp
from roto.matte.reach import band
from roto.matte.sides import Geometry, into_rows, sides_of
from roto.matte.stack import MODES, Matte
from roto.motion.keys import Floats
from roto.motion.shape import Shape
from roto.tolerances import FLATTEN_COVERAGE, FLATTEN_REACH, LEAST_DEEP, THIN_REACH

Box = tuple[int, int, int, int]
Taken = TypeVar("Taken")
DEPTHS: dict[str, tuple[type, int]] = {
    "float": (np.float32, 0),
    "8": (np.uint8, 255),
    "16": (np.uint16, 65535),
    "shown": (np.uint8, rows.SHOWN),
}
"""of alpha: what numbers it is kept in, and what stands for 1 (0: 1 itself; SHOWN: 255, and nothing below 1 does)"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Rendered:
    """alpha: (h, w) of the box, of the depth asked for. samples: steps in which the exposure was taken; capped: whether more were
    wanted."""

    alpha: NDArray[Any]
    box: Box
    samples: int
    capped: bool


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
    opens, closes = matte.shutter.exposure(frame)
    moments = np.linspace(opens, closes, 2 * MOMENTS - 1)
    low, high = np.full(2, np.inf), np.full(2, -np.inf)
    for shape in shapes:
        points = shape.outline(moments, frame)
        inner, outer, shift, _ = shape.settings_at(frame)[0]
        reaches = shape.reaches_at(frame)
        if reaches is not None:
            inner, outer = np.nanmax(reaches[0], axis=0)
        pad = float(band(inner, outer, shift)) + 1.0
        for tangent in (0, 2, 4):
            places = points[..., :2] + (points[..., tangent : tangent + 2] if tangent else 0.0)
            low = np.minimum(low, places.min(axis=(0, 1)) - pad)
            high = np.maximum(high, places.max(axis=(0, 1)) + pad)
    low, high = np.clip(low, 0, matte.size), np.clip(high, 0, matte.size)
    return int(np.floor(low[0])), int(np.floor(low[1])), int(np.ceil(high[0])), int(np.ceil(high[1]))


def _runs(live: list[Live]) -> NDArray[np.int64]:
    """Neighbouring entries that combine as areas stand together; the others each stand alone."""
    out: list[list[int]] = []
    for i, one in enumerate(live):
        if one.kind == rows.AREA:
            if out and out[-1][0] == rows.AREA and out[-1][2] == i:
                out[-1][2] = i + 1
            else:
                out.append([rows.AREA, i, i + 1])
        else:
            out.append([one.kind, i, i + 1])
    return np.array(out, dtype=np.int64).reshape(-1, 3)


def render_each(matte: Matte, frames: Iterable[int], take: Callable[[int, Rendered], Taken], workers: int, depth: str) -> Iterator[Taken]:
    """Whole frames of a matte, each handed to `take` in one of so many threads; yields what that returns, in order.

    Outlines are evaluated several frames at once; each thread draws into one array again and again, so what is handed over is lent only.
    Stop iterating to stop the work.
    """
    numbers = list(frames)
    lent = local()

    def one(frame: int, live: list[Live]) -> Taken:
        if not hasattr(lent, "picture"):
            lent.picture = np.zeros(matte.size[::-1], DEPTHS[depth][0])
        return take(frame, render(matte, frame, depth=depth, ready=live, out=lent.picture))

    pool = ThreadPoolExecutor(max(1, workers))
    try:
        for begin in range(0, len(numbers), TOGETHER):
            ready = live_at(matte, numbers[begin : begin + TOGETHER])
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
) -> Rendered:
    """Alpha of a matte at a frame.

    box: the part wanted, cut to the picture; the whole picture by default. The bytes equal the same crop of the whole frame.
    cap: fewer samples of the exposure than the shutter's own cap, for a quick look. threads: rows are shared out among so many.
    depth: "float" (float32, 0..1), "8" or "16" (whole numbers, rounded to the nearest), "shown" (bytes in which only what is exactly 0 or
    1 is black or white). ready: the live entries of the frame, where
    they are known. out: where to put the picture, of the right shape and kind; a new array by default.
    """
    width, height = matte.size
    x0, y0, x1, y1 = box or (0, 0, width, height)
    x0, y0, x1, y1 = max(0, x0), max(0, y0), min(width, x1), min(height, y1)
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
    stack = (
        _runs(live),
        np.array([MODES[one.entry.mode] for one in live], np.int64),
        np.array([one.entry.inverted for one in live]),
        np.array([one.opacity for one in live]),
        np.array([one.still for one in live]),
    )
    soft = np.array([[one.inner, one.outer, one.shift, one.thinnest if one.kind == rows.VARYING else one.into] for one in live])
    curves = np.stack([profile.cubic(one.entry.shape.profile) for one in live])
    ramps, which = _ramps(live)

    def rows_between(begin: int, end: int) -> None:
        rows.render_rows(
            out, (begin, end), (x0, x1, width), y0, count, stack, soft, curves, ramps, which, made.layers, made.geometry, made.most,
            matte.inverted, top,
        )  # fmt: skip

    if threads <= 1:
        rows_between(y0, y1)
    else:
        edges = np.linspace(y0, y1, 2 * threads + 1).astype(int)
        with ThreadPoolExecutor(threads) as pool:
            list(pool.map(rows_between, edges[:-1], edges[1:]))
    return Rendered(alpha=out, box=(x0, y0, x1, y1), samples=count, capped=made.capped)


def _ramps(live: list[Live]) -> tuple[tuple[Floats, ...], NDArray[np.int64]]:
    """The ramps in use, stacked, and which of them each entry has."""
    wanted = [
        (one.entry.shape.profile, max(one.inner + one.outer, LEAST_DEEP)) if one.kind == rows.DEEP else ("straight", 1.0) for one in live
    ]
    different = sorted(set(wanted))
    made = [ramp(*key) for key in different]
    stacked = tuple(np.stack([getattr(r, name) for r in made]) for name in ("cubics", "tables", "beyond", "whole"))
    return stacked, np.array([different.index(key) for key in wanted], np.int64)
