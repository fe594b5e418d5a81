"""Reading the frames of a matte as a job: only those that changed since, and what is found told while it goes on."""

import hashlib
import time
from dataclasses import dataclass

from jaythread.desk.document import lookups
from jaythread.jobs.models import Job
from jaythread.jobs.progress import Progress
from jaythread.jobs.registry import Kind, Prepared, register
from jaythread.productions.models import Shot
from jaythread.review import judging
from jaythread.review.models import FrameCheck
from jaythread.review.reader import Read, Reader, read_of
from roto.package.cache_keys import matte_keys

METHOD = "4"
"""a part of every key: raised when the same frame would be read otherwise"""
EVERY = 6
"""frames: every so many the edge is held against the plate's, and other mattes against this one"""
TELL_EVERY = 1.0
"""seconds after which what was found so far is told, unless the rest is there in that time"""
UNKNOWN = ["", ""]
KEPT_AT_ONCE = 40
"""frames that are written together"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Keys:
    """What each frame of a matte is read from, by frame: its own shapes; it and its neighbours; and its edges, on the frames where they
    are read."""

    own: dict[int, str]
    frames: dict[int, str]
    edges: dict[int, str]


def keys_of(shot: Shot, read: Read) -> Keys:
    """The keys of the working range as the shapes are now."""
    first, last = shot.working
    frames = range(first, last + 1)
    plate = read.plate
    common = f"{METHOD} {plate.pk if plate else 0} {plate.display_version if plate else 0}"
    own = read.solver.frame_keys(read.core, frames)
    around = {f: _mixed(common, *(own.get(k, "") for k in (f - 1, f, f + 1))) for f in frames}
    beside = [matte_keys(other, frames) for other in read.others.values()]
    chosen = [f for f in frames if (f - first) % EVERY == min(EVERY // 2, (last - first) // 2)]
    return Keys(own=own, frames=around, edges={f: _mixed(around[f], *(keys[f] for keys in beside)) for f in chosen})


def _mixed(*parts: str) -> str:
    return hashlib.blake2b("\n".join(parts).encode(), digest_size=20).hexdigest()


def _prepare(shot: Shot, subject: str, settings: object) -> Prepared:
    """The matte is there."""
    lookups.matte_row(shot, subject)
    return Prepared()


def _measure(job: Job, progress: Progress) -> str:
    """Read what has changed of the working range; safe to run again. What is found is told while it goes on."""
    row = lookups.matte_row(job.shot, job.subject)
    held = read_of(job.shot, row, job.shot.plates.first())
    keys = keys_of(job.shot, held)
    known = {frame: both for frame, *both in row.checks.values_list("frame", "key", "edges_key")}
    stale = [f for f, key in keys.frames.items() if known.get(f, UNKNOWN)[0] != key]
    edged = [f for f, key in keys.edges.items() if known.get(f, UNKNOWN)[1] != key]
    progress.begin(len(stale) + len(edged))
    begun = told = time.monotonic()
    done = 0
    reader = Reader(job.shot, row, held, keys.own)
    fresh: list[FrameCheck] = []
    for frame, read, small, edge in reader.frames(stale, set(edged)):
        fresh.append(FrameCheck(matte=row, frame=frame, key=keys.frames[frame], read=read, small=small))
        if edge is not None:
            fresh[-1].edges, fresh[-1].edges_key = edge, keys.edges[frame]
        done += 1 if edge is None else 2
        now = time.monotonic()
        tell = now - told > TELL_EVERY and (now - begun) / done * (job.total - done) > TELL_EVERY
        if len(fresh) >= KEPT_AT_ONCE or tell:
            _keep(fresh)
            fresh = []
        if tell:
            judging.judge(job.shot, row)
            told = time.monotonic()
        progress.step(done)
    _keep(fresh)
    for frame, read in reader.edges([f for f in edged if f not in set(stale)]):
        row.checks.filter(frame=frame).update(edges=read, edges_key=keys.edges[frame])
        done += 1
        progress.step(done)
    judging.judge(job.shot, row, whole=True)
    return ""


def _keep(fresh: list[FrameCheck]) -> None:
    """Write what was read of frames; edges that were not read now stay as they were."""
    own = ["key", "read", "small"]
    for rows, fields in (([r for r in fresh if not r.edges_key], own), ([r for r in fresh if r.edges_key], [*own, "edges", "edges_key"])):
        FrameCheck.objects.bulk_create(rows, update_conflicts=True, unique_fields=["matte", "frame"], update_fields=fields)


READING = register(
    Kind(name="check.read", may="trace", busy="This matte is being checked already.", prepare=_prepare, run=_measure, warm=True),
)
