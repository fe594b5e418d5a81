"""Following a track through the plate: at once for a frame or two, as a job for more."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import lru_cache
from typing import Any
from uuid import UUID

import numpy as np
from django.db import transaction
from pydantic import BaseModel

from jaythread.desk.document import core_cache, lookups
from jaythread.desk.edit import actions
from jaythread.desk.edit.commands.tracks import track_change
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
from roto.arrays import Floats
from roto.picture.cuts import take_of
from roto.track import track as core
from roto.track.align import MOVE, PERSPECTIVE, SIMILAR, Grey, grey_of, mapped
from roto.track.follow import Follower, Step, around_point
from roto.track.follow import holds as plane_holds
from roto.track.track import Track as CoreTrack

SHORT = 2
"""frames that are followed at once; more are a task"""
AHEAD = 2
"""frames that are read while another is looked at"""


class FollowSettings(BaseModel):
    """frame, to: where to begin and how far to go, in either direction. proxies: read the small pictures instead of the full ones."""

    frame: Frame
    to: Frame
    proxies: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Run:
    """A following under way: the shot, the track, and the frames from `source` to `target`."""

    shot: Shot
    row: Track
    source: int
    target: int
    proxies: bool

    @property
    def way(self) -> int:
        """1 forwards, -1 backwards."""
        return 1 if self.target > self.source else -1


def _prepare(shot: Shot, subject: str, said: FollowSettings) -> Prepared:
    """There is a patch to look for, and a frame to go to."""
    row = lookups.track_row(shot, subject)
    if not row.data.get("patch"):
        raise Refused(f"'{row.name}' is laid by hand: there is no patch to look for. Begin a point or a plane instead.")
    to = min(shot.last, max(shot.first, said.to))
    if said.frame == to:
        raise Refused("There is no frame to follow to in that direction.")
    begin, end = _take(shot, said.frame)
    if not begin <= to <= end and said.frame == (end if to > said.frame else begin):
        raise Refused(_cut_at(end if to > said.frame else begin - 1))
    return Prepared(total=abs(to - said.frame), settings={**said.model_dump(), "to": to})


def _take(shot: Shot, frame: int) -> tuple[int, int]:
    """The frames of the take that a frame belongs to: a track does not go over a cut."""
    plate = shot.plates.first()
    return take_of(plate.cut_frames if plate else [], frame, shot.first, shot.last)


def _cut_at(frame: int) -> str:
    return f"The picture is cut between {frame} and {frame + 1}: another take begins there."


def holds(user: User, shot_id: int, track_id: UUID, frame: int) -> dict[str, Any]:
    """How well a plane holds on a frame: [x, y, how far the picture lies from there in x and y, how sure] of places in it."""
    shot = shot_for(user, shot_id, "look")
    row = lookups.track_row(shot, str(track_id))
    track, patch, plate = core_cache.track(row), row.data.get("patch"), shot.plates.first()
    if not patch or "shape" not in patch:
        return {"frame": frame, "ticks": []}
    home, here = (_grey(plate, f, False, (shot.width, shot.height)) for f in (patch["frame"], frame))
    corners = track.points_at(float(patch["frame"]), patch["frame"])[0]
    ticks = plane_holds(home, here, corners, _map_on(row, track, patch, frame))
    return {"frame": frame, "ticks": ticks.round(3).tolist()}


def _follow(job: Job, progress: Progress) -> str:
    """Follow what was asked for. Safe to run again: it begins anew, and writes the track once at its end."""
    said = FollowSettings(**job.settings)
    row = lookups.track_row(job.shot, job.subject)
    begin, end = _take(job.shot, said.frame)
    target = min(end, max(begin, said.to))
    run = Run(shot=job.shot, row=row, source=said.frame, target=target, proxies=said.proxies)
    found, why = _found(run, progress)
    if not why and target != said.to:
        why = _cut_at(end if said.to > end else begin - 1)
    if found:
        _write(run, job.user, found)
    return why


def _found(run: Run, progress: Progress) -> tuple[list[Step], str]:
    """The frames that were found, and why no more were."""
    track, patch, way = core_cache.track(run.row), run.row.data["patch"], run.way
    follower = _follower(run.shot, track, patch, _pictures(run))
    frames = list(range(run.source + way, run.target + way, way))
    begin = _map_on(run.row, track, patch, run.source)
    known = {f: _map_on(run.row, track, patch, f) for f in frames if f in track.manual}
    home = track.points_at(float(patch["frame"]), patch["frame"])[0]
    found: list[Step] = []
    path: list[Any] = []
    progress.begin(len(frames))
    for step in follower.follow([run.source, *frames], {run.source: begin, **known}):
        if step.frame == run.source:
            continue
        if step.map is None:
            return found, f"{step.why} The last good frame is {step.frame - way}."
        found.append(step)
        path.append([step.frame, mapped(step.map, home).round(2).tolist(), round(step.confidence, 3)])
        if not progress.so_far(len(found), {"path": path}):
            return found, "Stopped."
    return found, ""


def _pictures(run: Run) -> Callable[[int], Grey]:
    """Reads the plate's frames; the next one in the direction of the work is read while this one is looked at."""
    plate, size = run.shot.plates.first(), (run.shot.width, run.shot.height)
    way = run.way
    read = lru_cache(AHEAD + 2)(lambda frame: pool.submit(_grey, plate, frame, run.proxies, size))
    pool = ThreadPoolExecutor(AHEAD)

    def picture(frame: int) -> Grey:
        for later in range(frame + way, frame + way * (AHEAD + 1), way):
            if min(run.source, run.target) <= later <= max(run.source, run.target):
                read(later)
        return read(frame).result()

    return picture


