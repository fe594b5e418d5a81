"""What was read of the frames of mattes, and what is thought wrong with them."""

from django.conf import settings
from django.db import models
from django.utils import timezone

from jaythread.desk.models import Matte
from jaythread.productions.models import Shot


class FrameCheck(models.Model):
    """What was read of a frame of a matte. key: what it was read from, the frames beside it among it; another one now makes it stale.

    read: reading, moving, capped and fringe, as `roto.check` has them. small: the matte as an 8-bit grey PNG, SMALL px wide at most.
    edges, edges_key: the edge beside the plate's, and how it meets other mattes, on the frames where that was read.
    """

    matte = models.ForeignKey(Matte, models.CASCADE, related_name="checks")
    frame = models.IntegerField()
    key = models.CharField(max_length=64)
    read = models.JSONField()
    small = models.BinaryField()
    edges = models.JSONField(null=True, blank=True)
    edges_key = models.CharField(max_length=64, blank=True)

    class Meta:
        ordering = ["frame"]
        constraints = [models.UniqueConstraint(fields=["matte", "frame"], name="check_once_a_frame")]

    def __str__(self) -> str:
        return f"check of {self.matte} on {self.frame}"


class State(models.TextChoices):
    OPEN = "open"
    MEANT = "meant so"
    RIGHT = "put right"


class Finding(models.Model):
    """What is thought wrong with a matte (`roto.check.findings.Finding`), and how it stands. key: what it was measured on. user, reason:
    who says that it is meant so, and why."""

    matte = models.ForeignKey(Matte, models.CASCADE, related_name="findings")
    what = models.CharField(max_length=12)
    first = models.IntegerField()
    last = models.IntegerField()
    box = models.JSONField(null=True, blank=True)
    amount = models.FloatField()
    harm = models.FloatField()
    says = models.CharField(max_length=300)
    why = models.CharField(max_length=300, blank=True)
    other = models.CharField(max_length=40, blank=True)
    key = models.CharField(max_length=64)
    state = models.CharField(max_length=10, choices=State.choices, default=State.OPEN)
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True, blank=True, related_name="findings")
    reason = models.CharField(max_length=300, blank=True)
    changed = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["-harm", "first"]

    def __str__(self) -> str:
        return self.says


class Mark(models.Model):
    """A named state of a shot's shapes: as they stood after the edit of that revision."""

    shot = models.ForeignKey(Shot, models.CASCADE, related_name="marks")
    revision = models.PositiveBigIntegerField()
    name = models.CharField(max_length=60)
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="marks")
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["revision", "name"]
        constraints = [models.UniqueConstraint(fields=["shot", "name"], name="mark_name_once")]

    def __str__(self) -> str:
        return self.name


class Stands(models.TextChoices):
    NOT_BEGUN = "not begun"
    IN_WORK = "in work"
    TO_LOOK = "to look at"
    RETURNED = "returned"
    APPROVED = "approved"
    DELIVERED = "delivered"
    ACCEPTED = "accepted"


class Standing(models.Model):
    """How far a matte is on its way, whose it is, and when it is due. revision: the shot's, at the last step. A matte without one is not
    begun, or in work once it has a shape."""

    matte = models.OneToOneField(Matte, models.CASCADE, related_name="standing")
    state = models.CharField(max_length=12, choices=Stands.choices, default=Stands.NOT_BEGUN)
    assigned = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, blank=True, related_name="mattes_of_mine")
    due = models.DateField(null=True, blank=True)
    revision = models.PositiveBigIntegerField(default=0)
    changed = models.DateTimeField(default=timezone.now)

    def __str__(self) -> str:
        return f"{self.matte}: {self.state}"


class Step(models.Model):
    """A matte went from one state to another: who, why, and at which revision of its shot. by: who it was, where they have no account here;
    then `user` is who handed the package over to them."""

    matte = models.ForeignKey(Matte, models.CASCADE, related_name="steps")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="steps")
    was = models.CharField(max_length=12)
    now = models.CharField(max_length=12)
    says = models.CharField(max_length=600, blank=True)
    by = models.CharField(max_length=80, blank=True)
    revision = models.PositiveBigIntegerField()
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-made", "-pk"]

    def __str__(self) -> str:
        return f"{self.matte}: {self.was} to {self.now}"
