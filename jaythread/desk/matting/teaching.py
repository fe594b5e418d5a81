"""Taught lines at the desk: frames finished and opened again, what they teach, and the rest of the range filled by it."""

import uuid
from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace
from functools import partial
from typing import Any

import cv2
import numpy as np
from django.core.cache import cache
from django.db import transaction

from jaythread.desk.document import lookups
from jaythread.desk.document.as_data import entry_data
from jaythread.desk.edit import actions
from jaythread.desk.edit.row_changes import change
from jaythread.desk.matting.fringes import Files, ShotFringes, clear_out, place_of
from jaythread.desk.matting.lessons import FinishedFrames, Models, Parts, Unseen
from jaythread.desk.models import Edit
from jaythread.errors import NotThere, Refused
from jaythread.jobs import actions as jobs
from jaythread.jobs import near
from jaythread.jobs.models import BUSY, Job
from jaythread.jobs.progress import Progress
from jaythread.jobs.registry import Kind, Prepared, register
from jaythread.plates import frames as plate_frames
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, shot_for
from roto.errors import Cancelled
from roto.matte.modes import TEACH
from roto.matte.render import render
from roto.matte.stack import Finished, Source
from roto.matte.stack import Matte as CoreMatte
from roto.matte.teaching import advice, pairs
from roto.matte.teaching.lessons import Lesson
from roto.matte.teaching.model import HALF, Model, Seen, said_by, teach
from roto.matte.teaching.taught import Taught
from roto.matte.teaching.trees import MOST as TREES
from roto.picture.stills import encode_picture

LESSONS = 60
"""finished frames of a line: more are drawing, not teaching"""
FEWEST = 2
WORTH = 6
"""trees that take as long to grow as a frame takes to fill: progress counts in trees"""
SHARE = 3
"""frames that are worth another worker"""
LOOKED_AT = 24
"""frames of a range that advice looks at"""
BESIDE = 3
"""frames before and after with which a pair is compared"""
WIDEST = 1200
"""px of a pair's picture"""
EDGE = (31, 111, 156)
"""the colour of a matte's edge over the plate"""
KEPT = 24 * 3600
"""seconds: how long it is known how a pair lies"""


def finish(user: User, shot_id: int, entry_id: uuid.UUID, frame: int) -> Edit:
    """The matte of a frame, as it is now, is finished: it teaches a line, and within its band the frame stays as it is."""
    shot = shot_for(user, shot_id, "trace")
    entry, matte, at = place_of(shot, entry_id, TEACH)
    if not (matte.first <= frame <= matte.last and matte.entries[at].shape.is_live(frame)):
        raise Refused(f"'{entry.shape.name}' is not live on frame {frame}: nothing of it can be finished there.")
    source = matte.entries[at].source
    if len(source.finished) >= LESSONS and source.on(frame) is None:
        raise Refused(f"{LESSONS} frames are finished already. Open one again that is like its neighbours.")
    solver = ShotFringes(shot, steady=False).ready(matte)
    alpha = render(replace(matte, inverted=False), frame, depth="16", threads=2, fringes=solver).alpha
    drawn = solver.taught.drawn(matte, at, [frame])[frame]
    file = FinishedFrames(shot.pk).put(np.asarray(alpha))
    one = Finished(frame=frame, file=file, drawn=drawn)
    return _write(user, shot_id, entry_id, lambda now: now.with_finished(one), f"finished frame {frame} of {entry.shape.name}")


def open_again(user: User, shot_id: int, entry_id: uuid.UUID, frame: int) -> Edit:
    """A finished frame is open again: it teaches no more."""
    shot = shot_for(user, shot_id, "trace")
    entry, matte, at = place_of(shot, entry_id, TEACH)
    if matte.entries[at].source.on(frame) is None:
        raise Refused(f"Frame {frame} is not finished.")
    return _write(user, shot_id, entry_id, lambda now: now.without(frame), f"opened frame {frame} of {entry.shape.name} again")


@transaction.atomic
def _write(user: User, shot_id: int, entry_id: uuid.UUID, change_it: Callable[[Source], Source], summary: str) -> Edit:
    """A line's source changed, as an edit like all others."""
    shot = shot_for(user, shot_id, "trace", lock=True)
    row = lookups.line_row(shot, str(entry_id))
    before = entry_data(row)
    after = {**before, "source": change_it(Source.from_data(row.source)).as_data()}
    return actions.save(user, shot, summary[:200], [change("entry", [str(row.pk)], before, after)])


