"""Lens softness: coverage blurred as a lens out of focus blurs a picture, by a bell or a disc, at corners as along sides.

The coverage is given on a finer grid, `fineness` cells to a pixel each way, since areas of cells tell where an edge lies only to a part of
a cell. What a pixel gets is the mean over it of the blurred coverage: for that, the weights are those of the blur spread over the pixel.
Each pixel is summed up in the same order wherever it lies in a box, so that any box gives the same numbers as the whole picture.
"""

import math
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats, Singles
from roto.jit import kernel, leaf
from roto.motion.shape import BELL, DISC

BELL_ENDS = 4.0
"""sigmas beyond which a bell counts as nothing: 0.006 % of it"""
FINE_ENOUGH = 4.5
"""cells to a sigma: the error along a straight side falls with the square of it, and is 0.001 at the most here"""
FINEST = 8
SMALL_DISC = 16.0
"""px: a smaller disc has two cells to a pixel at least, since its rim is sharp"""
LEAST = 0.05
"""px: less softness than this is none"""
WHOLE = np.float32(1.0 - 1e-6)
"""from here on it is 1: what is covered all around is white, though sums are rounded"""
PARTS = 1 << 24
"""what coverage of 1 is in the whole numbers that are summed up along a row"""
SUB = 64
"""lines by which the area of a disc in a cell is found"""


def sigma_of(lens: str, softness: float) -> float:
    """px: the root of the variance of a lens along one direction. A disc has a quarter of its radius squared."""
    return softness / 2.0 if lens == DISC else softness


def fineness(lens: str, softness: float) -> int:
    """Cells to a pixel, each way, in which coverage is wanted."""
    least = 2 if lens == DISC and softness < SMALL_DISC else 1
    return min(FINEST, max(least, math.ceil(FINE_ENOUGH / sigma_of(lens, softness))))


def reaches(lens: str, softness: float) -> int:
    """px: how far around itself coverage counts, whole."""
    if softness < LEAST:
        return 0
    return math.ceil(softness) + 1 if lens == DISC else math.ceil(BELL_ENDS * softness)


@lru_cache(64)
def _bell(sigma: float, fine: int) -> Singles:
    """Weights (2 * reach * fine + fine,) of the cells around a pixel, along one direction."""
    around = reaches(BELL, sigma) * fine
    x = np.arange(-around, around + 1) / (sigma * fine)
    bell = np.exp(-0.5 * x * x)
    spread = np.convolve(bell / bell.sum(), np.full(fine, 1.0 / fine))
    return np.ascontiguousarray(spread, dtype=np.float32)


@lru_cache(32)
def _disc(radius: float, fine: int) -> tuple[Floats, NDArray[np.int64]]:
    """Weights (k, k) of the cells around a pixel, and by row (k, 2) the columns between which they are those of the disc's middle.

    Areas of cells spread an edge once more by a cell: the disc is as much smaller."""
    around = reaches(DISC, radius) * fine
    own = math.sqrt(max(radius * radius - 1.0 / (3.0 * fine * fine), 0.01 * radius * radius)) * fine
    cells = np.arange(-around, around + 1)
    lines = cells[:, None] + (np.arange(SUB) + 0.5) / SUB - 0.5
    half = np.sqrt(np.maximum(own * own - lines * lines, 0.0))
    low, high = cells - 0.5, cells + 0.5
    areas = np.clip(np.minimum(half[..., None], high) - np.maximum(-half[..., None], low), 0.0, None).mean(axis=1)
    across = np.apply_along_axis(np.convolve, 1, areas / areas.sum(), np.full(fine, 1.0 / fine))
    spread = np.apply_along_axis(np.convolve, 0, across, np.full(fine, 1.0 / fine))
    full = spread.max()
    middle = spread > full * (1 - 1e-9)
    spread[middle] = full
    begin = np.where(middle.any(axis=1), middle.argmax(axis=1), 0)
    return spread, np.stack([begin, begin + middle.sum(axis=1)], axis=1)


@leaf
def _run(some, begin):
    """The next run of what is marked from a column on: its begin and end; both the end of the row where there is none."""
    while begin < len(some) and not some[begin]:
        begin += 1
    end = begin
    while end < len(some) and some[end]:
        end += 1
    return begin, end


@leaf
def _add(out, weight, row, stride):
    for x in range(len(out)):
        out[x] += weight * row[x * stride]


