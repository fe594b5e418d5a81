"""From many keys to few: a shape that is keyed on every frame (baked, imported, followed) with as few keys as keep every frame."""

from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.errors import BadKeys
from roto.motion import placement
from roto.motion.keys import FLOWING, Keys
from roto.motion.shape import DIVIDING, GROUP, Shape
from roto.motion.steady_form import steady

ALONG = (0.25, 0.5, 0.75)
"""of each segment: where the outline is looked at beside its points"""
SHIFTS, NEAREST = 6, 4
"""rounds in which keys are shifted to make up for one that is gone, and how many beside it"""
STENCIL = 3
"""keys at either side on which a flowing stretch depends"""
AROUND = 12
"""keys at either side that a trial without one may shift or feel: NEAREST, and STENCIL of those twice"""
LEAST_TOLERANCE = 0.01
"""px: finer than any outline is traced"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Thinned:
    """before, after: keys of form and placement. worst: px that the outline is off at the most, on frame `where`."""

    shape: Shape
    before: int
    after: int
    worst: float
    where: int


def baked(shape: Shape, frames: NDArray[np.int64], free: bool = False) -> Shape:
    """The shape keyed on each of these frames, its placement in its form; free: carried by nothing any more, where it was."""
    points = shape.outlines(frames)
    if not free:
        points = shape.within_rides(points, frames, frames)
    return replace(
        shape, form=Keys.build(frames, points), place=placement.at_rest(int(frames[0])), rides=() if free else shape.rides
    )  # fmt: skip


def looked_at(points: Floats) -> Floats:
    """Places (T, m, 2) along outlines (T, n, 6): the points, and between them."""
    nexts = np.roll(points, -1, axis=1)
    a, d = points[:, :, :2], nexts[:, :, :2]
    b, c = a + points[:, :, 4:6], d + nexts[:, :, 2:4]
    between = [(1 - t) ** 3 * a + 3 * t * (1 - t) ** 2 * b + 3 * t * t * (1 - t) * c + t**3 * d for t in ALONG]
    return np.concatenate([a, *between], axis=1)


def off_by(shape: Shape, wanted: Floats, frames: NDArray[np.int64]) -> Floats:
    """px (T,) that the outline is off at the most on each frame, from places `looked_at` (T, m, 2)."""
    return np.asarray(np.hypot(*(looked_at(shape.outlines(frames)) - wanted).transpose(2, 0, 1)).max(axis=1))


def thin(shape: Shape, tolerance: float, span: tuple[int, int] | None = None) -> Thinned:
    """The same motion with few keys: on no frame of its keys (or of `span`) is its outline off by more than `tolerance` px.

    Keys are set one by one where the outline is off most, with move, turn and size in the placement or without, whichever needs fewer; then
    each is tried without. Keys that hold or run straight stay as they are.
    """
    if shape.kind in (GROUP, DIVIDING):
        raise BadKeys("Only closed outlines are thinned.")
    if not tolerance >= LEAST_TOLERANCE:
        raise BadKeys(f"A tolerance of at least {LEAST_TOLERANCE} px makes sense.")
    keyed = np.union1d(shape.form.frames, shape.place.frames)
    first, last = span or (int(keyed[0]), int(keyed[-1]))
    if last - first < 2:
        raise BadKeys(f"'{shape.name}' has nothing to thin: its keys lie next to each other.")
    frames = np.arange(first, last + 1)
    wanted = looked_at(shape.outlines(frames))
    dense = baked(shape, frames)
    fixed = sorted({int(f) for keys in (shape.form, shape.place) for f in _beside_fixed(keys)} & set(frames.tolist()))
    kinds = {
        int(f): int(keys.kinds[k]) for keys in (shape.form, shape.place) for k, f in enumerate(keys.frames) if keys.kinds[k] != FLOWING
    }
    tries = [_few(base, frames, wanted, tolerance, fixed, kinds) for base in (dense, steady(dense).shape)]
    best = min(tries, key=lambda made: len(made.form.frames) + len(made.place.frames))
    off = off_by(best, wanted, frames)
    if off.max() > tolerance:
        raise BadKeys(f"'{shape.name}' cannot be kept within {tolerance:g} px: it would be off by {off.max():.2f} px.")
    return Thinned(
        shape=best,
        before=len(shape.form.frames) + len(shape.place.frames),
        after=len(best.form.frames) + len(best.place.frames),
        worst=float(off.max()),
        where=int(frames[off.argmax()]),
    )


def _beside_fixed(keys: Keys) -> list[int]:
    """Frames at both ends of stretches that do not flow."""
    out = []
    for k, kind in enumerate(keys.kinds):
        if kind != FLOWING:
            out += [int(f) for f in keys.frames[k : k + 2]]
    return out


def picked(keys: Keys, frames: Sequence[int], kinds: dict[int, int]) -> Keys:
    at = np.searchsorted(keys.frames, frames)
    return Keys.build(frames, keys.values[at], kinds=[kinds.get(f, FLOWING) for f in frames])


On = tuple[list[int], list[int]]
"""frames of the keys of form and placement"""


@dataclass(slots=True, kw_only=True)
class Trials:
    """Tries keys on some of the frames of a motion that is keyed on each of them.

    base: keyed on each of `frames`, its placement too where it `moves`. on: the keys that stand. off: px (T,) that they leave each frame
    off. A stretch depends on three keys at either side (see `interpolate`), so a trial looks again at the frames near what it changes.
    """

    base: Shape
    frames: NDArray[np.int64]
    wanted: Floats
    kinds: dict[int, int]
    moves: bool
    on: On
    off: Floats

    def tried(self, on: On) -> Floats:
        """How far off (T,) keys on other frames would leave it."""
        spans = [_changed(old, new) for old, new in zip(self.on, on, strict=True) if old != new]
        if not spans:
            return self.off
        low, high = min(span[0] for span in spans), max(span[1] for span in spans)
        which = (self.frames >= low) & (self.frames <= high)
        form, place = (_near(frames, low, high) for frames in on)
        some = replace(self.base, form=picked(self.base.form, form, self.kinds), place=picked(self.base.place, place, self.kinds))
        off = self.off.copy()
        off[which] = off_by(some, self.wanted[which], self.frames[which])
        return off

    def both(self, chosen: list[int]) -> On:
        """Keys of form and placement on the same frames."""
        return chosen, (chosen if self.moves else [int(self.frames[0])])

    def take(self, on: On) -> None:
        """Let these keys stand."""
        self.off, self.on = self.tried(on), on


def _changed(old: list[int], new: list[int]) -> tuple[int, int]:
    """The frames between which a motion changes with its keys."""
    same = 0
    while same < min(len(old), len(new)) and old[same] == new[same]:
        same += 1
    after = 0
    while after < min(len(old), len(new)) - same and old[-1 - after] == new[-1 - after]:
        after += 1
    return old[max(0, same - STENCIL)], old[min(len(old) - 1, len(old) - after + STENCIL - 1)]


def _near(frames: list[int], low: int, high: int) -> list[int]:
    """The keys on which the motion between two frames depends."""
    return frames[max(0, bisect_right(frames, low) - 1 - STENCIL) : bisect_left(frames, high) + 1 + STENCIL]


def _few(base: Shape, frames: NDArray[np.int64], wanted: Floats, tolerance: float, fixed: list[int], kinds: dict[int, int]) -> Shape:
    every = [int(f) for f in frames]
    moves = len(base.place.frames) > 1
    if not moves:
        base = replace(base, place=Keys.build(every[:1], base.place.values[:1]))
    chosen = sorted({every[0], every[-1], *fixed})
    on = (chosen, chosen if moves else [every[0]])
    first = replace(base, form=picked(base.form, on[0], kinds), place=picked(base.place, on[1], kinds))
    off = off_by(first, wanted, frames)
    trials = Trials(base=base, frames=frames, wanted=wanted, kinds=kinds, moves=moves, on=on, off=off)
    while trials.off.max() > tolerance and len(chosen) < len(every):
        off = trials.off.copy()
        off[np.isin(frames, chosen)] = 0
        chosen = sorted({*chosen, every[int(off.argmax())]})
        trials.take(trials.both(chosen))
    _fewer(trials, {every[0], every[-1], *fixed}, tolerance)
    for channel in (0, 1):
        for frame in list(trials.on[0]):
            rest = [f for f in trials.on[channel] if f != frame]
            if not rest or frame in fixed or frame not in trials.on[channel]:
                continue
            less = (rest, trials.on[1]) if channel == 0 else (trials.on[0], rest)
            if trials.tried(less).max() <= tolerance:
                trials.take(less)
    return replace(base, form=picked(base.form, trials.on[0], kinds), place=picked(base.place, trials.on[1], kinds))


def _fewer(trials: Trials, still: set[int], tolerance: float) -> None:
    """Each key tried without, those beside it shifted so that they make up for it. still: keys that stay."""
    failed: set[tuple[int, ...]] = set()
    again = True
    while again:
        again = False
        chosen = trials.on[0]
        for at, gone in enumerate(chosen):
            around = tuple(chosen[max(0, at - AROUND) : at + AROUND + 1])
            if gone in still or (gone, *around) in failed:
                continue
            tried = _shifted(trials, [f for f in chosen if f != gone], gone, still, tolerance)
            if tried is None:
                failed.add((gone, *around))
                continue
            trials.take(trials.both(tried))
            again = True
            break


def _shifted(trials: Trials, keys: list[int], gone: int, still: set[int], tolerance: float) -> list[int] | None:
    """Keys shifted, those nearest to a gone one first, until the tolerance is kept; None when that does not succeed."""
    worst = float(trials.tried(trials.both(keys)).max())
    for _ in range(SHIFTS):
        before = worst
        for key in sorted((k for k in keys if k not in still), key=lambda k: abs(k - gone))[:NEAREST]:
            rest = [k for k in keys if k != key]
            for by in (-2, -1, 1, 2):
                to = key + by
                if to in rest or not keys[0] < to < keys[-1]:
                    continue
                moved = sorted([*rest, to])
                off = float(trials.tried(trials.both(moved)).max())
                if off < worst:
                    worst, keys, key, rest = off, moved, to, [k for k in moved if k != to]
            if worst <= tolerance:
                return keys
        if worst > 0.98 * before:
            return None
    return None
