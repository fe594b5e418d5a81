"""How a job tells how far it is, and learns that it is to stop."""

import time
from collections import deque
from typing import Any

from django.utils import timezone

from jaythread import room
from jaythread.jobs.models import Job
from roto.errors import Cancelled

TELL_EVERY = 0.25
"""seconds between two reports to the database"""
SURE_AFTER = 2.0
"""seconds of work after which it is said how long the rest takes"""
PACE_OF = 15.0
"""seconds by whose pace that is said"""


class Pace:
    """How long the rest of some work takes, by the steps of the last seconds."""

    def __init__(self) -> None:
        self._seen: deque[tuple[float, int]] = deque()

    def left(self, done: int, total: int, now: float) -> int | None:
        """Seconds; None while there is no telling. now: seconds of any clock that never goes back."""
        self._seen.append((now, done))
        while len(self._seen) > 2 and now - self._seen[1][0] > PACE_OF:
            self._seen.popleft()
        since, before = self._seen[0]
        if now - since < SURE_AFTER or done <= before:
            return None
        return round((now - since) / (done - before) * max(0, total - done))


class Progress:
    """Handed to the work. It counts in steps; reports are spaced out, so it may be told of every one."""

    def __init__(self, job: Job) -> None:
        self.job = job
        self.stopped = False
        self._told = 0.0
        self._pace = Pace()

    def begin(self, total: int) -> None:
        """So many steps there are."""
        self.job.total, self.job.done = total, 0
        self._pace = Pace()
        self._write(total=total, done=0, left=self._pace.left(0, total, time.monotonic()))

    def so_far(self, done: int, partial: dict[str, Any] | None = None) -> bool:
        """So many steps are done, and this is found; False when it is to stop, with what there is."""
        self.job.done = done
        if time.monotonic() - self._told < TELL_EVERY and done < self.job.total:
            return not self.stopped
        self.job.total = max(done, self.job.total)  # an edit made meanwhile may have brought more to do
        left = self._pace.left(done, self.job.total, time.monotonic())
        self._write(done=done, total=self.job.total, left=left, **({} if partial is None else {"partial": partial}))
        return not self.stopped

    def step(self, done: int) -> None:
        """The same for work of which every step stands by itself: raises Cancelled when it is to stop."""
        if not self.so_far(done):
            raise Cancelled()

    def _write(self, **what: Any) -> None:
        room.look()
        self._told = time.monotonic()
        self.stopped = not Job.objects.filter(pk=self.job.pk, cancel=False).update(changed=timezone.now(), **what)
