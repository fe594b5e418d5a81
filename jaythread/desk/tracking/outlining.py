"""An outline made of a taught line: its solid part as a shape of few points, keyed where frames were finished, drawn by the picture
between them. What no outline follows stays with the taught line."""

import uuid
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np
from django.db import transaction

from jaythread.desk.document import lookups
from jaythread.desk.document.as_data import new_track_data
from jaythread.desk.edit import actions
from jaythread.desk.edit.row_changes import change, compare
from jaythread.desk.matting.fringes import ShotFringes, place_of
from jaythread.desk.tracking.drawing import DrawSettings, Pictures, drawn
from jaythread.errors import Refused
from jaythread.jobs.models import Job
from jaythread.jobs.progress import Progress
from jaythread.jobs.registry import Kind, Prepared, register
from jaythread.productions.models import Shot
from jaythread.productions.policies import shot_for
from roto.arrays import Flags, Floats
from roto.errors import Cancelled, RotoError
from roto.matte.modes import TEACH
from roto.matte.render import render
from roto.matte.stack import Entry, Matte
from roto.matte.teaching.outline import OFF_ENOUGH, Outlined, contour, outlined
from roto.motion.shape import CLOSED
from roto.motion.shape import Shape as CoreShape
from roto.track import between, ride
from roto.track.bend import Bender
from roto.track.track import Track as CoreTrack

TOLERANCE = 1.0
"""px that the outline may be off the matte's edge on a key"""
SHARE = 4
"""frames for each key, at the least: more keys are no outline to go on with"""
FEWEST = 2
SOFT = 3
"""px around other shapes that are taken for their soft edge"""
FAR = 2.0
"""px, on the mean over a frame: an outline that lies farther off is not right there"""
STEPS = 4
"""of each frame: its edge is read, it is led there, drawn forwards and backwards"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Made:
    """A shape, the track that it rides on if the picture draws it; off: px on the mean, px on the worst frame, and which that is."""

    shape: CoreShape
    track: CoreTrack | None
    off: tuple[float, float, int]

    @classmethod
    def of(cls, found: Outlined, shape: CoreShape, track: CoreTrack | None = None) -> "Made":
        """Measured on all frames."""
        off = found.off(shape)
        worst = max(off, key=lambda f: off[f])
        return cls(shape=shape, track=track, off=(float(np.mean(list(off.values()))), off[worst], worst))


def _filled(shot: Shot, subject: str) -> tuple[Matte, int, ShotFringes, list[int]]:
    """The matte of a taught line, which of its lines it is, and its frames that are filled by what was taught last."""
    entry, matte, at = place_of(shot, lookups.as_uuid(subject), TEACH)
    solver = ShotFringes(shot, wait=False).ready(matte)
    frames = solver.standing(matte, at) if matte.entries[at].source.model else []
    if len(frames) < FEWEST:
        raise Refused(f"'{entry.shape.name}' is not filled yet. Finish frames and teach it, then make an outline of it.")
    return matte, at, solver, frames


def _prepare(shot: Shot, subject: str, settings: Any) -> Prepared:
    _, _, _, frames = _filled(shot, subject)
    if shot.plates.first() is None:
        raise Refused("The shot has no plate by which an outline could be drawn. Bring one in first.")
    return Prepared(total=STEPS * len(frames))


def _area(shape: CoreShape, frame: int, size: tuple[int, int]) -> Flags:
    """Which pixels (h, w) lie inside of a shape."""
    return between.inside(between.along(shape.outlines(np.array([frame])), 60)[0], size)


def _subject(matte: Matte, at: int, frame: int) -> CoreShape | None:
    """What a line is about: of the shapes that add below it the one that lies in it with most of its area."""
    within = _area(matte.entries[at].shape, frame, matte.size)

    def share(shape: CoreShape) -> float:
        there = _area(shape, frame, matte.size)
        return float(within[there].mean()) if there.any() else 0.0

    below = [one.shape for one in matte.entries[:at] if _adds(one) and one.shape.is_live(frame)]
    found = max(below, key=share, default=None)
    return found if found is not None and share(found) > 0 else None


def _adds(line: Entry) -> bool:
    return line.mode == "add" and line.shape.kind == CLOSED


def _others(matte: Matte, subject: CoreShape | None, frames: list[int]) -> list[CoreShape]:
    """Other things of the matte: what adds to it for longer than a correction does."""
    found = [one.shape for one in matte.entries if _adds(one) and subject is not None and one.shape.id != subject.id]
    return [shape for shape in found if sum(shape.is_live(f) for f in frames) > len(frames) / 2]


def _within(matte: Matte, at: int, subject: CoreShape | None, things: list[CoreShape], frame: int) -> Flags:
    """Where the edge of a line's thing is looked for: in its band, but for what other things cover, and in the shape that it is about."""
    line = _area(matte.entries[at].shape, frame, matte.size)
    if subject is None:
        return line
    others = np.zeros(line.shape, np.uint8)
    for shape in things:
        if shape.is_live(frame):
            others |= _area(shape, frame, matte.size)
    near = cv2.dilate(others, np.ones((2 * SOFT + 1, 2 * SOFT + 1), np.uint8)) > 0
    return np.asarray(_area(subject, frame, matte.size) | (line & ~near))


