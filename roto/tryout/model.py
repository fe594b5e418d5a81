"""What a tryout says: frozen values, which are also its document (`document`)."""

import math
import re
from dataclasses import dataclass, field
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import ConfigDict, Field

from roto.errors import BadTryout, RotoError
from roto.motion.keys import KIND_NAMES, Keys

STRICT = ConfigDict(strict=True, extra="forbid", allow_inf_nan=False)
COLOUR = re.compile(r"#[0-9a-f]{6}")
LONGEST_TEXT = 500
"""signs of words: more does not fit into a picture, and costs time for nothing"""
MOST_LINES = 60
FASTEST = 16.0
"""times the rate at which a clip was filmed"""
FARTHEST = 1e5
"""px: of any length that is said"""
MOST_BLUR = 500.0
"""px"""
LARGEST_LOG = 6.0
"""of the natural logarithm of a size: 400 times"""
FACES = {"next": (400, 600, 700), "mono": (400, 600)}
"""the shipped faces, and their weights"""


Id = Annotated[str, Field(max_length=60)]


def check(field_name: str, holds: bool, says: str) -> None:
    """BadTryout of a field where something does not hold."""
    if not holds:
        raise BadTryout(field_name, says)


def _colour(name: str, value: str) -> None:
    check(name, COLOUR.fullmatch(value) is not None, "must be a colour like #c08030.")


def _amount(name: str, value: float, low: float, high: float) -> None:
    check(name, math.isfinite(value) and low <= value <= high, f"must be a number between {low:g} and {high:g}.")


@dataclass(frozen=True, slots=True, kw_only=True)
class Key:
    """A key of a channel, as in the shape document: values (parts, 2), all parts keyed."""

    __pydantic_config__ = STRICT
    frame: int
    values: tuple[tuple[float, float], ...]
    kind: Literal["hold", "straight", "flowing"] = "flowing"
    speeds: tuple[tuple[float, float] | None, ...] | None = None


Channel = tuple[Key, ...]


def keys_of(channel: Channel, parts: int, name: str) -> Keys | None:
    """The core's keys of a channel; None where it has none. BadTryout where they are wrong."""
    if not channel:
        return None
    speeds = np.full((len(channel), parts, 2), np.nan)
    for k, key in enumerate(channel):
        check(name, len(key.values) == parts, f"a key must have {parts} rows of two numbers.")
        for p, speed in enumerate(key.speeds or ()):
            if speed is not None and p < parts:
                speeds[k, p] = speed
    try:
        kinds = [KIND_NAMES.index(key.kind) for key in channel]
        return Keys.build([k.frame for k in channel], np.array([k.values for k in channel]), kinds=kinds, speeds=speeds)
    except RotoError as error:
        raise BadTryout(name, error.message) from error


def channel_of(keys: Keys | None) -> Channel:
    """The keys as the document has them."""
    if keys is None:
        return ()
    out = []
    for k, frame in enumerate(keys.frames):
        speeds = tuple(None if np.isnan(s).any() else (float(s[0]), float(s[1])) for s in keys.speeds[k])
        values = tuple((float(a), float(b)) for a, b in keys.values[k])
        kind: Any = KIND_NAMES[keys.kinds[k]]
        out.append(Key(frame=int(frame), values=values, kind=kind, speeds=None if all(s is None for s in speeds) else speeds))
    return tuple(out)


@dataclass(frozen=True, slots=True, kw_only=True)
class Clip:
    """A shot's plate. shot: by name, "" for this shot. begin: the frame of the tryout on which its frame `start` stands; 0 and None: both
    begin together, a reversed one with its last. speed: keyed, 1 where it is not. hold: it stands still on that frame. beyond its ends it
    holds, begins anew, or is not there. fit: how another size is brought to this one."""

    __pydantic_config__ = STRICT
    kind: Literal["clip"] = "clip"
    shot: Id = ""
    begin: int | None = None
    start: int | None = None
    reversed: bool = False
    speed: Channel = ()
    hold: int | None = None
    beyond: Literal["hold", "loop", "end"] = "hold"
    fit: Literal["fit", "fill", "own"] = "fill"

    def __post_init__(self) -> None:
        for key in self.speed:
            _amount("speed", key.values[0][0], 0.01, FASTEST)


@dataclass(frozen=True, slots=True, kw_only=True)
class Graphic:
    """A picture brought in. file: its id. alpha: how its file has it."""

    __pydantic_config__ = STRICT
    kind: Literal["graphic"] = "graphic"
    file: Id
    alpha: Literal["straight", "premultiplied", "none"] = "straight"
    fit: Literal["fit", "fill", "own"] = "own"


