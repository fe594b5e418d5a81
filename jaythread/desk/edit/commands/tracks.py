"""Commands on tracks, on what rides on them, and on the keys that come of it."""

from collections.abc import Callable
from dataclasses import replace
from threading import Lock
from typing import Annotated, Any, Literal, TypeVar, cast

import numpy as np
from cachetools import LRUCache
from ninja import Schema
from pydantic import Field

from jaythread.desk.document import core_cache, lookups
from jaythread.desk.document.as_data import new_track_data, track_data
from jaythread.desk.edit.registry import Outcome, command, shape_command
from jaythread.desk.edit.row_changes import Change, change
from jaythread.desk.edit.session import Session
from jaythread.desk.edit.types import Frame, Name, given
from jaythread.desk.models import Shape, Track
from jaythread.errors import Refused
from roto.errors import BadKeys
from roto.motion.shape import GROUP
from roto.motion.shape import Shape as CoreShape
from roto.track import ride
from roto.track import track as core
from roto.track.align import MOVE, PERSPECTIVE
from roto.track.thin import Thinned, baked, thin
from roto.track.track import Track as CoreTrack

T = TypeVar("T")
LONGEST = 5000
"""frames that are baked at once"""
Points = Annotated[list[tuple[float, float]], Field(min_length=1, max_length=4)]
HeldOut = Annotated[list[str], Field(max_length=200)]
Reshaped = tuple[CoreShape, str]


def track_change(row: Track, after: CoreTrack | None, patch: dict[str, Any] | None = None, linear: dict[str, Any] | None = None) -> Change:
    """The change of a track's row; its patch, and how that was turned, stay unless others are given."""
    before = track_data(row)
    if after is None:
        return change("track", [str(row.pk)], before, None)
    kept = new_track_data(after, patch or row.data.get("patch"), row.data.get("linear", {}) if linear is None else linear)
    return change("track", [str(row.pk)], before, kept)


def _changed(summary: str, row: Track, after: CoreTrack, patch: dict[str, Any] | None = None) -> Outcome:
    return Outcome(summary, [track_change(row, after, patch)], track=after)


def _made(summary: str, key: str, made: CoreTrack, patch: dict[str, Any] | None) -> Outcome:
    return Outcome(summary, [change("track", [key], None, new_track_data(made, patch))], track=made)


class NewTrack(Schema):
    """A track begun on a frame: at places in the picture, or (shape) at the corners of what a shape covers, whose picture is then followed.

    half: px to either side of a point that make its patch; 0 for one that is laid by hand alone. search: px that it may leap in a frame.
    """

    do: Literal["new track"]
    track: str
    name: Name
    frame: Frame
    points: Points = [(0.0, 0.0)]
    shape: str | None = None
    holds_out: HeldOut = []
    half: float = Field(0.0, ge=0, le=400)
    model: Literal["move", "similar", "affine"] = "similar"
    search: float = Field(40.0, ge=2, le=400)


@command(NewTrack)
def new_track(session: Session, said: NewTrack) -> Outcome:
    """A track more."""
    key = lookups.new_id(said.track, Track)
    points = [list(p) for p in said.points]
    patch: dict[str, Any] | None = None
    for other in said.holds_out:
        lookups.as_uuid(other)
    if said.shape:
        row = Shape.objects.filter(pk=lookups.as_uuid(said.shape), shot=session.shot).first()
        if row is None or row.kind == GROUP:
            raise Refused("Choose a closed shape: the picture inside it is what is followed.")
        outline = session.core(row).outlines(np.array([said.frame]))[0, :, :2]
        (x0, y0), (x1, y1) = outline.min(axis=0), outline.max(axis=0)
        points = [[x0, y0], [x1, y0], [x1, y1], [x0, y1]]
        patch = {
            "frame": said.frame, "shape": str(row.pk), "holds_out": said.holds_out, "search": said.search, "model": PERSPECTIVE,
        }  # fmt: skip
    elif said.half:
        patch = {"frame": said.frame, "half": said.half, "model": said.model, "search": said.search}
    made = core.laid(key, lookups.free_track_name(session.shot, said.name), said.frame, points)
    return _made(f"began the track {made.name}", key, made, patch)


