"""Keys set by hand: a correction stays where it is made.

A key's speed follows from two keys on either side, so one more key would move three stretches on either side, and further than it was
moved itself. Therefore, when a key is set:

- the speeds of the key and of its two neighbours are worked out anew. All others stand as they are, so at most two stretches on either side
  move.
- They are worked out anew only so far that no frame moves further than FURTHEST times the correction. (With the old speeds alone, no frame
  moves further than the correction itself: it is faded in and out.) Only a key beyond a motion that ended abruptly may take more.
- A stretch with a frame that somebody looked at keeps its speeds, unless the key lies in it.

What stands is kept as a number with its key (`Keys.speeds`), until somebody lets it flow again.
"""

from collections.abc import Collection
from dataclasses import replace
from itertools import pairwise

import numpy as np

from roto.arrays import Flags, Floats
from roto.motion.interpolate import evaluate, speed, speeds_at_keys
from roto.motion.keys import FLOWING, Keys

FURTHEST = 1.1
"""times a correction: how far any frame may move"""
SAME_SPEED = 1e-9
"""units per frame: speeds nearer to each other are the same"""
NOTHING = 1e-12
"""px: no move"""


def put(
    keys: Keys,
    frame: int,
    values: Floats,
    held: Flags,
    *,
    together: bool = False,
    within: bool = False,
    kind: int | None = None,
) -> Keys:
    """The keys with one more at a frame, or with other values in the one that is there.

    values: (n, d); held: (n,), the parts that are set. together: all parts are measured alike (px), so the largest of their corrections
    counts for each. within: for amounts (see `interpolate`). kind: of a new key; that of the stretch it lies in, if none is given.
    """
    if not held.any():
        return keys
    at = int(np.searchsorted(keys.frames, frame, side="right")) - 1
    new = at < 0 or keys.frames[at] != frame
    now = keys.put(frame, values, held, kind=kind if kind is not None else int(keys.kinds[at]) if at >= 0 else FLOWING)
    at = at + 1 if new else at
    old = speeds_at_keys(keys, within)
    old = np.insert(old, at, np.nan, axis=0) if new else old
    old[at] = np.where(np.isnan(old[at]) & held[:, None], speed(keys, frame, frame, within)[0], old[at])
    moved = _lengths(values - evaluate(keys, frame, frame, within)[0]).max(axis=1) * held
    moved = np.full_like(moved, moved.max()) if together else moved
    near, span = _beside(now, at, held)
    frames, quiet = np.arange(span[0], span[1] + 1), replace(now, speeds=old)
    fresh = _fresh(now, near, old, within)
    rest = evaluate(quiet, frames, frames, within)
    base = _pairs(rest - evaluate(keys, frames, frames, within))
    limit = np.broadcast_to((FURTHEST * moved)[:, None], base.shape[1:3])
    share = _share(base, _pairs(evaluate(replace(now, speeds=fresh), frames, frames, within) - rest), limit)
    over = _lengths(base)[..., 0].max(axis=0) > limit + NOTHING
    if over.any():  # a key beyond a motion that ended abruptly: what came in fast comes to rest
        flat = np.repeat(over, 2, axis=1)[None] & near[:, :, None]
        fresh = np.where(flat, 0.0, fresh)
        more = _pairs(evaluate(replace(now, speeds=fresh), frames, frames, within) - rest)
        share[over] = _least(base[:, over], more[:, over])
    return _kept(now, held, near, old, fresh, np.repeat(share, 2, axis=1), within)


def _pairs(values: Floats) -> Floats:
    """Values (T, n, d) by pairs of numbers: (T, n, d / 2, 2)."""
    return values.reshape(*values.shape[:2], -1, 2)


def _lengths(values: Floats) -> Floats:
    """Lengths (..., pairs) of the pairs of numbers in (..., d)."""
    return np.asarray(np.hypot(values[..., 0::2], values[..., 1::2]))


def _beside(keys: Keys, at: int, held: Flags) -> tuple[Flags, tuple[int, int]]:
    """Which keys (K, n) are key `at` or the next on either side of it, for the parts that are held; and the frames that may move."""
    near = np.zeros(keys.held.shape, bool)
    frames = keys.frames
    lo = hi = int(frames[at])
    patterns, which = np.unique(keys.held, axis=1, return_inverse=True)
    for p in np.unique(which.ravel()[held]):
        rows, parts = np.flatnonzero(patterns[:, p]), (which.ravel() == p) & held
        k = int(np.searchsorted(rows, at))
        for j in rows[max(0, k - 1) : k + 2]:
            near[j, parts] = True
        lo, hi = min(lo, int(frames[rows[max(0, k - 2)]])), max(hi, int(frames[rows[min(len(rows) - 1, k + 2)]]))
    return near, (lo, hi)


def _fresh(keys: Keys, near: Flags, old: Floats, within: bool) -> Floats:
    """Speeds (K, n, d): of the keys `near` by their neighbours, else as they were."""
    free = replace(keys, speeds=np.where(near[:, :, None], np.nan, old))
    return np.where(near[:, :, None], speeds_at_keys(free, within), old)


