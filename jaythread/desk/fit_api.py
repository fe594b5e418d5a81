"""The desk's api of the step Check: thin, as `api` is."""

import uuid
from typing import Annotated, Any

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from jaythread.desk import fitting
from jaythread.desk.vocabulary import Frame

router = Router(tags=["fit"])


class LookedIn(Schema):
    frame: Frame
    looked: bool = True


class PullIn(Schema):
    """points: those to be moved, or all. radius: px within which the edge is looked for."""

    frame: Frame
    points: Annotated[list[int], Field(max_length=2000)] = []
    radius: float = 8.0


@router.post("/shots/{shot_id}/mattes/{matte_id}/fit")
def measure(request: HttpRequest, shot_id: int, matte_id: uuid.UUID) -> Any:
    return {"id": fitting.ask(request.user, shot_id, matte_id).pk}


@router.post("/shots/{shot_id}/measurings/{measuring_id}/cancel")
def cancel_measuring(request: HttpRequest, shot_id: int, measuring_id: int) -> Any:
    fitting.cancel(request.user, shot_id, measuring_id)
    return {}


@router.get("/shots/{shot_id}/mattes/{matte_id}/fit")
def fit_state(request: HttpRequest, shot_id: int, matte_id: uuid.UUID) -> Any:
    return fitting.state(request.user, shot_id, matte_id)


@router.get("/shots/{shot_id}/mattes/{matte_id}/fit/{frame}")
def fit_on_frame(request: HttpRequest, shot_id: int, matte_id: uuid.UUID, frame: int) -> Any:
    return fitting.on_frame(request.user, shot_id, matte_id, frame)


@router.post("/shots/{shot_id}/mattes/{matte_id}/looked")
def looked(request: HttpRequest, shot_id: int, matte_id: uuid.UUID, body: LookedIn) -> Any:
    fitting.look_at(request.user, shot_id, matte_id, body.frame, body.looked)
    return {}


@router.post("/shots/{shot_id}/shapes/{shape_id}/pull")
def pull(request: HttpRequest, shot_id: int, shape_id: uuid.UUID, body: PullIn) -> Any:
    return fitting.pull(request.user, shot_id, str(shape_id), body.frame, body.points, body.radius)
