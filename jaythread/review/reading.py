"""Reading the frames of a matte as a job: only those that changed since, a few at a time, in time with their neighbours."""

import hashlib
import sys
import time
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from threading import Lock
from typing import Any

import cv2
import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from jaythread.desk.document import core_cache, lookups
from jaythread.desk.matting.fringes import ShotFringes
from jaythread.desk.models import Matte
from jaythread.errors import NotThere
from jaythread.jobs.models import Job
from jaythread.jobs.progress import Progress
from jaythread.jobs.registry import Kind, Prepared, register
from jaythread.plates import frames as plate_frames
from jaythread.plates.models import Plate
from jaythread.productions.models import Shot
from jaythread.review import judging
from jaythread.review.models import FrameCheck
from roto.check import edges, fringes, motion, neighbours, reading
from roto.errors import BadPicture
from roto.matte.modes import SOLVE
from roto.matte.render import FRINGE, Rendered, render
from roto.package.cache_keys import matte_keys
from roto.picture import png

METHOD = "2"
"""a part of every key: raised when the same frame would be read otherwise"""
SMALL = 320
"""px: the width of the small pictures on the sheet"""
EVERY = 6
"""frames: every so many the edge is held against the plate's, and other mattes against this one"""
WORKERS = 2
AHEAD = 3
"""frames that are rendered ahead"""
TURNS = 0.0005
"""seconds after which a thread lets another one on: reading is many short calls, which wait for each other otherwise"""
TELL_EVERY = 1.0
"""seconds after which what was found so far is told"""
KEPT_AT_ONCE = 12
"""frames that are written together"""
REMEMBERED = 192 << 20
"""bytes of plates that a worker keeps in memory: the next edit of a shot has the same frames read again"""
OTHERS = 4
"""mattes of the shot that are held against one"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Keys:
    """What each frame of a matte is read from, by frame: by itself and its neighbours; and its edges, on the frames where they are read."""

    frames: dict[int, str]
    edges: dict[int, str]


def keys_of(shot: Shot, row: Matte, plate: Plate | None) -> Keys:
    """The keys of the working range as the shapes are now."""
    first, last = shot.working
    frames = range(first, last + 1)
    core = core_cache.matte(shot, row)
    solver = ShotFringes(shot, wait=False, steady=False)
    shapes = matte_keys(core, frames, solver)
    common = f"{METHOD} {plate.pk if plate else 0} {plate.display_version if plate else 0}"
    # a fringe that was steadied since is another picture of the same shapes
    steadied = [set(solver.standing(core, at)) for at, entry in enumerate(core.entries) if entry.mode == SOLVE]
    own = {f: f"{shapes[f]} {[f in there for there in steadied]}" for f in frames}
    around = {f: _mixed(common, *(own.get(k, "") for k in (f - 1, f, f + 1))) for f in frames}
    beside = [matte_keys(core_cache.matte(shot, other), frames) for other in _others(shot, row)]
    chosen = [f for f in frames if (f - first) % EVERY == min(EVERY // 2, (last - first) // 2)]
    return Keys(frames=around, edges={f: _mixed(around[f], *(keys[f] for keys in beside)) for f in chosen})


def _mixed(*parts: str) -> str:
    return hashlib.blake2b("\n".join(parts).encode(), digest_size=20).hexdigest()


def _others(shot: Shot, row: Matte) -> list[Matte]:
    return list(shot.mattes.exclude(pk=row.pk)[:OTHERS])


def _prepare(shot: Shot, subject: str, settings: object) -> Prepared:
    """The matte is there."""
    lookups.matte_row(shot, subject)
    return Prepared()


def _measure(job: Job, progress: Progress) -> str:
    """Read what has changed of the working range; safe to run again. What is found is told while it goes on."""
    row = lookups.matte_row(job.shot, job.subject)
    plate = job.shot.plates.first()
    keys = keys_of(job.shot, row, plate)
    known = {c.frame: (c.key, c.edges_key) for c in row.checks.all()}
    stale = [f for f, key in keys.frames.items() if known.get(f, ("", ""))[0] != key]
    edged = [f for f, key in keys.edges.items() if known.get(f, ("", ""))[1] != key]
    progress.begin(len(stale) + len(edged))
    told, done = time.monotonic(), 0
    reader = Reader(job.shot, row, plate)
    fresh: list[FrameCheck] = []
    for frame, read, small, edge in reader.frames(stale, set(edged)):
        fresh.append(FrameCheck(matte=row, frame=frame, key=keys.frames[frame], read=read, small=small))
        if edge is not None:
            fresh[-1].edges, fresh[-1].edges_key = edge, keys.edges[frame]
        done += 1 if edge is None else 2
        if len(fresh) >= KEPT_AT_ONCE or time.monotonic() - told > TELL_EVERY:
            _keep(fresh)
            fresh = []
        if time.monotonic() - told > TELL_EVERY:
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
    Kind(name="check.read", may="trace", busy="This matte is being checked already.", prepare=_prepare, run=_measure),
)


_plates: LRUCache[tuple[int, str, int, bool], NDArray[np.uint8]] = LRUCache(REMEMBERED, getsizeof=lambda pixels: pixels.nbytes)
_lock = Lock()


def _picture(plate: Plate, frame: int, whole: bool) -> NDArray[np.uint8]:
    """A frame of the plate, in its own size or small. NotThere where it has none."""
    key = (plate.pk, plate.picture_version, frame, whole)
    with _lock:
        found = _plates.get(key)
    if found is None:
        found = plate_frames.as_bytes(plate, frame) if whole else plate_frames.quick(plate, frame)
        if found.nbytes < REMEMBERED // 8:
            with _lock:
                _plates[key] = found
    return found


@dataclass(frozen=True, slots=True, kw_only=True)
class _Ready:
    """A frame rendered and made ready."""

    look: motion.Look | None
    reading: reading.Reading
    rendered: Rendered
    small: bytes


class Reader:
    """Renders and reads the frames of one matte."""

    def __init__(self, shot: Shot, row: Matte, plate: Plate | None) -> None:
        self.plate, self.first, self.last = plate, *shot.working
        self.core = core_cache.matte(shot, row)
        self.solver = ShotFringes(shot, wait=False, steady=False).ready(self.core)
        self.others = {other.name: core_cache.matte(shot, other) for other in _others(shot, row)}
        for other in self.others.values():
            self.solver.ready(other)
        self.cuts = frozenset(plate.cut_frames) if plate is not None else frozenset()

    def _ready(self, frame: int) -> _Ready:
        done = render(self.core, frame, threads=1, depth="8", fringes=self.solver)
        alpha = done.alpha
        try:
            picture = None if self.plate is None else _picture(self.plate, frame, whole=False)
        except NotThere:
            picture = None
        width = min(SMALL, alpha.shape[1])
        size = (width, max(1, round(alpha.shape[0] * width / alpha.shape[1])))
        small = png.encode(np.asarray(cv2.resize(alpha, size, interpolation=cv2.INTER_AREA), dtype=np.uint8))
        read = reading.read(alpha, picture)
        look = None if picture is None else motion.ready(picture, alpha, read.box)
        return _Ready(look=look, reading=read, rendered=done, small=small)

    def frames(self, wanted: list[int], edged: set[int]) -> Iterator[tuple[int, dict[str, Any], bytes, dict[str, Any] | None]]:
        """What is read of these frames, as it is kept, their small pictures, and of those in `edged` their edges."""
        before = sys.getswitchinterval()
        sys.setswitchinterval(TURNS)
        needed = sorted({f for frame in wanted for f in (frame - 1, frame, frame + 1) if self.first <= f <= self.last})
        ready: dict[int, Future[_Ready]] = {}
        pool = ThreadPoolExecutor(WORKERS)
        ahead = iter(needed)

        def fill(to: int) -> None:
            while not ready or max(ready) < to:
                f = next(ahead, None)
                if f is None:
                    return
                ready[f] = pool.submit(self._ready, f)

        def told(frame: int) -> tuple[int, dict[str, Any], bytes, dict[str, Any] | None]:
            parts = [ready[f].result() if f in ready else None for f in (frame - 1, frame, frame + 1)]
            here = parts[1]
            assert here is not None, "it was asked for"
            looks = [None if part is None else part.look for part in parts]
            looks[0] = None if frame in self.cuts else looks[0]  # another take begins: nothing goes on over a cut
            looks[2] = None if frame + 1 in self.cuts else looks[2]
            moving = None if looks[1] is None else motion.moving(looks[0], looks[1], looks[2])
            read = {
                "reading": here.reading.to_json(), "moving": None if moving is None else moving.to_json(),
                "capped": here.rendered.capped, "fringe": FRINGE[here.rendered.fringe],
            }  # fmt: skip
            beside = looks[2] if looks[2] is not None else looks[0]
            return frame, read, here.small, self._edges(frame, here, beside) if frame in edged else None

        try:
            coming: list[Future[tuple[int, dict[str, Any], bytes, dict[str, Any] | None]]] = []
            for frame in wanted:
                fill(frame + 1 + AHEAD)
                for f in (frame - 1, frame, frame + 1):
                    if f in ready:
                        ready[f].result()  # here, and not in the pool: a worker that waits does nothing
                coming.append(pool.submit(told, frame))
                while len(coming) > AHEAD:
                    yield coming.pop(0).result()
                    for old in [f for f in ready if f < frame - AHEAD - 2]:
                        del ready[old]
            for one in coming:
                yield one.result()
        finally:
            pool.shutdown(cancel_futures=True)
            sys.setswitchinterval(before)

    def edges(self, wanted: list[int]) -> Iterator[tuple[int, dict[str, Any]]]:
        """The edges of these frames beside the plate's, and how the matte meets the others, as it is kept."""

        def read(frame: int) -> tuple[int, dict[str, Any]]:
            beside = [f for f, cut in ((frame + 1, frame + 1), (frame - 1, frame)) if cut not in self.cuts]
            beyond = next((f for f in beside if self.first <= f <= self.last), None)
            return frame, self._edges(frame, self._ready(frame), None if beyond is None else self._ready(beyond).look)

        with ThreadPoolExecutor(WORKERS) as pool:
            yield from pool.map(read, wanted)

    def _edges(self, frame: int, ready: _Ready, there: motion.Look | None) -> dict[str, Any]:
        """there: the frame beside it, where there is one."""
        alpha = ready.rendered.alpha
        starved = fringes.starved(self.core, frame, self.solver)
        out: dict[str, Any] = {"edges": None, "meets": {}, "starved": round(starved, 3)}
        for name, core in self.others.items():
            other: NDArray[np.uint8] = render(core, frame, threads=1, depth="8", fringes=self.solver).alpha
            meeting = neighbours.meet(alpha, other)
            if meeting is not None:
                out["meets"][name] = meeting.to_json()
        try:
            if ready.look is not None and self.plate is not None:
                out["edges"] = edges.compare(alpha, _picture(self.plate, frame, whole=True), ready.look, there).to_json()
        except (NotThere, BadPicture):
            pass  # a frame that is missing from the stills: nothing is known of its edge
        return out
