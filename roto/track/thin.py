"""From many keys to few: a shape that is keyed on every frame (baked, imported, followed) with as few keys as keep every frame."""

from collections.abc import Callable, Sequence
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


def _picked(keys: Keys, frames: Sequence[int], kinds: dict[int, int]) -> Keys:
    at = np.searchsorted(keys.frames, frames)
    return Keys.build(frames, keys.values[at], kinds=[kinds.get(f, FLOWING) for f in frames])


def _few(base: Shape, frames: NDArray[np.int64], wanted: Floats, tolerance: float, fixed: list[int], kinds: dict[int, int]) -> Shape:
    every = [int(f) for f in frames]
    form = base.form
    place = base.place if len(base.place.frames) > 1 else Keys.build(every, np.repeat(base.place.values, len(every), axis=0))
    moves = len(base.place.frames) > 1

    def made(form_on: list[int], place_on: list[int]) -> Shape:
        return replace(base, form=_picked(form, form_on, kinds), place=_picked(place, place_on, kinds))

    chosen = sorted({every[0], every[-1], *fixed})
    while True:
        off = off_by(made(chosen, chosen if moves else [every[0]]), wanted, frames)
        if off.max() <= tolerance or len(chosen) == len(every):
            break
        off[np.isin(frames, chosen)] = 0
        chosen = sorted({*chosen, every[int(off.argmax())]})
    chosen = _fewer(lambda on: off_by(made(on, on if moves else [every[0]]), wanted, frames), chosen, fixed, every, tolerance)
    on = {"form": list(chosen), "place": list(chosen) if moves else [every[0]]}
    for channel in ("form", "place"):
        for frame in chosen:
            rest = [f for f in on[channel] if f != frame]
            if not rest or frame in fixed or frame not in on[channel]:
                continue
            if off_by(made(**{f"{c}_on": rest if c == channel else on[c] for c in on}), wanted, frames).max() <= tolerance:
                on[channel] = rest
    return made(on["form"], on["place"])


def _fewer(made: Callable[[list[int]], Floats], chosen: list[int], fixed: list[int], every: list[int], tolerance: float) -> list[int]:
    """Each key tried without, those beside it shifted so that they make up for it. made: how far off (T,) keys on such frames leave it."""
    still = {every[0], every[-1], *fixed}
    again = True
    while again:
        again = False
        for gone in [f for f in chosen if f not in still]:
            tried = _shifted(made, [f for f in chosen if f != gone], gone, still, tolerance)
            if tried is not None:
                chosen, again = tried, True
                break
    return chosen


def _shifted(made: Callable[[list[int]], Floats], keys: list[int], gone: int, still: set[int], tolerance: float) -> list[int] | None:
    """Keys shifted, those nearest to a gone one first, until the tolerance is kept; None when that does not succeed."""
    worst = float(made(keys).max())
    for _ in range(SHIFTS):
        before = worst
        for key in sorted((k for k in keys if k not in still), key=lambda k: abs(k - gone))[:NEAREST]:
            rest = [k for k in keys if k != key]
            for by in (-2, -1, 1, 2):
                to = key + by
                if to in rest or not keys[0] < to < keys[-1]:
                    continue
                moved = sorted([*rest, to])
                off = float(made(moved).max())
                if off < worst:
                    worst, keys, key, rest = off, moved, to, [k for k in moved if k != to]
            if worst <= tolerance:
                return keys
        if worst > 0.98 * before:
            return None
    return None
