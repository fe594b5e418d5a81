"""Fitting: a line drawn freehand becomes few points.

Each stretch between corners is fitted by one cubic at a time with fixed end directions: lengths by least squares, parameters improved by
Newton steps, split where it is farthest off (P. J. Schneider, "An algorithm for automatically fitting digitized curves", Graphics Gems,
1990).
"""

import numpy as np

from roto.arrays import Floats
from roto.errors import BadGeometry
from roto.tolerances import SAME_PLACE

CORNER = 60.0
"""degrees: a turn within CORNER_SPAN tolerances of a place from which it is a corner"""
CORNER_SPAN = 4.0
NEWTON_STEPS = 6
MOST_STEP = 2.0
"""px: places along a line are at most so far apart, so that what calms the hand does not cut bends"""
MOST_STEPS = 500_000
"""of a stroke: more is a slip of the pen, and nobody waits for it"""
CALM = 4
"""even steps on either side that a place is averaged over"""


def _unit(v: Floats) -> Floats:
    long = float(np.hypot(*v))
    return v / long if long else np.zeros(2)


def even_steps(path: Floats, step: float) -> Floats:
    """The closed path at even steps of about so many px. BadGeometry for one that is longer than MOST_STEPS of them."""
    ring = np.concatenate([path, path[:1]])
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(ring, axis=0).T))])
    if not along[-1] <= MOST_STEPS * step:
        raise BadGeometry(f"The stroke is longer than {MOST_STEPS * step:,.0f} px. Draw it nearer to the picture, or in parts.")
    count = max(8, round(along[-1] / step))
    at = np.linspace(0.0, along[-1], count, endpoint=False)
    return np.stack([np.interp(at, along, ring[:, k]) for k in range(2)], axis=1)


def corners_of(even: Floats, reach: int) -> list[int]:
    """Where a closed path of even steps turns sharply: the sharpest place of each such stretch."""
    before = even - np.roll(even, reach, axis=0)
    after = np.roll(even, -reach, axis=0) - even
    turn = np.degrees(np.abs(np.arctan2(before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0], (before * after).sum(axis=1))))
    around = np.max([np.roll(turn, k) for k in range(-reach, reach + 1)], axis=0)
    return [int(i) for i in np.flatnonzero((turn >= CORNER) & (turn == around))]


def calmed(even: Floats, corners: list[int]) -> Floats:
    """The hand's tremble taken out: each place the mean of those around it, less far near a corner and not at all on one."""
    count = len(even)
    index = np.arange(count)
    room = np.full(count, CALM)
    for c in corners:
        away = np.abs(index - c)
        room = np.minimum(room, np.minimum(away, count - away))
    total = np.zeros_like(even)
    weight = np.zeros(count)
    for k in range(-CALM, CALM + 1):
        part = np.maximum(0, room + 1 - abs(k))
        total += part[:, None] * np.roll(even, -k, axis=0)
        weight += part
    return total / weight[:, None]


def _bezier(c: Floats, t: Floats) -> Floats:
    u = 1.0 - t
    return np.stack([u**3, 3 * u * u * t, 3 * u * t * t, t**3], axis=1) @ c


def cubic_and_off(points: Floats, start: Floats, end: Floats) -> tuple[Floats, float, int]:
    """The cubic (4, 2) with these end directions (of length 1) nearest to points (m, 2), its largest distance (px), and at which point."""
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])
    long = along[-1]
    t = along / long if long else np.linspace(0, 1, len(points))
    control = np.array([points[0]] * 2 + [points[-1]] * 2)
    for _ in range(NEWTON_STEPS):
        u = 1.0 - t
        a = np.stack([(3 * u * u * t)[:, None] * start, (3 * u * t * t)[:, None] * end], axis=1)
        rest = points - (u**3 + 3 * u * u * t)[:, None] * points[0] - (3 * u * t * t + t**3)[:, None] * points[-1]
        m = np.einsum("iak,ibk->ab", a, a)
        v = np.einsum("iak,ik->a", a, rest)
        lengths = np.linalg.lstsq(m, v, rcond=None)[0]
        if not (lengths > 1e-3 * long).all() or not (lengths < 3 * long).all():
            lengths = np.array([long / 3, long / 3])
        control = np.array([points[0], points[0] + lengths[0] * start, points[-1] + lengths[1] * end, points[-1]])
        first = 3 * _quadratic(np.diff(control, axis=0), t)
        second = 6 * (
            (1 - t)[:, None] * (control[2] - 2 * control[1] + control[0]) + t[:, None] * (control[3] - 2 * control[2] + control[1])
        )
        gap = _bezier(control, t) - points
        slope = (first * first).sum(axis=1) + (gap * second).sum(axis=1)
        t = np.clip(t - np.where(np.abs(slope) > 1e-12, (gap * first).sum(axis=1) / np.where(slope == 0, 1, slope), 0.0), 0.0, 1.0)
        t[0], t[-1] = 0.0, 1.0
    off = np.hypot(*(_bezier(control, t) - points).T)
    at = int(off.argmax())
    return control, float(off[at]), min(max(at, 1), len(points) - 2)


