"""Stretches of a pixel row: the columns in which a buffer holds something, and how a finished one is put into the picture."""

import numpy as np

from roto.arrays import Bytes, Singles, Whole
from roto.jit import leaf

SHOWN = 256
"""stands for bytes in which only exact 0 and 1 are black and white, where a depth is asked for by what stands for 1"""


@leaf
def fill(buffer: Singles, value: float) -> None:
    """Set all to a float32, in a loop that compiles to vector instructions."""
    for i in range(len(buffer)):
        buffer[i] = value


@leaf
def columns(left: float, right: float, box0: int, box1: int) -> tuple[int, int]:
    """Columns [lo, hi) of the box that x from `left` to `right` (px) touches."""
    width = box1 - box0
    if left > right:
        return 0, 0
    lo = int(min(max(np.floor(left) - box0, 0.0), width))
    hi = int(min(max(np.floor(right) + 1.0 - box0, 0.0), width))
    return lo, max(lo, hi)


@leaf
def widen(buffer: Singles, lo: int, hi: int, to_lo: int, to_hi: int, ground: float) -> tuple[int, int]:
    """Make `buffer` valid over the union of both ranges; returns it."""
    if to_lo >= to_hi:
        return lo, hi
    value = np.float32(ground)
    if lo >= hi:
        fill(buffer[to_lo:to_hi], value)
        return to_lo, to_hi
    if to_lo < lo:
        fill(buffer[to_lo:lo], value)
        lo = to_lo
    if to_hi > hi:
        fill(buffer[hi:to_hi], value)
        hi = to_hi
    return lo, hi


@leaf
def _rounded(source, to, part, base, scale):
    for x in range(len(to)):
        to[x] = np.int32(np.rint((base + part * source[x]) * scale))


@leaf
def _shown(source, to, part, base):
    """As bytes for the screen: only what is exactly 0 or 1 is black or white."""
    for x in range(len(to)):
        value = base + part * source[x]
        byte = np.int32(np.rint(value * np.float32(255.0)))
        if value > 0.0:
            byte = max(byte, np.int32(1))
        if value < 1.0:
            byte = min(byte, np.int32(254))
        to[x] = byte


@leaf
def put(source: Singles, line: Bytes, lo: int, hi: int, top: int, inverted: bool) -> None:
    """A finished stretch of a row into the picture: as it is (top 0), or as whole numbers up to `top`, rounded to the nearest.

    line: uint8, the bytes of the picture's row, so that one compiled function serves every depth.
    """
    part = np.float32(-1.0 if inverted else 1.0)
    base = np.float32(1.0 if inverted else 0.0)
    if top == 0:
        plain = line.view(np.float32)[lo:hi]
        for x in range(hi - lo):
            plain[x] = base + part * source[x]
    elif top == SHOWN:
        _shown(source, line[lo:hi], part, base)
    elif top == 255:
        _rounded(source, line[lo:hi], part, base, np.float32(top))
    else:
        _rounded(source, line.view(np.uint16)[lo:hi], part, base, np.float32(top))


@leaf
def union(one: Whole, other: Whole) -> tuple[int, int]:
    """The smallest span [lo, hi) that holds both; empty ones do not count."""
    if one[0] >= one[1]:
        return other[0], other[1]
    if other[0] >= other[1]:
        return one[0], one[1]
    return min(one[0], other[0]), max(one[1], other[1])
