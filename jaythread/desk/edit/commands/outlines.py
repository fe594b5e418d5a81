"""Commands on the outline of a shape: its points, its placement, its soft edge."""

from dataclasses import replace
from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from jaythread.desk.edit.registry import Outcome, command, shape_command
from jaythread.desk.edit.row_changes import compare
from jaythread.desk.edit.session import Session
from jaythread.desk.edit.types import Frame, Scoped, Six
from roto.curve.remove import remove_points
from roto.curve.split import add_point
from roto.errors import BadGeometry
from roto.motion import edits, point_reach, retime
from roto.motion.group import steady_group
from roto.motion.shape import BELL, GROUP
from roto.motion.shape import Shape as CoreShape
from roto.motion.steady_form import steady

Reshaped = tuple[CoreShape, str]


def _some(points: list[int]) -> str:
    return f"{len(points)} points" if len(points) > 1 else "a point"


class MovePoints(Scoped):
    """Key the form of some points: index to six numbers, plate pixels."""

    do: Literal["form"]
    shape: str
    points: dict[int, Six]


@shape_command(MovePoints)
def move_points(shape: CoreShape, said: MovePoints) -> Reshaped:
    """Some points elsewhere."""
    if said.scope == "here":
        new = edits.move_points(shape, said.frame, said.points)
    else:
        new = retime.offset_points(shape, said.frame, said.points, said.first)
    return new, f"moved {len(said.points)} of {shape.form.parts} points of {shape.name} {said.where}"


class Place(Scoped):
    """Key the placement: moved on, turned on, sized (about a place in the picture), skewed (degrees) or made taller
    from where it is on that frame."""

    do: Literal["place"]
    shape: str
    move: tuple[float, float] = (0.0, 0.0)
    turn: float = 0.0
    size: float = 1.0
    about: tuple[float, float] | None = None
    skew: float = 0.0
    taller: float = 1.0


@shape_command(Place)
def place(shape: CoreShape, said: Place) -> Reshaped:
    """The whole shape elsewhere."""
    if said.scope == "here":
        new = edits.place(shape, said.frame, said.move, said.turn, said.size, said.about, skew=said.skew, taller=said.taller)
    else:
        new = retime.offset_place(
            shape, said.frame, said.move, said.turn, said.size, said.about, said.first, skew=said.skew, taller=said.taller
        )
    return new, f"placed {shape.name} {said.where}"


class Soften(Scoped):
    """Key soft-edge settings. lens: lens softness, px."""

    do: Literal["soften"]
    shape: str
    inner: float | None = None
    outer: float | None = None
    shift: float | None = None
    opacity: float | None = None
    lens: float | None = None


@shape_command(Soften)
def soften(shape: CoreShape, said: Soften) -> Reshaped:
    """Another soft edge."""
    values = {"inner": said.inner, "outer": said.outer, "shift": said.shift, "opacity": said.opacity, "lens": said.lens}
    here = said.scope == "here"
    new = edits.soften(shape, said.frame, **values) if here else retime.offset_soft(shape, said.frame, said.first, **values)
    return new, f"softened {shape.name} {said.where}"


class SoftenAsLens(Scoped):
    """Soften a shape as one lens does, a bell of that sigma (px), in place of all reach. Settings with one key are changed everywhere."""

    do: Literal["soften as lens"]
    shape: str
    sigma: float
    shift: float = 0.0


@shape_command(SoftenAsLens)
def soften_as_lens(shape: CoreShape, said: SoftenAsLens) -> Reshaped:
    """Lens softness instead of reach."""
    bare = replace(shape if shape.reach is None else point_reach.one_reach(shape), lens_kind=BELL)
    values = {"inner": 0.0, "outer": 0.0, "shift": said.shift, "lens": said.sigma}
    if len(bare.settings.frames) == 1:
        return retime.offset_soft(bare, said.frame, None, **values), f"softened {shape.name} as its lens does"
    here = said.scope == "here"
    new = edits.soften(bare, said.frame, **values) if here else retime.offset_soft(bare, said.frame, said.first, **values)
    return new, f"softened {shape.name} as its lens does, {said.where}"


