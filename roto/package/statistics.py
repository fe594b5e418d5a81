"""What a delivered picture amounts to, in a few numbers: taken before it is written, and again after it was read back."""

from dataclasses import asdict, dataclass
from functools import lru_cache
from typing import Any, Self

import numpy as np
from numba import types
from numba.extending import overload
from numpy.typing import NDArray

from roto.jit import kernel, leaf


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
        """As JSON data."""
        return asdict(self)

    @classmethod
    def from_json(cls, data: dict[str, Any]) -> Self:
        """From what `to_json` gave."""
        return cls(**{**data, "box": tuple(data["box"])})


WORDS = 32
"""of eight bytes, looked at together: mostly all of their pixels are 0, or all are 1"""


def value_of(table, code):
    """What a code of the file stands for, 0..1; the code itself where there is no table. In Python as compiled."""
    return float(code) if len(table) == 0 else float(table[code])


@overload(value_of)
def _value_of(table, code):
    if isinstance(code, types.Float):
        return lambda table, code: np.float64(code)
    return lambda table, code: np.float64(table[code])


@leaf
def _off(words, pattern):
    """The bits in which any of some words differs from a pattern, in a loop that compiles to vector instructions."""
    off = np.uint64(0)
    for k in range(len(words)):
        off |= words[k] ^ pattern
    return off


@leaf
def _same_to(words, at, pattern):
    """From `at` on, the first word that is not the pattern."""
    while at + WORDS <= len(words) and _off(words[at : at + WORDS], pattern) == 0:
        at += WORDS
    while at < len(words) and words[at] == pattern:
        at += 1
    return at


@leaf
def _sums(rows, words, whole, table, top, above, out):
    width = rows.shape[1]
    count = words.shape[1]
    each = width // count if count else width
    nothing = np.uint64(0)
    for line in range(rows.shape[0]):
        row, packed, y = rows[line], words[line], above + line
        total, across, zeros, ones = 0.0, 0.0, 0, 0
        first, last = -1, -1
        begin = 0
        while begin < width:
            if count:
                pattern = packed[begin // each]
                if pattern in (nothing, whole):
                    end = _same_to(packed, begin // each + 1, pattern) * each
                    if pattern == nothing:
                        zeros += end - begin
                    else:
                        ones += end - begin
                        total += (end - begin) * top
                        across += top * ((end - begin) * (begin + end - 1) // 2)
                        first = begin if first < 0 else first
                        last = end - 1
                    begin = end
                    continue
            for x in range(begin, begin + each):
                value = value_of(table, row[x])
                if value == 0.0:
                    zeros += 1
                    continue
                if value >= top:
                    ones += 1
                total += value
                across += value * x
                first = x if first < 0 else first
                last = x
            begin += each
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


@kernel
def _sums_by_row(rows, line, codes, words, whole, table, top, above, out):
    """Row by row through a line that is kept: wherever in memory rows begin, words are looked at there at one go, and without waiting.

    rows: their bytes; line, codes and words: three views of the line, the latter two (1, n).
    """
    for y in range(len(rows)):
        row = rows[y]
        for x in range(len(line)):
            line[x] = row[x]
        _sums(codes, words, whole, table, top, above + y, out)


@lru_cache
def _table(kind: str) -> NDArray[np.float32]:
    """What every code of a kind of number stands for: halves, and whole numbers with either byte first."""
    one = np.dtype(kind).itemsize == 1
    return np.arange(256 if one else 65536, dtype=np.uint8 if one else np.uint16).view(kind).astype(np.float32)


class Measuring:
    """Measures a picture strip by strip, from the top down: what was just read is still in the processor's cache."""

    def __init__(self) -> None:
        self.width, self.height, self.top = 0, 0, 1.0
        self._sums = np.array([0.0, 0.0, 0.0, 0.0, 0.0, -1.0, -1.0, 0.0, 0.0])

    def add(self, alpha: NDArray[Any]) -> None:
        """The next rows (h, w), as wide as those before: uint8 or uint16 (either byte first), 1 being full scale, or float or half 0..1."""
        self.top = float(np.iinfo(alpha.dtype).max) if alpha.dtype.kind == "u" else 1.0
        rows = alpha if alpha.strides[1] == alpha.itemsize else np.ascontiguousarray(alpha)
        height, self.width = rows.shape
        line = np.empty((1, self.width), rows.dtype)
        words = line.view(np.uint64) if line.nbytes % 8 == 0 else np.empty((1, 0), np.uint64)
        whole = np.full(8 // rows.itemsize, self.top, rows.dtype).view(np.uint64)[0]
        codes = line if rows.itemsize == 4 else line.view(np.uint8 if rows.itemsize == 1 else np.uint16)
        table = np.empty(0, np.float32) if rows.itemsize == 4 else _table(rows.dtype.str)
        plain = line.view(np.uint8)
        _sums_by_row(rows.view(np.uint8), plain[0], codes, words, whole, table, self.top, self.height, self._sums)
        self.height += height

    def measure(self) -> Measure:
        """Of all rows so far."""
        out, total = self._sums, float(self._sums[0])
        x, y = (out[1] / total + 0.5, out[2] / total + 0.5) if total > 0 else (self.width / 2, self.height / 2)
        box = (int(out[5]), int(out[6]), int(out[7]), int(out[8])) if out[6] >= 0 else (0, 0, 0, 0)
        return Measure(area=total / self.top, x=float(x), y=float(y), zeros=int(out[3]), ones=int(out[4]), box=box)


def measure(alpha: NDArray[Any]) -> Measure:
    """Of a whole picture; alpha: see `Measuring.add`."""
    it = Measuring()
    it.add(alpha)
    return it.measure()


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
