"""In-betweening: hold, straight, flowing.

Flowing is a cubic in time through the keys (Hermite form). Its speed at a key is that of the polynomial through the key and up to
two keys on either side at their true distances in time (Lagrange's derivative at a node). Next to a stretch that holds or runs
straight the speed comes from the other side only. A key that keeps a speed of its own does not count as a neighbour.
"""

import numpy as np

from roto.arrays import Floats
from roto.jit import kernel, leaf
from roto.motion.keys import FLOWING, HOLD, Keys
from roto.tolerances import SAME_VALUE


@leaf
def _same(values, i, j):
    return abs(values[i, 0] - values[j, 0]) < SAME_VALUE and abs(values[i, 1] - values[j, 1]) < SAME_VALUE


@leaf
def _neighbours(i, step, kinds, free, found, at):
    """Up to two free keys on one side of key i, reached over flowing stretches only; returns how many lie in `found`."""
    j = i
    taken = 0
    while taken < 2:
        stretch = j if step > 0 else j - 1
        j += step
        if j < 0 or j >= len(kinds) or kinds[stretch] != FLOWING:
            break
        if free[j]:
            found[at + taken] = j
            taken += 1
    return taken


@kernel
def _speed(i, times, values, kinds, free):
    """Speed of one pair of numbers (m, 2) at key i, units per frame."""
    found = np.empty(4, np.int64)
    left = _neighbours(i, -1, kinds, free, found, 0)
    if left > 0 and _same(values, found[0], i):
        return 0.0, 0.0
    right = _neighbours(i, 1, kinds, free, found, left)
    if right > 0 and _same(values, found[left], i):
        return 0.0, 0.0
    count = left + right
    if count == 0:
        return 0.0, 0.0
    sx = 0.0
    sy = 0.0
    own = 0.0
    t = times[i]
    for a in range(count):
        ja = found[a]
        own += 1.0 / (t - times[ja])
        weight = 1.0 / (times[ja] - t)
        for b in range(count):
            if b != a:
                weight *= (t - times[found[b]]) / (times[ja] - times[found[b]])
        sx += weight * values[ja, 0]
        sy += weight * values[ja, 1]
    return sx + own * values[i, 0], sy + own * values[i, 1]


@leaf
def _between(i, t, times, values, kinds, speeds, kept, side):
    """Value (side 0) or speed (side 1) of one pair on the stretch from key i to key i + 1."""
    span = times[i + 1] - times[i]
    ax, ay = values[i, 0], values[i, 1]
    bx, by = values[i + 1, 0], values[i + 1, 1]
    if kinds[i] != FLOWING:
        u = (t - times[i]) / span
        if side == 1:
            return (bx - ax) / span, (by - ay) / span
        return ax + u * (bx - ax), ay + u * (by - ay)
    moves = (kept[i] and (speeds[i, 0] != 0.0 or speeds[i, 1] != 0.0)) or (
        kept[i + 1] and (speeds[i + 1, 0] != 0.0 or speeds[i + 1, 1] != 0.0)
    )
    if _same(values, i, i + 1) and not moves:
        if side == 1:
            return 0.0, 0.0
        return ax, ay
    u = (t - times[i]) / span
    if side == 1:
        a = 6.0 * u * (u - 1.0) / span
        c = (1.0 - u) * (1.0 - 3.0 * u)
        d = u * (3.0 * u - 2.0)
        return (
            a * (ax - bx) + c * speeds[i, 0] + d * speeds[i + 1, 0],
            a * (ay - by) + c * speeds[i, 1] + d * speeds[i + 1, 1],
        )
    h = u * u * (3.0 - 2.0 * u)
    c = u * (1.0 - u) * (1.0 - u) * span
    d = u * u * (u - 1.0) * span
    return (
        ax + h * (bx - ax) + c * speeds[i, 0] + d * speeds[i + 1, 0],
        ay + h * (by - ay) + c * speeds[i, 1] + d * speeds[i + 1, 1],
    )


