"""Pictures of a matte for the page: of a frame, of a draft, of every line of the stack."""

import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from threading import Semaphore
from typing import Any

from jaythread.desk import policies
from jaythread.desk.document import core_cache
from jaythread.desk.edit.commands import parts_of
from jaythread.desk.edit.registry import Command, command_of
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, shot_for
from roto.matte.render import Rendered
from roto.matte.stack import Matte as CoreMatte
from roto.motion.group import groups_of
from roto.motion.shape import GROUP
from roto.track.ride import under

CORES = 2
"""threads that a picture is drawn in at the most"""


def drafted(user: User, shot_id: int, matte_id: uuid.UUID, draft: Any | None) -> tuple[Shot, CoreMatte]:
    """The shot, and the matte at its present revision with an edit that is not saved yet laid on it. Of an edit, what changes single shapes
    by themselves is shown."""
    shot = shot_for(user, shot_id, "look")
    core = core_cache.known_matte(shot, str(matte_id), shot.revision)
    if core is None:
        core = core_cache.matte(shot, policies.matte_of(shot, matte_id))
    return shot, laid_on(core, draft)


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