class Reach(Scoped):
    """Key the reach of single points: index to inner and outer, None for what stays. The first such change gives each point its own."""

    do: Literal["reach"]
    shape: str
    points: Annotated[dict[int, tuple[float | None, float | None]], Field(min_length=1)]


@shape_command(Reach)
def reach(shape: CoreShape, said: Reach) -> Reshaped:
    """Another reach at some points."""
    new = point_reach.set_reach(shape, said.frame, said.points)
    if said.scope != "here":
        new = retime.offset_reach(shape, new, said.frame, said.first)
    return new, f"softened {len(said.points)} of {shape.form.parts} points of {shape.name} {said.where}"


class OneReach(Schema):
    """The same reach at every point again."""

    do: Literal["one reach"]
    shape: str


@shape_command(OneReach)
def one_reach(shape: CoreShape, said: OneReach) -> Reshaped:
    """One reach for all points."""
    return point_reach.one_reach(shape), f"gave {shape.name} one reach for all its points"


class AddPoint(Schema):
    """A point on a segment, on every key, with no outline moved."""

    do: Literal["add point"]
    shape: str
    segment: int = Field(ge=0, le=100_000)
    t: float = Field(gt=0, lt=1)


@shape_command(AddPoint)
def point_added(shape: CoreShape, said: AddPoint) -> Reshaped:
    """A point more."""
    return add_point(shape, said.segment, said.t), f"added a point to {shape.name}"


class Retrace(Schema):
    """An outline that was reopened and carried on: its points now, on its only form key."""

    do: Literal["retrace"]
    shape: str
    frame: Frame
    points: list[Six]
    curves: list[bool]


@shape_command(Retrace)
def retrace(shape: CoreShape, said: Retrace) -> Reshaped:
    """Other points."""
    if len(said.curves) != len(said.points):
        raise BadGeometry("Each point needs to be a corner or a curve.")
    new = edits.retrace(shape, said.frame, said.points, said.curves)
    return new, f"carried on the outline of {shape.name}: {len(said.points)} points"


class RemovePoints(Schema):
    """Points taken away on every key; what they held is fitted by their neighbours."""

    do: Literal["remove points"]
    shape: str
    points: Annotated[list[int], Field(min_length=1)]


@shape_command(RemovePoints)
def points_removed(shape: CoreShape, said: RemovePoints) -> Reshaped:
    """Points less."""
    gone = remove_points(shape, said.points)
    moved = f"its outline moved by {gone.mean:.2f} px on average, {gone.worst:.2f} at most"
    return gone.shape, f"removed {_some(said.points)} of {shape.name}; {moved}"


class PointKind(Schema):
    """Corner, sharp corner, curve, or even curve, on every key."""

    do: Literal["point kind"]
    shape: str
    points: Annotated[list[int], Field(min_length=1)]
    to: Literal["curve", "corner", "sharp", "even"]


@shape_command(PointKind)
def point_kind(shape: CoreShape, said: PointKind) -> Reshaped:
    """Points of another kind."""
    becomes = said.to if said.to in ("sharp", "even") else f"a {said.to}"
    return edits.point_kind(shape, said.points, said.to), f"made {_some(said.points)} of {shape.name} {becomes}"


class Steady(Schema):
    """Move, turn and size that hide in form keys, out into placement keys."""

    do: Literal["steady"]
    shape: str


@command(Steady)
def steadied(session: Session, said: Steady) -> Outcome:
    """A shape's form at rest; of a group, the group's placement takes over what its shapes have in common."""
    row, old = session.open_shape(said.shape)
    if old.kind != GROUP:
        done = steady(old)
        summary = (
            f"steadied the form of {old.name}: its points now move by {done.after:.1f} px at most instead of {done.before:.1f}{done.doubt}"
        )
        return Outcome(summary, compare(old.id, old, done.shape), [old], [done.shape])
    before = [old, *session.members(row)]
    group, led, done = steady_group(old, before[1:])
    after = [group, *led]
    summary = f"steadied {old.name}: within it points now move by {done.after:.1f} px at most instead of {done.before:.1f}{done.doubt}"
    rows = [c for a, b in zip(before, after, strict=True) for c in compare(a.id, a, b)]
    return session.with_carried(Outcome(summary, rows, before, after))
