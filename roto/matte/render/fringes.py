"""Mattes some of whose lines are found: solved from the picture, taught, brought in."""

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from roto.errors import NoFringe
from roto.matte.modes import FOUND
from roto.matte.render.results import Box, Rendered, Solved, Solver
from roto.matte.stack import Entry, Matte
from roto.motion.edits import trace
from roto.motion.shape import FAR


def solves(matte: Matte) -> bool:
    """Whether the alpha of a line of the matte is found."""
    return any(e.mode in FOUND for e in matte.entries)


_ALL = Entry(
    shape=trace("all", "all", 0, [[x, y, 0, 0, 0, 0] for x, y in ((-FAR, -FAR), (FAR, -FAR), (FAR, FAR), (-FAR, FAR))], [False] * 4)
)
"""covers every picture"""


def with_fringes(matte: Matte, frame: int, box: Box, fringes: Solver | None, rendered: Callable[[Matte], Rendered]) -> Rendered:
    """A matte some of whose lines are found: what lies below one is rendered, the found band laid on it, the rest laid over that. A frame
    that is finished is what it was then.

    Every mode is linear in what lies below it, so the rest is rendered over black and over white. rendered: renders the box of a matte
    without fringes, as floats. Raises NoFringe where a fringe is live and there is nothing that solves it.
    """
    alpha = np.zeros((box[3] - box[1], box[2] - box[0]), np.float32)
    samples, capped, state, begin = 1, False, 0, 0
    for at, entry in [*enumerate(matte.entries), (len(matte.entries), None)]:
        if entry is not None and entry.mode not in FOUND:
            continue
        part = replace(matte, entries=matte.entries[begin:at], inverted=False)
        if part.entries:
            over_black = rendered(part)
            samples, capped = max(samples, over_black.samples), capped or over_black.capped
            if begin == 0:
                alpha = over_black.alpha
            else:
                over_white = rendered(replace(part, entries=(_ALL, *part.entries)))
                alpha = over_black.alpha + alpha * (over_white.alpha - over_black.alpha)
        begin = at + 1
        if entry is None or not entry.shape.is_live(frame):
            continue
        if fringes is None:
            raise NoFringe(name=entry.shape.name)
        solved = fringes.solved(matte, at, frame)
        state = max(state, _laid(alpha, box, solved, entry.opacity) if solved else 0 if fringes.wait else 3)
    for at, entry in enumerate(matte.entries):
        done = fringes.as_finished(matte, at, frame) if fringes is not None and entry.source.on(frame) else None
        if done is not None:
            _put(alpha, box, done)
    alpha = 1 - alpha if matte.inverted else alpha
    return Rendered(alpha=alpha, box=box, samples=samples, capped=capped, fringe=state)


def _shared(box: Box, other: Box) -> tuple[tuple[slice, slice], tuple[slice, slice]]:
    """Where two boxes meet, in the pixels of the one and of the other."""
    x0, y0, x1, y1 = (f(a, b) for f, a, b in zip((max, max, min, min), box, other, strict=True))
    x1, y1 = max(x0, x1), max(y0, y1)
    return tuple((slice(y0 - it[1], y1 - it[1]), slice(x0 - it[0], x1 - it[0])) for it in (box, other))  # type: ignore[return-value]


def _put(alpha: NDArray[np.float32], box: Box, done: Solved) -> None:
    """Put what is finished in the place of the alpha of a box, wherever the band counts."""
    at, there = _shared(box, done.box)
    here = alpha[at]
    here[done.cover[there] > 0] = done.alpha[there][done.cover[there] > 0]


def _laid(alpha: NDArray[np.float32], box: Box, solved: Solved, opacity: float) -> int:
    """Lay a solved fringe on the alpha of a box, in place; says how it stands."""
    at, there = _shared(box, solved.box)
    here = alpha[at]
    if here.size:
        part = np.where(solved.unknown[there], solved.cover[there] * np.float32(opacity), np.float32(0))
        here += part * (solved.alpha[there] - here)
    return 1 if solved.steady else 2
