"""Sprites: pieces of picture with alpha, drawn once at several times their size, then placed by affine poses."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

OVER = 4
"""times: sprites are drawn this much larger and averaged down, so that their edges are finely graded"""
GRAIN_TILE = 512

Picture = NDArray[Any]
"""float32 throughout"""


@dataclass(frozen=True, slots=True)
class Sprite:
    """rgba: float32 (h, w, 4), premultiplied, 0..1. anchor: the pixel that a pose puts in place."""

    rgba: Picture
    anchor: tuple[float, float]


@dataclass(frozen=True, slots=True)
class Pose:
    """Where a sprite's anchor is (px), how it is turned (degrees) and sized."""

    x: float
    y: float
    turn: float = 0.0
    size: float = 1.0

    def matrix(self, anchor: tuple[float, float]) -> NDArray[Any]:
        c, s = np.cos(np.radians(self.turn)) * self.size, np.sin(np.radians(self.turn)) * self.size
        return np.array([[c, -s, self.x - c * anchor[0] + s * anchor[1]], [s, c, self.y - s * anchor[0] - c * anchor[1]]])


def noise(rng: np.random.Generator, height: int, width: int, scales: tuple[int, ...] = (2, 5, 13, 40)) -> Picture:
    """Cloudy noise around 0, about -1..1, several sizes of clouds added."""
    out = np.zeros((height, width), np.float32)
    for scale in scales:
        small = rng.standard_normal((height // scale + 2, width // scale + 2)).astype(np.float32)
        out += cv2.resize(small, (width, height), interpolation=cv2.INTER_CUBIC) * (scale / max(scales)) ** 0.5
    return out / len(scales)


def draw(
    width: int,
    height: int,
    anchor: tuple[float, float],
    paint: Callable[[Picture, float], None],
    seed: int,
    rough: float = 0.05,
    soft: float = 0.0,
) -> Sprite:
    """A sprite from a painter that fills a large RGBA canvas (told how much larger); texture is laid over, `soft` px of focus blur."""
    canvas = np.zeros((height * OVER, width * OVER, 4), np.float32)
    paint(canvas, float(OVER))
    small = cv2.resize(canvas, (width, height), interpolation=cv2.INTER_AREA)
    grain = 1 + rough * noise(np.random.default_rng(seed), height, width)
    small[:, :, :3] = small[:, :, :3] * grain[:, :, None]
    if soft:
        small = cv2.GaussianBlur(small, (0, 0), soft)
    return Sprite(np.clip(small, 0, 1), anchor)


def curve(points: object, per: int = 24) -> NDArray[np.float64]:
    """A smooth closed line through points (Catmull-Rom), for painters only."""
    p = np.asarray(points, float)
    u = np.linspace(0, 1, per, endpoint=False)[:, None]
    out = []
    for a, b, c, d in zip(np.roll(p, 1, 0), p, np.roll(p, -1, 0), np.roll(p, -2, 0), strict=True):
        out.append(b + 0.5 * u * (c - a + u * (2 * a - 5 * b + 4 * c - d + u * (3 * (b - c) + d - a))))
    return np.concatenate(out)


def fill(canvas: Picture, points: object, colour: tuple[float, float, float], scale: float) -> None:
    """A filled polygon on a large canvas, points in small pixels."""
    sixteenths = np.rint(np.asarray(points, np.float64) * scale * 16).astype(np.int32)
    cv2.fillPoly(canvas, [sixteenths], (*colour, 1.0), lineType=cv2.LINE_8, shift=4)


def stroke(canvas: Picture, points: object, colour: tuple[float, float, float], width: float, scale: float) -> None:
    """A line of a width in small pixels."""
    sixteenths = np.rint(np.asarray(points, np.float64) * scale * 16).astype(np.int32)
    cv2.polylines(canvas, [sixteenths], False, (*colour, 1.0), max(1, round(width * scale)), cv2.LINE_8, 4)


def exposed(
    sprite: Sprite, pose: Callable[[float], Pose], moments: NDArray[Any], width: int, height: int
) -> tuple[Picture, tuple[int, int, int, int]]:
    """The sprite averaged over the moments of an exposure: premultiplied RGBA of the box it covers, and the box."""
    matrices = [pose(t).matrix(sprite.anchor) for t in moments]
    h, w = sprite.rgba.shape[:2]
    corners = np.array([[0, 0, 1], [w, 0, 1], [0, h, 1], [w, h, 1]], float).T
    places = np.concatenate([m @ corners for m in matrices], axis=1)
    x0, y0 = np.floor(places.min(axis=1)).astype(int) - 1
    x1, y1 = np.ceil(places.max(axis=1)).astype(int) + 2
    box = (max(0, int(x0)), max(0, int(y0)), min(width, int(x1)), min(height, int(y1)))
    if box[2] <= box[0] or box[3] <= box[1]:
        return np.zeros((0, 0, 4), np.float32), (0, 0, 0, 0)
    total = np.zeros((box[3] - box[1], box[2] - box[0], 4), np.float32)
    for m in matrices:
        # pixel centres stand at half pixels: shift before and after
        centred = m.copy()
        centred[:, 2] += m[:, :2] @ (0.5, 0.5) - 0.5 - np.array(box[:2])
        total += cv2.warpAffine(sprite.rgba, centred, (total.shape[1], total.shape[0]), flags=cv2.INTER_LINEAR)
    return total / len(matrices), box
