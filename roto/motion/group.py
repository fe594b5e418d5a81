"""Groups: shapes that move as one by a shared placement.

A group is a shape of kind GROUP: one point, no outline, and a placement that carries the shapes that ride on it.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.errors import BadGeometry
from roto.motion import interpolate, placement
from roto.motion.keys import Keys
from roto.motion.shape import GROUP, Shape
from roto.motion.steady_form import Steadied, farthest, kinds_on, steady, taken_out
from roto.tolerances import KEPT_OUTLINE, SAME_VALUE


@dataclass(frozen=True, slots=True)
class Riding:
    """What carries the members of a group: its placement."""

    group: Shape

    def carry(self, points: Floats, times: Floats, number: int | NDArray[np.int64]) -> Floats:
        """Points (T, n, 6) at moments (T,), carried."""
        return placement.apply(self.group.maps_at(times, number), points)

    def uncarry(self, points: Floats, times: Floats, number: int | NDArray[np.int64]) -> Floats:
        """The points that `carry` brings there."""
        return placement.apply(placement.inverse(self.group.maps_at(times, number)), points)


def make_group(group_id: str, name: str, frame: int, members: Sequence[Shape], colour: int = 0) -> Shape:
    """A group at rest, its pivot in the middle of the members' outlines on a frame."""
    if not members:
        raise BadGeometry("A group needs shapes to move.")
    points = np.concatenate([m.outlines(np.array([frame]))[0, :, :2] for m in members])
    middle = (points.min(axis=0) + points.max(axis=0)) / 2
    handle = np.concatenate([middle, np.zeros(4)])
    return Shape(
        id=group_id,
        name=name,
        kind=GROUP,
        form=Keys.build([frame], handle[None, None]),
        kinds=np.zeros(1, np.int8),
        place=placement.at_rest(frame),
        pivot=(float(middle[0]), float(middle[1])),
        colour=colour,
    )


def group_of(shape: Shape) -> Shape | None:
    """The group that a shape rides on, if any."""
    return next((ride.group for ride in shape.rides if isinstance(ride, Riding)), None)


def let_ride(shape: Shape, group: Shape | None) -> Shape:
    """The shape riding on a group (or on none), its outline where it was on every frame from its first key to its last, its group's too.

    When the old and the new group stand still, the placement's keys are the same ones, moved; else keys are made where either has some,
    and then wherever the outline would be off by more than KEPT_OUTLINE.
    """
    before = group_of(shape)
    if GROUP in (shape.kind,) or (group is not None and group.kind != GROUP):
        raise BadGeometry("A group cannot ride on a group.")
    others = tuple(ride for ride in shape.rides if not isinstance(ride, Riding))
    after = replace(shape, rides=(*((Riding(group),) if group is not None else ()), *others))
    groups = [g for g in (before, group) if g is not None and _moves(g)]
    if not any(len(g.place.frames) > 1 for g in groups):
        return after if not groups else _same_keys(shape, after, before, group)
    keyed = np.unique(np.concatenate([shape.place.frames, *(g.place.frames for g in groups)]))
    ends = np.concatenate([keyed, shape.form.frames])
    every = np.arange(ends.min(), ends.max() + 1)
    wanted = _replaced(shape, before, group, every)
    was = shape.outlines(every)[:, :, :2]
    while True:
        place = Keys.build(keyed, wanted[keyed - every[0]], kinds=kinds_on(shape.place, keyed))
        made = replace(after, place=place)
        off = np.hypot(*(made.outlines(every)[:, :, :2] - was).transpose(2, 0, 1)).max(axis=1)
        worst = every[int(off.argmax())]
        if off.max() <= KEPT_OUTLINE or worst in keyed:
            return made
        keyed = np.union1d(keyed, worst)


def _moves(group: Shape) -> bool:
    return bool((np.abs(group.place.values) > SAME_VALUE).any())


def _factors(group: Shape | None, frames: NDArray[np.int64]) -> tuple[Floats, Floats]:
    """Placement values (F, 3, 2) and maps (F, 2, 3) of a group on frames; at rest where there is none."""
    if group is None:
        rest = np.zeros((len(frames), 3, 2))
        return rest, placement.matrices(rest, (0.0, 0.0))
    return interpolate.evaluate(group.place, frames, frames), group.maps_at(frames, frames)


