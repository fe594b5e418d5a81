"""Deliveries and their frames."""

from pathlib import Path

from django.conf import settings
from django.core.files.storage import default_storage
from django.db import models

from jaythread.desk.models import Matte


class State(models.TextChoices):
    WAITING = "waiting"
    RENDERING = "rendering"
    READING = "reading back"
    PROVED = "proved"
    FAILED = "failed"
    CANCELLED = "cancelled"


class Delivery(models.Model):
    """One package of a matte. `document` is the shape document as it was when asked for: later edits do not reach it."""

    matte = models.ForeignKey(Matte, models.PROTECT, related_name="deliveries")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="deliveries")
    version = models.PositiveIntegerField()
    revision = models.PositiveBigIntegerField()
    document = models.TextField()
    state = models.CharField(max_length=14, choices=State.choices, default=State.WAITING)
    cancel = models.BooleanField(default=False)
    checked = models.PositiveIntegerField(default=0)
    wrong = models.JSONField(default=list)
    made = models.DateTimeField(auto_now_add=True)
    ended = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-made"]
        constraints = [models.UniqueConstraint(fields=["matte", "version"], name="delivery_version_once")]

    def __str__(self) -> str:
        return f"{self.matte.shot}_{self.matte}_v{self.version}"

    @property
    def folder(self) -> Path:
        return Path(default_storage.path(f"deliveries/{self.pk}"))

    @property
    def busy(self) -> bool:
        return self.state in (State.WAITING, State.RENDERING, State.READING)


class DeliveredFrame(models.Model):
    delivery = models.ForeignKey(Delivery, models.CASCADE, related_name="frames")
    frame = models.IntegerField()
    name = models.CharField(max_length=160)
    done = models.BooleanField(default=False)
    bytes = models.PositiveBigIntegerField(default=0)
    sha256 = models.CharField(max_length=64, blank=True)
    samples = models.PositiveIntegerField(default=0)
    capped = models.BooleanField(default=False)

    class Meta:
        ordering = ["frame"]
        constraints = [models.UniqueConstraint(fields=["delivery", "frame"], name="delivered_frame_once")]

    def __str__(self) -> str:
        return self.name
