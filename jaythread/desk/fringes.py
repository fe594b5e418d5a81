"""Fringes at the desk: solved from the shot's plate, kept in files, made for all frames as a task."""

import os
import uuid
from collections import OrderedDict
from datetime import timedelta
from functools import cached_property, lru_cache
from pathlib import Path
from threading import Lock

import numpy as np
from django.core.files.base import ContentFile
from django.core.files.storage import default_storage
from django.db import transaction
from django.utils import timezone
from procrastinate.contrib.django import app

from jaythread.desk import policies, reading, scene
from jaythread.desk.models import Solving, StackEntry, State
from jaythread.errors import NotThere, Refused
from jaythread.plates.models import Plate
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, account, shot_for
from roto.errors import RotoError
from roto.matte.matting import fringe
from roto.matte.modes import SOLVE
from roto.matte.render import Solved
from roto.matte.stack import Matte as CoreMatte

PICTURES = 12
"""plate frames kept in memory while a range is solved: 25 MB each at full HD"""
UNUSED = timedelta(days=7)
"""for which solved frames that no line of the shot asks for any more are kept: an undo may ask for them again"""
SHOTS = 8
"""shots whose newest solved frames are kept in memory"""

_memories: OrderedDict[int, fringe.InMemory] = OrderedDict()
_lock = Lock()


class Files:
    """Solved frames of a shot as files of the storage, by their keys."""

    def __init__(self, shot_id: int) -> None:
        self.folder = f"fringes/{shot_id}"

    def get(self, key: str) -> Solved | None:
        """A kept frame; one that cannot be read is as good as none."""
        try:
            with default_storage.open(f"{self.folder}/{key}.npz") as file:
                return fringe.unpacked(file.read())
        except (OSError, ValueError, KeyError):
            return None

    def has(self, key: str) -> bool:
        return bool(default_storage.exists(f"{self.folder}/{key}.npz"))

    def put(self, key: str, solved: Solved) -> None:
        """Written aside, then renamed where the storage is a folder; another process may have been quicker."""
        name, data = f"{self.folder}/{key}.npz", fringe.packed(solved)
        try:
            target = Path(default_storage.path(name))
        except NotImplementedError:
            if not default_storage.exists(name):
                default_storage.save(name, ContentFile(data))
            return
        target.parent.mkdir(parents=True, exist_ok=True)
        aside = target.with_suffix(f".{os.getpid()}-{uuid.uuid4().hex[:8]}")
        aside.write_bytes(data)
        aside.replace(target)


def _memory(shot_id: int) -> fringe.InMemory:
    with _lock:
        it = _memories.setdefault(shot_id, fringe.InMemory(Files(shot_id)))
        _memories.move_to_end(shot_id)
        while len(_memories) > SHOTS:
            _memories.popitem(last=False)
        return it


class ShotFringes(fringe.Fringes):
    """Solves the fringes of a shot from its plate, which is looked up when the first of them is to be solved (or by `ready`)."""

    def __init__(self, shot: Shot, *, wait: bool = True, steady: bool = True) -> None:
        self.shot = shot
        picture = lru_cache(PICTURES)(lambda frame: reading.picture_of(self.plate, frame))
        super().__init__(picture, self._named, _memory(shot.pk), wait=wait, steady=steady)

    @cached_property
    def plate(self) -> Plate | None:
        return self.shot.plates.first()

    def _named(self, frame: int) -> str:
        return "no plate" if self.plate is None else f"{self.plate.pk} {self.plate.look} {frame}"

    def ready(self, matte: CoreMatte) -> "ShotFringes":
        """Look the plate up now, where there is a fringe: rendering threads are not to talk to the database."""
        if any(e.mode == SOLVE for e in matte.entries):
            self.plate  # noqa: B018 - read once, then kept
        return self

    def asked_for(self, matte: CoreMatte, at: int) -> set[str]:
        """The keys of all frames of a fringe as it is now, by themselves and steadied."""
        keys, steady = self._keys_of(matte, at)
        return {*keys.values(), *self.again_keys(matte, at, list(keys)).values(), *steady.values()}

    def _keys_of(self, matte: CoreMatte, at: int) -> tuple[dict[int, str], dict[int, str]]:
        shape = matte.entries[at].shape
        live = [f for f in range(matte.first, matte.last + 1) if shape.is_live(f)]
        return self.keys(matte, at, live), self.whole_keys(matte, at, live)

    def standing(self, matte: CoreMatte, at: int) -> list[int]:
        """Frames on which a fringe is solved and steadied."""
        files = Files(self.shot.pk)
        _, steady = self._keys_of(matte, at)
        return [f for f, key in steady.items() if files.has(key)]


def place_of(shot: Shot, entry_id: uuid.UUID) -> tuple[StackEntry, CoreMatte, int]:
    """A line that is a fringe, its matte, and which line of its stack it is."""
    entry = StackEntry.objects.select_related("matte", "shape").filter(pk=entry_id, matte__shot=shot).first()
    if entry is None:
        raise NotThere("That line of the stack is not there any more.")
    if entry.mode != SOLVE:
        raise Refused(f"'{entry.shape.name}' is not a fringe: nothing of it is solved from the plate.")
    rows, _ = scene.lines(entry.matte)
    return entry, scene.core_matte(shot, entry.matte), [row.pk for row in rows].index(entry.pk)


