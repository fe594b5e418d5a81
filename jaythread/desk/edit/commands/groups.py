"""Commands on what moves together."""

from dataclasses import replace
from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from jaythread.desk.document import lookups
from jaythread.desk.edit.registry import Outcome, command
from jaythread.desk.edit.row_changes import compare
from jaythread.desk.edit.session import Session
from jaythread.desk.edit.types import Colour, Frame, Name
from jaythread.desk.models import Shape
from roto.motion.group import group_of, groups_of, make_group
from roto.motion.shape import GROUP
from roto.track.ride import go_over, rides_of


class NewGroup(Schema):
    """A group at rest, of shapes (and groups) that move as one from now on; they stay where they are."""

    do: Literal["new group"]
    shape: str
    name: Name
    members: Annotated[list[str], Field(min_length=1, max_length=200)]
    frame: Frame
    colour: Colour = 0


@command(NewGroup)
def grouped(session: Session, said: NewGroup) -> Outcome:
    """Shapes, and groups, go over to a new group; it rides on what all of them rode on, if that was one."""
    key = lookups.new_id(said.shape, Shape)
    before = [session.shape(m) for m in said.members]
    over = group_of(before[0])
    outer = over if over is not None and all((its := group_of(m)) is not None and its.id == over.id for m in before) else None
    where = before if outer is None else [replace(m, rides=()) for m in before]
    new = make_group(key, said.name, said.frame, where, said.colour)
    new = replace(new, rides=rides_of(outer, None))
    after = [go_over(m, new) for m in before]
    riding = [c for a, b in zip(before, after, strict=True) for c in compare(a.id, a, b)]
    summary = f"made the group {said.name}: {', '.join(m.name for m in before)}"
    return session.with_carried(Outcome(summary, [*compare(key, None, new), *riding], before, [new, *after]))


class Ride(Schema):
    """A shape, or group, goes over to another group, or to none; it stays where it is."""

    do: Literal["ride"]
    shape: str
    group: str | None = None


@command(Ride)
def rides(session: Session, said: Ride) -> Outcome:
    """A shape, or group, goes over to another group, or to none."""
    _, old = session.open_shape(said.shape)
    group = session.shape(said.group) if said.group else None
    new = go_over(old, group)
    if old.kind == GROUP and group is not None:
        inner = [old.id, *(one.id for one in session.carried(lookups.shape_row(session.shot, old.id)))]
        lookups.not_both_as_one(session.shot, inner, [group.id, *(g.id for g in groups_of(group))])
    summary = f"{old.name} moves with {group.name}" if group else f"{old.name} moves by itself"
    return session.with_carried(Outcome(summary, compare(old.id, old, new), [old], [new]))
