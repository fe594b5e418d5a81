"""Productions, their people, their shots."""

from fractions import Fraction

from django.conf import settings
from django.db import models

from roto.matte.shutter import Shutter
from roto.tolerances import BLUR_CAP


class Production(models.Model):
    """A job for one client: its people and its shots."""

    name = models.CharField(max_length=80, unique=True)
    made = models.DateTimeField(auto_now_add=True)
    members = models.ManyToManyField(settings.AUTH_USER_MODEL, through="Membership", related_name="productions")
    archived = models.DateTimeField(null=True, blank=True, help_text="since when it is looked at only")
    shelf = models.BooleanField(default=False, help_text="nobody's: where removed shots wait until their files are cleared away")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["shelf"], condition=models.Q(shelf=True), name="one_shelf")]

    def __str__(self) -> str:
        return self.name


class Role(models.TextChoices):
    ARTIST = "artist"
    LEAD = "lead"
    RECEIVER = "receiver"


class Membership(models.Model):
    production = models.ForeignKey(Production, models.CASCADE, related_name="memberships")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=10, choices=Role.choices, default=Role.ARTIST)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["production", "user"], name="one_membership_each")]

    def __str__(self) -> str:
        return f"{self.user} in {self.production} ({self.role})"


class Shot(models.Model):
    """A piece of picture to be worked on; range, size and rate follow its plate."""

    production = models.ForeignKey(Production, models.CASCADE, related_name="shots")
    name = models.CharField(max_length=60)
    first = models.IntegerField(default=1)
    last = models.IntegerField(default=1)
    width = models.PositiveIntegerField(default=0)
    height = models.PositiveIntegerField(default=0)
    work_first = models.IntegerField(null=True, blank=True, help_text="first frame of the working range; nothing is the shot's")
    work_last = models.IntegerField(null=True, blank=True)
    rate_over = models.PositiveIntegerField(default=24)
    rate_under = models.PositiveIntegerField(default=1)
    pixel_aspect = models.FloatField(default=1.0, help_text="width of a pixel to its height")
    shutter_angle = models.FloatField(default=180.0)
    shutter_phase = models.FloatField(null=True, blank=True, help_text="degrees; nothing is centred")
    shutter_cap = models.PositiveIntegerField(default=BLUR_CAP)
    revision = models.PositiveBigIntegerField(default=0)
    made = models.DateTimeField(auto_now_add=True)
    removed = models.DateTimeField(null=True, blank=True)
    removed_name = models.CharField(max_length=60, blank=True)
    removed_from = models.ForeignKey(Production, models.CASCADE, null=True, blank=True, related_name="removed_shots")

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["production", "name"], name="shot_name_once")]

    def __str__(self) -> str:
        return self.name

    @property
    def working(self) -> tuple[int, int]:
        """First and last frame of the working range: the frames that matter. All of the shot's where none was set."""
        if self.work_first is None or self.work_last is None:
            return self.first, self.last
        first, last = max(self.first, self.work_first), min(self.last, self.work_last)
        return (first, last) if first <= last else (self.first, self.last)  # a newer plate may have none of it

    @property
    def rate(self) -> Fraction:
        return Fraction(self.rate_over, self.rate_under)

    @property
    def rate_text(self) -> str:
        """24, or 24000/1001 with what that comes to.

        >>> Shot(rate_over=24000, rate_under=1001).rate_text
        '24000/1001 (23.976)'
        """
        return str(self.rate_over) if self.rate_under == 1 else f"{self.rate_over}/{self.rate_under} ({float(self.rate):.3f})"

    @property
    def shutter(self) -> Shutter:
        return Shutter(angle=self.shutter_angle, phase=self.shutter_phase, cap=self.shutter_cap)
