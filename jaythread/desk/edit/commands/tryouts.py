"""Commands on tryouts."""

from typing import Annotated, Any, Literal

from ninja import Schema
from pydantic import Field

from jaythread.desk.document import lookups
from jaythread.desk.document.as_data import tryout_data
from jaythread.desk.edit.registry import Outcome, command
from jaythread.desk.edit.row_changes import change
from jaythread.desk.edit.session import Session
from jaythread.desk.edit.types import Frame, Text
from jaythread.desk.models import Tryout
from jaythread.errors import NotThere, Refused
from roto.tryout import document, edits
from roto.tryout.document import line_from_json, line_to_json
from roto.tryout.model import MOST_LINES, Line
from roto.tryout.sentences import shown

Lines = Annotated[list[dict[str, Any]], Field(max_length=MOST_LINES)]
"""lines as the tryout document has them"""
TryoutName = Annotated[Text, Field(min_length=1, max_length=40)]


def _lines(data: Lines) -> list[dict[str, Any]]:
    lines = [line_from_json(one) for one in data]
    if len({line.id for line in lines}) < len(lines):
        raise Refused("Two lines of the tryout bear the same id.")
    return [line_to_json(line) for line in lines]


def _changed(row: Tryout, summary: str, **after: Any) -> Outcome:
    before = tryout_data(row)
    return Outcome(summary, [change("tryout", [str(row.pk)], before, {**before, **after})])


def _other_line(row: Tryout, line_id: str, new: Line, summary: str) -> Outcome:
    return _changed(row, summary, lines=[line_to_json(new) if one["id"] == line_id else one for one in row.lines])


def _line_of(row: Tryout, line_id: str) -> Line:
    found = next((one for one in row.lines if one["id"] == line_id), None)
    if found is None:
        raise NotThere("That line of the tryout is not there any more.")
    return line_from_json(found)


class NewTryout(Schema):
    """A tryout with these lines, bottom first, as the tryout document has them."""

    do: Literal["new tryout"]
    tryout: str
    name: TryoutName
    lines: Lines = []


@command(NewTryout)
def new_tryout(session: Session, said: NewTryout) -> Outcome:
    """A tryout more."""
    key = lookups.new_id(said.tryout, Tryout)
    name = lookups.free_tryout_name(session.shot, said.name)
    return Outcome(f"began the tryout {name}", [change("tryout", [key], None, {"name": name, "lines": _lines(said.lines)})])


class ChangeTryout(Schema):
    """Another name of a tryout, or other lines in place of all it has."""

    do: Literal["tryout"]
    tryout: str
    name: TryoutName | None = None
    lines: Lines | None = None


@command(ChangeTryout)
def change_tryout(session: Session, said: ChangeTryout) -> Outcome:
    """A tryout called otherwise, or with other lines."""
    row = session.tryout_row(said.tryout)
    name = row.name if said.name in (None, row.name) else lookups.free_tryout_name(session.shot, said.name or "")
    lines = row.lines if said.lines is None else _lines(said.lines)
    if said.lines is None:
        return _changed(row, f"renamed the tryout {row.name} to {name}", name=name)
    more = len(lines) - len(row.lines)
    what = "laid a line onto" if more > 0 else "took a line from" if more < 0 else "changed the order of"
    return _changed(row, f"{what} the tryout {row.name}", name=name, lines=lines)


class ChangeTryoutLine(Schema):
    """One line of a tryout, whole, in place of the one with its id."""

    do: Literal["tryout line"]
    tryout: str
    line: dict[str, Any]


@command(ChangeTryoutLine)
def change_line(session: Session, said: ChangeTryoutLine) -> Outcome:
    """A line otherwise."""
    row, new = session.tryout_row(said.tryout), line_from_json(said.line)
    _line_of(row, new.id)
    return _other_line(row, new.id, new, f"changed {shown(new)} in the tryout {row.name}")


class KeyTryoutLine(Schema):
    """A key of a line's channel on a frame; without values it is taken away."""

    do: Literal["tryout key"]
    tryout: str
    line: str
    channel: Literal["place", "corners", "angle", "opacity", "speed", "gain"]
    frame: Frame
    values: list[tuple[float, float]] | None = None


def with_key(row: Tryout, said: KeyTryoutLine) -> Line:
    """The line as the key makes it."""
    return edits.keyed(_line_of(row, said.line), said.channel, said.frame, None if said.values is None else [list(v) for v in said.values])


@command(KeyTryoutLine)
def key_line(session: Session, said: KeyTryoutLine) -> Outcome:
    """A key more, or less, or other values in it."""
    row = session.tryout_row(said.tryout)
    new = with_key(row, said)
    line_from_json(line_to_json(new))  # what a hand has dragged too far is said
    what = {
        "place": "placed",
        "corners": "pulled a corner of",
        "angle": "swung",
        "opacity": "set the opacity of",
        "speed": "set the speed of",
    }
    did = what.get(said.channel, "set the light of") if said.values is not None else "took a key from"
    return _other_line(row, said.line, new, f"{did} {shown(new)} on {said.frame}")


class RemoveTryout(Schema):
    """A tryout taken away."""

    do: Literal["remove tryout"]
    tryout: str


@command(RemoveTryout)
def remove_tryout(session: Session, said: RemoveTryout) -> Outcome:
    """A tryout less."""
    row = session.tryout_row(said.tryout)
    return Outcome(f"took the tryout {row.name} away", [change("tryout", [str(row.pk)], tryout_data(row), None)])


def drafted(row: Tryout, said: Any) -> document.Tryout:
    """A tryout with a command on it laid on that is not saved yet."""
    core = row.to_core()
    if isinstance(said, ChangeTryoutLine | KeyTryoutLine) and said.tryout == str(row.pk):
        new = line_from_json(said.line) if isinstance(said, ChangeTryoutLine) else with_key(row, said)
        lines = tuple(new if line.id == new.id else line for line in core.lines)
        return document.from_json({**document.to_json(core), "lines": [line_to_json(line) for line in lines]})
    return core
