"""Following a track through the plate: at once for a frame or two, as a task with progress and cancel for more."""

import time
import uuid
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from functools import lru_cache
from typing import Any

import numpy as np
from django.db import transaction
from procrastinate.contrib.django import app

from jaythread.desk import actions, reading, scene, tracks
from jaythread.desk.models import Following, Shape, State, Track
from jaythread.errors import NotThere, Refused
from jaythread.plates.models import Plate
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, account, shot_for
from roto.errors import RotoError
from roto.matte.render import render
from roto.matte.shutter import Shutter
from roto.matte.stack import Entry
from roto.matte.stack import Matte as CoreMatte
from roto.motion.keys import Floats
from roto.track import track as core
from roto.track.align import MOVE, PERSPECTIVE, SIMILAR, Grey, grey_of, mapped
from roto.track.follow import Follower, Step, around_point
from roto.track.follow import holds as plane_holds
from roto.track.track import Track as CoreTrack

SHORT = 2
"""frames that are followed at once; more are a task"""
HELD_OUT = 0.5
"""alpha from which a pixel belongs to what stands in front"""
AHEAD = 2
"""frames that are read while another is looked at"""
TELL = 0.25
"""s between two reports of where the work is"""


@transaction.atomic
def ask(user: User, shot_id: int, track_id: uuid.UUID, frame: int, to: int, proxies: bool) -> Following:
    """Follow a track from a frame to another, in either direction."""
    shot = shot_for(user, shot_id, "trace")
    row = tracks.track_row(shot, str(track_id))
    if not row.data.get("patch"):
        raise Refused(f"'{row.name}' is laid by hand: there is no patch to look for. Begin a point or a plane instead.")
    if any(run.busy for run in row.followings.all()):
        raise Refused(f"'{row.name}' is being followed already.")
    to = min(shot.last, max(shot.first, to))
    if frame == to:
        raise Refused("There is no frame to follow to in that direction.")
    run = Following.objects.create(
        shot=shot, track=row, user_id=account(user), source=frame, target=to, total=abs(to - frame), proxies=proxies
    )
    if run.total > SHORT:
        app.configure_task("desk.follow", queue="desk").defer(following_id=run.pk)  # by name: tasks stand above actions
    return run


def begin(user: User, shot_id: int, track_id: uuid.UUID, frame: int, to: int, proxies: bool) -> Following:
    """`ask`, and a short one is done when this returns."""
    run = ask(user, shot_id, track_id, frame, to, proxies)
    if run.total <= SHORT:
        follow(run.pk)
        run.refresh_from_db()
    return run


def cancel(user: User, shot_id: int, following_id: int) -> None:
    """Ask for it to stop; what is found so far is kept."""
    shot = shot_for(user, shot_id, "trace")
    if not Following.objects.filter(pk=following_id, shot=shot).update(cancel=True):
        raise NotThere("That work is not there any more.")
    Following.objects.filter(pk=following_id, state=State.WAITING).update(state=State.CANCELLED)


def state(user: User, shot_id: int, track_id: uuid.UUID) -> dict[str, Any]:
    """How far the newest following of a track is, and its path so far."""
    shot = shot_for(user, shot_id, "look")
    run = tracks.track_row(shot, str(track_id)).followings.first()
    if run is None:
        return {}
    told = {name: getattr(run, name) for name in ("state", "done", "total", "message", "path", "source", "target")}
    return {"id": run.pk, **told}


def holds(user: User, shot_id: int, track_id: uuid.UUID, frame: int) -> dict[str, Any]:
    """How well a plane holds on a frame: [x, y, how far the picture lies from there in x and y, how sure] of places in it."""
    shot = shot_for(user, shot_id, "look")
    row = tracks.track_row(shot, str(track_id))
    track, patch, plate = scene.core_track(row), row.data.get("patch"), shot.plates.first()
    if not patch or "shape" not in patch:
        return {"frame": frame, "ticks": []}
    home, here = (_grey(plate, f, False, (shot.width, shot.height)) for f in (patch["frame"], frame))
    corners = track.points_at(float(patch["frame"]), patch["frame"])[0]
    ticks = plane_holds(home, here, corners, _map_on(row, track, patch, frame))
    return {"frame": frame, "ticks": ticks.round(3).tolist()}


