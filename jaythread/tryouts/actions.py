"""Beginning tryouts, and what they say of themselves."""

import uuid
from typing import Any

import numpy as np

from jaythread.desk.document import core_cache
from jaythread.desk.edit import actions as desk
from jaythread.desk.edit.commands.tryouts import NewTryout
from jaythread.desk.models import Edit, Matte, Tryout
from jaythread.errors import NotThere, Refused
from jaythread.plates.models import Plate, State
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, shot_for
from jaythread.tryouts.sources import matte_row, sources_of
from roto.tryout import bundle, document
from roto.tryout.beginnings import BEGINNINGS, Beginning, Facts
from roto.tryout.bundle import Bundle

LOOK = 480
"""px: how wide pictures are that only advice is drawn from"""


def _beginning(key: str) -> Beginning:
    found = BEGINNINGS.get(key)
    if found is None:
        raise NotThere("There is no such beginning.")
    return found


def facts_of(shot: Shot, matte: Matte | None, frame: int) -> Facts:
    """What a beginning is made by: the matte's box on a frame, another clip of the production, a track with two points."""
    size = (shot.width, shot.height)
    box = (size[0] * 0.3, size[1] * 0.2, size[0] * 0.7, size[1] * 0.8)
    if matte is not None:
        shapes = [e.shape for e in core_cache.matte(shot, matte).entries if e.shape.is_live(frame) and e.shape.kind == "closed"]
        points = [s.outlines(np.array([frame]))[0, :, :2] for s in shapes]
        if points:
            ends = np.concatenate(points)
            low, high = np.clip(ends.min(axis=0), 0, size), np.clip(ends.max(axis=0), 0, size)
            if (high - low > 2).all():
                box = (float(low[0]), float(low[1]), float(high[0]), float(high[1]))
    others = Plate.objects.filter(shot__production=shot.production_id, state=State.READY).exclude(shot=shot).order_by("shot__name")
    other = others.first()
    tracks = {str(t.pk): core_cache.track(t) for t in shot.tracks.all()}
    track = next((key for key, it in tracks.items() if it.points.parts > 1 and it.sheet is None), "")
    first, last = shot.working
    return Facts(
        size=size, frames=(first, last), frame=frame, matte=str(matte.pk) if matte else "", box=box, other=other.shot.name if other else "",
        track=track,
    )  # fmt: skip


def lines_of(shot: Shot, key: str, matte: Matte | None, frame: int) -> list[dict[str, Any]]:
    """The lines that a beginning makes of a matte, as the document has them. Refused where there is no matte yet."""
    if matte is None:
        raise Refused("A tryout puts a matte to use, and this shot has none yet. Trace a shape first.")
    return [document.line_to_json(line) for line in _beginning(key).make(facts_of(shot, matte, frame))]


def begin(user: User, shot_id: int, edit_id: uuid.UUID, key: str, matte_id: uuid.UUID | None, frame: int | None) -> tuple[Edit, Tryout]:
    """A tryout from a beginning, as one edit."""
    shot = shot_for(user, shot_id, "trace")
    frame = shot.working[0] if frame is None else min(max(frame, shot.first), shot.last)
    matte = shot.mattes.filter(pk=matte_id).first() if matte_id else shot.mattes.first()
    said = NewTryout(do="new tryout", tryout=str(uuid.uuid4()), name=_beginning(key).name, lines=lines_of(shot, key, matte, frame))
    done = desk.edit(user, shot_id, edit_id, None, said)
    return done, Tryout.objects.get(pk=next(c["key"][0] for c in done.changes if c["table"] == "tryout"))


def duplicate(user: User, shot_id: int, tryout: Tryout, to: int | None, matte_id: uuid.UUID | None) -> Tryout:
    """A tryout once more, here or in another shot of the production; there all its lines are seen through one of that shot's mattes, and
    what rode on tracks stays still."""
    target = shot_for(user, shot_id if to is None else to, "trace")
    lines = [dict(line) for line in tryout.lines]
    if to is not None and to != shot_id:
        if target.production_id != shot_for(user, shot_id, "look").production_id:
            raise Refused("That shot belongs to another production.")
        matte = target.mattes.filter(pk=matte_id).first() if matte_id else target.mattes.first()
        if matte is None:
            raise Refused(f"{target.name} has no matte yet that the tryout could be seen through. Trace a shape there first.")
        for line in lines:
            if line["through"] is not None and not (line["through"]["along"] and line["shows"].get("shot")):
                line["through"] = {**line["through"], "matte": str(matte.pk)}
            line["place"] = {**line["place"], "track": ""}
    said = NewTryout(do="new tryout", tryout=str(uuid.uuid4()), name=tryout.name, lines=lines)
    desk.edit(user, target.pk, uuid.uuid4(), None, said)
    return Tryout.objects.get(pk=said.tryout)


def bundled(shot: Shot, row: Tryout) -> str:
    """A tryout with its mattes and tracks, as one file's text."""
    core = row.to_core()
    mattes = {key: core_cache.matte(shot, matte_row(shot, key)) for key in core.mattes()}
    tracks = {str(t.pk): core_cache.track(t) for t in shot.tracks.filter(pk__in=core.tracks())}
    return bundle.dumps(Bundle(tryout=core, mattes=mattes, tracks=tracks))


def unsaved(shot: Shot, key: str, matte: Matte | None, frame: int) -> tuple[document.Tryout, Any]:
    """A beginning as a tryout that is stored nowhere, for its small picture, and what it is made from."""
    made = Tryout(shot=shot, name=_beginning(key).name, lines=lines_of(shot, key, matte, frame)).to_core()
    return made, sources_of(shot, made)