class CorrectTrack(Schema):
    """Points of a track set by hand on a frame."""

    do: Literal["correct track"]
    track: str
    frame: Frame
    points: Annotated[dict[int, tuple[float, float]], Field(min_length=1)]


@command(CorrectTrack)
def correct_track(session: Session, said: CorrectTrack) -> Outcome:
    """A track set by hand on a frame."""
    row = session.track_row(said.track)
    after = core.corrected(core_cache.track(row), said.frame, said.points)
    return _changed(f"set {row.name} by hand on {said.frame}", row, after)


class RenameTrack(Schema):
    """A track's name."""

    do: Literal["rename track", "track look"]
    track: str
    name: Name


@command(RenameTrack)
def rename_track(session: Session, said: RenameTrack) -> Outcome:
    """A track by another name."""
    row = session.track_row(said.track)
    return _changed(f"renamed the track {row.name} to {said.name}", row, replace(core_cache.track(row), name=said.name))


class TrackPatch(Schema):
    """What a track looks for: from which frame it is taken, how large it is, how it may change, and what stands in front of it."""

    do: Literal["track patch"]
    track: str
    frame: Frame | None = None
    half: float | None = Field(None, ge=4, le=400)
    model: Literal["move", "similar", "affine", "perspective"] | None = None
    search: float | None = Field(None, ge=2, le=400)
    holds_out: HeldOut | None = None


@command(TrackPatch)
def track_patch(session: Session, said: TrackPatch) -> Outcome:
    """Another patch."""
    row = session.track_row(said.track)
    if not row.data.get("patch"):
        raise Refused(f"'{row.name}' is laid by hand: it has no patch.")
    for other in said.holds_out or []:
        lookups.as_uuid(other)
    return _changed(f"changed the patch of {row.name}", row, core_cache.track(row), {**row.data["patch"], **given(said, "track")})


class RemoveTrack(Schema):
    """A track that nothing rides on taken away."""

    do: Literal["remove track"]
    track: str


@command(RemoveTrack)
def remove_track(session: Session, said: RemoveTrack) -> Outcome:
    """A track less."""
    row = session.track_row(said.track)
    riding = list(Shape.objects.filter(shot=session.shot, carrier__track=str(row.pk)))
    if riding:
        raise Refused(f"{', '.join(r.name for r in riding)} rides on '{row.name}'. Let it ride on nothing, or bake it, first.")
    return Outcome(f"removed the track {row.name}", [track_change(row, None)])


class JoinTracks(Schema):
    """Two to four points as one track, which turns, sizes and shears."""

    do: Literal["join tracks"]
    track: str
    name: Name
    tracks: Annotated[list[str], Field(min_length=2, max_length=4)]
    frame: Frame


@command(JoinTracks)
def join_tracks(session: Session, said: JoinTracks) -> Outcome:
    """Tracks joined as a new one."""
    key = lookups.new_id(said.track, Track)
    parts = [core_cache.track(session.track_row(t)) for t in said.tracks]
    made = core.joined(key, lookups.free_track_name(session.shot, said.name), parts, said.frame)
    return _made(f"joined {', '.join(t.name for t in parts)} as {made.name}", key, made, None)


class SmoothTrack(Schema):
    """Trembling taken out of a track, over so many frames to either side."""

    do: Literal["smooth track"]
    track: str
    frames: float = Field(gt=0, le=50)


@command(SmoothTrack)
def smooth_track(session: Session, said: SmoothTrack) -> Outcome:
    """A track without its trembling."""
    row = session.track_row(said.track)
    before = core_cache.track(row)
    after = core.smoothed(before, said.frames)
    moved = np.hypot(*(after.points.values - before.points.values).transpose(2, 0, 1))
    summary = f"smoothed {row.name}: its points move by {moved.mean():.2f} px on average, {moved.max():.2f} at most"
    return _changed(summary, row, after)


