"""Groups: shapes that move as one by a shared placement.

A group is a shape of kind GROUP: one point, no outline, and a placement that carries what rides on it: shapes, and other groups.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.errors import BadGeometry
from roto.motion import interpolate, placement
from roto.motion.keys import Keys
from roto.motion.shape import CLOSED, GROUP, Shape
from roto.motion.steady_form import Steadied, farthest, kinds_on, steady, taken_out, unwound
from roto.tolerances import KEPT_OUTLINE, SAME_VALUE


@dataclass(frozen=True, slots=True)
class Riding:
    """What carries the members of a group: its placement. What the group itself rides on comes after it, as rides of the members too."""

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
    points = np.concatenate([seen(m).outlines(np.array([frame]))[0, :, :2] for m in members])
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


def groups_of(shape: Shape) -> tuple[Shape, ...]:
    """The groups that carry a shape, or a group: its own first, then what that one rides on."""
    return tuple(ride.group for ride in shape.rides if isinstance(ride, Riding))


def group_of(shape: Shape) -> Shape | None:
    """The group that a shape, or a group, rides on itself, if any."""
    return next(iter(groups_of(shape)), None)


def ridings(group: Shape | None) -> tuple[Riding, ...]:
    """What carries the members of a group, in the order in which it counts."""
    return () if group is None else (Riding(group), *(Riding(g) for g in groups_of(group)))


DEEPEST = 16
"""groups in groups; each is one more map of every point on every frame"""
SPAN = 500.0
"""px: how far about its pivot a group is looked at; what it carries seldom reaches further"""


def seen(shape: Shape) -> Shape:
    """What stands for it where outlines are compared: itself; for a group, which has none, a box about its pivot."""
    if shape.kind != GROUP:
        return shape
    box = np.zeros((1, 4, 6))
    box[0, :, :2] = np.array(shape.pivot) + SPAN * np.array([(-1, -1), (1, -1), (1, 1), (-1, 1)])
    return replace(shape, kind=CLOSED, form=Keys.build(shape.form.frames[:1], box), kinds=np.zeros(4, np.int8))


def let_ride(shape: Shape, group: Shape | None) -> Shape:
    """The shape, or group, riding on a group (or on none), where it was on every frame from its first key to its last, its groups' too.

    When the old and the new group stand still, the placement's keys are the same ones, moved; else keys are made where either has some,
    and then wherever the outline would be off by more than KEPT_OUTLINE. BadGeometry where a group would come to ride on itself.
    """
    if group is not None and group.kind != GROUP:
        raise BadGeometry(f"'{group.name}' is no group.")
    before, after = groups_of(shape), tuple(ride.group for ride in ridings(group))
    if shape.id in [g.id for g in after]:
        raise BadGeometry(f"'{shape.name}' cannot ride on what rides on it.")
    others = tuple(ride for ride in shape.rides if not isinstance(ride, Riding))
    riding = replace(shape, rides=(*ridings(group), *others))
    groups = [g for g in (*before, *after) if _moves(g)]
    if not any(len(g.place.frames) > 1 for g in groups):
        return riding if not groups else _same_keys(shape, riding, before, after)
    keyed = np.unique(np.concatenate([shape.place.frames, *(g.place.frames for g in groups)]))
    ends = np.concatenate([keyed, shape.form.frames])
    every = np.arange(ends.min(), ends.max() + 1)
    wanted = _replaced(shape, before, after, every)
    was = seen(shape).outlines(every)[:, :, :2]
    while True:
        place = Keys.build(keyed, wanted[keyed - every[0]], kinds=kinds_on(shape.place, keyed))
        made = replace(riding, place=place)
        off = np.hypot(*(seen(made).outlines(every)[:, :, :2] - was).transpose(2, 0, 1)).max(axis=1)
        worst = every[int(off.argmax())]
        if off.max() <= KEPT_OUTLINE or worst in keyed:
            return made
        keyed = np.union1d(keyed, worst)


def _moves(group: Shape) -> bool:
    return bool((np.abs(group.place.values) > SAME_VALUE).any())


def _factors(groups: Sequence[Shape], frames: NDArray[np.int64]) -> tuple[Floats, Floats]:
    """Turns and sizes (F, 3, 2) and maps (F, 2, 3) of what groups do together on frames; at rest where there is none.

    Groups keep proportions, so their turns add up, and so do the logarithms of their sizes.
    """
    total = np.zeros((len(frames), 3, 2))
    maps = placement.matrices(total, (0.0, 0.0))
    for group in groups:
        total += interpolate.evaluate(group.place, frames, frames)
        maps = _then(maps, group.maps_at(frames, frames))
    return total, maps


def _then(first: Floats, second: Floats) -> Floats:
    """The maps (F, 2, 3) that do one after the other."""
    linear = second[:, :, :2] @ first[:, :, :2]
    return np.concatenate([linear, second[:, :, :2] @ first[:, :, 2:] + second[:, :, 2:]], axis=2)


def _replaced(shape: Shape, before: Sequence[Shape], after: Sequence[Shape], frames: NDArray[np.int64]) -> Floats:
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


def _same_keys(shape: Shape, riding: Shape, before: Sequence[Shape], after: Sequence[Shape]) -> Shape:
    """The same placement keys between groups that stand still: the pivot's way is turned, sized and moved, so every moment agrees."""
    place = shape.place
    once = np.zeros(1, np.int64)
    (old, old_maps), (new, new_maps) = _factors(before, once), _factors(after, once)
    back = placement.inverse(new_maps)[0]
    linear = back[:, :2] @ old_maps[0, :, :2]
    offset = back[:, :2] @ old_maps[0, :, 2] + back[:, 2]
    values, speeds = place.values.copy(), place.speeds.copy()
    for part in (placement.TURN, placement.SIZE):
        values[:, part] += old[0, part] - new[0, part]
    pivot = np.array(shape.pivot)
    values[:, placement.MOVE] = (values[:, placement.MOVE] + pivot) @ linear.T + offset - pivot
    speeds[:, placement.MOVE] = speeds[:, placement.MOVE] @ linear.T
    return replace(riding, place=replace(place, values=values, speeds=speeds))


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
    points = np.concatenate([seen(m).outlines(frames) for m in own], axis=1)
    maps, place, doubtful = taken_out(group, frames, points)
    led = replace(group, place=place)
    bare = [_led(m, frames, maps) for m in own]
    done = [replace(m, rides=(*ridings(led), *rest)) for m, rest in zip(bare, others, strict=True)]
    after = farthest(np.concatenate([seen(m).outlines(frames) for m in bare], axis=1))
    return led, done, Steadied(shape=led, before=farthest(points), after=after, doubtful=doubtful)


def _led(shape: Shape, frames: NDArray[np.int64], maps: Floats) -> Shape:
    """The shape with these maps (K, 2, 3) taken off its placement, which is keyed on all these frames."""
    placed = interpolate.evaluate(shape.place, frames, frames)
    size = np.hypot(maps[:, 0, 0], maps[:, 1, 0])
    turn = unwound(np.degrees(np.arctan2(maps[:, 1, 0], maps[:, 0, 0])), frames)[0]
    pivot = np.zeros((len(frames), 1, 6))
    pivot[:, 0, :2] = np.array(shape.pivot) + placed[:, placement.MOVE]
    placed[:, placement.MOVE] = placement.apply(placement.inverse(maps), pivot)[:, 0, :2] - shape.pivot
    placed[:, placement.TURN, 0] -= turn
    placed[:, placement.SIZE, 0] -= np.log(size)
    return replace(shape, place=Keys.build(frames, placed, kinds=kinds_on(shape.place, frames)))