def _replaced(shape: Shape, before: Shape | None, after: Shape | None, frames: NDArray[np.int64]) -> Floats:
    """The placement (F, 3, 2) that keeps the picture when a shape goes over from one group to another."""
    own = interpolate.evaluate(shape.place, frames, frames)
    (old, old_maps), (new, new_maps) = _factors(before, frames), _factors(after, frames)
    out = own.copy()
    for part in (placement.TURN, placement.SIZE):
        out[:, part] += old[:, part] - new[:, part]
    pivot = np.zeros((len(frames), 1, 6))
    pivot[:, 0, :2] = np.array(shape.pivot) + own[:, placement.MOVE]
    there = placement.apply(placement.inverse(new_maps), placement.apply(old_maps, pivot))
    out[:, placement.MOVE] = there[:, 0, :2] - shape.pivot
    return out


def _same_keys(shape: Shape, after: Shape, before: Shape | None, group: Shape | None) -> Shape:
    """The same placement keys between groups that stand still: the pivot's way is turned, sized and moved, so every moment agrees."""
    place = shape.place
    once = np.zeros(1, np.int64)
    (old, old_maps), (new, new_maps) = _factors(before, once), _factors(group, once)
    back = placement.inverse(new_maps)[0]
    linear = back[:, :2] @ old_maps[0, :, :2]
    offset = back[:, :2] @ old_maps[0, :, 2] + back[:, 2]
    values, speeds = place.values.copy(), place.speeds.copy()
    for part in (placement.TURN, placement.SIZE):
        values[:, part] += old[0, part] - new[0, part]
    pivot = np.array(shape.pivot)
    values[:, placement.MOVE] = (values[:, placement.MOVE] + pivot) @ linear.T + offset - pivot
    speeds[:, placement.MOVE] = speeds[:, placement.MOVE] @ linear.T
    return replace(after, place=replace(place, values=values, speeds=speeds))


def steady_group(group: Shape, members: Sequence[Shape]) -> tuple[Shape, list[Shape], Steadied]:
    """Move, turn and size that all members have in common, out of their keys into the group's; every keyed outline stays.

    Members: riding on the group, at least one. The answer's last says how far points moved within the group before, and move after.
    """
    if not members:
        raise BadGeometry(f"'{group.name}' has no shapes: there is nothing to steady.")
    others = [tuple(ride for ride in m.rides if not isinstance(ride, Riding)) for m in members]
    own = [replace(steady(m).shape if len(m.form.frames) > 1 else m, rides=()) for m in members]
    frames = np.unique(np.concatenate([k.frames for m in own for k in (m.form, m.place)]))
    if len(frames) < 2:
        raise BadGeometry(f"The shapes of '{group.name}' are keyed once: there is nothing to steady.")
    points = np.concatenate([m.outlines(frames) for m in own], axis=1)
    maps, place = taken_out(group, frames, points)
    led = replace(group, place=place)
    bare = [_led(m, frames, maps) for m in own]
    done = [replace(m, rides=(Riding(led), *rest)) for m, rest in zip(bare, others, strict=True)]
    after = farthest(np.concatenate([m.outlines(frames) for m in bare], axis=1))
    return led, done, Steadied(shape=led, before=farthest(points), after=after)


def _led(shape: Shape, frames: NDArray[np.int64], maps: Floats) -> Shape:
    """The shape with these maps (K, 2, 3) taken off its placement, which is keyed on all these frames."""
    placed = interpolate.evaluate(shape.place, frames, frames)
    size = np.hypot(maps[:, 0, 0], maps[:, 1, 0])
    turn = np.degrees(np.unwrap(np.arctan2(maps[:, 1, 0], maps[:, 0, 0])))
    pivot = np.zeros((len(frames), 1, 6))
    pivot[:, 0, :2] = np.array(shape.pivot) + placed[:, placement.MOVE]
    placed[:, placement.MOVE] = placement.apply(placement.inverse(maps), pivot)[:, 0, :2] - shape.pivot
    placed[:, placement.TURN, 0] -= turn
    placed[:, placement.SIZE, 0] -= np.log(size)
    return replace(shape, place=Keys.build(frames, placed, kinds=kinds_on(shape.place, frames)))
