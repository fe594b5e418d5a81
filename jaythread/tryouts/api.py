"""Tryouts over HTTP."""

import uuid
from typing import Annotated, Any

from django.http import HttpRequest, HttpResponse
from ninja import File, Router, Schema
from ninja.files import UploadedFile
from pydantic import Field
from typing_extensions import TypedDict

from jaythread.desk.api.schemas import MadeOut
from jaythread.desk.edit import commands
from jaythread.desk.edit.types import Frame
from jaythread.productions.policies import shot_for
from jaythread.tryouts import actions, advice, ahead, graphics, pictures
from roto.package.names import safe
from roto.picture.stills import encode_picture
from roto.tryout import compose

router = Router(tags=["tryouts"])
Width = Annotated[int, Field(ge=16, le=16384)]


class TryoutPictureIn(Schema):
    """width: px, at most; none for the whole size, which comes as PNG. draft: an edit that is not saved yet, of the tryout or of shapes.
    bright: a line that is shown much brighter."""

    frame: Frame
    width: Width | None = None
    draft: commands.Command | None = None
    bright: Annotated[str, Field(max_length=60)] = ""


class BeginIn(Schema):
    """beginning: by its key. frame: the one in hand. id: of the edit."""

    id: uuid.UUID
    beginning: Annotated[str, Field(max_length=40)]
    matte: uuid.UUID | None = None
    frame: Frame | None = None


class TryoutCopyIn(Schema):
    """shot: another shot, or none for this one. matte: there, in place of those it is seen through here."""

    shot: int | None = None
    matte: uuid.UUID | None = None


class LightOut(TypedDict):
    """How a line's light differs from what lies below. off: whether it would be seen."""

    frame: int
    stops: float
    red: float
    blue: float
    off: bool


class GraphicOut(TypedDict):
    """A graphic that was taken in."""

    id: str
    name: str
    size: tuple[int, int]


class TryoutLineOut(TypedDict):
    """A line, as the tryout document has it."""

    line: dict[str, Any]


class ValuesOut(TypedDict):
    """By line: rows a frame (or one) of each channel, its keyed frames, and where its pivot and its corners lie."""

    lines: dict[str, dict[str, Any]]


class AdviceOut(TypedDict):
    """What a tryout says of itself. says: sentences, with the line and the frames they are about. light: per frame, of one line."""

    says: list[dict[str, Any]]
    light: list[LightOut]


def _image(pixels: Any, whole: bool) -> HttpResponse:
    return _picture(encode_picture(pixels, ".png" if whole else ".jpg"), "image/png" if whole else "image/jpeg")


def _picture(data: bytes, kind: str) -> HttpResponse:
    reply = HttpResponse(data, content_type=kind)
    reply["Cache-Control"] = "no-store"
    return reply


@router.post("/shots/{shot_id}/tryouts", response=MadeOut)
def begin_tryout(request: HttpRequest, shot_id: int, body: BeginIn) -> Any:
    """Begin a tryout by one of the ready beginnings."""
    _, made = actions.begin(request.user, shot_id, body.id, body.beginning, body.matte, body.frame)
    return {"id": str(made.pk)}


@router.post("/shots/{shot_id}/tryouts/{tryout_id}/copies", response=MadeOut)
def copy_tryout(request: HttpRequest, shot_id: int, tryout_id: uuid.UUID, body: TryoutCopyIn) -> Any:
    """A tryout once more, here or in another shot."""
    _, row = pictures.tryout_for(request.user, shot_id, tryout_id, "look")
    return {"id": str(actions.duplicate(request.user, shot_id, row, body.shot, body.matte).pk)}


@router.post("/shots/{shot_id}/tryouts/{tryout_id}/picture")
def tryout_picture(request: HttpRequest, shot_id: int, tryout_id: uuid.UUID, body: TryoutPictureIn) -> HttpResponse:
    """A composed frame, made here and now."""
    shot, row = pictures.tryout_for(request.user, shot_id, tryout_id, "look")
    return _image(pictures.picture(shot, row, body.frame, body.width, body.draft, body.bright), body.width is None)


@router.get("/shots/{shot_id}/tryouts/{tryout_id}/frames/{frame}")
def tryout_frame(request: HttpRequest, shot_id: int, tryout_id: uuid.UUID, frame: Frame, width: Width = 960) -> HttpResponse:
    """The same at an address, for pages that show it small, and for playing: as it was made ahead, where it was."""
    shot, row = pictures.tryout_for(request.user, shot_id, tryout_id, "look")
    found = ahead.kept(shot, row, frame, width)
    return _image(pictures.picture(shot, row, frame, width), False) if found is None else _picture(found, "image/jpeg")


@router.get("/shots/{shot_id}/tryouts/{tryout_id}/values", response=ValuesOut)
def tryout_values(request: HttpRequest, shot_id: int, tryout_id: uuid.UUID) -> Any:
    """What is keyed, on each frame, and where lines lie."""
    shot, row = pictures.tryout_for(request.user, shot_id, tryout_id, "look")
    return {"lines": pictures.values(shot, row)}


@router.get("/shots/{shot_id}/tryouts/{tryout_id}/document")
def export_tryout(request: HttpRequest, shot_id: int, tryout_id: uuid.UUID) -> HttpResponse:
    """A tryout with its mattes and tracks as one file, for `python -m roto tryout`."""
    shot, row = pictures.tryout_for(request.user, shot_id, tryout_id, "look")
    reply = HttpResponse(actions.bundled(shot, row), content_type="application/json")
    reply["Content-Disposition"] = f'attachment; filename="{safe(shot.name)}_{safe(row.name)}.tryout.json"'
    return reply


@router.post("/shots/{shot_id}/graphics", response=GraphicOut)
def take_in_graphic(request: HttpRequest, shot_id: int, file: File[UploadedFile]) -> Any:
    """A still or an SVG for the tryouts of the shot's production."""
    it = graphics.take_in(request.user, shot_id, file.name or "", file.chunks())
    return {"id": str(it.pk), "name": it.name, "size": (it.width, it.height)}


@router.get("/shots/{shot_id}/beginnings/{key}/frames/{frame}")
def beginning(
    request: HttpRequest, shot_id: int, key: str, frame: Frame, matte: uuid.UUID | None = None, width: Width = 320
) -> HttpResponse:
    """What a beginning would make of a matte of this shot."""
    shot = shot_for(request.user, shot_id, "look")
    row = shot.mattes.filter(pk=matte).first() if matte else shot.mattes.first()
    made, sources = actions.unsaved(shot, key, row, frame)
    return _image(compose.shown(compose.compose(made, sources, frame, width)), False)


@router.get("/shots/{shot_id}/tryouts/{tryout_id}/evened/{line}", response=TryoutLineOut)
def evened(request: HttpRequest, shot_id: int, tryout_id: uuid.UUID, line: str) -> Any:
    """A line as it would be with its light evened out; nothing is saved."""
    shot, row = pictures.tryout_for(request.user, shot_id, tryout_id, "look")
    return {"line": advice.even_out(shot, row, line)}


@router.get("/shots/{shot_id}/tryouts/{tryout_id}/advice", response=AdviceOut)
def tryout_advice(
    request: HttpRequest, shot_id: int, tryout_id: uuid.UUID, line: Annotated[str | None, Field(max_length=60)] = None
) -> Any:
    """Whether the light agrees, the pictures drift the same way, a pass covers the picture, what is hidden is hidden."""
    shot, row = pictures.tryout_for(request.user, shot_id, tryout_id, "look")
    return advice.of(shot, row, line)
