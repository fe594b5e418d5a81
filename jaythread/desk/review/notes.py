"""Notes on frames and places of a shot: they come from receivers, are answered, and are done when somebody says so."""

from typing import Any

from django.db import transaction
from django.db.models import F
from procrastinate.contrib.django import app

from jaythread.desk.models import Answer, Note
from jaythread.errors import NotThere, Refused
from jaythread.productions.policies import User, account, shot_for

LONGEST = 1000
"""characters of an answer"""


def notes_of(user: User, shot_id: int) -> list[dict[str, Any]]:
    """All notes of a shot, in order of frames."""
    shot = shot_for(user, shot_id, "look")
    fields = ("id", "frame", "x", "y", "by", "package", "done")
    told: dict[int, list[dict[str, Any]]] = {}
    for row in Answer.objects.filter(note__shot=shot).select_related("user"):
        told.setdefault(row.note_id, []).append({"by": row.user.get_username(), "text": row.says})
    return [{**row, "answers": told.get(row["id"], [])} for row in Note.objects.filter(shot=shot).values(*fields, text=F("says"))]


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
