"""Mattes some of whose lines are found: solved from the picture, taught, brought in."""

import hashlib
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from roto.errors import NoFringe
from roto.matte.modes import FOUND
from roto.matte.render.parts import Drawn, laid_over
from roto.matte.render.results import Box, Rendered, Solved, Solver
from roto.matte.stack import Matte


def solves(matte: Matte) -> bool:
    """Whether the alpha of a line of the matte is found."""
    return any(e.mode in FOUND for e in matte.entries)


def without_found(matte: Matte) -> Matte:
    """What is left of a matte without lines whose alpha is found, before it is inverted."""
    return replace(matte, entries=tuple(e for e in matte.entries if e.mode not in FOUND), inverted=False)


def with_fringes(matte: Matte, frame: int, box: Box, fringes: Solver | None, rendered: Drawn) -> Rendered:
    """A box of a matte some of whose lines are found. Where none of them is, it is what the other lines make of it. A frame that is
    finished is what it was then. Raises NoFringe where a fringe is live and there is nothing that solves it."""
    found, finished, state = _found(matte, frame, fringes)
    done = rendered(without_found(matte), box)
    alpha = done.alpha
    inner = _meeting(box, [solved.box for solved in found.values()])
    if inner[2] > inner[0] and inner[3] > inner[1]:
        there = np.s_[inner[1] - box[1] : inner[3] - box[1], inner[0] - box[0] : inner[2] - box[0]]
        alpha[there] = _laid_between(matte, found, inner, rendered, alpha[there])
    for one in finished.values():
        _put(alpha, box, one)
    return replace(done, alpha=1 - alpha if matte.inverted else alpha, fringe=state, found=_named(found, finished, state))


def name_of_found(matte: Matte, frame: int, fringes: Solver | None) -> str:
    """The name that `Rendered.found` has on a frame."""
    return _named(*_found(matte, frame, fringes))


def _named(found: dict[int, Solved], finished: dict[int, Solved], state: int) -> str:
    made = hashlib.blake2b(f"{state};".encode(), digest_size=20)
    for some in (found, finished):
        for at, one in some.items():
            made.update(f"{at} {one.box} {one.steady};".encode())
            for pixels in (one.alpha, one.cover, one.unknown):
                made.update(np.ascontiguousarray(pixels).data)
        made.update(b"|")
    return made.hexdigest()


class Once:
    """Asks a solver once about each line of one matte, however often it is rendered."""

    def __init__(self, of: Solver | None) -> None:
        self.of = of
        self._solved: dict[tuple[int, int], Solved | None] = {}
        self._finished: dict[tuple[int, int], Solved | None] = {}

    @property
    def wait(self) -> bool:
        """Whether the solver solves what is not solved yet."""
        return self.of is not None and self.of.wait

    def solved(self, matte: Matte, at: int, frame: int) -> Solved | None:
        """See `Solver`. Raises NoFringe where there is none."""
        if self.of is None:
            raise NoFringe(name=matte.entries[at].shape.name)
        if (at, frame) not in self._solved:
            self._solved[at, frame] = self.of.solved(matte, at, frame)
        return self._solved[at, frame]

    def as_finished(self, matte: Matte, at: int, frame: int) -> Solved | None:
        """See `Solver`."""
        if self.of is not None and (at, frame) not in self._finished:
            self._finished[at, frame] = self.of.as_finished(matte, at, frame)
        return self._finished.get((at, frame))


def _found(matte: Matte, frame: int, fringes: Solver | None) -> tuple[dict[int, Solved], dict[int, Solved], int]:
    """By place in the stack, what is found on a frame, and what is finished there; and how the lines stand, the worst of them."""
    found, finished, state = {}, {}, 0
    for at, entry in enumerate(matte.entries):
        if entry.mode not in FOUND or not entry.shape.is_live(frame):
            continue
        if fringes is None:
            raise NoFringe(name=entry.shape.name)
        solved = fringes.solved(matte, at, frame)
        if solved:
            found[at] = solved
        state = max(state, (1 if solved.steady else 2) if solved else 0 if fringes.wait else 3)
    for at, entry in enumerate(matte.entries):
        whole = fringes.as_finished(matte, at, frame) if fringes is not None and entry.source.on(frame) else None
        if whole is not None:
            finished[at] = whole
    return found, finished, state


def _laid_between(matte: Matte, found: dict[int, Solved], box: Box, rendered: Drawn, plain: NDArray[np.float32]) -> NDArray[np.float32]:
    """Alpha of a box: what lies below a line is rendered, what is found laid on it, the rest laid over that. plain: alpha of all lines that
    are not found."""
    alpha = np.zeros((box[3] - box[1], box[2] - box[0]), np.float32)
    all_of_them = len(without_found(matte).entries)
    begin = 0
    for at in [*found, len(matte.entries)]:
        lines = tuple(e for e in matte.entries[begin:at] if e.mode not in FOUND)
        if begin == 0 and len(lines) == all_of_them:
            alpha = plain.copy()
        elif lines:
            alpha = laid_over(matte, lines, box, None if begin == 0 else alpha, rendered)
        if at in found:
            _lay(alpha, box, found[at], matte.entries[at].opacity)
        begin = at + 1
    return alpha


def _meeting(box: Box, others: list[Box]) -> Box:
    """The part of a box that holds all of others that lies in it; empty, its end before its beginning, where nothing does."""
    x0, y0 = (min((one[k] for one in others), default=box[k + 2]) for k in (0, 1))
    x1, y1 = (max((one[k + 2] for one in others), default=box[k]) for k in (0, 1))
    return max(box[0], x0), max(box[1], y0), min(box[2], x1), min(box[3], y1)


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


def _lay(alpha: NDArray[np.float32], box: Box, solved: Solved, opacity: float) -> None:
    """Lay what is found on the alpha of a box, in place."""
    at, there = _shared(box, solved.box)
    here = alpha[at]
    if here.size:
        part = np.where(solved.unknown[there], solved.cover[there] * np.float32(opacity), np.float32(0))
        here += part * (solved.alpha[there] - here)
