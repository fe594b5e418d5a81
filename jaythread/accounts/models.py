"""What a person likes: their own keys of the desk, and whether they work by day or in a dark room."""

from django.conf import settings
from django.db import models


class Preference(models.Model):
    """One row a person. keys: an act's name to the keys that the person has chosen for it; acts that are not named keep ours.
    key_kind: of keys that this person makes: flowing, straight or hold."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, models.CASCADE, related_name="preference")
    keys = models.JSONField(default=dict)
    key_kind = models.CharField(max_length=8, default="flowing")
    dusk = models.BooleanField(default=False)

    def __str__(self) -> str:
        return f"what {self.user} likes"
