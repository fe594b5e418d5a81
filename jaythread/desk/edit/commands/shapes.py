"""Commands on whole shapes: new ones, once more, away, how they look, when they are live."""

from dataclasses import replace
from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from jaythread.desk.document import core_cache, lookups
from jaythread.desk.document.as_data import entry_data
from jaythread.desk.edit.registry import Outcome, command, shape_command
from jaythread.desk.edit.row_changes import Change, change, compare
from jaythread.desk.edit.session import Session
from jaythread.desk.edit.types import Colour, Frame, Lens, Mode, Name, Profile, Six, given
from jaythread.desk.models import Matte, Shape, StackEntry
from jaythread.errors import Refused
from roto.curve.brush import stroke_outline
from roto.curve.curve_fit import fit_loop
from roto.matte.matting import fringe
from roto.matte.modes import SOLVE
from roto.motion import edits
from roto.motion.group import group_of
from roto.motion.live_ranges import tidy
from roto.motion.shape import GROUP
from roto.motion.shape import Shape as CoreShape
from roto.track.ride import go_over

Path = list[tuple[float, float]]


class NewShape(Schema):
    """What all new shapes say: their ids, the matte they stand in, their name."""

    shape: str
    entry: str
    matte: str
    name: Name
    frame: Frame
    colour: Colour = 0


def _new_ids(shape: str, entry: str) -> tuple[str, str]:
    return lookups.new_id(shape, Shape), lookups.new_id(entry, StackEntry)


def _added(summary: str, shape: CoreShape, entry_id: str, line: dict[str, object]) -> Outcome:
    """A new shape with its line in a stack."""
    rows: list[Change] = [*compare(shape.id, None, shape), change("entry", [entry_id], None, line)]
    return Outcome(summary, rows, [], [shape])


class Trace(NewShape):
    """A new shape, added on top of a matte's stack."""

    do: Literal["trace"]
    points: list[Six]
    curves: list[bool]
    kind: Literal["closed", "dividing"] = "closed"
    mode: Mode = "add"


@command(Trace)
def trace(session: Session, said: Trace) -> Outcome:
    """A shape from points."""
    matte = lookups.matte_row(session.shot, said.matte)
    shape_id, entry_id = _new_ids(said.shape, said.entry)
    if len(said.curves) != len(said.points):
        raise Refused("Each point needs to be a corner or a curve.")
    new = edits.trace(shape_id, said.name, said.frame, said.points, said.curves, said.colour, said.kind)
    return _added(f"traced {said.name}", new, entry_id, lookups.entry_on_top(matte, shape_id, said.mode))


class Freehand(NewShape):
    """A new shape from a loop drawn freehand: the core fits few points to it. tolerance: px."""

    do: Literal["freehand"]
    path: Annotated[Path, Field(min_length=3, max_length=20000)]
    tolerance: float = Field(1.0, ge=0.05, le=50)
    mode: Mode = "add"


@command(Freehand)
def freehand(session: Session, said: Freehand) -> Outcome:
    """A shape fitted to a loop."""
    matte = lookups.matte_row(session.shot, said.matte)
    shape_id, entry_id = _new_ids(said.shape, said.entry)
    points, curves = fit_loop(said.path, said.tolerance)
    new = edits.trace(shape_id, said.name, said.frame, points, curves, said.colour)
    line = lookups.entry_on_top(matte, shape_id, said.mode)
    return _added(f"drew {said.name} freehand: {len(points)} points", new, entry_id, line)


class Fringe(NewShape):
    """A band in which alpha is solved from the plate, right above the line of a shape in a stack. path: where a brush of that radius (px)
    was led; radii: px at each place, of a pen that is pressed more or less. Without a path the band is all that the soft edge covers."""

    do: Literal["fringe"]
    of: str
    path: Annotated[Path, Field(min_length=1, max_length=20000)] | None = None
    radius: float = Field(24.0, ge=1, le=1000)
    radii: list[Annotated[float, Field(gt=0, le=1000)]] | None = None
    tolerance: float = Field(1.0, ge=0.05, le=50)


