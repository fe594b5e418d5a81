"""Mattes in files that were made elsewhere: alpha where a file has it, else what it shows."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from roto.errors import BadPicture
from roto.picture import reading_back

WHOLE = {"uint8": "uint8", "uint16": "uint16", "uint10": "uint16", "uint12": "uint16"}
"""kinds of numbers that are kept as they are; all others are read as floats"""


def still(path: Path) -> NDArray[np.uint16]:
    """The matte (h, w) in a still, 65535 being covered: its channel A; without one, its only channel, or the mean of its colours. Values
    beyond 0..1 are held at these; what is no number counts as 0. BadPicture where it cannot be read."""
    source = oiio.ImageInput.open(str(path))
    if source is None:
        raise BadPicture(f"{path.name} cannot be opened: {(oiio.geterror() or 'unknown format').strip().splitlines()[0]}")
    try:
        spec = source.spec()
        pixels = source.read_image(0, 0, 0, min(spec.nchannels, 4), WHOLE.get(str(spec.format), "float"))
        if pixels is None:
            raise BadPicture(f"{path.name} breaks off before its last line: {source.geterror().strip() or 'it is cut short'}")
        names = [name.upper().rpartition(".")[2] for name in spec.channelnames][: pixels.shape[2]]
    finally:
        source.close()
    return _sixteen(_matte_of(pixels, names.index("A") if "A" in names else None))


def movie(path: Path) -> Iterator[NDArray[np.uint16]]:
    """The mattes (h, w) of all frames of a movie, 65535 being covered: its alpha; without one, the mean of its colours. BadPicture where
    it cannot be read to its end."""
    found = reading_back.movie_header(path)
    for pixels in reading_back.movie_frames(path, found):
        yield _sixteen(_matte_of(pixels if "A" in found.channels else pixels[..., :3], 3 if "A" in found.channels else None))


def _matte_of(pixels: NDArray[Any], alpha: int | None) -> NDArray[Any]:
    """alpha: which channel it is, where there is one."""
    if alpha is not None:
        return np.asarray(pixels[..., alpha])
    if pixels.shape[2] < 3:
        return np.asarray(pixels[..., 0])
    return np.asarray(reading_back.as_unit(pixels[..., :3]).mean(axis=2))


def _sixteen(values: NDArray[Any]) -> NDArray[np.uint16]:
    if values.dtype == np.uint16:
        return np.ascontiguousarray(values)
    if values.dtype == np.uint8:
        return np.ascontiguousarray(values).astype(np.uint16) * np.uint16(257)
    return np.rint(np.clip(np.nan_to_num(values, nan=0.0), 0.0, 1.0) * 65535).astype(np.uint16)