class CutTrack(Schema):
    """What was followed outside of some frames taken away."""

    do: Literal["cut track"]
    track: str
    first: Frame
    last: Frame


@command(CutTrack)
def cut_track(session: Session, said: CutTrack) -> Outcome:
    """A shorter track."""
    row = session.track_row(said.track)
    after = core.cut_off(core_cache.track(row), said.first, said.last)
    return _changed(f"cut {row.name} to {said.first}-{said.last}", row, after)


class Carry(Schema):
    """A shape, or group, rides on a track from now on: the picture stays as it is on the frame. Without a track on none; 'group': on what
    its group rides on."""

    do: Literal["carry"]
    shape: str
    frame: Frame
    track: str | None = None
    how: Literal["move", "similar", "affine", "perspective"] | None = None


@command(Carry)
def carry(session: Session, said: Carry) -> Outcome:
    """A shape, or group, going over to a track, to none, or to that of its group."""
    track = core_cache.track(lookups.track_row(session.shot, said.track)) if said.track and said.track != "group" else None

    def carried(shape: CoreShape) -> Reshaped:
        if said.track == "group":
            return ride.with_carrier(shape, None), f"{shape.name} rides as its group does"
        how = said.how or (track.hows[-1] if track else MOVE)
        return ride.carry(shape, track, how, said.frame), f"{shape.name} rides on {track.name if track else 'nothing'}"

    return session.reshaped(said.shape, carried)


THINNED = 16
"""shapes that were thinned or baked just now: a page shows the outcome first, and what takes long is worked out with nothing locked"""
_kept: LRUCache[tuple[Any, ...], tuple[CoreShape, Any]] = LRUCache(THINNED)
_lock = Lock()


def _once(shape: CoreShape, said: tuple[Any, ...], make: Callable[[], T]) -> T:
    """What is made of a shape, or was made of it before. A core shape never changes, and is known by being the same one."""
    key = (id(shape), *said)
    with _lock:
        kept = _kept.get(key)
    if kept is None or kept[0] is not shape:
        kept = (shape, make())
        with _lock:
            _kept[key] = kept
    return cast(T, kept[1])


class Bake(Schema):
    """What carries a shape into its own keys, on each frame of the shot, or as few as keep it within a tolerance (px)."""

    do: Literal["bake"]
    shape: str
    first: Frame
    last: Frame
    tolerance: float | None = Field(None, ge=0.01, le=100)


@shape_command(Bake, long=True)
def bake(shape: CoreShape, said: Bake) -> Reshaped:
    """A shape carried by nothing, in the same places."""
    if said.last <= said.first or said.last - said.first > LONGEST:
        raise BadKeys(f"Bake 2 to {LONGEST} frames.")

    def made() -> CoreShape:
        free = baked(shape, np.arange(said.first, said.last + 1), free=True)
        return free if said.tolerance is None else thin(free, said.tolerance).shape

    after = _once(shape, ("bake", said.first, said.last, said.tolerance), made)
    return after, f"baked {shape.name}: {len(after.form.frames) + len(after.place.frames)} keys, carried by nothing"


class ThinKeys(Schema):
    """As few keys as keep a shape within a tolerance (px) of where it is, on every frame."""

    do: Literal["thin keys"]
    shape: str
    tolerance: float = Field(0.5, ge=0.01, le=100)


@shape_command(ThinKeys, long=True)
def thin_keys(shape: CoreShape, said: ThinKeys) -> Reshaped:
    """Fewer keys."""
    done: Thinned = _once(shape, ("thin", said.tolerance), lambda: thin(shape, said.tolerance))
    return done.shape, f"thinned {shape.name}: {told(done)}"


def told(done: Thinned) -> str:
    """What came of thinning."""
    return f"{done.after} keys instead of {done.before}, off by {done.worst:.2f} px at most, on {done.where}"
