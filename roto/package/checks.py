"""What is wrong with one file of a package: with what it says of itself, with its values, with a movie's frames in their order."""

from collections import deque
from collections.abc import Callable, Collection, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from roto.errors import BadPicture
from roto.matte.render import touched_boxes
from roto.motion.shape import GROUP
from roto.package import compose
from roto.package.make import Plan
from roto.package.recipe import timecode
from roto.package.statistics import Measure, Measuring, alpha_in, measure
from roto.picture import reading_back, reading_png
from roto.picture.reading_back import Found, as_unit
from roto.tolerances import SAME_AREA

AHEAD = 8
"""frames of a movie that are read while earlier ones are looked at: those that are compared by value take their time"""
COLOUR_MEAN = 0.01
"""how far colours may be off on the mean in a format that loses; they are for the eye, the matte is what is worked with"""


def expected_boxes(plan: Plan, which: Sequence[int]) -> dict[int, tuple[float, float, float, float]]:
    """By frame of these pieces, outside of which the first matte must be black, in px of what is delivered, from the outlines alone; empty
    where that cannot be said."""
    matte = plan.matte
    if (
        not which
        or matte.inverted
        or plan.recipe.content == "inverted"
        or plan.recipe.flattened
        or plan.recipe.kind.looks
        or any(e.inverted for e in matte.entries)
    ):
        return {}
    shapes = [e.shape for e in matte.entries if e.shape.kind != GROUP and e.mode != "cut"]
    across, down = plan.size[0] / matte.size[0], plan.size[1] / matte.size[1]
    more = 0.0 if plan.size == matte.size else 2.0 * max(across, down, 1.0)
    boxes = touched_boxes(matte, shapes, [plan.pieces[k].frame for k in which], live=True)
    return {f: (x0 * across - more, y0 * down - more, x1 * across + more, y1 * down + more) for f, (x0, y0, x1, y1) in boxes.items()}


@dataclass(frozen=True, slots=True, kw_only=True)
class Wanted:
    """What a package is held against. made: by piece, what was measured before it was written. boxes: see `expected_boxes`. compared:
    pieces to be compared with a fresh picture, value by value."""

    plan: Plan
    made: dict[int, Measure]
    boxes: dict[int, tuple[float, float, float, float]]
    compared: Collection[int]


def _header_wrong(name: str, found: Found, plan: Plan, kind: str, timecode: str) -> str:
    """What is wrong with what a file says of itself."""
    wanted = plan.channels if kind == "matte" else tuple("RGB")
    size = plan.recipe.kind.padded(plan.size)
    if found.size != size:
        return f"{name} is {found.size[0]} x {found.size[1]} pixels instead of {size[0]} x {size[1]}."
    if found.depth != plan.recipe.kind.depth:
        return f"{name} has a depth of {found.depth} instead of {plan.recipe.kind.depth}."
    if plan.recipe.kind.movie:
        if "A" in wanted and "A" not in found.channels:
            return f"{name} has lost its alpha."
    elif set(found.channels) != set(wanted) and plan.recipe.kind.channels:
        return f"{name} has the channels {', '.join(found.channels)} instead of {', '.join(wanted)}."
    if found.rate is not None and abs(float(found.rate) - float(plan.matte.rate)) > 1e-4:
        return f"{name} says that it runs at {found.rate} frames a second instead of {plan.matte.rate}."
    if timecode and found.timecode != timecode:
        return f"{name} says that its timecode is {found.timecode or 'none'} instead of {timecode}."
    if plan.recipe.kind.aspect and found.pixel_aspect and abs(found.pixel_aspect - plan.recipe.pixel_aspect) > 1e-3:
        return f"{name} says that its pixels are {found.pixel_aspect:g} wide instead of {plan.recipe.pixel_aspect:g}."
    return ""