@dataclass(frozen=True, slots=True, kw_only=True)
class Words:
    """Text in one of the shipped faces, in the middle of the picture. size: px of its height from line to line of type set solid; spacing:
    lines apart, times that. outline: px, laid around."""

    __pydantic_config__ = STRICT
    kind: Literal["words"] = "words"
    text: str = "SALTMARSH"
    face: Literal["next", "mono"] = "next"
    weight: int = 700
    size: float = 160.0
    colour: str = "#f6efe0"
    outline: float = 0.0
    outline_colour: str = "#26343f"
    spacing: float = 1.15
    align: Literal["left", "middle", "right"] = "middle"

    def __post_init__(self) -> None:
        check("text", len(self.text) <= LONGEST_TEXT, f"has {len(self.text)} signs; {LONGEST_TEXT} are the most.")
        check("text", self.text.count("\n") < 20, "has more than 20 lines.")
        check("weight", self.weight in FACES[self.face], f"must be one of {', '.join(map(str, FACES[self.face]))} for this face.")
        _amount("size", self.size, 4, 2000)
        _amount("outline", self.outline, 0, 100)
        _amount("spacing", self.spacing, 0.5, 5)
        _colour("colour", self.colour)
        _colour("outline_colour", self.outline_colour)


@dataclass(frozen=True, slots=True, kw_only=True)
class Flat:
    """One colour, or an even passage to another one. turn: degrees, the way that the passage runs; 0 to the right, clockwise."""

    __pydantic_config__ = STRICT
    kind: Literal["colour"] = "colour"
    colour: str = "#26343f"
    to: str = ""
    turn: float = 90.0

    def __post_init__(self) -> None:
        _colour("colour", self.colour)
        if self.to:
            _colour("to", self.to)
        _amount("turn", self.turn, -3600, 3600)


@dataclass(frozen=True, slots=True, kw_only=True)
class Bars:
    """Bars that leave a picture of a proportion (width to height). turn: degrees by which they lean."""

    __pydantic_config__ = STRICT
    kind: Literal["bars"] = "bars"
    proportion: float = 2.35
    turn: float = 0.0
    colour: str = "#000000"

    def __post_init__(self) -> None:
        _amount("proportion", self.proportion, 0.1, 20)
        _amount("turn", self.turn, -60, 60)
        _colour("colour", self.colour)


@dataclass(frozen=True, slots=True, kw_only=True)
class Spot:
    """A place in the picture, or a point of a track (counted from 0) and so much beside it."""

    __pydantic_config__ = STRICT
    at: tuple[float, float] = (0.0, 0.0)
    track: Id = ""
    point: Annotated[int, Field(ge=0, le=3)] = 0

    def __post_init__(self) -> None:
        for value in self.at:
            _amount("at", value, -FARTHEST, FARTHEST)


@dataclass(frozen=True, slots=True, kw_only=True)
class Light:
    """A band of light between two spots. core, glow: px, half of how wide each is. taper: 0 even, 1 down to nothing at both ends."""

    __pydantic_config__ = STRICT
    kind: Literal["light"] = "light"
    one: Spot = field(default_factory=lambda: Spot(at=(200.0, 200.0)))
    other: Spot = field(default_factory=lambda: Spot(at=(600.0, 300.0)))
    core: float = 4.0
    glow: float = 30.0
    colour: str = "#ffd9a0"
    taper: float = 0.5

    def __post_init__(self) -> None:
        _amount("core", self.core, 0.1, 1000)
        _amount("glow", self.glow, 0, MOST_BLUR)
        _amount("taper", self.taper, 0, 1)
        _colour("colour", self.colour)


Shows = Annotated[Clip | Graphic | Words | Flat | Bars | Light, Field(discriminator="kind")]


@dataclass(frozen=True, slots=True, kw_only=True)
class Through:
    """A matte that what is shown is seen through. along: it goes with what it is laid on when that is placed elsewhere or stands on another
    frame (then it is a matte of the clip's own shot); else it stays where it is in this shot. soften: px. grow: px, of its outlines.
    later: frames."""

    __pydantic_config__ = STRICT
    matte: Id
    outside: bool = False
    along: bool = False
    soften: float = 0.0
    grow: float = 0.0
    later: Annotated[int, Field(ge=-1000, le=1000)] = 0

    def __post_init__(self) -> None:
        _amount("soften", self.soften, 0, MOST_BLUR)
        _amount("grow", self.grow, -MOST_BLUR, MOST_BLUR)


@dataclass(frozen=True, slots=True, kw_only=True)
class Swing:
    """A swing about an edge, as a door on its hinge. hinge: two points, px. angle: keyed, degrees; towards the eye to the right of the way
    from the one point to the other. view: degrees across the picture that the eye sees."""

    __pydantic_config__ = STRICT
    hinge: tuple[tuple[float, float], tuple[float, float]]
    angle: Channel = ()
    view: float = 40.0

    def __post_init__(self) -> None:
        for value in (*self.hinge[0], *self.hinge[1]):
            _amount("hinge", value, -FARTHEST, FARTHEST)
        check("hinge", math.dist(*self.hinge) >= 1, "its two points must lie at least a pixel apart.")
        _amount("view", self.view, 5, 150)


