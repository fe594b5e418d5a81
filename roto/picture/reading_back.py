"""Files read back by other libraries than wrote them (OpenImageIO and our own encoder write stills, PyAV's encoders movies).

PNG by zlib-ng; with other filters than
ours by Pillow or, colours of 16 bits, by FFmpeg's own decoder. OpenEXR by FFmpeg's own decoder, TIFF by tifffile, JPEG
by Pillow. Headers by a few lines of our own, from the standards. Movies by the program `ffmpeg` where it is installed, else by PyAV, which
then is no other library.
"""

import shutil
import struct
import subprocess
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from fractions import Fraction
from functools import lru_cache
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray
from PIL import Image
from zlib_ng import zlib_ng

from roto.errors import BadPicture
from roto.picture import reading_png
from roto.picture.reading_png import GreyRows

UNREADABLE: tuple[Any, ...] = (
    *(OSError, ValueError, SyntaxError, IndexError, KeyError, EOFError, struct.error),
    *(av.error.FFmpegError, zlib_ng.error),
)
"""what reading a damaged file may raise"""
SECONDS = 600
"""that another program may take for one movie"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Found:
    """What a file says of itself. depth: 8, 16, half or float. channels: their names where the format has names, else their number."""

    size: tuple[int, int]
    depth: str
    channels: tuple[str, ...]
    rate: Fraction | None = None
    pixel_aspect: float = 1.0
    timecode: str = ""
    more: dict[str, Any] = field(default_factory=dict)


def header(path: Path) -> Found:
    """What the header of a still says. Raises BadPicture where it is none."""
    try:
        with path.open("rb") as file:
            head = file.read(8)
            if head == b"\x89PNG\r\n\x1a\n":
                return _png(file.read(18))
            if head[:4] == b"\x76\x2f\x31\x01":
                return _exr(head[4:] + file.read(1 << 16))
        if head[:2] in (b"II", b"MM"):
            return _tiff(path)
        if head[:6] == b"\x93NUMPY":
            return _array(np.load(path, mmap_mode="r", allow_pickle=False))
        with Image.open(path) as picture:
            return Found(size=picture.size, depth="8", channels=tuple("RGB") if picture.mode == "RGB" else ("Y",))
    except UNREADABLE as error:
        raise BadPicture(f"it is not a picture that can be read ({error})") from error


def _array(pixels: NDArray[Any]) -> Found:
    """A picture that is on its way to an encoder."""
    height, width = pixels.shape[:2]
    names = {1: ("Y",), 3: tuple("RGB"), 4: tuple("RGBA")}[1 if pixels.ndim == 2 else pixels.shape[2]]
    return Found(size=(width, height), depth={"uint8": "8", "uint16": "16"}[str(pixels.dtype)], channels=names)


def _png(rest: bytes) -> Found:
    """The IHDR chunk (ISO/IEC 15948)."""
    if rest[4:8] != b"IHDR":
        raise ValueError("no IHDR")
    width, height, depth, colour = struct.unpack(">IIBB", rest[8:18])
    names = {0: ("Y",), 2: tuple("RGB"), 4: ("Y", "A"), 6: tuple("RGBA")}[colour]
    return Found(size=(width, height), depth=str(depth), channels=names)


def _exr(data: bytes) -> Found:
    """The attributes of an OpenEXR header, one after the other: name, type, size, value."""
    at, said = 4, {}

    def text() -> str:
        nonlocal at
        end = data.index(b"\0", at)
        out, at = data[at:end].decode("latin-1"), end + 1
        return out

    while data[at] != 0:
        name, _ = text(), text()
        (size,) = struct.unpack_from("<i", data, at)
        said[name] = data[at + 4 : at + 4 + size]
        at += 4 + size
    names, kinds, row = [], set(), said["channels"]
    while row[0] != 0:
        channel, row = row.split(b"\0", 1)
        names.append(channel.decode("latin-1"))
        kinds.add(struct.unpack_from("<i", row)[0])
        row = row[16:]
    x0, y0, x1, y1 = struct.unpack("<4i", said["displayWindow"])
    rate = Fraction(*struct.unpack("<iI", said["framesPerSecond"])) if "framesPerSecond" in said else None
    code = ""
    if "timeCode" in said:
        digits = f"{struct.unpack_from('<I', said['timeCode'])[0]:08x}"
        code = ":".join(digits[k : k + 2] for k in (0, 2, 4, 6))
    return Found(
        size=(x1 - x0 + 1, y1 - y0 + 1),
        depth={1: "half", 2: "float"}.get(min(kinds), "?"),
        channels=tuple(names),
        rate=rate,
        pixel_aspect=struct.unpack("<f", said["pixelAspectRatio"])[0],
        timecode=code,
        more={"data window": struct.unpack("<4i", said["dataWindow"]), "compression": said["compression"][0]},
    )


def _tiff(path: Path) -> Found:
    import tifffile

    with tifffile.TiffFile(path) as file:
        page: Any = file.pages[0]
        depth = {"uint8": "8", "uint16": "16", "float32": "float", "float16": "half"}[str(page.dtype)]
        extra = tuple(int(v) for v in page.extrasamples)
        names = {1: ("Y",), 3: tuple("RGB"), 4: tuple("RGBA")}[page.samplesperpixel]
        return Found(size=(page.imagewidth, page.imagelength), depth=depth, channels=names, more={"extra": extra})


def strips(path: Path, found: Found, data: bytes | None = None) -> Iterator[NDArray[Any] | GreyRows]:
    """As `read_still`, in strips from the top down where the format allows; the rows of a grey PNG as they lie in the file.

    data: the file's bytes, where they are at hand.
    """
    try:
        if path.suffix == ".png" and len(found.channels) == 1:
            yield from reading_png.grey_rows(data if data is not None else path.read_bytes(), found.size, int(found.depth) // 8)
            return
    except UNREADABLE as error:
        raise BadPicture(f"it cannot be read to its end ({error})") from error
    yield read_still(path, found)


def read_still(path: Path, found: Found) -> NDArray[Any]:
    """Values (h, w) or (h, w, c) of a still, in the numbers of the file; of OpenEXR the channels in the order of `found.channels`, except
    R, G, B, A, which come in that order. Raises BadPicture where it cannot be read to its end."""
    try:
        return PIXELS.get(path.suffix, _pillow_pixels)(path, found)
    except UNREADABLE as error:
        raise BadPicture(f"it cannot be read to its end ({error})") from error


def _decoded(path: Path, container: str, options: dict[str, str]) -> av.VideoFrame:
    with av.open(str(path), format=container) as file:
        stream = file.streams.video[0]
        stream.codec_context.options = options
        frame = next(file.decode(stream), None)
    if frame is None:
        raise ValueError("no picture in it")
    return frame


def _pillow_pixels(path: Path, found: Found) -> NDArray[Any]:
    with Image.open(path) as picture:
        return np.asarray(picture)


def _tiff_pixels(path: Path, found: Found) -> NDArray[Any]:
    import tifffile

    return np.asarray(tifffile.imread(path))


def _png_pixels(path: Path, found: Found) -> NDArray[Any]:
    if len(found.channels) == 1:
        return np.concatenate(list(reading_png.plain(reading_png.grey_rows(path.read_bytes(), found.size, int(found.depth) // 8))))
    (width, _), count = found.size, len(found.channels)
    strips = reading_png.grey_rows(path.read_bytes(), (width * count, found.size[1]), int(found.depth) // 8)
    parts = [part.reshape(len(part), width, count) for part in reading_png.plain(strips)]
    if found.depth == "16" and any(part.dtype.itemsize == 1 for part in parts):  # Pillow, asked for other filters, has 8 bits of colours
        return _decoded(path, "png_pipe", {}).to_ndarray()
    return np.concatenate(parts)


def _exr_pixels(path: Path, found: Found) -> NDArray[Any]:
    names = [*found.channels]
    if set("RGB") <= set(names):
        return _planes(_decoded(path, "exr_pipe", {}), found)
    out = []
    for name in names:
        layer = name.rpartition(".")[0]
        out.append(_planes(_decoded(path, "exr_pipe", {"layer": layer} if layer else {}), found))
    return out[0] if len(out) == 1 else np.dstack(out)


def _planes(frame: av.VideoFrame, found: Found) -> NDArray[Any]:
    """The planes of a float frame as they lie in memory; FFmpeg keeps green first."""
    kind = np.float16 if "f16" in frame.format.name else np.float32
    made = []
    for plane in frame.planes:
        row = plane.line_size // np.dtype(kind).itemsize
        made.append(np.frombuffer(memoryview(plane), kind).reshape(-1, row)[: frame.height, : frame.width])
    if len(made) == 1:
        return made[0].copy()
    order = [2, 0, 1, 3][: len(made)]
    return np.dstack([made[k] for k in order])


def _array_pixels(path: Path, found: Found) -> NDArray[Any]:
    return np.asarray(np.load(path, allow_pickle=False))


PIXELS: dict[str, Callable[[Path, Found], NDArray[Any]]] = {
    ".exr": _exr_pixels, ".tif": _tiff_pixels, ".png": _png_pixels, ".npy": _array_pixels,
}  # fmt: skip
"""by ending, what reads a still's values; Pillow reads all others"""


