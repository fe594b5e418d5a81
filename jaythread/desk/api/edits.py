"""Opening the desk, editing, undo and redo, and news."""

import uuid
from typing import Annotated, Any

from django.http import HttpRequest, HttpResponse
from ninja import Router, Schema
from pydantic import AliasChoices, Field

from jaythread.desk.api.news_schemas import NewsOut
from jaythread.desk.api.schemas import CopiedOut, DeskOut, EditedOut, FramesOut, HistoryOut, PreviewOut
from jaythread.desk.edit import actions, commands
from jaythread.desk.edit.types import Frame
from jaythread.desk.exchange import documents
from jaythread.desk.view import clips, news, serializers
from jaythread.desk.view.prerender import Prerender
from jaythread.front_door import written
from jaythread.productions.models import Shot
from jaythread.productions.policies import may, require, shot_for

router = Router(tags=["desk"])


class ViewedIn(Schema):
    """What the page is looking at."""

    matte: uuid.UUID
    frame: Frame


class EditIn(Schema):
    """base: the revision of each shape that the change was made on.

    view: what the page is looking at, so that the answer brings the matte of the touched box along.
    """

    id: uuid.UUID
    base: dict[str, int] | None = None
    command: commands.Command
    view: ViewedIn | None = Field(None, validation_alias=AliasChoices("view", "look"))  # look: as it was called once


class PreviewIn(Schema):
    command: commands.Command


class TurnIn(Schema):
    id: uuid.UUID


class CopyIn(Schema):
    """shot: where to."""

    shot: int


class MatteCopyIn(Schema):
    """begin: the frame there that this shot's first one comes to."""

    shot: int
    begin: Frame | None = None


@router.get("/shots/{shot_id}/desk", response=DeskOut)
def open_desk(request: HttpRequest, shot_id: int) -> HttpResponse:
    """All that the desk needs to open."""
    shot = shot_for(request.user, shot_id, "look")
    return written(serializers.desk(shot, request.user, may(require(request.user, shot.production_id, "look"), "trace")))


@router.get("/shots/{shot_id}/outlines")
def outlines(request: HttpRequest, shot_id: int) -> HttpResponse:
    """The outlines of all shapes on every frame, as bytes; see `serializers.outlines`."""
    reply = HttpResponse(serializers.outlines(shot_for(request.user, shot_id, "look")), content_type="application/octet-stream")
    reply["Cache-Control"] = "no-store"
    return reply


@router.post("/shots/{shot_id}/edits", response=EditedOut)
def edit(request: HttpRequest, shot_id: int, body: EditIn) -> HttpResponse:
    """Do what a command says."""
    early = Prerender(body.view.matte, body.view.frame) if body.view else None
    if early:
        early.guess(shot_id, body.base, body.command)
    done = actions.edit(request.user, shot_id, body.id, body.base, body.command, early)
    shot = done.shot if done.shot.revision == done.revision else Shot.objects.get(pk=shot_id)
    answer = serializers.after(done, shot, request.user)
    if early and shot is done.shot:
        answer["picture"] = early.picture(shot)
    return written(answer)


@router.get("/shots/{shot_id}/news", response=NewsOut)
def what_is_new(
    request: HttpRequest, shot_id: int, revision: int, moment: Annotated[str | None, Field(max_length=40)] = None
) -> HttpResponse:
    """All that has changed since a revision, and since the moment that the last answer named."""
    return written(news.since(request.user, shot_id, revision, moment))


@router.get("/shots/{shot_id}/edits", response=HistoryOut)
def what_was_done(request: HttpRequest, shot_id: int) -> Any:
    """What was done in a shot, newest first."""
    return {"edits": serializers.done(shot_for(request.user, shot_id, "look"))}


@router.post("/shots/{shot_id}/preview", response=PreviewOut)
def preview(request: HttpRequest, shot_id: int, body: PreviewIn) -> HttpResponse:
    """What a command would make of shapes, or of a track; nothing is saved."""
    return written(serializers.preview(*actions.preview(request.user, shot_id, body.command)))


@router.post("/shots/{shot_id}/undo", response=EditedOut)
def undo(request: HttpRequest, shot_id: int, body: TurnIn) -> HttpResponse:
    """Take back one's own last change."""
    return written(serializers.after(actions.undo(request.user, shot_id, body.id), Shot.objects.get(pk=shot_id), request.user))


@router.post("/shots/{shot_id}/redo", response=EditedOut)
def redo(request: HttpRequest, shot_id: int, body: TurnIn) -> HttpResponse:
    """Do again what was taken back last."""
    return written(serializers.after(actions.redo(request.user, shot_id, body.id), Shot.objects.get(pk=shot_id), request.user))


@router.get("/shots/{shot_id}/clips/{plate_id}", response=FramesOut)
def clip(request: HttpRequest, shot_id: int, plate_id: int, begin: Frame | None = None, reverse: bool = False) -> Any:
    """The frames of another shot's plate that stand beside this shot's."""
    return {"frames": clips.frames_of(request.user, shot_id, plate_id, begin, reverse)}


@router.post("/shots/{shot_id}/mattes/{matte_id}/copies", response=CopiedOut)
def copy_matte(request: HttpRequest, shot_id: int, matte_id: uuid.UUID, body: MatteCopyIn) -> Any:
    """Copy a whole matte, with its shapes and tracks, to another shot."""
    matte = documents.copy_matte_to(request.user, shot_id, matte_id, body.shot, body.begin)
    return {"matte": matte.name, "shot": matte.shot.name}


@router.post("/shots/{shot_id}/shapes/{shape_id}/copies", response=CopiedOut)
def copy(request: HttpRequest, shot_id: int, shape_id: uuid.UUID, body: CopyIn) -> Any:
    """Copy a shape with all its keys to another shot."""
    matte = documents.copy_to(request.user, shot_id, str(shape_id), body.shot)
    return {"matte": matte.name, "shot": matte.shot.name}
