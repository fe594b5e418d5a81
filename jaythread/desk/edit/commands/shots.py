"""Commands on the shot itself: its shutter, and the frames that matter."""

from dataclasses import replace
from typing import Annotated, Any, Literal

from ninja import Schema
from pydantic import Field

from jaythread.desk.document.as_data import entry_data, matte_data, track_data
from jaythread.desk.edit.registry import Outcome, command
from jaythread.desk.edit.row_changes import Change, change, compare, read_row
from jaythread.desk.edit.session import Session
from jaythread.desk.edit.types import Frame
from jaythread.desk.models import Shape, StackEntry
from jaythread.errors import Refused
from roto.matte.stack import Source
from roto.motion import retime


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


class ShotPicture(Schema):
    """How the shot's picture is to be understood: its rate (a fraction), the width of a pixel to its height, the number of its first frame.
    along: shapes, tracks and notes go to the new numbers with the picture, or else keep theirs."""

    do: Literal["shot picture"]
    rate: tuple[Annotated[int, Field(ge=1, le=1_000_000)], Annotated[int, Field(ge=1, le=1_000_000)]] | None = None
    pixel_aspect: float | None = Field(None, ge=0.1, le=10)
    first: Frame | None = None
    along: bool = True


@command(ShotPicture)
def shot_picture(session: Session, said: ShotPicture) -> Outcome:
    """A picture understood otherwise; its files stay as they are."""
    shot = session.shot
    before = read_row(shot, "numbers", [])
    assert before is not None
    by = 0 if said.first is None else said.first - shot.first
    after = {
        **before,
        "rate": list(said.rate or before["rate"]),
        "aspect": before["aspect"] if said.pixel_aspect is None else said.pixel_aspect,
        "first": shot.first + by,
        "last": shot.last + by,
        "work": [None if f is None else f + by for f in before["work"]],
    }
    if after == before:
        raise Refused("That is how the picture is understood already.")
    told = [
        f"numbered from {after['first']}, {'shapes too' if said.along else 'shapes as before'}" if by else "",
        f"{after['rate'][0]}/{after['rate'][1]} frames a second".replace("/1 ", " ") if after["rate"] != before["rate"] else "",
        f"pixels {after['aspect']:g} wide" if after["aspect"] != before["aspect"] else "",
    ]
    rows = _along(session, by) if by and said.along else []
    summary = f"corrected the picture: {', '.join(t for t in told if t)}"
    return Outcome(summary, [change("numbers", ["along" if said.along else "alone"], before, after), *rows])


def _along(session: Session, by: int) -> list[Change]:
    """All that is keyed on frames, so many frames on."""
    rows: list[Change] = []
    for row in Shape.objects.filter(shot=session.shot):
        old = session.core(row)
        new = replace(retime.shift_keys(old, retime.CHANNELS, by), live=tuple((a + by, b + by) for a, b in old.live))
        rows += compare(str(row.pk), old, new)
    for track in session.shot.tracks.all():
        was = track_data(track)
        rows.append(change("track", [str(track.pk)], was, {**was, "data": _track_on(was["data"], by)}))
    for matte in session.shot.mattes.all():
        before = matte_data(matte)
        keyed = {name: [[f + by, px] for f, px in before[name]] for name in ("shift", "lens") if before.get(name)}
        if keyed:
            rows.append(change("matte", [str(matte.pk)], before, {**before, **keyed}))
    for entry in StackEntry.objects.filter(matte__shot=session.shot):
        line, source = entry_data(entry), Source.from_data(entry.source)
        moved = replace(source, finished=tuple(replace(one, frame=one.frame + by) for one in source.finished))
        if moved != source:
            rows.append(change("entry", [str(entry.pk)], line, {**line, "source": moved.as_data()}))
    return rows


def _track_on(data: dict[str, Any], by: int) -> dict[str, Any]:
    out = {**data, "home": data["home"] + by, "frames": [f + by for f in data["frames"]], "hand": [f + by for f in data["hand"]]}
    out["linear"] = {str(int(f) + by): m for f, m in data.get("linear", {}).items()}
    if data.get("patch"):
        out["patch"] = {**data["patch"], "frame": data["patch"]["frame"] + by}
    return out
