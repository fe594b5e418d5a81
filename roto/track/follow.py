"""Following a patch from frame to frame.

Each frame is fitted to the first patch, beginning where the last frame and its movement lead: so nothing adds up on the way. When the
first patch looks different by now (it has turned away, or the light has changed it), a newer one is taken from a frame that was sure, and
the first is tried again from where that leads.
"""

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.errors import NothingToFollow
from roto.track.align import MOVE, SIMILAR, Fit, Grey, Patch, fit, levels_of, mapped, patch_of

CONFIDENT = 0.55
"""correlation below which a patch is lost"""
RENEW = 0.85
"""correlation below which a newer patch is taken"""
SEEN = 0.3
"""share of the patch that must lie in the picture"""
AGREE = 0.35
"""share of its pixels that must agree"""
GROWS = 1.35
"""times as large or small from one frame to the next at most"""
COARSEST = 10.0
"""px: half a patch's diagonal on its coarsest level at the least"""
MOST_LEVELS = 4
FINE = 2
"""levels that are tried by themselves, where the coarser ones lead astray"""
SEARCH = 40
"""px around where it is expected that a patch is looked for unless asked otherwise"""

Box = tuple[int, int, int, int]
GAP = "The patch is lost: nothing near looks enough like it. Correct it by hand here, or begin a new patch."
OUT = "The patch has left the picture."
JUMP = "The patch would change its size or shape at once: that is no movement. Correct it by hand here."
HIDDEN = "Too much of the patch is held out here."
ALIKE = "Several places near look just like the patch. Correct it by hand here, or take a larger patch that holds something of its own."
NEARLY = 0.1
"""of confidence times agreement: places that are worse by less look alike"""
LIKELY = 0.7
"""correlation on a halved picture, below which a place does not look like the patch"""
APART = 2.0
"""px: matches farther apart than this are two"""
MOST_ALIKE = 4
"""places beside the one that was found that are looked at: so many of the nearest, and of the best"""
DETAIL = 8
"""px of a level: across a patch at the least, where places that look alike are sought"""
STRAYS = {True: 0.3, False: 0.12}
"""by whether its movement is known: how far a patch may be found from where it is expected, of the way from there to the next place that
looks the same. Farther, and it may as well be that one."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One frame followed. map: (3, 3) plate px of the patch's frame to this one's; None where it was lost, and `why` says so.

    confidence: 0..1.
    """

    frame: int
    map: Floats | None
    confidence: float
    why: str = ""


def _around(points: Floats, by: float, size: tuple[int, int]) -> Box | None:
    low = np.clip(np.floor(points.min(axis=0) - by), 0, size).astype(int)
    high = np.clip(np.ceil(points.max(axis=0) + by), 0, size).astype(int)
    box = (int(low[0]), int(low[1]), int(high[0]), int(high[1]))
    return box if box[2] - box[0] > 8 and box[3] - box[1] > 8 else None


def _shift(x: float, y: float) -> Floats:
    return np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]])


@dataclass(frozen=True, slots=True, kw_only=True)
class Sought:
    """A patch with the frame that it was taken from, and where the first patch was on it."""

    patch: Patch
    home: Floats


