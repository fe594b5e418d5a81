"""Tracks at the desk: from rows to the core and back, and what a command makes of them."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from jaythread.desk import commands, journal, scene
from jaythread.desk.models import Shape, Track
from jaythread.errors import Conflict, NotThere, Refused
from jaythread.productions.models import Shot
from roto.motion.shape import GROUP
from roto.motion.shape import Shape as CoreShape
from roto.track import ride
from roto.track import track as core
from roto.track.track import Track as CoreTrack

Plain = tuple[str, list[journal.Change]]


def data_of(track: CoreTrack, patch: dict[str, Any] | None) -> dict[str, Any]:
    """A track as its row keeps it. patch: what is followed: {frame, half, model, search} of a point, {frame, shape, holds_out, search} of
    a plane; None for one that is laid by hand alone. linear: of followed points, how the patch was turned and sized on a frame."""
    return {
        "home": track.home,
        "frames": track.points.frames.tolist(),
        "points": track.points.values.tolist(),
        "sure": [round(float(v), 4) for v in track.sure],
        "hand": sorted(track.hand),
        "patch": patch,
    }


def track_row(shot: Shot, track_id: str, base: int | None = None) -> Track:
    """A track of the shot, refused when somebody has changed it since `base`."""
    row = Track.objects.filter(pk=journal.as_uuid(track_id), shot=shot).first()
    if row is None:
        raise NotThere("That track is not there any more.")
    if base is not None and base != row.revision:
        raise Conflict(f"'{row.name}' has been changed meanwhile. Your change was not saved over it.", present=str(row.pk))
    return row


def change(row: Track, after: CoreTrack | None, patch: dict[str, Any] | None = None) -> journal.Change:
    """The journal's change of a track; its patch stays unless another is given."""
    before = journal.track_row(row)
    if after is None:
        return journal.change("track", [str(row.pk)], before, None)
    kept = {**data_of(after, patch or row.data.get("patch")), "linear": row.data.get("linear", {})}
    return journal.change("track", [str(row.pk)], before, {"name": after.name, "data": kept})


def free_name(shot: Shot, wanted: str) -> str:
    """A name that no track of the shot has."""
    names = set(shot.tracks.values_list("name", flat=True))
    return next(n for n in (wanted, *(f"{wanted[:54]} {k}" for k in range(2, 10_000))) if n not in names)


def _fresh(track_id: str) -> str:
    key = str(journal.as_uuid(track_id))
    if Track.objects.filter(pk=key).exists():
        raise Refused("That id is taken.")
    return key


def _checked(shape_ids: list[str]) -> None:
    for shape_id in shape_ids:
        journal.as_uuid(shape_id)


def _new(shot: Shot, command: "commands.NewTrack") -> Plain:
    key = _fresh(command.track)
    points = [list(p) for p in command.points]
    patch: dict[str, Any] | None = None
    _checked(command.holds_out)
    if command.shape:
        row = Shape.objects.filter(pk=journal.as_uuid(command.shape), shot=shot).first()
        if row is None or row.kind == GROUP:
            raise Refused("Choose a closed shape: the picture inside it is what is followed.")
        outline = scene.core_shapes([row])[str(row.pk)].outlines(np.array([command.frame]))[0, :, :2]
        (x0, y0), (x1, y1) = outline.min(axis=0), outline.max(axis=0)
        points = [[x0, y0], [x1, y0], [x1, y1], [x0, y1]]
        patch = {
            "frame": command.frame,
            "shape": str(row.pk),
            "holds_out": command.holds_out,
            "search": command.search,
            "model": core.PERSPECTIVE,
        }
    elif command.half:
        patch = {"frame": command.frame, "half": command.half, "model": command.model, "search": command.search}
    made = core.laid(key, free_name(shot, command.name), command.frame, points)
    row_after = {"name": made.name, "data": {**data_of(made, patch), "linear": {}}}
    return f"began the track {made.name}", [journal.change("track", [key], None, row_after)]


