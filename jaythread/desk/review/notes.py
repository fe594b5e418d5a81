"""Notes on frames and places of a shot: they come from receivers, are answered, and are done when somebody says so."""

from collections.abc import Sequence
from math import isfinite
from typing import Any

from django.db import transaction
from django.db.models import F
from procrastinate.contrib.django import app

from jaythread.desk.models import Answer, Note
from jaythread.errors import NotThere, Refused
from jaythread.productions.models import Membership
from jaythread.productions.policies import User, account, shot_for

LONGEST = 1000
"""characters of a note, and of an answer"""
STROKES, PLACES = 60, 6000
"""that a note may have"""
FAR = 100_000.0
"""px: farther from the picture nothing is drawn"""


def notes_of(user: User, shot_id: int) -> list[dict[str, Any]]:
    """All notes of a shot, in order of frames."""
    shot = shot_for(user, shot_id, "look")
    fields = ("id", "frame", "last", "x", "y", "strokes", "by", "package", "done")
    told: dict[int, list[dict[str, Any]]] = {}
    for row in Answer.objects.filter(note__shot=shot).select_related("user"):
        told.setdefault(row.note_id, []).append({"by": row.user.get_username(), "text": row.says})
    rows = Note.objects.filter(shot=shot).values(*fields, text=F("says"), person=F("to__username"))
    return [{**row, "answers": told.get(row["id"], [])} for row in map(_with_person, rows)]


def _with_person(row: dict[str, Any]) -> dict[str, Any]:
    """A note's row with its person under the name that pages know."""
    return {**{k: v for k, v in row.items() if k != "person"}, "to": row["person"]}


def add(
    user: User,
    shot_id: int,
    text: str,
    frame: int,
    last: int | None = None,
    strokes: Sequence[Sequence[Sequence[float]]] = (),
    to: str = "",
) -> Note:
    """A note on a frame, or on a stretch of frames. strokes: drawn on the picture, (x, y) in plate px; their middle is the place that the
    note is about. to: an account of the production, or "" for all. Refused with a sentence where something of it cannot be."""
    shot = shot_for(user, shot_id, "note")
    says = " ".join(text.split())
    if not says or len(says) > LONGEST or not says.isprintable():
        raise Refused(f"Write a note of at most {LONGEST} characters.")
    if not shot.first <= frame <= (last if last is not None else frame) <= shot.last:
        raise Refused(f"The shot has frames {shot.first}-{shot.last}: the note is to stand on some of these.")
    places = [(float(x), float(y)) for stroke in strokes for x, y in stroke]
    if len(strokes) > STROKES or len(places) > PLACES or not all(isfinite(v) and abs(v) <= FAR for place in places for v in place):
        raise Refused(f"At most {STROKES} strokes of {PLACES} places together can be drawn, near the picture.")
    person = Membership.objects.filter(production=shot.production_id, user__username=to).select_related("user").first() if to else None
    if to and person is None:
        raise Refused(f"{to} is not in this production.")
    middle = (sum(x for x, _ in places) / len(places), sum(y for _, y in places) / len(places)) if places else (None, None)
    return Note.objects.create(
        shot=shot, frame=frame, last=last if last != frame else None, x=middle[0], y=middle[1], says=says, by=user.get_username(),
        strokes=[[[round(float(x), 2), round(float(y), 2)] for x, y in stroke] for stroke in strokes], to=person.user if person else None,
    )  # fmt: skip


@transaction.atomic
def answer(user: User, shot_id: int, note_id: int, text: str) -> Answer:
    """Answer a note; one that came from the other side goes there."""
    shot = shot_for(user, shot_id, "trace")
    note = Note.objects.filter(shot=shot, pk=note_id).first()
    if note is None:
        raise NotThere("There is no such note at this shot.")
    says = " ".join(text.split())
    if not says or len(says) > LONGEST or not says.isprintable():
        raise Refused(f"Write an answer of at most {LONGEST} characters.")
    made = Answer.objects.create(note=note, user_id=account(user), says=says, sent=not note.ref)
    if note.ref:
        app.configure_task("receiving.answers", queue="receiving").defer()  # by name: handing over stands above the desk
    return made


@transaction.atomic
def mark_done(user: User, shot_id: int, note_id: int, done: bool) -> None:
    """A note is done, or it is open again."""
    shot = shot_for(user, shot_id, "trace")
    if not Note.objects.filter(shot=shot, pk=note_id).update(done=done):
        raise NotThere("There is no such note at this shot.")
