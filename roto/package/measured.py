"""What a delivered picture amounts to, in a few numbers: taken before it is written, and again after it was read back."""

from dataclasses import asdict, dataclass
from functools import lru_cache
from typing import Any, Self

import numpy as np
from numba import types
from numba.extending import overload
from numpy.typing import NDArray

from roto.compiled import kernel


@dataclass(frozen=True, slots=True, kw_only=True)
class Measure:
    """Of the matte of a picture (its alpha, or its channels together). area: px that it covers. x, y: its centre in px, the middle of the
    picture where it is empty. zeros, ones: px that are exactly 0 and exactly 1. box: what holds all that is not 0: x0, y0, x1, y1."""

    area: float
    x: float
    y: float
    zeros: int
    ones: int
    box: tuple[int, int, int, int]

    def to_json(self) -> dict[str, Any]:
        return asdict(self)

    @classmethod
    def from_json(cls, data: dict[str, Any]) -> Self:
        return cls(**{**data, "box": tuple(data["box"])})


WORDS = 4
"""of eight bytes, looked at together: mostly all of their pixels are 0, or all are 1"""


def value_of(table, code):  # in Python as compiled
    return float(code) if len(table) == 0 else float(table[code])


@overload(value_of)
def _value_of(table, code):
    if isinstance(code, types.Float):
        return lambda table, code: np.float64(code)
    return lambda table, code: np.float64(table[code])


@kernel
def _alike(words, begin, pattern):
    off = np.uint64(0)
    for k in range(WORDS):
        off |= words[begin + k] ^ pattern
    return off == 0


@kernel
def _sums(rows, words, whole, table, top, out):
    width = rows.shape[1]
    blocks = words.shape[1] // WORDS
    block = width if blocks == 0 else WORDS * width // words.shape[1]
    nothing = np.uint64(0)
    for y in range(rows.shape[0]):
        line = rows[y]
        total, across, zeros, ones = 0.0, 0.0, 0, 0
        first, last = -1, -1
        begin = 0
        at = 0
        while begin < width:
            end = min(begin + block, width)
            if at < blocks:
                if _alike(words[y], at * WORDS, nothing):
                    zeros += block
                    begin, at = end, at + 1
                    continue
                if _alike(words[y], at * WORDS, whole):
                    ones += block
                    total += block * top
                    across += top * (block * begin + block * (block - 1) // 2)
                    if first < 0:
                        first = begin
                    last = end - 1
                    begin, at = end, at + 1
                    continue
            for x in range(begin, end):
                value = value_of(table, line[x])
                if value == 0.0:
                    zeros += 1
                    continue
                if value >= top:
                    ones += 1
                total += value
                across += value * x
                if first < 0:
                    first = x
                last = x
            begin, at = end, at + 1
        out[0] += total
        out[1] += across
        out[2] += total * y
        out[3] += zeros
        out[4] += ones
        if first >= 0:
            if out[6] < 0:
                out[6] = y
            out[8] = y + 1
            if out[5] < 0 or first < out[5]:
                out[5] = first
            if last + 1 > out[7]:
                out[7] = last + 1


@lru_cache
def _table(kind: str) -> NDArray[np.float32]:
    """What every code of a kind of number stands for: halves, and whole numbers with either byte first."""
    one = np.dtype(kind).itemsize == 1
    return np.arange(256 if one else 65536, dtype=np.uint8 if one else np.uint16).view(kind).astype(np.float32)


def measure(alpha: NDArray[Any]) -> Measure:
    """Of alpha (h, w): uint8 or uint16 (with either byte first) with 1 at full scale, or float or half 0..1."""
    top = float(np.iinfo(alpha.dtype).max) if alpha.dtype.kind == "u" else 1.0
    rows = np.ascontiguousarray(alpha)
    height, width = rows.shape
    even = width * rows.itemsize % 8 == 0
    words = rows.view(np.uint64) if even else np.empty((height, 0), np.uint64)
    whole = np.full(8 // rows.itemsize, top, rows.dtype).view(np.uint64)[0]
    codes = rows if rows.itemsize == 4 else rows.view(np.uint8 if rows.itemsize == 1 else np.uint16)
    table = np.empty(0, np.float32) if rows.itemsize == 4 else _table(rows.dtype.str)
    out = np.array([0.0, 0.0, 0.0, 0.0, 0.0, -1.0, -1.0, 0.0, 0.0])
    _sums(codes, words, whole, table, top, out)
    total = out[0]
    x, y = (out[1] / total + 0.5, out[2] / total + 0.5) if total > 0 else (width / 2, height / 2)
    box = (int(out[5]), int(out[6]), int(out[7]), int(out[8])) if out[6] >= 0 else (0, 0, 0, 0)
    return Measure(area=total / top, x=float(x), y=float(y), zeros=int(out[3]), ones=int(out[4]), box=box)


def alpha_in(pixels: NDArray[Any], content: str) -> NDArray[Any]:
    """The matte in a picture as it is delivered: alpha where there is one, the first channel of several mattes, else the picture.

    pixels (h, w) or (h, w, c). content: a key of CONTENTS. Of the subject over a colour, which has no matte any more, the mean of colours.
    """
    if pixels.ndim == 2:
        return pixels
    if content in ("straight", "premultiplied"):
        return pixels[:, :, 3]
    if content == "over":
        return pixels.astype(np.float32).mean(axis=2) / np.float32(np.iinfo(pixels.dtype).max if pixels.dtype.kind == "u" else 1)
    return pixels[:, :, 0]
