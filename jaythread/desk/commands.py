"""What an edit may say, and what it does to a shape. The same commands serve a saved edit and the preview while dragging."""

from dataclasses import replace
from typing import Annotated, Any, Literal

from ninja import Schema
from pydantic import Field

from jaythread.desk.key_commands import OnKeys
from jaythread.desk.stack_commands import (
    AddLine,
    ChangeEntry,
    ChangeMatte,
    ChangeShutter,
    CopyMatte,
    DropLine,
    NewMatte,
    RemoveMatte,
    ShiftMatte,
)
from jaythread.desk.track_commands import (
    Bake,
    Carry,
    CorrectTrack,
    CutTrack,
    JoinTracks,
    NewTrack,
    RemoveTrack,
    SmoothTrack,
    ThinKeys,
    TrackLook,
    TrackPatch,
)
from jaythread.desk.vocabulary import Frame, Mode, Name, Profile, Six, Spread
from roto.curve.remove import remove_points
from roto.curve.split import add_point
from roto.errors import BadGeometry
from roto.motion import edits, point_reach, retime
from roto.motion.live_ranges import tidy
from roto.motion.shape import Shape as CoreShape


def _first(command: Any) -> int | None:
    return int(command.frame) if command.spread == "on" else None


def _where(command: Any) -> str:
    return {"here": f"on {command.frame}", "all": "on all keys", "on": f"from {command.frame} on"}[command.spread]


class Trace(Schema):
    """A new shape, added on top of a matte's stack."""

    do: Literal["trace"]
    shape: str
    entry: str
    matte: str
    name: Name
    frame: Frame
    points: list[Six]
    curves: list[bool]
    kind: Literal["closed", "dividing"] = "closed"
    mode: Mode = "add"
    colour: int = Field(0, ge=0, le=7)


class Freehand(Schema):
    """A new shape from a loop drawn freehand: the core fits few points to it. tolerance: px."""

    do: Literal["freehand"]
    shape: str
    entry: str
    matte: str
    name: Name
    frame: Frame
    path: Annotated[list[tuple[float, float]], Field(min_length=3, max_length=20000)]
    tolerance: float = Field(1.0, ge=0.05, le=50)
    mode: Mode = "add"
    colour: int = Field(0, ge=0, le=7)


class Fringe(Schema):
    """A band in which alpha is solved from the plate, right above the line of a shape in a stack. path: where a brush of that radius (px)
    was led; without one the band is all that the shape's soft edge covers."""

    do: Literal["fringe"]
    shape: str
    entry: str
    matte: str
    of: str
    name: Name
    frame: Frame
    path: Annotated[list[tuple[float, float]], Field(min_length=1, max_length=20000)] | None = None
    radius: float = Field(24.0, ge=1, le=1000)
    tolerance: float = Field(1.0, ge=0.05, le=50)
    colour: int = Field(0, ge=0, le=7)


class Duplicate(Schema):
    """A shape again, with all its keys, on top of the same matte's stack."""

    do: Literal["duplicate"]
    shape: str
    twin: str
    entry: str
    matte: str


class MovePoints(Schema):
    """Key the form of some points: index to six numbers, plate pixels."""

    do: Literal["form"]
    shape: str
    frame: Frame
    points: dict[int, Six]
    spread: Spread = "here"

    def on(self, shape: CoreShape) -> CoreShape:
        if self.spread != "here":
            return retime.offset_points(shape, self.frame, self.points, _first(self))
        return edits.move_points(shape, self.frame, self.points)

    def says(self, shape: CoreShape) -> str:
        return f"moved {len(self.points)} of {shape.form.parts} points of {shape.name} {_where(self)}"


class Place(Schema):
    """Key the placement: moved on, turned on, sized (about a place in the picture) from where it is on that frame."""

    do: Literal["place"]
    shape: str
    frame: Frame
    move: tuple[float, float] = (0.0, 0.0)
    turn: float = 0.0
    size: float = 1.0
    about: tuple[float, float] | None = None
    spread: Spread = "here"

    def on(self, shape: CoreShape) -> CoreShape:
        if self.spread != "here":
            return retime.offset_place(shape, self.frame, self.move, self.turn, self.size, self.about, _first(self))
        return edits.place(shape, self.frame, self.move, self.turn, self.size, self.about)

    def says(self, shape: CoreShape) -> str:
        return f"placed {shape.name} {_where(self)}"


class Soften(Schema):
    """Key soft-edge settings."""

    do: Literal["soften"]
    shape: str
    frame: Frame
    inner: float | None = None
    outer: float | None = None
    shift: float | None = None
    opacity: float | None = None
    spread: Spread = "here"

    def on(self, shape: CoreShape) -> CoreShape:
        given = {"inner": self.inner, "outer": self.outer, "shift": self.shift, "opacity": self.opacity}
        if self.spread != "here":
            return retime.offset_soft(shape, self.frame, _first(self), **given)
        return edits.soften(shape, self.frame, **given)

    def says(self, shape: CoreShape) -> str:
        return f"softened {shape.name} {_where(self)}"


class Reach(Schema):
    """Key the reach of single points: index to inner and outer, None for what stays. The first such change gives each point its own."""

    do: Literal["reach"]
    shape: str
    frame: Frame
    points: Annotated[dict[int, tuple[float | None, float | None]], Field(min_length=1)]
    spread: Spread = "here"

    def on(self, shape: CoreShape) -> CoreShape:
        moved = point_reach.set_reach(shape, self.frame, self.points)
        return moved if self.spread == "here" else retime.offset_reach(shape, moved, self.frame, _first(self))

    def says(self, shape: CoreShape) -> str:
        return f"softened {len(self.points)} of {shape.form.parts} points of {shape.name} {_where(self)}"


