"""Pictures of a package: small ones for a page, and its mattes as they were sent."""

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
    """A delivered frame as a small PNG. NotThere where the package has no such piece."""
    if at >= delivery.frames.count():
        raise NotThere()
    return stills.encode_picture(sheet.small(_pixels(delivery, at), SMALL), ".png")


def matte(delivery: Delivery, row: DeliveredFrame) -> NDArray[np.uint16]:
    """The matte (h, w) of a delivered frame as it was sent, 65535 being covered. NotThere where its file is not."""
    unit = reading_back.as_unit(alpha_in(_pixels(delivery, row.at), delivery.core_recipe.content))
    covered = 1 - unit if delivery.core_recipe.content == "inverted" else unit
    return np.rint(np.clip(covered, 0, 1) * 65535).astype(np.uint16)
