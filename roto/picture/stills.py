"""Stills, read and written with OpenImageIO; PNGs of colours are read by `png`, which is quicker.

Mattes are written as one channel; those that are black and white but for their edges by an encoder of their own (`png`), the others at
the level and filter that `benchmarks/` found fastest among small files.
"""

from pathlib import Path
from typing import Any

import cv2
import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from roto.atomic_write import put_in_place, temporary_name, write_whole
from roto.errors import BadPicture, NotWritten
from roto.jit import kernel
from roto.picture import png

Pixels = NDArray[Any]
"""pictures (h, w, channels) or (h, w) of uint8, uint16 or float32"""
EXTENSIONS = {".png": "png", ".jpg": "jpeg", ".jpeg": "jpeg", ".tif": "tiff", ".tiff": "tiff", ".exr": "openexr", ".dpx": "dpx"}
LARGEST = 16384
"""px: the longest side of a picture that is taken in; a full-aperture scan at 8K is half of it."""

DEPTHS = {"8": np.uint8, "16": np.uint16, "float": np.float32}
PNG_LEVEL, PNG_NO_FILTER = 1, 8


def probe(path: Path) -> dict[str, object]:
    """Size, channels, depth and format of a still without reading its pixels; the format is what the content says."""
    if path.stat().st_size == 0:
        raise BadPicture(f"{path.name} is empty (0 bytes).")
    source = oiio.ImageInput.open(str(path))
    if source is None:
        raise BadPicture(f"{path.name} is not a picture that can be read: {_reason()}")
    try:
        spec = source.spec()
        return {
            "size": (spec.width, spec.height),
            "channels": spec.nchannels,
            "names": tuple(spec.channelnames),
            "depth": str(spec.format),
            "format": source.format_name(),
            "space": spec.getattribute("oiio:ColorSpace") or "",
            "pixel_aspect": spec.getattribute("PixelAspectRatio") or 1.0,
            "rate": spec.getattribute("FramesPerSecond") or spec.getattribute("framesPerSecond"),
        }
    finally:
        source.close()


def _reason() -> str:
    return (oiio.geterror() or "unknown format").strip().splitlines()[0]


def read(path: Path) -> Pixels:
    """Pixels (h, w, 3) of a still as uint8, uint16 or float32; grey is repeated, an existing alpha is set aside."""
    quick = png.decode(path.read_bytes()) if path.suffix.lower() == ".png" and path.exists() else None
    if quick is not None:
        return quick if quick.shape[2] == 3 else np.repeat(quick, 3, axis=2)
    source = oiio.ImageInput.open(str(path))
    if source is None:
        raise BadPicture(f"{path.name} cannot be opened: {_reason()}")
    try:
        spec = source.spec()
        kind = {"uint8": "uint8", "uint16": "uint16", "uint10": "uint16", "uint12": "uint16"}.get(str(spec.format), "float")
        pixels = source.read_image(0, 0, 0, min(spec.nchannels, 4), kind)
        if pixels is None:
            raise BadPicture(f"{path.name} breaks off before its last line: {source.geterror().strip() or 'it is cut short'}")
        names = [n.upper() for n in spec.channelnames][: pixels.shape[2]]
    finally:
        source.close()
    if pixels.shape[2] < 3 or ({"R", "G", "B"} - set(names) and len(names) != 3):
        return np.repeat(pixels[:, :, :1], 3, axis=2)
    order = [names.index(c) for c in "RGB"] if {"R", "G", "B"} <= set(names) else [0, 1, 2]
    return pixels if order == [0, 1, 2] and pixels.shape[2] == 3 else np.ascontiguousarray(pixels[:, :, order])


@kernel
def _rounded(alpha, top, out):
    for y in range(alpha.shape[0]):
        for x in range(alpha.shape[1]):
            out[y, x] = np.int32(np.rint(alpha[y, x] * top))