def other_reader() -> str:
    """The program that reads movies back, or nothing where it is not installed."""
    return shutil.which("ffmpeg") or ""


def movie_header(path: Path) -> Found:
    """What a movie says of itself. Raises BadPicture where it cannot be opened."""
    try:
        with av.open(str(path)) as file:
            stream = file.streams.video[0]
            context = stream.codec_context
            kind = context.pix_fmt or ""
            alpha = ("a" in kind.split("p")[0].removeprefix("gr") and not kind.startswith(("gray", "pal"))) or "rgba" in kind
            alpha = alpha or stream.metadata.get("alpha_mode") == "1"
            ratio = stream.sample_aspect_ratio or Fraction(1)
            frames = sum(1 for packet in file.demux(stream) if packet.size)
            code = str(stream.metadata.get("timecode") or file.metadata.get("timecode") or "")
            return Found(
                size=(context.width, context.height),
                depth="8" if not any(k in kind for k in ("10", "12", "16", "48", "64")) else "16",
                channels=tuple("RGBA") if alpha else ("Y",) if kind.startswith("gray") else tuple("RGB"),
                rate=Fraction(stream.average_rate) if stream.average_rate else None,
                pixel_aspect=float(ratio),
                timecode=code,
                more={"frames": frames, "codec": context.name, "pixels": kind},
            )
    except (*UNREADABLE, StopIteration) as error:
        raise BadPicture(f"it is not a movie that can be read ({error})") from error


