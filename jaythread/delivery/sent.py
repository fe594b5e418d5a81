"""Pictures of a package: small ones for a page, and its mattes as they were sent."""

from collections.abc import Iterator
from functools import lru_cache
from itertools import islice
from pathlib import Path
from threading import Lock
from typing import Any

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from jaythread import store
from jaythread.delivery.models import DeliveredFrame, Delivery
from jaythread.delivery.planning import plan_of
from jaythread.errors import NotThere
from roto.errors import BadPicture
from roto.package import sheet
from roto.package.statistics import alpha_in
from roto.picture import reading_back, stills

SMALL = 480
"""px: width of the pictures that are shown on a page"""
MOST_PASSED = 8
"""frames that are read for nothing rather than looking for the place anew"""
_open: LRUCache[Path, tuple[int, Iterator[NDArray[Any]]]] = LRUCache(2)
_lock = Lock()


def _pixels(delivery: Delivery, at: int) -> NDArray[Any]:
    path: Path = plan_of(delivery).stills(delivery.package, at)[0]
    if not store.here(path).exists():
        raise NotThere("This picture is not there (yet).")
    try:
        return reading_back.read_still(path, reading_back.header(path))
    except BadPicture as error:
        raise NotThere(f"This picture cannot be read: {error.message}") from error


def picture(delivery: Delivery, at: int) -> bytes:
    """A delivered frame as a small PNG. NotThere where the package has no such piece."""
    if at >= delivery.frames.count():
        raise NotThere()
    return stills.encode_picture(sheet.small(_pixels(delivery, at), SMALL), ".png")


def holds_matte(delivery: Delivery) -> bool:
    """Whether the mattes can be read from its files: pictures that are composed already have none of their own."""
    return delivery.core_recipe.content not in ("over", "tryout")


def matte(delivery: Delivery, row: DeliveredFrame) -> NDArray[np.uint16]:
    """The matte (h, w) of a delivered frame as it was sent, 65535 being covered; without the column or row that a format adds. NotThere
    where its file is not."""
    recipe, plan = delivery.core_recipe, plan_of(delivery)
    pixels = _of_movie(delivery.package / plan.names[0], row.at) if recipe.kind.movie else _pixels(delivery, row.at)
    unit = reading_back.as_unit(alpha_in(pixels, recipe.content))
    covered = 1 - unit if recipe.content == "inverted" else unit
    return np.rint(np.clip(covered, 0, 1) * 65535).astype(np.uint16)[: plan.size[1], : plan.size[0]]


def _of_movie(path: Path, at: int) -> NDArray[Any]:
    """Frames are mostly asked for in their order: the file is kept open where the last one stood."""
    if not store.here(path).exists():
        raise NotThere("The movie of this package is not there any more.")
    with _lock:
        stands, frames = _open.pop(path, (at + 1, iter(())))
    if not stands <= at < stands + MOST_PASSED:
        stands, frames = at, reading_back.movie_from(path, _header(path, path.stat().st_mtime_ns), at)
    try:
        pixels = next(islice(frames, at - stands, None), None)
    except BadPicture as error:
        raise NotThere(f"This movie cannot be read: {error.message}") from error
    if pixels is None:
        raise NotThere(f"This movie has no frame {at + 1}.")
    with _lock:
        _open[path] = at + 1, frames
    return pixels


@lru_cache(16)
def _header(path: Path, changed: int) -> reading_back.Found:
    try:
        return reading_back.movie_header(path)
    except BadPicture as error:
        raise NotThere(f"This movie cannot be read: {error.message}") from error
