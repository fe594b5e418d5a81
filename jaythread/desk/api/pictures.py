"""Pictures of mattes, fringes, and what is read from the plate."""

import base64
import time
import uuid
from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import Router, Schema

from jaythread.desk.analysis import hints, plate_analysis
from jaythread.desk.api.schemas import ColoursOut, FoundOut, FramesOut, MadeOut, ShutterReadOut, SoftnessOut, TaughtOut, ThumbnailsOut
from jaythread.desk.edit import commands
from jaythread.desk.edit.types import Frame
from jaythread.desk.matting import fringes, teaching
from jaythread.desk.view.pictures import drawn, present, samples_text
from jaythread.productions.models import Shot
from roto.matte import thumbnails
from roto.matte.render import FRINGE, render
from roto.picture.stills import encode_picture

router = Router(tags=["pictures"])
SMALL = 88
"""px: how wide the small pictures of the stack's lines are, twice what is shown, for sharp screens"""


class PictureIn(Schema):
    """draft: an edit that is not saved yet, laid on the matte. quick: fewer samples of the exposure. solve: fringes that are not solved
    yet are solved, from this frame alone."""

    frame: Frame
    box: tuple[int, int, int, int] | None = None
    draft: commands.Command | None = None
    quick: bool = False
    solve: bool = False


@router.post("/shots/{shot_id}/mattes/{matte_id}/picture")
def picture(request: HttpRequest, shot_id: int, matte_id: uuid.UUID, body: PictureIn) -> HttpResponse:
    """The matte of a frame, or of a box of it, as 8-bit grey PNG, rendered here and now."""
    shot, matte = present(request.user, shot_id, matte_id)
    solver = fringes.ShotFringes(shot, wait=body.solve, steady=False)
    begin = time.perf_counter()
    done = drawn(matte, body.frame, body.box, body.draft, body.quick, solver)
    core = (time.perf_counter() - begin) * 1000
    reply = HttpResponse(encode_picture(done.alpha, ".png"), content_type="image/png")
    reply["X-Box"] = ",".join(map(str, done.box))
    reply["X-Samples"] = samples_text(done)
    reply["X-Fringe"] = FRINGE[done.fringe]
    reply["X-Core-Ms"] = f"{core:.2f}"
    reply["Cache-Control"] = "no-store"
    return reply


@router.get("/shots/{shot_id}/mattes/{matte_id}/so-far/{frame}", response=ThumbnailsOut)
def so_far(request: HttpRequest, shot_id: int, matte_id: uuid.UUID, frame: Frame) -> Any:
    """A small picture of the matte up to each line of its stack, bottom first."""
    _, matte = present(request.user, shot_id, matte_id)
    pictures = [render(part, frame, depth="8").alpha for part in thumbnails.so_far(matte, SMALL)]
    return {
        "revision": Shot.objects.get(pk=shot_id).revision,
        "pictures": [base64.b64encode(encode_picture(p, ".png")).decode() for p in pictures],
    }


@router.get("/shots/{shot_id}/mattes/{matte_id}/colours/{frame}", response=ColoursOut)
def colours(request: HttpRequest, shot_id: int, matte_id: uuid.UUID, frame: Frame) -> Any:
    """The subject's own colour where fringes are solved."""
    pieces = fringes.colours(request.user, shot_id, matte_id, frame)
    return {"pieces": [{"box": box, "png": base64.b64encode(encode_picture(own, ".png")).decode()} for box, own in pieces]}


@router.get("/shots/{shot_id}/fringes/{entry_id}", response=FramesOut)
def solved_frames(request: HttpRequest, shot_id: int, entry_id: uuid.UUID) -> Any:
    """The frames on which a fringe stands solved."""
    return {"frames": fringes.solved_frames(request.user, shot_id, entry_id)}


class FinishIn(Schema):
    """finished: whether the frame is finished as it is now, or open again."""

    frame: Frame
    finished: bool


@router.get("/shots/{shot_id}/taught/{entry_id}", response=TaughtOut)
def taught(request: HttpRequest, shot_id: int, entry_id: uuid.UUID) -> Any:
    """How a taught line stands."""
    return teaching.standing(request.user, shot_id, entry_id)


@router.post("/shots/{shot_id}/taught/{entry_id}/finish", response=MadeOut)
def finish_frame(request: HttpRequest, shot_id: int, entry_id: uuid.UUID, body: FinishIn) -> Any:
    """A frame is finished as it is now, or open again; the edit's id."""
    act = teaching.finish if body.finished else teaching.open_again
    return {"id": str(act(request.user, shot_id, entry_id, body.frame).pk)}


@router.get("/shots/{shot_id}/taught/{entry_id}/pair/{frame}")
def pair(request: HttpRequest, shot_id: int, entry_id: uuid.UUID, frame: Frame, unseen: bool = False) -> HttpResponse:
    """A finished frame's plate, its matte, and the matte's edge over the plate beside each other, about the band. unseen: its plate, what
    was said of it by what had not seen it, and its matte."""
    if unseen:
        png = teaching.unseen(request.user, shot_id, entry_id, frame)
    else:
        png = encode_picture(teaching.pair(request.user, shot_id, entry_id, frame), ".png")
    return HttpResponse(png, content_type="image/png", headers={"Cache-Control": "no-store"})


@router.get("/shots/{shot_id}/shapes/{shape_id}/softness/{frame}", response=SoftnessOut)
def softness(request: HttpRequest, shot_id: int, shape_id: uuid.UUID, frame: Frame) -> Any:
    """The reach that the plate suggests for each point of a shape."""
    return plate_analysis.softness(request.user, shot_id, str(shape_id), frame)


@router.post("/shots/{shot_id}/hints", response=FoundOut)
def find_by_hints(request: HttpRequest, shot_id: int, body: hints.HintsIn) -> Any:
    """The line around what painted hints mean, and those around the holes in which was painted outside; nothing is saved."""
    return hints.found(request.user, shot_id, body)


@router.get("/shots/{shot_id}/shapes/{shape_id}/shutter", response=ShutterReadOut)
def shutter(request: HttpRequest, shot_id: int, shape_id: uuid.UUID) -> Any:
    """The shutter angle that the plate suggests where a shape moves."""
    return plate_analysis.shutter(request.user, shot_id, str(shape_id))
