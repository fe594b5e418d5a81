"""Commands that lay an outline, or some of its points, by a line: a stroke, a mirror, a level, a neighbour."""

from typing import Annotated, Literal

import numpy as np
from ninja import Schema
from pydantic import Field

from jaythread.desk.document import core_cache
from jaythread.desk.edit.registry import Outcome, command, shape_command
from jaythread.desk.edit.session import Session
from jaythread.desk.edit.types import Frame, Scoped
from jaythread.desk.models import Shape
from roto.curve import align
from roto.curve.redraw import redrawn
from roto.errors import BadGeometry
from roto.motion import edits, mirror, retime
from roto.motion.shape import CLOSED
from roto.motion.shape import Shape as CoreShape

Reshaped = tuple[CoreShape, str]
Place = tuple[float, float]


class Redraw(Schema):
    """The outline on a frame as a stroke has it (plate px): all of it, or the stretch between the ends of an open one."""

    do: Literal["redraw"]
    shape: str
    frame: Frame
    path: Annotated[list[Place], Field(min_length=3, max_length=20_000)]
    closed: bool


@shape_command(Redraw)
def redraw(shape: CoreShape, said: Redraw) -> Reshaped:
    """An outline drawn anew; its points stay the same ones."""
    if shape.kind != CLOSED:
        raise BadGeometry(f"'{shape.name}' has no outline that could be drawn anew.")
    outline = shape.outlines(np.array([said.frame]))[0]
    new, changed = redrawn(outline, shape.kinds, said.path, closed=said.closed)
    moved = edits.move_points(shape, said.frame, {i: new[i] for i in changed})
    which = "all of" if len(changed) == len(outline) else f"{len(changed)} of {len(outline)} points of"
    return moved, f"redrew {which} {shape.name} on {said.frame}"


class Mirror(Schema):
    """A shape mirrored with all its keys. angle: of the line, degrees (90: left and right change places). about: a place on it, then the
    shape's way is mirrored too; without it the line goes through the pivot."""

    do: Literal["mirror"]
    shape: str
    angle: float = Field(90.0, ge=-360, le=360)
    about: Place | None = None


@shape_command(Mirror)
def mirrored(shape: CoreShape, said: Mirror) -> Reshaped:
    """The other way round."""
    return mirror.mirrored(shape, said.angle, said.about), f"mirrored {shape.name}"


class Align(Scoped):
    """Chosen points on one level or upright line, or evenly spaced."""

    do: Literal["align"]
    shape: str
    points: Annotated[list[int], Field(min_length=2)]
    how: Literal["level", "upright", "even"]


def _moved(shape: CoreShape, said: Scoped, points: dict[int, np.ndarray]) -> CoreShape:
    if said.scope == "here":
        return edits.move_points(shape, said.frame, points)
    return retime.offset_points(shape, said.frame, points, said.first)


@shape_command(Align)
def aligned(shape: CoreShape, said: Align) -> Reshaped:
    """Points in line."""
    outline = shape.outlines(np.array([said.frame]))[0]
    points = align.aligned(outline, _known(shape, said.points), said.how)
    return _moved(shape, said, points), f"aligned {len(points)} points of {shape.name} {said.where}"


def _known(shape: CoreShape, points: list[int]) -> list[int]:
    if not all(0 <= i < shape.form.parts for i in points):
        raise BadGeometry(f"There is no such point in '{shape.name}'.")
    return sorted(set(points))


class Snap(Scoped):
    """Chosen points onto the nearest point or outline of the other shapes that are live here, within so many px."""

    do: Literal["snap"]
    shape: str
    points: Annotated[list[int], Field(min_length=1)]
    within: float = Field(12.0, gt=0, le=500)


@command(Snap)
def snapped(session: Session, said: Snap) -> Outcome:
    """Points where a neighbour is."""
    rows = Shape.objects.filter(shot=session.shot).exclude(pk=session.shape_row(said.shape).pk)
    cores = [core for core in core_cache.shapes(list(rows)).values() if core.kind == CLOSED and core.is_live(said.frame)]
    others = [core.outlines(np.array([said.frame]))[0] for core in cores]

    def moved(shape: CoreShape) -> Reshaped:
        outline = shape.outlines(np.array([said.frame]))[0]
        points = align.snapped(outline, _known(shape, said.points), others, said.within)
        many = f"{len(points)} points" if len(points) > 1 else "a point"
        return _moved(shape, said, points), f"snapped {many} of {shape.name} to a neighbour {said.where}"

    return session.reshaped(said.shape, moved)
