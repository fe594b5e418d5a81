"""Comparing over HTTP."""

import uuid
from typing import Annotated, Any

from django.http import HttpRequest, HttpResponse
from ninja import Router
from pydantic import Field
from typing_extensions import TypedDict

from jaythread.comparing import actions, sides
from jaythread.desk import policies
from jaythread.desk.edit.types import Frame

router = Router(tags=["comparing"])
Wide = Annotated[int, Field(ge=16, le=actions.WIDE)]


class SideOut(TypedDict):
    """Something that can be compared. of: the heading it is listed under."""

    id: str
    says: str
    of: str


class BroughtOut(TypedDict):
    """A matte from elsewhere. says: what was noticed when it was taken in, or why it could not be."""

    id: int
    name: str
    state: str
    percent: int
    says: str


class SidesOut(TypedDict):
    """All that this matte can be held against."""

    frames: tuple[int, int]
    size: tuple[int, int]
    sides: list[SideOut]
    brought: list[BroughtOut]


class AmountOut(TypedDict):
    """stands: same, differs, only one, only other, none. more, less: px of area that the other one covers more, and less."""

    frame: int
    stands: str
    more: float
    less: float
    worst: float
    box: tuple[int, int, int, int] | None


class AmountsOut(TypedDict):
    """next: where to go on asking; none when all are told."""

    one: str
    other: str
    frames: list[AmountOut]
    next: int | None


class MeasuredOut(TypedDict):
    """What is measured of a frame; none where there is no matte."""

    frame: int
    area: float | None
    x: float | None
    y: float | None
    outline: float | None
    edge: float | None
    pieces: float | None


class CurvesOut(TypedDict):
    """next: where to go on asking; none when all are told."""

    says: str
    frames: list[MeasuredOut]
    next: int | None


class OutlinesOut(TypedDict):
    """SVG path data, px of the plate."""

    one: str
    other: str


@router.get("/shots/{shot_id}/mattes/{matte_id}/sides", response=SidesOut)
def offered(request: HttpRequest, shot_id: int, matte_id: uuid.UUID) -> Any:
    """What a matte can be held against: now, marks, packages, mattes from elsewhere."""
    shot, matte = policies.matte_for(request.user, shot_id, matte_id, "look")
    brought = [sides.told(row) for row in shot.brought.all()]
    return {"frames": shot.working, "size": (shot.width, shot.height), "sides": sides.choices(shot, matte), "brought": brought}


@router.get("/shots/{shot_id}/mattes/{matte_id}/differences", response=AmountsOut)
def amounts(request: HttpRequest, shot_id: int, matte_id: uuid.UUID, one: str, other: str, begin: Frame | None = None) -> Any:
    """How much each frame differs between two sides, as many frames as are worked out within a moment."""
    return actions.amounts(request.user, shot_id, matte_id, one, other, begin)


@router.get("/shots/{shot_id}/mattes/{matte_id}/curves", response=CurvesOut)
def curves(request: HttpRequest, shot_id: int, matte_id: uuid.UUID, side: str, begin: Frame | None = None) -> Any:
    """What is measured of one side over time, as many frames as are worked out within a moment."""
    return actions.curves(request.user, shot_id, matte_id, side, begin)


@router.get("/shots/{shot_id}/mattes/{matte_id}/outlines", response=OutlinesOut)
def both_outlines(request: HttpRequest, shot_id: int, matte_id: uuid.UUID, one: str, other: str, frame: Frame) -> Any:
    """The outlines of both on a frame."""
    return actions.outlines(request.user, shot_id, matte_id, one, other, frame)


@router.get("/shots/{shot_id}/mattes/{matte_id}/side")
def side_picture(request: HttpRequest, shot_id: int, matte_id: uuid.UUID, side: str, frame: Frame, box: str = "") -> HttpResponse:
    """A side's matte on a frame, or a part of it ("x,y,width,height" in px), as PNG."""
    return _png(actions.picture(request.user, shot_id, matte_id, side, frame, box))


@router.get("/shots/{shot_id}/mattes/{matte_id}/difference")
def difference_picture(
    request: HttpRequest, shot_id: int, matte_id: uuid.UUID, one: str, other: str, frame: Frame, box: str = "", wide: Wide = actions.WIDE
) -> HttpResponse:
    """Where two sides differ on a frame, as PNG. box: a part of it, as of a side's. wide: px, at most."""
    return _png(actions.difference(request.user, shot_id, matte_id, one, other, frame, box, wide))


def _png(data: bytes) -> HttpResponse:
    reply = HttpResponse(data, content_type="image/png")
    reply["Cache-Control"] = "no-store"
    return reply
