"""Packages on their way, and links to them."""

import uuid

from django.conf import settings
from django.db import models

from jaythread.delivery.models import Delivery


class Sending(models.Model):
    """A package being handed over to a receiver's transfer point, and what they say. remote: what they call it. total, sent: bytes. tries:
    how often it was put off because the other side was not well; again: in a row, without a byte more over there than `reached`."""

    class State(models.TextChoices):
        WAITING = "waiting"
        SENDING = "sending"
        RECEIVED = "received, not answered yet"
        ACCEPTED = "accepted"
        RETURNED = "returned with notes"
        FAILED = "failed"
        CANCELLED = "cancelled"

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    delivery = models.ForeignKey(Delivery, models.PROTECT, related_name="sendings")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="sendings")
    state = models.CharField(max_length=32, choices=State.choices, default=State.WAITING)
    remote = models.CharField(max_length=64, blank=True)
    total = models.PositiveBigIntegerField(default=0)
    sent = models.PositiveBigIntegerField(default=0)
    tries = models.PositiveIntegerField(default=0)
    again = models.PositiveSmallIntegerField(default=0)
    reached = models.PositiveBigIntegerField(default=0)
    cancel = models.BooleanField(default=False)
    message = models.CharField(max_length=400, blank=True)
    made = models.DateTimeField(auto_now_add=True)
    asked = models.DateTimeField(null=True)
    ended = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-made"]

    def __str__(self) -> str:
        return f"{self.delivery} to the receiver"

    @property
    def under_way(self) -> bool:
        return self.state in (self.State.WAITING, self.State.SENDING)

    @property
    def percent(self) -> int:
        return 100 * self.sent // self.total if self.total else 0


class Link(models.Model):
    """A way to one package for somebody without an account. Only a hash of what stands in the address is kept."""

    delivery = models.ForeignKey(Delivery, models.CASCADE, related_name="links")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="links")
    mark = models.CharField(max_length=64, unique=True)
    says = models.CharField(max_length=100, help_text="for whom")
    until = models.DateTimeField()
    revoked = models.BooleanField(default=False)
    fetched = models.PositiveIntegerField(default=0)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-made"]

    def __str__(self) -> str:
        return f"link to {self.delivery} for {self.says}"
