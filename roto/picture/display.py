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


def _from_log(unit: NDArray[np.floating]) -> NDArray[np.floating]:
    black = 10 ** ((95 - 685) * 0.002 / 0.6)
    return (10 ** ((unit * 1023 - 685) * 0.002 / 0.6) - black) / (1 - black)


def _curve(unit: NDArray[np.floating], space: str) -> NDArray[np.floating]:
    return shown(np.clip(_from_log(unit) if space == "log" else unit, 0.0, 1.0))


def shown(light: NDArray[np.floating]) -> NDArray[np.floating]:
    """Linear light as it is displayed: the sRGB transfer curve (IEC 61966-2-1). Values at or below 0 run on straight."""
    return np.where(light <= 0.0031308, light * 12.92, 1.055 * np.maximum(light, 0.0031308) ** (1 / 2.4) - 0.055)


def light(value: NDArray[np.floating]) -> NDArray[np.floating]:
    """What is displayed as linear light: the inverse of `shown`."""
    return np.where(value <= 0.04045, value / 12.92, ((np.maximum(value, 0.04045) + 0.055) / 1.055) ** 2.4)


def unit(pixels: NDArray[Any]) -> NDArray[np.float32]:
    """Pixels of uint8 or uint16 as float32 0..1; float passes, what is not a number becoming 0."""
    if pixels.dtype.kind == "u":
        return pixels.astype(np.float32) / np.float32(np.iinfo(pixels.dtype).max)
    return np.nan_to_num(pixels.astype(np.float32, copy=False), nan=0.0, posinf=65504.0, neginf=0.0)


_LIGHT = light(np.arange(256) / 255.0).astype(np.float32)


def light_of_codes(codes: NDArray[np.uint8]) -> NDArray[np.float32]:
    """Colours of 8 bits, as they are displayed, in linear light."""
    return np.asarray(cv2.LUT(np.ascontiguousarray(codes), _LIGHT), np.float32)


def to_light(pixels: NDArray[Any], space: str) -> NDArray[np.float32]:
    """Pixels (h, w, 3) of uint8, uint16 or float32 as linear light, float32; what is above 1 stays there."""
    value = unit(pixels)
    if space == "linear":
        return value
    return (_from_log(value) if space == "log" else light(value)).astype(np.float32)


def to_shown(pixels: NDArray[Any], space: str) -> NDArray[np.float32]:
    """Pixels (h, w, 3) of uint8, uint16 or float32 as they are displayed, float32 0..1, without rounding to bytes."""
    value = unit(pixels)
    return np.clip(value if space == "display" else _curve(value, space), 0.0, 1.0).astype(np.float32)


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