@kernel
def _bell_rows(coverage, weights, fine, needed, busy, narrow, out):
    """coverage: (H, W). needed: (H / fine, w), where rows are summed up along themselves, into `narrow` (H, w), 0 so far. busy: (h, w),
    where that is summed up into `out`, 0 so far."""
    count = len(weights)
    for y in range(len(coverage)):
        some = needed[y // fine]
        lo, hi = _run(some, 0)
        while lo < hi:
            for k in range(count):
                _add(narrow[y, lo:hi], weights[k], coverage[y, lo * fine + k :], fine)
            lo, hi = _run(some, hi)
    for y in range(len(out)):
        lo, hi = _run(busy[y], 0)
        while lo < hi:
            for k in range(count):
                _add(out[y, lo:hi], weights[k], narrow[y * fine + k, lo:hi], 1)
            lo, hi = _run(busy[y], hi)


@leaf
def _some(coverage, weights):
    total = 0.0
    for c in range(len(weights)):
        total += weights[c] * coverage[c]
    return total


@kernel
def _disc_rows(coverage, weights, middles, fine, busy, sums, out):
    """coverage: (H, W). busy: (h, w), where `out` is summed up. sums: int64 (H, W + 1), room for running sums of its rows."""
    high, wide = coverage.shape
    for y in range(high):
        so_far = np.int64(0)
        for x in range(wide):
            sums[y, x] = so_far
            so_far += np.int64(np.rint(coverage[y, x] * np.float32(PARTS)))
        sums[y, wide] = so_far
    count = len(weights)
    for y in range(len(out)):
        for x in range(out.shape[1]):
            if not busy[y, x]:
                continue
            total = 0.0
            for r in range(count):
                row, at = y * fine + r, x * fine
                begin, end = middles[r, 0], middles[r, 1]
                if end > begin:
                    total += weights[r, begin] * ((sums[row, at + end] - sums[row, at + begin]) * (1.0 / PARTS))
                total += _some(coverage[row, at : at + begin], weights[r, :begin])
                total += _some(coverage[row, at + end : at + count], weights[r, end:])
            out[y, x] = np.float32(total)


@kernel
def _extremes(coverage, fine, low, high, least, most):
    """The least and the largest coverage in each pixel's cells, into `low` and `high` (h, w). least, most: (W,), working arrays."""
    for y in range(len(low)):
        for x in range(len(least)):
            least[x] = most[x] = coverage[y * fine, x]
        for j in range(1, fine):
            row = coverage[y * fine + j]
            for x in range(len(least)):
                least[x] = row[x] if row[x] < least[x] else least[x]
                most[x] = row[x] if row[x] > most[x] else most[x]
        for x in range(low.shape[1]):
            a, b = least[x * fine], most[x * fine]
            for j in range(1, fine):
                a, b = min(a, least[x * fine + j]), max(b, most[x * fine + j])
            low[y, x], high[y, x] = a, b


def _windows(coverage: Singles, around: int, fine: int) -> tuple[Singles, Singles]:
    """The least and the largest coverage (h, w) within so many px of each pixel."""
    low, high = np.empty((2, coverage.shape[0] // fine, coverage.shape[1] // fine), np.float32)
    _extremes(coverage, fine, low, high, *np.empty((2, coverage.shape[1]), np.float32))
    square = np.ones((2 * around + 1, 2 * around + 1), np.uint8)
    low, high = cv2.erode(low, square), cv2.dilate(high, square)
    inner = np.s_[around : low.shape[0] - around, around : low.shape[1] - around]
    return np.asarray(low[inner], np.float32), np.asarray(high[inner], np.float32)


def blurred(coverage: Singles, lens: str, softness: float, fine: int) -> Singles:
    """Coverage as a lens shows it: float32 (h, w), 0..1.

    coverage: float32 ((h + 2 r) * fine, (w + 2 r) * fine), 0..1, with `r = reaches(lens, softness)` px more on each side. lens: one of
    `roto.motion.shape.LENSES`; softness: px, the sigma of a bell or the radius of a disc. fine: cells to a pixel each way.
    """
    around = reaches(lens, softness)
    least, most = _windows(coverage, around, fine)
    busy = most > least
    out = np.zeros(busy.shape, np.float32)
    if lens == DISC:
        weights, middles = _disc(softness, fine)
        _disc_rows(coverage, weights, middles, fine, busy, np.empty((coverage.shape[0], coverage.shape[1] + 1), np.int64), out)
    else:
        rows = np.pad(busy.astype(np.uint8), ((around, around), (0, 0)))
        needed = cv2.dilate(rows, np.ones((2 * around + 1, 1), np.uint8)).astype(bool)
        narrow = np.zeros((len(coverage), busy.shape[1]), np.float32)
        _bell_rows(coverage, _bell(softness, fine), fine, needed, busy, narrow, out)
    out[out >= WHOLE] = 1.0
    out[out <= 1.0 - WHOLE] = 0.0
    return np.asarray(np.where(busy, out, least), np.float32)
