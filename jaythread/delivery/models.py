"""Recipes, deliveries, their frames, and the chunks in which they are made."""

from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import models

from jaythread import store
from jaythread.desk.models import Matte
from jaythread.productions.models import Production
from roto.package.recipe import Recipe as CoreRecipe


class Recipe(models.Model):
    """Delivery settings that a production has saved under a name; saving again makes another version, older ones stay."""

    production = models.ForeignKey(Production, models.CASCADE, related_name="recipes")
    name = models.CharField(max_length=60)
    version = models.PositiveIntegerField(default=1)
    says = models.CharField(max_length=200, blank=True, help_text="who receives, and what for")
    how = models.JSONField(help_text="the settings, as roto.package.recipe has them")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="recipes")
    put_away = models.BooleanField(default=False, help_text="no longer offered; packages made by it stay")
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name", "-version"]
        constraints = [models.UniqueConstraint(fields=["production", "name", "version"], name="recipe_version_once")]

    def __str__(self) -> str:
        return f"{self.name} {self.version}"

    def to_core(self) -> CoreRecipe:
        return CoreRecipe.from_json(self.how)


class State(models.TextChoices):
    WAITING = "waiting"
    RENDERING = "rendering"
    READING = "reading back"
    PAUSED = "paused"
    HELD = "held up"
    PROVED = "proved"
    FAILED = "failed"
    CANCELLED = "cancelled"
    CLEARED = "cleared"


BUSY = (State.WAITING, State.RENDERING, State.READING)
STOPPED = (State.PAUSED, State.HELD)


class Delivery(models.Model):
    """One package of a matte, or of several, or of a tryout. `document` is the shape document of the first as it was when asked for,
    `others` those of the others: later edits do not reach it. tryout: of a look, what `looks.frozen` says, or null. recipe: its settings as
    they were. odd: what the receipt found to look at, with whether somebody accepted it. message: why it is held up. plate: which plate it
    is made from."""

    matte = models.ForeignKey(Matte, models.PROTECT, related_name="deliveries")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="deliveries")
    version = models.PositiveIntegerField()
    revision = models.PositiveBigIntegerField()
    document = models.TextField()
    others = models.JSONField(default=list)
    tryout = models.JSONField(null=True, blank=True)
    recipe_name = models.CharField(max_length=80, default="compositor, stills of 16 bits")
    recipe = models.JSONField(default=dict)
    first = models.IntegerField(null=True)
    last = models.IntegerField(null=True)
    plate = models.ForeignKey("plates.Plate", models.SET_NULL, null=True, blank=True, related_name="deliveries")
    plate_offset = models.IntegerField(default=0, help_text="of the plate's numbers, when it was asked for")
    state = models.CharField(max_length=14, choices=State.choices, default=State.WAITING)
    cancel = models.BooleanField(default=False)
    checked = models.PositiveIntegerField(default=0)
    wrong = models.JSONField(default=list)
    odd = models.JSONField(default=list)
    receipt = models.JSONField(default=dict)
    message = models.CharField(max_length=400, blank=True)
    made = models.DateTimeField(auto_now_add=True)
    started = models.DateTimeField(null=True)
    ended = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-made"]
        constraints = [models.UniqueConstraint(fields=["matte", "version"], name="delivery_version_once")]

    def __str__(self) -> str:
        return f"{self.matte.shot}_{self.name.replace(' ', '-')}_v{self.version}"

    @property
    def name(self) -> str:
        """What is delivered: the tryout, or the matte."""
        return str(self.tryout["name"]) if self.tryout else self.matte.name

    @property
    def folder(self) -> Path:
        return store.folder(f"deliveries/{self.pk}")

    @property
    def package(self) -> Path:
        return self.folder / "package"

    @property
    def busy(self) -> bool:
        return self.state in BUSY

    @property
    def stopped(self) -> bool:
        return self.state in STOPPED

    @property
    def open_odd(self) -> list[dict[str, Any]]:
        """What nobody has looked at yet; until then it goes to no receiver."""
        return [row for row in self.odd if not row.get("accepted")]

    @property
    def core_recipe(self) -> CoreRecipe:
        return CoreRecipe.from_json(self.recipe)


class DeliveredFrame(models.Model):
    """One frame of a package. at: its place in it; number: what it is called; frame: of the shot. key: names all that it is made from.
    change: against the package before. taken: taken over from an earlier package. measured: see `roto.package.statistics`."""

    delivery = models.ForeignKey(Delivery, models.CASCADE, related_name="frames")
    at = models.PositiveIntegerField(default=0)
    number = models.IntegerField(default=0)
    frame = models.IntegerField()
    name = models.CharField(max_length=160)
    key = models.CharField(max_length=80, blank=True, db_index=True)
    change = models.CharField(max_length=8, default="new")
    taken = models.BooleanField(default=False)
    done = models.BooleanField(default=False)
    samples = models.PositiveIntegerField(default=0)
    capped = models.BooleanField(default=False)
    measured = models.JSONField(default=dict)

    class Meta:
        ordering = ["at"]
        constraints = [models.UniqueConstraint(fields=["delivery", "frame"], name="delivered_frame_once")]

    def __str__(self) -> str:
        return self.name


class Chunk(models.Model):
    """A few frames of a package that one worker makes at a time: begin up to, without, end."""

    class State(models.TextChoices):
        WAITING = "waiting"
        WORKING = "working"
        DONE = "done"

    delivery = models.ForeignKey(Delivery, models.CASCADE, related_name="chunks")
    begin = models.PositiveIntegerField()
    end = models.PositiveIntegerField()
    state = models.CharField(max_length=8, choices=State.choices, default=State.WAITING)

    class Meta:
        ordering = ["begin"]
        constraints = [models.UniqueConstraint(fields=["delivery", "begin"], name="chunk_once")]

    def __str__(self) -> str:
        return f"{self.begin}-{self.end} of {self.delivery}"
