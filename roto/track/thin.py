"""From many keys to few: a shape that is keyed on every frame (baked, imported, followed) with as few keys as keep every frame."""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.errors import BadKeys, Cancelled
from roto.motion import placement
from roto.motion.keys import FLOWING, Keys
from roto.motion.shape import DIVIDING, GROUP, Shape
from roto.motion.steady_form import steady
from roto.track.trials import Trials, looked_at, off_by

SHIFTS, NEAREST = 6, 4
"""rounds in which keys are shifted to make up for one that is gone, and how many beside it"""
AROUND = 12
"""keys at either side that a trial without one may shift or feel: NEAREST, and what a stretch depends on (STENCIL) of those twice"""
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


OnWay = Callable[[int], bool]
"""told how many keys there are by now, again and again; says whether to go on"""


def _go_on(keys: int) -> bool:
    return True


def thin(shape: Shape, tolerance: float, span: tuple[int, int] | None = None, on_way: OnWay = _go_on) -> Thinned:
    """The same motion with few keys: on no frame of its keys (or of `span`) is its outline off by more than `tolerance` px.

    Keys are set one by one where the outline is off most, with move, turn and size in the placement or without, whichever needs fewer; then
    each is tried without. Keys that hold or run straight stay as they are. Cancelled where `on_way` says so.
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
    tries = [_few(base, frames, wanted, tolerance, fixed, kinds, on_way) for base in (dense, steady(dense).shape)]
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


def _few(
    base: Shape, frames: NDArray[np.int64], wanted: Floats, tolerance: float, fixed: list[int], kinds: dict[int, int], on_way: OnWay
) -> Shape:
    every = [int(f) for f in frames]
    moves = len(base.place.frames) > 1
    if not moves:
        base = replace(base, place=Keys.build(every[:1], base.place.values[:1]))
    chosen = sorted({every[0], every[-1], *fixed})
    trials = Trials(base, frames, wanted, kinds, (chosen, chosen if moves else [every[0]]))
    while trials.off.max() > tolerance and len(chosen) < len(every):
        _told(trials, on_way)
        off = trials.off.copy()
        off[np.isin(frames, chosen)] = 0
        chosen = sorted({*chosen, every[int(off.argmax())]})
        trials.take(trials.both(chosen))
    _fewer(trials, {every[0], every[-1], *fixed}, tolerance, on_way)
    for channel in (0, 1):
        for frame in list(trials.on[0]):
            _told(trials, on_way)
            rest = [f for f in trials.on[channel] if f != frame]
            if not rest or frame in fixed or frame not in trials.on[channel]:
                continue
            less = (rest, trials.on[1]) if channel == 0 else (trials.on[0], rest)
            if trials.worst(less, tolerance) <= tolerance:
                trials.take(less)
    return trials.shape


def _told(trials: Trials, on_way: OnWay) -> None:
    if not on_way(sum(len(keys) for keys in trials.on if len(keys) > 1)):
        raise Cancelled()


def _fewer(trials: Trials, still: set[int], tolerance: float, on_way: OnWay) -> None:
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
            _told(trials, on_way)
            tried = _shifted(trials, [f for f in chosen if f != gone], gone, still, tolerance)
            if tried is None:
                failed.add((gone, *around))
                continue
            trials.take(trials.both(tried))
            again = True
            break


def _shifted(trials: Trials, keys: list[int], gone: int, still: set[int], tolerance: float) -> list[int] | None:
    """Keys shifted, those nearest to a gone one first, until the tolerance is kept; None when that does not succeed."""
    worst = trials.worst(trials.both(keys))
    for _ in range(SHIFTS):
        before = worst
        for key in sorted((k for k in keys if k not in still), key=lambda k: abs(k - gone))[:NEAREST]:
            rest = [k for k in keys if k != key]
            for by in (-2, -1, 1, 2):
                to = key + by
                if to in rest or not keys[0] < to < keys[-1]:
                    continue
                moved = sorted([*rest, to])
                off = trials.worst(trials.both(moved), worst)
                if off < worst:
                    worst, keys, key, rest = off, moved, to, [k for k in moved if k != to]
            if worst <= tolerance:
                return keys
        if worst > 0.98 * before:
            return None
    return None
