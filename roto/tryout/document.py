"""The tryout document: a tryout as JSON (schema beside this file), written and read without loss."""

import json
from collections.abc import Iterator
from dataclasses import asdict, dataclass, field
from fractions import Fraction
from typing import Annotated, Any

from pydantic import Field, TypeAdapter, ValidationError

from roto.errors import BadTryout, RotoError
from roto.matte.shutter import Shutter
from roto.tryout.model import MOST_LINES, STRICT, Clip, Graphic, Light, Line, check

FORMAT, VERSION = "tryout", 1


@dataclass(frozen=True, slots=True, kw_only=True)
class Timing:
    """The shutter, as the shape document has it."""

    __pydantic_config__ = STRICT
    angle: float = 180.0
    phase: float | None = None

    def shutter(self) -> Shutter:
        """The core's shutter."""
        return Shutter(angle=self.angle, phase=self.phase)


@dataclass(frozen=True, slots=True, kw_only=True)
class Tryout:
    """A named tryout of a shot: its lines, bottom first. size: width and height, px. frames: first and last, both included."""

    __pydantic_config__ = STRICT
    shot: str
    name: Annotated[str, Field(min_length=1, max_length=40)]
    size: tuple[int, int]
    rate: str
    frames: tuple[int, int]
    lines: Annotated[tuple[Line, ...], Field(max_length=MOST_LINES)] = ()
    shutter: Timing = field(default_factory=Timing)
    format: str = FORMAT
    version: int = VERSION

    def __post_init__(self) -> None:
        check("format", self.format == FORMAT and self.version == VERSION, f"is not a {FORMAT} of version {VERSION}.")
        check("size", all(1 <= side <= 16384 for side in self.size), "must be 1 to 16384 pixels a side.")
        check("frames", self.frames[0] <= self.frames[1], "end before they begin.")
        ids = [line.id for line in self.lines]
        check("lines", len(set(ids)) == len(ids), "two lines bear the same id.")
        try:
            Fraction(self.rate)
            self.shutter.shutter()
        except (ValueError, ZeroDivisionError) as error:
            raise BadTryout("rate", "must be a fraction like 24 or 24000/1001.") from error

    @property
    def middle(self) -> tuple[float, float]:
        """The middle of the picture, px."""
        return self.size[0] / 2, self.size[1] / 2

    def mattes(self) -> set[str]:
        """The mattes that it names."""
        return {line.through.matte for line in self.lines if line.through is not None}

    def throughs(self) -> set[tuple[str, str]]:
        """The mattes that it is seen through, each with the shot that it is of; "" is this one."""
        found = [(line.shows, line.through) for line in self.lines if line.through is not None]
        return {(shows.shot if through.along and isinstance(shows, Clip) else "", through.matte) for shows, through in found}

    def clips(self) -> set[str]:
        """The shots whose plates it shows; "" is this one."""
        return {line.shows.shot for line in self.lines if isinstance(line.shows, Clip)}

    def files(self) -> set[str]:
        """The graphics that it shows."""
        return {line.shows.file for line in self.lines if isinstance(line.shows, Graphic)}

    def tracks(self) -> set[str]:
        """The tracks that it names."""
        return set(filter(None, self._tracks()))

    def _tracks(self) -> Iterator[str]:
        for line in self.lines:
            yield line.place.track
            if isinstance(line.shows, Light):
                yield line.shows.one.track
                yield line.shows.other.track


_CHECKED = TypeAdapter(Tryout)
_LINE = TypeAdapter(Line)


def _first_wrong(error: ValidationError) -> BadTryout:
    first = error.errors()[0]
    cause = first.get("ctx", {}).get("error")
    where = ".".join(
        str(p) for p in first["loc"] if str(p) not in ("clip", "graphic", "words", "colour", "bars", "light") or len(first["loc"]) == 1
    )
    if isinstance(cause, RotoError):
        return BadTryout(where, cause.message)
    unknown = first["type"] == "unexpected_keyword_argument"
    return BadTryout(where or "tryout", "is not a field of it." if unknown else f"{first['msg'][:1].lower()}{first['msg'][1:]}.")


def from_json(data: Any) -> Tryout:
    """A tryout from JSON data. BadTryout names the first field that is wrong, and why."""
    return loads(json.dumps(data))


def loads(text: str | bytes) -> Tryout:
    """A tryout from the document's text."""
    try:
        return _CHECKED.validate_json(text)
    except ValidationError as error:
        raise _first_wrong(error) from None


def line_from_json(data: Any) -> Line:
    """One line from JSON data."""
    try:
        return _LINE.validate_json(json.dumps(data))
    except ValidationError as error:
        raise _first_wrong(error) from None


def line_to_json(line: Line) -> dict[str, Any]:
    """One line as JSON data."""
    return dict(json.loads(json.dumps(asdict(line))))


def to_json(tryout: Tryout) -> dict[str, Any]:
    """As JSON data; `from_json` makes the same of it."""
    return dict(json.loads(json.dumps(asdict(tryout))))


def schema() -> dict[str, Any]:
    """The schema of the document (JSON Schema 2020-12)."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **_CHECKED.json_schema()}
