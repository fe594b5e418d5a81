"""Removing points: the two stretches beside a point become one, fitted to what they drew; how far the outline moved is said."""

from dataclasses import dataclass, replace

import numpy as np
from scipy.optimize import least_squares

from roto.arrays import Flags, Floats
from roto.curve.flatten import polygon
from roto.curve.split import cubic_at
from roto.errors import BadGeometry
from roto.motion import interpolate
from roto.motion.keys import Keys
from roto.motion.point_reach import rearranged
from roto.motion.shape import Shape
from roto.tolerances import FLATTEN_REACH

SAMPLES = 25
"""places looked at on each of the two old stretches"""
FINE = 257
"""places on the fitted curve among which the nearest is looked for"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Removed:
    """The shape without the points; mean and worst: px that the outline moved beside them, over all frames looked at."""

    shape: Shape
    mean: float
    worst: float


def fit_stretch(places: Floats, out: Floats, into: Floats) -> tuple[Floats, Floats]:
    """Tangents (2,), (2,) of the cubic from the first to the last of places (m, 2) that lies nearest to them.

    Directions are kept (a retracted tangent takes the direction in which the places leave or arrive); the two lengths are least squares
    of the distances from the places to the curve.
    """
    a, d = places[0], places[-1]
    u = _unit(out if out.any() else places[1] - a)
    v = _unit(into if into.any() else places[-2] - d)
    whole = float(np.linalg.norm(np.diff(places, axis=0), axis=1).sum())
    if whole == 0.0:
        return np.zeros(2), np.zeros(2)
    t = np.linspace(0, 1, FINE)

    def gaps(lengths: Floats) -> Floats:
        row = np.concatenate([a, np.zeros(2), lengths[0] * u, d, lengths[1] * v, np.zeros(2)]).reshape(1, 2, 6)
        curve = cubic_at(row, 0, t)[0]
        nearest = np.clip(np.argmin(((places[:, None] - curve[None]) ** 2).sum(axis=2), axis=1), 1, FINE - 2)
        along = curve[nearest + 1] - curve[nearest - 1]
        across = np.stack([-along[:, 1], along[:, 0]], axis=1) / np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-12)
        return ((places - curve[nearest]) * across).sum(axis=1)

    found = least_squares(gaps, [whole / 3, whole / 3], bounds=(0.0, 3 * whole), x_scale=whole, diff_step=1e-4)
    return found.x[0] * u, found.x[1] * v


def _unit(vector: Floats) -> Floats:
    long = float(np.linalg.norm(vector))
    return vector / long if long > 0 else np.zeros(2)


def remove_points(shape: Shape, indices: list[int]) -> Removed:
    """Without these points, on every key."""
    rest = shape
    for index in sorted(set(indices), reverse=True):
        if not 0 <= index < shape.form.parts:
            raise BadGeometry(f"There is no point {index} in '{shape.name}'.")
        rest = _without(rest, index)
    frames = np.unique(np.concatenate([shape.form.frames, np.arange(shape.form.frames[0], shape.form.frames[-1] + 1, 4)]))
    near = sorted({(i + by) % shape.form.parts for i in indices for by in (-2, -1, 0, 1)})
    off = np.concatenate([_moved(a, b, near) for a, b in zip(shape.outlines(frames), rest.outlines(frames), strict=True)])
    return Removed(shape=rest, mean=float(off.mean()), worst=float(off.max()))


def _without(shape: Shape, j: int) -> Shape:
    form = shape.form
    n = form.parts
    if n <= 3:
        raise BadGeometry(f"'{shape.name}' has three points left; an outline needs them. Remove the shape instead.")
    i, k = (j - 1) % n, (j + 1) % n
    values, held, speeds = form.values.copy(), form.held.copy(), form.speeds.copy()
    t = np.linspace(0, 1, SAMPLES)
    for row, frame in enumerate(form.frames):
        if not held[row, [i, j, k]].any():
            continue
        points = shape.form_at(int(frame), int(frame))
        places = np.concatenate([cubic_at(points, i, t)[0], cubic_at(points, j, t)[0, 1:]])
        out, into = fit_stretch(places, points[0, i, 4:6], points[0, k, 2:4])
        for part in (i, k):
            if not held[row, part]:
                values[row, part], speeds[row, part] = points[0, part], interpolate.speed(form, int(frame), int(frame))[0, part]
        held[row, [i, k]] = True
        values[row, i, 4:6], values[row, k, 2:4] = out, into
    keep = np.arange(n) != j
    some = held[:, keep].any(axis=1)
    keys = Keys.build(
        form.frames[some], values[some][:, keep], held=held[some][:, keep], kinds=form.kinds[some], speeds=speeds[some][:, keep]
    )
    keys = _on_the_same_paths(form, keys, keep)
    return replace(shape, form=keys, kinds=shape.kinds[keep], **rearranged(shape, np.flatnonzero(keep).tolist()))


def _on_the_same_paths(before: Keys, after: Keys, keep: Flags) -> Keys:
    """Keys of the points that are left, whose places have the speeds that they had: a neighbour's new keys do not bend them."""
    had = interpolate.speeds_at_keys(before)[np.isin(before.frames, after.frames)][:, keep, :2]
    now = interpolate.speeds_at_keys(after)
    wanted = np.concatenate([had, now[:, :, 2:]], axis=2)
    bent = np.isfinite(had).all(axis=2) & (np.abs(now[:, :, :2] - had) > 1e-9).any(axis=2)
    return replace(after, speeds=np.where(np.asarray(bent)[..., None], wanted, after.speeds))


def _moved(old: Floats, new: Floats, near: list[int]) -> Floats:
    """How far places on some stretches of the old outline (n, 6) lie from the new one, px."""
    t = np.linspace(0, 1, 17, endpoint=False)
    was = np.concatenate([cubic_at(old[None], s, t)[0] for s in near])
    ring = polygon(new, FLATTEN_REACH)
    start, along = ring, np.roll(ring, -1, axis=0) - ring
    from_start = was[:, None] - start[None]
    share = (from_start * along).sum(axis=2) / np.maximum((along**2).sum(axis=1), 1e-12)
    return np.sqrt(((from_start - np.clip(share, 0, 1)[..., None] * along) ** 2).sum(axis=2).min(axis=1))