class Follower:
    """Follows one patch. picture: a frame as numbers (h, w), 0..1. mask: (h, w) of the box, the patch's pixels on its frame.

    search: px around where it is expected. held_out: on a frame, pixels (h, w) that are not the patch's, or None.
    Raises NothingToFollow where the patch is flat, or too small.
    """

    def __init__(
        self,
        picture: Callable[[int], Grey],
        frame: int,
        box: Box,
        mask: NDArray[np.bool_] | None = None,
        *,
        model: str = SIMILAR,
        search: float = SEARCH,
        held_out: Callable[[int], NDArray[np.bool_] | None] = lambda frame: None,
    ) -> None:
        self.picture, self.model, self.search, self.held_out = picture, model, search, held_out
        self.box, self.frame = box, frame
        grey = picture(frame)
        self.size = (grey.shape[1], grey.shape[0])
        mask = np.ones((box[3] - box[1], box[2] - box[0]), np.bool_) if mask is None else mask
        x0, y0, x1, y1 = (max(0, box[0]), max(0, box[1]), min(self.size[0], box[2]), min(self.size[1], box[3]))
        if x1 - x0 < 6 or y1 - y0 < 6:
            raise NothingToFollow("The patch lies outside the picture, or is too small: give it at least six pixels each way.")
        mask = mask[y0 - box[1] : y1 - box[1], x0 - box[0] : x1 - box[0]]
        hidden = held_out(frame)
        if hidden is not None:
            mask = mask & ~hidden[y0:y1, x0:x1]
        self.extent = (x0, y0, x1, y1)
        half = 0.5 * float(np.hypot(x1 - x0, y1 - y0))
        self.levels = int(np.clip(1 + np.floor(np.log2(max(1.0, half / COARSEST))), 1, MOST_LEVELS))
        first = self._taken(grey, self.extent, mask)
        if first is None:
            raise NothingToFollow()
        self.first = Sought(patch=first, home=np.eye(3))
        self.newest = self.first
        self.mask = mask

    def _taken(self, grey: Grey, box: Box, mask: NDArray[np.bool_]) -> Patch | None:
        """A patch of a frame, worked out within a part of the picture around it."""
        part = _around(np.array([box[:2], box[2:]], float), 4.0 * 2**self.levels, self.size)
        assert part is not None
        levels = levels_of(grey[part[1] : part[3], part[0] : part[2]], self.levels)
        moved = (box[0] - part[0], box[1] - part[1], box[2] - part[0], box[3] - part[1])
        made = patch_of(levels, mask, moved, self.model)
        if made is None:
            return None
        middle = (made.middle[0] + part[0], made.middle[1] + part[1])
        return Patch(model=made.model, middle=middle, size=made.size, levels=made.levels, corners=made.corners + part[:2])

    def follow(self, frames: Iterable[int], known: Mapping[int, Floats] | None = None) -> Iterator[Step]:
        """Follow over frames in this order, away from the patch's own frame or from one in `known`; ends at the first that is lost.

        known: maps on frames that were corrected by hand or followed before; they are given back as they are, and lead on.
        """
        last, before, was = np.eye(3), None, self.frame
        known = known or {}
        for frame in frames:
            if frame in known:
                before, last, was = (last if abs(frame - was) == 1 else None), known[frame], frame
                yield Step(frame=frame, map=last, confidence=1.0)
                continue
            step = self._step(frame, last, before)
            yield step
            if step.map is None:
                return
            before, last, was = last, step.map, frame

    def _expected(self, last: Floats, before: Floats | None) -> Floats:
        """Where the last movement leads if it goes on: only the way of the middle, since turns and sizes seldom keep their pace."""
        if before is None:
            return last
        middle = np.array([self.first.patch.middle])
        way = (mapped(last, middle) - mapped(before, middle))[0]
        return _shift(*way) @ last

    def _step(self, frame: int, last: Floats, before: Floats | None) -> Step:
        expected = self._expected(last, before)
        there = mapped(expected, self.first.patch.corners)
        box = _around(there, self.search + 4.0 * 2**self.levels, self.size)
        if box is None:
            return Step(frame=frame, map=None, confidence=0.0, why=OUT)
        grey = self.picture(frame)
        x0, y0, x1, y1 = box
        levels = levels_of(grey[y0:y1, x0:x1], self.levels)
        hidden = self.held_out(frame)
        hidden = None if hidden is None else np.ascontiguousarray(hidden[y0:y1, x0:x1])
        found = self._best(levels, (x0, y0), expected, last, hidden)
        inside = ((there > 0) & (there < self.size)).all(axis=1).mean()
        if (
            found is not None
            and inside <= 0.5
            and np.abs(mapped(found.map, self.first.patch.corners) - there).max() > self.first.patch.size
        ):
            return Step(frame=frame, map=None, confidence=0.0, why=OUT)  # it leaves; what looks like it elsewhere is another one
        if found is None or found.seen < SEEN:
            return Step(frame=frame, map=None, confidence=0.0, why=(HIDDEN if hidden is not None else GAP) if inside > 0.5 else OUT)
        moves = self._is_movement(found.map, last)
        if found.confidence < CONFIDENT or found.agree < AGREE or not moves:
            why = JUMP if found.confidence > RENEW and not moves else GAP
            return Step(frame=frame, map=None, confidence=found.confidence, why=why)
        found, sure = self._told_apart(found, levels, (x0, y0), expected, before is not None, hidden)
        if sure < CONFIDENT:
            return Step(frame=frame, map=None, confidence=sure, why=ALIKE)
        if found.confidence < RENEW:
            self._renew(grey, found.map)
        return Step(frame=frame, map=found.map, confidence=sure)

    def _told_apart(
        self, found: Fit, levels: list[Grey], corner: tuple[int, int], expected: Floats, moves: bool, hidden: NDArray[np.bool_] | None
    ) -> tuple[Fit, float]:
        """Of the places that look alike the one where the patch is expected, and how sure that is: the less, the nearer it is to be taken
        for another one. moves: whether its movement is known."""
        middle = np.array([self.first.patch.middle])

        def away(there: Floats, other: Floats) -> float:
            return float(np.hypot(*(mapped(there, middle) - mapped(other, middle))[0]))

        places = [found]
        for start in self._peaks(levels, _shift(-corner[0], -corner[1]), expected):
            if min(away(start, one.map) for one in places) < APART:
                continue
            now = self._tried(self.newest, start, levels[:FINE], corner, hidden)
            if now is not None and self._is_movement(now.map, expected) and min(away(now.map, one.map) for one in places) > APART:
                places.append(now)
        best = max(one.confidence * one.agree for one in places)
        alike = [one for one in places if one.confidence * one.agree > best - NEARLY]
        if len(alike) == 1:
            return alike[0], alike[0].confidence
        alike.sort(key=lambda one: away(one.map, expected))
        strays = away(alike[0].map, expected) / max(away(alike[1].map, expected), 1e-6)
        return alike[0], alike[0].confidence * (1.0 - (1.0 - CONFIDENT) * min(1.1, strays / STRAYS[moves]))

    def _best(
        self, levels: list[Grey], corner: tuple[int, int], expected: Floats, last: Floats, hidden: NDArray[np.bool_] | None
    ) -> Fit | None:
        """The newest patch fitted from where it is expected, from where it was, or where a search finds it; then the first from there."""
        best: Fit | None = None
        for start, on in ((expected, levels), (expected, levels[:FINE]), (last, levels), (None, levels)):
            if on is not levels and len(levels) <= FINE:
                continue
            if start is None:
                start = self._searched(levels, _shift(-corner[0], -corner[1]), expected)
            now = self._tried(self.newest, start, on, corner, hidden)
            if now is not None and (best is None or now.confidence * now.agree > best.confidence * best.agree):
                best = now
            if best is not None and best.confidence >= 0.5 * (CONFIDENT + 1) and best.agree >= AGREE and self._is_movement(best.map, last):
                break
        if best is not None and self.newest is not self.first:
            again = self._tried(self.first, best.map, levels, corner, hidden)
            if again is not None and again.confidence >= RENEW and self._is_movement(again.map, best.map):
                best = again
        return best

    def _tried(
        self, sought: Sought, start: Floats, levels: list[Grey], corner: tuple[int, int], hidden: NDArray[np.bool_] | None
    ) -> Fit | None:
        """A patch fitted from a map; levels: of a part of the picture that begins at `corner`, those that are to be used."""
        back, forth = _shift(-corner[0], -corner[1]), _shift(*corner)
        done = fit(sought.patch, levels, back @ start @ np.linalg.inv(sought.home), hidden)
        if done is None:
            return None
        there = forth @ done.map @ sought.home
        return Fit(map=there / there[2, 2], confidence=done.confidence, agree=done.agree, seen=done.seen)

    def _scores(self, coarse: Grey, k: int, back: Floats, expected: Floats) -> tuple[NDArray[np.float32], tuple[int, int]] | None:
        """How well the patch, as it is expected to look, fits at every shift on level k: correlations, and which of them is no shift."""
        scale = 0.5**k
        level = self.newest.patch.levels[k]
        there = np.rint((mapped(back @ expected, self.newest.patch.corners @ np.eye(2)) - 0.5) * scale).astype(int)
        (a, b), (c, d) = there.min(axis=0), there.max(axis=0)
        if c - a < 3 or d - b < 3:
            return None
        values = np.zeros((d - b + 1, c - a + 1), np.float32)
        known = np.zeros_like(values)
        places = level.places * self.newest.patch.size + self.newest.patch.middle
        at = np.rint((mapped(back @ expected @ np.linalg.inv(self.newest.home), places) - 0.5) * scale).astype(int) - [a, b]
        inside = ((at >= 0) & (at <= [c - a, d - b])).all(axis=1)
        values[at[inside, 1], at[inside, 0]] = level.values[inside]
        known[at[inside, 1], at[inside, 0]] = 1
        if values.shape[0] >= coarse.shape[0] or values.shape[1] >= coarse.shape[1] or known.sum() < 12:
            return None
        score = cv2.matchTemplate(coarse, values, cv2.TM_CCOEFF_NORMED, mask=None if known.all() else known)  # without one it is quick
        score[~np.isfinite(score)] = -1
        return np.asarray(score, np.float32), (int(a), int(b))

    def _searched(self, levels: list[Grey], back: Floats, expected: Floats) -> Floats:
        """Where the patch fits best around there, on the coarsest level."""
        k = min(self.levels, len(self.newest.patch.levels)) - 1
        scored = self._scores(levels[k], k, back, expected)
        if scored is None:
            return expected
        y, x = np.unravel_index(int(scored[0].argmax()), scored[0].shape)
        return _shift(float(x - scored[1][0]) * 2.0**k, float(y - scored[1][1]) * 2.0**k) @ expected

    def _peaks(self, levels: list[Grey], back: Floats, expected: Floats) -> list[Floats]:
        """Where the patch fits better than beside it, on a level that still shows its detail: the nearest places and the best ones."""
        sides = np.ptp(self.newest.patch.corners, axis=0)
        k = min(len(levels), len(self.newest.patch.levels)) - 1
        while k > 0 and sides.min() * 0.5**k < DETAIL:
            k -= 1
        scored = self._scores(levels[k], k, back, expected)
        if scored is None:
            return []
        score, (a, b) = scored
        tops = (score >= cv2.dilate(score, np.ones((5, 5), np.uint8))) & (score > max(LIKELY, score.max() - 2 * NEARLY))
        rows, columns = np.nonzero(tops)
        best = np.argsort(-score[rows, columns], kind="stable")[:MOST_ALIKE]
        near = np.argsort(np.hypot(columns - a, rows - b), kind="stable")[:MOST_ALIKE]
        which = dict.fromkeys([*near.tolist(), *best.tolist()])
        return [_shift((columns[n] - a) * 2.0**k, (rows[n] - b) * 2.0**k) @ expected for n in which]

    def _is_movement(self, there: Floats, last: Floats) -> bool:
        """Whether the patch changes its size and shape from one frame to the next as things do."""
        now, was = (mapped(m, self.first.patch.corners) for m in (there, last))
        if not np.isfinite(now).all():
            return False
        sides = [np.hypot(*(np.roll(p, -1, axis=0) - p).T) for p in (now, was)]
        ratio = sides[0] / np.maximum(sides[1], 1e-9)
        areas = [0.5 * float(np.sum(p[:, 0] * np.roll(p[:, 1], -1) - p[:, 1] * np.roll(p[:, 0], -1))) for p in (now, was)]
        return bool(ratio.max() < GROWS and ratio.min() > 1 / GROWS and areas[0] * areas[1] > 0)

    def _renew(self, grey: Grey, there: Floats) -> None:
        """Take a newer patch from a frame, where the first one lies on it now."""
        corners = mapped(there, self.first.patch.corners)
        box = _around(corners, 0.0, self.size)
        if box is None:
            return
        way = _shift(-box[0], -box[1]) @ there @ _shift(self.extent[0], self.extent[1])
        size = (box[2] - box[0], box[3] - box[1])
        mask = cv2.warpPerspective(self.mask.astype(np.float32), way, size, flags=cv2.INTER_LINEAR) > 0.99
        made = self._taken(grey, box, mask)
        if made is not None:
            self.newest = Sought(patch=made, home=there)