def _share(base: Floats, more: Floats, limit: Floats) -> Floats:
    """The largest share (n, p) in 0..1 of `more` that leaves every base + share * more (T, n, p, 2) within its limit (n, p)."""
    a, b = (more * more).sum(axis=3), (base * more).sum(axis=3)
    c = limit**2 - (base * base).sum(axis=3)
    root = (-b + np.sqrt(np.maximum(b * b + a * c, 0.0))) / np.where(a > 0.0, a, 1.0)
    return np.asarray(np.where(a > NOTHING**2, root, 1.0).min(axis=0).clip(0.0, 1.0))


def _least(base: Floats, more: Floats) -> Floats:
    """Of pairs (T, m, 2) by frame: the share (m,) in 0..1 with which the longest base + share * more is shortest. A ternary search: the
    longest is convex in the share."""
    low, high = np.zeros(base.shape[1]), np.ones(base.shape[1])

    def longest(share: Floats) -> Floats:
        return np.asarray(np.sqrt(((base + share[None, :, None] * more) ** 2).sum(axis=2)).max(axis=0))

    for _ in range(40):
        one, other = low + (high - low) / 3, high - (high - low) / 3
        left = longest(one) < longest(other)
        low, high = np.where(left, low, one), np.where(left, other, high)
    return np.asarray((low + high) / 2)


def _kept(keys: Keys, held: Flags, near: Flags, old: Floats, fresh: Floats, share: Floats, within: bool) -> Keys:
    """The keys with the speeds that hold: free where the neighbours say the same, else as numbers."""
    wanted = np.where(near[:, :, None], old + share * (fresh - old), old)
    free = np.where(near[:, :, None], np.nan, keys.speeds)
    by_neighbours = speeds_at_keys(replace(keys, speeds=free), within)
    differ = ~(np.abs(by_neighbours - wanted) <= SAME_SPEED * np.maximum(1.0, np.abs(wanted)))
    speeds = np.where((differ & np.isfinite(wanted)).any(axis=2, keepdims=True), wanted, free)
    return replace(keys, speeds=np.where(held[None, :, None], speeds, keys.speeds))


def key_here(keys: Keys, frame: int, within: bool = False) -> Keys:
    """A key at this frame that changes nothing on any frame: every part is held at its in-between."""
    at = keys.index(frame)
    held = np.ones(keys.parts, bool) if at is None else ~keys.held[at]
    return put(keys, frame, evaluate(keys, frame, frame, within)[0], held, within=within)


def settled(before: Keys, after: Keys, frames: Collection[int], within: bool = False) -> Keys:
    """Keys after a change to those at these frames (gone, come, run otherwise): all but the next ones beside them keep their speeds."""
    changed = np.array(sorted(frames), np.int64)

    def stands(part: int) -> Flags:
        rows = np.union1d(after.frames[after.held[:, part]], before.frames[before.held[:, part]])
        away = np.searchsorted(rows, after.frames)[:, None] - np.searchsorted(rows, changed)[None]
        return np.asarray((np.abs(away) > 1).all(axis=1))

    return as_before(before, after, np.stack([stands(p) for p in range(after.parts)], axis=1), within)


def as_before(before: Keys, after: Keys, where: Flags, within: bool) -> Keys:
    """`after` with the speeds that `before` has, at the keys in `where` (K, n) that both have; as numbers where they would be others."""
    old, free = speeds_at_keys(before, within), speeds_at_keys(after, within)
    at = np.searchsorted(before.frames, after.frames).clip(0, len(before.frames) - 1)
    both = where & after.held & before.held[at] & (before.frames[at] == after.frames)[:, None]
    differ = ~(np.abs(free - old[at]) <= SAME_SPEED)
    return replace(after, speeds=np.where(both[:, :, None] & differ.any(axis=2, keepdims=True), old[at], after.speeds))


def still(before: Keys, after: Keys, looked: Collection[int], within: bool = False) -> Keys:
    """Keys after a change. Each stretch with a frame that somebody looked at runs as it did, if both its keys stand where they stood."""
    quiet = np.array(sorted(looked), np.int64)
    where = np.zeros(after.held.shape, bool)
    for part in range(after.parts):
        rows, were = np.flatnonzero(after.held[:, part]), np.flatnonzero(before.held[:, part])
        stood = {int(before.frames[a]): (int(before.frames[b]), a, b) for a, b in pairwise(were.tolist())}
        for a, b in pairwise(rows.tolist()):
            low, high = int(after.frames[a]), int(after.frames[b])
            same = stood.get(low)
            if same is None or same[0] != high or not ((quiet > low) & (quiet < high)).any():
                continue
            if (after.values[[a, b], part] == before.values[[same[1], same[2]], part]).all():
                where[[a, b], part] = True
    return as_before(before, after, where, within) if where.any() else after


def flow_again(keys: Keys, frame: int) -> Keys:
    """The key at a frame takes its speed from its neighbours again."""
    at = keys.index(frame)
    if at is None:
        return keys
    speeds = keys.speeds.copy()
    speeds[at] = np.nan
    return replace(keys, speeds=speeds)
