"""The picture draws the in-betweens of a shape: as a job, which ends in one edit, the track and the shape that rides on it."""

import threading
import uuid
from concurrent.futures import Future, ThreadPoolExecutor
from itertools import pairwise
from typing import Annotated, Any

import cv2
import numpy as np
from cachetools import LRUCache
from django.db import transaction
from pydantic import BaseModel, Field

from jaythread.desk.document import core_cache, lookups
from jaythread.desk.document.as_data import new_track_data
from jaythread.desk.edit import actions
from jaythread.desk.edit.commands.tracks import track_change
from jaythread.desk.edit.row_changes import change, compare
from jaythread.desk.edit.types import Frame
from jaythread.desk.models import Shape, Track
from jaythread.desk.tracking.covers import cover_of
from jaythread.errors import Refused
from jaythread.jobs.models import Job
from jaythread.jobs.progress import Progress
from jaythread.jobs.registry import Kind, Prepared, register
from jaythread.plates import frames as plate_frames
from jaythread.plates.models import Plate
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, shot_for
from roto.arrays import Bytes, Flags, Floats
from roto.errors import RotoError
from roto.motion.shape import CLOSED
from roto.motion.shape import Shape as CoreShape
from roto.picture import display
from roto.picture.cuts import take_of
from roto.track import between, ride
from roto.track.bend import Bender
from roto.track.between import Drawing
from roto.track.looking import Picture
from roto.track.track import BEND
from roto.track.track import Track as CoreTrack

PICTURES = 10
"""pictures in linear light that are kept while a shape is drawn: 25 MB each at full HD"""
ALONG = 120
"""places along an outline, at least, by which two keys are compared"""
TOLD = 32
"""of them, that a page is told of while it is drawn"""
_LIGHT = display.light(np.arange(256) / 255.0).astype(np.float32)


class DrawSettings(BaseModel):
    """to: draw from the key on `frame` on, as far as this frame; left out, draw between keys: between all, or, with `beside`, in the
    stretches beside the key on `frame` alone. in_front: shapes that pass in front. follows: the edit that this comes of by itself."""

    frame: Frame
    to: Frame | None = None
    beside: bool = False
    in_front: list[str] = Field([], max_length=200)
    follows: Annotated[str, Field(max_length=36)] = ""


def sheet_of(core: CoreShape) -> CoreTrack | None:
    """The track that a shape rides on by bending."""
    carrier = ride.own_carrier(core)
    return carrier.track if carrier is not None and carrier.how == BEND else None


def keys_of(core: CoreShape) -> list[int]:
    """The frames that somebody has set by hand."""
    placed = core.place.frames.tolist() if len(core.place.frames) > 1 else []
    return sorted({*core.form.frames.tolist(), *placed})


def take_at(shot: Shot, frame: int) -> tuple[int, int]:
    """First and last frame of the take that a frame is of."""
    plate = shot.plates.first()
    return take_of(plate.cut_frames if plate else [], frame, shot.first, shot.last)


def wanted(shot: Shot, core: CoreShape, said: DrawSettings) -> list[tuple[int, int]]:
    """The stretches that are to be drawn: from a key to a key, or to a frame that is none. Refused where there are none."""
    keys = [f for f in keys_of(core) if shot.first <= f <= shot.last]
    if said.to is not None:
        if said.frame not in keys:
            raise Refused(f"'{core.name}' has no key on frame {said.frame}. Set one there (K), then let the picture draw on from it.")
        begin, end = take_at(shot, said.frame)
        to = min(end, max(begin, said.to))
        nexts = [
            k for k in keys if (k > said.frame) == (to > said.frame) and k != said.frame and min(said.frame, to) <= k <= max(said.frame, to)
        ]
        way = sorted(nexts, reverse=to < said.frame)
        stops = [said.frame, *way, *([] if way and way[-1] == to else [to])]
        found = [(a, b) for a, b in pairwise(stops) if a != b]
    else:
        found = [(a, b) for a, b in pairwise(keys) if not said.beside or said.frame in (a, b)]
        if said.beside and (track := sheet_of(core)) is not None and keys:
            first, last = int(track.points.frames[0]), int(track.points.frames[-1])
            found += [(keys[0], first)] if said.frame == keys[0] > first else []
            found += [(keys[-1], last)] if said.frame == keys[-1] < last else []
    found = [(a, b) for a, b in found if abs(a - b) > 1 or b not in keys]
    whole = [(a, b) for a, b in found if take_at(shot, a) == take_at(shot, b)]
    if found and not whole:
        raise Refused("The picture is cut between these keys: another take begins there. Draw from either side of the cut.")
    if not whole:
        many = "It has one key: draw from it on, or set another." if len(keys) < 2 else "Its keys lie next to each other."
        raise Refused(f"There is nothing to draw between the keys of '{core.name}'. {many}")
    return whole


def needs_plate(shot: Shot) -> Plate:
    """The plate of a shot; Refused while it is not here."""
    plate = shot.plates.first()
    if plate is None or plate.state != "ready":
        raise Refused("The picture of this shot is not here yet: there is nothing to draw by.")
    return plate


def closed_row(shot: Shot, subject: str, open_: str = "Choose a closed shape: the picture inside it is what is followed.") -> Shape:
    """A closed shape that may be changed; Refused where it may not, or, with `open_`, is none."""
    row = lookups.shape_row(shot, subject)
    if row.kind != CLOSED:
        raise Refused(open_)
    if row.locked:
        raise Refused(f"'{row.name}' is locked. Unlock it first.")
    return row


