"""Plates with known motion, for what follows pictures and for its tests: drawn by supersampling, with grain."""

from collections.abc import Callable

import cv2
import numpy as np

FINE = 3


def texture(size: tuple[int, int], seed: int, finest: float = 2.0) -> np.ndarray:
    """(h, w) 0.1..0.9, blotches of several sizes down to `finest` px."""
    rng = np.random.default_rng(seed)
    out = np.zeros(size[::-1], np.float32)
    for sigma in (finest, 2 * finest, 5 * finest, 12 * finest):
        part = cv2.GaussianBlur(rng.standard_normal(size[::-1]).astype(np.float32), (0, 0), sigma)
        out += (part - part.mean()) / part.std()
    return np.clip(0.5 + 0.13 * out, 0.05, 0.95)


class Clip:
    """A textured card that `way` (frame -> (3, 3), card px to plate px) takes over a textured ground.

    light: frame -> gain. cover: frame -> (x0, y0, x1, y1) of a bar that passes in front, or None. grain: of the range.
    """

    def __init__(
        self,
        way: Callable[[int], np.ndarray],
        size: tuple[int, int] = (320, 240),
        card: tuple[int, int] = (90, 70),
        grain: float = 0.01,
        light: Callable[[int], float] = lambda f: 1.0,
        cover: Callable[[int], tuple[float, float, float, float] | None] = lambda f: None,
        seed: int = 3,
        finest: float = 2.0,
    ) -> None:
        self.way, self.size, self.card, self.grain, self.light, self.cover = way, size, card, grain, light, cover
        self.front = texture((card[0] * FINE, card[1] * FINE), seed, finest * FINE)
        self.ground = texture(size, seed + 1)
        self.bar = texture(size, seed + 2)

    def grey(self, frame: int) -> np.ndarray:
        big = (self.size[0] * FINE, self.size[1] * FINE)
        # pixel middles are whole numbers to OpenCV: half a pixel off in both pictures
        into = (
            np.array([[FINE, 0, -0.5], [0, FINE, -0.5], [0, 0, 1]])
            @ self.way(frame)
            @ np.linalg.inv([[FINE, 0, -0.5], [0, FINE, -0.5], [0, 0, 1]])
        )
        card = cv2.warpPerspective(self.front, into, big, flags=cv2.INTER_CUBIC)
        there = cv2.warpPerspective(np.ones_like(self.front), into, big, flags=cv2.INTER_LINEAR)
        card, there = (cv2.resize(v, self.size, interpolation=cv2.INTER_AREA) for v in (card, there))
        out = card * there + self.ground * (1 - there)
        bar = self.cover(frame)
        if bar is not None:
            x0, y0, x1, y1 = (round(v) for v in bar)
            out[max(0, y0) : max(0, y1), max(0, x0) : max(0, x1)] = self.bar[max(0, y0) : max(0, y1), max(0, x0) : max(0, x1)]
        out = out * self.light(frame) + np.random.default_rng(1000 + frame).normal(0, self.grain, out.shape)
        return out.astype(np.float32)

    def at(self, frame: int, points: object) -> np.ndarray:
        """Where points (N, 2) of the card are in the picture."""
        p = np.asarray(points, float)
        q = np.concatenate([p, np.ones((len(p), 1))], axis=1) @ self.way(frame).T
        return q[:, :2] / q[:, 2:]


def turning(
    move: tuple[float, float] = (60.0, 50.0), speed: tuple[float, float] = (0.8, 0.35), turn: float = 0.3, grow: float = 0.003
) -> Callable[[int], np.ndarray]:
    """A card that turns by degrees a frame and grows, about its middle, from frame 0."""

    def way(frame: int) -> np.ndarray:
        a, s = np.radians(turn * frame), np.exp(grow * frame)
        c, d = s * np.cos(a), s * np.sin(a)
        middle = np.array([45.0, 35.0])
        x, y = np.array(move) + np.array(speed) * frame + middle - np.array([[c, -d], [d, c]]) @ middle
        return np.array([[c, -d, x], [d, c, y], [0, 0, 1.0]])

    return way
