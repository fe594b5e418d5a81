"""Notes of a whole production: as one list, as a table, as markers, with pictures of what was drawn."""

import csv
import io
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from jaythread import store
from jaythread.desk.models import Note
from jaythread.desk.review.notes import version_of, versions_of
from jaythread.errors import NotThere
from jaythread.plates import frames as plate_frames
from jaythread.productions import policies
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, shot_for
from roto.exchange import editorial
from roto.exchange.editorial import Marker, Media
from roto.picture import stills

ASKED = ("words", "shot", "state", "to", "by")
"""what the list can be asked for by"""
WIDE = 480
"""px: the width of a note's picture"""
STROKE = (196, 122, 24)
"""what was drawn, as displayed"""
HEAD = (
    "shot",
    "first frame",
    "last frame",
    "x",
    "y",
    "note",
    "by",
    "to",
    "package",
    "state",
    "settled by",
    "done in",
    "why not",
    "answers",
    "made",
)
"""columns of the table"""


def notes(user: User, production_id: int, *, words: str = "", shot: str = "", state: str = "", to: str = "", by: str = "") -> list[Any]:
    """The notes of a production, by shot and frame. words: in what is said or answered. to, by: accounts, or names of the other side. Each
    has `version`: the package that it was done in, where there is one."""
    policies.require(user, production_id, "look")
    rows = Note.objects.filter(shot__production=production_id).select_related("shot", "to").prefetch_related("answers__user")
    for name, value in (("shot__name", shot), ("state", state), ("to__username", to), ("by", by)):
        if value:
            rows = rows.filter(**{name: value})
    found: list[Any] = list(rows.order_by("shot__name", "frame", "made"))
    if words:
        small = words.casefold()
        found = [n for n in found if any(small in text.casefold() for text in (n.says, *(a.says for a in n.answers.all())))]
    versions: dict[int, list[tuple[int, str]]] = {}
    for note in found:
        note.version = ""
        if note.state == Note.State.DONE and note.settled_at is not None:
            if note.shot_id not in versions:
                versions[note.shot_id] = versions_of(note.shot)
            note.version = version_of(note.settled_at, versions[note.shot_id])
    return found


def table(rows: list[Any]) -> str:
    """Notes as CSV (RFC 4180), a line a note. What begins as a formula does in spreadsheets is written with an apostrophe before it."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(HEAD)
    for n in rows:
        answers = " / ".join(f"{a.user.get_username()}: {a.says}" for a in n.answers.all())
        place = ["", ""] if n.x is None else [f"{n.x:.1f}", f"{n.y:.1f}"]
        said = [n.says, n.by, n.to.get_username() if n.to else "", n.package, n.state, n.settled_by, n.version, n.reason, answers]
        ends = [n.frame, n.frame if n.last is None else n.last]
        writer.writerow([n.shot.name, *ends, *place, *map(_plain, said), n.made.isoformat(timespec="minutes")])
    return out.getvalue()


def _plain(text: str) -> str:
    return f"'{text}" if text[:1] in "=+-@\t\r" and text else text


def markers(user: User, shot_id: int) -> str:
    """The open notes of a shot as markers on its plate, the text of an OpenTimelineIO file."""
    shot = shot_for(user, shot_id, "look")
    plate = shot.plates.first()
    media = [Media(name=Path(plate.source).stem if plate else shot.name, first=shot.first, frames=shot.last - shot.first + 1)]
    rows = Note.objects.filter(shot=shot, state=Note.State.OPEN)
    said = [Marker(frame=n.frame, last=n.last, says=editorial.one_line(n.says), by=n.by) for n in rows]
    return editorial.as_otio(editorial.timeline(shot.name, shot.rate, media, said, shot.first))


def picture(user: User, shot_id: int, note_id: int) -> bytes:
    """The frame that a note is about, small, with what was drawn on it and a ring where it stands, as JPEG; what was put in beside it."""
    shot = shot_for(user, shot_id, "look")
    note = Note.objects.filter(shot=shot, pk=note_id).first()
    if note is None:
        raise NotThere("There is no such note at this shot.")
    shown = _drawn(shot, note)
    put_in = store.here(store.folder(f"notes/{note.pasted or 'none'}"))
    if note.pasted and put_in.exists():
        other = stills.read(put_in)[..., :3]
        other = cv2.resize(
            other, (max(1, round(other.shape[1] * shown.shape[0] / other.shape[0])), shown.shape[0]), interpolation=cv2.INTER_AREA
        )
        shown = np.hstack([shown, other.astype(np.uint8)])
    return stills.encode_picture(np.ascontiguousarray(shown), ".jpg")


def _drawn(shot: Shot, note: Note) -> np.ndarray:
    size = (WIDE, max(1, round(WIDE * shot.height / shot.width)))
    plate = shot.plates.first()
    try:
        if plate is None:
            raise NotThere()
        shown = np.ascontiguousarray(cv2.resize(plate_frames.small(plate, note.frame), size, interpolation=cv2.INTER_AREA), dtype=np.uint8)
    except NotThere:
        shown = np.full((size[1], size[0], 3), 119, np.uint8)
    scale = WIDE / shot.width
    for stroke in note.strokes:
        line = np.rint(np.array(stroke, dtype=np.float64) * scale * 16).astype(np.int32)
        for colour, wide in (((255, 255, 255), 5), (STROKE, 2)):
            cv2.polylines(shown, [line], False, colour, wide, cv2.LINE_AA, 4)
    if not note.strokes and note.x is not None and note.y is not None:
        at = (round(note.x * scale * 16), round(note.y * scale * 16))
        for colour, wide in (((255, 255, 255), 5), (STROKE, 2)):
            cv2.circle(shown, at, 14 * 16, colour, wide, cv2.LINE_AA, 4)
    return shown