def _contours(matte: Matte, at: int, solver: ShotFringes, frames: list[int], progress: Progress) -> dict[int, Floats]:
    """By frame, the edge of what is solid of the line's thing."""
    whole, subject, out = replace(matte, inverted=False), _subject(matte, at, frames[0]), {}
    things = _others(matte, subject, frames)
    for done, frame in enumerate(frames):
        progress.step(done)
        alpha = np.asarray(render(whole, frame, fringes=solver).alpha, np.float32)
        out[frame] = contour(alpha, _within(matte, at, subject, things, frame), frame)
    return out


def _found(shot: Shot, contours: dict[int, Floats], keyed: list[int], progress: Progress) -> Outlined:
    """Few points along contours, led by the picture."""
    plate = shot.plates.first()
    assert plate is not None, "see `_prepare`"
    pictures, done = Pictures(plate), len(contours)

    def carried(key: int, frames: Sequence[int], places: Floats) -> Iterator[tuple[int, Floats]]:
        nonlocal done
        try:
            bender = Bender(pictures, key, between.inside(places, (shot.width, shot.height)), places)
        except RotoError:  # nothing to hold on to: places go by their share of the length
            return
        for one in bender.follow(frames):
            done += 1
            progress.step(done)
            if one.control is None:
                return
            yield one.frame, bender.places(one.control)

    try:
        return outlined(contours, keyed, carried, TOLERANCE)
    finally:
        pictures.close()


def _best(shot: Shot, found: Outlined, first: CoreShape, keyed: list[int], progress: Progress) -> Made:
    """Drawn by the picture between the keys, or with more keys and straight in-betweens where that lies nearer."""
    straight = Made.of(found, first)
    if straight.off[1] <= OFF_ENOUGH:
        return straight
    choices = [straight, *_drawn(shot, found, first, keyed, progress)]
    if choices[-1].off[1] > OFF_ENOUGH:
        keys = found.keys_wanted(keyed, max(len(keyed), len(found.rings) // SHARE))
        choices.append(Made.of(found, replace(found.shape(first.id, first.name, keys, first.colour), live=first.live)))
    return min(choices, key=lambda made: made.off[1])


def _drawn(shot: Shot, found: Outlined, first: CoreShape, keyed: list[int], progress: Progress) -> list[Made]:
    """The shape as the picture draws it between its keys; nothing where there is nothing to draw it by."""
    try:
        drawing = drawn(shot, first, DrawSettings(frame=keyed[0], in_front=[]), progress, begun=2 * len(found.rings))
        if drawing.stopped:
            raise Cancelled
        track = between.as_track(drawing, str(uuid.uuid4()), lookups.free_track_name(shot, f"{first.name} drawn"[:60]))
        return [Made.of(found, ride.take_up(first, track), track)]
    except Cancelled:
        raise
    except RotoError:
        return []


def _outline(job: Job, progress: Progress) -> str:
    """Make the shape, and put it on top of the stack. Safe to run again: it writes once at its end."""
    shot = job.shot
    matte, at, solver, frames = _filled(shot, job.subject)
    progress.begin(STEPS * len(frames))
    line = matte.entries[at]
    finished = [one.frame for one in line.source.finished if one.frame in frames]
    keyed = sorted({*finished, frames[0], frames[-1]})
    found = _found(shot, _contours(matte, at, solver, frames, progress), keyed, progress)
    name = lookups.free_shape_name(shot, f"{line.shape.name} outline"[:60])
    first = replace(found.shape(str(uuid.uuid4()), name, keyed, (line.shape.colour + 1) % 8), live=line.shape.live)
    made = _best(shot, found, first, keyed, progress)
    _write(job, made)
    return f"Made {_described(made)}. {_away(made)}"


def _described(made: Made) -> str:
    how = ", drawn by the picture between them" if made.track is not None else ""
    return f"{made.shape.name}: {len(made.shape.kinds)} points, {len(made.shape.form.frames)} keys{how}"


def _away(made: Made) -> str:
    mean, worst, frame = made.off
    more = " Finish that frame as well and make it again, or leave it taught." if worst > FAR else ""
    return f"It is off by {mean:.2f} px on the mean, by {worst:.2f} px on the worst frame, {frame}.{more}"


@transaction.atomic
def _write(job: Job, made: Made) -> None:
    """The shape on top of the stack, and the track that it rides on, as one edit of whoever asked."""
    shot = shot_for(job.user, job.shot_id, "trace", lock=True)
    entry, _, _ = place_of(shot, lookups.as_uuid(job.subject), TEACH)
    shape = made.shape
    changes = [change("track", [made.track.id], None, new_track_data(made.track, None))] if made.track is not None else []
    changes += [
        *compare(shape.id, None, shape),
        change("entry", [str(uuid.uuid4())], None, lookups.entry_on_top(entry.matte, shape.id, "add")),
    ]
    actions.save(job.user, shot, f"made {_described(made)}"[:200], changes)


OUTLINING = register(
    Kind(name="taught.outline", may="trace", busy="An outline is being made of this line already.", prepare=_prepare, run=_outline)
)
