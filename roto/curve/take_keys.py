"""Taking the keys of another shape, also of one with another number of points."""

from collections.abc import Sequence
from dataclasses import replace

from roto.curve.redraw import taken_over
from roto.errors import BadGeometry
from roto.motion import interpolate, retime
from roto.motion.keys import Keys
from roto.motion.shape import CLOSED, Shape


def take_keys(shape: Shape, other: Shape, channels: Sequence[str]) -> Shape:
    """The keys of another shape in place of one's own. Forms of different numbers of points are led along each other by their length and
    corners; all else must fit."""
    if "form" in channels and shape.form.parts != other.form.parts:
        shape = replace(shape, form=_led_along(shape, other))
        channels = [name for name in channels if name != "form"]
    return retime.take_keys(shape, other, channels)


def _led_along(shape: Shape, other: Shape) -> Keys:
    """The form keys of another outline, of whatever number of points, as keys of this one's points."""
    if not (shape.kind == other.kind == CLOSED):
        raise BadGeometry(f"'{other.name}' and '{shape.name}' are not both outlines: their forms do not fit.")
    frames = other.form.frames
    own = interpolate.evaluate(shape.form, frames[:1], frames[:1])[0]
    points = taken_over(own, shape.kinds, other.form_at(frames, frames), other.kinds)
    return Keys.build(frames, points, kinds=other.form.kinds)
