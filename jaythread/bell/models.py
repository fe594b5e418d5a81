"""Words for somebody, and when they last looked at a production."""

from django.conf import settings
from django.db import models
from django.utils import timezone

from jaythread.productions.models import Production


class Word(models.Model):
    """Something that concerns a person. address: the page where it is to be seen."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="words")
    production = models.ForeignKey(Production, models.CASCADE, related_name="words")
    says = models.CharField(max_length=400)
    address = models.CharField(max_length=300)
    made = models.DateTimeField(auto_now_add=True)
    read = models.BooleanField(default=False)
    mailed = models.BooleanField(default=False)

    class Meta:
        ordering = ["-made", "-pk"]
        indexes = [models.Index(fields=["user", "read"], name="word_unread")]

    def __str__(self) -> str:
        return self.says


class Visit(models.Model):
    """When somebody looked at a production's board. before: the time before the last one, so that what changed since stays marked while the
    page is loaded anew."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="visits")
    production = models.ForeignKey(Production, models.CASCADE, related_name="visits")
    before = models.DateTimeField(null=True)
    last = models.DateTimeField(default=timezone.now)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["user", "production"], name="visit_once")]

    def __str__(self) -> str:
        return f"{self.user} at {self.production}"
