"""Looking at what was given before anything is stored: stills, a zip of stills, or a movie."""

from dataclasses import dataclass, field, replace
from fractions import Fraction
from pathlib import Path

from roto.errors import BadPicture, BadUpload
from roto.picture import display, movies, sequence, stills

DEFAULT_RATE = Fraction(24)
TAIL = 64
MOST_PIXELS = 100_000_000
"""of a still, as its head says: some are worked on as floats, sixteen bytes each; an 8K scan has half of it"""
RATES = (Fraction(1), Fraction(1000))
"""frames a second that a rate may be"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Found:
    """What a plate will be. names: the still of each frame, empty for a movie. notes: sentences for the artist."""

    source: str
    size: tuple[int, int]
    rate: Fraction
    first: int
    last: int
    space: str
    pixel_aspect: float = 1.0
    names: dict[int, str] = field(default_factory=dict)
    is_movie: bool = False
    notes: tuple[str, ...] = ()


def look(folder: Path, names: list[str]) -> Found:
    """Look at the files of a folder; raises BadUpload with a plain sentence."""
    endings = {Path(n).suffix.lower() for n in names}
    if not names:
        raise BadUpload("Nothing was given. Choose a movie, some stills, or a zip of stills.")
    empty = next((n for n in names if (folder / n).stat().st_size == 0), None)
    if empty:
        raise BadUpload(f"'{empty}' is empty (0 bytes).")
    if endings & set(movies.EXTENSIONS):
        if len(names) > 1:
            raise BadUpload("Give one movie at a time, without other files.")
        return _movie(folder / names[0])
    source = names[0]
    if endings == {".zip"}:
        if len(names) > 1:
            raise BadUpload("Give one zip at a time.")
        archive = folder / names[0]
        names = sequence.unpack(archive, folder)
        archive.unlink()
    pictures, others = sequence.pictures_of(names)
    found = _stills(folder, pictures or names, source)
    for name in others:
        (folder / name).unlink(missing_ok=True)
    return replace(found, notes=(*found.notes, *([sequence.left_out(others)] if others else [])))


def _movie(path: Path) -> Found:
    movie = movies.probe(path)
    notes = [f"{movie.frames} frames, {movie.codec}."]
    if movie.varies:
        notes.append("The frame rate varies: every frame is kept as it comes, and the average rate is shown.")
    if movie.turn:
        notes.append(f"Turned by {movie.turn} degrees, as the file asks.")
    if movie.pixel_aspect != 1.0:
        notes.append(_not_square(movie.pixel_aspect))
    if movie.timecode:
        notes.append(f"Numbered from the start timecode {movie.timecode}.")
    return Found(
        source=path.name, size=movie.size, rate=movie.rate, first=movie.first, last=movie.first + movie.frames - 1, space="display",
        is_movie=True, notes=tuple(notes), pixel_aspect=movie.pixel_aspect,
    )  # fmt: skip


def _stills(folder: Path, names: list[str], source: str) -> Found:
    found = sequence.arrange(names)
    size: tuple[int, int] | None = None
    seen: dict[str, object] = {}
    for name in found.files.values():
        seen = _probe(folder / name)
        here = (int(seen["size"][0]), int(seen["size"][1]))  # type: ignore[index]
        if max(here) > stills.LARGEST:
            raise BadUpload(f"'{name}' is {here[0]} x {here[1]} pixels; the longest side may be {stills.LARGEST}.")
        if size is not None and here != size:
            raise BadUpload(
                f"'{name}' is {here[0]} x {here[1]} pixels, the stills before it are {size[0]} x {size[1]}. All must be one size."
            )
        size = here
    assert size is not None
    notes = []
    if found.gaps:
        gaps = ", ".join(str(a) if a == b else f"{a}-{b}" for a, b in found.gaps)
        notes.append(f"Missing frames: {gaps}. They stay empty.")
    if int(seen["channels"]) in (2, 4):  # type: ignore[call-overload]
        notes.append("The stills have an alpha channel; it is set aside.")
    aspect = round(float(seen["pixel_aspect"]), 4)  # type: ignore[arg-type]
    if aspect != 1.0:
        notes.append(_not_square(aspect))
    exact = _rate(seen["rate"])
    if exact is None:
        says = "do not say their rate" if not seen["rate"] else "say a rate that cannot be"
        notes.append(f"The stills {says}; {DEFAULT_RATE} frames a second is assumed.")
    return Found(
        source=source if len(names) == 1 or source.endswith(".zip") else f"{len(names)} stills",
        size=size, rate=exact or DEFAULT_RATE, first=found.first, last=found.last, names=found.files, notes=tuple(notes),
        pixel_aspect=aspect,
        space=display.guess(str(seen["format"]), str(seen["depth"]), str(seen["space"])),
    )  # fmt: skip


def _rate(said: object) -> Fraction | None:
    """The rate that a still says, a pair or a number; None where it says none, or one that cannot be."""
    try:
        rate = Fraction(*said) if isinstance(said, tuple) else Fraction(str(said)).limit_denominator(1001) if said else None
    except (ValueError, ZeroDivisionError, OverflowError):
        return None
    return rate if rate is not None and RATES[0] <= rate <= RATES[1] else None


def _not_square(aspect: float) -> str:
    return f"Its pixels are {aspect:g} times as wide as high, as the file says: it is shown and delivered so."


def _probe(path: Path) -> dict[str, object]:
    try:
        seen = stills.probe(path)
    except BadPicture as error:
        raise BadUpload(error.message) from error
    wanted = stills.EXTENSIONS[path.suffix.lower()]
    width, height = int(seen["size"][0]), int(seen["size"][1])  # type: ignore[index]
    if width * height > MOST_PIXELS:
        raise BadUpload(f"'{path.name}' is {width} x {height} pixels; {MOST_PIXELS // 10**6} million together are the most.")
    if seen["format"] != wanted:
        raise BadUpload(f"'{path.name}' is not what its name says: inside it is {seen['format']}. Rename it or write it again.")
    if not _is_whole(path, wanted):
        raise BadUpload(f"'{path.name}' is cut short: its end is missing. Copy it again.")
    return seen


def _is_whole(path: Path, kind: str) -> bool:
    """Whether a still reaches its end, without decoding all of it."""
    with path.open("rb") as file:
        file.seek(max(0, path.stat().st_size - TAIL))
        tail = file.read()
    if kind == "png":
        return b"IEND" in tail
    if kind == "jpeg":
        return b"\xff\xd9" in tail
    try:
        stills.read(path)
    except BadPicture:
        return False
    return True
