"""How a plate is displayed: from its colour space to 8-bit sRGB. Mattes are never touched by this.

display: as it is. linear: the sRGB transfer curve (IEC 61966-2-1). log: the Cineon printing-density curve (95 to 685 of 1023 code
values, 0.002 density a step, 0.6 negative gamma), then the sRGB curve.
"""

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from roto.errors import RotoError

SPACES = ("display", "linear", "log")


def guess(kind: str, depth: str, named: str = "") -> str:
    """The likely colour space of a file: float is linear, DPX is log unless it says otherwise, the rest is made for display."""
    name = named.lower()
    if "log" in name:
        return "log"
    if "lin" in name or depth in ("float", "half"):
        return "linear"
    return "log" if kind == "dpx" and "709" not in name and "srgb" not in name else "display"


def _curve(unit: NDArray[np.floating], space: str) -> NDArray[np.floating]:
    if space == "log":
        black = 10 ** ((95 - 685) * 0.002 / 0.6)
        unit = (10 ** ((unit * 1023 - 685) * 0.002 / 0.6) - black) / (1 - black)
    unit = np.clip(unit, 0.0, 1.0)
    return np.where(unit <= 0.0031308, unit * 12.92, 1.055 * unit ** (1 / 2.4) - 0.055)


def to_screen(pixels: NDArray[Any], space: str) -> NDArray[np.uint8]:
    """Pixels (h, w, 3) of uint8, uint16 or float32 as 8-bit sRGB."""
    if space not in SPACES:
        raise RotoError(f"There is no colour space '{space}'; choose one of {', '.join(SPACES)}.")
    if space == "display":
        if pixels.dtype == np.uint8:
            return pixels
        if pixels.dtype == np.uint16:
            return np.rint(pixels / np.float32(257.0)).astype(np.uint8)
        return np.rint(np.clip(pixels, 0, 1) * 255).astype(np.uint8)
    if pixels.dtype == np.uint8:
        table = np.rint(_curve(np.arange(256) / 255.0, space) * 255).astype(np.uint8)
        return table[pixels]
    if pixels.dtype == np.uint16:
        table = np.rint(_curve(np.arange(65536) / 65535.0, space) * 255).astype(np.uint8)
        return table[pixels]
    return np.rint(_curve(np.nan_to_num(pixels, nan=0.0, posinf=1.0, neginf=0.0), space) * 255).astype(np.uint8)


def smaller(pixels: NDArray[np.uint8], width: int) -> NDArray[np.uint8]:
    """A picture of at most that width, by area averaging."""
    height = max(1, round(pixels.shape[0] * width / pixels.shape[1]))
    return pixels if pixels.shape[1] <= width else cv2.resize(pixels, (width, height), interpolation=cv2.INTER_AREA)  # type: ignore[return-value]
