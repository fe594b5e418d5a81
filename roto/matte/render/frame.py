"""Rendering frames of a matte."""

import math
import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from functools import cache
from itertools import pairwise
from threading import local
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from roto.matte.render.exposure import TOGETHER, Live, knowing, live_at
from roto.matte.render.fringes import solves, with_fringes, without_found
from roto.matte.render.layers import frame_of, layers_of
from roto.matte.render.lenses import Soft, softens, softness_on, with_lenses
from roto.matte.render.remembered import learn, live_on
from roto.matte.render.results import DEPTHS, Box, Rendered, Solver, of_depth
from roto.matte.render.scanline import Frame, render_rows
from roto.matte.stack import Matte, within

Taken = TypeVar("Taken")
ROUGH = 2.5
"""px that a line goes from one sample of a quick look to the next"""


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

    apart = solves(matte) or softens(matte)

    def one(frame: int, live: list[Live]) -> Taken:
        threads = shared.get(frame, 1)
        if apart:
            return take(frame, render(matte, frame, depth=depth, fringes=fringes, threads=threads, live=live))
        if not hasattr(lent, "picture"):
            lent.picture = np.empty(matte.size[::-1], DEPTHS[depth][0])
        lent.picture.fill(0)
        return take(frame, _into(lent.picture, matte, frame, (0, 0, *matte.size), live, threads, depth))

    pool = ThreadPoolExecutor(workers)
    try:
        for begin in range(0, len(numbers), TOGETHER):
            some = numbers[begin : begin + TOGETHER]
            ready = live_of(matte, some)
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
    fringes: Solver | None = None,
    live: list[Live] | None = None,
) -> Rendered:
    """Alpha of a matte at a frame.

    box: the part wanted, cut to the picture; the whole picture by default. The bytes equal the same crop of the whole frame; of
    floats the last bit may differ where lines of part opacity count beyond their outlines.
    cap: fewer samples of the exposure than the shutter's own cap, for a quick look. threads: rows are shared out among so many.
    depth: "float" (float32, 0..1), "8" or "16" (whole numbers, rounded to the nearest), "shown" (bytes in which only what is exactly 0 or
    1 is black or white). fringes: solves those of the stack; NoFringe where there are some and this is not given.
    live: the entries that count on this frame, where `live_of` gave those of many frames at once.
    """
    here = _within(matte, box)
    if cap is not None and cap < matte.shutter.cap:
        matte = replace(matte, shutter=replace(matte.shutter, cap=cap))
    if solves(matte):
        return _with_fringes(matte, frame, here, threads, depth, fringes, live)
    if softens(matte) and (soft := softness_on(matte, frame)):
        return _with_lenses(matte, frame, here, threads, depth, soft, live)
    picture: NDArray[Any] = np.zeros((here[3] - here[1], here[2] - here[0]), DEPTHS[depth][0])
    done = _into(picture, matte, frame, here, live_on(matte, frame) if live is None else live, threads, depth)
    if live is None:
        learn(matte, frame, done.corners)
    return done


def rough_cap(matte: Matte, frame: int, most: int) -> int:
    """In how many samples of the exposure a quick look at a frame may be taken, at most `most`: a line goes some px from one to the next.
    Two are never too many: slow motion is seen as it will be."""
    moving = [one for one in live_on(without_found(matte), frame) if not one.still]
    return min(most, max([2 if moving else 1, *(math.ceil(one.way / ROUGH) for one in moving)]))


def _within(matte: Matte, box: Box | None) -> Box:
    """The part of a box that lies in the picture."""
    width, height = matte.size
    x0, y0, x1, y1 = box or (0, 0, width, height)
    x0, y0, x1, y1 = max(0, x0), max(0, y0), min(width, x1), min(height, y1)
    return x0, y0, max(x0, x1), max(y0, y1)


def live_of(matte: Matte, frames: Iterable[int]) -> dict[int, list[Live]]:
    """By frame, the entries that are drawn there: all but those that are found in the picture."""
    return live_at(without_found(matte), frames)


