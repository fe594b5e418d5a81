"""Notes on frames and places of a shot: who writes them, what is answered, and what becomes of them."""

import uuid
from collections.abc import Sequence
from io import BytesIO
from math import isfinite
from pathlib import Path
from typing import Any

import numpy as np
from django.db import transaction
from django.db.models import F
from django.urls import reverse
from numpy.typing import NDArray
from PIL import Image
from procrastinate.contrib.django import app

from jaythread import store
from jaythread.bell import actions as bell
from jaythread.desk.models import Answer, Matte, Note
from jaythread.errors import NotThere, Refused
from jaythread.productions.models import Membership, Shot
from jaythread.productions.policies import User, account, shot_for
from roto.picture import stills

LONGEST, LONGEST_REASON = 1000, 300
"""characters of a note, and of an answer; of why it is not done"""
LARGEST, MOST_PIXELS, WIDE = 20 << 20, 60_000_000, 1280
"""bytes and px of a picture that is put into a note; px, the longer side of what is kept of it"""
STROKES, PLACES = 60, 6000
"""that a note may have"""
FAR = 100_000.0
"""px: farther from the picture nothing is drawn"""


def notes_of(user: User, shot_id: int) -> list[dict[str, Any]]:
    """All notes of a shot, in order of frames."""
    shot = shot_for(user, shot_id, "look")
    fields = ("id", "frame", "last", "x", "y", "strokes", "by", "package", "state", "reason", "settled_by", "settled_at", "pasted")
    told: dict[int, list[dict[str, Any]]] = {}
    for row in Answer.objects.filter(note__shot=shot).select_related("user"):
        told.setdefault(row.note_id, []).append({"by": row.user.get_username(), "text": row.says})
    rows = Note.objects.filter(shot=shot).values(*fields, text=F("says"), person=F("to__username"))
    versions = versions_of(shot) if any(row["state"] == Note.State.DONE for row in rows) else []
    return [_told(row, versions, told.get(row["id"], [])) for row in rows]


def _told(row: dict[str, Any], versions: list[tuple[int, str]], answers: list[dict[str, Any]]) -> dict[str, Any]:
    """A note as pages know it."""
    own = {k: v for k, v in row.items() if k not in ("person", "settled_at", "pasted")}
    done = row["state"] == Note.State.DONE
    return {
        **own,
        "to": row["person"],
        "answers": answers,
        "pasted": bool(row["pasted"]),
        "version": version_of(row["settled_at"], versions) if done else "",
    }


def versions_of(shot: Shot) -> list[tuple[int, str]]:
    """The proved packages of a shot, the oldest first: the revision that each is of, and what it is called."""
    rows = Matte.objects.filter(shot=shot, deliveries__state="proved").order_by("deliveries__revision", "deliveries__made")
    return [(at, f"{name} {version}") for name, version, at in rows.values_list("name", "deliveries__version", "deliveries__revision")]


def version_of(revision: int | None, versions: Sequence[tuple[int, str]]) -> str:
    """In which package something that was done at a revision is first; "" where none is made yet, or nobody knows."""
    return "" if revision is None else next((name for at, name in versions if at >= revision), "")


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
    made = Note.objects.create(
        shot=shot, frame=frame, last=last if last != frame else None, x=middle[0], y=middle[1], says=says, by=user.get_username(),
        strokes=[[[round(float(x), 2), round(float(y), 2)] for x, y in stroke] for stroke in strokes], to=person.user if person else None,
    )  # fmt: skip
    if person is not None:
        _tell([person.user_id], made, f"{user.get_username()} has a note for you", account(user))
    return made


def _tell(people: Sequence[int], note: Note, says: str, but: int) -> None:
    """Say to people that something came of a note, with where it is to be seen."""
    address = f"{reverse('desk', args=[note.shot_id])}?frame={note.frame}&step=check"
    bell.tell(people, note.shot.production, f"{says} on {note.shot.name}, frame {note.frame}: {note.says}", address, but)


def _authors(note: Note) -> list[int]:
    """The account of whoever wrote a note, where they have one."""
    return list(Membership.objects.filter(production=note.shot.production_id, user__username=note.by).values_list("user_id", flat=True))