def cubic_along(points: Floats, start: Floats, end: Floats) -> Floats:
    """The cubic (4, 2) nearest to a line of places (m, 2) that leaves along `start` and comes in against `end`, both of length 1."""
    return cubic_and_off(points, start, end)[0]


def _quadratic(d: Floats, t: Floats) -> Floats:
    u = 1.0 - t
    return np.stack([u * u, 2 * u * t, t * t], axis=1) @ d


def _stretch(points: Floats, start: Floats, end: Floats, tolerance: float) -> list[Floats]:
    """Cubics (4, 2) along an open stretch, each within the tolerance."""
    if len(points) < 4:
        third = (points[-1] - points[0]) / 3
        return [np.array([points[0], points[0] + third, points[-1] - third, points[-1]])]
    control, off, at = cubic_and_off(points, start, end)
    if off <= tolerance:
        return [control]
    near = max(1, min(4, at, len(points) - 1 - at))
    through = _unit(points[at + near] - points[at - near])
    return _stretch(points[: at + 1], start, -through, tolerance) + _stretch(points[at:], through, end, tolerance)


def fit_loop(path: object, tolerance: float) -> tuple[Floats, list[bool]]:
    """A closed outline of few points along a freehand loop.

    path: (m, 2) px in the order drawn, its ends joined. tolerance: px that the outline may be off the line. Returns points (n, 6) and
    whether each is a curve point. Raises BadGeometry for a loop too small to hold anything.
    """
    drawn = np.asarray(path, dtype=np.float64)
    if drawn.ndim != 2 or drawn.shape[1] != 2 or len(drawn) < 3 or not np.isfinite(drawn).all():
        raise BadGeometry("A freehand loop needs a longer line.")
    keep = np.concatenate([[True], np.hypot(*np.diff(drawn, axis=0).T) > SAME_PLACE])
    drawn = drawn[keep]
    if len(drawn) < 3 or np.ptp(drawn, axis=0).max() < 2 * tolerance:
        raise BadGeometry("That loop is too small. Draw it larger, or zoom in first.")
    step = min(max(tolerance, 0.25), MOST_STEP)
    even = even_steps(drawn, step)
    reach = max(2, int(CORNER_SPAN * tolerance / step))
    corners = corners_of(even, reach)
    sharp = set(corners)
    even = calmed(even, corners)
    ends = corners or [0, len(even) // 2]
    cubics: list[Floats] = []
    starts: list[bool] = []
    count = len(even)
    smooth = {i: _unit(even[(i + 3) % count] - even[i - 3]) for i in ends}
    for a, b in zip(ends, [*ends[1:], ends[0] + count], strict=True):
        points = even[np.arange(a, b + 1) % count]
        first = smooth[a] if a not in sharp else _unit(points[min(4, len(points) - 1)] - points[0])
        last = -smooth[b % count] if b % count not in sharp else _unit(points[-min(5, len(points))] - points[-1])
        made = _stretch(points, first, last, tolerance)
        starts += [a not in sharp] + [True] * (len(made) - 1)
        cubics += made
    out = np.zeros((len(cubics), 6))
    for k, c in enumerate(cubics):
        out[k, :2], out[k, 4:] = c[0], c[1] - c[0]
        out[(k + 1) % len(cubics), 2:4] = c[2] - c[3]
    return out, starts
