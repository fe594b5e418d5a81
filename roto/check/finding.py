"""What findings are made of: what was read of a frame, what is thought wrong, and in which words."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from roto.check.edges import Edges
from roto.check.motion import Moving
from roto.check.neighbours import Meeting
from roto.check.reading import Box, Reading


@dataclass(frozen=True, slots=True, kw_only=True)
class Seen:
    """All that was read of a frame. fringe: how fringes stand (`roto.matte.render.FRINGE`). starved: see `roto.check.fringes`. fit: px that
    the weakest outline is off by. meets: by the name of another matte, how the two meet; None where that was not read."""

    frame: int
    reading: Reading
    moving: Moving | None = None
    edges: Edges | None = None
    capped: bool = False
    fringe: str = "none"
    starved: float = 0.0
    fit: float | None = None
    meets: dict[str, Meeting] | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    """what: its kind, a key of KINDS. first, last: its frames. box: where on the picture, px; None for all of it. amount: how much, in
    the unit that its sentence says. says: what; why: why it is thought wrong. other: the other matte, where there is one."""

    what: str
    first: int
    last: int
    box: Box | None
    amount: float
    says: str
    why: str
    other: str = ""

    @property
    def harm(self) -> float:
        """By what findings are put in order: the kind first, then how much and how long."""
        return KINDS[self.what].harm + min(0.9, 0.1 * np.log1p(self.amount) + 0.02 * np.log1p(self.last - self.first))


@dataclass(frozen=True, slots=True)
class Kind:
    """harm: 1 to 10. mend: what an artist does about it, a sentence."""

    harm: float
    mend: str


KINDS: dict[str, Kind] = {
    "gone": Kind(10, "Let its shapes be live there, or key it off and on by opacity if it is meant so."),
    "late": Kind(9, "Let its shapes be live from the frame on which the subject is first seen."),
    "early": Kind(9, "Let its shapes be live to the frame on which the subject is last seen."),
    "jump": Kind(8, "Look at the keys on both frames: one of them is off, or one is missing."),
    "stray": Kind(8, "Take away or correct the key on this frame."),
    "frozen": Kind(7.5, "Take away the key that holds it, or set one where the subject is."),
    "boil": Kind(7, "Take keys away: fewer keys move smoothly. Thin them, or let the picture draw."),
    "flicker": Kind(6.8, "Solve the fringe on all frames: then it is steadied over time."),
    "hole": Kind(6, "Close it with a shape, or move the outline whose loop leaves it open."),
    "piece": Kind(6, "Take the speck away: a stray point, a loop, or a shape too many."),
    "gap": Kind(6.5, "Take the outline out over the border of the picture."),
    "seam": Kind(5.5, "Lay both outlines on one line, or let one matte be the other's outside."),
    "overlap": Kind(5.4, "Lay both outlines on one line, or let one matte cut from the other."),
    "no blur": Kind(5.2, "Switch the shape's motion blur on, or read the shutter from the plate."),
    "blur": Kind(5, "Read the shutter from the plate, or switch the shape's motion blur off."),
    "off": Kind(5.1, "Pull it to the edge, or set a key there."),
    "harder": Kind(4.5, "Read the softness from the plate, in the step Soften."),
    "softer": Kind(4.4, "Read the softness from the plate, in the step Soften."),
    "starved": Kind(4.3, "Let the shape below reach into the band, or draw the band so that ground is left on its other side."),
    "unsteady": Kind(4, "Solve the fringe on all frames."),
    "capped": Kind(3.5, "Raise the cap of samples for this shot, where the steps can be seen."),
    "dirt": Kind(4.2, "Look at opacities and wide reaches: something covers there by a few parts in a hundred."),
}  # fmt: skip


def runs(frames: Sequence[Seen], bad: Callable[[Seen], bool], bridge: int = 0) -> Iterable[list[Seen]]:
    """Stretches of frames that are bad, one after the other; over up to `bridge` good ones they go on."""
    run: list[Seen] = []
    for one in frames:
        if not bad(one):
            continue
        if run and one.frame > run[-1].frame + 1 + bridge:
            yield run
            run = []
        run.append(one)
    if run:
        yield run


def when(first: int, last: int) -> str:
    """Frames as words."""
    return f"on {first}" if first == last else f"on {first}-{last}"


def hull(boxes: Iterable[Box]) -> Box:
    """The box around some."""
    found = list(boxes)
    return min(b[0] for b in found), min(b[1] for b in found), max(b[2] for b in found), max(b[3] for b in found)


def as_data(one: Finding) -> dict[str, Any]:
    """A finding as JSON data."""
    return {
        "what": one.what, "first": one.first, "last": one.last, "box": None if one.box is None else list(one.box),
        "amount": round(one.amount, 3), "says": one.says, "why": one.why, "mend": KINDS[one.what].mend, "harm": round(one.harm, 3),
    }  # fmt: skip
