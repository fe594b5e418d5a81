"""Mattes brought in from files."""

from functools import cached_property
from pathlib import Path

from django.conf import settings
from django.db import models

from jaythread import store
from jaythread.jobs.models import Job
from jaythread.productions.models import Shot

READ = "brought.read"
"""the kind of its job"""


class State(models.TextChoices):
    WAITING = "waiting"
    READY = "ready"
    FAILED = "failed"


class Brought(models.Model):
    """A matte sequence of a shot that was made elsewhere. names: the still of each number; empty for a movie. offset: added to a file's
    number, it is the frame's. first, last: its frames that the shot has. begun: the shot's first frame when they were numbered: with other
    numbers of the shot they go along. notes: sentences for the artist."""

    shot = models.ForeignKey(Shot, models.CASCADE, related_name="brought")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="brought")
    name = models.CharField(max_length=60)
    source = models.CharField(max_length=200)
    is_movie = models.BooleanField(default=False)
    names = models.JSONField(default=dict)
    offset = models.IntegerField(default=0)
    first = models.IntegerField()
    last = models.IntegerField()
    begun = models.IntegerField()
    notes = models.JSONField(default=list)
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["shot", "name"], name="brought_name_once")]

    def __str__(self) -> str:
        return self.name

    @property
    def folder(self) -> Path:
        return store.folder(f"brought/{self.pk}")

    @cached_property
    def job(self) -> Job | None:
        """Its newest reading."""
        return Job.objects.filter(kind=READ, subject=str(self.pk)).first()

    def file(self, frame: int) -> Path:
        """The matte of a frame, by its number when it was taken in: a grey PNG of 16 bits."""
        return store.here(self.folder / "frames" / f"{frame}.png")