def movie_frames(path: Path, found: Found) -> Iterator[NDArray[Any]]:
    """All frames of a movie, (h, w, 4) where it has alpha and else (h, w, 3), of uint8 or uint16, as deep as it is itself, in order, by
    another program where there is one.

    Raises BadPicture where it breaks off.
    """
    width, height = found.size
    program = other_reader()
    if not program:
        yield from movie_from(path, found)
        return
    decoder = ["-c:v", "libvpx-vp9"] if "vp9" in str(found.more.get("codec")) else []
    command = [program, "-v", "error", "-xerror", *decoder, "-i", str(path), "-f", "rawvideo"]
    count = 4 if "A" in found.channels else 3
    named = {(8, 3): "rgb24", (8, 4): "rgba", (16, 3): "rgb48le", (16, 4): "rgba64le"}[int(found.depth), count]
    command += ["-pix_fmt", named, "-vsync", "passthrough", "-"]
    kind = np.dtype(np.uint8 if found.depth == "8" else "<u2")
    size = width * height * count * kind.itemsize
    with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE) as process:
        assert process.stdout is not None and process.stderr is not None
        try:
            while data := process.stdout.read(size):
                if len(data) < size:
                    raise BadPicture("it breaks off in the middle of a frame")
                yield np.frombuffer(data, kind).reshape(height, width, count)
            if process.wait(SECONDS) != 0:
                said = process.stderr.read(2000).decode(errors="replace").strip().splitlines()
                raise BadPicture(f"it cannot be read to its end ({said[-1] if said else 'no reason given'})")
        finally:
            process.kill()


def movie_from(path: Path, found: Found, begin: int = 0) -> Iterator[NDArray[Any]]:
    """As `movie_frames`, by PyAV, from a frame on, counted from 0; what comes before it is read only as far as the file asks for it.
    Nothing where it has no such frame. Always by way of 16 bits: its scaler spoils the last columns of 8-bit RGBA of some widths."""
    try:
        with av.open(str(path)) as file:
            stream = file.streams.video[0]
            vp9 = av.CodecContext.create("libvpx-vp9", "r") if "vp9" in str(found.more.get("codec")) else None
            step = 1 / (found.rate * stream.time_base) if found.rate and stream.time_base else Fraction(1)
            first = (stream.start_time or 0) + round((begin - Fraction(1, 4)) * step)  # times of some files are rounded
            if begin:
                file.seek(round(first + step / 2), stream=stream)
            for packet in file.demux(stream):
                for frame in vp9.decode(packet) if vp9 is not None else packet.decode():
                    if begin and (frame.pts is None or frame.pts < first):
                        continue
                    pixels: NDArray[Any] = frame.reformat(format="rgba64le", threads=1).to_ndarray()
                    pixels = pixels if "A" in found.channels else pixels[:, :, :3]
                    yield pixels if found.depth != "8" else (pixels >> 8).astype(np.uint8)
    except UNREADABLE as error:
        raise BadPicture(f"it cannot be read to its end ({error})") from error


def program_version() -> str:
    """What the other reader calls itself, for the receipt."""
    if not other_reader():
        return f"PyAV {av.__version__} (the library that wrote it; install ffmpeg for another one)"
    return _version_of(other_reader())


@lru_cache(4)
def _version_of(program: str) -> str:
    said = subprocess.run([program, "-version"], capture_output=True, text=True, timeout=30, check=False).stdout
    return " ".join(said.split()[:3]) or "ffmpeg"


def as_unit(pixels: NDArray[Any]) -> NDArray[np.float32]:
    """Whole numbers as 0..1; floats as they are."""
    return pixels.astype(np.float32) / np.float32(np.iinfo(pixels.dtype).max) if pixels.dtype.kind == "u" else pixels.astype(np.float32)