@leaf
def _pair_at(t, number, times, values, kinds, speeds, kept, side):
    """One pair at a moment t of the exposure of frame `number`; see the contract of `evaluate`."""
    m = len(times)
    i = 0
    while i + 1 < m and times[i + 1] <= number:
        i += 1
    first = i
    while first > 0 and kinds[first - 1] != HOLD:
        first -= 1
    last = i
    while last + 1 < m and kinds[last] != HOLD:
        last += 1
    if first == last or number < times[first] or number > times[last]:
        at = first if number < times[first] else (last if number > times[last] else i)
        if side == 1:
            return 0.0, 0.0
        return values[at, 0], values[at, 1]
    if t < times[first] or t > times[last]:
        end = first if t < times[first] else last
        stretch = first if t < times[first] else last - 1
        vx, vy = _between(stretch, times[end], times, values, kinds, speeds, kept, 1)
        if side == 1:
            return vx, vy
        return values[end, 0] + vx * (t - times[end]), values[end, 1] + vy * (t - times[end])
    j = first
    while j + 2 <= last and times[j + 1] <= t:
        j += 1
    return _between(j, t, times, values, kinds, speeds, kept, side)


@kernel
def _flow(frames, values, held, kinds, speeds, times, numbers, side):
    count, parts, width = values.shape
    out = np.zeros((len(times), parts, width))
    part_times = np.empty(count)
    part_kinds = np.empty(count, np.int8)
    pair = np.empty((count, 2))
    pair_speed = np.empty((count, 2))
    kept = np.empty(count, np.bool_)
    free = np.empty(count, np.bool_)
    for p in range(parts):
        for c in range(0, width, 2):
            m = 0
            count_free = 0
            for k in range(count):
                if held[k, p]:
                    part_times[m] = frames[k]
                    part_kinds[m] = kinds[k]
                    pair[m] = values[k, p, c : c + 2]
                    pair_speed[m] = speeds[k, p, c : c + 2]
                    kept[m] = not np.isnan(pair_speed[m, 0])
                    free[m] = not kept[m]
                    count_free += free[m]
                    m += 1
            if m == 0:
                continue
            if count_free < 2:  # an only key among kept ones has nobody else to take its speed from
                free[:m] = True
            for i in range(m):
                if not kept[i]:
                    pair_speed[i] = _speed(i, part_times[:m], pair, part_kinds[:m], free[:m])
            for s in range(len(times)):
                out[s, p, c : c + 2] = _pair_at(times[s], numbers[s], part_times[:m], pair, part_kinds[:m], pair_speed, kept, side)
    return out


def _run(keys: Keys, times: object, numbers: object, side: int) -> Floats:
    moments = np.atleast_1d(np.asarray(times, dtype=np.float64))
    if len(keys.frames) == 1:  # stands still, as most channels do
        return np.repeat(keys.values if side == 0 else np.zeros_like(keys.values), len(moments), axis=0)
    number = np.full(moments.shape, numbers, np.int64)
    return _flow(keys.frames.astype(np.float64), keys.values, keys.held, keys.kinds, keys.speeds, moments, number, side)


def evaluate(keys: Keys, times: object, numbers: object) -> Floats:
    """Values (T, n, d) at moments `times` (T,), each within the exposure of the frame in `numbers` (T,) or one for all.

    Which stretch holds is decided by the frame's number alone. For the part of an exposure beyond the first or last key of the run
    of keys that the frame belongs to, motion goes on at its end speed; frames outside the keys stand still.
    """
    return _run(keys, times, numbers, 0)


def speed(keys: Keys, times: object, numbers: object) -> Floats:
    """Speeds (T, n, d), units per frame, of what `evaluate` gives."""
    return _run(keys, times, numbers, 1)


def key_here(keys: Keys, frame: int) -> Keys:
    """A key at this frame that changes nothing on any frame: every part is held at its in-between, with its speed."""
    at = keys.index(frame)
    held = np.ones(keys.parts, bool) if at is None else ~keys.held[at]
    if not held.any():
        return keys
    before = int(np.searchsorted(keys.frames, frame)) - 1
    kind = int(keys.kinds[before]) if before >= 0 and at is None else FLOWING
    return keys.put(frame, evaluate(keys, frame, frame)[0], held, speeds=speed(keys, frame, frame)[0], kind=kind)