@dataclass(frozen=True, slots=True, kw_only=True)
class Place:
    """Where it is put. pivot: px; None is the middle of the picture. keys: as a shape's placement has them. corners: how far each corner of
    what is shown is pulled, keyed, px. track, how: what it rides on, from `home` on. blur: whether its own motion blurs it."""

    __pydantic_config__ = STRICT
    pivot: tuple[float, float] | None = None
    keys: Channel = ()
    mirror: Literal["", "sides", "upright"] = ""
    corners: Channel = ()
    swing: Swing | None = None
    track: Id = ""
    how: Literal["move", "similar", "affine", "perspective"] = "move"
    home: int | None = None
    blur: bool = False

    def __post_init__(self) -> None:
        for value in self.pivot or ():
            _amount("pivot", value, -FARTHEST, FARTHEST)
        for key in self.keys:
            for row, most in zip(key.values, (FARTHEST, FARTHEST, LARGEST_LOG), strict=False):
                for value in row:
                    _amount("keys", value, -most, most)
        for key in self.corners:
            for row in key.values:
                for value in row:
                    _amount("corners", value, -FARTHEST, FARTHEST)


@dataclass(frozen=True, slots=True, kw_only=True)
class Shadow:
    """A soft shadow on what lies below. turn: degrees, the way it falls; 0 to the right, clockwise. away, blur: px. strength: 0..1."""

    __pydantic_config__ = STRICT
    turn: float = 60.0
    away: float = 20.0
    blur: float = 12.0
    strength: float = 0.5
    colour: str = "#000000"

    def __post_init__(self) -> None:
        _amount("turn", self.turn, -3600, 3600)
        _amount("away", self.away, 0, 5000)
        _amount("blur", self.blur, 0, MOST_BLUR)
        _amount("strength", self.strength, 0, 1)
        _colour("colour", self.colour)


@dataclass(frozen=True, slots=True, kw_only=True)
class Done:
    """What is done to it. opacity: keyed, 0..1. blur: px. blocks: px of their side, 0 for none. flat: one colour in place of what it shows.
    exposure: stops; gain: per channel, keyed as three rows (value, 0). saturation: times. tint, tinted: a colour, and how much of it.
    added: its light is added, not laid over."""

    __pydantic_config__ = STRICT
    opacity: Channel = ()
    blur: float = 0.0
    blocks: Annotated[int, Field(ge=0, le=1000)] = 0
    flat: str = ""
    exposure: float = 0.0
    gain: Channel = ()
    saturation: float = 1.0
    tint: str = "#c07840"
    tinted: float = 0.0
    shadow: Shadow | None = None
    added: bool = False

    def __post_init__(self) -> None:
        _amount("blur", self.blur, 0, MOST_BLUR)
        _amount("exposure", self.exposure, -10, 10)
        _amount("saturation", self.saturation, 0, 10)
        _amount("tinted", self.tinted, 0, 1)
        for name, colour in (("tint", self.tint), ("flat", self.flat or "#000000")):
            _colour(name, colour)
        for key in self.gain:
            for row in key.values:
                _amount("gain", row[0], 0, 64)

    @property
    def untouched(self) -> bool:
        """Whether light, colour and sharpness of what is shown stay as they are."""
        plain = not self.gain and self.exposure == 0 and self.saturation == 1 and not self.tinted
        return plain and not self.hides

    @property
    def hides(self) -> bool:
        """Whether it makes what is shown hard to read."""
        return self.blur > 0 or self.blocks > 1 or bool(self.flat)


@dataclass(frozen=True, slots=True, kw_only=True)
class Line:
    """One line. live: first and last frame; None is always. fade: frames over which it comes and goes within that."""

    __pydantic_config__ = STRICT
    id: Annotated[str, Field(min_length=1, max_length=60)]
    shows: Shows
    name: Id = ""
    through: Through | None = None
    place: Place = field(default_factory=Place)
    done: Done = field(default_factory=Done)
    live: tuple[int, int] | None = None
    fade: Annotated[int, Field(ge=0, le=1000)] = 0
    hidden: bool = False

    def __post_init__(self) -> None:
        check("live", self.live is None or self.live[0] <= self.live[1], "ends before it begins.")

    def is_live(self, frame: int) -> bool:
        """Whether it counts on a frame."""
        return not self.hidden and (self.live is None or self.live[0] <= frame <= self.live[1])

    def faded(self, frame: int) -> float:
        """How much of it is there, by its fade."""
        if not self.fade or self.live is None:
            return 1.0
        inside = min(frame - self.live[0], self.live[1] - frame)
        return min(1.0, (inside + 1) / (self.fade + 1))
