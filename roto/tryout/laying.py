"""Laying a picture onto what lies below, in one pass over the pixels that it touches."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from roto.jit import kernel, leaf
from roto.picture import display

Box = tuple[int, int, int, int]
TABLE = display.shown(np.arange(65538) / 65536.0).astype(np.float32)
EDGES = display.light((np.arange(1, 256) - 0.5) / 255.0).astype(np.float32)
"""the light from which on a number of 8 bits is shown, for 1 to 255"""
FLOORS = np.searchsorted(EDGES, np.arange(65537, dtype=np.float32) / np.float32(65536), side="right").astype(np.uint8)
"""the number of 8 bits at each step of light; before the next step it goes up by one at most"""
WHOLE = np.ones((1, 1), np.float32)
"""in place of alpha, where all of a picture is laid on"""


@kernel
def _over(canvas, picture, at, region, alpha, opacity, bright, added):
    x0, y0, x1, y1 = region
    whole, covers = alpha.shape[0] == 1 and alpha.shape[1] == 1, picture.shape[2] == 4
    for y in range(y0, y1):
        for x in range(x0, x1):
            there = opacity if whole else opacity * alpha[y, x]
            if there == 0.0:
                continue
            py, px = y - at[1], x - at[0]
            cover = there * min(picture[py, px, 3], np.float32(1.0)) if covers else there
            keep = np.float32(1.0) if added else np.float32(1.0) - cover
            for c in range(3):
                canvas[y, x, c] = canvas[y, x, c] * keep + picture[py, px, c] * there * bright


@kernel
def _shade(canvas, dark, left, top, colour):
    for y in range(dark.shape[0]):
        for x in range(dark.shape[1]):
            d = dark[y, x]
            if d == 0.0:
                continue
            for c in range(3):
                canvas[top + y, left + x, c] += d * (colour[c] - canvas[top + y, left + x, c])


@leaf
def _within(light):
    above = light if light > 0.0 else np.float32(0.0)  # what is no number is black
    return above if above < 1.0 else np.float32(1.0)


@kernel
def _numbers(light, table, top, out):
    steps = np.float32(len(table) - 2)
    for i in range(light.size):
        at = _within(light[i]) * steps
        k = np.uint32(at)
        out[i] = np.uint16(np.rint((table[k] + (at - np.float32(k)) * (table[k + 1] - table[k])) * top))


@kernel
def _bytes(light, floors, edges, out):
    steps = np.float32(len(floors) - 1)
    for i in range(light.size):
        at = _within(light[i])
        low = floors[np.uint32(at * steps)]
        out[i] = low + np.uint8(low < 255 and at >= edges[low])


@kernel
def _through_table(light, table, out):
    steps = np.float32(len(table) - 2)
    for i in range(light.size):
        at = _within(light[i]) * steps
        k = np.uint32(at)
        out[i] = table[k] + (at - np.float32(k)) * (table[k + 1] - table[k])


def shown(light: NDArray[np.float32]) -> NDArray[np.float32]:
    """Linear light as it is displayed, 0..1, of any shape: `display.shown` by a table, straight in between, off by at most 1e-6."""
    out = np.empty(light.shape, np.float32)
    _through_table(np.ascontiguousarray(light).reshape(-1), TABLE, out.reshape(-1))
    return out


def numbers(light: NDArray[np.float32], depth: str) -> NDArray[Any]:
    """Linear light as it is displayed, in whole numbers of 8 or 16 bits, rounded to the nearest: `shown` in one pass."""
    out = np.empty(light.shape, np.uint8 if depth == "8" else np.uint16)
    flat = np.ascontiguousarray(light).reshape(-1)
    if depth == "8":
        _bytes(flat, FLOORS, EDGES, out.reshape(-1))
    else:
        _numbers(flat, TABLE, np.float32(65535), out.reshape(-1))
    return out


def over(
    canvas: NDArray[np.float32],
    picture: NDArray[np.float32],
    at: tuple[int, int],
    region: Box,
    alpha: NDArray[np.float32] | None = None,
    opacity: float = 1.0,
    bright: float = 1.0,
    added: bool = False,
) -> None:
    """Lay a picture onto a canvas (h, w, 3), in place, within a region of it.

    picture: (h, w, 4) premultiplied, or (h, w, 3) that covers all; its left top corner stands at `at`. alpha: (h, w) as large as the
    canvas, what it is seen through. added: its light is added, and nothing is covered. bright: times its light.
    """
    cover = WHOLE if alpha is None else np.ascontiguousarray(alpha)
    _over(canvas, np.ascontiguousarray(picture), at, region, cover, np.float32(opacity), np.float32(bright), added)


def shade(canvas: NDArray[np.float32], dark: NDArray[np.float32], at: tuple[int, int], colour: NDArray[np.float32]) -> None:
    """Lay a colour on, as far as `dark` (h, w) goes, its left top corner at `at`, in place."""
    _shade(canvas, np.ascontiguousarray(dark), at[0], at[1], np.ascontiguousarray(colour))


def region_of(alpha: NDArray[np.float32]) -> Box | None:
    """The box outside of which alpha (h, w) is 0; None where it is so everywhere."""
    rows = np.flatnonzero(alpha.any(axis=1))
    if not len(rows):
        return None
    columns = np.flatnonzero(alpha[rows[0] : rows[-1] + 1].any(axis=0))
    return int(columns[0]), int(rows[0]), int(columns[-1]) + 1, int(rows[-1]) + 1


def meeting(one: Box, other: Box) -> Box | None:
    """What two boxes share; None where that is nothing."""
    x0, y0, x1, y1 = max(one[0], other[0]), max(one[1], other[1]), min(one[2], other[2]), min(one[3], other[3])
    return (x0, y0, x1, y1) if x0 < x1 and y0 < y1 else None
