"""Plates: where a shot's picture came from and how far its decoding is."""

from functools import cached_property
from pathlib import Path

from django.core.files.storage import default_storage
from django.db import models

from jaythread.jobs.models import Job
from jaythread.productions.models import Shot

DECODE = "plate.decode"
"""the kind of its job"""


class State(models.TextChoices):
    WAITING = "waiting"
    WORKING = "working"
    READY = "ready"
    FAILED = "failed"
    CANCELLED = "cancelled"


class Space(models.TextChoices):
    DISPLAY = "display", "made for display"
    LINEAR = "linear", "linear light"
    LOG = "log", "logarithmic"


class Plate(models.Model):
    """One version of a shot's picture. `names`: the still of each frame; empty for a movie, whose frames are decoded to PNG.
    cuts: found while it is decoded; how far that is, its job tells (`job`). display_version: raised when it is to be shown otherwise, so
    that pages fetch anew."""

    shot = models.ForeignKey(Shot, models.CASCADE, related_name="plates")
    version = models.PositiveIntegerField(default=1)
    source = models.CharField(max_length=200)
    is_movie = models.BooleanField(default=False)
    names = models.JSONField(default=dict)
    notes = models.JSONField(default=list)
    cuts = models.JSONField(default=list, help_text="frames on which another take begins")
    space = models.CharField(max_length=10, choices=Space.choices, default=Space.DISPLAY)
    display_version = models.PositiveIntegerField(default=0)
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)

    class Meta:
        ordering = ["-version"]

    def __str__(self) -> str:
        return f"{self.shot} plate {self.version}"

    @property
    def folder(self) -> Path:
        return Path(default_storage.path(f"plates/{self.pk}"))

    @property
    def busy(self) -> bool:
        return self.state in (State.WAITING, State.WORKING)

    @property
    def count(self) -> int:
        """How many frames there are to decode."""
        return len(self.names) or self.shot.last - self.shot.first + 1

    @cached_property
    def job(self) -> Job | None:
        """Its newest decoding."""
        return Job.objects.filter(kind=DECODE, subject=str(self.pk)).first()

    @property
    def percent(self) -> int:
        """How far its decoding is."""
        return self.job.percent if self.job else 0

    @property
    def message(self) -> str:
        """The sentence that its decoding ended with."""
        return self.job.message if self.job else ""

    @property
    def middle(self) -> int:
        """The frame that stands for the shot in lists: the middle one that has a picture."""
        frames = sorted(map(int, self.names)) or range(self.shot.first, self.shot.last + 1)
        return frames[len(frames) // 2]

    def still(self, frame: int) -> Path | None:
        """The full-size lossless picture of a frame, as it came in (stills) or was decoded (movies)."""
        if self.is_movie:
            return self.folder / "frames" / f"{frame}.png"
        name = self.names.get(str(frame))
        return self.folder / "source" / name if name else None

    def proxy(self, frame: int) -> Path:
        return self.folder / "proxy" / f"{frame}.jpg"
