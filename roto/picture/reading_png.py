"""PNG read back, row by row: inflated by zlib-ng, which is not the library that writes ours, and checked chunk by chunk.

A row of colours is read as one of as many values.
"""

from collections.abc import Iterable, Iterator
from io import BytesIO
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray
from PIL import Image
from zlib_ng import zlib_ng

from roto.arrays import Bytes
from roto.jit import kernel
from roto.picture.png_chunks import chunks

STRIP = 1 << 22
"""bytes of a picture inflated at a time: a full-HD frame; more at once would only fill memory, less has threads wait for each other"""
UP = 2
"""a filter of PNG: each byte less the one above it"""


class GreyRows(NamedTuple):
    """Rows as they lie in the file. rows: uint8 (h, 1 + bytes of a row), each with its filter in front. up: whether all are differences
    from the row above; else they are plain. kind: of their values, 8 or 16 bits with the high byte first."""

    rows: Bytes
    up: bool
    kind: np.dtype[Any]


def grey_rows(data: bytes, size: tuple[int, int], step: int) -> Iterator[GreyRows | NDArray[Any]]:
    """The rows of a file, in strips from the top down. size: width, height. step: bytes of a value, 1 or 2.

    Where rows have other filters than "none" and "up", Pillow reads the rest, and gives values. Raises ValueError or zlib-ng's error where
    the file is damaged.
    """
    (width, height), top = size, 0
    long = width * step + 1
    each = max(1, STRIP // long)
    inflating = zlib_ng.decompressobj(15)
    rest: Any = _packed(data)
    while top < height:
        plain = inflating.decompress(rest, min(each, height - top) * long)
        rest = inflating.unconsumed_tail
        rows = np.frombuffer(plain, np.uint8).reshape(-1, long)
        if not len(rows):
            raise ValueError(f"it ends after {top} of {height} rows")
        first = int(rows[0, 0])
        if first not in (0, UP) or not (rows[:, 0] == first).all():
            with Image.open(BytesIO(data)) as picture:
                yield np.asarray(picture)[top:]
            return
        yield GreyRows(rows, first == UP, np.dtype(">u2" if step == 2 else np.uint8))
        top += len(rows)
    if inflating.decompress(rest, 1) or not inflating.eof:
        raise ValueError("it does not end after its last row")


def _packed(data: bytes) -> memoryview | bytes:
    """What the IDAT chunks of a file hold, every chunk checked (ISO/IEC 15948)."""
    packed = [body for name, body in chunks(data, zlib_ng.crc32) if name == b"IDAT"]
    return packed[0] if len(packed) == 1 else b"".join(packed)


@kernel
def _undone(rows, above, out):
    """Rows filtered by "up", each with its filter in front, as they were; above: the row before the first. Into `out`, which it returns."""
    height, width = out.shape
    for x in range(width):
        out[0, x] = rows[0, x + 1] + above[x]
    for y in range(1, height):
        for x in range(width):
            out[y, x] = rows[y, x + 1] + out[y - 1, x]
    return out


def plain(strips: Iterable[NDArray[Any] | GreyRows]) -> Iterator[NDArray[Any]]:
    """The values of strips, whatever they lie in the file as."""
    above: Bytes | None = None
    for strip in strips:
        if not isinstance(strip, GreyRows):
            yield strip
            continue
        rows: Bytes = strip.rows[:, 1:]
        if strip.up:
            rows = _undone(strip.rows, np.zeros(rows.shape[1], np.uint8) if above is None else above, np.empty(rows.shape, np.uint8))
        above = rows[-1]
        yield rows.view(strip.kind)
