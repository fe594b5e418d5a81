"""Plates: where a shot's picture came from and how far its decoding is."""

import uuid
from functools import cached_property
from pathlib import Path

from django.conf import settings
from django.db import models

from jaythread import store
from jaythread.jobs.models import BUSY, Job
from jaythread.productions.models import Shot

DECODE = "plate.decode"
"""the kind of its job"""
CHANGES = "plate.changes"
"""the kind of the job that looks what differs from the version before"""
SHOW = "plate.show"
"""the kind of the job that shows it in another colour space"""


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


class Mixed(models.TextChoices):
    UNKNOWN = "", "not looked at"
    LIGHT = "light", "in light"
    SHOWN = "display", "as displayed"


class Plate(models.Model):
    """One version of a shot's picture. `names`: the still of each frame; empty for a movie, whose frames are decoded to PNG.
    cuts: found while it is decoded; how far that is, its job tells (`job`). display_version: raised when it is to be shown otherwise, so
    that pages fetch anew. first, last: of its own files' numbers; of older ones the shot's. changes: what differs from the version before,
    once that was looked at: sentences, and by frame which share of the picture. mixed: how its edges were mixed, once they were read."""

    shot = models.ForeignKey(Shot, models.CASCADE, related_name="plates")
    version = models.PositiveIntegerField(default=1)
    source = models.CharField(max_length=200)
    is_movie = models.BooleanField(default=False)
    names = models.JSONField(default=dict)
    notes = models.JSONField(default=list)
    cuts = models.JSONField(default=list, help_text="frames on which another take begins")
    offset = models.IntegerField(default=0, help_text="added to a file's number, it is the frame's")
    holds = models.BooleanField(default=False, help_text="a missing still shows the one before")
    first = models.IntegerField(null=True)
    last = models.IntegerField(null=True)
    space = models.CharField(max_length=10, choices=Space.choices, default=Space.DISPLAY)
    changes = models.JSONField(null=True)
    display_version = models.PositiveIntegerField(default=0)
    quick = models.CharField(max_length=40, default="proxy", help_text="the folder of its quick pictures")
    mixed = models.CharField(max_length=10, choices=Mixed.choices, default=Mixed.UNKNOWN, blank=True)
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)

    class Meta:
        ordering = ["-version"]

    def __str__(self) -> str:
        return f"{self.shot} plate {self.version}"

    @property
    def folder(self) -> Path:
        return store.folder(f"plates/{self.pk}")

    @property
    def busy(self) -> bool:
        return self.state in (State.WAITING, State.WORKING)

    @property
    def count(self) -> int:
        """How many frames there are to decode."""
        return len(self.names) or self.own_range[1] - self.own_range[0] + 1

    @property
    def own_range(self) -> tuple[int, int]:
        """First and last number of its files."""
        if self.first is None or self.last is None:
            return self.shot.first - self.offset, self.shot.last - self.offset
        return self.first, self.last

    @property
    def picture_version(self) -> str:
        """Another one whenever an address of a frame shows another picture: browsers keep pictures for good."""
        return f"{self.display_version}.{self.offset}"

    @property
    def cut_frames(self) -> list[int]:
        """The frames on which another take begins."""
        return [cut + self.offset for cut in self.cuts]

    @property
    def gaps(self) -> list[int]:
        """The frames of the shot whose stills are missing."""
        if not self.names:
            return []
        return [f for f in range(self.shot.first, self.shot.last + 1) if str(f - self.offset) not in self.names]

    @cached_property
    def job(self) -> Job | None:
        """Its newest decoding."""
        return Job.objects.filter(kind=DECODE, subject=str(self.pk)).first()

    @cached_property
    def showing(self) -> Job | None:
        """The job that makes it be shown otherwise, while there is one."""
        return Job.objects.filter(kind=SHOW, subject=str(self.pk), state__in=BUSY).first()

    @cached_property
    def before(self) -> "Plate | None":
        """The version that was here before it."""
        return Plate.objects.select_related("shot").filter(shot=self.shot_id, version__lt=self.version, state=State.READY).first()

    @cached_property
    def looking(self) -> Job | None:
        """The job that looks what differs, while there is one."""
        return Job.objects.filter(kind=CHANGES, subject=str(self.pk), state__in=BUSY).first()

    @property
    def may_be_tried(self) -> bool:
        """Whether it could not be decoded, and what was given is there for another try."""
        return self.state == State.FAILED and bool(store.names(self.folder / "source"))

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
        first, last = self.own_range
        numbers = sorted(map(int, self.names)) or range(first, last + 1)
        return numbers[len(numbers) // 2] + self.offset

    def _number(self, frame: int, offset: int | None = None) -> int:
        """The number of the file that shows a frame: where it is missing and held, that of the one before."""
        number = frame - (self.offset if offset is None else offset)
        if self.holds and self.names and str(number) not in self.names:
            before = [n for n in map(int, self.names) if n < number]
            return max(before, default=number)
        return number

    def still(self, frame: int, offset: int | None = None) -> Path | None:
        """The full-size lossless picture of a frame, as it came in (stills) or was decoded (movies). offset: by other numbers than now."""
        number = self._number(frame, offset)
        if self.is_movie:
            return store.here(self.folder / "frames" / f"{number}.png")
        name = self.names.get(str(number))
        return store.here(self.folder / "source" / name) if name else None

    def proxy(self, frame: int) -> Path:
        """The small quick picture of a frame."""
        return store.here(self.folder / self.quick / f"{self._number(frame)}.jpg")


class Upload(models.Model):
    """A file that comes in pieces, and goes on where it broke off. length: bytes of the whole. How many are there is what its file has; or,
    where several machines share a store, in which each piece is a file of its own, what `parts` adds up to."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="uploads")
    name = models.CharField(max_length=200)
    length = models.PositiveBigIntegerField()
    parts = models.JSONField(default=list, help_text="bytes of each piece in the shared store, in order")
    made = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return self.name

    @property
    def path(self) -> Path:
        return store.folder(f"incoming/pieces/{self.pk}")

    @property
    def offset(self) -> int:
        """Bytes that are there."""
        if store.shared() is not None:
            return sum(self.parts)
        return self.path.stat().st_size if self.path.exists() else 0

    @property
    def folder(self) -> Path:
        """Of its pieces in the shared store."""
        return store.folder(f"pieces/{self.pk}")

    def piece(self, begin: int) -> Path:
        """The piece that begins with this byte, counted from 0, in the shared store."""
        return self.folder / f"{begin:015}"
