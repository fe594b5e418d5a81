"""Things that no outline follows, with their true alpha: straw in wind, fur that walks, spokes of a wheel. None of them is of the demo.

All is drawn at FINE places each way of a pixel and mixed as light.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np

from benchmarks.clips import texture
from roto.arrays import Floats
from roto.picture import display

FINE = 4
"""places each way of a pixel that are drawn"""
SIZE = (960, 540)
Colour = tuple[float, float, float]
Hairs = list[tuple[Floats, float]]


@dataclass(frozen=True, kw_only=True, eq=False)
class Furry:
    """core: the solid outline (n, 2) in px by frame. hairs: lines (m, 2) in px and their width by frame. holes: outlines that are open.
    lower, upper: colours between which its texture lies. out: px that hair reaches beyond the core at most, deep: inside."""

    name: str
    core: Callable[[int], Floats]
    hairs: Callable[[int], Hairs]
    holes: Callable[[int], list[Floats]] = lambda f: []
    frames: int = 72
    lower: Colour = (0.10, 0.07, 0.04)
    upper: Colour = (0.55, 0.42, 0.22)
    ground: Colour = (0.30, 0.34, 0.36)
    out: float = 26.0
    deep: float = 5.0
    grain: float = 0.012
    seed: int = 3

    @lru_cache(4)  # noqa: B019 - a few, for as long as the program runs
    def _cloths(self) -> tuple[np.ndarray, np.ndarray]:
        wide = (SIZE[0] + 200, SIZE[1] + 200)
        skin = texture(wide, self.seed, 2.0)[:, :, None]
        ground = np.dstack([texture(wide, self.seed + 10 + k, 7.0) for k in range(3)])  # a little out of focus, as grounds are
        ground = 0.7 * ground.mean(axis=2, keepdims=True) + 0.3 * ground
        worn = np.array(self.lower) + skin * (np.array(self.upper) - np.array(self.lower))
        return worn.astype(np.float32), (ground * np.array(self.ground) * 2.0).astype(np.float32)

    @lru_cache(128)  # noqa: B019
    def alpha(self, frame: int) -> np.ndarray:
        """uint8 (h, w): the true alpha."""
        full = np.zeros((SIZE[1] * FINE, SIZE[0] * FINE), np.uint8)
        cv2.fillPoly(full, [self._fine(self.core(frame))], (255,), cv2.LINE_8, 4)
        for hole in self.holes(frame):
            cv2.fillPoly(full, [self._fine(hole)], (0,), cv2.LINE_8, 4)
        for line, width in self.hairs(frame):
            cv2.polylines(full, [self._fine(line)], False, (255,), max(1, round(width * FINE)), cv2.LINE_8, 4)
        return cv2.resize(full, SIZE, interpolation=cv2.INTER_AREA)

    @staticmethod
    def _fine(line: Floats) -> np.ndarray:
        return np.rint(line * FINE * 16 - 8).astype(np.int32)

    @lru_cache(128)  # noqa: B019
    def picture(self, frame: int) -> np.ndarray:
        """uint8 (h, w, 3), as it is displayed."""
        skin, ground = self._cloths()
        centre = self.core(frame).mean(axis=0) - self.core(0).mean(axis=0)
        dx, dy = 30 * np.sin(frame / 23.0), 12 * np.cos(frame / 31.0)
        below = cv2.warpAffine(ground, np.array([[1, 0, -100 + dx], [0, 1, -100 + dy]]), SIZE, flags=cv2.INTER_CUBIC)
        over = cv2.warpAffine(skin, np.array([[1, 0, centre[0] - 100], [0, 1, centre[1] - 100]]), SIZE, borderMode=cv2.BORDER_REFLECT)
        cover = (self.alpha(frame) / np.float32(255))[:, :, None]
        light = over * cover + below * (1 - cover)
        shown = display.shown(np.clip(light, 0, 1))
        noise = np.random.default_rng(1000 * self.seed + frame).normal(0, self.grain, shown.shape)
        return np.asarray(np.rint(np.clip(shown + noise, 0, 1) * 255), np.uint8)


def _ring(centre: Floats, half: tuple[float, float], count: int, turn: float = 0.0) -> Floats:
    a = 2 * np.pi * np.arange(count) / count + turn
    return np.stack([half[0] * np.cos(a), half[1] * np.sin(a)], axis=1) + centre


def _stalk(root: Floats, way: float, length: float, bend: float, parts: int = 7) -> Floats:
    s = np.linspace(0, 1, parts)[:, None]
    along = np.array([[np.cos(way), np.sin(way)]])
    aside = np.array([[-np.sin(way), np.cos(way)]])
    return root + length * (s * along + bend * s * s * aside)


def reeds() -> Furry:
    """A bundle of straw, its ends in the wind."""
    rng = np.random.default_rng(71)
    count = 130
    at = rng.uniform(0, 2 * np.pi, count)
    lengths, widths, own = rng.uniform(8, 25, count), rng.uniform(0.7, 2.2, count), rng.uniform(-0.5, 0.5, count)
    phase, quick = rng.uniform(0, 6.3, count), rng.uniform(4, 9, count)

    def centre(f: int) -> Floats:
        return np.array([430 + 70 * np.sin(f / 19), 270 + 25 * np.cos(f / 13)])

    def turn(f: int) -> float:
        return float(0.25 * np.sin(f / 15))

    def core(f: int) -> Floats:
        return _ring(centre(f), (120, 90), 160, 0.0) @ np.eye(2)

    def hairs(f: int) -> Hairs:
        out = []
        for k in range(count):
            a = at[k] + turn(f) * 0.3
            root = centre(f) + np.array([116 * np.cos(a), 86 * np.sin(a)])
            wind = 0.35 * np.sin(f / quick[k] + phase[k]) + 0.15 * np.sin(f / 2.7 + 3 * phase[k])
            out.append((_stalk(root, a + own[k], lengths[k] + 4, wind), widths[k]))
        return out

    return Furry(name="straw in wind", core=core, hairs=hairs)


def fur() -> Furry:
    """A furred animal that walks by: a back that rises and sinks, a head, hair combed backwards."""
    rng = np.random.default_rng(72)
    count = 900
    at = np.sort(rng.uniform(0, 2 * np.pi, count))
    lengths, widths, own = rng.uniform(5, 15, count), rng.uniform(0.5, 1.2, count), rng.normal(0.5, 0.25, count)

    def core(f: int) -> Floats:
        a = 2 * np.pi * np.arange(200) / 200
        r = 1 + 0.10 * np.cos(3 * a + 0.35 * np.sin(f / 5)) + 0.05 * np.cos(5 * a - f / 6)
        x = 250 + 6.2 * f + 150 * r * np.cos(a)
        y = 290 + 6 * np.sin(f / 2.9) + 75 * r * np.sin(a) + 8 * np.cos(a) * np.sin(f / 4.1)
        return np.stack([x, y], axis=1)

    def hairs(f: int) -> Hairs:
        line = core(f)
        place = at / (2 * np.pi) * len(line)
        k = place.astype(int)
        roots = line[k] + (place - k)[:, None] * (line[(k + 1) % len(line)] - line[k])
        along = line[(k + 1) % len(line)] - line[k]
        ways = np.arctan2(-along[:, 0], along[:, 1]) + own + 0.12 * np.sin(f / 3.3 + at * 5)
        inward = np.stack([np.cos(ways), np.sin(ways)], axis=1)
        return [(_stalk(r - 3 * i, w, n + 3, 0.25), t) for r, i, w, n, t in zip(roots, inward, ways, lengths, widths, strict=True)]

    return Furry(name="fur that walks", core=core, hairs=hairs, out=17.0, deep=5.0, lower=(0.28, 0.24, 0.20), upper=(0.72, 0.66, 0.58))


def spokes() -> Furry:
    """A wheel that rolls: a rim and a hub, spokes between of two pixels and less."""
    outer, inner, hub, count = 150.0, 140.0, 16.0, 28

    def centre(f: int) -> Floats:
        return np.array([240 + 6.0 * f, 290 + 3 * np.sin(f / 7)])

    def core(f: int) -> Floats:
        return _ring(centre(f), (outer, outer), 240)

    def holes(f: int) -> list[Floats]:
        return [_ring(centre(f), (inner, inner), 240)]

    def hairs(f: int) -> Hairs:
        turn = 6.0 * f / outer
        out = []
        for k in range(count):
            a = 2 * np.pi * k / count + turn
            lean = a + (0.25 if k % 2 else -0.25)
            root = centre(f) + hub * np.array([np.cos(lean), np.sin(lean)])
            out.append((np.stack([root, centre(f) + (inner + 2) * np.array([np.cos(a), np.sin(a)])]), 1.3 + 0.7 * (k % 3) / 2))
        out.append((_ring(centre(f), (hub / 2, hub / 2), 40), hub))
        return out

    return Furry(
        name="spokes of a wheel",
        core=core,
        hairs=hairs,
        holes=holes,
        out=3.0,
        deep=200.0,
        upper=(0.30, 0.30, 0.32),
        lower=(0.04, 0.04, 0.05),
    )


FURRY = (reeds, fur, spokes)
