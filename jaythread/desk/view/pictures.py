"""Pictures of a matte for the page: of a frame, of a draft, of every line of the stack."""

import uuid
from collections.abc import Iterator
from concurrent.futures import Future
from contextlib import contextmanager
from dataclasses import dataclass, replace
from threading import Lock, Semaphore
from typing import Any

import numpy as np
from cachetools import LRUCache

from jaythread.desk import policies
from jaythread.desk.document import core_cache
from jaythread.desk.edit.commands import parts_of
from jaythread.desk.edit.registry import Command, command_of
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, shot_for
from roto.matte.render import Box, Rendered, Solver, render, rough_cap
from roto.matte.stack import Matte as CoreMatte
from roto.motion.group import groups_of
from roto.motion.shape import GROUP
from roto.track.ride import under

CORES = 2
"""threads that a picture is drawn in at the most"""
DRAFT_SAMPLES = 8
"""samples of the exposure at most while something is dragged; all of them at rest"""
DRAFTS, LARGEST = 64, 1 << 20
"""pictures of what is dragged that are kept until it is let go; and px of the largest of them"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Draft:
    """What was drawn, or is being drawn, while something is dragged: of which matte, what was said of one of its shapes, and where."""

    matte: CoreMatte
    said: Any
    frame: int
    box: Box
    drawn: Future[Rendered]


_drafts: LRUCache[str, Draft] = LRUCache(DRAFTS)
"""by shape, the last one"""
_lock = Lock()


def present(user: User, shot_id: int, matte_id: uuid.UUID) -> tuple[Shot, CoreMatte]:
    """The shot, and the matte at its present revision."""
    shot = shot_for(user, shot_id, "look")
    core = core_cache.known_matte(shot, str(matte_id), shot.revision)
    return shot, core_cache.matte(shot, policies.matte_of(shot, matte_id)) if core is None else core


def drawn(matte: CoreMatte, frame: int, box: Box | None, draft: Any | None, quick: bool, fringes: Solver) -> Rendered:
    """A frame of a matte, or a box of it, with an edit that is not saved yet laid on it: of that, what changes single shapes by themselves
    is shown. quick: in fewer samples of the exposure."""
    shown = laid_on(matte, draft)
    coming: Future[Rendered] = Future()
    shape = getattr(draft, "shape", None)
    if box is not None and isinstance(shape, str) and (box[2] - box[0]) * (box[3] - box[1]) <= LARGEST:
        with _lock:
            _drafts[shape] = Draft(matte=matte, said=draft, frame=frame, box=box, drawn=coming)
    try:
        with threads() as many:
            cap = rough_cap(shown, frame, DRAFT_SAMPLES) if quick else None
            done = render(shown, frame, box=box, cap=cap, threads=many, depth="shown", fringes=fringes)
    except BaseException as error:
        coming.set_exception(error)  # somebody may wait for it
        raise
    coming.set_result(done)
    return done


def as_dragged(matte: CoreMatte, said: Any, frame: int, box: Box) -> Rendered | None:
    """A box as it was drawn while the same was dragged, if that was in all the samples that are wanted: then letting go draws nothing."""
    with _lock:
        kept = _drafts.get(said.shape)
    if kept is None or kept.matte is not matte or kept.frame != frame or kept.said != said:
        return None
    if not (kept.box[0] <= box[0] <= box[2] <= kept.box[2] and kept.box[1] <= box[1] <= box[3] <= kept.box[3]):
        return None
    if kept.drawn.exception() is not None:  # waits until it is drawn
        return None
    done = kept.drawn.result()
    x0, y0, x1, y1 = (v - done.box[k % 2] for k, v in enumerate(box))
    return None if done.capped else replace(done, alpha=np.ascontiguousarray(done.alpha[y0:y1, x0:x1]), box=box)


_drawing = Semaphore(CORES)


@contextmanager
def threads() -> Iterator[int]:
    """In how many threads a picture is to be drawn: as many as nobody else draws in now, one at least."""
    taken = sum(_drawing.acquire(blocking=False) for _ in range(CORES))
    try:
        yield max(1, taken)
    finally:
        if taken:
            _drawing.release(taken)


def laid_on(matte: CoreMatte, draft: Any | None) -> CoreMatte:
    """A matte with an edit that is not saved yet laid on it."""
    for part in [] if draft is None else parts_of(draft):
        command = command_of(part)
        if command.reshape is not None:
            matte = _changed(matte, command, part)
    return matte


def _changed(matte: CoreMatte, command: Command, said: Any) -> CoreMatte:
    """The matte with a shape changed, or with a group that carries some of its shapes."""
    assert command.reshape is not None
    for shape in [e.shape for e in matte.entries if e.shape.kind != GROUP]:
        if shape.id == said.shape:
            return matte.with_shape(command.reshape(shape, said)[0])
        for group in [g for g in groups_of(shape) if g.id == said.shape]:
            matte = matte.with_shape(under(shape, command.reshape(group, said)[0]))
    return matte


def samples_text(done: Rendered) -> str:
    """In how many steps the exposure was taken, with a + where more were wanted."""
    return f"{done.samples}{'+' if done.capped else ''}"
