"""What the desk stores. Rows hand out core values (`to_core`); numbers are kept as little-endian float64, exactly."""

import uuid
from typing import Any

import numpy as np
from django.conf import settings
from django.db import models
from django.utils import timezone

from jaythread.productions.models import Shot
from roto.motion.keys import Keys
from roto.motion.live_ranges import tidy
from roto.motion.shape import BELL, CLOSED, DIVIDING, GROUP
from roto.motion.shape import Shape as CoreShape
from roto.track.sheet import Lattice
from roto.track.track import Track as CoreTrack
from roto.tryout.document import Timing, line_from_json
from roto.tryout.document import Tryout as CoreTryout


class Shape(models.Model):
    """An outline of a shot, or a group of outlines. `points` holds each point's kind (0 corner, 1 curve), one byte a point.

    group: what it rides on, a shape of the kind for that. locked: refuses changes until it is unlocked. own_reach: which points have a
    reach of their own, one byte a point; nothing where none has. carrier: its own, as `as_data.carrier_data` has it; null where its group's
    holds.
    """

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    shot = models.ForeignKey(Shot, models.CASCADE, related_name="shapes")
    name = models.CharField(max_length=60)
    kind = models.CharField(max_length=10, choices=[(kind, kind) for kind in (CLOSED, DIVIDING, GROUP)], default=CLOSED)
    points = models.BinaryField()
    colour = models.PositiveSmallIntegerField(default=0)
    profile = models.CharField(max_length=12, default="straight")
    blur = models.BooleanField(default=True)
    lens_kind = models.CharField(max_length=8, default=BELL, help_text="what its lens softness is of: one of the core's LENSES")
    pivot_x = models.FloatField(default=0.0)
    pivot_y = models.FloatField(default=0.0)
    group = models.ForeignKey("self", models.SET_NULL, null=True, blank=True, related_name="members")
    locked = models.BooleanField(default=False)
    own_reach = models.BinaryField(default=bytes)
    carrier = models.JSONField(null=True, blank=True)
    revision = models.PositiveBigIntegerField(default=0)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name

    def to_core(self) -> CoreShape:
        """The shape by itself; what carries it is given by `document.core_cache`."""
        kinds = np.frombuffer(bytes(self.points), np.int8)
        own = tuple(bool(b) for b in bytes(self.own_reach))
        return CoreShape(
            id=str(self.pk),
            name=self.name,
            kind=self.kind,
            kinds=kinds,
            colour=self.colour,
            profile=self.profile,
            blur=self.blur,
            lens_kind=self.lens_kind,
            pivot=(self.pivot_x, self.pivot_y),
            form=keys_of(self.form_keys.all(), len(kinds), 6),
            place=keys_of(self.placement_keys.all(), 3, 2),
            settings=keys_of(self.setting_keys.all(), 3, 2),
            reach=keys_of(self.reach_keys.all(), len(kinds), 2) if own else None,
            own=own,
            live=tidy((r.first, r.last) for r in self.live_ranges.all()),
        )


class Key(models.Model):
    """A key of one channel: which parts it holds (a byte each), their values, and speeds (NaN where they follow from neighbours)."""

    frame = models.IntegerField()
    kind = models.PositiveSmallIntegerField(default=2)
    held = models.BinaryField()
    values = models.BinaryField()
    speeds = models.BinaryField()

    class Meta:
        abstract = True
        ordering = ["frame"]

    def __str__(self) -> str:
        return f"key on {self.frame}"


class FormKey(Key):
    shape = models.ForeignKey(Shape, models.CASCADE, related_name="form_keys")

    class Meta(Key.Meta):
        constraints = [models.UniqueConstraint(fields=["shape", "frame"], name="form_key_once")]


class PlacementKey(Key):
    shape = models.ForeignKey(Shape, models.CASCADE, related_name="placement_keys")

    class Meta(Key.Meta):
        constraints = [models.UniqueConstraint(fields=["shape", "frame"], name="placement_key_once")]


class SettingKey(Key):
    shape = models.ForeignKey(Shape, models.CASCADE, related_name="setting_keys")

    class Meta(Key.Meta):
        constraints = [models.UniqueConstraint(fields=["shape", "frame"], name="setting_key_once")]


