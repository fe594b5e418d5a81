"""PNGs, quickly: rows filtered by the row above, deflated by ISA-L at a fast level.

Measured on full-HD mattes of 16 bits, from one hard shape to a blur of 200 px: the filter "up" takes a millisecond and can be undone as
quickly; without it, soft mattes are twice as large. A full-HD picture with grain, 8 bits: 26 ms and 0.36 of its bytes, where libpng took
167 ms for 0.41. The format: ISO/IEC 15948 (PNG), RFC 1950 (zlib).
"""

import struct
from fractions import Fraction
from typing import Any

import numpy as np
from isal import isal_zlib
from numpy.typing import NDArray
from zlib_ng import zlib_ng

from roto.jit import kernel

LEVEL = 1
"""of ISA-L. 0 takes a quarter less time here (3.2 of 4.4 ms of a frame of soft blobs), but leaves files a quarter larger, and reading them
back takes half as long again; so making and proving together are quickest with 1."""
UP = 2
"""the filter's number: each byte less the one above it"""
KINDS = {1: 0, 2: 4, 3: 2, 4: 6}
"""by number of channels, PNG's colour type: grey, grey and alpha, RGB, RGBA"""


PLAIN = 0
"""the filter's number where bytes stay as they are"""


@kernel
def _filtered_8(pixels, out):
    height, width = pixels.shape
    for y in range(height):
        out[y, 0] = UP
        for x in range(width):
            out[y, x + 1] = pixels[y, x] - (pixels[y - 1, x] if y else np.uint8(0))


@kernel
def _filtered_16(pixels, out):
    height, width = pixels.shape
    for y in range(height):
        out[y, 0] = UP
        for x in range(width):
            here, above = np.uint32(pixels[y, x]), np.uint32(pixels[y - 1, x] if y else 0)
            out[y, 2 * x + 1] = (here >> 8) - (above >> 8)
            out[y, 2 * x + 2] = here - above


def _chunk(name: bytes, data: bytes) -> bytes:
    return struct.pack(">I", len(data)) + name + data + struct.pack(">I", isal_zlib.crc32(data, isal_zlib.crc32(name)))


def encode(pixels: NDArray[Any], packed: bool = True, pixel_aspect: float = 1.0) -> bytes:
    """A picture (h, w) or (h, w, 1 to 4 channels) of uint8 or uint16 as the bytes of a PNG; an alpha is straight, as PNG has it.

    pixel_aspect: width of a pixel to its height.

    packed: False leaves the bytes as they are, for files that are read again at once: a full-HD picture with grain took 12 ms instead of
    54 in one run, and reading it 8 instead of 40.
    """
    height, width = pixels.shape[:2]
    count = 1 if pixels.ndim == 2 else pixels.shape[2]
    wide = pixels.dtype.itemsize
    flat = np.ascontiguousarray(pixels).reshape(height, width * count)
    rows = np.empty((height, flat.shape[1] * wide + 1), np.uint8)
    if packed:
        (_filtered_8 if wide == 1 else _filtered_16)(flat, rows)
    else:
        rows[:, 0] = PLAIN
        rows[:, 1:] = flat.astype(flat.dtype.newbyteorder(">"), copy=False).view(np.uint8)
    head = struct.pack(">IIBBBBB", width, height, 8 * wide, KINDS[count], 0, 0, 0)
    data = isal_zlib.compress(rows, LEVEL) if packed else zlib_ng.compress(rows, 0)
    ratio = Fraction(pixel_aspect).limit_denominator(1000)
    aspect = b"" if ratio == 1 else _chunk(b"pHYs", struct.pack(">IIB", ratio.denominator, ratio.numerator, 0))
    return b"\x89PNG\r\n\x1a\n" + _chunk(b"IHDR", head) + aspect + _chunk(b"IDAT", data) + _chunk(b"IEND", b"")
