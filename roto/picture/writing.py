"""Stills of a package, written with OpenImageIO; PNG of square pixels with ISA-L (`roto/picture/png.py`), which is quicker."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import OpenImageIO as oiio
from numpy.typing import NDArray

from roto.picture import png, stills

FIXED_DATE = "2000:01:01 00:00:00"
"""written in place of the date, so that the same picture gives the same bytes"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Header:
    """What a still says of itself. channels: names, in the order of the pixels' last axis. timecode: hh:mm:ss:ff or nothing.
    premultiplied: whether colours are multiplied by alpha. pixel_aspect: width to height of a pixel."""

    channels: Sequence[str] = ("Y",)
    rate: Fraction | None = None
    timecode: str = ""
    pixel_aspect: float = 1.0
    premultiplied: bool = False
    linear: bool = False
    compression: str = "zip"


def packed_timecode(text: str) -> int:
    """hh:mm:ss:ff as decimal digits in half bytes, frames lowest (SMPTE ST 12-1, as OpenEXR keeps it).

    >>> hex(packed_timecode("01:02:03:14"))
    '0x1020314'
    """
    return int(text.replace(":", ""), 16)


def write_still(path: Path, pixels: NDArray[Any], depth: str, header: Header) -> None:
    """Write a still, format by the name's ending: pixels (h, w) or (h, w, c) of uint8, uint16 or float32; depth 8, 16, half or float.

    The file appears whole or not at all, and equal pixels give equal bytes. Raises BadPicture with the reason.
    """
    ending = path.suffix
    if ending == ".png" and header.pixel_aspect == 1.0:
        stills.write_bytes(path, png.encode(pixels, packed=header.compression != "none"))
        return
    count = 1 if pixels.ndim == 2 else pixels.shape[2]
    spec = oiio.ImageSpec(pixels.shape[1], pixels.shape[0], count, {"8": "uint8", "16": "uint16"}.get(depth, depth))
    spec.channelnames = tuple(header.channels)
    if "A" in header.channels and not header.premultiplied:
        spec.attribute("oiio:UnassociatedAlpha", 1)
    if header.pixel_aspect != 1.0:
        spec.attribute("PixelAspectRatio", float(header.pixel_aspect))
    ATTRIBUTES[ending](spec, header)
    stills.write(path, spec, pixels)


def _exr(spec: oiio.ImageSpec, header: Header) -> None:
    spec.attribute("compression", header.compression)
    spec.attribute("capDate", FIXED_DATE)
    spec.attribute("DateTime", FIXED_DATE)
    spec.attribute("oiio:ColorSpace", "Linear" if header.linear else "")
    if header.rate is not None:
        spec.attribute("framesPerSecond", oiio.TypeDesc("rational"), (header.rate.numerator, header.rate.denominator))
    if header.timecode:
        spec.attribute("smpte:TimeCode", oiio.TypeTimeCode, (packed_timecode(header.timecode), 0))


def _tiff(spec: oiio.ImageSpec, header: Header) -> None:
    spec.attribute("compression", "zip")
    spec.attribute("tiff:zipquality", 1)
    if str(spec.format) == "float":
        spec.attribute("tiff:predictor", 1)  # none: few readers know the one for floats
    spec.attribute("DateTime", FIXED_DATE)
    spec.attribute("Software", "")


def _png(spec: oiio.ImageSpec, header: Header) -> None:
    spec.attribute("png:compressionLevel", stills.PNG_LEVEL)
    spec.attribute("png:filter", stills.PNG_NO_FILTER if spec.nchannels == 1 else 8 | 16)
    if header.premultiplied:
        spec.attribute("oiio:UnassociatedAlpha", 1)  # or the writer would divide by alpha


def _jpeg(spec: oiio.ImageSpec, header: Header) -> None:
    spec.attribute("compression", "jpeg:95")
    spec.attribute("jpeg:subsampling", "4:4:4")


ATTRIBUTES: dict[str, Callable[[oiio.ImageSpec, Header], None]] = {".exr": _exr, ".tif": _tiff, ".png": _png, ".jpg": _jpeg}
"""by ending, what only that format knows"""
