"""How a job tells how far it is, and learns that it is to stop."""

import time
from typing import Any

from django.utils import timezone

from jaythread import room
from jaythread.jobs.models import Job
from roto.errors import Cancelled

TELL_EVERY = 0.25
"""seconds between two reports to the database"""


class Progress:
    """Handed to the work. It counts in steps; reports are spaced out, so it may be told of every one."""

    def __init__(self, job: Job) -> None:
        self.job = job
        self.stopped = False
        self._told = 0.0

    def begin(self, total: int) -> None:
        """So many steps there are."""
        self.job.total, self.job.done = total, 0
        self._write(total=total, done=0)

    def so_far(self, done: int, partial: dict[str, Any] | None = None) -> bool:
        """So many steps are done, and this is found; False when it is to stop, with what there is."""
        self.job.done = done
        if time.monotonic() - self._told < TELL_EVERY and done < self.job.total:
            return not self.stopped
        self.job.total = max(done, self.job.total)  # an edit made meanwhile may have brought more to do
        self._write(done=done, total=self.job.total, **({} if partial is None else {"partial": partial}))
        return not self.stopped

    def step(self, done: int) -> None:
        """The same for work of which every step stands by itself: raises Cancelled when it is to stop."""
        if not self.so_far(done):
            raise Cancelled()

    def _write(self, **what: Any) -> None:
        room.look()
        self._told = time.monotonic()
        self.stopped = not Job.objects.filter(pk=self.job.pk, cancel=False).update(changed=timezone.now(), **what)
