"""Writing the plates, a frame at a time, in any process."""

from functools import lru_cache
from pathlib import Path

import cv2

from demo.scenes import Scene, scenes


@lru_cache
def _by_name() -> dict[str, Scene]:
    return {s.name: s for s in scenes()}


def draw_frame(name: str, frame: int, folder: str) -> str:
    """Draw one frame of a shot's plate as PNG; returns the file's name."""
    cv2.setNumThreads(1)
    plate, _ = _by_name()[name].draw(frame)
    file = f"{name}.{frame:04d}.png"
    cv2.imwrite(str(Path(folder) / file), plate[:, :, ::-1], [cv2.IMWRITE_PNG_COMPRESSION, 1])
    return file
