"""Trying keys on some of the frames of a motion that is keyed on each of them: how far off the outline would be."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.jit import kernel, leaf
from roto.motion.interpolate import part_at, room
from roto.motion.keys import FLOWING, Keys
from roto.motion.placement import apply_all, matrices_of
from roto.motion.shape import CURVE, Shape, smooth_point

ALONG = (0.25, 0.5, 0.75)
"""of each segment: where the outline is looked at beside its points"""
STENCIL = 3
"""keys at either side on which a flowing stretch depends"""

On = tuple[list[int], list[int]]
"""frames of the keys of form and placement"""


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


def picked(keys: Keys, frames: Sequence[int], kinds: dict[int, int]) -> Keys:
    at = np.searchsorted(keys.frames, frames)
    return Keys.build(frames, keys.values[at], kinds=[kinds.get(f, FLOWING) for f in frames])


@leaf
def _apart(old, new):
    """The frames [low, high] between which a motion changes with its keys; low is beyond high where they are the same."""
    least = min(len(old), len(new))
    same = 0
    while same < least and old[same] == new[same]:
        same += 1
    if same == len(old) and same == len(new):
        return old[-1] + 1, old[0] - 1
    after = 0
    while after < least - same and old[len(old) - 1 - after] == new[len(new) - 1 - after]:
        after += 1
    return old[max(0, same - STENCIL)], old[min(len(old) - 1, len(old) - after + STENCIL - 1)]


@leaf
def _near(keys, low, high):
    """Which keys [begin, end) the motion between two frames depends on."""
    begin = 0
    while begin + 1 < len(keys) and keys[begin + 1] <= low:
        begin += 1
    end = begin
    while end < len(keys) and keys[end] < high:
        end += 1
    return max(0, begin - STENCIL), min(len(keys), end + 1 + STENCIL)


@kernel
def _some(keys, first, kinds, values):
    """A channel's keys on some frames, counted from the first one: frames, values, held, kinds, speeds."""
    count, parts, width = len(keys), values.shape[1], values.shape[2]
    chosen, own = np.empty((count, parts, width)), np.empty(count, np.int8)
    for k in range(count):
        chosen[k] = values[min(keys[k] - first, len(values) - 1)]
        own[k] = kinds[keys[k] - first]
    return keys.astype(np.float64), chosen, np.ones((count, parts), np.bool_), own, np.full((count, parts, width), np.nan)


@leaf
def _between(a, b, t, at):
    """A place of the segment from point a to point b, (6,) each, into `at`."""
    u = 1.0 - t
    for c in range(2):
        p, q = a[c], b[c]
        at[c] = u * u * u * p + 3.0 * t * u * u * (p + a[4 + c]) + 3.0 * t * t * u * (q + b[2 + c]) + t * t * t * q


