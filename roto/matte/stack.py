"""The stack: which shapes make up a matte, in order, and how each combines with what lies below it."""

from collections.abc import Container, Mapping, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Any, Self

import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.matte.modes import FOUND, MODES
from roto.matte.shutter import Shutter
from roto.motion import interpolate
from roto.motion.group import groups_of
from roto.motion.keys import Keys
from roto.motion.shape import BELL, GROUP, Shape


@dataclass(frozen=True, slots=True, kw_only=True)
class Finished:
    """A frame whose matte may serve as a lesson. file: names the matte as it was then. drawn: what it was drawn from then; a frame that is
    drawn from something else by now is stale."""

    frame: int
    file: str
    drawn: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Source:
    """Where the alpha of a line comes from that has none of its own. files: names the matte that was brought in. model: names what was
    taught. finished: lessons, in order of frames."""

    files: str = ""
    model: str = ""
    finished: tuple[Finished, ...] = ()

    def on(self, frame: int) -> Finished | None:
        """The finished frame, where it is one."""
        return next((one for one in self.finished if one.frame == frame), None)

    def with_finished(self, one: Finished) -> "Source":
        """With a frame more that is finished, or finished anew."""
        others = [f for f in self.finished if f.frame != one.frame]
        return replace(self, finished=tuple(sorted([*others, one], key=lambda f: f.frame)))

    def without(self, frame: int) -> "Source":
        """With that frame open again."""
        return replace(self, finished=tuple(f for f in self.finished if f.frame != frame))

    def as_data(self) -> dict[str, Any]:
        """As documents and rows keep it; nothing of what is empty."""
        finished = [{"frame": one.frame, "file": one.file, "drawn": one.drawn} for one in self.finished]
        said = {"files": self.files, "model": self.model, "finished": finished}
        return {name: value for name, value in said.items() if value}

    @classmethod
    def from_data(cls, data: Mapping[str, Any]) -> "Source":
        """What `as_data` has said."""
        if not data:
            return NO_SOURCE
        return cls(
            files=data.get("files", ""),
            model=data.get("model", ""),
            finished=tuple(Finished(**one) for one in data.get("finished", [])),
        )


NO_SOURCE = Source()


@dataclass(frozen=True, slots=True, kw_only=True)
class Entry:
    """One line of the stack. mode: a key of `roto.matte.modes.MODES`. opacity 0..1 multiplies the shape's own.

    The line of a group stands for what its shapes make together, from black.
    """

    shape: Shape
    mode: str = "add"
    inverted: bool = False
    opacity: float = 1.0
    source: Source = NO_SOURCE


def _flowing(keys: tuple[tuple[int, float], ...], frames: NDArray[np.int64]) -> Floats:
    """A number keyed over time, at frames (F,)."""
    if not keys:
        return np.zeros(len(frames))
    keyed, values = zip(*keys, strict=True)
    made = Keys.build(list(keyed), np.array([[[v, 0.0]] for v in values]))
    return interpolate.evaluate(made, frames, frames)[:, 0, 0]


def in_order(entries: Sequence[Entry]) -> list[int]:
    """In which order lines count: the shapes of a group that has a line right below it, fringes of them right above, others as given."""
    at = {e.shape.id: k for k, e in enumerate(entries) if e.shape.kind == GROUP}

    def place(k: int) -> tuple[int, int, int]:
        group = _counts_in(entries[k].shape, at)
        if group is None:
            return k, 1, k
        return at[group], 2 if entries[k].mode in FOUND else 0, k

    return sorted(range(len(entries)), key=place)


def _counts_in(shape: Shape, lines: Container[str]) -> str | None:
    """The innermost group of a shape that has a line; lines of groups stand by themselves."""
    groups = () if shape.kind == GROUP else groups_of(shape)
    return next((g.id for g in groups if g.id in lines), None)


def within(entries: Sequence[Entry]) -> list[Entry | None]:
    """The group's line that each line of a stack counts within."""
    lines = {e.shape.id: e for e in entries if e.shape.kind == GROUP}
    groups = [_counts_in(e.shape, lines) if e.mode not in FOUND else None for e in entries]
    return [lines[g] if g is not None else None for g in groups]


@dataclass(frozen=True, slots=True, kw_only=True)
class Matte:
    """A matte of a shot: all that is needed to render it, and nothing else.

    size: width and height in px. rate: frames a second. first, last: the shot's range, both included. Entries run bottom first, and are
    put `in_order`.
    shift: keys (frame, px) of the edge shift of the whole matte, in order of frames, flowing in between. lens: the same of its lens
    softness; lens_kind: what that is of, one of LENSES. It softens what is drawn; what is found stays as it is.
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
    lens: tuple[tuple[int, float], ...] = ()
    lens_kind: str = BELL

    def __post_init__(self) -> None:
        object.__setattr__(self, "entries", tuple(self.entries[k] for k in in_order(self.entries)))

    def shift_at(self, frames: NDArray[np.int64]) -> Floats:
        """The edge shift (px) of the whole matte at frames (F,): what adds or overlaps grows by it, what cuts shrinks."""
        return _flowing(self.shift, frames)

    def lens_at(self, frames: NDArray[np.int64]) -> Floats:
        """The lens softness (px) of the whole matte at frames (F,), never negative."""
        return np.maximum(_flowing(self.lens, frames), 0.0)

    def grown(self, px: float) -> Self:
        """The same matte with all its outlines grown by so many px, beside what its own shift does."""
        keys = self.shift or ((self.first, 0.0),)
        return self if not px else replace(self, shift=tuple((frame, shift + px) for frame, shift in keys))

    def with_shape(self, shape: Shape) -> Self:
        """The same matte with the shape of that id put in place of the old one."""
        return replace(self, entries=tuple(replace(e, shape=shape) if e.shape.id == shape.id else e for e in self.entries))


def sentence(matte: Matte) -> str:
    """The stack in words.

    >>> sentence(Matte(shot="KITE_010", name="kite", size=(8, 8), rate=Fraction(24), first=1, last=1))
    'nothing yet'
    """
    parts: list[str] = []
    inside: list[str] = []
    for e, group in zip(matte.entries, within(matte.entries), strict=True):
        who = ("outside of " if e.inverted else "") + e.shape.name
        if e.shape.kind == GROUP:
            who += f" ({', '.join(inside) or 'nothing'})"
            inside = []
        (parts if group is None else inside).append(MODES[e.mode].sentence.format(who))
    text = ", ".join(parts) or "nothing yet"
    return text + ("; all inverted" if matte.inverted else "")
