"""Fringes at the desk: solved from the shot's plate, kept in files, made for all frames as a task."""

import time
import uuid
from collections.abc import Sequence
from datetime import timedelta
from functools import cached_property, lru_cache
from pathlib import Path
from threading import Lock

import numpy as np
from cachetools import LRUCache

from jaythread import store
from jaythread.brought import actions as brought
from jaythread.desk import policies
from jaythread.desk.document import core_cache, lookups
from jaythread.desk.matting import lessons
from jaythread.desk.models import StackEntry
from jaythread.errors import Refused
from jaythread.jobs.models import Job
from jaythread.jobs.progress import Progress
from jaythread.jobs.registry import Kind, Prepared, register
from jaythread.plates import frames
from jaythread.plates.models import Plate
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, shot_for
from roto.atomic_write import write_whole
from roto.matte.matting import fringe
from roto.matte.matting.from_files import FromFiles
from roto.matte.modes import BRING, FOUND, SOLVE, TEACH
from roto.matte.render import Solved
from roto.matte.stack import Matte as CoreMatte
from roto.matte.teaching.taught import Taught
from roto.package.cache_keys import matte_keys

PICTURES = 12
"""plate frames kept in memory while a range is solved: 25 MB each at full HD"""
UNUSED = timedelta(days=7)
"""for which solved frames that no line of the shot asks for any more are kept: an undo may ask for them again"""
SHOTS = 8
"""shots whose newest solved frames are kept in memory"""

_memories: LRUCache[int, fringe.InMemory] = LRUCache(SHOTS)
_lock = Lock()


class Files:
    """Solved frames of a shot as files, by their keys."""

    def __init__(self, shot_id: int) -> None:
        self.folder = store.folder(f"fringes/{shot_id}")

    def path(self, key: str) -> Path:
        """Where a solved frame lies, or would."""
        return self.folder / f"{key}.npz"

    def get(self, key: str) -> Solved | None:
        """A kept frame; one that cannot be read is as good as none."""
        try:
            return fringe.unpacked(store.here(self.path(key)).read_bytes())
        except (OSError, ValueError, KeyError):
            return None

    def has(self, key: str) -> bool:
        return store.there(self.path(key))

    def put(self, key: str, solved: Solved) -> None:
        """Written aside, then renamed; another process may have been quicker."""
        self.folder.mkdir(parents=True, exist_ok=True)
        store.keep(write_whole(self.path(key), fringe.packed(solved)))


def _memory(shot_id: int) -> fringe.InMemory:
    with _lock:
        if shot_id not in _memories:
            _memories[shot_id] = fringe.InMemory(Files(shot_id))
        return _memories[shot_id]


class ShotFringes(fringe.Fringes):
    """Solves the fringes of a shot from its plate, which is looked up when the first of them is to be solved (or by `ready`)."""

    def __init__(self, shot: Shot, *, wait: bool = True, steady: bool = True) -> None:
        self.shot = shot
        picture = lru_cache(PICTURES)(lambda frame: frames.as_displayed(self.plate, frame))
        super().__init__(picture, self._named, _memory(shot.pk), wait=wait, steady=steady)
        self.taught = Taught(self, lessons.Models(shot.pk).get, lessons.FinishedFrames(shot.pk).get)
        self.others = {TEACH: self.taught, BRING: FromFiles(self, brought.alpha_of, self._number)}

    @cached_property
    def plate(self) -> Plate | None:
        return self.shot.plates.first()

    @cached_property
    def _moved(self) -> dict[str, int]:
        """By how many frames brought-in mattes go along with the shot's numbers."""
        return {str(row.pk): brought.moved(self.shot, row) for row in self.shot.brought.all()}

    def _number(self, files: str, frame: int) -> int:
        return frame - self._moved.get(files, 0)

    def _named(self, frame: int) -> str:
        return "no plate" if self.plate is None else f"{self.plate.pk} {self.plate.display_version} {frame - self.plate.offset}"

    def ready(self, matte: CoreMatte) -> "ShotFringes":
        """Look up now what lines take from elsewhere: rendering threads are not to talk to the database."""
        if any(e.mode in FOUND for e in matte.entries):
            self.plate  # noqa: B018 - read once, then kept
        if any(e.mode == BRING for e in matte.entries):
            self._moved  # noqa: B018
        return self

    def asked_for(self, matte: CoreMatte, at: int) -> set[str]:
        """The keys of all frames of a line as it is now, by themselves and steadied."""
        if matte.entries[at].mode == TEACH:
            live = self._live(matte, at)
            return {*self.taught.keys(matte, at, live).values(), *self.taught.whole_keys(matte, at, live).values()}
        keys, steady = self._keys_of(matte, at)
        return {*keys.values(), *self.again_keys(matte, at, list(keys)).values(), *steady.values()}

    def _keys_of(self, matte: CoreMatte, at: int) -> tuple[dict[int, str], dict[int, str]]:
        live = self._live(matte, at)
        return self.keys(matte, at, live), self.whole_keys(matte, at, live)

    @staticmethod
    def _live(matte: CoreMatte, at: int) -> list[int]:
        return [f for f in range(matte.first, matte.last + 1) if matte.entries[at].shape.is_live(f)]

    def standing(self, matte: CoreMatte, at: int, frames: Sequence[int] | None = None) -> list[int]:
        """Frames, of all or of these, on which a fringe is solved and steadied, or a taught line is filled."""
        files, shape = Files(self.shot.pk), matte.entries[at].shape
        live = self._live(matte, at) if frames is None else [f for f in frames if shape.is_live(f)]
        steady = self.whole_keys(matte, at, live)
        return [f for f, key in steady.items() if files.has(key)]

    def frame_keys(self, matte: CoreMatte, frames: Sequence[int]) -> dict[int, str]:
        """By frame, a name for all that it is made from: a fringe that was steadied since is another picture of the same shapes."""
        steadied = [set(self.standing(matte, at, frames)) for at, entry in enumerate(matte.entries) if entry.mode in (SOLVE, TEACH)]
        return {f: f"{key} {[f in there for there in steadied]}" for f, key in matte_keys(matte, frames, self).items()}


