"""Which carrier a shape rides on: its own, or that of its group, which may be that of the group's own group.

Own comes before the group's; the placements of the groups come before either.
"""

from dataclasses import replace

import numpy as np

from roto.errors import BadGeometry, BadTrack
from roto.motion.group import DEEPEST, Riding, group_of, let_ride, ridings
from roto.motion.keys import FLOWING, Keys
from roto.motion.shape import CLOSED, DIVIDING, Shape
from roto.track.thin import baked
from roto.track.track import BEND, Carrier, Track, taken_at

STAYS = 1e-6
"""px: what rounding makes of a key that stays where it is"""


def carrier_of(shape: Shape) -> Carrier | None:
    """What carries it, be it its own or its group's."""
    return next((ride for ride in shape.rides if isinstance(ride, Carrier)), None)


def own_carrier(shape: Shape) -> Carrier | None:
    """Its own."""
    found = carrier_of(shape)
    return None if found is None or found.inherited else found


def rides_of(group: Shape | None, own: Carrier | None) -> tuple[Riding | Carrier, ...]:
    """The rides of a shape with this group and this carrier of its own."""
    ways = ridings(group)
    if len(ways) > DEEPEST:
        raise BadGeometry(f"Groups would stand in each other more than {DEEPEST} deep. Take some of them apart first.")
    carrier = own
    if carrier is None and group is not None and (found := carrier_of(group)) is not None:
        carrier = replace(found, inherited=True)
    return (*ways, *((carrier,) if carrier is not None else ()))


def with_carrier(shape: Shape, own: Carrier | None) -> Shape:
    """The shape with a carrier of its own, or (None) with that of its group."""
    return replace(shape, rides=rides_of(group_of(shape), own))


def under(shape: Shape, group: Shape) -> Shape:
    """A shape, or group, with another state of a group that carries it, its own or one further out."""
    its = group_of(shape)
    assert its is not None, "it rides on the group"
    return replace(shape, rides=rides_of(group if its.id == group.id else under(its, group), own_carrier(shape)))


def go_over(shape: Shape, group: Shape | None) -> Shape:
    """The shape, or group, riding on another group, or on none, where it was (see `let_ride`); what carries it stays its own."""
    carrier, theirs = carrier_of(shape), None if group is None else carrier_of(group)
    moved = let_ride(shape, group)
    if carrier is None and theirs is not None:
        carrier = Carrier(track=None)  # it stays where it is: what the group rides on does not take it along
    elif carrier is not None and carrier.inherited and theirs is not None and _alike(carrier, theirs):
        carrier = None  # both have it from the same place further out
    return replace(moved, rides=rides_of(group, None if carrier is None else replace(carrier, inherited=False)))


def _alike(one: Carrier, other: Carrier) -> bool:
    tracks = [c.track.id if c.track is not None else None for c in (one, other)]
    return tracks[0] == tracks[1] and one.how == other.how and bool(np.array_equal(one.before, other.before))


def take_up(shape: Shape, track: Track) -> Shape:
    """The shape riding on a sheet, where it is on each of its keyed frames: form and placement become form keys that the sheet carries.

    One that rides on an earlier state of it already keeps its keys as they are, where that says the same.
    """
    if shape.kind != CLOSED:
        raise BadTrack("Only closed shapes are drawn by the picture.")
    old = own_carrier(shape)
    carrier = Carrier(track=track, how=BEND)
    if old is not None and old.track is not None and old.track.id == track.id:
        frames = shape.form.frames
        riding = with_carrier(shape, carrier)
        now = riding.within_rides(shape.outlines(frames), frames, frames)
        was = shape.within_rides(shape.outlines(frames), frames, frames)
        values = np.where(np.abs(now - was) < STAYS, shape.form.values, now)
        return replace(riding, form=replace(shape.form, values=values)) if len(shape.place.frames) == 1 else _of_form(shape, carrier)
    return _of_form(shape, carrier)


def _of_form(shape: Shape, carrier: Carrier) -> Shape:
    """The shape with keys of its form alone, wherever it was keyed, carried by something else."""
    frames = np.union1d(shape.form.frames, shape.place.frames) if len(shape.place.frames) > 1 else shape.form.frames
    free = baked(shape, frames, free=True)
    riding = replace(free, rides=rides_of(group_of(shape), carrier))
    forms = riding.within_rides(free.form.values, frames, frames)
    kinds = [int(shape.form.kinds[k]) if (k := shape.form.index(int(f))) is not None else FLOWING for f in frames]
    return replace(riding, form=Keys.build(frames, forms, kinds=kinds))


def carry(shape: Shape, track: Track | None, how: str, frame: int) -> Shape:
    """The shape, or group, riding on a track (on none) from now on, with the picture as it is on a frame; on one that bends, a closed shape
    as it is on each of its keys."""
    if shape.kind == DIVIDING:
        raise BadTrack("A dividing edge does not ride on a track: give it placement keys, or put it into a group that rides.")
    if how == BEND and track is not None and shape.kind == CLOSED:
        return take_up(shape, track)
    return with_carrier(shape, taken_at(carrier_of(shape), track, how, frame))
