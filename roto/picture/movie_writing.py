"""Movies of a package, written with PyAV: one stream, even rate, the same frames giving the same bytes."""

from collections import deque
from collections.abc import Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from fractions import Fraction
from itertools import chain
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.video.reformatter import ColorPrimaries, ColorRange, Colorspace, ColorTrc
from numpy.typing import NDArray

from roto.atomic_write import put_in_place, temporary_name
from roto.errors import BadPicture, NotWritten

THREADS = 2
"""of an encoder: some give other bytes with another number, so it does not follow the machine"""
NUMPY_OF = {("8", 1): "gray", ("8", 3): "rgb24", ("8", 4): "rgba", ("16", 1): "gray16le", ("16", 3): "rgb48le", ("16", 4): "rgba64le"}


@dataclass(frozen=True, slots=True, kw_only=True)
class Codec:
    """name: the encoder. container: as PyAV calls it. kinds: the pixel format for 1, 3 and 4 channels. yuv: whether it keeps brightness
    and colour differences in the narrow range of television (ITU-R BT.709), or the numbers as they are."""

    name: str
    container: str
    kinds: dict[int, str]
    options: dict[str, str]
    yuv: bool


CODECS = {
    "prores": Codec(
        name="prores_ks",
        container="mov",
        kinds={1: "yuv444p10le", 3: "yuv444p10le", 4: "yuva444p10le"},
        options={"profile": "4444", "vendor": "jayt", "qscale": "2", "alpha_bits": "16"},
        yuv=True,
    ),
    "vp9": Codec(
        name="libvpx-vp9",
        container="webm",
        kinds={1: "yuv420p", 3: "yuv420p", 4: "yuva420p"},
        options={"lossless": "1", "cpu-used": "4", "row-mt": "0", "auto-alt-ref": "0"},
        yuv=True,
    ),
    "ffv1": Codec(
        name="ffv1",
        container="matroska",
        kinds={1: "gray16le", 3: "gbrp16le", 4: "gbrap16le"},
        options={"level": "3", "coder": "1", "slices": "4", "slicecrc": "1", "g": "1"},
        yuv=False,
    ),
    "pngmov": Codec(name="png", container="mov", kinds={1: "gray16be", 3: "rgb48be", 4: "rgba64be"}, options={"pred": "mixed"}, yuv=False),
    "h264": Codec(
        name="libx264",
        container="mp4",
        kinds={1: "yuv420p", 3: "yuv420p"},
        options={"crf": "18", "preset": "medium", "mbtree": "0", "movflags": "faststart"},  # with mbtree, bytes of small pictures vary
        yuv=True,
    ),
}


def write_movie(
    path: Path, codec: str, frames: Iterable[NDArray[Any]], rate: Fraction, *, timecode: str = "", pixel_aspect: float = 1.0
) -> None:
    """Write a movie: frames (h, w), (h, w, 3) or (h, w, 4) of uint8 or uint16, all alike; codec a key of CODECS.

    Straight alpha, sRGB display values. Where a codec wants even sides, the last column or row is repeated.
    The file appears whole or not at all. Raises BadPicture with the reason; stops where `frames` raises.
    """
    how = CODECS[codec]
    beside = temporary_name(path)
    try:
        with av.open(str(beside), "w", format=how.container, options={"fflags": "+bitexact", **_muxing(how)}) as out:
            pictures = iter(frames)
            first = next(pictures, None)
            if first is None:
                raise BadPicture(f"{path.name} would hold no frame.")
            stream = _stream(out, how, first, rate, pixel_aspect)
            if timecode:
                stream.metadata["timecode"] = timecode
            for k, frame in enumerate(_ahead(how, stream.pix_fmt, chain([first], pictures))):
                frame.pts, frame.time_base = k, 1 / rate
                out.mux(stream.encode(frame))
            out.mux(stream.encode(None))
        put_in_place(beside, path)
    except (av.error.FFmpegError, OSError) as error:
        raise NotWritten(f"{path.name} cannot be written: {getattr(error, 'strerror', None) or error}") from error
    finally:
        beside.unlink(missing_ok=True)


def _ahead(how: Codec, kind: str, pictures: Iterable[NDArray[Any]]) -> Iterator[av.VideoFrame]:
    """Pictures as the encoder takes them, each made ready while it is at the one before."""
    with ThreadPoolExecutor(1) as pool:
        coming: deque[Future[av.VideoFrame]] = deque()
        for pixels in pictures:
            coming.append(pool.submit(_frame, how, pixels, kind))
            if len(coming) > 1:
                yield coming.popleft().result()
        while coming:
            yield coming.popleft().result()


def _muxing(how: Codec) -> dict[str, str]:
    return {k: v for k, v in how.options.items() if k == "movflags"}


def _stream(out: av.container.OutputContainer, how: Codec, pixels: NDArray[Any], rate: Fraction, aspect: float) -> Any:
    options = {k: v for k, v in how.options.items() if k != "movflags"}
    stream: Any = out.add_stream(how.name, rate=rate, options={**options, "flags": "+bitexact"})
    height, width = pixels.shape[:2]
    stream.pix_fmt = how.kinds[1 if pixels.ndim == 2 else pixels.shape[2]]
    stream.width, stream.height = _even(width, stream.pix_fmt), _even(height, stream.pix_fmt)
    context = stream.codec_context
    context.thread_count = THREADS
    context.time_base = 1 / rate
    if aspect != 1.0:
        context.sample_aspect_ratio = Fraction(aspect).limit_denominator(1000)
    if how.yuv:
        context.colorspace, context.color_range = Colorspace.ITU709, ColorRange.MPEG
        context.color_primaries, context.color_trc = ColorPrimaries.BT709, ColorTrc.IEC61966_2_1
    return stream


def _even(side: int, kind: str) -> int:
    return side + side % 2 if kind.startswith("yuv") else side


def _frame(how: Codec, pixels: NDArray[Any], kind: str) -> av.VideoFrame:
    height, width = pixels.shape[:2]
    pad = [(0, _even(height, kind) - height), (0, _even(width, kind) - width), (0, 0)][: pixels.ndim]
    if any(after for _, after in pad):
        pixels = np.pad(pixels, pad, mode="edge")
    depth = "8" if pixels.dtype == np.uint8 else "16"
    source = NUMPY_OF[depth, 1 if pixels.ndim == 2 else pixels.shape[2]]
    if how.yuv and source.startswith("gray"):  # as colour, so that black and white land where a player expects them
        pixels, source = np.repeat(pixels[:, :, None], 3, axis=2), "rgb24" if depth == "8" else "rgb48le"
    frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(pixels), format=source)
    if not how.yuv:
        return frame.reformat(format=kind, threads=1)
    return frame.reformat(
        format=kind,
        dst_colorspace=Colorspace.ITU709,
        src_color_range=ColorRange.JPEG,
        dst_color_range=ColorRange.MPEG,
        interpolation="BICUBIC",
        threads=1,  # several overrun the ends of their rows into each other, where a width is not a multiple of 16
    )
