"""Reading the frames of a matte: rendered and read a few at a time, in time with their neighbours."""

import sys
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, replace
from itertools import pairwise
from threading import Lock
from typing import Any

import cv2
import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from jaythread.desk.document import core_cache
from jaythread.desk.matting.fringes import ShotFringes
from jaythread.desk.models import Matte
from jaythread.errors import NotThere
from jaythread.plates import frames as plate_frames
from jaythread.plates.models import Plate
from jaythread.productions.models import Shot
from roto.check import edges, fringes, motion, neighbours, reading
from roto.check.looks import Grey, grey_of, smaller
from roto.errors import BadPicture
from roto.matte.render import FRINGE, TOGETHER, Box, Kept, Live, Rendered, live_of, render, render_again, touched_since
from roto.matte.stack import Matte as CoreMatte
from roto.picture import png

SMALL = 320
"""px: the width of the small pictures on the sheet"""
WORKERS = 2
AHEAD = 3
"""frames that are rendered ahead"""
TURNS = 0.0005
"""seconds after which a thread lets another one on: reading is many short calls, which wait for each other otherwise"""
REMEMBERED = 192 << 20
"""bytes of plates that a worker keeps in memory: the next edit of a shot has the same frames read again"""
KEPT = 96 << 20
"""bytes of rendered frames that a worker keeps in memory: of these, an edit has only what it touched rendered"""
GREYS = 16 << 20
"""bytes of small pictures made ready for looking for motion that a worker keeps in memory"""
OTHERS = 4
"""mattes of the shot that are held against one"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Read:
    """What is read of a shot at its present revision: its plate, a matte, the mattes (by name) that are held against it, and what solves
    their fringes."""

    plate: Plate | None
    core: CoreMatte
    others: dict[str, CoreMatte]
    solver: ShotFringes


def read_of(shot: Shot, row: Matte, plate: Plate | None) -> Read:
    """All that is looked up in the database to read the frames of a matte."""
    core = core_cache.matte(shot, row)
    others = {other.name: core_cache.matte(shot, other) for other in shot.mattes.exclude(pk=row.pk)[:OTHERS]}
    solver = ShotFringes(shot, wait=False, steady=False)
    for one in (core, *others.values()):
        solver.ready(one)
    return Read(plate=plate, core=core, others=others, solver=solver)


_plates: LRUCache[tuple[int, str, int, bool], NDArray[np.uint8]] = LRUCache(REMEMBERED, getsizeof=lambda pixels: pixels.nbytes)
_kept: LRUCache[tuple[str, int], tuple[str, Kept]] = LRUCache(KEPT, getsizeof=lambda one: one[1].alpha.nbytes + 1000)
_greys: LRUCache[tuple[int, str, int, tuple[int, int]], Grey] = LRUCache(GREYS, getsizeof=lambda one: one.pixels.nbytes + 500)
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


def _grey(plate: Plate, frame: int, picture: NDArray[np.uint8], size: tuple[int, int]) -> Grey:
    """A small picture made ready beside mattes of that size, under a name: the motion between two of them is looked for once."""
    key = (plate.pk, plate.picture_version, frame, size)
    with _lock:
        found = _greys.get(key)
    if found is None:
        found = grey_of(picture, size[::-1], key)
        with _lock:
            _greys[key] = found
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

    def __init__(self, shot: Shot, row: Matte, read: Read, own: dict[int, str]) -> None:
        """own: by frame, the key of its shapes."""
        self.row, self.own = row, own
        self.plate, self.core, self.others, self.solver = read.plate, read.core, read.others, read.solver
        self.first, self.last = shot.working
        self.cuts = frozenset(self.plate.cut_frames) if self.plate is not None else frozenset()

    def _ready(self, frame: int, live: list[Live] | None = None, was: tuple[Kept, Box] | None = None, keep: bool = False) -> _Ready:
        if was is None:
            done = render(self.core, frame, threads=1, depth="8", fringes=self.solver, live=live)
        else:
            done = render_again(was[0], self.core, frame, was[1], live, self.solver)
        alpha = done.alpha
        try:
            picture = None if self.plate is None else _picture(self.plate, frame, whole=False)
        except NotThere:
            picture = None
        width = min(SMALL, alpha.shape[1])
        size = (width, max(1, round(alpha.shape[0] * width / alpha.shape[1])))
        read = reading.read(alpha, picture)
        if keep:
            with _lock:
                _kept[str(self.row.pk), frame] = self.own[frame], Kept.of(self.core, done, read.box)
        small = png.encode(smaller(alpha, size, read.box))
        look = None
        if picture is not None and self.plate is not None:
            look = motion.ready(_grey(self.plate, frame, picture, alpha.shape[::-1]), alpha, read.box)
        return _Ready(look=look, reading=read, rendered=done, small=small)

    def frames(self, wanted: list[int], edged: set[int]) -> Iterator[tuple[int, dict[str, Any], bytes, dict[str, Any] | None]]:
        """What is read of these frames, as it is kept, their small pictures, and of those in `edged` their edges."""
        before = sys.getswitchinterval(), cv2.getNumThreads()
        sys.setswitchinterval(TURNS)
        cv2.setNumThreads(1)  # the frames share out the cores by themselves
        needed = sorted({f for frame in wanted for f in (frame - 1, frame, frame + 1) if self.first <= f <= self.last})
        ready: dict[int, Future[_Ready]] = {}
        pool = ThreadPoolExecutor(WORKERS)
        ahead = self._outlines(needed)
        self._rebase()

        def fill(to: int) -> None:
            while not ready or max(ready) < to:
                if (coming := next(ahead, None)) is None:
                    return
                ready[coming[0]] = pool.submit(self._ready, *coming, keep=True)

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
            told_of: list[Future[tuple[int, dict[str, Any], bytes, dict[str, Any] | None]]] = []
            for frame in wanted:
                fill(frame + 1 + AHEAD)
                for f in (frame - 1, frame, frame + 1):
                    if f in ready:
                        ready[f].result()  # here, and not in the pool: a worker that waits does nothing
                told_of.append(pool.submit(told, frame))
                while len(told_of) > AHEAD:
                    yield told_of.pop(0).result()
                    for old in [f for f in ready if f < frame - AHEAD - 2]:
                        del ready[old]
            for one in told_of:
                yield one.result()
        finally:
            pool.shutdown(cancel_futures=True)
            sys.setswitchinterval(before[0])
            cv2.setNumThreads(before[1])

    def _outlines(self, frames: list[int]) -> Iterator[tuple[int, list[Live], tuple[Kept, Box] | None]]:
        """Each frame with the outlines that count there, evaluated many frames at once, and how it was before with the box that was
        touched since; with None where that is not known."""
        for begin, end in pairwise([0, *range(AHEAD, len(frames), TOGETHER), len(frames)]):  # the first few soon
            some = frames[begin:end]
            live = live_of(self.core, some)
            before = self._before(some)
            for f in some:
                yield f, live[f], before.get(f)

    def _before(self, frames: list[int]) -> dict[int, tuple[Kept, Box]]:
        """Frames that are in memory as they were, with the box that was touched since."""
        with _lock:
            kept = {f: found[1] for f in frames if (found := _kept.get((str(self.row.pk), f))) is not None}
        out: dict[int, tuple[Kept, Box]] = {}
        for was in {id(one.matte): one.matte for one in kept.values()}.values():
            touched = touched_since(was, self.core, [f for f, one in kept.items() if one.matte is was])
            out |= {f: (kept[f], box) for f, box in touched.items()}
        return out

    def _rebase(self) -> None:
        """Frames in memory that are as they were are from now on of the matte as it is now: older shapes need not be kept for them."""
        with _lock:
            for (row, frame), (key, one) in list(_kept.items()):
                if row == str(self.row.pk) and self.own.get(frame) == key:
                    _kept[row, frame] = key, replace(one, matte=self.core)

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
        solved = FRINGE[ready.rendered.fringe] in ("steady", "by itself")
        starved = fringes.starved(self.core, frame, self.solver) if solved else 0.0  # of what is not solved yet it will be told then
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
