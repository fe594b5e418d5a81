"""The desk's api of what goes out, what comes in, and the notes that come back: thin, as `api` is."""

import io
import uuid
from typing import Any

from django.http import FileResponse, HttpRequest
from ninja import File, Form, Router, Schema
from ninja.files import UploadedFile

from jaythread.desk import exchange, notes
from jaythread.desk.vocabulary import Frame
from roto.errors import BadDocument

router = Router(tags=["exchange"])


class DoneIn(Schema):
    done: bool = True


def _file(name: str, text: str, kind: str) -> FileResponse:
    return FileResponse(io.BytesIO(text.encode()), as_attachment=True, filename=name, content_type=kind)


@router.get("/shots/{shot_id}/mattes/{matte_id}/document")
def export(request: HttpRequest, shot_id: int, matte_id: uuid.UUID) -> FileResponse:
    return _file(*exchange.export_document(request.user, shot_id, matte_id), "application/json")


@router.get("/shots/{shot_id}/mattes/{matte_id}/svg")
def export_svg(request: HttpRequest, shot_id: int, matte_id: uuid.UUID, frame: Frame | None = None) -> FileResponse:
    """frame: one, or the whole range as animated SVG."""
    return _file(*exchange.export_svg(request.user, shot_id, matte_id, frame), "image/svg+xml")


@router.post("/shots/{shot_id}/document")
def take_in(request: HttpRequest, shot_id: int, file: File[UploadedFile], frame: Form[Frame | None] = None) -> Any:
    """A shape document or an SVG file; frame: on which outlines from SVG are keyed."""
    if (file.size or 0) > exchange.LARGEST:
        raise BadDocument("file", f"has {(file.size or 0) >> 20} MB; {exchange.LARGEST >> 20} are the most that is taken.")
    matte, report = exchange.take_in(request.user, shot_id, file.read(), (file.name or "").rsplit(".", 1)[0], frame)
    return {"id": str(matte.pk), "report": report}


@router.get("/shots/{shot_id}/notes")
def notes_of(request: HttpRequest, shot_id: int) -> Any:
    return {"notes": notes.notes_of(request.user, shot_id)}


@router.post("/shots/{shot_id}/notes/{note_id}/done")
def note_done(request: HttpRequest, shot_id: int, note_id: int, body: DoneIn) -> Any:
    notes.mark_done(request.user, shot_id, note_id, body.done)
    return {}
