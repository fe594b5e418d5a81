"""Tracks: how well a plane holds, tables in and out. Following is a job."""

import io
import uuid
from typing import Any

from django.http import FileResponse, HttpRequest
from ninja import File, Router
from ninja.files import UploadedFile

from jaythread.desk.api.schemas import HoldsOut, MadeOut
from jaythread.desk.exchange import track_tables
from jaythread.desk.tracking import following

router = Router(tags=["tracks"])


@router.get("/shots/{shot_id}/tracks/{track_id}/holds/{frame}", response=HoldsOut)
def holds(request: HttpRequest, shot_id: int, track_id: uuid.UUID, frame: int) -> Any:
    """How well a plane holds on a frame."""
    return following.holds(request.user, shot_id, track_id, frame)


@router.get("/shots/{shot_id}/tracks/{track_id}/table")
def track_table(request: HttpRequest, shot_id: int, track_id: uuid.UUID) -> FileResponse:
    """A track as a table of comma-separated values."""
    name, text = track_tables.export_table(request.user, shot_id, track_id)
    return FileResponse(io.BytesIO(text.encode()), as_attachment=True, filename=name, content_type="text/csv")


@router.post("/shots/{shot_id}/tracks", response=MadeOut)
def take_in_track(request: HttpRequest, shot_id: int, file: File[UploadedFile]) -> Any:
    """A new track from such a table."""
    return {"id": str(track_tables.import_table(request.user, shot_id, (file.name or "track").rsplit(".", 1)[0], file.read()).pk)}
