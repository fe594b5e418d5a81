"""Adding a point without moving the outline."""

from dataclasses import replace

import numpy as np

from roto.arrays import Floats
from roto.errors import BadGeometry
from roto.motion import interpolate
from roto.motion.keys import Keys
from roto.motion.point_reach import rearranged
from roto.motion.shape import CURVE, DIVIDING, Shape, keep_smooth
from roto.tolerances import ADDED_POINT

MOMENT = 1e-4
"""frames: half the time over which the speed of a point that turns with its neighbours is taken."""


def split_segment(p: Floats, q: Floats, t: float) -> tuple[Floats, Floats, Floats]:
    """Split the cubics from p to q (T, 6) at parameter t (de Casteljau); returns p, the new point and q with their new tangents."""
    a, d = p[:, 0:2], q[:, 0:2]
    b, c = a + p[:, 4:6], d + q[:, 2:4]
    ab, bc, cd = a + t * (b - a), b + t * (c - b), c + t * (d - c)
    abc, bcd = ab + t * (bc - ab), bc + t * (cd - bc)
    mid = abc + t * (bcd - abc)
    before, after = p.copy(), q.copy()
    before[:, 4:6], after[:, 2:4] = ab - a, cd - d
    return before, np.concatenate([mid, abc - mid, bcd - mid], axis=1), after


def add_point(shape: Shape, segment: int, t: float) -> Shape:
    """A new curve point on segment `segment` at parameter t in (0, 1), on every key, with no frame's outline moved.

    Keys of the two neighbours are split exactly. Where an in-between would still move (curve points turn their tangents in between,
    neighbours may be keyed apart) keys without change are set for the three points until every frame between the keys holds.
    """
    n = shape.form.parts
    if shape.kind == DIVIDING:
        raise BadGeometry("A dividing edge has one point and takes no more. Trace a shape instead.")
    i, j = segment % n, (segment + 1) % n
    trio = [i, i + 1, i + 2 if j > i else 0]
    form, kinds = shape.form, np.insert(shape.kinds, i + 1, CURVE)
    old = np.insert(np.arange(n), i + 1, -1)
    both = form.held[:, i] | form.held[:, j]
    frames = [int(f) for f in form.frames]

    def widened(keep: Floats) -> Floats:
        return np.insert(keep, i + 1, 0, axis=1)

    keys = Keys.build(
        frames,
        widened(form.values),
        held=np.where(old < 0, both[:, None], form.held[:, old]),
        kinds=form.kinds,
        speeds=widened(form.speeds),
    )

    def exact(moment: float, frame: int) -> Floats:
        """The outline's points as they are at a moment, with the new one."""
        values = keep_smooth(interpolate.evaluate(form, moment, frame), shape.kinds)
        first, middle, second = split_segment(values[:, i], values[:, j], t)
        values[:, i], values[:, j] = first, second
        return np.insert(values[0], i + 1, middle[0], axis=0)

    def keyed(keys: Keys, frame: int, free: bool) -> Keys:
        held = np.zeros(n + 1, bool)
        held[trio] = True
        if free:
            return keys.put(frame, exact(frame, frame), held)
        speeds = (exact(frame + MOMENT, frame) - exact(frame - MOMENT, frame)) / (2 * MOMENT)
        return keys.put(frame, exact(frame, frame), held, speeds=speeds)

    at = np.flatnonzero(both)
    whole = bool(form.held[at][:, [i, j]].all() and np.isnan(form.speeds[at][:, [i, j]]).all())
    for row in at.tolist():
        keys = keyed(keys, frames[row], whole)
    reach = rearranged(shape, old.tolist())
    numbers = np.arange(frames[0], frames[-1] + 1)
    before = shape.form_at(numbers, numbers)
    while True:
        grown = replace(shape, form=keys, kinds=kinds, **reach)
        off = deviation(before, grown.form_at(numbers, numbers), i, t)
        worst = int(np.argmax(off))
        frame = int(numbers[worst])
        there = keys.index(frame)
        if off[worst] <= ADDED_POINT or (there is not None and keys.held[there][trio].all()):
            return grown
        keys = keyed(keys, frame, free=False)


def cubic_at(points: Floats, segment: int, t: Floats) -> Floats:
    """Places (T, len(t), 2) on one segment of outlines (T, n, 6)."""
    p, q = points[:, segment], points[:, (segment + 1) % points.shape[1]]
    corners = np.stack([p[:, :2], p[:, :2] + p[:, 4:], q[:, :2] + q[:, 2:4], q[:, :2]])
    basis = np.stack([(1 - t) ** 3, 3 * (1 - t) ** 2 * t, 3 * (1 - t) * t**2, t**3])
    return np.einsum("ck,ctd->tkd", basis, corners)


def deviation(old: Floats, new: Floats, segment: int, t: float) -> Floats:
    """How far (px) each outline (T, n, 6) moved by the point added on `segment` at t, at most: gaps between equal parameters."""
    n = old.shape[1]
    u = np.linspace(0.0, 1.0, 17)
    pairs = [
        (cubic_at(old, segment, t * u), cubic_at(new, segment, u)),
        (cubic_at(old, segment, t + (1 - t) * u), cubic_at(new, segment + 1, u)),
    ]
    for k in range(n):
        if k in (segment - 1, segment + 1, (segment - 1) % n, (segment + 1) % n) and k != segment:
            pairs.append((cubic_at(old, k, u), cubic_at(new, k if k < segment else k + 1, u)))
    return np.max([np.linalg.norm(a - b, axis=-1).max(axis=1) for a, b in pairs], axis=0)
