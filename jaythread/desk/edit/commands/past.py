"""The command that brings a state of the past back."""

from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from jaythread.desk.edit.past import Past
from jaythread.desk.edit.registry import Outcome, command
from jaythread.desk.edit.row_changes import shapes_named
from jaythread.desk.edit.session import Session
from jaythread.desk.models import Edit, Shape
from jaythread.errors import Refused


class BringBack(Schema):
    """A shape, a matte with its shapes, or all shapes, mattes, tracks and the shutter, as they stood after the edit of that revision. 0:
    before the first edit."""

    do: Literal["bring back"]
    revision: Annotated[int, Field(ge=0)]
    shape: str | None = None
    matte: str | None = None


@command(BringBack)
def bring_back(session: Session, said: BringBack) -> Outcome:
    """What stood then stands again; what came since is taken away. Working range, tryouts and locks are left as they are."""
    past = Past(session.shot, said.revision)
    if said.shape is not None and said.shape in past.shapes_since and Shape.objects.filter(pk=said.shape, shot=session.shot).exists():
        session.shape_row(said.shape)  # a conflict where somebody has changed it since the page knew it
    rows = past.changes(said.shape, said.matte)
    if not rows:
        raise Refused("Nothing of that has changed since then.")
    locked = Shape.objects.filter(shot=session.shot, locked=True, pk__in=shapes_named(rows)).first()
    if locked is not None:
        raise Refused(f"'{locked.name}' is locked. Unlock it first.")
    at = Edit.objects.filter(shot=session.shot, revision=said.revision).first()
    when = f"as it stood on {at.made:%d %b %H:%M}, after: {at.summary}" if at else "as it stood at first"
    what = _name(past, said) or "all shapes and mattes"
    return Outcome(f"brought {what} back {when}"[:200], rows)


def _name(past: Past, said: BringBack) -> str:
    if said.shape is not None:
        core = past.shape(said.shape)
        return core.name if core else ""
    return f"the matte {past.mattes()[said.matte]['name']}" if said.matte in past.mattes() else "the matte" if said.matte else ""