def standing(user: User, shot_id: int, entry_id: uuid.UUID) -> dict[str, Any]:
    """How a taught line stands: its finished frames, which of them are stale, or do not lie on their picture; frames that are filled; how
    far off it was on frames it had not seen; the frame to finish next, and why; how many frames of the working range are left to fill."""
    shot = shot_for(user, shot_id, "look")
    _, matte, at = place_of(shot, entry_id, TEACH)
    solver = ShotFringes(shot, wait=False).ready(matte)
    source = matte.entries[at].source
    stale = set(solver.taught.stale(matte, at))
    model = Models(shot.pk).get(source.model) if source.model else None
    new = bool(source.finished) and solver.taught.model_name(matte, at) != source.model
    known = model.unseen if model is not None and not new and len(model.unseen) == len(source.finished) else None
    finished = [
        {
            "frame": one.frame,
            "stale": one.frame in stale,
            "better_on": _better_on(solver, one),
            "off": known[k] if known else None,
            "unseen": Unseen(shot.pk, entry_id).path(one.file).exists(),
        }
        for k, one in enumerate(source.finished)
    ]
    filled = solver.standing(matte, at)
    after, why = _next(shot, solver, matte, at)
    unseen = float(np.mean(model.unseen)) if model is not None and model.unseen else None
    return {
        "finished": finished, "filled": filled, "taught": model is not None, "new": new, "unseen": unseen,
        "next": after, "why": why, "left": len({*_to_fill(shot, matte, at)} - {*filled}) if finished else 0,
    }  # fmt: skip


