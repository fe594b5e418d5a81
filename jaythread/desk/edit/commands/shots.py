"""Commands on the shot itself: its shutter, and the frames that matter."""

from typing import Literal

from ninja import Schema
from pydantic import Field

from jaythread.desk.edit.registry import Outcome, command
from jaythread.desk.edit.row_changes import change, read_row
from jaythread.desk.edit.session import Session
from jaythread.desk.edit.types import Frame
from jaythread.errors import Refused


class ChangeShutter(Schema):
    """The shot's shutter: angle and phase in degrees (no phase: centred)."""

    do: Literal["shutter"]
    angle: float = Field(ge=0, le=360)
    phase: float | None = Field(None, ge=-360, le=360)


@command(ChangeShutter)
def change_shutter(session: Session, said: ChangeShutter) -> Outcome:
    """Another shutter."""
    shot = session.shot
    after = {"angle": said.angle, "phase": said.phase, "cap": shot.shutter_cap}
    return Outcome(f"set the shutter to {said.angle:g} degrees", [change("shot", [], read_row(shot, "shot", []), after)])


class WorkingRange(Schema):
    """The first and the last frame that matter; without them all frames of the shot."""

    do: Literal["working range"]
    first: Frame | None = None
    last: Frame | None = None


@command(WorkingRange)
def working_range(session: Session, said: WorkingRange) -> Outcome:
    """Another working range. One that is the whole shot is none."""
    shot = session.shot
    first = shot.first if said.first is None else said.first
    last = shot.last if said.last is None else said.last
    if first > last:
        raise Refused(f"The working range would end ({last}) before it begins ({first}).")
    if first < shot.first or last > shot.last:
        raise Refused(f"The shot has frames {shot.first}-{shot.last} only; the working range lies within these.")
    after = None if (first, last) == (shot.first, shot.last) else {"first": first, "last": last}
    summary = f"set the working range to {first}-{last}" if after else "made the whole shot the working range"
    return Outcome(summary, [change("range", [], read_row(shot, "range", []), after)])