def still(path: Path, wanted: Wanted, kind: str, at: int, data: bytes | None = None) -> tuple[str, Measure | None]:
    """What is wrong with the still of a piece (-1: one of no piece), or nothing; and what its matte measures.

    data: the bytes of the file, where they are at hand.
    """
    plan = wanted.plan
    name = path.name if kind == "matte" else f"plate/{path.name}"
    try:
        found = reading_back.header(path)
        problem = _header_wrong(name, found, plan, kind, plan.header(at).timecode if at >= 0 else "")
        if problem:
            return problem, None
        strips = reading_back.strips(path, found, data)
        measuring, kept, height, width = Measuring(), [], 0, found.size[0]
        for part in strips if kind == "matte" and at not in wanted.compared else reading_png.plain(strips):
            if isinstance(part, reading_png.GreyRows):
                measuring.add_grey(part)
                height += len(part.rows)
                continue
            pixels = _in_order(part, found, plan, kind)
            width, height = pixels.shape[1], height + pixels.shape[0]
            if kind == "matte":
                measuring.add_picture(pixels, plan.recipe.content)
            if at in wanted.compared:
                kept.append(pixels)
    except BadPicture as error:
        return f"{name} cannot be read back: {error.message}.", None
    if (width, height) != plan.size:
        return f"{name} is {width} x {height} pixels instead of {plan.size[0]} x {plan.size[1]}.", None
    if kind != "matte":
        return "", None
    measured = measuring.measure()
    return _matte_wrong(name, kept, wanted, at, measured), measured


def _in_order(pixels: NDArray[Any], found: Found, plan: Plan, kind: str) -> NDArray[Any]:
    """Channels in the order in which they were made: files of named channels keep them by the alphabet."""
    if kind != "matte" or pixels.ndim == 2 or plan.recipe.content != "layers":
        return pixels
    return pixels[:, :, [found.channels.index(c) for c in plan.channels]]


def _matte_wrong(name: str, parts: Sequence[NDArray[Any]], wanted: Wanted, at: int, measured: Measure) -> str:
    """parts: the picture, in strips from the top down, where it is one to be compared value by value."""
    plan, made = wanted.plan, wanted.made.get(at)
    frame, kind = plan.pieces[at].frame, plan.recipe.kind
    if made is not None and not kind.looks:
        loses = plan.recipe.flattened and kind.tolerance >= 1e-3  # then it is colours that are measured, and they are for the eye
        problem = _measure_wrong(name, frame, made, measured, plan, max(kind.tolerance, 4 * COLOUR_MEAN) if loses else kind.tolerance)
        if problem:
            return problem
    if frame in wanted.boxes and measured.area > 0 and not kind.mixes:
        (x0, y0, x1, y1), box = measured.box, wanted.boxes[frame]
        if x0 < np.floor(box[0]) or y0 < np.floor(box[1]) or x1 > np.ceil(box[2]) or y1 > np.ceil(box[3]):
            return f"{name} is not black where no shape is on frame {frame}."
    return _value_wrong(name, np.concatenate(parts), plan, at) if at in wanted.compared else ""


def _measure_wrong(name: str, frame: int, made: Measure, got: Measure, plan: Plan, tolerance: float) -> str:
    """Against what was measured before writing: catches frames that were swapped, emptied, filled or lost their values."""
    whole = float(plan.size[0] * plan.size[1])
    loose = tolerance * whole * (0.25 if plan.recipe.kind.movie else 1.0) + SAME_AREA * max(1.0, made.area)
    if got.area == 0 < made.area - loose:
        return f"{name} is empty, though there is a matte on frame {frame}."
    if got.ones == whole and made.ones < whole * (1 - tolerance):
        return f"{name} is white from edge to edge, though the matte of frame {frame} is not."
    if abs(got.area - made.area) > loose:
        return f"{name} covers {got.area:.1f} px instead of the {made.area:.1f} px that frame {frame} was made with."
    exact = not plan.recipe.kind.movie or tolerance < 1e-4
    if exact and made.area > 0 and max(abs(got.x - made.x), abs(got.y - made.y)) > 0.05 + 4 * tolerance * whole / made.area:
        return f"{name} does not show frame {frame}: its matte lies elsewhere."
    if exact and not plan.recipe.flattened and (got.zeros != made.zeros or got.ones != made.ones):
        return f"{name} has lost exact black or white on frame {frame}."
    return ""


def _numbers_wrong(name: str, got: NDArray[Any], wanted: NDArray[Any], frame: int) -> str:
    """Whole numbers against those of a fresh picture; a machine that rounds otherwise may be one off."""
    off = int(cv2.absdiff(got.astype(wanted.dtype, copy=False), wanted).max())
    return f"{name} differs from a fresh render of frame {frame} by up to {off} of {np.iinfo(got.dtype).max}." if off > 1 else ""


def _colours_wrong(name: str, pixels: NDArray[Any], plan: Plan, at: int) -> str:
    """Colours that an encoder made for the eye has had, against a fresh picture of the frame, on the mean."""
    frame = plan.pieces[at].frame
    got, wanted = np.ascontiguousarray(pixels[:, :, :3]), compose.whole_numbers(plan.sources, plan.recipe, frame)
    if got.dtype != wanted.dtype:
        got, wanted = as_unit(got), as_unit(wanted)
    off = cv2.norm(got, wanted, cv2.NORM_L1) / got.size / (np.iinfo(got.dtype).max if got.dtype.kind == "u" else 1.0)
    return f"{name} differs from frame {frame} by {off:.3f} on the mean." if off > plan.recipe.kind.tolerance else ""


