"""A shot as it stood: its journal as a line in time, marks on it, mattes then beside mattes now."""

import uuid
from threading import Lock
from typing import Any

import cv2
import numpy as np
from cachetools import LRUCache
from django.db import transaction
from numpy.typing import NDArray

from jaythread.desk.document import core_cache
from jaythread.desk.edit.past import Past
from jaythread.desk.edit.row_changes import compare
from jaythread.desk.matting.fringes import ShotFringes
from jaythread.desk.models import Edit
from jaythread.errors import NotThere, Refused
from jaythread.front_door import one_name
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, account, shot_for
from jaythread.review.models import Mark
from roto.check import differences
from roto.matte.render import render
from roto.matte.stack import Matte as CoreMatte
from roto.package.cache_keys import matte_keys
from roto.picture import stills

PAGE = 120
"""edits that are told at once"""
WIDE = 960
"""px: the width of the pictures, at most"""
WAYS = ("then", "now", "difference")
LONGEST = 60
"""characters of a mark's name"""
_mattes: LRUCache[tuple[int, int, int, str], CoreMatte] = LRUCache(12)
_lock = Lock()


def line(user: User, shot_id: int, before: int | None = None) -> dict[str, Any]:
    """The journal, newest first, from before a revision on where one is said, and all marks."""
    shot = shot_for(user, shot_id, "look")
    rows = Edit.objects.filter(shot=shot).select_related("user").defer("changes").order_by("-revision")
    some = list((rows if before is None else rows.filter(revision__lt=before))[: PAGE + 1])
    edits = [
        {
            "revision": e.revision,
            "who": e.user.get_username(),
            "when": e.made.strftime("%d %b %H:%M"),
            "says": e.summary,
            "reversed": e.reversed,
        }
        for e in some[:PAGE]
    ]
    marks = [{"id": m.pk, "revision": m.revision, "name": m.name, "by": m.user.get_username()} for m in shot.marks.select_related("user")]
    return {"revision": shot.revision, "frames": shot.working, "edits": edits, "more": len(some) > PAGE, "marks": marks}


def stood(user: User, shot_id: int, revision: int) -> dict[str, Any]:
    """What there was after an edit: mattes, and how each shape differs from now."""
    shot = shot_for(user, shot_id, "look")
    past = Past(shot, revision)
    shapes = []
    for shape_id in past.shapes_since:
        then, now = past.shape(shape_id), past.now(shape_id)
        if compare(shape_id, now, then):  # it may have come back since
            how = "there since" if then is None else "gone since" if now is None else "changed since"
            core = then or now
            assert core is not None, "one of them is there"
            shapes.append({"id": shape_id, "name": core.name, "how": how, "there": then is not None})
    mattes = [{"id": k, "name": data["name"]} for k, data in past.mattes().items()]
    return {"revision": revision, "mattes": mattes, "shapes": sorted(shapes, key=lambda one: one["name"])}


def then(shot: Shot, revision: int, matte_id: uuid.UUID) -> CoreMatte:
    """A matte as it stood after an edit. NotThere where it was not there."""
    key = (shot.pk, shot.revision, revision, str(matte_id))
    with _lock:
        found = _mattes.get(key)
    if found is None:
        found = Past(shot, revision).matte(str(matte_id))
        with _lock:
            _mattes[key] = found
    return found


def _both(shot: Shot, revision: int, matte_id: uuid.UUID) -> tuple[CoreMatte, CoreMatte | None]:
    """A matte as it stood, and as it is now, where it is there."""
    row = shot.mattes.filter(pk=matte_id).first()
    return then(shot, revision, matte_id), None if row is None else core_cache.matte(shot, row)


def differing(user: User, shot_id: int, revision: int, matte_id: uuid.UUID) -> list[int]:
    """The frames of the working range on which a matte is made from something else now than then."""
    shot = shot_for(user, shot_id, "look")
    before, now = _both(shot, revision, matte_id)
    frames = range(shot.working[0], shot.working[1] + 1)
    if now is None:
        return list(frames)
    solver = ShotFringes(shot, wait=False, steady=False)
    keys = [matte_keys(core, frames, solver) for core in (before, now)]
    return [f for f in frames if keys[0][f] != keys[1][f]]


def picture(user: User, shot_id: int, revision: int, matte_id: uuid.UUID, frame: int, way: str) -> tuple[bytes, float, float]:
    """A picture of a matte then, now, or of the difference; and how many px more and less it covers now than then."""
    shot = shot_for(user, shot_id, "look")
    if way not in WAYS or not shot.first <= frame <= shot.last:
        raise NotThere()
    core, now = _both(shot, revision, matte_id)
    solver = ShotFringes(shot, wait=False, steady=False)
    before = render(core, frame, threads=2, depth="16", fringes=solver).alpha
    after = np.zeros_like(before) if now is None else render(now, frame, threads=2, depth="16", fringes=solver).alpha
    found = differences.difference(before, after)
    chosen = {"then": before, "now": after}.get(way)
    shown = differences.coloured(before, after) if chosen is None else (chosen >> 8).astype(np.uint8)
    return stills.encode_picture(_fitting(shown), ".png"), found.more, found.less


def _fitting(pixels: NDArray[np.uint8]) -> NDArray[np.uint8]:
    width = min(WIDE, pixels.shape[1])
    size = (width, max(1, round(pixels.shape[0] * width / pixels.shape[1])))
    return np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA), dtype=np.uint8)


@transaction.atomic
def mark(user: User, shot_id: int, name: str, revision: int | None = None) -> Mark:
    """Give the state after an edit a name; without one, the present state. Refused where the name is taken."""
    shot = shot_for(user, shot_id, "trace", lock=True)
    says = one_name(name, LONGEST, f"Give the mark a name of at most {LONGEST} characters.")
    at = shot.revision if revision is None else revision
    if not 0 <= at <= shot.revision:
        raise NotThere("The shot has never stood so.")
    if shot.marks.filter(name=says).exists():
        raise Refused(f"There is a mark '{says}' already. Give this one another name.")
    return Mark.objects.create(shot=shot, revision=at, name=says, user_id=account(user))


def unmark(user: User, shot_id: int, mark_id: int) -> None:
    """Take a mark's name away; the state stays in the journal."""
    shot = shot_for(user, shot_id, "trace")
    if not shot.marks.filter(pk=mark_id).delete()[0]:
        raise NotThere("That mark is not there any more.")