def keys_of(rows: "models.QuerySet[Any]", parts: int, width: int) -> Keys:
    """The core's keys from rows in order of frames."""
    found = list(rows)
    values = np.array([np.frombuffer(bytes(r.values), "<f8") for r in found]).reshape(len(found), parts, width)
    speeds = np.array([np.frombuffer(bytes(r.speeds), "<f8") for r in found]).reshape(len(found), parts, width)
    held = np.array([np.frombuffer(bytes(r.held), np.int8) for r in found]).reshape(len(found), parts).astype(bool)
    return Keys.build([r.frame for r in found], values, held=held, kinds=[r.kind for r in found], speeds=speeds)


class ReachKey(Key):
    """A key of the points' own reach."""

    shape = models.ForeignKey(Shape, models.CASCADE, related_name="reach_keys")

    class Meta(Key.Meta):
        constraints = [models.UniqueConstraint(fields=["shape", "frame"], name="reach_key_once")]


class LiveRange(models.Model):
    shape = models.ForeignKey(Shape, models.CASCADE, related_name="live_ranges")
    first = models.IntegerField()
    last = models.IntegerField()

    class Meta:
        ordering = ["first"]

    def __str__(self) -> str:
        return f"{self.first}-{self.last}"


class Matte(models.Model):
    """A named result of a shot: one ordered stack."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    made = models.DateTimeField(auto_now_add=True)
    shot = models.ForeignKey(Shot, models.CASCADE, related_name="mattes")
    name = models.CharField(max_length=40)
    inverted = models.BooleanField(default=False)
    shift = models.JSONField(default=list, blank=True, help_text="keys of its edge shift: [frame, px], in order of frames")
    lens = models.JSONField(default=list, blank=True, help_text="keys of its lens softness: [frame, px], in order of frames")
    lens_kind = models.CharField(max_length=8, default=BELL)

    class Meta:
        ordering = ["made"]
        constraints = [models.UniqueConstraint(fields=["shot", "name"], name="matte_name_once")]

    def __str__(self) -> str:
        return self.name


class StackEntry(models.Model):
    """One line of a matte's stack, bottom first. A shape may stand in several mattes. mode: a key of `roto.matte.modes.MODES`.
    source: where its alpha comes from, when it is taught or brought in, as `roto.matte.stack.Source` has it."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    matte = models.ForeignKey(Matte, models.CASCADE, related_name="entries")
    shape = models.ForeignKey(Shape, models.CASCADE, related_name="entries")
    order = models.FloatField()
    mode = models.CharField(max_length=12, default="add")
    inverted = models.BooleanField(default=False)
    opacity = models.FloatField(default=1.0)
    source = models.JSONField(default=dict, blank=True)

    class Meta:
        ordering = ["order", "id"]

    def __str__(self) -> str:
        return f"{self.shape} {self.mode}"


class Edit(models.Model):
    """The journal: one row a change, with all that was before and after, so that it can be turned back.

    The id is made by the page: sending an edit again is harmless. reverses: the edit that this one takes back (an undo, or a redo of one).
    reversed: whether it has been taken back. follows: the same person's edit that this one came of by itself; it is taken back with it.
    """

    class Way(models.TextChoices):
        DO = "do"
        UNDO = "undo"
        REDO = "redo"

    id = models.UUIDField(primary_key=True)
    shot = models.ForeignKey(Shot, models.CASCADE, related_name="edits")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="edits")
    revision = models.PositiveBigIntegerField()
    way = models.CharField(max_length=4, choices=Way.choices, default=Way.DO)
    summary = models.CharField(max_length=200)
    changes = models.JSONField()
    reverses = models.ForeignKey("self", models.PROTECT, null=True, blank=True, related_name="reversed_by")
    reversed = models.BooleanField(default=False)
    follows = models.ForeignKey("self", models.PROTECT, null=True, blank=True, related_name="followed_by")
    made = models.DateTimeField(auto_now_add=True)
    touched: set[str] | None = None
    """the ids of shapes that it touches, where that is known from making it"""

    class Meta:
        ordering = ["revision"]
        constraints = [models.UniqueConstraint(fields=["shot", "revision"], name="one_edit_a_revision")]

    def __str__(self) -> str:
        return self.summary


