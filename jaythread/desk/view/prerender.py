"""The picture of an edit, begun while the edit is still being saved: rendering needs no database, saving needs little of the machine."""

import base64
import time
import uuid
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import fields
from typing import Any

import numpy as np

from jaythread.desk.document import core_cache
from jaythread.desk.edit.commands import Together
from jaythread.desk.edit.registry import command_of
from jaythread.desk.edit.row_changes import CHANNELS
from jaythread.desk.models import Matte
from jaythread.desk.view.pictures import as_dragged, samples_text, threads
from jaythread.productions.models import Shot
from roto.errors import RotoError
from roto.matte.render import render, touched_box
from roto.matte.render.fringes import solves
from roto.matte.stack import Matte as CoreMatte
from roto.motion.shape import GROUP
from roto.motion.shape import Shape as CoreShape
from roto.picture.stills import encode_picture

_pool = ThreadPoolExecutor(2, thread_name_prefix="ahead")


class Prerender:
    """Told by the action what the shapes become; renders the box of a matte that they touch on one frame.

    A change of one shape is begun even before anything is read (`guess`), from the state that the page made it on; if that is not the
    present one, the guess is thrown away. Nothing of it is shown before the edit has been allowed and saved.
    """

    def __init__(self, matte_id: uuid.UUID, frame: int) -> None:
        self.matte_id, self.frame = str(matte_id), frame
        self.after: CoreMatte | None = None
        self.begun: Future[dict[str, Any]] | None = None
        self.guessed: tuple[int, CoreShape, CoreShape] | None = None

    def guess(self, shot_id: int, base: dict[str, int] | None, command: Any) -> None:
        """Begin from what is in memory of the shape at the revision that the page knew."""
        reshape = None if isinstance(command, Together) else command_of(command).reshape
        if reshape is None:
            return
        old = core_cache.known(command.shape, (base or {}).get(command.shape, -1))
        newest = core_cache.newest_matte(shot_id, self.matte_id)
        if (
            old is None
            or newest is None
            or solves(newest[1])
            or old.kind == GROUP  # the shapes that it carries are not known here
            or all(e.shape is not old for e in newest[1].entries)
        ):
            return
        try:
            new, _ = reshape(old, command)
        except RotoError:
            return  # the edit itself will say why
        self.guessed = newest[0], old, new
        self.begun = _pool.submit(_picture, newest[1].with_shape(new), [old, new], self.frame, (newest[1], command))

    def __call__(self, shot: Shot, before: list[CoreShape], after: list[CoreShape]) -> None:
        known = core_cache.known_matte(shot, self.matte_id, shot.revision)
        guessed, self.guessed = self.guessed, None
        right = guessed is not None and guessed[0] == shot.revision and len(before) == 1 and before[0] is guessed[1]
        if right and guessed is not None and not _same_keys(guessed[2], after[0]):  # frames that somebody looked at were kept still
            right = False
        if known is None or not right:
            self.begun = None
        core = known or self._read(shot)
        if core is None or solves(core):
            return
        for shape in after:
            core = core.with_shape(shape)
        self.after = core
        if self.begun is None:
            self.begun = _pool.submit(_picture, core, [*before, *after], self.frame)

    def _read(self, shot: Shot) -> CoreMatte | None:
        """The matte as it is before the edit: another process may have answered the last one, and have it in its memory."""
        row = Matte.objects.filter(pk=self.matte_id, shot=shot).first()
        return None if row is None else core_cache.matte(shot, row)

    def picture(self, shot: Shot) -> dict[str, Any] | None:
        """The picture for the answer, once the edit is saved: the shot stands at the edit's revision."""
        if self.begun is None or self.after is None:
            return None
        core_cache.keep_matte(shot, self.matte_id, self.after)
        return {"matte": self.matte_id, "frame": self.frame, **self.begun.result()}


def _same_keys(one: CoreShape, other: CoreShape) -> bool:
    """Whether two shapes run alike, to the last bit."""
    for _, channel in CHANNELS.values():
        a, b = getattr(one, channel), getattr(other, channel)
        if a is b:
            continue
        if a is None or b is None or not all(np.array_equal(getattr(a, f.name), getattr(b, f.name), f.name == "speeds") for f in fields(a)):
            return False
    return True


def _picture(core: CoreMatte, shapes: list[CoreShape], frame: int, said: tuple[CoreMatte, Any] | None = None) -> dict[str, Any]:
    """said: the matte as it was before, and the change of a shape that makes it what it is, where it is that."""
    shown = {e.shape.id for e in core.entries}
    box = touched_box(core, [s for s in shapes if s.id in shown], frame)
    begin = time.perf_counter()
    done = as_dragged(*said, frame, box) if said else None
    if done is None:
        with threads() as many:
            done = render(core, frame, box=box, threads=many, depth="shown")
    took = (time.perf_counter() - begin) * 1000
    png = encode_picture(done.alpha, ".png") if done.alpha.size else b""
    return {"box": done.box, "png": base64.b64encode(png).decode(), "samples": samples_text(done), "coreMs": round(took, 2)}
