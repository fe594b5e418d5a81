"""Long work over the api: ask for it, cancel it, look how it stands."""

from typing import Annotated, Any

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field
from typing_extensions import TypedDict

from jaythread.jobs import actions
from jaythread.jobs.models import Job
from jaythread.productions.policies import require, shot_for

router = Router(tags=["jobs"])


class JobOut(TypedDict):
    """A job. left: how long the rest takes, in words, where there is telling. partial: what it has found so far; settings: how it was asked
    for; both as its kind has them."""

    id: int
    kind: str
    subject: str
    shot: int
    state: str
    done: int
    total: int
    percent: int
    left: str
    message: str
    partial: dict[str, Any]
    settings: dict[str, Any]


class JobsOut(TypedDict):
    jobs: list[JobOut]


class AskIn(Schema):
    """kind: which work. subject: the id of what it is about. settings: as the kind has them."""

    kind: Annotated[str, Field(max_length=40)]
    subject: Annotated[str, Field(max_length=64)]
    settings: dict[str, Any] = {}


@router.post("/shots/{shot_id}/jobs", response=JobOut)
def ask(request: HttpRequest, shot_id: int, body: AskIn) -> Any:
    """Ask for work about something of a shot."""
    return actions.as_data(actions.ask(request.user, shot_id, body.kind, body.subject, body.settings))


@router.get("/shots/{shot_id}/jobs", response=JobsOut)
def jobs_of(request: HttpRequest, shot_id: int) -> Any:
    """Of each kind and subject the newest job of a shot."""
    return {"jobs": [actions.as_data(job) for job in actions.newest(shot_for(request.user, shot_id, "look"))]}


@router.post("/shots/{shot_id}/jobs/{job_id}/cancel", response=JobOut)
def cancel(request: HttpRequest, shot_id: int, job_id: int) -> Any:
    """Ask a job to stop; what it has done stays."""
    return actions.as_data(actions.cancel(request.user, shot_id, job_id))


@router.get("/productions/{production_id}/jobs", response=JobsOut)
def jobs_of_production(request: HttpRequest, production_id: int) -> Any:
    """The newest jobs of all shots of a production."""
    place = require(request.user, production_id, "look")
    return {"jobs": [actions.as_data(job) for job in Job.objects.filter(shot__production=place.production)[: actions.MOST_TOLD]]}
