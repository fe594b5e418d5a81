"""The stack: which shapes make up a matte, in order, and how each combines with what lies below it."""

from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Self

import numpy as np
from numpy.typing import NDArray

from roto.matte.coverage import ADD, CUT, KEEP
from roto.matte.shutter import Shutter
from roto.motion import flow
from roto.motion.keys import Floats, Keys
from roto.motion.shape import Shape

MODES = {"add": ADD, "cut": CUT, "keep": KEEP}
SOLVE = "solve"
"""the mode of a fringe: within its shape alpha is solved from the plate (`roto.matte.fringe`)"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Entry:
    """One line of the stack. mode: add, cut, keep (the overlap) or solve. opacity 0..1 multiplies the shape's own."""

    shape: Shape
    mode: str = "add"
    inverted: bool = False
    opacity: float = 1.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Matte:
    """A matte of a shot: all that is needed to render it, and nothing else.

    size: width and height in px. rate: frames a second. first, last: the shot's range, both included. Entries run bottom first.
    shift: keys (frame, px) of the edge shift of the whole matte, in order of frames, flowing in between.
    """

    shot: str
    name: str
    size: tuple[int, int]
    rate: Fraction
    first: int
    last: int
    shutter: Shutter = field(default_factory=Shutter)
    entries: tuple[Entry, ...] = ()
    inverted: bool = False
    shift: tuple[tuple[int, float], ...] = ()

    def shift_at(self, frames: NDArray[np.int64]) -> Floats:
        """The edge shift (px) of the whole matte at frames (F,): what adds or overlaps grows by it, what cuts shrinks."""
        if not self.shift:
            return np.zeros(len(frames))
        keyed, values = zip(*self.shift, strict=True)
        keys = Keys.build(list(keyed), np.array([[[v, 0.0]] for v in values]))
        return flow.evaluate(keys, frames, frames)[:, 0, 0]

    def with_shape(self, shape: Shape) -> Self:
        """The same matte with the shape of that id put in place of the old one."""
        return replace(self, entries=tuple(replace(e, shape=shape) if e.shape.id == shape.id else e for e in self.entries))


def sentence(matte: Matte) -> str:
    """The stack in words.

    >>> sentence(Matte(shot="KITE_010", name="kite", size=(8, 8), rate=Fraction(24), first=1, last=1))
    'nothing yet'
    """
    verbs = {"add": "{} adds", "cut": "{} cuts", "keep": "keep where {} overlaps", SOLVE: "{} is solved from the plate"}
    parts = [verbs[e.mode].format(("outside of " if e.inverted else "") + e.shape.name) for e in matte.entries]
    text = ", ".join(parts) or "nothing yet"
    return text + ("; all inverted" if matte.inverted else "")