class OneReach(Schema):
    """The same reach at every point again."""

    do: Literal["one reach"]
    shape: str

    def on(self, shape: CoreShape) -> CoreShape:
        return point_reach.one_reach(shape)

    def says(self, shape: CoreShape) -> str:
        return f"gave {shape.name} one reach for all its points"


class Look(Schema):
    """Name, colour, profile, blur: not keyed."""

    do: Literal["look"]
    shape: str
    name: Name | None = None
    colour: int | None = Field(None, ge=0, le=7)
    profile: Profile | None = None
    blur: bool | None = None

    def on(self, shape: CoreShape) -> CoreShape:
        given = {k: v for k, v in self.dict(exclude={"do", "shape"}).items() if v is not None}
        return replace(shape, **given)

    def says(self, shape: CoreShape) -> str:
        return f"changed {shape.name}" if self.name is None else f"renamed {shape.name} to {self.name}"


class AddPoint(Schema):
    """A point on a segment, on every key, with no outline moved."""

    do: Literal["add point"]
    shape: str
    segment: int = Field(ge=0, le=100_000)
    t: float = Field(gt=0, lt=1)

    def on(self, shape: CoreShape) -> CoreShape:
        return add_point(shape, self.segment, self.t)

    def says(self, shape: CoreShape) -> str:
        return f"added a point to {shape.name}"


class Retrace(Schema):
    """An outline that was reopened and carried on: its points now, on its only form key."""

    do: Literal["retrace"]
    shape: str
    frame: Frame
    points: list[Six]
    curves: list[bool]

    def on(self, shape: CoreShape) -> CoreShape:
        if len(self.curves) != len(self.points):
            raise BadGeometry("Each point needs to be a corner or a curve.")
        return edits.retrace(shape, self.frame, self.points, self.curves)

    def says(self, shape: CoreShape) -> str:
        return f"carried on the outline of {shape.name}: {len(self.points)} points"


class RemovePoints(Schema):
    """Points taken away on every key; what they held is fitted by their neighbours."""

    do: Literal["remove points"]
    shape: str
    points: Annotated[list[int], Field(min_length=1)]

    def on(self, shape: CoreShape) -> CoreShape:
        return remove_points(shape, self.points).shape

    def says(self, shape: CoreShape) -> str:
        gone = remove_points(shape, self.points)
        many = f"{len(self.points)} points" if len(self.points) > 1 else "a point"
        return f"removed {many} of {shape.name}; its outline moved by {gone.mean:.2f} px on average, {gone.worst:.2f} at most"


class PointKind(Schema):
    """Corner, sharp corner, curve, or even curve, on every key."""

    do: Literal["point kind"]
    shape: str
    points: Annotated[list[int], Field(min_length=1)]
    to: Literal["curve", "corner", "sharp", "even"]

    def on(self, shape: CoreShape) -> CoreShape:
        return edits.point_kind(shape, self.points, self.to)

    def says(self, shape: CoreShape) -> str:
        many = f"{len(self.points)} points" if len(self.points) > 1 else "a point"
        return f"made {many} of {shape.name} {self.to if self.to in ('sharp', 'even') else f'a {self.to}'}"


class Live(Schema):
    """The live ranges of a shape."""

    do: Literal["live"]
    shape: str
    ranges: list[tuple[Frame, Frame]]

    def on(self, shape: CoreShape) -> CoreShape:
        return replace(shape, live=tidy(self.ranges))

    def says(self, shape: CoreShape) -> str:
        return f"set when {shape.name} is live"


class Remove(Schema):
    """Take a shape away, with its keys and its lines in all stacks. A group's shapes stay, and stay where they are."""

    do: Literal["remove"]
    shape: str


class NewGroup(Schema):
    """A group at rest, of shapes that move as one from now on; they stay where they are."""

    do: Literal["new group"]
    shape: str
    name: Name
    members: Annotated[list[str], Field(min_length=1, max_length=200)]
    frame: Frame
    colour: int = Field(0, ge=0, le=7)


class Ride(Schema):
    """A shape goes over to another group, or to none; it stays where it is."""

    do: Literal["ride"]
    shape: str
    group: str | None = None

    def says(self, shape: CoreShape, group: CoreShape | None) -> str:
        return f"{shape.name} moves with {group.name}" if group else f"{shape.name} moves by itself"


class Lock(Schema):
    """Whether a shape refuses changes."""

    do: Literal["lock"]
    shape: str
    locked: bool


OnShape = (
    MovePoints | Place | Soften | Reach | OneReach | Look | AddPoint | Retrace | RemovePoints | PointKind | OnKeys | Live | Bake | ThinKeys
)
Alone = Annotated[
    Trace | Freehand | Fringe | Duplicate | OnShape | Remove | NewGroup | Ride | Lock | ChangeEntry | AddLine | DropLine | NewMatte
    | CopyMatte | ChangeMatte | ShiftMatte | RemoveMatte | ChangeShutter | NewTrack | CorrectTrack | TrackLook | TrackPatch | RemoveTrack
    | JoinTracks | SmoothTrack | CutTrack | Carry,
    Field(discriminator="do"),
]  # fmt: skip


class Together(Schema):
    """Several commands that are one act: done, and taken back, at once."""

    do: Literal["together"]
    says: Annotated[str, Field(min_length=1, max_length=200)]
    commands: Annotated[list[Alone], Field(min_length=1, max_length=200)]


Command = Annotated[Alone | Together, Field(discriminator="do")]
