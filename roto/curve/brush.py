"""What a brush has painted, as an outline of few points."""

import cv2
import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.curve.curve_fit import fit_loop
from roto.errors import BadGeometry

FINE = 4
"""the brush is laid down at so many times the plate's size"""
MOST = 4096
"""px: and at most so large a picture is drawn for it; a longer stroke is drawn coarser"""


def stroke_outline(path: object, radius: float, tolerance: float = 1.0, radii: object = None) -> tuple[Floats, list[bool]]:
    """The outline around a painted stroke: points (n, 6) and which are curves, as `fit_loop` gives them.

    path: (k, 2), the brush's middle in plate px. radius, tolerance: px. radii: (k,) px, where a pen was pressed more or less. What a
    stroke encloses belongs to it; of several pieces the largest is taken.
    """
    places = np.asarray(path, np.float64).reshape(-1, 2)
    if not len(places) or not np.isfinite(places).all() or not radius > 0:
        raise BadGeometry("A brush needs a place to paint and a size above 0.")
    wide = np.full(len(places), float(radius)) if radii is None else np.asarray(radii, np.float64).reshape(-1)
    if len(wide) != len(places) or not (np.isfinite(wide).all() and (wide > 0).all()):
        raise BadGeometry("Each place of a stroke needs a radius above 0.")
    low, high = places.min(axis=0) - wide.max() - 2, places.max(axis=0) + wide.max() + 2
    scale = min(FINE, MOST / float((high - low).max()))
    width, height = np.ceil((high - low) * scale).astype(int)
    canvas = np.zeros((height, width), np.uint8)
    line = np.rint((places - low) * scale * 16 - 8).astype(np.int32)
    if radii is None:
        cv2.polylines(canvas, [line], False, 255, max(1, round(2 * radius * scale)), cv2.LINE_8, 4)
        line, wide = line[[0, -1]], wide[[0, -1]]
    else:
        for a, b, r in zip(line, line[1:], (wide[:-1] + wide[1:]) / 2, strict=False):
            cv2.line(canvas, tuple(map(int, a)), tuple(map(int, b)), 255, max(1, round(2 * r * scale)), cv2.LINE_8, 4)
    for spot, r in zip(line, wide, strict=True):
        cv2.circle(canvas, tuple(map(int, spot)), round(r * scale * 16), 255, -1, cv2.LINE_8, 4)
    return around(canvas > 0, (float(low[0]), float(low[1])), scale, tolerance)


def around(mask: NDArray[np.bool_], origin: tuple[float, float], scale: float, tolerance: float = 1.0) -> tuple[Floats, list[bool]]:
    """The outline (as `fit_loop` gives it) around the largest piece of a mask (h, w) whose pixels stand `scale` a px from the origin on."""
    contours, _ = cv2.findContours(mask.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    if not contours:
        raise BadGeometry("There is nothing of it in the picture on this frame.")
    outer = max(contours, key=cv2.contourArea)[:, 0, :].astype(np.float64)
    return fit_loop((outer + 0.5) / scale + origin, tolerance)