def _with_fringes(
    matte: Matte, frame: int, box: Box, threads: int, depth: str, fringes: Solver | None, live: list[Live] | None
) -> Rendered:
    plain = without_found(matte)
    own = live is None
    live = live_on(plain, frame) if live is None else live
    corners: dict[str, bool] = {}  # whether outlines have some is looked for once

    def rendered(part: Matte, some: Box) -> Rendered:
        done = render(part, frame, box=some, threads=threads, live=knowing(_of_part(plain, live, part, frame), corners))
        corners.update(done.corners)
        return done

    done = with_fringes(matte, frame, box, fringes, rendered)
    if own:
        learn(plain, frame, corners)
    return replace(done, alpha=of_depth(done.alpha, depth), corners=corners)


def _with_lenses(matte: Matte, frame: int, box: Box, threads: int, depth: str, soft: Soft, live: list[Live] | None) -> Rendered:
    known = live_on(matte, frame) if live is None else live
    corners: dict[str, bool] = {}

    def rendered(part: Matte, some: Box) -> Rendered:
        if part.size != matte.size:
            return render(part, frame, box=some, threads=threads)
        done = render(part, frame, box=some, threads=threads, live=knowing(_of_part(matte, known, part, frame), corners))
        corners.update(done.corners)
        return done

    done = with_lenses(matte, frame, box, soft, rendered)
    if live is None:
        learn(matte, frame, corners)
    return replace(done, alpha=of_depth(done.alpha, depth), corners=corners)


def _of_part(matte: Matte, live: list[Live], part: Matte, frame: int) -> list[Live]:
    """The entries that count in some lines of a matte. live: those of all of it. Where a group is parted from its lines these count by
    themselves."""
    known, own = {id(one.entry): one for one in live}, {id(entry) for entry in matte.entries}
    out: list[Live] = []
    for entry, group in zip(part.entries, within(part.entries), strict=True):
        one = known.get(id(entry))
        if one is not None and one.within is not group:
            return live_at(part, [frame])[frame]
        if one is not None:
            out.append(one)
        elif id(entry) not in own:
            out += live_at(replace(part, entries=(entry,)), [frame])[frame]
    return out


def _into(out: NDArray[Any], matte: Matte, frame: int, box: Box, live: list[Live], threads: int, depth: str) -> Rendered:
    """Draw a box of a matte without fringes into `out`, which holds 0 so far. live: the entries that count there."""
    kind, top = DEPTHS[depth]
    x0, y0, x1, y1 = box
    if x1 == x0 or y1 == y0 or not live:
        out.fill(min(top or 1, np.iinfo(kind).max if top else 1) if matte.inverted else 0)
        return Rendered(alpha=out, box=box, samples=1, capped=False)
    made = layers_of(matte, frame, live, box)
    ready = frame_of(made, matte, box, top)
    _draw(out, ready, y0, y1, threads)
    corners = {one.entry.shape.id: one.corners for one in made.live if one.sure}
    return Rendered(alpha=out, box=box, samples=made.steps, capped=made.capped, corners=corners)


@cache
def _helpers() -> ThreadPoolExecutor:
    """Threads that stay: to begin one takes longer than drawing a small picture."""
    return ThreadPoolExecutor(os.cpu_count() or 1, thread_name_prefix="rows")


os.register_at_fork(after_in_child=_helpers.cache_clear)


def _draw(out: NDArray[Any], ready: Frame, top: int, bottom: int, threads: int) -> None:
    """Draw rows, shared out among so many threads, this one included; it does alone what the others have no time for."""
    if threads <= 1:
        render_rows(out, top, bottom, ready)
        return
    at = np.linspace(top, bottom, 2 * threads + 1).astype(int).tolist()
    left = deque(pairwise(at))

    def some() -> None:
        while left:
            try:
                begin, end = left.popleft()
            except IndexError:  # another thread has taken it meanwhile
                return
            render_rows(out, begin, end, ready)

    helping = [_helpers().submit(some) for _ in range(threads - 1)]
    try:
        some()
    finally:
        left.clear()
        for one in helping:
            if not one.cancel():
                one.result()
