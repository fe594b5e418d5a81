"""In-betweening: hold, straight, flowing.

Flowing is a cubic in time through the keys (Hermite form). Its speed at a key is that of the polynomial through the key and up to
two keys on either side at their true distances in time (Lagrange's derivative at a node). At the first and last key, and next to a
stretch that holds or runs straight, the speed comes from the other side only, from up to three keys: with two, the last stretch of a smooth
motion is off by twice as much, and so is the part of an exposure beyond its end.

What a speed adds to a stretch beside the straight way (at most 4/27 of the stretch's length times the speed's difference from the
straight one) is bounded by SWAY of the larger change beside the key. Even spacing does not feel that: there a rest, or a turn, adds 4/27 of
a change. Without the bound, the speed of a short stretch would be carried into a long one. Keys set by hand are bounded more closely; see
`correct`.

Amounts (reach, shift, opacity) never leave the range of the two keys beside them: `within`. Their speeds are limited after Fritsch and
Carlson, "Monotone piecewise cubic interpolation" (1980): none where a key is a peak, else three times the slope on either side at most.
"""

import numpy as np

from roto.arrays import Floats
from roto.jit import kernel, leaf
from roto.motion.keys import FLOWING, HOLD, Keys
from roto.tolerances import SAME_VALUE


@leaf
def _same(values, i, j):
    return abs(values[i, 0] - values[j, 0]) < SAME_VALUE and abs(values[i, 1] - values[j, 1]) < SAME_VALUE


BESIDE, AT_ENDS = 2, 3
"""keys on one side that a speed follows from: where there are some on either side, and where there are none on the other"""
SWAY = 0.4
"""of the larger change beside a key: what the key's speed may add to a stretch"""


@leaf
def _neighbours(i, step, kinds, found, at, most):
    """Up to so many keys on one side of key i, reached over flowing stretches only; returns how many lie in `found`."""
    taken = 0
    j = i
    while taken < most:
        stretch = j if step > 0 else j - 1
        j += step
        if j < 0 or j >= len(kinds) or kinds[stretch] != FLOWING:
            break
        found[at + taken] = j
        taken += 1
    return taken


@kernel
def _free_speed(i, times, values, kinds):
    """Speed of one pair of numbers (m, 2) at key i by its neighbours, units per frame."""
    found = np.empty(4, np.int64)
    left = _neighbours(i, -1, kinds, found, 0, BESIDE)
    if left > 0 and _same(values, found[0], i):
        return 0.0, 0.0
    right = _neighbours(i, 1, kinds, found, left, BESIDE if left else AT_ENDS)
    left = _neighbours(i, -1, kinds, found, 0, AT_ENDS) if not right else left
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
    sx, sy = sx + own * values[i, 0], sy + own * values[i, 1]
    return _swaying_little(i, times, values, left > 0, right > 0, sx, sy) if count > 1 else (sx, sy)


@leaf
def _toward_straight(a, b, times, values, most, sx, sy):
    """A speed drawn towards the straight one between keys a and b, as far as it adds more than `most` to that stretch."""
    span = times[b] - times[a]
    dx, dy = (values[b, 0] - values[a, 0]) / span, (values[b, 1] - values[a, 1]) / span
    added = 4.0 / 27.0 * span * np.hypot(sx - dx, sy - dy)
    if added <= most:
        return sx, sy
    part = most / added
    return dx + part * (sx - dx), dy + part * (sy - dy)


@leaf
def _swaying_little(i, times, values, left, right, sx, sy):
    """A key's speed, bounded by SWAY in the flowing stretches beside it; the longer one first."""
    most = 0.0
    if left:
        most = np.hypot(values[i, 0] - values[i - 1, 0], values[i, 1] - values[i - 1, 1])
    if right:
        most = max(most, np.hypot(values[i + 1, 0] - values[i, 0], values[i + 1, 1] - values[i, 1]))
    most *= SWAY
    right_first = right and (not left or times[i + 1] - times[i] > times[i] - times[i - 1])
    if right_first:
        sx, sy = _toward_straight(i, i + 1, times, values, most, sx, sy)
    if left:
        sx, sy = _toward_straight(i - 1, i, times, values, most, sx, sy)
    if right and not right_first:
        sx, sy = _toward_straight(i, i + 1, times, values, most, sx, sy)
    return sx, sy


@leaf
def _not_beyond(v, slope):
    """A speed that does not leave the range of a stretch with this slope."""
    if v * slope <= 0.0:
        return 0.0
    return min(abs(v), 3.0 * abs(slope)) * np.sign(slope)


@leaf
def _keep_within(times, values, kinds, speeds):
    """Limit the speeds of amounts, in place; see the module's text."""
    for i in range(len(times)):
        for c in range(2):
            if i > 0 and kinds[i - 1] == FLOWING:
                speeds[i, c] = _not_beyond(speeds[i, c], (values[i, c] - values[i - 1, c]) / (times[i] - times[i - 1]))
            if i + 1 < len(times) and kinds[i] == FLOWING:
                speeds[i, c] = _not_beyond(speeds[i, c], (values[i + 1, c] - values[i, c]) / (times[i + 1] - times[i]))


