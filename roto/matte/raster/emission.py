"""Areas added up: the signed area to the right of each piece of boundary in a pixel row, in whole numbers, so that sums do not depend on
order or on the box (the accumulation of areas and covers known from anti-aliased scan conversion)."""

import numpy as np

from roto.jit import leaf
from roto.matte.modes import ONE, PASS

UNIT = float(1 << 40)
"""Whole-number units per pixel area: 2^-40 is far below float32, and 2^23 pixels of sums still fit an int64."""


@leaf
def put_area(sums, which, box, column, inside, height):
    full = np.int64(np.rint(height * UNIT))
    if column < box[0]:
        sums[which, 0] += full
    elif column < box[1]:
        part = np.int64(np.rint(height * inside * UNIT))
        at = np.uint64(column - box[0])
        sums[which, at] += full - part
        sums[which, at + np.uint64(1)] += part


@leaf
def emit(sums, which, box, xa, xb, height):
    """Add the area right of a piece of boundary that runs from xa to xb over `height` (signed) of this row."""
    width = box[2]
    if xa > xb:
        xa, xb = xb, xa
    if xa >= width:
        return
    if xb <= 0.0:
        put_area(sums, which, box, 0, 0.0, height)
        return
    if xa < 0.0:
        part = height * (-xa) / (xb - xa)
        put_area(sums, which, box, 0, 0.0, part)
        height -= part
        xa = 0.0
    if xb > width:
        height *= (width - xa) / (xb - xa)
        xb = float(width)
    column = min(int(xa), width - 1)
    last = min(int(xb), width - 1)
    slope = height / (xb - xa) if last > column else 0.0
    while column < last:
        if column >= box[1]:
            return
        put_area(sums, which, box, column, 0.5 * (xa - column + 1.0), slope * (column + 1 - xa))
        column += 1
        xa = float(column)
    put_area(sums, which, box, last, 0.5 * (xa + xb) - last, height if slope == 0.0 else slope * (xb - xa))


@leaf
def turn(sums, two, box, old, new, xa, xb, height):
    """The state changes from old to new across a piece of boundary."""
    ones = (1 if new == ONE else 0) - (1 if old == ONE else 0)
    if ones != 0:
        emit(sums, 0, box, xa, xb, ones * height)
    if two:
        passes = (1 if new == PASS else 0) - (1 if old == PASS else 0)
        if passes != 0:
            emit(sums, 1, box, xa, xb, passes * height)