def pair(user: User, shot_id: int, entry_id: uuid.UUID, frame: int) -> np.ndarray:
    """A finished frame about the band, uint8 (h, 3 w, 3): the plate, the matte, and the matte's edge over the plate. NotThere where it is
    not finished, or its picture is not there."""
    shot = shot_for(user, shot_id, "look")
    _, matte, at = place_of(shot, entry_id, TEACH)
    solver = ShotFringes(shot, wait=False).ready(matte)
    lesson = solver.taught.lesson(matte, at, frame)
    if lesson is None:
        raise NotThere(f"Frame {frame} is not finished.")
    rows, columns = (np.flatnonzero(lesson.unknown.any(axis=way)) for way in (1, 0))
    there = np.s_[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
    plate = np.rint(lesson.picture[there] * 255).astype(np.uint8)
    grey = np.repeat(np.rint(lesson.alpha[there] * 255).astype(np.uint8)[:, :, None], 3, axis=2)
    over = plate.copy()
    lines, _ = cv2.findContours((grey[:, :, 0] > 127).astype(np.uint8), cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
    scale = min(1.0, WIDEST / (3 * plate.shape[1]))
    cv2.drawContours(over, lines, -1, EDGE, max(1, round(1 / scale)))
    return _shown(np.hstack([plate, grey, over]))


def unseen(user: User, shot_id: int, entry_id: uuid.UUID, frame: int) -> bytes:
    """A PNG of a finished frame about the band as it was said by trees that had not seen it: its plate, what was said, what was finished.
    NotThere where nothing was said of it."""
    shot = shot_for(user, shot_id, "look")
    _, matte, at = place_of(shot, entry_id, TEACH)
    one = matte.entries[at].source.on(frame)
    path = Unseen(shot.pk, entry_id).path(one.file) if one is not None else None
    if path is None or not path.exists():
        raise NotThere(f"Nothing was said of frame {frame} by what had not seen it.")
    return path.read_bytes()


def _beside(lesson: Lesson, said: np.ndarray) -> np.ndarray:
    """A lesson about the band, uint8 (h, 3 w, 3): its plate, what is said of it, and what was finished."""
    rows, columns = (np.flatnonzero(lesson.unknown.any(axis=way)) for way in (1, 0))
    there = np.s_[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
    grey = [np.repeat(one[there][:, :, None], 3, axis=2) for one in (said, lesson.alpha)]
    return _shown(np.rint(np.hstack([lesson.picture[there], *grey]) * 255).astype(np.uint8))


def _shown(wide: np.ndarray) -> np.ndarray:
    """A picture of three beside each other, no wider than a page is."""
    scale = min(1.0, WIDEST / wide.shape[1])
    return np.ascontiguousarray(cv2.resize(wide, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)) if scale < 1 else wide


def _better_on(solver: ShotFringes, one: Finished) -> int | None:
    """The frame that a finished matte lies better on than on its own."""
    plate = solver.plate
    name = f"pair-{one.file}-{one.frame}-{plate.pk}-{plate.display_version}" if plate is not None else "pair"
    known = cache.get(name)
    if known is None and plate is not None:
        known = (None,)
        alpha = solver.taught.finished(one.file)
        pictures = {}
        for frame in range(max(solver.shot.first, one.frame - BESIDE), min(solver.shot.last, one.frame + BESIDE) + 1):
            try:
                pictures[frame] = plate_frames.quick(plate, frame).astype(np.float32) / np.float32(255)
            except NotThere:
                continue
        if alpha is not None and one.frame in pictures:
            size = pictures[one.frame].shape[1::-1]
            known = (pairs.better_on(np.asarray(cv2.resize(alpha, size, interpolation=cv2.INTER_AREA), np.float32), one.frame, pictures),)
        cache.set(name, known, KEPT)
    return known[0] if known else None


def _next(shot: Shot, solver: ShotFringes, matte: CoreMatte, at: int) -> tuple[int | None, str]:
    """The frame to finish next, and why: the one that it is least sure of; before it is taught, the one that is least like the others."""
    source, shape = matte.entries[at].source, matte.entries[at].shape
    finished = [one.frame for one in source.finished]
    live = [f for f in range(shot.working[0], shot.working[1] + 1) if shape.is_live(f)]
    known = Models(shot.pk).doubts(source.model) if source.model and len(finished) > FEWEST else {}
    doubts = {f: known[key] for f, key in solver.taught.keys(matte, at, live).items() if key in known} if known else {}
    unsure = advice.least_sure(doubts, finished)
    if unsure is not None:
        return unsure, "there it is least sure"
    some = sorted({*live[:: max(1, len(live) // LOOKED_AT)], *live[-1:], *(f for f in finished if f in live)})
    if not some or solver.plate is None:
        return None, ""
    outlines = shape.outlines(np.array(some, dtype=np.int64))[:, :, :2]
    frames = {}
    for frame, outline in zip(some, outlines, strict=True):
        try:
            picture = plate_frames.quick(solver.plate, frame).astype(np.float32) / np.float32(255)
        except NotThere:
            continue
        frames[frame] = advice.described(outline, picture, picture.shape[1] / shot.width)
    found = advice.differs_most(frames, finished) if frames else None
    return found or (None, "")


def _prepare(shot: Shot, subject: str, settings: object) -> Prepared:
    entry, matte, at = place_of(shot, lookups.as_uuid(subject), TEACH)
    count = len(matte.entries[at].source.finished)
    if count < FEWEST:
        said = "No frame is finished yet" if count == 0 else "One frame is finished"
        raise Refused(f"{said}. Finish at least {FEWEST} that differ (in pose, size or ground), then teach '{entry.shape.name}'.")
    if shot.plates.first() is None:
        raise Refused("The shot has no plate to learn from. Bring one in first.")
    return Prepared(total=2 * HALF + TREES + WORTH * len(_to_fill(shot, matte, at)))


def _to_fill(shot: Shot, matte: CoreMatte, at: int) -> list[int]:
    """Frames of the working range, those nearest to finished ones first."""
    finished = [one.frame for one in matte.entries[at].source.finished]
    live = [f for f in range(shot.working[0], shot.working[1] + 1) if matte.entries[at].shape.is_live(f)]
    return sorted(live, key=lambda f: (min((abs(f - one) for one in finished), default=0), f))


def _teach(job: Job, progress: Progress) -> str:
    """Teach a line what its finished frames say, and fill the rest of the working range. Safe to run again: what was taught and filled
    stays. Edits made meanwhile count from the next frame on."""
    entry_id = lookups.as_uuid(job.subject)
    entry, matte, at = place_of(job.shot, entry_id, TEACH)
    models, solver = Models(job.shot_id), ShotFringes(job.shot).ready(matte)
    name = solver.taught.model_name(matte, at)
    total = 2 * HALF + TREES
    progress.begin(total + WORTH * len(_to_fill(job.shot, matte, at)))
    if not models.has(name):
        Unseen(job.shot_id, entry.pk).drop()
        models.put(name, _model(job.shot, entry.pk, solver.taught, matte, at, progress))
        Parts(job.shot_id, name).drop()
    if matte.entries[at].source.model != name:
        _write(job.user, job.shot_id, entry_id, lambda now: replace(now, model=name), f"taught {entry.shape.name}")
    workers = min(max(2, near.count()), max(1, len(_to_fill(job.shot, matte, at)) // SHARE))
    for share in range(1, workers):
        with suppress(Refused):  # somebody has this share already
            jobs.start(job.user, job.shot, HELPING, f"{job.subject} {share} {workers}")
    _fill(job, lambda done: progress.step(total + WORTH * done), entry.pk, (0, workers))
    model = models.get(name)
    if model is not None:
        _show_unseen(job.shot, entry.pk, solver.taught, matte, at, model)
    clear_out(job.shot)
    return _ends(model)


def _model(shot: Shot, entry_id: uuid.UUID, taught: Taught, matte: CoreMatte, at: int, progress: Progress) -> Model:
    lessons = _lessons(taught, matte, at)
    files, pictures = {one.frame: one.file for one in matte.entries[at].source.finished}, Unseen(shot.pk, entry_id)
    found: dict[str, Any] = {}

    def told(done: int, total: int, off: float | None, seen: Seen | None) -> None:
        if seen is not None:
            lesson = lessons[seen[0]]
            pictures.put(files[lesson.frame], encode_picture(_beside(lesson, said_by(seen[1], lesson)), ".png"))
            found.update(frame=lesson.frame)
        if off is not None:
            found.update(off=round(off, 4))
        if not progress.so_far(done, found or None):
            progress.step(done)

    return teach(lessons, told, Parts(shot.pk, taught.model_name(matte, at)), partial(taught.steadies, matte, at))


def _lessons(taught: Taught, matte: CoreMatte, at: int) -> list[Lesson]:
    """Of the finished frames that are still there."""
    each = (taught.lesson(matte, at, one.frame) for one in matte.entries[at].source.finished)
    return [one for one in each if one is not None]


def _show_unseen(shot: Shot, entry_id: uuid.UUID, taught: Taught, matte: CoreMatte, at: int, model: Model) -> None:
    """Of every finished frame a picture of what the half says of it that has not seen it."""
    files = {one.frame: one.file for one in matte.entries[at].source.finished}
    for k, lesson in enumerate(_lessons(taught, matte, at) if len(model.halves) > 1 else ()):
        said = said_by(model.halves[1 - k % 2], lesson, model.levels)
        Unseen(shot.pk, entry_id).put(files[lesson.frame], encode_picture(_beside(lesson, said), ".png"))


def _shared(frames: list[int], share: int, of: int) -> list[int]:
    """The order in which one of several workers goes through frames: a stretch of its own in the order given, then what is left of the
    others' from the end. Frames side by side are one worker's: to steady a frame its neighbours are looked at as well."""
    own = {*np.array_split(sorted(frames), of)[share].tolist()}
    return [f for f in frames if f in own] + [f for f in reversed(frames) if f not in own]


def _fill(job: Job, told: Callable[[int], None], entry_id: uuid.UUID, share: tuple[int, int]) -> None:
    """Every frame of the working range that is not filled yet. told: hears how many are there; what it raises ends it. share: which of how
    many workers this is."""
    models, files = Models(job.shot_id), Files(job.shot_id)
    shot = Shot.objects.get(pk=job.shot_id)
    _, matte, at = place_of(shot, entry_id, TEACH)
    solver = ShotFringes(shot).ready(matte)
    frames = _to_fill(shot, matte, at)
    known = models.doubts(matte.entries[at].source.model)
    for frame in _shared(frames, *share):
        told(len({*solver.standing(matte, at)}.intersection(frames)))
        fresh = Shot.objects.get(pk=job.shot_id)
        if fresh.revision != shot.revision:
            shot = fresh
            _, matte, at = place_of(shot, entry_id, TEACH)
            solver = ShotFringes(shot).ready(matte)
        solver.solved(matte, at, frame)
        key = solver.taught.keys(matte, at, [frame]).get(frame, "")
        alone = files.get(key) if key not in known else None
        if alone is not None:
            models.doubt(matte.entries[at].source.model, key, alone.doubt)


def _help(job: Job, progress: Progress) -> str:
    """Fill one worker's share of the frames while the one that teaches fills its own: a frame that is there is not made twice."""
    entry, share, of = job.subject.split()

    def told(done: int) -> None:
        progress.step(done)
        if not Job.objects.filter(kind=TEACHING.name, subject=entry, state__in=BUSY).exists():
            raise Cancelled

    with suppress(Cancelled):
        _fill(job, told, lookups.as_uuid(entry), (int(share), int(of)))
    return ""


def _ends(model: Model | None) -> str:
    if model is None or not model.unseen:
        return ""
    off = 100 * float(np.mean(model.unseen))
    return f"Each finished frame was tried by a half that had not seen it: alpha was off by {off:.1f} % in the band, on the mean."


HELPING = register(Kind(name="taught.fill", may="trace", run=_help))
TEACHING = register(Kind(name="taught.teach", may="trace", busy="This line is being taught already.", prepare=_prepare, run=_teach))