def _prepare(shot: Shot, subject: str, said: DrawSettings) -> Prepared:
    row = closed_row(shot, subject)
    needs_plate(shot)
    for other in [*said.in_front, *([said.follows] if said.follows else [])]:
        lookups.as_uuid(other)
    core = core_cache.shapes([row])[subject]
    keys = keys_of(core)
    total = sum(abs(a - b) * (2 if b in keys else 1) for a, b in wanted(shot, core, said))
    return Prepared(total=total, settings=said.model_dump())


def in_light(picture: Bytes) -> Picture:
    """A picture (h, w, 3) of bytes as it is displayed, in linear light."""
    return np.asarray(cv2.LUT(np.ascontiguousarray(picture), _LIGHT), np.float32)


class Pictures:
    """A plate's frames in linear light, for several who look at once; what is asked for is read once."""

    def __init__(self, plate: Plate) -> None:
        self.plate = plate
        self._kept: LRUCache[int, Future[Picture]] = LRUCache(PICTURES)
        self._lock = threading.Lock()
        self._pool = ThreadPoolExecutor(2)

    def __call__(self, frame: int) -> Picture:
        with self._lock:
            if frame not in self._kept:
                self._kept[frame] = self._pool.submit(self._read, frame)
            found = self._kept[frame]
        return found.result()

    def _read(self, frame: int) -> Picture:
        return in_light(plate_frames.as_bytes(self.plate, frame))

    def close(self) -> None:
        self._pool.shutdown(cancel_futures=True)


def _drawing(
    shot: Shot, core: CoreShape, pictures: Pictures, home: int, in_front: list[str], progress: Progress, begun: int = 0
) -> Drawing:
    """home: the key on which a sheet that is new is at rest. begun: steps of the work that were done before."""
    size, keys = (shot.width, shot.height), keys_of(core)
    frames = np.array(keys)
    outlines = dict(zip(keys, between.along(core.outlines(frames), ALONG), strict=True))
    others = core_cache.shapes(list(Shape.objects.filter(pk__in=in_front, shot=shot)))
    hidden: LRUCache[int, Flags] = LRUCache(PICTURES)
    lock = threading.Lock()

    def covered(frame: int) -> Flags | None:
        if not others:
            return None
        with lock:
            if frame not in hidden:
                hidden[frame] = cover_of(shot, list(others.values()), frame)
            return hidden[frame]

    def bender(frame: int) -> Bender:
        return Bender(pictures, frame, between.inside(outlines[frame], size), outlines[frame], hidden=covered)

    track = sheet_of(core)
    home = home if track is None else track.home
    path: dict[int, list[Any]] = {}
    done = begun

    def on_way(frame: int, outline: Floats, sure: float) -> bool:
        nonlocal done
        done += 1
        path[frame] = [frame, outline[:: max(1, len(outline) // TOLD)].round(1).tolist(), round(sure, 3)]
        return progress.so_far(min(done, progress.job.total), {"path": list(path.values())[-12:]})

    if track is not None and track.sheet is not None:
        if home not in outlines:  # its key was taken away: there the sheet is at rest, whatever lies on it
            outlines[home] = between.along(core.outlines(np.array([home])), ALONG)[0]
        return Drawing(bender=bender, outlines=outlines, home=home, lattice=track.sheet, known=between.known_of(track), on_way=on_way)
    return Drawing(bender=bender, outlines=outlines, home=home, lattice=bender(home).lattice, on_way=on_way)


def _draw(job: Job, progress: Progress) -> str:
    """Draw what was asked for. Safe to run again: it begins anew, and writes once at its end."""
    said, shot = DrawSettings(**job.settings), job.shot
    row = closed_row(shot, job.subject)
    progress.begin(progress.job.total)
    drawing = drawn(shot, core_cache.shapes([row])[job.subject], said, progress)
    if len(drawing.known) > 1:
        _write(job.user, job, drawing)
    return drawing.why


def drawn(shot: Shot, core: CoreShape, said: DrawSettings, progress: Progress, begun: int = 0) -> Drawing:
    """The sheets by which the picture draws a shape; nothing is written. begun: steps of the work that were done before."""
    ways = wanted(shot, core, said)
    plate = shot.plates.first()
    assert plate is not None, "see `_prepare`"
    pictures = Pictures(plate)
    try:
        home = min(f for way in ways for f in way if f in keys_of(core))
        drawing = _drawing(shot, core, pictures, home, said.in_front, progress, begun)
        between.stretches(drawing, ways)
    finally:
        pictures.close()
    return drawing


@transaction.atomic
def _write(user: User, job: Job, drawing: Drawing) -> None:
    """Put the track, and the shape that rides on it, into the shot as it is now, as an edit of whoever asked."""
    shot = shot_for(user, job.shot_id, "trace", lock=True)
    row = closed_row(shot, job.subject)
    core = core_cache.shapes([row])[job.subject]
    old = sheet_of(core)
    name = old.name if old is not None else lookups.free_track_name(shot, f"{core.name} drawn"[:60])
    made = between.as_track(drawing, old.id if old is not None else str(uuid.uuid4()), name)
    changes = []
    if old is not None:
        changes.append(track_change(Track.objects.get(pk=old.id), made))
    else:
        changes.append(change("track", [made.id], None, new_track_data(made, None)))
    try:
        after = ride.take_up(core, made)
    except RotoError as error:
        raise Refused(error.message) from error
    first, last = int(made.points.frames[0]), int(made.points.frames[-1])
    own = DrawSettings(**job.settings).follows
    follows = shot.edits.filter(pk=own, user=job.user).first() if own else None
    changes += compare(core.id, core, after)
    actions.save(user, shot, f"let the picture draw {core.name} over {first}-{last}", changes, follows)


DRAWING = register(
    Kind(name="shape.draw", may="trace", busy="This shape is being drawn already.", settings=DrawSettings, prepare=_prepare, run=_draw)
)
