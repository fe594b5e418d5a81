"""How far numbers of shapes may go: one set of bounds, for what is edited, brought in and read from documents.

They are far beyond any use, and keep all that is worked out from such numbers finite and exact enough.
"""

import numpy as np

from roto.arrays import Floats
from roto.errors import BadGeometry
from roto.motion.edits import FARTHEST
from roto.motion.keys import Keys
from roto.motion.point_reach import LARGEST_REACH
from roto.motion.shape import LENS, MOST_LENS, OPACITY, REACH, SHIFT, Shape

__all__ = ["FARTHEST", "LAST_FRAME", "check"]

LAST_FRAME = 10_000_000
"""frames: of a key, before and after 0"""
MOST_POINTS = 5000
"""of a shape: a hundred times what a hand traces, and still followed without a wait"""
MOST_TURN = 3.6e6
"""degrees: ten thousand turns"""
MOST_SIZE = 12.0
"""natural logarithm of a size: 160,000 times as large or small"""


def check(shape: Shape) -> Shape:
    """The shape, when all its numbers lie within bounds; else BadGeometry with what does not, and where."""
    for keys in (shape.form, shape.place, shape.settings, shape.reach):
        if keys is not None and len(keys.frames) and max(abs(int(keys.frames[0])), abs(int(keys.frames[-1]))) > LAST_FRAME:
            raise BadGeometry(f"'{shape.name}' has a key beyond frame {LAST_FRAME}. Number its frames otherwise.")
    if shape.form.parts > MOST_POINTS:
        raise BadGeometry(f"'{shape.name}' has {shape.form.parts:,} points; {MOST_POINTS:,} are the most. Draw it as several shapes.")
    _within(shape, "a point", shape.form, slice(None), -FARTHEST, FARTHEST, "px")
    if max(abs(v) for v in shape.pivot) > FARTHEST:
        raise BadGeometry(f"The pivot of '{shape.name}' lies more than {FARTHEST:,.0f} px away.")
    for part, what, most, unit in ((0, "a move", FARTHEST, "px"), (1, "a turn", MOST_TURN, "degrees"), (2, "a size", MOST_SIZE, "steps")):
        _within(shape, what, shape.place, slice(part, part + 1), -most, most, unit)
    _within(shape, "a reach", shape.settings, slice(REACH, REACH + 1), 0.0, LARGEST_REACH, "px")
    _within(shape, "an edge shift", shape.settings, slice(SHIFT, SHIFT + 1), -LARGEST_REACH, LARGEST_REACH, "px", slice(1))
    _within(shape, "a lens softness", shape.settings, slice(LENS, LENS + 1), 0.0, MOST_LENS, "px", slice(1, 2))
    _within(shape, "an opacity", shape.settings, slice(OPACITY, OPACITY + 1), 0.0, 1.0, "")
    if shape.reach is not None:
        _within(shape, "a reach", shape.reach, slice(None), 0.0, LARGEST_REACH, "px")
    return shape


def _within(shape: Shape, what: str, keys: Keys, parts: slice, low: float, high: float, unit: str, which: slice = slice(None)) -> None:
    """which: of the numbers of each part."""
    values: Floats = keys.values[:, parts, which]
    if not values.size or (low <= values.min() and values.max() <= high):
        return
    bad = ((values < low - SLACK) | (values > high + SLACK)).any(axis=2) & keys.held[:, parts]
    if bad.any():
        frame = int(keys.frames[np.flatnonzero(bad.any(axis=1))[0]])
        raise BadGeometry(f"{what.capitalize()} of '{shape.name}' on frame {frame} lies outside {low:g} to {high:g} {unit}".strip() + ".")


SLACK = 1e-9
"""what rounding may add"""
