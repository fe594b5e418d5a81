"""Rendering a matte: from shapes at moments of an exposure to alpha."""

from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from roto.curve.flatten import flatten
from roto.errors import BadGeometry
from roto.matte import profile, rows
from roto.matte.exposure import MOMENTS, TOGETHER, Live, live_at, steps_of
from roto.matte.ramp import ramp
from roto.matte.reach import band
from roto.matte.sides import Geometry, into_rows, sides_of
from roto.matte.stack import MODES, Matte
from roto.motion.keys import Floats
from roto.motion.shape import Shape
from roto.tolerances import FLATTEN_COVERAGE, FLATTEN_REACH, LEAST_DEEP

Box = tuple[int, int, int, int]
Taken = TypeVar("Taken")


@dataclass(frozen=True, slots=True, kw_only=True)
class Rendered:
    """alpha: float32 (h, w) of the box. samples: steps in which the exposure was taken; capped: whether more were wanted."""

    alpha: NDArray[np.float32]
    box: Box
    samples: int
    capped: bool


def samples_wanted(matte: Matte, frame: int) -> tuple[int, bool]:
    """In how many steps this frame's exposure is taken, and whether the cap cut them down."""
    return steps_of(live_at(matte, [frame])[frame], matte.shutter.cap)


def _geometry(live: list[Live], points: list[Floats], top: int, bottom: int, pads: Floats) -> tuple[Geometry, list[int], int]:
    """All sides of all entries at all moments, and where each entry's polygons stand."""
    parts, counts, first_layer, pad = [], [0], [], []
    for one, outline, far in zip(live, points, pads, strict=True):
        vertices, begin = flatten(outline, FLATTEN_REACH if one.kind == rows.DEEP else FLATTEN_COVERAGE)
        first_layer.append(len(pad))
        parts.append(vertices)
        counts.extend(counts[-1] + begin[1:])
        pad.extend([far] * len(outline))
    vertices = np.concatenate(parts)
    if not np.isfinite(vertices).all():
        raise BadGeometry("An outline has a point that is not a number.")
    far_of = np.array(pad)
    sides, ways, use, starts = sides_of(vertices, np.array(counts), far_of)
    table, items, most = into_rows(sides, starts, far_of, top, bottom)
    return (sides, ways, use, table, items), first_layer, most


def touched_box(matte: Matte, shapes: Iterable[Shape], frame: int) -> Box:
    """The box of the picture in which the matte of a frame may depend on these shapes: their outlines over the exposure, with reach."""
    opens, closes = matte.shutter.exposure(frame)
    moments = np.linspace(opens, closes, 2 * MOMENTS - 1)
    low, high = np.full(2, np.inf), np.full(2, -np.inf)
    for shape in shapes:
        points = shape.outline(moments, frame)
        inner, outer, shift, _ = shape.settings_at(frame)[0]
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


def render_each(matte: Matte, frames: Iterable[int], take: Callable[[int, Rendered], Taken], workers: int) -> Iterator[Taken]:
    """Whole frames of a matte, each handed to `take` in one of so many threads; yields what that returns, in order.

    Outlines are evaluated several frames at once. Stop iterating to stop the work.
    """
    numbers = list(frames)
    with ThreadPoolExecutor(max(1, workers)) as pool:
        for begin in range(0, len(numbers), TOGETHER):
            ready = live_at(matte, numbers[begin : begin + TOGETHER])
            yield from pool.map(lambda frame, live: take(frame, render(matte, frame, ready=live)), ready, ready.values())


def render(
    matte: Matte, frame: int, *, box: Box | None = None, cap: int | None = None, threads: int = 1, ready: list[Live] | None = None
) -> Rendered:
    """Alpha of a matte at a frame.

    box: the part wanted, cut to the picture; the whole picture by default. The bytes equal the same crop of the whole frame.
    cap: fewer samples of the exposure than the shutter's own cap, for a quick look. threads: rows are shared out among so many.
    ready: the live entries of the frame, where they are known.
    """
    width, height = matte.size
    x0, y0, x1, y1 = box or (0, 0, width, height)
    x0, y0, x1, y1 = max(0, x0), max(0, y0), min(width, x1), min(height, y1)
    if cap is not None and cap < matte.shutter.cap:
        matte = replace(matte, shutter=replace(matte.shutter, cap=cap))
    live = live_at(matte, [frame])[frame] if ready is None else ready
    if x1 <= x0 or y1 <= y0 or not live:
        ground = 1.0 if matte.inverted else 0.0
        return Rendered(
            alpha=np.full((max(0, y1 - y0), max(0, x1 - x0)), ground, np.float32), box=(x0, y0, x1, y1), samples=1, capped=False
        )
    count, capped = steps_of(live, matte.shutter.cap)
    points = [one.looks(matte.shutter, frame, count) for one in live]
    still = np.array([one.still for one in live])
    pads = np.array([one.pad + (min(one.way, 2.0 * one.way / count) if one.kind == rows.DEEP else 0.0) for one in live])
    geometry, first_layer, most = _geometry(live, points, y0, y1, pads)
    last = [0 if q else len(p) - 1 for p, q in zip(points, still, strict=True)]
    layers = np.array([[f + min(s, e) for f, e in zip(first_layer, last, strict=True)] for s in range(count + 1)], dtype=np.int64)
    out = np.zeros((y1 - y0, x1 - x0), np.float32)
    stack = (
        _runs(live),
        np.array([MODES[one.entry.mode] for one in live], np.int64),
        np.array([one.entry.inverted for one in live]),
        np.array([one.opacity for one in live]),
        still,
    )
    soft = np.array([[one.inner, one.outer, one.shift, one.into] for one in live])
    curves = np.stack([profile.cubic(one.entry.shape.profile) for one in live])
    ramps, which = _ramps(live)

    def rows_between(begin: int, end: int) -> None:
        rows.render_rows(
            out, (begin, end), (x0, x1, width), y0, count, stack, soft, curves, ramps, which, layers, geometry, most, matte.inverted
        )

    if threads <= 1:
        rows_between(y0, y1)
    else:
        edges = np.linspace(y0, y1, 2 * threads + 1).astype(int)
        with ThreadPoolExecutor(threads) as pool:
            list(pool.map(rows_between, edges[:-1], edges[1:]))
    return Rendered(alpha=out, box=(x0, y0, x1, y1), samples=count, capped=capped)


def _ramps(live: list[Live]) -> tuple[tuple[Floats, ...], NDArray[np.int64]]:
    """The ramps in use, stacked, and which of them each entry has."""
    wanted = [
        (one.entry.shape.profile, max(one.inner + one.outer, LEAST_DEEP)) if one.kind == rows.DEEP else ("straight", 1.0) for one in live
    ]
    different = sorted(set(wanted))
    made = [ramp(*key) for key in different]
    stacked = tuple(np.stack([getattr(r, name) for r in made]) for name in ("cubics", "tables", "beyond", "whole"))
    return stacked, np.array([different.index(key) for key in wanted], np.int64)