NOT_SO = {SOLVE: "is not a fringe: nothing of it is solved from the plate.", TEACH: "is not taught by finished frames."}


def place_of(shot: Shot, entry_id: uuid.UUID, mode: str = SOLVE) -> tuple[StackEntry, CoreMatte, int]:
    """A line of that mode, its matte, and which line of its stack it is."""
    entry = lookups.line_row(shot, str(entry_id))
    if entry.mode != mode:
        raise Refused(f"'{entry.shape.name}' {NOT_SO[mode]}")
    rows, _ = core_cache.lines(entry.matte)
    return entry, core_cache.matte(shot, entry.matte), [row.pk for row in rows].index(entry.pk)


def colours(user: User, shot_id: int, matte_id: uuid.UUID, frame: int) -> list[tuple[tuple[int, int, int, int], np.ndarray]]:
    """The subject's own colour where fringes are solved on a frame: for each its box and uint8 (h, w, 4), see-through elsewhere."""
    shot, row = policies.matte_for(user, shot_id, matte_id, "look")
    matte = core_cache.matte(shot, row)
    solver = ShotFringes(shot, wait=False)
    out = []
    for at, entry in enumerate(matte.entries):
        solved = solver.solved(matte, at, frame) if entry.mode in (SOLVE, TEACH) else None
        if solved is not None:
            own = fringe.own_colour(solver.picture(frame), solved)
            there = solved.unknown & (solved.alpha > 0)
            out.append((solved.box, np.dstack([np.rint(own * 255).astype(np.uint8), there.astype(np.uint8) * 255])))
    return out


def solved_frames(user: User, shot_id: int, entry_id: uuid.UUID) -> list[int]:
    """On which frames a fringe stands solved and steadied."""
    shot = shot_for(user, shot_id, "look")
    _, matte, at = place_of(shot, entry_id)
    return ShotFringes(shot, wait=False).standing(matte, at)


def _prepare(shot: Shot, subject: str, settings: object) -> Prepared:
    """The fringe is there; as many steps as frames of the working range on which it is live."""
    _, matte, at = place_of(shot, lookups.as_uuid(subject))
    return Prepared(total=sum(matte.entries[at].shape.is_live(f) for f in range(shot.working[0], shot.working[1] + 1)))


def _solve(job: Job, progress: Progress) -> str:
    """Solve the frames of a fringe, in the working range, that are not solved yet; safe to run again. Edits made meanwhile count from the
    next frame on."""
    solver = ShotFringes(job.shot)
    done = 0
    for frame in range(job.shot.working[0], job.shot.working[1] + 1):
        progress.step(done)
        shot = Shot.objects.get(pk=job.shot_id)
        if solver.shot.revision != shot.revision:
            solver = ShotFringes(shot)
        _, matte, at = place_of(shot, lookups.as_uuid(job.subject))
        if matte.entries[at].shape.is_live(frame):
            solver.solved(matte, at, frame)
            done += 1
    progress.so_far(done)
    clear_out(job.shot)
    return ""


SOLVING = register(
    Kind(name="fringe.solve", may="trace", busy="This fringe is being solved already.", prepare=_prepare, run=_solve),
)


def clear_out(shot: Shot) -> int:
    """Take away solved frames that nothing asks for any more and that are old; returns how many."""
    files = Files(shot.pk)
    wanted: set[str] = set()
    for row in shot.mattes.all():
        matte = core_cache.matte(shot, row)
        solver = ShotFringes(shot, wait=False)
        for at, entry in enumerate(matte.entries):
            if entry.mode in (SOLVE, TEACH):
                wanted |= solver.asked_for(matte, at)
    old = [name for name in store.names(files.folder) if name.removesuffix(".npz") not in wanted]
    old = [name for name in old if time.time() - store.made(files.folder / name) > UNUSED.total_seconds()]
    for name in old:
        store.drop(files.folder / name)
    return len(old)