@transaction.atomic
def answer(user: User, shot_id: int, note_id: int, text: str) -> Answer:
    """Answer a note; one that came from the other side goes there."""
    shot = shot_for(user, shot_id, "trace")
    note = _note(shot, note_id)
    says = " ".join(text.split())
    if not says or len(says) > LONGEST or not says.isprintable():
        raise Refused(f"Write an answer of at most {LONGEST} characters.")
    made = Answer.objects.create(note=note, user_id=account(user), says=says, sent=not note.ref)
    _tell(
        [*_authors(note), *([note.to_id] if note.to_id else [])],
        note,
        f"{user.get_username()} answers '{says[:120]}' to a note",
        account(user),
    )
    if note.ref:
        app.configure_task("receiving.answers", queue="receiving").defer()  # by name: handing over stands above the desk
    return made


@transaction.atomic
def settle(user: User, shot_id: int, note_id: int, state: str, reason: str = "") -> Note:
    """A note is done, or it is not and will not be, and why; or it is open again."""
    shot = shot_for(user, shot_id, "trace")
    note = _note(shot, note_id, lock=True)
    if state not in Note.State.values:
        raise Refused("A note is open, done, or not done.")
    says = " ".join(reason.split())
    if len(says) > LONGEST_REASON or not says.isprintable():
        raise Refused(f"Say why in at most {LONGEST_REASON} characters.")
    if state == Note.State.NOT_DONE and not says:
        raise Refused("Say in a few words why it is not done: whoever wrote it will ask.")
    settled = state != Note.State.OPEN
    note.state, note.reason = Note.State(state), says if state == Note.State.NOT_DONE else ""
    note.settled_by, note.settled_at = (user.get_username(), shot.revision) if settled else ("", None)
    note.save(update_fields=["state", "reason", "settled_by", "settled_at"])
    if note.state == Note.State.NOT_DONE:
        _tell(_authors(note), note, f"{user.get_username()} does not do a note ('{says[:120]}')", account(user))
    return note


def _note(shot: Shot, note_id: int, lock: bool = False) -> Note:
    rows = Note.objects.select_for_update(of=("self",)) if lock else Note.objects.all()
    note = rows.filter(shot=shot, pk=note_id).first()
    if note is None:
        raise NotThere("There is no such note at this shot.")
    return note


def paste(user: User, shot_id: int, note_id: int, data: bytes) -> None:
    """Put a picture into a note of one's own: PNG, JPEG or TIFF; it is kept as a PNG. Refused where it is none, or one is there already."""
    shot = shot_for(user, shot_id, "note")
    note = _note(shot, note_id)
    if note.by != user.get_username() or note.pasted:
        raise Refused("A picture is put into a note by whoever wrote it, and once.")
    if len(data) > LARGEST:
        raise Refused(f"A picture of at most {LARGEST >> 20} MB can be put into a note.")
    pixels = small_of(data)
    if pixels is None:
        raise Refused("That is not a picture that can be read. Put a PNG or a JPEG in.")
    path = store.folder(f"notes/{uuid.uuid4().hex}.png")
    path.parent.mkdir(parents=True, exist_ok=True)
    stills.write_picture(path, pixels)
    store.keep(path)
    Note.objects.filter(pk=note.pk).update(pasted=path.name)


def small_of(data: bytes) -> NDArray[np.uint8] | None:
    """A picture from bytes, uint8 (h, w, 3), made smaller where it is wider than WIDE; None where it is none."""
    try:
        with Image.open(BytesIO(data)) as found:
            if found.width * found.height > MOST_PIXELS:
                return None
            found.thumbnail((WIDE, WIDE))
            return np.asarray(found.convert("RGB"))
    except (OSError, ValueError, Image.DecompressionBombError, SyntaxError):
        return None


def pasted(user: User, shot_id: int, note_id: int) -> Path:
    """The picture in a note. NotThere where there is none."""
    note = _note(shot_for(user, shot_id, "look"), note_id)
    path = store.here(store.folder(f"notes/{note.pasted or 'none'}"))
    if not note.pasted or not path.exists():
        raise NotThere("There is no picture in this note.")
    return path
