"""The check of a matte over HTTP. Reading its frames is a job (`check.read`)."""

import uuid
from typing import Annotated, Any

from django.http import HttpRequest, HttpResponse
from ninja import Router, Schema
from pydantic import Field
from typing_extensions import TypedDict

from jaythread.desk.api.news_schemas import SeenNoteOut
from jaythread.desk.api.schemas import NothingOut
from jaythread.desk.edit.types import Frame
from jaythread.review import actions, looked, past

router = Router(tags=["review"])


class StepIn(Schema):
    """step: one that the matte's way has. says: what is to be changed."""

    step: Annotated[str, Field(max_length=20)]
    says: Annotated[str, Field(max_length=200_000)] = ""


class SeenFindingOut(TypedDict):
    """What was found, as it is shown to whoever looks."""

    first: int
    last: int
    box: list[int] | None
    says: str
    why: str
    state: str


class WaitingOut(TypedDict):
    """A matte that waits to be looked at."""

    name: str
    address: str


class LookingOut(TypedDict):
    """All that the looking page shows. plate: the address of the quick picture of frame 0. pictures: that of the matte's picture, without
    its frame. rest: what waits beside this matte."""

    frames: tuple[int, int]
    size: tuple[int, int]
    rate: float
    revision: int
    plate: str
    pictures: str
    state: str
    may: list[str]
    findings: list[SeenFindingOut]
    notes: list[SeenNoteOut]
    rest: list[WaitingOut]


class WentOut(TypedDict):
    """How a matte stands now, and which one waits next."""

    state: str
    next: str


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


class MarkIn(Schema):
    """revision: of the edit after which it stood so; none for now."""

    name: Annotated[str, Field(max_length=400)]
    revision: int | None = None


class DoneOut(TypedDict):
    """An edit of the journal."""

    revision: int
    who: str
    when: str
    says: str
    reversed: bool


class MarkOut(TypedDict):
    """A named state."""

    id: int
    revision: int
    name: str
    by: str


class LineOut(TypedDict):
    """The journal, newest first, and the marks on it. more: whether there are earlier edits."""

    revision: int
    frames: tuple[int, int]
    edits: list[DoneOut]
    more: bool
    marks: list[MarkOut]


class NamedOut(TypedDict):
    """A matte that there was."""

    id: str
    name: str


class SinceOut(TypedDict):
    """A shape that is otherwise now. there: whether it was there then."""

    id: str
    name: str
    how: str
    there: bool


class StoodOut(TypedDict):
    """What there was after an edit."""

    revision: int
    mattes: list[NamedOut]
    shapes: list[SinceOut]


class DifferOut(TypedDict):
    """Frames on which a matte is otherwise now."""

    frames: list[int]


class StateOut(TypedDict):
    """How a finding stands."""

    state: str


@router.get("/shots/{shot_id}/mattes/{matte_id}/check", response=CheckOut)
def check(request: HttpRequest, shot_id: int, matte_id: uuid.UUID) -> Any:
    """What is thought wrong with a matte, the worst first, and what was measured of it over time."""
    return actions.state(request.user, shot_id, matte_id)


@router.get("/shots/{shot_id}/mattes/{matte_id}/looking", response=LookingOut)
def looking(request: HttpRequest, shot_id: int, matte_id: uuid.UUID) -> Any:
    """What somebody who looks at a matte needs."""
    return looked.told(request.user, shot_id, matte_id)


@router.get("/shots/{shot_id}/mattes/{matte_id}/looking/{frame}")
def looked_picture(request: HttpRequest, shot_id: int, matte_id: uuid.UUID, frame: Frame) -> HttpResponse:
    """The matte of a frame as a grey PNG, at most as wide as a screen."""
    reply = HttpResponse(looked.picture(request.user, shot_id, matte_id, frame), content_type="image/png")
    reply["Cache-Control"] = "private, max-age=86400" if "revision" in request.GET else "no-store"  # another revision, another address
    return reply


@router.post("/shots/{shot_id}/mattes/{matte_id}/steps", response=WentOut)
def step(request: HttpRequest, shot_id: int, matte_id: uuid.UUID, body: StepIn) -> Any:
    """Bring a matte a step further on its way, or back."""
    return looked.go(request.user, shot_id, matte_id, body.step, body.says)


@router.post("/shots/{shot_id}/findings/{finding_id}/answer", response=StateOut)
def answer_finding(request: HttpRequest, shot_id: int, finding_id: int, body: AnswerIn) -> Any:
    """Say that a finding is meant so, and why; or that it is open again."""
    return {"state": actions.answer(request.user, shot_id, finding_id, body.meant, body.reason).state}


@router.get("/shots/{shot_id}/past", response=LineOut)
def journal_line(request: HttpRequest, shot_id: int, before: int | None = None) -> Any:
    """What was done in a shot, newest first, and the marks on it."""
    return past.line(request.user, shot_id, before)


@router.get("/shots/{shot_id}/past/{revision}", response=StoodOut)
def stood(request: HttpRequest, shot_id: int, revision: int) -> Any:
    """What there was after an edit, and which shapes are otherwise now."""
    return past.stood(request.user, shot_id, revision)


@router.get("/shots/{shot_id}/past/{revision}/mattes/{matte_id}/frames", response=DifferOut)
def differing(request: HttpRequest, shot_id: int, revision: int, matte_id: uuid.UUID) -> Any:
    """The frames on which a matte is otherwise now than it was after an edit."""
    return {"frames": past.differing(request.user, shot_id, revision, matte_id)}


@router.get("/shots/{shot_id}/past/{revision}/mattes/{matte_id}/frames/{frame}/{way}")
def stood_picture(request: HttpRequest, shot_id: int, revision: int, matte_id: uuid.UUID, frame: Frame, way: str) -> HttpResponse:
    """A matte on a frame as it was after an edit, as it is now, or the difference, as PNG; how many px more and less it covers now."""
    data, more, less = past.picture(request.user, shot_id, revision, matte_id, frame, way)
    reply = HttpResponse(data, content_type="image/png")
    reply["X-More"], reply["X-Less"] = f"{more:.1f}", f"{less:.1f}"
    reply["Cache-Control"] = "no-store"
    return reply


@router.post("/shots/{shot_id}/marks", response=MarkOut)
def mark(request: HttpRequest, shot_id: int, body: MarkIn) -> Any:
    """Give a state a name."""
    made = past.mark(request.user, shot_id, body.name, body.revision)
    return {"id": made.pk, "revision": made.revision, "name": made.name, "by": request.user.get_username()}


@router.delete("/shots/{shot_id}/marks/{mark_id}", response=NothingOut)
def unmark(request: HttpRequest, shot_id: int, mark_id: int) -> Any:
    """Take a mark's name away; the state stays."""
    past.unmark(request.user, shot_id, mark_id)
    return {}
