"""Mirroring a shape: its outline, its keys, and if wanted its way through the picture.

A mirror M turns every turn round: M R(a) = R(-a) M. So the form's keys are mirrored about the pivot, the placement's turns and skews run
the other way, and every outline between keys is mirrored as well, exactly.
"""

import math
from dataclasses import dataclass, replace

import numpy as np

from roto.arrays import Floats
from roto.errors import BadGeometry
from roto.motion import placement
from roto.motion.shape import CLOSED, Shape


@dataclass(frozen=True, slots=True, kw_only=True)
class Line:
    """A mirror line through a place (px), at an angle (degrees; 90 is upright: left and right change places)."""

    x: float
    y: float
    angle: float

    @property
    def matrix(self) -> Floats:
        """The reflection (2, 2) about the line's direction."""
        c, s = math.cos(math.radians(2 * self.angle)), math.sin(math.radians(2 * self.angle))
        return np.array([[c, s], [s, -c]])


def mirrored(shape: Shape, angle: float, about: tuple[float, float] | None = None) -> Shape:
    """The shape mirrored on every frame, about an upright (90) or level (0) line, or one at any angle.

    about: a place that the line goes through (px): the way of the shape is mirrored as well. Without it the line goes through the pivot,
    which stays where it is on every frame. What carries the shape is not mirrored.
    """
    if shape.kind != CLOSED:
        raise BadGeometry(f"Only outlines are mirrored: '{shape.name}' has none of its own to mirror.")
    if not placement.keeps_proportions(shape.place) and angle % 90.0:
        raise BadGeometry(f"'{shape.name}' is made taller or skewed by its placement: mirror it about an upright or level line.")
    matrix = Line(x=0.0, y=0.0, angle=angle).matrix
    pivot = np.array(shape.pivot)
    new_pivot = pivot if about is None else np.array(about) + matrix @ (pivot - about)
    values, speeds = shape.form.values.copy(), shape.form.speeds.copy()
    values[:, :, :2] = (values[:, :, :2] - pivot) @ matrix.T + new_pivot
    speeds[:, :, :2] = speeds[:, :, :2] @ matrix.T
    for at in (slice(2, 4), slice(4, 6)):
        values[:, :, at], speeds[:, :, at] = values[:, :, at] @ matrix.T, speeds[:, :, at] @ matrix.T
    place, place_speeds = shape.place.values.copy(), shape.place.speeds.copy()
    for numbers in (place, place_speeds):
        numbers[:, placement.TURN] *= -1.0
        if about is not None:
            numbers[:, placement.MOVE] = numbers[:, placement.MOVE] @ matrix.T
    return replace(
        shape,
        form=replace(shape.form, values=values, speeds=speeds),
        place=replace(shape.place, values=place, speeds=place_speeds),
        pivot=(float(new_pivot[0]), float(new_pivot[1])),
    )