@command(Fringe)
def fringed(session: Session, said: Fringe) -> Outcome:
    """The band of a fringe."""
    matte, row = lookups.matte_row(session.shot, said.matte), session.shape_row(said.of)
    shape_id, entry_id = _new_ids(said.shape, said.entry)
    if row.kind == GROUP:
        raise Refused("A group has no outline: choose the shape whose edge is to be solved.")
    subject = session.core(row)
    order = _right_above(matte, row)
    if said.path is not None:
        points, curves = stroke_outline(said.path, said.radius, said.tolerance, said.radii)
    else:
        points, curves = fringe.band_of_reach(core_cache.matte(session.shot, matte), subject, said.frame)
    new = replace(fringe.made_band(shape_id, said.name, subject, said.frame, points, curves), colour=said.colour)
    line = {**lookups.entry_on_top(matte, shape_id, SOLVE), "order": order}
    return _added(f"painted {said.name} on {row.name}", new, entry_id, line)


def _right_above(matte: Matte, row: Shape) -> float:
    """The order of a line right above that of a shape."""
    lines = list(matte.entries.all())
    at = next((k for k, line in enumerate(lines) if line.shape_id == row.pk), None)
    if at is None:
        raise Refused(f"'{row.name}' is not in the matte {matte.name}. Put it in first.")
    return (lines[at].order + lines[at + 1].order) / 2 if at + 1 < len(lines) else lines[at].order + 1.0


class Duplicate(Schema):
    """A shape again, with all its keys, on top of the same matte's stack."""

    do: Literal["duplicate"]
    shape: str
    twin: str
    entry: str
    matte: str


@command(Duplicate)
def duplicated(session: Session, said: Duplicate) -> Outcome:
    """A twin of a shape."""
    shot = session.shot
    matte, row = lookups.matte_row(shot, said.matte), session.shape_row(said.shape)
    twin_id, entry_id = _new_ids(said.twin, said.entry)
    old = session.core(row)
    if old.kind == GROUP:
        raise Refused("Duplicate the shapes of a group, one by one.")
    line = matte.entries.filter(shape=row).first()
    names, used = set(shot.shapes.values_list("name", flat=True)), list(shot.shapes.values_list("colour", flat=True))
    name = next(n for n in (f"{old.name[:54]} {k}" for k in range(2, 10_000)) if n not in names)
    twin = replace(old, id=twin_id, name=name, colour=min(range(8), key=used.count))
    return _added(f"duplicated {old.name}", twin, entry_id, lookups.entry_on_top(matte, twin_id, line.mode if line else "add"))


class Appearance(Schema):
    """Name, colour, profile, blur, what its lens softness is of: not keyed."""

    do: Literal["appearance", "look"]
    shape: str
    name: Name | None = None
    colour: Colour | None = None
    profile: Profile | None = None
    blur: bool | None = None
    lens_kind: Lens | None = None


@shape_command(Appearance)
def appearance(shape: CoreShape, said: Appearance) -> tuple[CoreShape, str]:
    """Another name, colour, profile, blur or kind of lens softness."""
    summary = f"changed {shape.name}" if said.name is None else f"renamed {shape.name} to {said.name}"
    return replace(shape, **given(said, "shape")), summary


class Live(Schema):
    """The live ranges of a shape."""

    do: Literal["live"]
    shape: str
    ranges: list[tuple[Frame, Frame]]


@shape_command(Live)
def live(shape: CoreShape, said: Live) -> tuple[CoreShape, str]:
    """Other live ranges."""
    return replace(shape, live=tidy(said.ranges)), f"set when {shape.name} is live"


class Remove(Schema):
    """Take a shape away, with its keys and its lines in all stacks. What a group carried stays where it is, with the group's own group."""

    do: Literal["remove"]
    shape: str


@command(Remove)
def removed(session: Session, said: Remove) -> Outcome:
    """A shape goes with its lines in the stacks; of a group only what moved its shapes together."""
    row, old = session.open_shape(said.shape)
    lines = [change("entry", [str(e.pk)], entry_data(e), None) for e in row.entries.all()]
    before = session.members(row)
    after = [go_over(m, group_of(old)) for m in before]
    freed = [c for a, b in zip(before, after, strict=True) for c in compare(a.id, a, b)]
    gone = compare(old.id, old, None)
    return session.with_carried(Outcome(f"removed {old.name}", [*freed, *lines, *gone[1:], gone[0]], before, after))


class Lock(Schema):
    """Whether a shape refuses changes."""

    do: Literal["lock"]
    shape: str
    locked: bool


@command(Lock)
def locked(session: Session, said: Lock) -> Outcome:
    """A shape locked, or open. It is not held against what the page knew: nothing of the shape itself changes."""
    row = lookups.shape_row(session.shot, said.shape)
    rows = [change("lock", [str(row.pk)], {"locked": row.locked}, {"locked": said.locked})]
    return Outcome(f"{'locked' if said.locked else 'unlocked'} {row.name}", rows)
