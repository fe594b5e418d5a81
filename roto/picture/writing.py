"""Stills of a package: OpenEXR and TIFF written with OpenImageIO; PNG with ISA-L (`roto/picture/png.py`), which is quicker, and JPEG with
OpenCV, since OpenImageIO does not tell when the disk had no room for one of these. What goes on to an encoder, as arrays."""

import struct
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from io import BytesIO
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from roto.errors import BadPicture
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
    if ending == ".png":
        stills.write_bytes(path, png.encode(pixels, packed=header.compression != "none", pixel_aspect=header.pixel_aspect))
        return
    if ending == ".npy":
        stills.write_bytes(path, *_array(pixels))
        return
    if ending == ".jpg":
        stills.write_bytes(path, _jpeg(pixels, header))
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


def _array(pixels: NDArray[Any]) -> tuple[bytes, memoryview]:
    """The header and the numbers of a file as numpy keeps arrays."""
    whole, head = np.ascontiguousarray(pixels), BytesIO()
    np.lib.format.write_array_header_1_0(head, np.lib.format.header_data_from_array_1_0(whole))
    return head.getvalue(), whole.reshape(-1).view(np.uint8).data


def _jpeg(pixels: NDArray[Any], header: Header) -> bytes:
    """The bytes of a JPEG, by OpenCV: where the disk is full, the library that OpenImageIO writes them by ends the whole process."""
    flipped = pixels if pixels.ndim == 2 else np.ascontiguousarray(pixels[:, :, ::-1])
    options = [cv2.IMWRITE_JPEG_QUALITY, 95, cv2.IMWRITE_JPEG_SAMPLING_FACTOR, cv2.IMWRITE_JPEG_SAMPLING_FACTOR_444]
    ok, data = cv2.imencode(".jpg", flipped, options)
    if not ok:
        raise BadPicture("The picture cannot be encoded.")
    made = bytearray(data)
    at = made.find(b"JFIF\0")  # then two bytes of its version, the unit, and how many pixels of it there are across and down
    if at > 0 and header.pixel_aspect != 1.0:
        ratio = Fraction(header.pixel_aspect).limit_denominator(1000)
        struct.pack_into(">BHH", made, at + 7, 0, ratio.denominator, ratio.numerator)
    return bytes(made)


ATTRIBUTES: dict[str, Callable[[oiio.ImageSpec, Header], None]] = {".exr": _exr, ".tif": _tiff}
"""by ending, what only that format knows"""
