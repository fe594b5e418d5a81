"""Movies, read with PyAV: what a file holds, and its frames one after the other."""

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from roto.errors import BadPicture, BadUpload
from roto.picture import stills

EXTENSIONS = {".mp4": "mov", ".mov": "mov", ".mkv": "matroska", ".webm": "matroska"}
"""endings, and the only container that each may hold: nothing that would lead to other files is ever opened"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Movie:
    """size is after turning; turn is in degrees clockwise to show the picture upright. first: the first frame's number, from the
    start timecode where there is one (counted at the rate rounded up), else 1. varies: the moments of the frames (seconds) are not even.
    pixel_aspect: width of a pixel to its height, upright."""

    size: tuple[int, int]
    rate: Fraction
    frames: int
    first: int
    turn: int
    varies: bool
    timecode: str
    depth: int
    codec: str
    pixel_aspect: float = 1.0


def timecode_frame(timecode: str, rate: Fraction) -> int | None:
    """The frame number of a timecode; with ';' before the frames, dropped numbers are left out (SMPTE ST 12-1).

    >>> timecode_frame("00:00:41:17", Fraction(24)), timecode_frame("00:01:00;02", Fraction(30000, 1001))
    (1001, 1800)
    """
    try:
        hours, minutes, seconds, frames = (int(p) for p in timecode.replace(";", ":").replace(".", ":").split(":"))
    except ValueError:
        return None
    nominal = -(-rate.numerator // rate.denominator)
    total = ((hours * 60 + minutes) * 60 + seconds) * nominal + frames
    if ";" in timecode and nominal % 30 == 0:
        whole = hours * 60 + minutes
        total -= (nominal // 15) * (whole - whole // 10)
    return total


def _open(path: Path) -> av.container.InputContainer:
    return av.open(str(path), format=EXTENSIONS[path.suffix.lower()])


def _turn_of(stream: av.VideoStream, first: av.VideoFrame) -> int:
    return round(-float(getattr(first, "rotation", 0))) % 360


def probe(path: Path) -> Movie:
    """Look at a movie: every packet is counted, the first frame decoded. Raises BadUpload with what is wrong."""
    if path.stat().st_size == 0:
        raise BadUpload(f"{path.name} is empty (0 bytes).")
    try:
        with _open(path) as container:
            if not container.streams.video:
                raise BadUpload(f"{path.name} has no video stream, only {', '.join(s.type for s in container.streams) or 'nothing'}.")
            stream = container.streams.video[0]
            base = stream.time_base
            stamps = sorted(p.pts for p in container.demux(stream) if p.pts is not None and p.size)
            container.seek(0)
            first = next(container.decode(stream))
            rate = stream.average_rate or stream.guessed_rate
            if rate is None or not stamps or base is None:
                raise BadUpload(f"{path.name} does not say when its frames are shown.")
            steps = np.diff(stamps)
            even = len(steps) == 0 or float(steps.max() - steps.min()) * float(base) <= 0.25 / float(rate)
            code = str(stream.metadata.get("timecode") or container.metadata.get("timecode") or _track_timecode(container))
            turn = _turn_of(stream, first)
            size = (first.width, first.height) if turn % 180 == 0 else (first.height, first.width)
            if max(size) > stills.LARGEST:
                raise BadUpload(f"{path.name} is {size[0]} x {size[1]} pixels; the longest side may be {stills.LARGEST}.")
            aspect = Fraction(stream.sample_aspect_ratio or 1) or Fraction(1)
            number = timecode_frame(code, Fraction(rate)) if code else None
            return Movie(
                size=size,
                rate=Fraction(rate),
                frames=len(stamps),
                first=1 if number is None else number,
                turn=turn,
                varies=not even,
                timecode=code,
                depth=max(c.bits for c in first.format.components),
                codec=stream.codec_context.name,
                pixel_aspect=round(float(aspect if turn % 180 == 0 else 1 / aspect), 4),
            )
    except StopIteration as error:
        raise BadUpload(f"{path.name} holds no frame that can be read; it may be cut short.") from error
    except (av.error.FFmpegError, ValueError) as error:
        raise BadUpload(f"{path.name} cannot be read as a movie; it may be cut short or not be what its name says ({error}).") from error


def _track_timecode(container: av.container.InputContainer) -> str:
    for stream in container.streams:
        if stream.metadata.get("timecode"):
            return stream.metadata["timecode"]
    return ""


def frames(path: Path, movie: Movie) -> Iterator[stills.Pixels]:
    """All frames in order of showing, upright, (h, w, 3), uint8 or uint16 for more than 8 bits; alpha is set aside.

    Raises BadPicture when fewer frames come out than the file said it held.
    """
    kind = "rgb48le" if movie.depth > 8 else "rgb24"
    count = 0
    try:
        with _open(path) as container:
            stream = container.streams.video[0]
            stream.thread_type = "AUTO"
            for frame in container.decode(stream):
                pixels = frame.to_ndarray(format=kind)
                count += 1
                yield np.ascontiguousarray(np.rot90(pixels, -movie.turn // 90)) if movie.turn else pixels
    except av.error.FFmpegError as error:
        raise BadPicture(f"{path.name} cannot be read beyond its frame {count}: {error}") from error
    if count < movie.frames:
        raise BadPicture(f"{path.name} says it holds {movie.frames} frames, but only {count} could be read. It may be cut short.")