def around_point(x: float, y: float, half: float) -> Box:
    """The box of a patch with a point in its middle."""
    return (int(np.floor(x - half)), int(np.floor(y - half)), int(np.ceil(x + half)), int(np.ceil(y + half)))


__all__ = ["MOVE", "SIMILAR", "Follower", "Step", "around_point"]


GRID = 5
"""across and down: so many places of a plane are looked at by themselves"""
AROUND_PLACE = 10.0
"""px: half the width of what is looked at there"""


def holds(home: Grey, here: Grey, corners: Floats, there: Floats) -> Floats:
    """How well a map (3, 3) holds a plane: rows of x, y in the picture `here`, how far (px, x and y) the picture lies from there, how sure.

    Places of a grid within the plane's corners (4, 2) on its own picture `home`, each looked for by itself near where the map takes it;
    those with nothing to hold on to are left out.
    """
    source = [levels_of(home, 1), levels_of(here, 1)]
    u = (np.arange(GRID) + 0.5) / GRID
    rows = []
    for v in u:
        for w in u:
            a, b, c, d = corners
            place = (1 - v) * ((1 - w) * a + w * b) + v * ((1 - w) * d + w * c)
            box = around_point(float(place[0]), float(place[1]), AROUND_PLACE)
            if box[0] < 4 or box[1] < 4 or box[2] > home.shape[1] - 4 or box[3] > home.shape[0] - 4:
                continue
            made = patch_of(source[0], np.ones((box[3] - box[1], box[2] - box[0]), np.bool_), box, MOVE)
            found = None if made is None else fit(made, source[1], there)
            if found is None or found.confidence < CONFIDENT:
                continue
            at, moved = mapped(there, place[None])[0], mapped(found.map, place[None])[0]
            rows.append([*at, *(moved - at), found.confidence])
    return np.array(rows).reshape(-1, 5)
