"""What can be done with long work: ask for it, cancel it, look at it; and what a worker does: carry it out, take it up again."""

import logging
from datetime import datetime, timedelta
from typing import Any

from django.db import IntegrityError, transaction
from django.utils import timezone
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob
from pydantic import ValidationError

from jaythread import room
from jaythread.errors import NotThere, Refused, without_database
from jaythread.jobs import near
from jaythread.jobs.models import BUSY, Job, State
from jaythread.jobs.progress import Progress
from jaythread.jobs.registry import KINDS, Kind
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, account, shot_for
from roto.errors import Cancelled, RotoError

log = logging.getLogger(__name__)
LOST_AFTER = timedelta(seconds=60)
"""without a report after which a job is looked for in the queue"""
AT_THE_DESK = 20
"""priority of what somebody at the desk waits for; packages, plates and what goes to receivers have none"""
MOST_TOLD = 200
"""jobs in one answer"""


def ask(user: User, shot_id: int, name: str, subject: str, settings: dict[str, Any] | None = None) -> Job:
    """Ask for work that a page may ask for. A short one is done when this returns."""
    kind = KINDS.get(name)
    if kind is None or kind.prepare is None:
        raise Refused(f"There is no work called '{name}'.")
    with transaction.atomic():
        shot = shot_for(user, shot_id, kind.may)
        try:
            said = kind.settings.model_validate(settings or {})
        except ValidationError as error:
            first = error.errors()[0]
            raise Refused(f"{'.'.join(map(str, first['loc']))}: {first['msg']}") from error
        prepared = kind.prepare(shot, subject, said)
        job = start(user, shot, kind, subject, total=prepared.total, settings=prepared.settings or said.model_dump())
    if job.total and job.total <= kind.at_once:
        carry_out(job.pk)
        job.refresh_from_db()
    return job


def start(user: User, shot: Shot, kind: Kind, subject: str, *, total: int = 0, settings: dict[str, Any] | None = None) -> Job:
    """Queue work in this transaction; the caller has looked whether it may be done. Refused where the same is under way."""
    try:
        with transaction.atomic():
            job = Job.objects.create(
                kind=kind.name, subject=subject, shot=shot, user_id=account(user), total=total, settings=settings or {}
            )
    except IntegrityError as error:
        raise Refused(kind.busy) from error
    if not total or total > kind.at_once:
        _queue(job)
    return job


def _queue(job: Job) -> None:
    kind = KINDS.get(job.kind)
    first = 0 if kind is not None and kind.long else AT_THE_DESK
    later = None
    if kind is not None and kind.warm and (own := near.free(job)):
        app.configure_task("jobs.carry_out", queue=own, priority=first).defer(job_id=job.pk)  # by name: tasks stand above actions
        later = {"seconds": near.WAITS}  # whoever comes to it then: it may have got something else in hand
    app.configure_task("jobs.carry_out", queue="jobs", priority=first, schedule_in=later).defer(job_id=job.pk)


def cancel(user: User, shot_id: int, job_id: int) -> Job:
    """Ask a job to stop; what it has done so far stays. One that has not begun ends here."""
    job = Job.objects.filter(pk=job_id, shot_id=shot_id).first()
    kind = KINDS.get(job.kind) if job else None
    shot_for(user, shot_id, kind.may if kind else "look")
    if job is None or kind is None:
        raise NotThere("That work is not there any more.")
    with transaction.atomic():
        job = Job.objects.select_for_update().get(pk=job_id)
        job.cancel = True
        Job.objects.filter(pk=job_id).update(cancel=True, changed=timezone.now())
        waiting = job.state == State.WAITING
        if waiting:
            _end(job, kind, State.CANCELLED, "")
    return job


def newest(shot: Shot, since: datetime | None = None) -> list[Job]:
    """Of each kind and subject the newest job of a shot; only those that have changed since then, when it is said."""
    jobs = Job.objects.filter(shot=shot)
    if since is not None:
        jobs = jobs.filter(changed__gt=since)
    seen: dict[tuple[str, str], Job] = {}
    for job in jobs.order_by("-pk")[:MOST_TOLD]:
        seen.setdefault((job.kind, job.subject), job)
    return list(seen.values())


def newest_of(kind: str, subject: str) -> Job | None:
    """The newest job of a kind about something."""
    return Job.objects.filter(kind=kind, subject=subject).first()


def as_data(job: Job) -> dict[str, Any]:
    """A job as pages are told of it."""
    return {
        "id": job.pk, "kind": job.kind, "subject": job.subject, "shot": job.shot_id, "state": job.state, "done": job.done,
        "total": job.total, "percent": job.percent, "left": job.rest, "message": job.message, "partial": job.partial,
        "settings": job.settings,
    }  # fmt: skip


def carry_out(job_id: int, *, again: bool = True, by: dict[str, Any] | None = None) -> None:
    """Do the work. What goes wrong becomes a sentence. Run again after a worker was killed, it goes on or begins anew, as the work can.
    again: also where somebody has begun it already. by: who does it, see `near.said`."""
    with transaction.atomic():  # waits for whoever is writing the row: a worker may be quicker than the commit that asked for it
        job = Job.objects.select_for_update().filter(pk=job_id).first()
        if job is None or not job.busy or job.kind not in KINDS or (job.state == State.WORKING and not again):
            return
        Job.objects.filter(pk=job_id).update(state=State.WORKING, changed=timezone.now(), **(by or {}))
    kind = KINDS[job.kind]
    job = Job.objects.select_related("shot", "user").get(pk=job_id)
    if job.cancel:
        _end(job, kind, State.CANCELLED, "")
        return
    progress = Progress(job)
    try:
        message = kind.run(job, progress)
    except Cancelled:
        _end(job, kind, State.CANCELLED, "")
    except RotoError as error:
        _end(job, kind, State.FAILED, str(error))
    except OSError as error:  # whose own words have the machine's paths in them
        why = error.strerror or "no more is known"
        _end(job, kind, State.FAILED, f"The files cannot be written or read: {why}. Make room or give the right to it, then try again.")
    except Exception as error:
        if room.too_large(error):
            _end(job, kind, State.FAILED, room.TOO_LARGE)
            return
        if without_database(error):
            raise  # it stays as it is, and `requeue_lost` has it done again
        log.exception("the job %s of the kind %s failed", job_id, job.kind)
        _end(job, kind, State.FAILED, "Something went wrong on our side. Nothing you saved is lost; try again, or tell whoever runs this.")
        raise
    else:
        _end(job, kind, State.CANCELLED if progress.stopped else State.DONE, message)


def _end(job: Job, kind: Kind, state: State, message: str) -> None:
    job.state, job.message = state, message[:400]
    Job.objects.filter(pk=job.pk).update(state=state, message=job.message, done=job.done, changed=timezone.now())
    if kind.ended is not None:
        kind.ended(job)


def requeue_lost() -> int:
    """Queue jobs again that wait or work but of which the queue knows nothing; returns how many."""
    lost = 0
    for job in Job.objects.filter(state__in=BUSY, changed__lt=timezone.now() - LOST_AFTER):
        there = ProcrastinateJob.objects.filter(task_name="jobs.carry_out", args__job_id=job.pk, status__in=["todo", "doing"])
        if not there.exists():
            Job.objects.filter(pk=job.pk).update(state=State.WAITING)
            _queue(job)
            lost += 1
    near.drop_left()
    return lost
