"""Which worker has in memory what a job needs: the one that did the same work before, by a queue of its own."""

import uuid
from datetime import timedelta
from typing import Any

from django.utils import timezone
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob, ProcrastinateWorker
from procrastinate.job_context import JobContext

from jaythread.jobs.models import BUSY, Job

OWN = "near."
"""how a worker's own queue begins"""
WAITS = 1.0
"""seconds after which any worker may take a job that stands in another's own queue"""
SILENT_AFTER = timedelta(seconds=30)
"""without a heartbeat after which a worker counts as gone"""


def queues() -> list[str]:
    """What a new worker listens to: all queues that there are, and one of its own."""
    return [*sorted({task.queue for task in app.tasks.values()}), f"{OWN}{uuid.uuid4().hex[:12]}"]


def said(context: JobContext) -> dict[str, Any]:
    """Who carries a job out, as it is kept with it."""
    own = next((queue for queue in context.worker_queues or () if queue.startswith(OWN)), "")
    return {"worker": context.job.worker_id, "near": own}


def count() -> int:
    """How many workers are there."""
    return int(ProcrastinateWorker.objects.filter(last_heartbeat__gt=timezone.now() - SILENT_AFTER).count())


def free(job: Job) -> str:
    """The own queue of the worker that did this kind of work last about the same thing, if it is there and has nothing in hand; else ""."""
    last = Job.objects.filter(kind=job.kind, subject=job.subject, pk__lt=job.pk).exclude(near="").first()
    if last is None or not ProcrastinateWorker.objects.filter(pk=last.worker, last_heartbeat__gt=timezone.now() - SILENT_AFTER).exists():
        return ""
    doing = ProcrastinateJob.objects.filter(worker=last.worker, status="doing")
    return "" if doing.exclude(args__job_id=last.pk).exists() else last.near  # that one is over, whatever the queue says for a moment more


def drop_left() -> int:
    """Take out of own queues what was done elsewhere meanwhile; returns how many."""
    waiting = ProcrastinateJob.objects.filter(queue_name__startswith=OWN, status="todo")
    jobs = {row.args.get("job_id"): row.pk for row in waiting}
    busy = set(Job.objects.filter(pk__in=jobs, state__in=BUSY).values_list("pk", flat=True))
    left = [row for job, row in jobs.items() if job not in busy]
    for row in left:
        app.job_manager.cancel_job_by_id(row, delete_job=True)
    return len(left)
