"""What is stored of long work: one row a job, whatever it does."""

from django.conf import settings
from django.db import models
from django.utils import timezone

from jaythread.productions.models import Shot


class State(models.TextChoices):
    """How long work stands."""

    WAITING = "waiting"
    WORKING = "working"
    DONE = "done"
    FAILED = "failed"
    CANCELLED = "cancelled"


MOMENT = 4
"""seconds left of which nothing is said"""
BUSY = (State.WAITING, State.WORKING)


class Job(models.Model):
    """One piece of long work.

    kind: a name of `registry.KINDS`. subject: what it is about, the id of a track, a matte, a line of a stack or a plate. settings: how it
    was asked for. done, total: how far it is, mostly in frames. left: seconds that the rest takes at the pace of just now; None while there
    is no telling. partial: what is found so far, for whoever looks on. message: the sentence that it ended with. changed: when anything of
    this was last told. worker, near: who carried it out, as the queue knows them, and the queue of their own.
    """

    kind = models.CharField(max_length=40)
    subject = models.CharField(max_length=64)
    shot = models.ForeignKey(Shot, models.CASCADE, related_name="jobs")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="jobs")
    settings = models.JSONField(default=dict)
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    done = models.PositiveIntegerField(default=0)
    total = models.PositiveIntegerField(default=0)
    left = models.PositiveIntegerField(null=True)
    cancel = models.BooleanField(default=False)
    partial = models.JSONField(default=dict)
    message = models.CharField(max_length=400, blank=True)
    worker = models.BigIntegerField(null=True)
    near = models.CharField(max_length=40, blank=True)
    made = models.DateTimeField(default=timezone.now)
    changed = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["-pk"]
        indexes = [models.Index(fields=["shot", "changed"], name="job_of_shot_changed")]
        constraints = [
            models.UniqueConstraint(fields=["kind", "subject"], condition=models.Q(state__in=BUSY), name="one_job_at_a_time"),
        ]

    def __str__(self) -> str:
        return f"{self.kind} {self.subject}"

    @property
    def busy(self) -> bool:
        """Whether it waits or runs."""
        return self.state in BUSY

    @property
    def rest(self) -> str:
        """How long the rest takes, in words; nothing where there is no telling, or it is a moment."""
        if not self.busy or self.left is None or self.left < MOMENT:
            return ""
        if self.left < 90:
            return f"about {5 * round(self.left / 5)} s left"
        return f"about {round(self.left / 60)} min left" if self.left < 90 * 60 else f"about {round(self.left / 3600)} h left"

    @property
    def percent(self) -> int:
        """How far it is."""
        return min(100, 100 * self.done // self.total) if self.total else 0
