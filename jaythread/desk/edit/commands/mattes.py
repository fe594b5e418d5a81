"""Commands on whole mattes."""

import uuid
from typing import Any, Literal

from ninja import Schema
from pydantic import Field

from jaythread.desk.document import lookups
from jaythread.desk.document.as_data import entry_data, matte_data
from jaythread.desk.edit.registry import Outcome, command
from jaythread.desk.edit.row_changes import change
from jaythread.desk.edit.session import Session
from jaythread.desk.edit.types import Frame, Lens, Text
from jaythread.desk.models import Matte
from jaythread.errors import Refused


class NewMatte(Schema):
    """A matte with an empty stack."""

    do: Literal["new matte"]
    matte: str
    name: Text


@command(NewMatte)
def new_matte(session: Session, said: NewMatte) -> Outcome:
    """A matte more."""
    key = lookups.new_id(said.matte, Matte)
    after = {"name": lookups.matte_name(session.shot, said.name), "inverted": False, "shift": []}
    return Outcome(f"made the matte {after['name']}", [change("matte", [key], None, after)])


class CopyMatte(Schema):
    """A matte with the same stack as another; both use the same shapes."""

    do: Literal["copy matte"]
    matte: str
    of: str
    name: Text


@command(CopyMatte)
def copy_matte(session: Session, said: CopyMatte) -> Outcome:
    """A matte once more."""
    old, key = lookups.matte_row(session.shot, said.of), lookups.new_id(said.matte, Matte)
    after = {**matte_data(old), "name": lookups.matte_name(session.shot, said.name)}
    rows = [{**entry_data(e), "matte": key} for e in old.entries.all()]
    lines = [change("entry", [str(uuid.uuid4())], None, row) for row in rows]
    return Outcome(f"copied the matte {old.name} as {after['name']}", [change("matte", [key], None, after), *lines])


class ChangeMatte(Schema):
    """The whole matte."""

    do: Literal["matte"]
    matte: str
    name: Text | None = None
    inverted: bool | None = None
    lens_kind: Lens | None = None


@command(ChangeMatte)
def change_matte(session: Session, said: ChangeMatte) -> Outcome:
    """A matte by another name, inverted, or softened by another lens."""
    matte = lookups.matte_row(session.shot, said.matte)
    before = matte_data(matte)
    after = dict(before)
    summary = f"changed the matte {matte.name}"
    if said.name is not None:
        after["name"] = lookups.matte_name(session.shot, said.name, matte.pk)
        summary = f"renamed the matte {matte.name} to {after['name']}"
    if said.inverted is not None:
        after["inverted"] = said.inverted
        summary = f"{'inverted' if said.inverted else 'stopped inverting'} the matte {matte.name}"
    if said.lens_kind is not None:
        after |= {"lens": matte.lens, "lens_kind": said.lens_kind}
        summary = f"took the lens softness of the matte {matte.name} as that of a {said.lens_kind}"
    return Outcome(summary, [change("matte", [str(matte.pk)], before, after)])


class ShiftMatte(Schema):
    """Key the edge shift of a whole matte (px); without a number its key on that frame is taken away."""

    do: Literal["shift matte"]
    matte: str
    frame: Frame
    shift: float | None = Field(None, ge=-1000, le=1000)


@command(ShiftMatte)
def shift_matte(session: Session, said: ShiftMatte) -> Outcome:
    """A key of the matte's edge shift."""
    matte = lookups.matte_row(session.shot, said.matte)
    keys = _keyed(matte, "edge shift", matte.shift, said.frame, said.shift)
    summary = _taken(matte, "edge shift", said.frame)
    if said.shift is not None:
        summary = f"shifted the edge of the matte {matte.name} by {said.shift:g} px on {said.frame}"
    return _with_keys(matte, {"shift": keys}, summary)


class SoftenMatte(Schema):
    """Key the lens softness of a whole matte (px); without a number its key on that frame is taken away."""

    do: Literal["soften matte"]
    matte: str
    frame: Frame
    lens: float | None = Field(None, ge=0, le=100)


@command(SoftenMatte)
def soften_matte(session: Session, said: SoftenMatte) -> Outcome:
    """A key of the matte's lens softness."""
    matte = lookups.matte_row(session.shot, said.matte)
    keys = _keyed(matte, "lens softness", matte.lens, said.frame, said.lens)
    summary = _taken(matte, "lens softness", said.frame)
    if said.lens is not None:
        summary = f"softened the matte {matte.name} by {said.lens:g} px on {said.frame}"
    return _with_keys(matte, {"lens": keys, "lens_kind": matte.lens_kind}, summary)


def _keyed(matte: Matte, what: str, rows: list[list[float]], frame: int, px: float | None) -> list[list[float]]:
    """Keys with another one on a frame, or without the one that is there."""
    keys = {int(f): float(v) for f, v in rows}
    if px is not None:
        keys[frame] = px
    elif keys.pop(frame, None) is None:
        raise Refused(f"The {what} of {matte.name} has no key on {frame}.")
    return [list(key) for key in sorted(keys.items())]


def _taken(matte: Matte, what: str, frame: int) -> str:
    return f"took away the key of the {what} of the matte {matte.name} on {frame}"


def _with_keys(matte: Matte, keys: dict[str, Any], summary: str) -> Outcome:
    before = matte_data(matte)
    return Outcome(summary, [change("matte", [str(matte.pk)], before, {**before, **keys})])


class RemoveMatte(Schema):
    """A matte with its stack; its shapes stay."""

    do: Literal["remove matte"]
    matte: str


@command(RemoveMatte)
def remove_matte(session: Session, said: RemoveMatte) -> Outcome:
    """A matte less."""
    matte = lookups.matte_row(session.shot, said.matte)
    lines = [change("entry", [str(e.pk)], entry_data(e), None) for e in matte.entries.all()]
    return Outcome(f"removed the matte {matte.name}", [*lines, change("matte", [str(matte.pk)], matte_data(matte), None)])
