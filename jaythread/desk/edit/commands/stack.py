"""Commands on the lines of a stack."""

from dataclasses import replace
from typing import Literal

from ninja import Schema
from pydantic import Field

from jaythread.brought.models import State
from jaythread.desk.document import lookups
from jaythread.desk.document.as_data import entry_data
from jaythread.desk.edit.registry import Outcome, command
from jaythread.desk.edit.row_changes import change, compare
from jaythread.desk.edit.session import Session
from jaythread.desk.edit.types import Colour, Mode, Name, given
from jaythread.desk.models import Matte, Shape, StackEntry
from jaythread.errors import Refused
from roto.matte.modes import BRING, FOUND
from roto.matte.stack import Source
from roto.motion import edits
from roto.motion.group import groups_of
from roto.motion.shape import GROUP

NO_FRINGE = "A group cannot be a fringe: choose the shape whose edge is to be solved."


class ChangeEntry(Schema):
    """A line of the stack."""

    do: Literal["entry"]
    entry: str
    mode: Mode | None = None
    inverted: bool | None = None
    opacity: float | None = Field(None, ge=0, le=1)
    order: float | None = Field(None, ge=-1e9, le=1e9, allow_inf_nan=False)


@command(ChangeEntry)
def change_entry(session: Session, said: ChangeEntry) -> Outcome:
    """A line combines otherwise, or stands elsewhere."""
    entry = lookups.line_row(session.shot, said.entry)
    before, wanted = entry_data(entry), given(said, "entry")
    if wanted.get("mode") == BRING and not entry.source.get("files"):
        raise Refused("A line comes from files when a matte from elsewhere is laid into the stack.")
    if wanted.get("mode") in FOUND and entry.shape.kind == GROUP:
        raise Refused(NO_FRINGE)
    return Outcome(f"changed how {entry.shape.name} combines", [change("entry", [str(entry.pk)], before, {**before, **wanted})])


class AddLine(Schema):
    """A shape that is there already, on top of another matte's stack (or once more of its own)."""

    do: Literal["add line"]
    entry: str
    matte: str
    shape: str
    mode: Mode = "add"


@command(AddLine)
def add_line(session: Session, said: AddLine) -> Outcome:
    """A line more."""
    matte, row = lookups.matte_row(session.shot, said.matte), session.shape_row(said.shape)
    if row.kind == GROUP:
        return _combined(session, matte, row, said)
    entry_id = lookups.new_id(said.entry, StackEntry)
    line = change("entry", [entry_id], None, lookups.entry_on_top(matte, str(row.pk), said.mode))
    return Outcome(f"put {row.name} into the matte {matte.name}", [line])


def _combined(session: Session, matte: Matte, group: Shape, said: AddLine) -> Outcome:
    """The shapes of a group count as one from now on: its line stands where the topmost of them did."""
    inner = [one.id for one in session.carried(group)]
    entries = list(matte.entries.select_related("shape"))
    own = [e for e in entries if str(e.shape_id) in inner and e.shape.kind != GROUP and e.mode not in FOUND]
    if not own:
        raise Refused(f"No shape of {group.name} is in the matte {matte.name}: put them in first.")
    if said.mode in FOUND:
        raise Refused(NO_FRINGE)
    if StackEntry.objects.filter(pk=lookups.as_uuid(said.entry)).exists() or matte.entries.filter(shape=group).exists():
        raise Refused(f"The shapes of {group.name} count as one in the matte {matte.name} already.")
    others = [*inner, *(g.id for g in groups_of(session.core(group)))]
    if nested := next((e.shape.name for e in entries if e.shape.kind == GROUP and str(e.shape_id) in others), None):
        raise Refused(f"The shapes of {nested} count as one already, and {group.name} moves with it. Let those count one by one first.")
    row = {**lookups.entry_on_top(matte, str(group.pk), said.mode), "order": own[-1].order}
    line = change("entry", [str(lookups.as_uuid(said.entry))], None, row)
    return Outcome(f"combined the shapes of {group.name} as one in the matte {matte.name}", [line])


class BringLine(Schema):
    """A matte from elsewhere as the lowest line of a stack: it covers the whole picture, and what lies above it corrects it."""

    do: Literal["bring line"]
    shape: str
    entry: str
    matte: str
    brought: int = Field(ge=1, le=2**31)
    name: Name
    colour: Colour = 0


@command(BringLine)
def bring_line(session: Session, said: BringLine) -> Outcome:
    """A line that comes from files."""
    shot = session.shot
    row = shot.brought.filter(pk=said.brought).first()
    if row is None or row.state != State.READY:
        raise Refused("That matte from elsewhere is not there, or not read yet.")
    matte = lookups.matte_row(shot, said.matte)
    shape_id, entry_id = lookups.new_id(said.shape, Shape), lookups.new_id(said.entry, StackEntry)
    w, h = shot.width, shot.height
    around = [[x, y, 0, 0, 0, 0] for x, y in ((-w, -h), (2 * w, -h), (2 * w, 2 * h), (-w, 2 * h))]
    new = edits.trace(shape_id, said.name, row.first, around, [False] * 4, said.colour)
    new = replace(new, live=((row.first, row.last),), blur=False)
    lowest = matte.entries.order_by("order").values_list("order", flat=True).first()
    order = 1.0 if lowest is None else lowest - 1.0
    line = {**lookups.entry_on_top(matte, shape_id, BRING), "order": order, "source": Source(files=str(row.pk)).as_data()}
    rows = [*compare(shape_id, None, new), change("entry", [entry_id], None, line)]
    return Outcome(f"laid {row.name}, from elsewhere, under the matte {matte.name}", rows, [], [new])


class DropLine(Schema):
    """A line of a stack taken away; the shape stays in the shot."""

    do: Literal["drop line"]
    entry: str


@command(DropLine)
def drop_line(session: Session, said: DropLine) -> Outcome:
    """A line less."""
    entry = lookups.line_row(session.shot, said.entry)
    rows = [change("entry", [str(entry.pk)], entry_data(entry), None)]
    if entry.shape.kind == GROUP:
        return Outcome(f"combined the shapes of {entry.shape.name} one by one in the matte {entry.matte.name}", rows)
    return Outcome(f"took {entry.shape.name} out of the matte {entry.matte.name}", rows)
