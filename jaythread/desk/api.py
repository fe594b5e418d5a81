"""The desk's api: thin. Parses, calls one action, answers."""

import base64
import time
import uuid
from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import Router, Schema

from jaythread.desk import actions, ahead, commands, exchange, fringes, payload, reading
from jaythread.desk.vocabulary import Frame
from jaythread.productions.models import Shot
from jaythread.productions.policies import require, shot_for
from roto.matte import thumbnails
from roto.matte.render import FRINGE, render
from roto.picture.stills import encode_picture

router = Router(tags=["desk"])
SMALL = 88
"""px: how wide the small pictures of the stack's lines are, twice what is shown, for sharp screens"""
DRAFT_SAMPLES = 8
"""samples of the exposure while something is dragged; all of them at rest"""


class LookIn(Schema):
    matte: uuid.UUID
    frame: Frame


class EditIn(Schema):
    """base: the revision of each shape that the change was made on.

    look: what the page is looking at, so that the answer brings the matte of the touched box along.
    """

    id: uuid.UUID
    base: dict[str, int] | None = None
    command: commands.Command
    look: LookIn | None = None


class TryIn(Schema):
    command: commands.Command


class TurnIn(Schema):
    id: uuid.UUID


class CopyIn(Schema):
    """shot: where to."""

    shot: int


class PictureIn(Schema):
    frame: Frame
    box: tuple[int, int, int, int] | None = None
    draft: commands.Command | None = None
    quick: bool = False
    solve: bool = False


@router.get("/shots/{shot_id}/desk")
def open_desk(request: HttpRequest, shot_id: int) -> Any:
    shot = shot_for(request.user, shot_id, "look")
    return payload.desk(shot, request.user, require(request.user, shot.production_id, "look").may("trace"))


@router.get("/shots/{shot_id}/outlines")
def outlines(request: HttpRequest, shot_id: int) -> HttpResponse:
    reply = HttpResponse(payload.outlines(shot_for(request.user, shot_id, "look")), content_type="application/octet-stream")
    reply["Cache-Control"] = "no-store"
    return reply


@router.post("/shots/{shot_id}/edits")
def edit(request: HttpRequest, shot_id: int, body: EditIn) -> Any:
    early = ahead.Ahead(body.look.matte, body.look.frame) if body.look else None
    if early:
        early.guess(shot_id, body.base, body.command)
    done = actions.edit(request.user, shot_id, body.id, body.base, body.command, early)
    shot = done.shot if done.shot.revision == done.revision else Shot.objects.get(pk=shot_id)
    answer = payload.after(done, shot, request.user)
    if early and shot is done.shot:
        answer["picture"] = early.picture(shot)
    return answer


@router.get("/shots/{shot_id}/since/{revision}")
def since(request: HttpRequest, shot_id: int, revision: int) -> Any:
    return payload.since(shot_for(request.user, shot_id, "look"), request.user, revision)


@router.get("/shots/{shot_id}/edits")
def what_was_done(request: HttpRequest, shot_id: int) -> Any:
    return {"edits": payload.done(shot_for(request.user, shot_id, "look"))}


@router.post("/shots/{shot_id}/tried")
def tried(request: HttpRequest, shot_id: int, body: TryIn) -> Any:
    shot, made, says = actions.tried(request.user, shot_id, body.command)
    return {**payload.tried(shot, made), "says": says}


@router.post("/shots/{shot_id}/undo")
def undo(request: HttpRequest, shot_id: int, body: TurnIn) -> Any:
    return payload.after(actions.undo(request.user, shot_id, body.id), Shot.objects.get(pk=shot_id), request.user)


@router.post("/shots/{shot_id}/redo")
def redo(request: HttpRequest, shot_id: int, body: TurnIn) -> Any:
    return payload.after(actions.redo(request.user, shot_id, body.id), Shot.objects.get(pk=shot_id), request.user)