def quantise(alpha: Pixels, depth: str) -> Pixels:
    """Alpha 0..1 (h, w) as whole numbers of that depth, rounded to the nearest; 'float', and what is of that depth, pass through."""
    if alpha.dtype == DEPTHS[depth]:
        return alpha
    if depth == "float":
        return alpha.astype(np.float32, copy=False)
    out = np.empty(alpha.shape, DEPTHS[depth])
    _rounded(np.ascontiguousarray(alpha, dtype=np.float32), np.float32(255.0 if depth == "8" else 65535.0), out)
    return out


def write_matte(path: Path, alpha: Pixels, depth: str = "16", rate: tuple[int, int] | None = None) -> None:
    """Write one matte: PNG for 8 and 16 bits, OpenEXR (channel Y) for float. The file appears whole or not at all."""
    pixels = quantise(alpha, depth)
    if depth == "float":
        write_grey(path, pixels, rate)
    else:
        write_bytes(path, png.encode(pixels))


def write_grey(path: Path, pixels: Pixels, rate: tuple[int, int] | None = None, level: int = PNG_LEVEL) -> None:
    """Write one channel (h, w) by OpenImageIO: uint8 and uint16 as PNG, float32 as OpenEXR; the same pixels give the same bytes."""
    spec = oiio.ImageSpec(pixels.shape[1], pixels.shape[0], 1, "float" if pixels.dtype == np.float32 else str(pixels.dtype))
    spec.channelnames = ("Y",)
    if pixels.dtype == np.float32:
        spec.attribute("compression", "zip")
        spec.attribute("capDate", "2000:01:01 00:00:00")  # fixed, so that the same matte writes the same bytes
        spec.attribute("DateTime", "2000:01:01 00:00:00")
        if rate is not None:
            spec.attribute("framesPerSecond", oiio.TypeDesc("rational"), rate)
    else:
        spec.attribute("png:compressionLevel", level)
        spec.attribute("png:filter", PNG_NO_FILTER)
    write(path, spec, pixels)


def write_picture(path: Path, pixels: Pixels) -> None:
    """Write a picture (h, w, 3) of uint8 or uint16 as PNG, or uint8 as JPEG, by the name's ending. Not by OpenImageIO, which says nothing
    of a PNG that the disk had no room for."""
    write_bytes(path, png.encode(pixels) if path.suffix == ".png" else encode_picture(pixels, path.suffix))


def write(path: Path, spec: oiio.ImageSpec, pixels: Pixels) -> None:
    """Write aside, then rename: a half file never looks whole."""
    beside = temporary_name(path)
    target = oiio.ImageOutput.create(str(beside))
    if target is None or not target.open(str(beside), spec):
        raise NotWritten(f"{path.name} cannot be written: {_reason()}")
    done = target.write_image(np.ascontiguousarray(pixels.reshape(spec.height, spec.width, spec.nchannels)))
    reason = target.geterror()
    if not target.close() or not done:
        beside.unlink(missing_ok=True)
        raise NotWritten(f"{path.name} cannot be written: {reason or _reason()}")
    try:
        put_in_place(beside, path)
    except OSError as error:
        raise NotWritten(f"{path.name} cannot be written: {error.strerror}") from error


def write_bytes(path: Path, *parts: bytes | memoryview) -> None:
    """Bytes that are encoded already, written the same way."""
    try:
        write_whole(path, *parts)
    except OSError as error:
        raise NotWritten(f"{path.name} cannot be written: {error.strerror}") from error


def encode_picture(pixels: Pixels, ending: str) -> bytes:
    """A picture (h, w, 3), (h, w, 4) or (h, w) of uint8 as the bytes of a PNG or JPEG, for the page."""
    if pixels.ndim == 2 and ending == ".png":
        return png.encode(pixels)
    flipped = pixels[:, :, [2, 1, 0, 3][: pixels.shape[2]]] if pixels.ndim == 3 else pixels
    options = [cv2.IMWRITE_JPEG_QUALITY, 88] if ending == ".jpg" else [cv2.IMWRITE_PNG_COMPRESSION, 1]
    ok, data = cv2.imencode(ending, np.ascontiguousarray(flipped), options)
    if not ok:
        raise BadPicture("The picture cannot be encoded.")
    return bytes(data)