def _value_wrong(name: str, pixels: NDArray[Any], plan: Plan, at: int) -> str:
    """Against a fresh picture of the frame, value by value."""
    kind, frame = plan.recipe.kind, plan.pieces[at].frame
    if pixels.dtype.kind == "u" and not kind.mixes and not kind.movie:
        return _numbers_wrong(name, pixels, compose.whole_numbers(plan.sources, plan.recipe, frame), frame)
    lossless = kind.tolerance < 1e-3
    if plan.recipe.flattened and not lossless:
        return _colours_wrong(name, pixels, plan, at)
    fresh = compose.picture(plan.sources, plan.recipe, frame)
    got = as_unit(pixels)
    if kind.looks or (kind.movie and got.ndim == 3 and fresh.ndim == 2):
        got = got if got.ndim == fresh.ndim else got[:, :, :3].mean(axis=2)
    wanted = np.clip(fresh, 0, 1) if kind.depth in compose.STEPS else fresh
    matte_got, matte_wanted = (alpha_in(p, plan.recipe.content) for p in (got, wanted))
    if plan.recipe.several:
        matte_got, matte_wanted = got, wanted
    off = float(cv2.absdiff(np.ascontiguousarray(matte_got), np.ascontiguousarray(matte_wanted)).max())
    allowed = kind.tolerance + 1.5 / 65535
    if off > allowed:
        return f"{name} differs from a fresh render of frame {frame} by up to {off:.5f}; {allowed:.5f} is allowed."
    if wanted.ndim == 3 and plan.recipe.content not in ("packed", "layers"):
        colours = np.abs(got[:, :, : wanted.shape[2]] - wanted)
        limit = float(np.maximum(allowed, 2.0**-10 * np.abs(wanted).max())) if lossless else COLOUR_MEAN
        if (float(colours.max()) if lossless else float(colours.mean())) > limit:
            return f"{name} has other colours than a fresh picture of frame {frame}."
    return ""


def movie(
    path: Path, wanted: Wanted, kind: str, progress: Callable[[int, int], None], workers: int = 1
) -> tuple[list[str], dict[int, Measure]]:
    """What is wrong with a movie: its header, and every frame of it, in order; and what its mattes measure, by piece. workers: threads that
    measure and compare while the next frames are read."""
    plan = wanted.plan
    name, wrong, count = path.name, [], len(plan.pieces)
    found: dict[int, Measure] = {}
    looked: deque[tuple[int, Future[tuple[Measure, str]]]] = deque()

    def take() -> None:
        at, told = looked.popleft()
        found[at], problem = told.result()
        wrong.extend([problem] if problem else [])

    pool = ThreadPoolExecutor(max(1, workers))
    try:
        head = reading_back.movie_header(path)
        code = timecode(plan.pieces[0].number, plan.matte.rate) if plan.recipe.kind.timecode else ""
        problem = _header_wrong(name, head, plan, kind, code)
        if problem:
            return [problem], found
        seen = 0
        for at, frame in enumerate(reading_back.movie_frames(path, head)):
            seen = at + 1
            if at < count and kind == "matte":
                looked.append((at, pool.submit(_movie_frame, name, frame, wanted, at)))
            while len(looked) > workers + AHEAD:
                take()
            progress(min(seen, count), count)
        while looked:
            take()
        if seen != count:
            wrong.append(f"{name} holds {seen} frames instead of {count}.")
    except BadPicture as error:
        wrong.append(f"{name} cannot be read back: {error.message}.")
    finally:
        pool.shutdown(cancel_futures=True)
    return wrong, found


def _movie_frame(name: str, frame: NDArray[Any], wanted: Wanted, at: int) -> tuple[Measure, str]:
    """What the matte of a frame (h, w, 3 or 4) measures, and what is wrong with it."""
    plan = wanted.plan
    pixels = frame[: plan.size[1], : plan.size[0]]
    shown = pixels if "A" in plan.channels else pixels[:, :, :3]
    shown = shown[:, :, 1] if plan.channels == ("Y",) else shown
    measured = measure(pixels if plan.recipe.flattened else shown, plan.recipe.content)
    return measured, _matte_wrong(f"{name}, its frame {at + 1},", [shown], wanted, at, measured)
