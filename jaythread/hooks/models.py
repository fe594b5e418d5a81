"""Addresses that are told what happens, and each time that they were."""

import uuid

from django.conf import settings
from django.db import models

from jaythread.productions.models import Production


class Hook(models.Model):
    """An address of another program. secret: what its calls are signed with. events: names of EVENTS that it is told."""

    production = models.ForeignKey(Production, models.CASCADE, related_name="hooks")
    address = models.URLField(max_length=300)
    secret = models.CharField(max_length=80)
    events = models.JSONField(default=list)
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="hooks")
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["address", "pk"]

    def __str__(self) -> str:
        return self.address


class Call(models.Model):
    """Something told, or still to be told, to an address. body: what is sent, as it was when it happened. answer: the status of the last
    try, where there was one; message: why it failed. done: it was taken; ended: it was taken or given up."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    hook = models.ForeignKey(Hook, models.CASCADE, related_name="calls")
    event = models.CharField(max_length=40)
    body = models.JSONField()
    tries = models.PositiveSmallIntegerField(default=0)
    answer = models.PositiveSmallIntegerField(null=True)
    message = models.CharField(max_length=200, blank=True)
    done = models.BooleanField(default=False)
    made = models.DateTimeField(auto_now_add=True)
    ended = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-made"]

    def __str__(self) -> str:
        return f"{self.event} to {self.hook}"
