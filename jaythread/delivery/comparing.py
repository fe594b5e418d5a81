"""One package against another: which frames differ, by how much, and where."""

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from jaythread.delivery.models import DeliveredFrame, Delivery
from jaythread.delivery.planning import plan_of
from jaythread.errors import NotThere
from roto.errors import BadPicture
from roto.package import sheet
from roto.package.statistics import alpha_in
from roto.picture import reading_back, stills

SMALL = 480
"""px: width of the pictures that are shown on a page"""


def _pixels(delivery: Delivery, at: int) -> NDArray[Any]:
    path: Path = plan_of(delivery).stills(delivery.package, at)[0]
    if not path.exists():
        raise NotThere("This picture is not there (yet).")
    try:
        return reading_back.read_still(path, reading_back.header(path))
    except BadPicture as error:
        raise NotThere(f"This picture cannot be read: {error.message}") from error


def picture(delivery: Delivery, at: int) -> bytes:
    """A delivered frame as a small PNG."""
    return stills.encode_picture(sheet.small(_pixels(delivery, at), SMALL), ".png")


def _matte(delivery: Delivery, frame: int) -> NDArray[np.float32]:
    row = DeliveredFrame.objects.filter(delivery=delivery, frame=frame).first()
    if row is None:
        raise NotThere(f"Package {delivery.version} has no frame {frame}.")
    return reading_back.as_unit(alpha_in(_pixels(delivery, row.at), delivery.core_recipe.content))


def difference(one: Delivery, other: Delivery, frame: int) -> bytes:
    """Where a matte differs between two packages, as a small PNG: blue where the newer has more, ochre where it has less, on grey."""
    new, old = _matte(one, frame), _matte(other, frame)
    if new.shape != old.shape:
        raise NotThere(f"The packages differ in size: {new.shape[1]} x {new.shape[0]} and {old.shape[1]} x {old.shape[0]}.")
    off = new - old
    ground = (0.28 + 0.3 * new)[:, :, None] * np.ones(3, np.float32)
    more, less = (np.clip(s * off, 0, 1)[:, :, None] ** 0.5 for s in (1, -1))
    shown = ground * (1 - more - less) + more * np.array([0.35, 0.7, 1.0]) + less * np.array([1.0, 0.72, 0.25])
    return stills.encode_picture(sheet.small(shown.astype(np.float32), 2 * SMALL), ".png")


def rows(one: Delivery, other: Delivery) -> list[dict[str, Any]]:
    """By frame of either, how they stand to each other: same, changed, only new, only old; with how much the area changed, px."""
    new, old = ({r.frame: r for r in d.frames.all()} for d in (one, other))
    out = []
    for frame in sorted({*new, *old}):
        a, b = new.get(frame), old.get(frame)
        if a is None or b is None:
            out.append({"frame": frame, "stands": "only new" if b is None else "only old", "area": None})
            continue
        same = a.key == b.key != ""
        area = None if same or not a.measured or not b.measured else a.measured["area"] - b.measured["area"]
        out.append({"frame": frame, "stands": "same" if same else "changed", "area": area})
    return out