def follow(following_id: int) -> None:
    """Follow what was asked for. Safe to run again: it begins anew, and writes the track once at its end."""
    run = Following.objects.select_related("shot", "track", "user").filter(pk=following_id).first()
    if run is None or not run.busy:
        return
    try:
        found, why = _found(run)
        if found:
            _write(run, found)
        stopped = Following.objects.filter(pk=run.pk, cancel=True).exists()
        ends = State.CANCELLED if stopped else State.DONE
        Following.objects.filter(pk=run.pk).update(state=ends, message=why[:400], done=len(found))
    except (RotoError, OSError) as error:
        Following.objects.filter(pk=run.pk).update(state=State.FAILED, message=str(error)[:400])


def _found(run: Following) -> tuple[list[Step], str]:
    track = scene.core_track(run.track)
    way = 1 if run.target > run.source else -1
    patch = run.track.data["patch"]
    picture = _pictures(run)
    follower = _follower(run.shot, track, patch, picture)
    frames = list(range(run.source + way, run.target + way, way))
    begin = _map_on(run.track, track, patch, run.source)
    known = {f: _map_on(run.track, track, patch, f) for f in frames if f in track.hand}
    found: list[Step] = []
    told = 0.0
    Following.objects.filter(pk=run.pk).update(state=State.WORKING)
    home = track.points_at(float(patch["frame"]), patch["frame"])[0]
    path: list[Any] = []
    for step in follower.follow([run.source, *frames], {run.source: begin, **known}):
        if step.frame == run.source:
            continue
        if step.map is None:
            return found, f"{step.why} The last good frame is {step.frame - way}."
        found.append(step)
        path.append([step.frame, mapped(step.map, home).round(2).tolist(), round(step.sure, 3)])
        if time.monotonic() - told > TELL:
            told = time.monotonic()
            if not Following.objects.filter(pk=run.pk, cancel=False).update(done=len(found), path=path):
                return found, "Stopped."
    Following.objects.filter(pk=run.pk).update(done=len(found), path=path)
    return found, ""


def _pictures(run: Following) -> Callable[[int], Grey]:
    """Reads the plate's frames; the next one in the direction of the work is read while this one is looked at."""
    plate, size = run.shot.plates.first(), (run.shot.width, run.shot.height)
    way = 1 if run.target > run.source else -1
    read = lru_cache(AHEAD + 2)(lambda frame: pool.submit(_grey, plate, frame, run.proxies, size))
    pool = ThreadPoolExecutor(AHEAD)

    def picture(frame: int) -> Grey:
        for later in range(frame + way, frame + way * (AHEAD + 1), way):
            if min(run.source, run.target) <= later <= max(run.source, run.target):
                read(later)
        return read(frame).result()

    return picture


def _grey(plate: Plate | None, frame: int, proxies: bool, size: tuple[int, int]) -> Grey:
    return grey_of(reading.bytes_of(plate, frame, proxies, size))


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
    shapes = scene.core_shapes([row, *others])
    size = (shot.width, shot.height)

    def cover(which: list[str], at: int) -> np.ndarray:
        lines = tuple(Entry(shape=replace(shapes[one], blur=False)) for one in which)
        matte = CoreMatte(
            shot=shot.name, name="patch", size=size, rate=shot.rate, first=at, last=at, shutter=Shutter(angle=0.0), entries=lines
        )
        return np.asarray(render(matte, at, threads=2).alpha > HELD_OUT)

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
def _write(run: Following, found: list[Step]) -> None:
    """Put what was found into the track as it is now, as an edit of whoever asked."""
    shot = shot_for(run.user, run.shot_id, "trace", lock=True)
    row = tracks.track_row(shot, str(run.track_id))
    patch = row.data["patch"]
    frames = [step.frame for step in found]
    maps = [step.map for step in found if step.map is not None]
    after = core.followed(scene.core_track(row), frames, maps, [step.sure for step in found], patch["frame"])
    change = tracks.change(row, after)
    if after.points.parts == 1:
        turned = {str(step.frame): (step.map[:2, :2] / step.map[2, 2]).ravel().tolist() for step in found if step.map is not None}
        change["after"]["data"]["linear"] = {**row.data.get("linear", {}), **turned}
    actions.apply(shot, [change])
    first, last = min(frames), max(frames)
    says = f"followed {row.name} over {first}-{last}" if first != last else f"followed {row.name} to {first}"
    actions.record(shot, run.user, uuid.uuid4(), says, [change])