def _grey(plate: Plate | None, frame: int, proxies: bool, size: tuple[int, int]) -> Grey:
    if proxies and plate is not None:
        return grey_of(plate_frames.from_proxy(plate, frame, size))
    return grey_of(plate_frames.as_bytes(plate, frame))


def _map_on(row: Track, track: CoreTrack, patch: dict[str, Any], frame: int) -> Floats:
    """The map from the patch's frame to another, as the track stands: a point's turn and size are those that were found there."""
    source = track.points_at(float(patch["frame"]), patch["frame"])[0]
    target = track.points_at(float(frame), frame)
    if track.points.parts == 4:
        return core.maps_between(source, target, PERSPECTIVE)[0]
    linear = row.data.get("linear", {}).get(str(frame))
    if linear is None:
        return core.maps_between(source, target, MOVE)[0]
    out = np.eye(3)
    out[:2, :2] = np.array(linear).reshape(2, 2)
    out[:2, 2] = target[0, 0] - out[:2, :2] @ source[0]
    return out


def _follower(shot: Shot, track: CoreTrack, patch: dict[str, Any], picture: Callable[[int], Grey]) -> Follower:
    frame = patch["frame"]
    if "shape" not in patch:
        x, y = track.points_at(float(frame), frame)[0, 0]
        box = around_point(float(x), float(y), float(patch["half"]))
        return Follower(picture, frame, box, model=patch.get("model", SIMILAR), search=patch["search"])
    row = Shape.objects.filter(pk=patch["shape"], shot=shot).first()
    if row is None:
        raise Refused("The shape whose picture was followed is not there any more. Begin a new plane.")
    others = list(Shape.objects.filter(pk__in=patch.get("holds_out", []), shot=shot))
    shapes = core_cache.shapes([row, *others])

    def cover(which: list[str], at: int) -> np.ndarray:
        return cover_of(shot, [shapes[one] for one in which], at)

    mask = cover([str(row.pk)], frame)
    rows, columns = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    if not len(rows):
        raise Refused(f"'{row.name}' does not lie in the picture on frame {frame}.")
    box = (int(columns[0]), int(rows[0]), int(columns[-1]) + 1, int(rows[-1]) + 1)
    held_out = [str(s.pk) for s in others]
    return Follower(
        picture, frame, box, mask[box[1] : box[3], box[0] : box[2]], model=patch.get("model", PERSPECTIVE), search=patch["search"],
        held_out=(lambda f: cover(held_out, f)) if held_out else (lambda f: None),
    )  # fmt: skip


@transaction.atomic
def _write(run: Run, user: User, found: list[Step]) -> None:
    """Put what was found into the track as it is now, as an edit of whoever asked."""
    shot = shot_for(user, run.shot.pk, "trace", lock=True)
    row = lookups.track_row(shot, str(run.row.pk))
    frames = [step.frame for step in found]
    maps = [step.map for step in found if step.map is not None]
    after = core.followed(core_cache.track(row), frames, maps, [step.confidence for step in found], row.data["patch"]["frame"])
    linear = None
    if after.points.parts == 1:
        turned = {str(step.frame): (step.map[:2, :2] / step.map[2, 2]).ravel().tolist() for step in found if step.map is not None}
        linear = {**row.data.get("linear", {}), **turned}
    first, last = min(frames), max(frames)
    summary = f"followed {row.name} over {first}-{last}" if first != last else f"followed {row.name} to {first}"
    actions.save(user, shot, summary, [track_change(row, after, linear=linear)])


FOLLOWING = register(
    Kind(
        name="track.follow", may="trace", busy="This track is being followed already.", settings=FollowSettings, prepare=_prepare,
        run=_follow, at_once=SHORT,
    )
)  # fmt: skip
