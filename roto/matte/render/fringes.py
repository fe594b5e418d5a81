"""Mattes some of whose lines are solved from the picture."""

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from roto.errors import NoFringe
from roto.matte.modes import SOLVE
from roto.matte.render.results import Box, Rendered, Solved, Solver
from roto.matte.stack import Entry, Matte
from roto.motion.edits import trace
from roto.motion.shape import FAR


def solves(matte: Matte) -> bool:
    """Whether a line of the matte is a fringe."""
    return any(e.mode == SOLVE for e in matte.entries)


_ALL = Entry(
    shape=trace("all", "all", 0, [[x, y, 0, 0, 0, 0] for x, y in ((-FAR, -FAR), (FAR, -FAR), (FAR, FAR), (-FAR, FAR))], [False] * 4)
)
"""covers every picture"""


def with_fringes(matte: Matte, frame: int, box: Box, fringes: Solver | None, rendered: Callable[[Matte], Rendered]) -> Rendered:
    """A matte some of whose lines are fringes: what lies below one is rendered, the solved band laid on it, the rest laid over that.

    Every mode is linear in what lies below it, so the rest is rendered over black and over white. rendered: renders the box of a matte
    without fringes, as floats. Raises NoFringe where a fringe is live and there is nothing that solves it.
    """
    alpha = np.zeros((box[3] - box[1], box[2] - box[0]), np.float32)
    samples, capped, state, begin = 1, False, 0, 0
    for at, entry in [*enumerate(matte.entries), (len(matte.entries), None)]:
        if entry is not None and entry.mode != SOLVE:
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
    alpha = 1 - alpha if matte.inverted else alpha
    return Rendered(alpha=alpha, box=box, samples=samples, capped=capped, fringe=state)


def _laid(alpha: NDArray[np.float32], box: Box, solved: Solved, opacity: float) -> int:
    """Lay a solved fringe on the alpha of a box, in place; says how it stands."""
    x0, y0, x1, y1 = (f(a, b) for f, a, b in zip((max, max, min, min), box, solved.box, strict=True))
    if x0 < x1 and y0 < y1:
        there = (slice(y0 - solved.box[1], y1 - solved.box[1]), slice(x0 - solved.box[0], x1 - solved.box[0]))
        here = alpha[y0 - box[1] : y1 - box[1], x0 - box[0] : x1 - box[0]]
        part = np.where(solved.unknown[there], solved.cover[there] * np.float32(opacity), np.float32(0))
        here += part * (solved.alpha[there] - here)
    return 1 if solved.steady else 2
