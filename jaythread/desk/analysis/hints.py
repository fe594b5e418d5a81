"""An outline found from strokes that somebody has painted over a frame; nothing is saved."""

import threading
from typing import Annotated, Any

import numpy as np
from cachetools import LRUCache, cached
from pydantic import BaseModel, Field

from jaythread.desk.edit.types import Frame
from jaythread.plates import frames as plate_frames
from jaythread.plates.models import Plate
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, shot_for
from roto.arrays import Bytes
from roto.matte.analysis import hints

KEPT = 3
"""frames that are kept while somebody paints over them"""
Place = Annotated[float, Field(ge=-1e5, le=1e5)]
Line = Annotated[list[tuple[Place, Place]], Field(min_length=1, max_length=5000)]


class HintIn(BaseModel):
    """A stroke: its middle, and its radius, px of the plate; whether it marks what is inside."""

    path: Line
    radius: float = Field(12.0, ge=0.5, le=500)
    inside: bool = True


class HintsIn(BaseModel):
    """Strokes on a frame, and a rough loop around what is meant, where one was drawn."""

    frame: Frame
    hints: Annotated[list[HintIn], Field(max_length=200)] = []
    loop: Annotated[list[tuple[Place, Place]], Field(min_length=3, max_length=5000)] | None = None


@cached(LRUCache(KEPT), lock=threading.Lock(), key=lambda plate, frame: (plate.pk, plate.picture_version, frame))
def _picture(plate: Plate, frame: int) -> Bytes:
    return plate_frames.as_bytes(plate, frame)


def found(user: User, shot_id: int, said: HintsIn) -> dict[str, Any]:
    """The line around what the strokes mean, those around its holes: places, px of the plate; and what somebody should know of it."""
    shot: Shot = shot_for(user, shot_id, "trace")
    plate = shot.plates.first()
    picture = plate_frames.as_bytes(plate, said.frame) if plate is None else _picture(plate, said.frame)
    strokes = [hints.Hint(path=np.array(one.path, float), radius=one.radius, inside=one.inside) for one in said.hints]
    loop = None if said.loop is None else np.array(said.loop, float)
    region = hints.region(picture, strokes, loop)
    return {
        "path": hints.outline_of(region).round(2).tolist(),
        "holes": [line.round(2).tolist() for line in hints.holes_of(region)],
        "says": region.says,
    }