def colours(user: User, shot_id: int, matte_id: uuid.UUID, frame: int) -> list[tuple[tuple[int, int, int, int], np.ndarray]]:
    """The subject's own colour where fringes are solved on a frame: for each its box and uint8 (h, w, 4), see-through elsewhere."""
    shot, row = policies.matte_for(user, shot_id, matte_id, "look")
    matte = scene.core_matte(shot, row)
    solver = ShotFringes(shot, wait=False)
    out = []
    for at, entry in enumerate(matte.entries):
        solved = solver.solved(matte, at, frame) if entry.mode == SOLVE else None
        if solved is not None:
            own = fringe.own_colour(solver.picture(frame), solved)
            there = solved.unknown & (solved.alpha > 0)
            out.append((solved.box, np.dstack([np.rint(own * 255).astype(np.uint8), there.astype(np.uint8) * 255])))
    return out


def state(user: User, shot_id: int, entry_id: uuid.UUID) -> dict[str, object]:
    """How far a fringe is: the newest task, and on which frames it stands solved."""
    shot = shot_for(user, shot_id, "look")
    entry, matte, at = place_of(shot, entry_id)
    run = entry.solvings.first()
    told = {} if run is None else {"id": run.pk, "state": run.state, "done": run.done, "total": run.total, "message": run.message}
    return {"run": told, "solved": ShotFringes(shot, wait=False).standing(matte, at)}


@transaction.atomic
def ask(user: User, shot_id: int, entry_id: uuid.UUID) -> Solving:
    """Have a fringe solved on all frames on which it is live."""
    shot = shot_for(user, shot_id, "trace")
    entry, matte, at = place_of(shot, entry_id)
    if any(run.busy for run in entry.solvings.all()):
        raise Refused(f"'{entry.shape.name}' is being solved already.")
    total = sum(matte.entries[at].shape.is_live(f) for f in range(matte.first, matte.last + 1))
    run = Solving.objects.create(shot=shot, entry=entry, user_id=account(user), total=total)
    app.configure_task("desk.solve", queue="desk").defer(solving_id=run.pk)  # by name: tasks stand above actions
    return run


def cancel(user: User, shot_id: int, solving_id: int) -> None:
    """Ask for it to stop; what is solved stays."""
    shot = shot_for(user, shot_id, "trace")
    if not Solving.objects.filter(pk=solving_id, shot=shot).update(cancel=True):
        raise NotThere("That work is not there any more.")
    Solving.objects.filter(pk=solving_id, state=State.WAITING).update(state=State.CANCELLED)


def solve(solving_id: int) -> None:
    """Solve the frames of a fringe that are not solved yet; safe to run again. Edits made meanwhile count from the next frame on."""
    run = Solving.objects.select_related("shot", "entry").filter(pk=solving_id).first()
    if run is None or not run.busy:
        return
    try:
        for frame in range(run.shot.first, run.shot.last + 1):
            if Solving.objects.filter(pk=run.pk, cancel=True).exists():
                _end(run, State.CANCELLED)
                return
            shot = Shot.objects.get(pk=run.shot_id)
            _, matte, at = place_of(shot, run.entry_id)
            if matte.entries[at].shape.is_live(frame):
                _solver(run, shot).solved(matte, at, frame)
                run.done += 1
            Solving.objects.filter(pk=run.pk).update(state=State.WORKING, done=run.done)
        _end(run, State.DONE)
        clear_out(run.shot)
    except (RotoError, OSError) as error:
        _end(run, State.FAILED, str(error))


def clear_out(shot: Shot) -> int:
    """Take away solved frames that nothing asks for any more and that are old; returns how many."""
    files = Files(shot.pk)
    wanted: set[str] = set()
    for row in shot.mattes.all():
        matte = scene.core_matte(shot, row)
        solver = ShotFringes(shot, wait=False)
        for at, entry in enumerate(matte.entries):
            if entry.mode == SOLVE:
                wanted |= solver.asked_for(matte, at)
    gone = 0
    try:
        _, names = default_storage.listdir(files.folder)
    except (OSError, NotImplementedError):
        return 0
    for name in names:
        path = f"{files.folder}/{name}"
        if name.removesuffix(".npz") not in wanted and default_storage.get_modified_time(path) < timezone.now() - UNUSED:
            default_storage.delete(path)
            gone += 1
    return gone


def _solver(run: Solving, shot: Shot) -> ShotFringes:
    """One solver for the whole run, so that plate frames are read once."""
    kept: ShotFringes | None = getattr(run, "solver", None)
    if kept is None or kept.shot.revision != shot.revision:
        kept = ShotFringes(shot)
        run.solver = kept  # type: ignore[attr-defined]
    return kept


def _end(run: Solving, state: str, message: str = "") -> None:
    Solving.objects.filter(pk=run.pk).update(state=state, message=message[:400])
