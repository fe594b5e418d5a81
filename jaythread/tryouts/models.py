"""What tryouts store beside their lines, which are rows of the desk: graphics that were brought in."""

import uuid
from pathlib import Path

from django.conf import settings
from django.db import models

from jaythread import store
from jaythread.productions.models import Production


class Graphic(models.Model):
    """A still or an SVG of a production, to be shown by tryouts. file: its name in its own folder. width, height: px of its own."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    production = models.ForeignKey(Production, models.CASCADE, related_name="graphics")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="graphics")
    name = models.CharField(max_length=80)
    file = models.CharField(max_length=40)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name

    @property
    def path(self) -> Path:
        return store.here(store.folder(f"graphics/{self.pk}/{self.file}"))
