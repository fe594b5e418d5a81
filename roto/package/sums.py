"""The sums behind a measure of a picture (see `statistics`), row by row: compiled.

Of each row: the sum of its values, of each value times its column, how many are 0 and how many are 1, and the first and last that is not 0.
Mattes are mostly 0 and mostly 1, so a block of pixels that all are is counted at one go. Other blocks of whole numbers are summed in
loops that compile to vector instructions; of floats and halves each value is looked up.
"""

from typing import Any

import numpy as np
from numba import types
from numba.extending import overload

from roto.arrays import Bytes, Floats, Singles
from roto.jit import kernel, leaf

LOOKED_UP, WHOLE, SWAPPED = range(3)
"""kinds of codes: floats, or what a table gives the values of; whole numbers; whole numbers with the other byte first"""
WORDS = 64
"""of eight bytes, looked at together"""
BLOCK = 64
"""pixels of colours that are summed together: sums of 16 bits, times their places, fit into 32 bits"""
PLACES = (np.arange(3 * BLOCK) // 3).astype(np.uint32)
TOTAL, ACROSS, DOWN, ZEROS, ONES, LEFT, TOP, RIGHT, BOTTOM = range(9)
"""the places of `sums`: the box's left and top are -1 as long as all is 0"""


def value_of(table: Singles, code: Any) -> float:
    """What a code of the file stands for, 0..1; the code itself where there is no table. In Python as compiled."""
    return float(code) if len(table) == 0 else float(table[code])


@overload(value_of)
def _value_of(table, code):
    if isinstance(code, types.Float):
        return lambda table, code: np.float64(code)
    return lambda table, code: np.float64(table[code])


@leaf
def _off(words, pattern):
    """The bits in which any of some words differs from a pattern."""
    off = np.uint64(0)
    for k in range(len(words)):
        off |= words[k] ^ pattern
    return off


@leaf
def _whole_sums(codes, swap, full):
    """Of some 256 whole numbers at most: their sum, that of each times its place, how many are 0, how many full."""
    total, across, zeros, ones = np.uint32(0), np.uint32(0), np.uint32(0), np.uint32(0)
    for i in range(len(codes)):
        code = np.uint32(codes[i])
        value = np.uint32(((code << np.uint32(8)) | (code >> np.uint32(8))) & np.uint32(0xFFFF)) if swap else code
        total = np.uint32(total + value)
        across = np.uint32(across + np.uint32(value * np.uint32(i)))
        zeros = np.uint32(zeros + np.uint32(value == np.uint32(0)))
        ones = np.uint32(ones + np.uint32(value == full))
    return np.float64(total), np.float64(across), np.int64(zeros), np.int64(ones)


@leaf
def _looked_up_sums(codes, table, top):
    """As `_whole_sums`, of codes that a table gives the values of."""
    total, across, zeros, ones = 0.0, 0.0, 0, 0
    for i in range(len(codes)):
        value = value_of(table, codes[i])
        total += value
        across += value * i
        zeros += value == 0.0
        ones += value >= top
    return total, across, zeros, ones


@leaf
def _nothing(code, table, kind):
    return code == 0 if kind != LOOKED_UP else value_of(table, code) == 0.0


@leaf
def _row(codes, words, whole, table, top, kind, y, sums):
    """Add one row to `sums`. codes and words: two views of it; words has no item where its bytes do not fill them."""
    width, count = len(codes), len(words)
    each = width // count if count else 1
    step = WORDS * each if count else WORDS
    total, across, zeros, ones, first, last = 0.0, 0.0, 0, 0, -1, -1
    begin = 0
    while begin < width:
        end = min(begin + step, width)
        if count:
            pattern = words[begin // each]
            if pattern in (np.uint64(0), whole) and _off(words[begin // each : end // each], pattern) == 0:
                if pattern == whole:
                    ones += end - begin
                    total += (end - begin) * top
                    across += top * ((end - begin) * (begin + end - 1) // 2)
                    first = begin if first < 0 else first
                    last = end - 1
                else:
                    zeros += end - begin
                begin = end
                continue
        if kind == LOOKED_UP:
            some, way, none, full = _looked_up_sums(codes[begin:end], table, top)
        else:
            some, way, none, full = _whole_sums(codes[begin:end], kind == SWAPPED, np.uint32(top))
        total += some
        across += way + some * begin
        zeros += none
        ones += full
        if none < end - begin:
            at = begin
            while first < 0 and at < end:
                first = at if not _nothing(codes[at], table, kind) else first
                at += 1
            last = end - 1
            while _nothing(codes[last], table, kind):
                last -= 1
        begin = end
    sums[TOTAL] += total
    sums[ACROSS] += across
    sums[DOWN] += total * y
    sums[ZEROS] += zeros
    sums[ONES] += ones
    if first >= 0:
        sums[TOP] = y if sums[TOP] < 0 else sums[TOP]
        sums[BOTTOM] = y + 1
        sums[LEFT] = first if sums[LEFT] < 0 or first < sums[LEFT] else sums[LEFT]
        sums[RIGHT] = max(sums[RIGHT], last + 1)


@kernel
def add_rows(
    rows: Bytes, skip: int, up: bool, line: Bytes, codes: Any, words: Any, whole: int, table: Singles, top: float, kind: int, above: int,
    sums: Floats,
) -> None:  # fmt: skip
    """Add rows to `sums`, each through a line that is kept: wherever in memory rows begin, words are looked at there without waiting.

    rows: (h, skip + bytes of a row). up: whether they are differences from the row above; `line` holds the one before the first.
    line, codes and words: three views of the line; words: uint64, (0,) where the bytes do not fill them. whole: the word whose pixels are
    all 1. table: float32, what each code stands for, if kind is LOOKED_UP and codes are no floats. top: what stands for 1. above: how many
    rows came before these. sums: float64 (9,).
    """
    for y in range(len(rows)):
        row = rows[y, skip:]
        if up:
            for x in range(len(line)):
                line[x] += row[x]
        else:
            for x in range(len(line)):
                line[x] = row[x]
        _row(codes, words, whole, table, top, kind, above + y, sums)


@leaf
def _colour_sums(codes, places):
    """Of some pixels of three colours: their sum, that of each times its pixel's place, the least and the largest colour."""
    total, across, low, high = np.uint32(0), np.uint32(0), codes[0], codes[0]
    for i in range(len(codes)):
        code = np.uint32(codes[i])
        total = np.uint32(total + code)
        across = np.uint32(across + np.uint32(code * places[i]))
        low, high = min(low, codes[i]), max(high, codes[i])
    return np.uint64(total), np.uint64(across), low, high


@kernel
def add_colours(rows: Any, full: int, above: int, sums: Floats) -> None:
    """Add the mean of three colours to `sums`, row by row.

    rows: whole numbers (h, 3 w), three a pixel. full: what stands for 1 in a colour. above: how many rows came before these. sums: float64
    (9,), in shares of 1.
    """
    whole, width = np.uint64(3) * np.uint64(full), rows.shape[1] // 3
    for y in range(rows.shape[0]):
        row = rows[y]
        total, across = np.uint64(0), np.uint64(0)
        zeros, ones, first, last = 0, 0, width, -1
        for begin in range(0, width, BLOCK):
            end = min(begin + BLOCK, width)
            part, placed, least, most = _colour_sums(row[3 * begin : 3 * end], PLACES[: 3 * (end - begin)])
            total += part
            across += placed + part * np.uint64(begin)
            if least > 0 and most < full:  # no pixel is black or white
                first, last = min(first, begin), end - 1
                continue
            for x in range(begin, end):
                value = np.uint64(row[3 * x]) + np.uint64(row[3 * x + 1]) + np.uint64(row[3 * x + 2])
                zeros += value == 0
                ones += value == whole
                if value != 0:
                    first, last = min(first, x), x
        covered = np.float64(total) / np.float64(whole)
        sums[TOTAL] += covered
        sums[ACROSS] += np.float64(across) / np.float64(whole)
        sums[DOWN] += covered * (above + y)
        sums[ZEROS] += zeros
        sums[ONES] += ones
        if last >= 0:
            sums[TOP] = above + y if sums[TOP] < 0 else sums[TOP]
            sums[BOTTOM] = above + y + 1
            sums[LEFT] = first if sums[LEFT] < 0 or first < sums[LEFT] else sums[LEFT]
            sums[RIGHT] = max(sums[RIGHT], last + 1)
