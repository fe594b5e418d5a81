"""The desk's api of tracks: thin, as `api` is."""

import io
import uuid
from typing import Any

from django.http import FileResponse, HttpRequest
from ninja import File, Router, Schema
from ninja.files import UploadedFile

from jaythread.desk import following, track_tables
from jaythread.desk.vocabulary import Frame

router = Router(tags=["tracks"])


class FollowIn(Schema):
    """frame, to: where to begin and how far to go, in either direction. proxies: read the small pictures instead of the full ones."""

    frame: Frame
    to: Frame
    proxies: bool = False


@router.post("/shots/{shot_id}/tracks/{track_id}/follow")
def follow(request: HttpRequest, shot_id: int, track_id: uuid.UUID, body: FollowIn) -> Any:
    run = following.begin(request.user, shot_id, track_id, body.frame, body.to, body.proxies)
    return {"id": run.pk, "state": run.state, "message": run.message}


@router.get("/shots/{shot_id}/tracks/{track_id}/following")
def following_state(request: HttpRequest, shot_id: int, track_id: uuid.UUID) -> Any:
    return following.state(request.user, shot_id, track_id)


@router.get("/shots/{shot_id}/tracks/{track_id}/holds/{frame}")
def holds(request: HttpRequest, shot_id: int, track_id: uuid.UUID, frame: int) -> Any:
    return following.holds(request.user, shot_id, track_id, frame)


@router.post("/shots/{shot_id}/followings/{following_id}/cancel")
def cancel_following(request: HttpRequest, shot_id: int, following_id: int) -> Any:
    following.cancel(request.user, shot_id, following_id)
    return {}


@router.get("/shots/{shot_id}/tracks/{track_id}/table")
def track_table(request: HttpRequest, shot_id: int, track_id: uuid.UUID) -> FileResponse:
    name, text = track_tables.export_table(request.user, shot_id, track_id)
    return FileResponse(io.BytesIO(text.encode()), as_attachment=True, filename=name, content_type="text/csv")


@router.post("/shots/{shot_id}/tracks")
def take_in_track(request: HttpRequest, shot_id: int, file: File[UploadedFile]) -> Any:
    return {"id": str(track_tables.import_table(request.user, shot_id, (file.name or "track").rsplit(".", 1)[0], file.read()).pk)}
