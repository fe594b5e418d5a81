"""The check of a matte over HTTP. Reading its frames is a job (`check.read`)."""

import uuid
from typing import Annotated, Any

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field
from typing_extensions import TypedDict

from jaythread.review import actions

router = Router(tags=["review"])


class AnswerIn(Schema):
    """meant: whether it is meant so; otherwise it is open again. reason: why."""

    meant: bool
    reason: Annotated[str, Field(max_length=2000)] = ""


class MendOut(TypedDict):
    """An edit that may put a finding right, and the words of its button."""

    says: str
    command: dict[str, Any]


class FindingOut(TypedDict):
    """What is thought wrong. state: open, meant so, put right. box: px of the plate, or none. mend: what an artist does about it."""

    id: int
    what: str
    first: int
    last: int
    box: list[int] | None
    amount: float
    says: str
    why: str
    mend: str
    state: str
    by: str
    reason: str
    acts: list[MendOut]


class CheckOut(TypedDict):
    """frames: the working range. fresh: frames that were read as they are now. complete: whether all is. curves: a number a frame."""

    revision: int
    frames: tuple[int, int]
    fresh: list[int]
    complete: bool
    findings: list[FindingOut]
    curves: dict[str, list[float | None]]


class StateOut(TypedDict):
    """How a finding stands."""

    state: str


@router.get("/shots/{shot_id}/mattes/{matte_id}/check", response=CheckOut)
def check(request: HttpRequest, shot_id: int, matte_id: uuid.UUID) -> Any:
    """What is thought wrong with a matte, the worst first, and what was measured of it over time."""
    return actions.state(request.user, shot_id, matte_id)


@router.post("/shots/{shot_id}/findings/{finding_id}/answer", response=StateOut)
def answer_finding(request: HttpRequest, shot_id: int, finding_id: int, body: AnswerIn) -> Any:
    """Say that a finding is meant so, and why; or that it is open again."""
    return {"state": actions.answer(request.user, shot_id, finding_id, body.meant, body.reason).state}
