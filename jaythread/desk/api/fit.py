"""The fit: how every frame stands, what is off on one, what was looked at. Measuring is a job."""

import uuid
from typing import Annotated, Any

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from jaythread.desk.analysis import fit
from jaythread.desk.api.schemas import FitOut, FrameFitOut, NothingOut, PullOut
from jaythread.desk.edit.types import Frame

router = Router(tags=["fit"])


class LookedIn(Schema):
    frame: Frame
    looked: bool = True


class PullIn(Schema):
    """points: those to be moved, or all. radius: px within which the edge is looked for."""

    frame: Frame
    points: Annotated[list[int], Field(max_length=2000)] = []
    radius: float = 8.0


@router.get("/shots/{shot_id}/mattes/{matte_id}/fit", response=FitOut)
def fit_state(request: HttpRequest, shot_id: int, matte_id: uuid.UUID) -> Any:
    """The fit of every frame, which are weakest, and where to key."""
    return fit.state(request.user, shot_id, matte_id)


@router.get("/shots/{shot_id}/mattes/{matte_id}/fit/{frame}", response=FrameFitOut)
def fit_on_frame(request: HttpRequest, shot_id: int, matte_id: uuid.UUID, frame: int) -> Any:
    """Where outlines are off on a frame."""
    return fit.on_frame(request.user, shot_id, matte_id, frame)


@router.post("/shots/{shot_id}/mattes/{matte_id}/looked", response=NothingOut)
def looked(request: HttpRequest, shot_id: int, matte_id: uuid.UUID, body: LookedIn) -> Any:
    """Say that a frame was looked at, or not."""
    fit.look_at(request.user, shot_id, matte_id, body.frame, body.looked)
    return {}


@router.post("/shots/{shot_id}/shapes/{shape_id}/pull", response=PullOut)
def pull(request: HttpRequest, shot_id: int, shape_id: uuid.UUID, body: PullIn) -> Any:
    """Where points of a shape would lie on the picture's edge."""
    return fit.pull(request.user, shot_id, str(shape_id), body.frame, body.points, body.radius)
