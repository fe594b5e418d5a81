"""Looking at a matte before it goes on: its pictures, what was found and noted, and what waits beside it."""

import uuid
from typing import Any

import cv2
from django.urls import reverse

from jaythread.desk import policies
from jaythread.desk.document import core_cache
from jaythread.desk.matting.fringes import ShotFringes
from jaythread.desk.models import Note
from jaythread.errors import NotThere
from jaythread.plates.models import State as PlateState
from jaythread.productions.policies import User
from jaythread.review import way
from jaythread.review.models import State
from roto.matte.render import render
from roto.picture import stills

WIDE = 1280
"""px: the width of the pictures, at most"""


def told(user: User, shot_id: int, matte_id: uuid.UUID) -> dict[str, Any]:
    """All that the looking page shows."""
    shot, matte = policies.matte_for(user, shot_id, matte_id, "look")
    stands = way.told(user, shot_id, matte_id)
    plate = next((p for p in shot.plates.all() if p.state == PlateState.READY), None)
    found = matte.findings.exclude(state=State.RIGHT).order_by("first")
    rows = Note.objects.filter(shot=shot).exclude(state=Note.State.DONE)
    notes = [
        {
            "id": n.pk,
            "frame": n.frame,
            "last": n.last,
            "x": n.x,
            "y": n.y,
            "strokes": n.strokes,
            "text": n.says,
            "by": n.by,
            "state": n.state,
        }
        for n in rows
    ]
    return {
        "frames": shot.working, "size": (shot.width, shot.height), "rate": float(shot.rate), "revision": shot.revision,
        "plate": f"{reverse('proxy', args=[plate.pk, 0])}?l={plate.picture_version}" if plate else "",
        "pictures": f"/api/shots/{shot.pk}/mattes/{matte.pk}/looking/", "state": stands["state"], "may": stands["may"],
        "findings": [{name: getattr(f, name) for name in ("first", "last", "box", "says", "why", "state")} for f in found],
        "notes": notes,
        "rest": [
            {"name": f"{m.shot.name}, {m.name}", "address": reverse("looking", args=[m.shot_id, m.pk])}
            for m in way.waiting(user, shot.production_id)
            if m.pk != matte.pk
        ],
    }  # fmt: skip


def picture(user: User, shot_id: int, matte_id: uuid.UUID, frame: int) -> bytes:
    """The matte of a frame as it is now, as a grey PNG."""
    shot, matte = policies.matte_for(user, shot_id, matte_id, "look")
    if not shot.first <= frame <= shot.last:
        raise NotThere(f"The shot has frames {shot.first}-{shot.last}.")
    core = core_cache.matte(shot, matte)
    alpha = render(core, frame, threads=2, depth="8", fringes=ShotFringes(shot, wait=False, steady=False).ready(core)).alpha
    width = min(WIDE, alpha.shape[1])
    if width < alpha.shape[1]:
        alpha = cv2.resize(alpha, (width, max(1, round(alpha.shape[0] * width / alpha.shape[1]))), interpolation=cv2.INTER_AREA)
    return stills.encode_picture(alpha, ".png")


def go(user: User, shot_id: int, matte_id: uuid.UUID, step: str, says: str) -> dict[str, str]:
    """A step on the matte's way; and the address of the next one that waits, "" where none does."""
    row = way.go(user, shot_id, matte_id, step, says)
    rest = [m for m in way.waiting(user, row.matte.shot.production_id) if m.pk != row.matte_id]
    return {"state": row.state, "next": reverse("looking", args=[rest[0].shot_id, rest[0].pk]) if rest else ""}
