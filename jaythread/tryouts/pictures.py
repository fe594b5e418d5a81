"""Composed frames for the page."""

import uuid
from typing import Any

import numpy as np
from numpy.typing import NDArray

from jaythread.desk.document import core_cache, lookups
from jaythread.desk.edit.commands import tryouts as commands
from jaythread.desk.models import Tryout
from jaythread.desk.view.pictures import laid_on
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, shot_for
from jaythread.tryouts.sources import matte_row, sources_of
from roto.motion import interpolate
from roto.tryout import compose, document, edits
from roto.tryout.compose import Sources
from roto.tryout.model import keys_of


def tryout_for(user: User, shot_id: int, tryout_id: uuid.UUID, what: str) -> tuple[Shot, Tryout]:
    """A shot and one of its tryouts, when the user may do this with it."""
    shot = shot_for(user, shot_id, what)
    return shot, lookups.tryout_row(shot, str(tryout_id))


def prepared(shot: Shot, row: Tryout, draft: Any | None = None, *, solve: bool = False) -> tuple[document.Tryout, Sources]:
    """A tryout and what it is made from, with an edit laid on it that is not saved yet: of one of its lines, or of shapes of its mattes.
    solve: fringes that are not solved yet are solved on each frame that is asked for."""
    core = commands.drafted(row, draft)
    mattes = {}
    if draft is not None and not hasattr(draft, "tryout"):
        for matte_id in core.mattes():
            was = core_cache.matte(shot, matte_row(shot, matte_id))
            if (now := laid_on(was, draft)) is not was:
                mattes[matte_id] = now
    return core, sources_of(shot, core, mattes, solve=solve)


def picture(shot: Shot, row: Tryout, frame: int, width: int | None, draft: Any | None = None, bright: str = "") -> NDArray[np.uint8]:
    """A composed frame as it is displayed, at most so wide."""
    core, sources = prepared(shot, row, draft, solve=True)
    return compose.shown(compose.compose(core, sources, frame, width, bright))


def values(shot: Shot, row: Tryout) -> dict[str, dict[str, Any]]:
    """By line, what its keyed numbers are on each frame of the shot (one row where they stand still), and where its pivot and the corners
    of the tryout's picture come to lie, px."""
    core, sources = prepared(shot, row)
    frames = list(range(shot.first, shot.last + 1))
    out: dict[str, dict[str, Any]] = {}
    for line in core.lines:
        told: dict[str, Any] = {}
        for name, rest in edits.RESTS.items():
            keys = keys_of(edits.channel(line, name), len(rest), name)
            looked = frames if keys is not None and len(keys.frames) > 1 else frames[:1]
            found = rest[None] if keys is None else interpolate.evaluate(keys, looked, looked, within=name in edits.AMOUNTS)
            told[name] = np.round(found, 5).tolist()
            told[f"{name} keys"] = [] if keys is None else keys.frames.tolist()
        told["lies"] = compose.lies(core, sources, line, frames)
        out[line.id] = told
    return out
