"""Frames of a plate, as arrays."""

import cv2
import numpy as np

from jaythread.errors import NotThere
from jaythread.plates.models import Plate, State
from jaythread.productions.models import Shot
from roto.picture import display, stills

LARGE = 960
"""px of width from which half of a small picture is enough"""


def as_displayed(plate: Plate | None, frame: int) -> np.ndarray:
    """A frame of a plate (h, w, 3) as it is displayed, float32 0..1. NotThere where it has none."""
    return as_bytes(plate, frame).astype(np.float32) / np.float32(255)


def as_bytes(plate: Plate | None, frame: int) -> np.ndarray:
    """The same as bytes, uint8 (h, w, 3)."""
    path = plate.still(frame) if plate is not None and plate.state == State.READY else None
    if plate is None or path is None or not path.exists():
        raise NotThere(f"Frame {frame} has no picture to read from.")
    return np.asarray(display.to_screen(stills.read(path), plate.space))


def small(plate: Plate, frame: int) -> np.ndarray:
    """A frame's small lossy picture as it is, uint8 (h, w, 3). NotThere where it has none."""
    path = plate.proxy(frame)
    if not path.exists():
        raise NotThere(f"Frame {frame} has no small picture yet.")
    return np.asarray(stills.read(path)[..., :3])


def quick(plate: Plate, frame: int) -> np.ndarray:
    """Half of a frame's small lossy picture where that is large, uint8 (h, w, 3), decoded no larger than it is wanted: for what is read
    from all frames. NotThere where it has none."""
    large = plate.shot.width >= LARGE
    found = cv2.imread(str(plate.proxy(frame)), cv2.IMREAD_REDUCED_COLOR_2 if large else cv2.IMREAD_COLOR)
    if found is None:
        raise NotThere(f"Frame {frame} has no small picture yet.")
    return np.ascontiguousarray(found[..., ::-1])


def from_proxy(plate: Plate, frame: int, size: tuple[int, int]) -> np.ndarray:
    """The same from the frame's small lossy picture, which is quick to read, brought to a size (width, height)."""
    return np.asarray(cv2.resize(small(plate, frame), size, interpolation=cv2.INTER_LINEAR))


def newest(shot: Shot, frame: int) -> np.ndarray:
    """A frame of a shot's newest plate as it is displayed, float32 0..1."""
    return as_displayed(shot.plates.first(), frame)
