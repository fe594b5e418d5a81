"""Frames rendered again after an edit: only the box that the changed shapes touch, the rest as it was."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from roto.matte.modes import FOUND, MODES, PASS
from roto.matte.render.boxes import touched_boxes
from roto.matte.render.exposure import Live, knowing
from roto.matte.render.frame import live_of, render
from roto.matte.render.fringes import Once, name_of_found, solves
from roto.matte.render.results import Box, Rendered, Solver
from roto.matte.stack import Entry, Matte
from roto.motion.shape import GROUP, Shape

NOWHERE: Box = (0, 0, 0, 0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Kept:
    """A whole frame as it was rendered in 8 bits from `matte`: what of it is not 0 (h, w of the box), and what was told with it; see
    `Rendered`."""

    matte: Matte
    alpha: NDArray[np.uint8]
    box: Box
    samples: int
    capped: bool
    corners: dict[str, bool]
    fringe: int
    found: str

    @classmethod
    def of(cls, matte: Matte, done: Rendered, box: Box | None = None) -> "Kept":
        """A whole frame of depth 8, kept. box: what holds all of it that is not 0, where that is known."""
        if box is None:
            x, y, across, down = cv2.boundingRect(done.alpha)
            box = (x, y, x + across, y + down)
        part = done.alpha[box[1] : box[3], box[0] : box[2]].copy()
        return cls(
            matte=matte, alpha=part, box=box, samples=done.samples, capped=done.capped, corners=done.corners, fringe=done.fringe,
            found=done.found,
        )  # fmt: skip

    def whole(self) -> NDArray[np.uint8]:
        """The frame in the size of the picture."""
        out = np.zeros(self.matte.size[::-1], np.uint8)
        out[self.box[1] : self.box[3], self.box[0] : self.box[2]] = self.alpha
        return out


def touched_since(was: Matte, now: Matte, frames: Sequence[int]) -> dict[int, Box]:
    """By frame, the box outside of which a matte is as it was, to the last bit, as long as the exposure is taken in as many steps; frames
    on which that cannot be said are left out. Shapes are the same where they are the same objects. What lines find in the
    picture may have changed with what lies below them, or been found since: that is looked at by `render_again`."""
    said = [(m.size, m.shutter, m.inverted, m.shift, m.lens, m.lens_kind, len(m.entries)) for m in (was, now)]
    if said[0] != said[1]:
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


def _empty(box: Box) -> bool:
    return _area(box) == 0


def _counts_within(was: Entry, now: Entry) -> bool:
    """Whether a line means the same as before, and nothing outside of its shape."""
    alike = (was.mode, was.inverted, was.opacity, was.shape.id) == (now.mode, now.inverted, now.opacity, now.shape.id)
    return alike and not now.inverted and MODES[now.mode].outside == PASS and GROUP not in (was.shape.kind, now.shape.kind)


def _alike(was: Shape, now: Shape, frame: int) -> bool:
    """Whether a shape counts on a frame as it did, and is drawn in the same way: then the lines beside it are as well."""
    if was.is_live(frame) != now.is_live(frame) or (was.profile, was.blur, was.lens_kind) != (now.profile, now.blur, now.lens_kind):
        return False
    at = np.array([frame])
    one, other = was.reaches_at(at), now.reaches_at(at)
    own = one is other or (one is not None and other is not None and np.array_equal(one, other, equal_nan=True))
    return own and was.settings_at(at) == now.settings_at(at)


def _around(one: Box, other: Box) -> Box:
    return min(one[0], other[0]), min(one[1], other[1]), max(one[2], other[2]), max(one[3], other[3])


def render_again(
    kept: Kept, now: Matte, frame: int, touched: Box, live: list[Live] | None = None, fringes: Solver | None = None
) -> Rendered:
    """A whole frame of depth 8, byte for byte what `render` gives (where lines are found, a byte may be rounded the other way). kept: the
    frame before; touched: what `touched_since` said of it. live, fringes: see `render`."""
    whole = (0, 0, *now.size)
    found = solves(now)
    if not found and _empty(touched):
        return Rendered(alpha=kept.whole(), box=whole, samples=kept.samples, capped=kept.capped, corners=kept.corners)
    known = _corners_now(kept, now)
    live = [_with_corners(one, known, kept.corners) for one in (live_of(now, [frame])[frame] if live is None else live)]
    if found:
        return _found_again(kept, now, frame, touched, live, fringes)
    part = render(now, frame, box=touched, depth="8", live=live)
    if part.samples != kept.samples:
        return render(now, frame, depth="8", live=live)
    out = kept.whole()
    out[touched[1] : touched[3], touched[0] : touched[2]] = part.alpha
    return Rendered(alpha=out, box=whole, samples=part.samples, capped=part.capped, corners=known | part.corners)


def _found_again(kept: Kept, now: Matte, frame: int, touched: Box, live: list[Live], fringes: Solver | None) -> Rendered:
    """The same where lines are found: where what is found is otherwise, their bands are rendered anew as well, by themselves where they
    lie apart from what was touched."""
    fringes = Once(fringes)
    shapes = [e.shape for it in (kept.matte, now) for e in it.entries if e.mode in FOUND]
    as_it_was = name_of_found(now, frame, fringes) == kept.found
    band = NOWHERE if as_it_was else touched_boxes(now, shapes, [frame], live=True)[frame]
    parts = [box for box in (band, touched) if not _empty(box)]
    if len(parts) > 1 and _area(_around(*parts)) <= _area(band) + _area(touched):
        parts = [_around(*parts)]
    done = Rendered(
        alpha=kept.whole(), box=(0, 0, *now.size), samples=kept.samples, capped=kept.capped, fringe=kept.fringe, found=kept.found,
        corners=_corners_now(kept, now),
    )  # fmt: skip
    for box in parts:
        part = render(now, frame, box=box, depth="8", fringes=fringes, live=live)
        if part.samples != kept.samples:
            return render(now, frame, depth="8", fringes=fringes, live=live)
        done.alpha[box[1] : box[3], box[0] : box[2]] = part.alpha
        done = replace(done, capped=part.capped, fringe=part.fringe, found=part.found, corners=done.corners | part.corners)
        live = knowing(live, part.corners)
    return done


def _area(box: Box) -> int:
    return max(0, box[2] - box[0]) * max(0, box[3] - box[1])


def _corners_now(kept: Kept, now: Matte) -> dict[str, bool]:
    """What is known of the corners of shapes that are as they were."""
    same = {b.shape.id for a, b in zip(kept.matte.entries, now.entries, strict=True) if a.shape is b.shape}
    return {shape: corners for shape, corners in kept.corners.items() if shape in same}


def _with_corners(one: Live, known: dict[str, bool], before: dict[str, bool]) -> Live:
    corners = known.get(one.entry.shape.id)
    if corners is None:
        return replace(one, guess=before.get(one.entry.shape.id, False))
    return replace(one, corners=corners, sure=True)