class Track(models.Model):
    """Points that go with something in the picture. data: see `as_data.new_track_data`; numbers as JSON writes them, exactly."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    shot = models.ForeignKey(Shot, models.CASCADE, related_name="tracks")
    name = models.CharField(max_length=60)
    data = models.JSONField()
    revision = models.PositiveBigIntegerField(default=0)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name

    def to_core(self) -> CoreTrack:
        """The track as the core has it."""
        return CoreTrack(
            id=str(self.pk),
            name=self.name,
            home=self.data["home"],
            points=Keys.build(self.data["frames"], np.array(self.data["points"], dtype=np.float64)),
            confidence=np.array(self.data["sure"], dtype=np.float64),
            manual=frozenset(self.data["hand"]),
            sheet=Lattice(**self.data["sheet"]) if "sheet" in self.data else None,
        )


class Tryout(models.Model):
    """A matte put to use: lines from the bottom up, as the tryout document has them (`roto.tryout.document`)."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    shot = models.ForeignKey(Shot, models.CASCADE, related_name="tryouts")
    name = models.CharField(max_length=40)
    lines = models.JSONField(default=list)
    revision = models.PositiveBigIntegerField(default=0)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name

    def to_core(self) -> CoreTryout:
        """As the core has it."""
        shot = self.shot
        return CoreTryout(
            shot=shot.name,
            name=self.name,
            size=(shot.width, shot.height),
            rate=str(shot.rate),
            frames=(shot.first, shot.last),
            lines=tuple(line_from_json(line) for line in self.lines),
            shutter=Timing(angle=shot.shutter_angle, phase=shot.shutter_phase),
        )


class FrameFit(models.Model):
    """How well the outlines of a matte lie on the picture of a frame. key: what it was measured on; another one now makes it stale.

    shapes: of each shape its segments' [mean offset px or null, mean of its size px, how sure]. looked: the key under which somebody
    said that they had looked at the frame.
    """

    matte = models.ForeignKey(Matte, models.CASCADE, related_name="fits")
    frame = models.IntegerField()
    key = models.CharField(max_length=64, blank=True)
    shapes = models.JSONField(default=dict)
    looked = models.CharField(max_length=64, blank=True)

    class Meta:
        ordering = ["frame"]
        constraints = [models.UniqueConstraint(fields=["matte", "frame"], name="fit_once_a_frame")]

    def __str__(self) -> str:
        return f"fit of {self.matte} on {self.frame}"


class Presence(models.Model):
    """Who looks at a shot, and when their page last asked for news."""

    shot = models.ForeignKey(Shot, models.CASCADE, related_name="presences")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="presences")
    seen = models.DateTimeField(default=timezone.now)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["shot", "user"], name="once_at_a_shot")]

    def __str__(self) -> str:
        return f"{self.user} at {self.shot}"


class Note(models.Model):
    """What somebody says about a frame and a place of a shot. by: who, also somebody without an account. x, y: plate px; none for the whole
    frame. last: the end of a stretch. strokes: drawn on the picture, lists of [x, y] in plate px. to: for whom; nobody is for all.
    package: which delivery it is about. ref: what the other side calls it, so that it is not taken twice. pasted: the file of a picture
    that was put in. settled_by, settled_at: who said that it is done, or not done, and the shot's revision then; reason: why not."""

    class State(models.TextChoices):
        OPEN = "open"
        DONE = "done"
        NOT_DONE = "not done"

    shot = models.ForeignKey(Shot, models.CASCADE, related_name="notes")
    frame = models.IntegerField()
    x = models.FloatField(null=True, blank=True)
    y = models.FloatField(null=True, blank=True)
    says = models.CharField(max_length=1000)
    by = models.CharField(max_length=80)
    last = models.IntegerField(null=True, blank=True)
    strokes = models.JSONField(default=list, blank=True)
    to = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, blank=True, related_name="notes_for_me")
    package = models.CharField(max_length=160, blank=True)
    ref = models.CharField(max_length=80, blank=True)
    pasted = models.CharField(max_length=80, blank=True)
    state = models.CharField(max_length=10, choices=State.choices, default=State.OPEN)
    settled_by = models.CharField(max_length=80, blank=True)
    settled_at = models.PositiveBigIntegerField(null=True, blank=True)
    reason = models.CharField(max_length=300, blank=True)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["frame", "made"]
        constraints = [models.UniqueConstraint(fields=["shot", "ref"], condition=~models.Q(ref=""), name="note_once")]

    def __str__(self) -> str:
        return f"note on {self.frame}"


class Answer(models.Model):
    """What somebody of the house answers to a note. sent: whether the other side has it, where the note came from there."""

    note = models.ForeignKey(Note, models.CASCADE, related_name="answers")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="answers")
    says = models.CharField(max_length=1000)
    made = models.DateTimeField(auto_now_add=True)
    sent = models.BooleanField(default=False)

    class Meta:
        ordering = ["made", "pk"]

    def __str__(self) -> str:
        return self.says