@kernel
def _worst(form_old, form, place_old, place, first, kinds, form_values, place_values, curves, pivot, wanted, off, limit):
    """px: how far off an outline is on the worst frame with keys of form and placement on other frames than before. Once that is more than
    `limit`, anything above it.

    first: the frame of the first values. kinds: int8, by frame, of its key. curves: by point, whether its tangents lie in one line.
    wanted: (T, m, 2), see `looked_at`. off: (T,), px that the keys before leave.
    """
    low, high = _apart(form_old, form)
    one, other = _apart(place_old, place)
    low, high = min(low, one), max(high, other)
    worst = 0.0
    for f in range(len(off)):
        if (f + first < low or f + first > high) and off[f] > worst:
            worst = off[f]
    if worst > limit or low > high:
        return worst
    count, n = high - low + 1, form_values.shape[1]
    numbers = np.arange(low, high + 1)
    times, begin = numbers.astype(np.float64), low - first
    a, b = _near(place, low, high)
    keys = _some(place[a:b], first, kinds, place_values)
    placed, own = np.zeros((count, 3, 2)), room(len(keys[0]))
    for p in range(3):
        part_at(p, keys[0], keys[1], keys[2], keys[3], keys[4], times, numbers, 0, False, own, placed[:, p])
    maps = matrices_of(placed, pivot[0], pivot[1])
    a, b = _near(form, low, high)
    keys = _some(form[a:b], first, kinds, form_values)
    points, own, at = np.zeros((count, n, 6)), room(len(keys[0])), np.empty(2)
    for p in range(n):
        part_at(p, keys[0], keys[1], keys[2], keys[3], keys[4], times, numbers, 0, False, own, points[:, p])
        for s in range(count):
            if curves[p]:
                smooth_point(points[s, p])
        apply_all(maps, points[:, p : p + 1], points[:, p : p + 1])
        for s in range(count):
            x, y = points[s, p, 0] - wanted[begin + s, p, 0], points[s, p, 1] - wanted[begin + s, p, 1]
            worst = max(worst, np.sqrt(x * x + y * y))
        if worst > limit:
            return worst
    for p in range(n):
        for s in range(count):
            for k in range(len(ALONG)):
                _between(points[s, p], points[s, p + 1 if p + 1 < n else 0], ALONG[k], at)
                there = wanted[begin + s, n * (k + 1) + p]
                x, y = at[0] - there[0], at[1] - there[1]
                worst = max(worst, np.sqrt(x * x + y * y))
        if worst > limit:
            return worst
    return worst


class Trials:
    """Tries keys on some of the frames of a motion that is keyed on each of them.

    base: keyed on each of `frames`, its placement on each or on the first alone. wanted: (T, m, 2), see `looked_at`. kinds: by frame, of
    keys that do not flow. on: the keys that stand. off: px (T,) that they leave each frame off. A stretch depends on three keys at either
    side (see `interpolate`), so a trial looks again at the frames near what it changes.
    """

    def __init__(self, base: Shape, frames: NDArray[np.int64], wanted: Floats, kinds: dict[int, int], on: On) -> None:
        self.base, self.frames, self.wanted, self.kinds, self.on = base, frames, wanted, kinds, on
        self.moves = len(base.place.frames) > 1
        self._kinds = np.array([kinds.get(int(f), FLOWING) for f in frames], np.int8)
        self._curves = base.kinds == CURVE
        self.off = off_by(self.shape, wanted, frames)

    @property
    def shape(self) -> Shape:
        """With the keys that stand."""
        return self._with(self.on)

    def _with(self, on: On) -> Shape:
        return replace(self.base, form=picked(self.base.form, on[0], self.kinds), place=picked(self.base.place, on[1], self.kinds))

    def worst(self, on: On, limit: float = np.inf) -> float:
        """px that keys on other frames would leave the worst frame off; once that is more than `limit`, anything above it."""
        old, new = ([np.array(frames, np.int64) for frames in one] for one in (self.on, on))
        if self.base.rides:
            return self._ridden(old, new)
        return float(_worst(
            old[0], new[0], old[1], new[1], int(self.frames[0]), self._kinds, self.base.form.values, self.base.place.values, self._curves,
            self.base.pivot, self.wanted, self.off, limit,
        ))  # fmt: skip

    def _ridden(self, old: list[NDArray[np.int64]], new: list[NDArray[np.int64]]) -> float:
        """The same of a shape that rides on something."""
        low, high = (int(pick(ends)) for pick, ends in zip((min, max), zip(*map(_apart, old, new), strict=True), strict=True))
        which, off = (self.frames >= low) & (self.frames <= high), self.off.copy()
        form, place = (keys[slice(*_near(keys, low, high))].tolist() for keys in new)
        off[which] = off_by(self._with((form, place)), self.wanted[which], self.frames[which])
        return float(off.max())

    def both(self, chosen: list[int]) -> On:
        """Keys of form and placement on the same frames."""
        return chosen, (chosen if self.moves else [int(self.frames[0])])

    def take(self, on: On) -> None:
        """Let these keys stand."""
        self.on = on
        self.off = off_by(self.shape, self.wanted, self.frames)
