"""What a person likes, where they are signed in, and which tokens their scripts have."""

from django.conf import settings
from django.contrib.sessions.models import Session
from django.db import models
from django.utils import timezone


class Preference(models.Model):
    """One row a person. keys: an act's name to the keys that the person has chosen for it; acts that are not named keep ours.
    key_kind: of keys that this person makes: flowing, straight or hold."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, models.CASCADE, related_name="preference")
    keys = models.JSONField(default=dict)
    key_kind = models.CharField(max_length=8, default="flowing")
    dusk = models.BooleanField(default=False)

    def __str__(self) -> str:
        return f"what {self.user} likes"


class SignedIn(models.Model):
    """A browser in which somebody is signed in; it goes with its session. browser: as it calls itself. seen: the last day it was used."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="signed_in")
    session = models.OneToOneField(Session, models.CASCADE)
    browser = models.CharField(max_length=200, blank=True)
    address = models.GenericIPAddressField(null=True)
    since = models.DateTimeField(default=timezone.now)
    seen = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["-seen", "-since"]

    def __str__(self) -> str:
        return f"{self.user} by {self.address}"


class Token(models.Model):
    """What a script signs in with, as its person. digest: SHA-256 of it, which alone is kept. changes: whether it may change things, or
    look only. used: when it was used last, to the minute."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="tokens")
    name = models.CharField(max_length=60)
    digest = models.CharField(max_length=64, unique=True)
    changes = models.BooleanField(default=False)
    made = models.DateTimeField(default=timezone.now)
    used = models.DateTimeField(null=True)

    class Meta:
        ordering = ["name", "pk"]

    def __str__(self) -> str:
        return f"{self.name} of {self.user}"
