"""A reach of each point: making it, keying some of it, and keeping it when points come and go."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from roto.errors import BadGeometry
from roto.motion import correct, interpolate
from roto.motion.keys import Keys
from roto.motion.shape import DIVIDING, REACH, Shape

LARGEST_REACH = 1000.0
"""px"""
Pair = tuple[float | None, float | None]
"""inner and outer reach, None for what stays as it is"""


def with_own(shape: Shape) -> Shape:
    """The shape with a reach of its own at every point: what it has everywhere, on the same keys. No matte changes."""
    if shape.reach is not None:
        return shape
    if shape.kind == DIVIDING:
        raise BadGeometry("A dividing edge has the same reach all along.")
    rows = np.flatnonzero(shape.settings.held[:, REACH])
    keys = shape.settings
    values = np.repeat(keys.values[rows, REACH][:, None], shape.form.parts, axis=1)
    speeds = np.repeat(keys.speeds[rows, REACH][:, None], shape.form.parts, axis=1)
    reach = Keys.build(keys.frames[rows], values, kinds=keys.kinds[rows], speeds=speeds)
    return replace(shape, reach=reach, own=(True,) * shape.form.parts)


def set_reach(shape: Shape, frame: int, points: Mapping[int, Pair]) -> Shape:
    """Key the reach of just these points on this frame: index to inner and outer, px."""
    shape = with_own(shape)
    assert shape.reach is not None
    now = interpolate.evaluate(shape.reach, frame, frame, within=True)[0]
    held = np.zeros(len(now), bool)
    for index, pair in points.items():
        if not 0 <= index < len(now):
            raise BadGeometry(f"There is no point {index} in '{shape.name}'.")
        for column, value in enumerate(pair):
            if value is not None:
                if not 0.0 <= value <= LARGEST_REACH:
                    raise BadGeometry(f"A reach must lie between 0 and {LARGEST_REACH:g} px.")
                now[index, column] = value
                held[index] = True
    own = tuple(bool(a or b) for a, b in zip(shape.own, held, strict=True))
    return replace(shape, reach=correct.put(shape.reach, frame, now, held, within=True), own=own)


def scale_reach(shape: Shape, frame: int, inner: float | None, outer: float | None) -> Shape:
    """Key the reach of all points on this frame so that the largest becomes this, the others in proportion."""
    now = shape.reaches_at(frame)
    assert now is not None
    points: dict[int, Pair] = {}
    most = np.nanmax(now[0], axis=0)
    for i in np.flatnonzero(np.array(shape.own)):
        pair = [None if to is None else (float(now[0, i, c]) * to / most[c] if most[c] > 0 else to) for c, to in enumerate((inner, outer))]
        points[int(i)] = (pair[0], pair[1])
    return set_reach(shape, frame, points)


def one_reach(shape: Shape) -> Shape:
    """The same reach everywhere again: that of the settings."""
    return replace(shape, reach=None, own=())


def rearranged(shape: Shape, order: Sequence[int]) -> dict[str, Any]:
    """What becomes of reach and own when points are taken in this order; -1 is a new point, which takes its reach from its neighbours."""
    if shape.reach is None:
        return {"reach": None, "own": ()}
    of = np.array(order)
    own = tuple(bool(k >= 0 and shape.own[k]) for k in of)
    if not any(own):
        return {"reach": None, "own": ()}
    keys, new = shape.reach, of < 0
    held = keys.held[:, of] & ~new
    first = int(np.flatnonzero(held.any(axis=1))[0])
    held[first, new] = True
    some = held.any(axis=1)
    values = np.where(new[None, :, None], 0.0, keys.values[:, of])[some]
    speeds = np.where(new[None, :, None], np.nan, keys.speeds[:, of])[some]
    return {"reach": Keys.build(keys.frames[some], values, held=held[some], kinds=keys.kinds[some], speeds=speeds), "own": own}
