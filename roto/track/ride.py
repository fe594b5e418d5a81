"""Which carrier a shape rides on: its own, or that of its group. Own comes before the group's; a group's placement comes before either."""

from dataclasses import replace

from roto.errors import BadTrack
from roto.motion.group import Riding, group_of, let_ride
from roto.motion.shape import DIVIDING, Shape
from roto.track.track import Carrier, Track, taken_at


def carrier_of(shape: Shape) -> Carrier | None:
    """What carries it, be it its own or its group's."""
    return next((ride for ride in shape.rides if isinstance(ride, Carrier)), None)


def own_carrier(shape: Shape) -> Carrier | None:
    """Its own."""
    found = carrier_of(shape)
    return None if found is None or found.inherited else found


def rides_of(group: Shape | None, own: Carrier | None) -> tuple[Riding | Carrier, ...]:
    """The rides of a shape with this group and this carrier of its own."""
    carrier = own
    if carrier is None and group is not None and (found := own_carrier(group)) is not None:
        carrier = replace(found, inherited=True)
    return (*((Riding(group),) if group is not None else ()), *((carrier,) if carrier is not None else ()))


def with_carrier(shape: Shape, own: Carrier | None) -> Shape:
    """The shape with a carrier of its own, or (None) with that of its group."""
    return replace(shape, rides=rides_of(group_of(shape), own))


def under(shape: Shape, group: Shape) -> Shape:
    """A member with another state of its group."""
    return replace(shape, rides=rides_of(group, own_carrier(shape)))


def go_over(shape: Shape, group: Shape | None) -> Shape:
    """The shape riding on another group, or on none, where it was on every frame (see `let_ride`); what carries it stays its own."""
    carrier = carrier_of(shape)
    moved = let_ride(shape, group)
    if carrier is None and group is not None and own_carrier(group) is not None:
        carrier = Carrier(track=None)  # it stays where it is: what the group rides on does not take it along
    return replace(moved, rides=rides_of(group, None if carrier is None else replace(carrier, inherited=False)))


def carry(shape: Shape, track: Track | None, how: str, frame: int) -> Shape:
    """The shape, or group, riding on a track (on none) from now on, with the picture as it is on a frame."""
    if shape.kind == DIVIDING:
        raise BadTrack("A dividing edge does not ride on a track: give it placement keys, or put it into a group that rides.")
    return with_carrier(shape, taken_at(carrier_of(shape), track, how, frame))
