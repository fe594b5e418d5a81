"""Where in the picture a matte may depend on shapes."""

from collections.abc import Iterable, Sequence

import numpy as np

from roto.matte.feather.lens import reaches as spread
from roto.matte.feather.reach import band
from roto.matte.modes import FOUND
from roto.matte.render.exposure import MOMENTS
from roto.matte.render.results import Box
from roto.matte.stack import Matte
from roto.motion.shape import Shape

LOOKS = 2 * MOMENTS - 1
"""moments of an exposure at which outlines are looked at to find where they are"""


def touched_box(matte: Matte, shapes: Iterable[Shape], frame: int) -> Box:
    """The box of the picture in which the matte of a frame may depend on these shapes: their outlines over the exposure, with reach."""
    bands = [e.shape for e in matte.entries if e.mode in FOUND and e.shape.is_live(frame)]  # what a change below solves anew
    return touched_boxes(matte, [*shapes, *bands], [frame])[frame]


def touched_boxes(matte: Matte, shapes: Iterable[Shape], frames: Sequence[int], live: bool = False) -> dict[int, Box]:
    """The same on several frames, fringes aside. live: only of shapes that count there; the box is empty (its ends before its beginning)
    where there is none."""
    numbers = np.array(frames, dtype=np.int64)
    opens, closes = (np.array(v) for v in zip(*(matte.shutter.exposure(int(f)) for f in numbers), strict=True))
    moments = np.linspace(opens, closes, LOOKS, axis=1)
    low, high = np.full((len(numbers), 2), np.inf), np.full((len(numbers), 2), -np.inf)
    grows = np.abs(matte.shift_at(numbers)) + [spread(matte.lens_kind, px) for px in matte.lens_at(numbers).tolist()]
    for shape in shapes:
        which = np.array([shape.is_live(int(f)) for f in numbers]) if live else np.ones(len(numbers), bool)
        if not which.any():
            continue
        own = numbers[which]
        points = shape.outline(moments[which].ravel(), np.repeat(own, LOOKS))
        parts = np.ascontiguousarray(np.moveaxis(points.reshape(len(own), -1, points.shape[-1]), 2, 0))  # numbers of a kind side by side
        reaches = shape.reaches_at(own)
        widest = [] if reaches is None else np.nanmax(reaches, axis=1)
        settings = shape.settings_at(own)
        pads = [band(*(widest[k] if len(widest) else s[:2]), s[2]) + spread(shape.lens_kind, s[4]) for k, s in enumerate(settings)]
        pad = (np.array(pads, dtype=np.float64) + grows[which] + 1.0)[:, None]
        for tangent in (0, 2, 4):
            places = parts[:2] + parts[tangent : tangent + 2] if tangent else parts[:2]
            low[which] = np.minimum(low[which], places.min(axis=2).T - pad)
            high[which] = np.maximum(high[which], places.max(axis=2).T + pad)
    low, high = np.floor(np.clip(low, 0, matte.size)).astype(int), np.ceil(np.clip(high, 0, matte.size)).astype(int)
    return {int(f): (int(a[0]), int(a[1]), int(b[0]), int(b[1])) for f, a, b in zip(numbers, low, high, strict=True)}
