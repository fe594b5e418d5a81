"""What shapes cover on a frame, for what is followed inside of them or behind them."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from jaythread.productions.models import Shot
from roto.arrays import Flags
from roto.matte.render import render
from roto.matte.shutter import Shutter
from roto.matte.stack import Entry, Matte
from roto.motion.shape import Shape as CoreShape

HELD_OUT = 0.5
"""alpha from which a pixel belongs to what stands in front"""


def cover_of(shot: Shot, shapes: Sequence[CoreShape], frame: int) -> Flags:
    """Which pixels (h, w) of the plate shapes cover together on a frame, without motion blur."""
    lines = tuple(Entry(shape=replace(one, blur=False)) for one in shapes)
    matte = Matte(
        shot=shot.name, name="cover", size=(shot.width, shot.height), rate=shot.rate, first=frame, last=frame,
        shutter=Shutter(angle=0.0), entries=lines,
    )  # fmt: skip
    return np.asarray(render(matte, frame, threads=2).alpha > HELD_OUT)
