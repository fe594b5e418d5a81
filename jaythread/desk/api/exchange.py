"""Mattes in and out, and notes."""

import io
import uuid
from typing import Annotated, Any, Literal

from django.http import FileResponse, HttpRequest
from ninja import File, Form, Router, Schema
from ninja.files import UploadedFile
from pydantic import Field

from jaythread.desk.api.news_schemas import AnswerOut, NoteMadeOut
from jaythread.desk.api.schemas import NothingOut, TakenInOut
from jaythread.desk.edit.types import Frame, Text
from jaythread.desk.exchange import documents
from jaythread.desk.review import notes
from roto.errors import BadDocument

router = Router(tags=["exchange"])


class SettleIn(Schema):
    """reason: why, of what is not done."""

    state: Literal["open", "done", "not done"] = "done"
    reason: Annotated[str, Field(max_length=2000)] = ""


def _file(name: str, text: str, kind: str) -> FileResponse:
    return FileResponse(io.BytesIO(text.encode()), as_attachment=True, filename=name, content_type=kind)


@router.get("/shots/{shot_id}/mattes/{matte_id}/document")
def export(request: HttpRequest, shot_id: int, matte_id: uuid.UUID) -> FileResponse:
    """A matte as a shape document."""
    return _file(*documents.export_document(request.user, shot_id, matte_id), "application/json")


@router.get("/shots/{shot_id}/mattes/{matte_id}/svg")
def export_svg(request: HttpRequest, shot_id: int, matte_id: uuid.UUID, frame: Frame | None = None) -> FileResponse:
    """A matte as SVG. frame: one, or the whole range as animated SVG."""
    return _file(*documents.export_svg(request.user, shot_id, matte_id, frame), "image/svg+xml")


@router.post("/shots/{shot_id}/document", response=TakenInOut)
def take_in(
    request: HttpRequest, shot_id: int, file: File[UploadedFile], frame: Form[Frame | None] = None, begin: Form[Frame | None] = None
) -> Any:
    """A shape document or an SVG file; frame: on which outlines from SVG are keyed; begin: where a document's first frame comes to."""
    if (file.size or 0) > documents.LARGEST:
        raise BadDocument("file", f"has {(file.size or 0) >> 20} MB; {documents.LARGEST >> 20} are the most that is taken.")
    matte, report = documents.take_in(request.user, shot_id, file.read(), (file.name or "").rsplit(".", 1)[0], frame, begin)
    return {"id": str(matte.pk), "report": report}


@router.post("/shots/{shot_id}/notes/{note_id}/state", response=NothingOut)
def settle_note(request: HttpRequest, shot_id: int, note_id: int, body: SettleIn) -> Any:
    """A note is done, or not done and why; or it is open again."""
    notes.settle(request.user, shot_id, note_id, body.state, body.reason)
    return {}


@router.post("/shots/{shot_id}/notes/{note_id}/pasted", response=NothingOut)
def paste_into_note(request: HttpRequest, shot_id: int, note_id: int, file: File[UploadedFile]) -> Any:
    """Put a picture into a note of one's own."""
    if (file.size or 0) > notes.LARGEST:
        raise BadDocument("file", f"has {(file.size or 0) >> 20} MB; {notes.LARGEST >> 20} are the most that is taken.")
    notes.paste(request.user, shot_id, note_id, file.read())
    return {}


@router.get("/shots/{shot_id}/notes/{note_id}/pasted")
def pasted_picture(request: HttpRequest, shot_id: int, note_id: int) -> FileResponse:
    """The picture in a note, as PNG."""
    return FileResponse(notes.pasted(request.user, shot_id, note_id).open("rb"), content_type="image/png")


class NoteIn(Schema):
    """last: the end of a stretch. strokes: drawn on the picture, plate px. to: for whom, or all."""

    text: Annotated[str, Field(max_length=200_000)]
    frame: Frame
    last: Frame | None = None
    strokes: Annotated[list[Annotated[list[tuple[float, float]], Field(max_length=6000)]], Field(max_length=60)] = []
    to: Annotated[str, Field(max_length=150)] = ""


@router.post("/shots/{shot_id}/notes", response=NoteMadeOut)
def add_note(request: HttpRequest, shot_id: int, body: NoteIn) -> Any:
    """A note on a frame or a stretch, with strokes drawn on the picture."""
    return {"id": notes.add(request.user, shot_id, body.text, body.frame, body.last, body.strokes, body.to).pk}


class AnswerIn(Schema):
    """What is answered to a note."""

    text: Text


@router.post("/shots/{shot_id}/notes/{note_id}/answers", response=AnswerOut)
def answer_note(request: HttpRequest, shot_id: int, note_id: int, body: AnswerIn) -> Any:
    """Answer a note; one of the other side goes there."""
    made = notes.answer(request.user, shot_id, note_id, body.text)
    return {"by": made.user.get_username(), "text": made.says}
