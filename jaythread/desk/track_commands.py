"""What an edit may say about tracks, what rides on them, and the keys that come of it."""

from typing import Annotated, Literal

import numpy as np
from ninja import Schema
from pydantic import Field, PrivateAttr

from jaythread.desk.vocabulary import Frame, Name
from roto.errors import BadKeys
from roto.motion.shape import Shape as CoreShape
from roto.track.thin import Thinned, baked, thin

LONGEST = 5000
"""frames that are baked at once"""

Points = Annotated[list[tuple[float, float]], Field(min_length=1, max_length=4)]


class NewTrack(Schema):
    """A track begun on a frame: at places in the picture, or (shape) at the corners of what a shape covers, whose picture is then followed.

    half: px to either side of a point that make its patch; 0 for one that is laid by hand alone. search: px that it may leap in a frame.
    """

    do: Literal["new track"]
    track: str
    name: Name
    frame: Frame
    points: Points = [(0.0, 0.0)]
    shape: str | None = None
    holds_out: Annotated[list[str], Field(max_length=200)] = []
    half: float = Field(0.0, ge=0, le=400)
    model: Literal["move", "similar", "affine"] = "similar"
    search: float = Field(40.0, ge=2, le=400)


class CorrectTrack(Schema):
    """Points of a track set by hand on a frame."""

    do: Literal["correct track"]
    track: str
    frame: Frame
    points: Annotated[dict[int, tuple[float, float]], Field(min_length=1)]


class TrackLook(Schema):
    """A track's name."""

    do: Literal["track look"]
    track: str
    name: Name


class TrackPatch(Schema):
    """What a track looks for: from which frame it is taken, how large it is, how it may change, and what stands in front of it."""

    do: Literal["track patch"]
    track: str
    frame: Frame | None = None
    half: float | None = Field(None, ge=4, le=400)
    model: Literal["move", "similar", "affine", "perspective"] | None = None
    search: float | None = Field(None, ge=2, le=400)
    holds_out: Annotated[list[str], Field(max_length=200)] | None = None


class RemoveTrack(Schema):
    """A track that nothing rides on taken away."""

    do: Literal["remove track"]
    track: str


class JoinTracks(Schema):
    """Two to four points as one track, which turns, sizes and shears."""

    do: Literal["join tracks"]
    track: str
    name: Name
    tracks: Annotated[list[str], Field(min_length=2, max_length=4)]
    frame: Frame


class SmoothTrack(Schema):
    """Trembling taken out of a track, over so many frames to either side."""

    do: Literal["smooth track"]
    track: str
    frames: float = Field(gt=0, le=50)


class CutTrack(Schema):
    """What was followed outside of some frames taken away."""

    do: Literal["cut track"]
    track: str
    first: Frame
    last: Frame


class Carry(Schema):
    """A shape, or group, rides on a track from now on: the picture stays as it is on the frame. Without a track on none; 'group': on what
    its group rides on."""

    do: Literal["carry"]
    shape: str
    frame: Frame
    track: str | None = None
    how: Literal["move", "similar", "affine", "perspective"] | None = None


class Bake(Schema):
    """What carries a shape into its own keys, on each frame of the shot, or as few as keep it within a tolerance (px)."""

    do: Literal["bake"]
    shape: str
    first: Frame
    last: Frame
    tolerance: float | None = Field(None, ge=0.01, le=100)
    _made: tuple[CoreShape, CoreShape] | None = PrivateAttr(None)

    def on(self, shape: CoreShape) -> CoreShape:
        if self.last <= self.first or self.last - self.first > LONGEST:
            raise BadKeys(f"Bake 2 to {LONGEST} frames.")
        if self._made is None or self._made[0] is not shape:
            free = baked(shape, np.arange(self.first, self.last + 1), free=True)
            self._made = shape, free if self.tolerance is None else thin(free, self.tolerance).shape
        return self._made[1]

    def says(self, shape: CoreShape) -> str:
        after = self.on(shape)
        return f"baked {shape.name}: {len(after.form.frames) + len(after.place.frames)} keys, carried by nothing"


class ThinKeys(Schema):
    """As few keys as keep a shape within a tolerance (px) of where it is, on every frame."""

    do: Literal["thin keys"]
    shape: str
    tolerance: float = Field(0.5, ge=0.01, le=100)
    _made: tuple[CoreShape, Thinned] | None = PrivateAttr(None)

    def _thinned(self, shape: CoreShape) -> Thinned:
        if self._made is None or self._made[0] is not shape:  # asked for more than once an edit, and it takes its time
            self._made = shape, thin(shape, self.tolerance)
        return self._made[1]

    def on(self, shape: CoreShape) -> CoreShape:
        return self._thinned(shape).shape

    def says(self, shape: CoreShape) -> str:
        done = self._thinned(shape)
        return f"thinned {shape.name}: {done.after} keys instead of {done.before}, off by {done.worst:.2f} px at most, on {done.where}"
