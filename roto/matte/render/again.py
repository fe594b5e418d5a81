"""Frames rendered again after an edit: only the box that the changed shapes touch, the rest as it was."""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from roto.matte.modes import MODES, PASS, SOLVE
from roto.matte.render.boxes import touched_boxes
from roto.matte.render.exposure import Live
from roto.matte.render.frame import render
from roto.matte.render.results import Box, Rendered
from roto.matte.stack import Entry, Matte
from roto.motion.shape import GROUP, Shape

NOWHERE: Box = (0, 0, 0, 0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Kept:
    """A whole frame as it was rendered in 8 bits from `matte`: what of it is not 0 (h, w of the box), and what was told with it."""

    matte: Matte
    alpha: NDArray[np.uint8]
    box: Box
    samples: int
    capped: bool

    @classmethod
    def of(cls, matte: Matte, done: Rendered) -> "Kept":
        """A whole frame of depth 8, kept."""
        x, y, across, down = cv2.boundingRect(done.alpha)
        part = done.alpha[y : y + down, x : x + across].copy()
        return cls(matte=matte, alpha=part, box=(x, y, x + across, y + down), samples=done.samples, capped=done.capped)

    def whole(self) -> NDArray[np.uint8]:
        """The frame in the size of the picture."""
        out = np.zeros(self.matte.size[::-1], np.uint8)
        out[self.box[1] : self.box[3], self.box[0] : self.box[2]] = self.alpha
        return out


def touched_since(was: Matte, now: Matte, frames: Sequence[int]) -> dict[int, Box]:
    """By frame, the box outside of which a matte is as it was, to the last bit, as long as the exposure is taken in as many steps; frames
    on which that cannot be said are left out. Shapes are the same where they are the same objects."""
    said = [(m.size, m.shutter, m.inverted, m.shift, len(m.entries)) for m in (was, now)]
    if said[0] != said[1] or any(e.mode == SOLVE for e in (*was.entries, *now.entries)):
        return {}
    changed = [(a, b) for a, b in zip(was.entries, now.entries, strict=True) if a is not b and (a.shape is not b.shape or a != b)]
    if not all(_counts_within(a, b) for a, b in changed):
        return {}
    pairs = [(a.shape, b.shape) for a, b in changed]
    same = [f for f in frames if all(_alike(a, b, f) for a, b in pairs)]
    if not pairs or not same:
        return dict.fromkeys(same, NOWHERE)
    before, after = (touched_boxes(now, [pair[k] for pair in pairs], same) for k in (0, 1))
    return {f: _around(before[f], after[f]) for f in same}


def _counts_within(was: Entry, now: Entry) -> bool:
    """Whether a line means the same as before, and nothing outside of its shape."""
    alike = (was.mode, was.inverted, was.opacity, was.shape.id) == (now.mode, now.inverted, now.opacity, now.shape.id)
    return alike and not now.inverted and MODES[now.mode].outside == PASS and GROUP not in (was.shape.kind, now.shape.kind)


def _alike(was: Shape, now: Shape, frame: int) -> bool:
    """Whether a shape counts on a frame as it did, and is drawn in the same way: then the lines beside it are as well."""
    if was.is_live(frame) != now.is_live(frame) or was.profile != now.profile or was.blur != now.blur:
        return False
    at = np.array([frame])
    one, other = was.reaches_at(at), now.reaches_at(at)
    own = one is other or (one is not None and other is not None and np.array_equal(one, other, equal_nan=True))
    return own and was.settings_at(at) == now.settings_at(at)


def _around(one: Box, other: Box) -> Box:
    return min(one[0], other[0]), min(one[1], other[1]), max(one[2], other[2]), max(one[3], other[3])


def render_again(kept: Kept, now: Matte, frame: int, touched: Box, live: list[Live] | None = None) -> Rendered:
    """A whole frame of depth 8, byte for byte what `render` gives. kept: the frame before; touched: what `touched_since` said of it.
    live: see `render`."""
    whole = (0, 0, *now.size)
    if touched[2] <= touched[0] or touched[3] <= touched[1]:
        return Rendered(alpha=kept.whole(), box=whole, samples=kept.samples, capped=kept.capped)
    part = render(now, frame, box=touched, depth="8", live=live)
    if part.samples != kept.samples:
        return render(now, frame, depth="8", live=live)
    out = kept.whole()
    out[touched[1] : touched[3], touched[0] : touched[2]] = part.alpha
    return Rendered(alpha=out, box=whole, samples=part.samples, capped=part.capped)