@router.post("/shots/{shot_id}/mattes/{matte_id}/picture")
def picture(request: HttpRequest, shot_id: int, matte_id: uuid.UUID, body: PictureIn) -> HttpResponse:
    """The matte of a frame, or of a box of it, as 8-bit grey PNG: at its present revision, with a draft laid on it when one is sent.

    Fringes that are not solved yet are left out, unless `solve` asks for them: then they are solved, from this frame alone.
    """
    shot, matte = exchange.preview_matte(request.user, shot_id, matte_id, body.draft)
    solver = fringes.ShotFringes(shot, wait=body.solve, steady=False)
    begin = time.perf_counter()
    done = render(matte, body.frame, box=body.box, cap=DRAFT_SAMPLES if body.quick else None, threads=2, depth="shown", fringes=solver)
    core = (time.perf_counter() - begin) * 1000
    reply = HttpResponse(encode_picture(done.alpha, ".png"), content_type="image/png")
    reply["X-Box"] = ",".join(map(str, done.box))
    reply["X-Samples"] = payload.samples_text(done)
    reply["X-Fringe"] = FRINGE[done.fringe]
    reply["X-Core-Ms"] = f"{core:.2f}"
    reply["Cache-Control"] = "no-store"
    return reply


@router.get("/shots/{shot_id}/mattes/{matte_id}/so-far/{frame}")
def so_far(request: HttpRequest, shot_id: int, matte_id: uuid.UUID, frame: Frame) -> Any:
    """A small picture of the matte up to each line of its stack, bottom first: grey PNGs as base64."""
    _, matte = exchange.preview_matte(request.user, shot_id, matte_id, None)
    pictures = [render(part, frame, depth="8").alpha for part in thumbnails.so_far(matte, SMALL)]
    return {
        "revision": Shot.objects.get(pk=shot_id).revision,
        "pictures": [base64.b64encode(encode_picture(p, ".png")).decode() for p in pictures],
    }


@router.get("/shots/{shot_id}/mattes/{matte_id}/colours/{frame}")
def colours(request: HttpRequest, shot_id: int, matte_id: uuid.UUID, frame: Frame) -> Any:
    """The subject's own colour where fringes are solved: PNGs with alpha, as base64, and where they lie."""
    pieces = fringes.colours(request.user, shot_id, matte_id, frame)
    return {"pieces": [{"box": box, "png": base64.b64encode(encode_picture(own, ".png")).decode()} for box, own in pieces]}


@router.get("/shots/{shot_id}/fringes/{entry_id}")
def fringe_state(request: HttpRequest, shot_id: int, entry_id: uuid.UUID) -> Any:
    return fringes.state(request.user, shot_id, entry_id)


@router.post("/shots/{shot_id}/fringes/{entry_id}/solve")
def solve(request: HttpRequest, shot_id: int, entry_id: uuid.UUID) -> Any:
    return {"id": fringes.ask(request.user, shot_id, entry_id).pk}


@router.post("/shots/{shot_id}/solvings/{solving_id}/cancel")
def cancel_solving(request: HttpRequest, shot_id: int, solving_id: int) -> Any:
    fringes.cancel(request.user, shot_id, solving_id)
    return {}


@router.get("/shots/{shot_id}/shapes/{shape_id}/softness/{frame}")
def softness(request: HttpRequest, shot_id: int, shape_id: uuid.UUID, frame: Frame) -> Any:
    return reading.softness(request.user, shot_id, str(shape_id), frame)


@router.get("/shots/{shot_id}/shapes/{shape_id}/shutter")
def shutter(request: HttpRequest, shot_id: int, shape_id: uuid.UUID) -> Any:
    return reading.shutter(request.user, shot_id, str(shape_id))


@router.post("/shots/{shot_id}/shapes/{shape_id}/copies")
def copy(request: HttpRequest, shot_id: int, shape_id: uuid.UUID, body: CopyIn) -> Any:
    matte = exchange.copy_to(request.user, shot_id, str(shape_id), body.shot)
    return {"matte": matte.name, "shot": matte.shot.name}