@kernel
def _speeds(m, times, values, kinds, kept, within, speeds):
    """The speeds of a pair at its m keys, in place: those that are kept stay."""
    for i in range(m):
        if not kept[i]:
            speeds[i, 0], speeds[i, 1] = _free_speed(i, times[:m], values, kinds[:m])
    if within:
        _keep_within(times[:m], values, kinds, speeds)


@leaf
def _runs(speeds, i):
    return speeds[i, 0] != 0.0 or speeds[i, 1] != 0.0


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
    moves = kept[i] and kept[i + 1] and _runs(speeds, i) and _runs(speeds, i + 1)  # it comes back to where it was
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


@leaf
def _pair_of(p, c, frames, values, held, kinds, speeds, own):
    """The keys that hold a part, for one of its pairs, into the arrays of `own`; returns how many."""
    times, part_kinds, pair, pair_speeds, kept, _ = own
    m = 0
    for k in range(len(frames)):
        if held[k, p]:
            times[m] = frames[k]
            part_kinds[m] = kinds[k]
            for d in range(2):
                pair[m, d] = values[k, p, c + d]
                pair_speeds[m, d] = speeds[k, p, c + d]
            kept[m] = not np.isnan(pair_speeds[m, 0])
            own[5][m] = k
            m += 1
    return m


@kernel
def room(count):
    """Working arrays for the keys of one pair: times, kinds, values, speeds, whether a speed is kept, and which key it is."""
    return (
        np.empty(count), np.empty(count, np.int8), np.empty((count, 2)), np.empty((count, 2)), np.empty(count, np.bool_),
        np.empty(count, np.int64),
    )  # fmt: skip


@kernel
def part_at(p, frames, values, held, kinds, speeds, times, numbers, side, within, own, out):
    """One part at several moments into `out` (T, d), which is 0 so far; see `evaluate`. own: what `room` gave for as many keys."""
    for c in range(0, values.shape[2], 2):
        m = _pair_of(p, c, frames, values, held, kinds, speeds, own)
        if m == 0:
            continue
        at, part_kinds, pair, pair_speeds, kept, _ = own
        _speeds(m, at, pair, part_kinds, kept, within, pair_speeds)
        for s in range(len(times)):
            x, y = _pair_at(times[s], numbers[s], at[:m], pair, part_kinds[:m], pair_speeds, kept, side)
            out[s, c], out[s, c + 1] = x, y


@kernel
def _flow(frames, values, held, kinds, speeds, times, numbers, side, within):
    count, parts, width = values.shape
    out = np.zeros((len(times), parts, width))
    own = room(count)
    for p in range(parts):
        part_at(p, frames, values, held, kinds, speeds, times, numbers, side, within, own, out[:, p])
    return out


@kernel
def _at_keys(frames, values, held, kinds, speeds, within):
    count, parts, width = values.shape
    out = np.full((count, parts, width), np.nan)
    own = room(count)
    for p in range(parts):
        for c in range(0, width, 2):
            m = _pair_of(p, c, frames, values, held, kinds, speeds, own)
            at, part_kinds, pair, pair_speeds, kept, which = own
            _speeds(m, at, pair, part_kinds, kept, within, pair_speeds)
            for k in range(m):
                out[which[k], p, c], out[which[k], p, c + 1] = pair_speeds[k, 0], pair_speeds[k, 1]
    return out


def _run(keys: Keys, times: object, numbers: object, side: int, within: bool) -> Floats:
    moments = np.atleast_1d(np.asarray(times, dtype=np.float64))
    if len(keys.frames) == 1:  # stands still, as most channels do
        return np.repeat(keys.values if side == 0 else np.zeros_like(keys.values), len(moments), axis=0)
    number = np.full(moments.shape, numbers, np.int64)
    return _flow(keys.frames.astype(np.float64), keys.values, keys.held, keys.kinds, keys.speeds, moments, number, side, within)


def evaluate(keys: Keys, times: object, numbers: object, within: bool = False) -> Floats:
    """Values (T, n, d) at moments `times` (T,), each within the exposure of the frame in `numbers` (T,) or one for all.

    Which stretch holds is decided by the frame's number alone. For the part of an exposure beyond the first or last key of the run
    of keys that the frame belongs to, motion goes on at its end speed; frames outside the keys stand still.
    within: for amounts, which never leave the range of the two keys beside them.
    """
    return _run(keys, times, numbers, 0, within)


def speed(keys: Keys, times: object, numbers: object, within: bool = False) -> Floats:
    """Speeds (T, n, d), units per frame, of what `evaluate` gives."""
    return _run(keys, times, numbers, 1, within)


def speeds_at_keys(keys: Keys, within: bool = False) -> Floats:
    """The speeds (K, n, d) that flowing stretches have at the keys, kept or by the neighbours; NaN for parts that a key does not hold."""
    return np.asarray(_at_keys(keys.frames.astype(np.float64), keys.values, keys.held, keys.kinds, keys.speeds, within))
