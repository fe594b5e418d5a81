"""Notes on frames and places of a shot: they come from receivers, and are done when somebody says so."""

from typing import Any

from django.db import transaction
from django.db.models import F

from jaythread.desk.models import Note
from jaythread.errors import NotThere
from jaythread.productions.policies import User, shot_for


def notes_of(user: User, shot_id: int) -> list[dict[str, Any]]:
    """All notes of a shot, in order of frames."""
    shot = shot_for(user, shot_id, "look")
    fields = ("id", "frame", "x", "y", "by", "package", "done")
    return list(Note.objects.filter(shot=shot).values(*fields, text=F("says")))


@transaction.atomic
def mark_done(user: User, shot_id: int, note_id: int, done: bool) -> None:
    """A note is done, or it is open again."""
    shot = shot_for(user, shot_id, "trace")
    if not Note.objects.filter(shot=shot, pk=note_id).update(done=done):
        raise NotThere("There is no such note at this shot.")