def _correct(shot: Shot, command: "commands.CorrectTrack") -> Plain:
    row = track_row(shot, command.track)
    after = core.corrected(scene.core_track(row), command.frame, command.points)
    return f"set {row.name} by hand on {command.frame}", [change(row, after)]


def _look(shot: Shot, command: "commands.TrackLook") -> Plain:
    row = track_row(shot, command.track)
    return f"renamed the track {row.name} to {command.name}", [change(row, replace(scene.core_track(row), name=command.name))]


def _patch(shot: Shot, command: "commands.TrackPatch") -> Plain:
    row = track_row(shot, command.track)
    if not row.data.get("patch"):
        raise Refused(f"'{row.name}' is laid by hand: it has no patch.")
    _checked(command.holds_out or [])
    given = {k: v for k, v in command.dict(exclude={"do", "track"}).items() if v is not None}
    return f"changed the patch of {row.name}", [change(row, scene.core_track(row), {**row.data["patch"], **given})]


def riders(shot: Shot, track_ids: set[str]) -> list[Shape]:
    """Shapes and groups that ride on tracks by themselves."""
    return list(Shape.objects.filter(shot=shot, carrier__track__in=sorted(track_ids)))


def _remove(shot: Shot, command: "commands.RemoveTrack") -> Plain:
    row = track_row(shot, command.track)
    riding = riders(shot, {str(row.pk)})
    if riding:
        raise Refused(f"{', '.join(r.name for r in riding)} rides on '{row.name}'. Let it ride on nothing, or bake it, first.")
    return f"removed the track {row.name}", [change(row, None)]


def _join(shot: Shot, command: "commands.JoinTracks") -> Plain:
    key = _fresh(command.track)
    parts = [scene.core_track(track_row(shot, t)) for t in command.tracks]
    made = core.joined(key, free_name(shot, command.name), parts, command.frame)
    after = {"name": made.name, "data": {**data_of(made, None), "linear": {}}}
    return f"joined {', '.join(t.name for t in parts)} as {made.name}", [journal.change("track", [key], None, after)]


def _smooth(shot: Shot, command: "commands.SmoothTrack") -> Plain:
    row = track_row(shot, command.track)
    before = scene.core_track(row)
    after = core.smoothed(before, command.frames)
    moved = np.hypot(*(after.points.values - before.points.values).transpose(2, 0, 1))
    says = f"smoothed {row.name}: its points move by {moved.mean():.2f} px on average, {moved.max():.2f} at most"
    return says, [change(row, after)]


def _cut(shot: Shot, command: "commands.CutTrack") -> Plain:
    row = track_row(shot, command.track)
    after = core.cut_off(scene.core_track(row), command.first, command.last)
    return f"cut {row.name} to {command.first}-{command.last}", [change(row, after)]


def tried(shot: Shot, command: Any) -> tuple[str, CoreTrack]:
    """What a command would make of a track, and what it would say; nothing is saved."""
    says, done = SPECIAL[type(command)](shot, command)
    row = Track(id=done[0]["key"][0], name=done[0]["after"]["name"], data=done[0]["after"]["data"])
    return says, row.to_core()


SPECIAL: dict[type, Callable[[Shot, Any], Plain]] = {
    commands.NewTrack: _new,
    commands.CorrectTrack: _correct,
    commands.TrackLook: _look,
    commands.TrackPatch: _patch,
    commands.RemoveTrack: _remove,
    commands.JoinTracks: _join,
    commands.SmoothTrack: _smooth,
    commands.CutTrack: _cut,
}
"""commands that change tracks"""


def carry(shot: Shot, shape: CoreShape, command: "commands.Carry") -> tuple[str, CoreShape]:
    """A shape, or group, going over to a track, to none, or to that of its group."""
    if command.track == "group":
        return f"{shape.name} rides as its group does", ride.with_carrier(shape, None)
    track = scene.core_track(track_row(shot, command.track)) if command.track else None
    how = command.how or (track.hows[-1] if track else core.MOVE)
    moved = ride.carry(shape, track, how, command.frame)
    return f"{shape.name} rides on {track.name}" if track else f"{shape.name} rides on nothing", moved
