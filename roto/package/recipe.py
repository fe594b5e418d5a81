"""Recipes: how a package is to be made, whatever matte it is made of."""

import json
import math
from dataclasses import asdict, dataclass
from fractions import Fraction
from typing import Any

from pydantic import ConfigDict, TypeAdapter, ValidationError

from roto.errors import BadRecipe
from roto.package.formats import Format, format_of
from roto.package.names import check_pattern, name_from

CONTENTS = {
    "matte": "the matte",
    "inverted": "the matte inverted",
    "straight": "cut-out, straight alpha",
    "premultiplied": "cut-out, premultiplied alpha",
    "packed": "several mattes in R, G, B, A",
    "layers": "several mattes as channels by name",
    "over": "the subject over a flat colour",
    "tryout": "a tryout: the matte in use, as it looks",
}
COMPRESSIONS = ("zip", "zips", "piz", "rle", "none")
SIZES = ("full", "half", "own")
GREY = 128 / 255
"""a middle grey as bytes have it"""
LARGEST = 16384
"""px: the longest side of what is made"""
MOST_SPARE = 500
"""frames at one end"""
PACKED = 4
"""mattes that the channels of one picture hold"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Piece:
    """One frame of a package. number: what it is called. frame: which frame of the shot it shows."""

    number: int
    frame: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Recipe:
    """How a package is made. Every field has a value that suits most.

    format: a key of FORMATS. content: a key of CONTENTS. colour: red, green, blue 0..1 of the flat colour, as displayed.
    compression: of OpenEXR. start: number of the first frame; None keeps the plate's numbers. padding: digits of a number, 0 for as many as
    are needed but four at least. spare: frames before and after the range. size: full, half, or own (width, height in px).
    pixel_aspect: width to height of a pixel, as it is written into the files, 0 for the plate's own; pixels are not stretched.
    missing: where the plate's picture is wanted and a still of it is missing, "stop" or "leave" the frame out. reverse: last frame first.
    pad: where the format holds even sizes only, a column at the right or a row at the bottom may be added, like the last one.
    plate: the plate's pictures beside the matte's. shapes, svg, tracks, editorial: what else belongs into the package.
    """

    __pydantic_config__ = ConfigDict(strict=True, extra="forbid")

    format: str = "png16"
    content: str = "matte"
    colour: tuple[float, float, float] = (GREY, GREY, GREY)
    compression: str = "zip"
    pattern: str = "{shot}_{matte}.{frame}"
    start: int | None = None
    padding: int = 0
    spare: int = 0
    size: str = "full"
    width: int = 0
    height: int = 0
    pixel_aspect: float = 0.0
    pad: bool = False
    missing: str = "stop"
    reverse: bool = False
    plate: bool = False
    shapes: bool = True
    svg: bool = False
    tracks: bool = False
    editorial: bool = False

    def __post_init__(self) -> None:
        kind = format_of(self.format)
        if self.content not in CONTENTS:
            raise BadRecipe("content", f"there is no content '{self.content}'; choose one of {', '.join(CONTENTS)}.")
        if self.content in ("straight", "premultiplied") and not kind.alpha:
            raise BadRecipe("content", f"{kind.says} holds no alpha; choose the matte, or the subject over a flat colour.")
        if self.content == "packed" and kind.mixes:
            raise BadRecipe("content", f"{kind.says} mixes neighbouring colours and so would mix packed mattes; choose another format.")
        if self.content == "layers" and not kind.layers:
            raise BadRecipe("content", "channels by name are held by OpenEXR only; choose it, or pack the mattes in R, G, B, A.")
        if self.compression not in COMPRESSIONS:
            raise BadRecipe("compression", f"choose one of {', '.join(COMPRESSIONS)}.")
        if len(self.colour) != 3 or not all(math.isfinite(c) and 0 <= c <= 1 for c in self.colour):
            raise BadRecipe("colour", "must be red, green and blue between 0 and 1.")
        check_pattern(self.pattern, kind.movie)
        if self.start is not None and not -(10**6) <= self.start <= 10**7:
            raise BadRecipe("start", "the first number must lie between -1000000 and 10000000.")
        if not 0 <= self.padding <= 10:
            raise BadRecipe("padding", "must be 0 (as many digits as needed) to 10.")
        if not 0 <= self.spare <= MOST_SPARE:
            raise BadRecipe("spare", f"must be 0 to {MOST_SPARE} frames.")
        if self.size not in SIZES:
            raise BadRecipe("size", "choose full, half or own.")
        if self.size == "own" and not (0 < self.width <= LARGEST and 0 < self.height <= LARGEST):
            raise BadRecipe("size", f"say a width and a height of 1 to {LARGEST} pixels.")
        if not (math.isfinite(self.pixel_aspect) and (self.pixel_aspect == 0 or 0.1 <= self.pixel_aspect <= 10)):
            raise BadRecipe("pixel_aspect", "must be a number between 0.1 and 10; 1 for square pixels, 0 for the plate's own.")
        if self.missing not in ("stop", "leave"):
            raise BadRecipe("missing", "choose stop or leave.")
        if self.missing == "leave" and kind.movie and self.needs_plate:
            raise BadRecipe("missing", "a movie has no gaps: hold the frame before instead, or deliver stills.")

    @property
    def kind(self) -> Format:
        """The row of the table of formats."""
        return format_of(self.format)

    @property
    def needs_plate(self) -> bool:
        """Whether the plate's own colours are part of what is made."""
        return self.content in ("straight", "premultiplied", "over", "tryout") or self.plate

    @property
    def flattened(self) -> bool:
        """Whether what is made is one picture for the eye, without a matte of its own."""
        return self.content in ("over", "tryout")

    @property
    def several(self) -> bool:
        """Whether it takes more than one matte."""
        return self.content in ("packed", "layers")

    def picture_size(self, size: tuple[int, int]) -> tuple[int, int]:
        """Width and height of what is made from a shot of that size.

        >>> Recipe(size="half").picture_size((1920, 1081))
        (960, 540)
        """
        if self.size == "half":
            return max(1, size[0] // 2), max(1, size[1] // 2)
        return (self.width, self.height) if self.size == "own" else size

    def pieces(self, first: int, last: int, has: tuple[int, int]) -> list[Piece]:
        """The frames of a package of the range first..last, in order of their numbers. Spare frames end where the shot (`has`) ends.

        >>> [(p.number, p.frame) for p in Recipe(start=1, reverse=True, spare=1).pieces(1001, 1003, (1001, 1010))]
        [(1, 1004), (2, 1003), (3, 1002), (4, 1001)]
        """
        if last < first:
            raise BadRecipe("range", f"ends ({last}) before it begins ({first}).")
        if first < has[0] or last > has[1]:
            raise BadRecipe("range", f"the shot has frames {has[0]}-{has[1]} only.")
        low, high = max(has[0], first - self.spare), min(has[1], last + self.spare)
        frames = range(high, low - 1, -1) if self.reverse else range(low, high + 1)
        begin = low if self.start is None else self.start
        return [Piece(number=begin + k, frame=f) for k, f in enumerate(frames)]

    def digits(self, pieces: list[Piece]) -> int:
        """Of a frame's number: as asked for, but as many as the longest needs.

        >>> Recipe().digits([Piece(number=99990, frame=1)])
        5
        """
        longest = max(len(str(abs(p.number))) for p in (pieces[0], pieces[-1]))
        return max(self.padding or 4, longest)

    def names(self, pieces: list[Piece], *, shot: str, matte: str, version: int, recipe: str, part: str = "") -> list[str]:
        """The files' names, one a piece, or a single one for a movie. part: what is put for the matte where it is something else."""
        said: dict[str, Any] = {"shot": shot, "matte": part or matte, "version": version, "recipe": recipe, "padding": self.digits(pieces)}
        numbers: list[int | None] = [None] if self.kind.movie else [p.number for p in pieces]
        return [name_from(self.part_pattern(part), self.kind.ending, number=n, **said) for n in numbers]

    def part_pattern(self, part: str) -> str:
        """The pattern for another part of the package than the matte: its names must differ from the matte's."""
        return self.pattern if not part or "{matte}" in self.pattern else f"{part}_{self.pattern}"

    def to_json(self) -> dict[str, Any]:
        """As JSON data; `from_json` makes the same of it."""
        return {**asdict(self), "colour": list(self.colour)}

    @classmethod
    def from_json(cls, data: Any) -> "Recipe":
        """A recipe from JSON data, what is left out as usual. BadRecipe names the first field that is wrong."""
        if not isinstance(data, dict):
            raise BadRecipe("recipe", "must be an object of fields.")
        try:
            return _CHECKED.validate_json(json.dumps(data))
        except (ValidationError, TypeError) as error:
            first = error.errors()[0] if isinstance(error, ValidationError) else {"loc": ("recipe",), "type": ""}
            unknown = first["type"] == "unexpected_keyword_argument"
            raise BadRecipe(str(first["loc"][0])[:40], "is not a field of a recipe." if unknown else "is of the wrong kind.") from None


_CHECKED = TypeAdapter(Recipe)
STARTERS: dict[str, tuple[str, Recipe]] = {
    "compositor": (
        "for somebody who puts pictures together: OpenEXR half, the plate's numbers, shapes and tracks beside it",
        Recipe(format="exr16", tracks=True, editorial=True),
    ),
    "compositor, stills of 16 bits": ("for somebody who takes no OpenEXR: PNG, 16 bits", Recipe()),
    "editor": (
        "for a cutting room: one movie with the subject and its alpha, and the piece of the time line",
        Recipe(format="prores", content="straight", pattern="{shot}_{matte}_{version}", editorial=True),
    ),
    "a tryout on the phone": (
        "to show the matte in use: the composed picture, a movie that plays everywhere",
        Recipe(format="h264", content="tryout", pattern="{shot}_{matte}_{version}", shapes=False),
    ),
    "a tryout in the cutting room": (
        "to cut the matte in use: the composed picture as a movie for editing",
        Recipe(format="prores", content="tryout", pattern="{shot}_{matte}_{version}", shapes=False, editorial=True),
    ),
    "look on the phone": (
        "to show how it stands: the subject over grey, half as large, a small movie that plays everywhere",
        Recipe(format="h264", content="over", pattern="{shot}_{matte}_{version}_look", size="half", shapes=False),
    ),
}
"""recipes to start from, by who receives: what it is for, and the recipe"""


def timecode(frame: int, rate: Fraction) -> str:
    """The timecode of a frame number, frames counted at the rate rounded up, none dropped (SMPTE ST 12-1).

    >>> timecode(1001, Fraction(24)), timecode(1001, Fraction(24000, 1001))
    ('00:00:41:17', '00:00:41:17')
    """
    nominal = -(-rate.numerator // rate.denominator)
    seconds, frames = divmod(max(0, frame), nominal)
    return f"{seconds // 3600 % 24:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}:{frames:02d}"
