"""Things in motion, drawn by their seed, with true mattes; and faults that are planted into these.

Every thing has an outline, skin, ground, motion, softness and place of its own; none of them is of the demo.
"""

from dataclasses import dataclass

import cv2
import numpy as np

from benchmarks.clips import texture

SIZE = (960, 540)
FRAMES = 18
FINE = 2
MOMENTS = 9


@dataclass(frozen=True, kw_only=True)
class Take:
    """A thing in motion. speed: px a frame. soft: px, the sigma of its edge. shutter: share of a frame. leaves: goes out at the right."""

    seed: int
    speed: float = 5.0
    soft: float = 0.6
    shutter: float = 0.5
    leaves: bool = False

    def drawn(self) -> tuple[list[np.ndarray], list[np.ndarray]]:
        """Plates, uint8 (h, w, 3), and true mattes, uint8 (h, w), of all frames."""
        rng = np.random.default_rng(self.seed)
        angle = 2 * np.pi * np.arange(720) / 720
        r = rng.uniform(80, 130) * (1 + 0.18 * np.sin(3 * angle + rng.uniform(0, 6)) + 0.07 * np.sin(5 * angle + rng.uniform(0, 6)))
        outline = np.stack([r * np.cos(angle), rng.uniform(0.7, 1.2) * r * np.sin(angle)], axis=1)
        wide = 360
        solid = np.zeros((2 * wide, 2 * wide), np.uint8)
        cv2.fillPoly(solid, [np.rint((outline * FINE + wide) * 16 - 8).astype(np.int32)], (255,), cv2.LINE_8, 4)
        skin = np.dstack([texture((wide, wide), 7 * self.seed + k, 2.5) for k in range(3)])
        skin = cv2.resize(rng.uniform(0.3, 0.8, 3) + 0.5 * (skin - 0.5), (2 * wide, 2 * wide), interpolation=cv2.INTER_CUBIC).astype(
            np.float32
        )
        ground = np.dstack([texture((SIZE[0] + 60, SIZE[1] + 60), 7 * self.seed + 3 + k, 3.0) for k in range(3)])
        ground = (rng.uniform(0.2, 0.6, 3) + 0.5 * (ground - 0.5)).astype(np.float32)
        way, turn, grow = rng.uniform(0, 2 * np.pi), rng.uniform(-1.5, 1.5), rng.uniform(-0.004, 0.006)
        if self.leaves:
            way = rng.uniform(-0.3, 0.3)
        start = np.array([SIZE[0] / 2, SIZE[1] / 2]) - self.speed * FRAMES / 2 * np.array([np.cos(way), np.sin(way)])
        if self.leaves:
            start = np.array([SIZE[0] - 60.0, SIZE[1] / 2])
        bend, sway = rng.uniform(-0.02, 0.02), rng.uniform(-1, 1, 2)

        def pose(t: float) -> np.ndarray:
            a, s = np.radians(turn * t), (1 + grow * t) / FINE
            heading = way + bend * t
            at = start + self.speed * t * np.array([np.cos(heading), np.sin(heading)]) + 2 * np.sin(t / 5 + sway)
            c, d = s * np.cos(a), s * np.sin(a)
            return np.array([[c, -d, at[0] - (c - d) * wide], [d, c, at[1] - (c + d) * wide]])

        plates, mattes = [], []
        for frame in range(FRAMES):
            moments = frame + self.shutter * ((np.arange(MOMENTS) + 0.5) / MOMENTS - 0.5) if self.shutter else [float(frame)]
            colour, cover = np.zeros((*SIZE[::-1], 3), np.float32), np.zeros(SIZE[::-1], np.float32)
            x0, y0, x1, y1 = _box(pose(float(frame)), wide)
            for t in moments:
                here = pose(float(t)) - [[0, 0, x0], [0, 0, y0]]
                one = cv2.warpAffine(solid, here, (x1 - x0, y1 - y0), flags=cv2.INTER_LINEAR).astype(np.float32) / 255
                cover[y0:y1, x0:x1] += one / len(moments)
                worn = cv2.warpAffine(skin, here, (x1 - x0, y1 - y0), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
                colour[y0:y1, x0:x1] += worn * one[..., None] / len(moments)
            cover, colour = (cv2.GaussianBlur(v, (0, 0), self.soft, borderType=cv2.BORDER_REPLICATE) for v in (cover, colour))
            x, y = 30 + 20 * np.sin(frame / 9 + sway[0]), 30 + 15 * np.cos(frame / 11 + sway[1])
            behind = cv2.warpAffine(ground, np.array([[1, 0, -x], [0, 1, -y]]), SIZE)
            picture = colour + behind * (1 - cover[..., None]) + rng.normal(0, 0.01, colour.shape)
            plates.append(np.rint(np.clip(picture, 0, 1) * 255).astype(np.uint8))
            mattes.append(np.rint(cover * 255).astype(np.uint8))
        return plates, mattes


def _box(pose: np.ndarray, wide: int) -> tuple[int, int, int, int]:
    """What of the picture the thing may cover within an exposure."""
    x, y = pose @ [wide, wide, 1]
    return max(0, int(x) - 220), max(0, int(y) - 220), min(SIZE[0], int(x) + 220), min(SIZE[1], int(y) + 220)


Mattes = list[np.ndarray]
Planted = tuple[Mattes, range]


def _shifted(matte: np.ndarray, x: float, y: float) -> np.ndarray:
    return cv2.warpAffine(matte, np.array([[1, 0, x], [0, 1, y]]), SIZE, flags=cv2.INTER_LINEAR)


def _with(mattes: Mattes, changed: dict[int, np.ndarray]) -> Mattes:
    return [changed.get(k, matte) for k, matte in enumerate(mattes)]


def _edge_place(matte: np.ndarray, rng: np.random.Generator) -> tuple[int, int]:
    edge = np.argwhere(cv2.morphologyEx((matte > 127).astype(np.uint8), cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)))
    y, x = edge[rng.integers(len(edge))]
    return int(x), int(y)


def gone(m: Mattes, rng: np.random.Generator, plain: bool) -> Planted:
    k, n = int(rng.integers(3, 12)), 3 if plain else 1
    return _with(m, {j: np.zeros_like(m[j]) for j in range(k, k + n)}), range(k, k + n)


def late(m: Mattes, rng: np.random.Generator, plain: bool) -> Planted:
    n = 4 if plain else 1
    return _with(m, {j: np.zeros_like(m[j]) for j in range(n)}), range(n)


def early(m: Mattes, rng: np.random.Generator, plain: bool) -> Planted:
    n = 4 if plain else 1
    return _with(m, {j: np.zeros_like(m[j]) for j in range(FRAMES - n, FRAMES)}), range(FRAMES - n, FRAMES)


def jump(m: Mattes, rng: np.random.Generator, plain: bool) -> Planted:
    k, a, d = int(rng.integers(4, 14)), rng.uniform(0, 6.28), 8.0 if plain else 3.0
    return _with(m, {j: _shifted(m[j], d * np.cos(a), d * np.sin(a)) for j in range(k, FRAMES)}), range(k, k + 1)


def stray(m: Mattes, rng: np.random.Generator, plain: bool) -> Planted:
    """One frame's outline is off: all of it, or bulges at a place."""
    k = int(rng.integers(2, 16))
    if rng.random() < 0.5:
        a, d = rng.uniform(0, 6.28), 6.0 if plain else 1.5
        return _with(m, {k: _shifted(m[k], d * np.cos(a), d * np.sin(a))}), range(k, k + 1)
    at, high = _edge_place(m[k], rng), 12.0 if plain else 4.0
    return _with(m, {k: _bulged(m[k], at, high, 30.0)}), range(k, k + 1)


def _bulged(matte: np.ndarray, at: tuple[int, int], high: float, wide: float) -> np.ndarray:
    """The outline goes out by so many px at a place, less beside it."""
    x, y = np.meshgrid(np.arange(SIZE[0], dtype=np.float32), np.arange(SIZE[1], dtype=np.float32))
    middle = np.argwhere(matte > 127).mean(axis=0)[::-1]
    away = np.array(at) - middle
    away = away / np.hypot(*away)
    bell = high * np.exp(-((x - at[0]) ** 2 + (y - at[1]) ** 2) / (2 * wide**2))
    return cv2.remap(matte, (x - bell * away[0]).astype(np.float32), (y - bell * away[1]).astype(np.float32), cv2.INTER_LINEAR)


def boil(m: Mattes, rng: np.random.Generator, plain: bool) -> Planted:
    k, n, high = int(rng.integers(2, 10)), 7, 4.0 if plain else 1.4
    x, y = np.meshgrid(np.arange(SIZE[0], dtype=np.float32), np.arange(SIZE[1], dtype=np.float32))
    changed = {}
    for j in range(k, k + n):
        ways = [cv2.resize(rng.standard_normal((9, 16)).astype(np.float32), SIZE, interpolation=cv2.INTER_CUBIC) * high for _ in range(2)]
        changed[j] = cv2.remap(m[j], x + ways[0], y + ways[1], cv2.INTER_LINEAR)
    return _with(m, changed), range(k, k + n)


def _dotted(matte: np.ndarray, at: tuple[float, float], radius: float, value: int) -> np.ndarray:
    big = np.full((8 * 40, 8 * 40), 0, np.uint8)
    cv2.circle(big, (160, 160), round(8 * radius), (255,), -1)
    dot = cv2.resize(big, (40, 40), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    out = matte.astype(np.float32)
    x, y = int(np.clip(at[0] - 20, 0, SIZE[0] - 40)), int(np.clip(at[1] - 20, 0, SIZE[1] - 40))
    out[y : y + 40, x : x + 40] += dot * (value - out[y : y + 40, x : x + 40])
    return np.rint(out).astype(np.uint8)


def _place_in(where: np.ndarray, rng: np.random.Generator) -> tuple[float, float]:
    found = np.argwhere(where[21:-21, 21:-21])
    y, x = found[rng.integers(len(found))] + 21
    return float(x), float(y)


def off(m: Mattes, rng: np.random.Generator, plain: bool) -> Planted:
    """For a while the outline goes along beside the thing."""
    k, n, a, d = int(rng.integers(3, 8)), 6, rng.uniform(0, 6.28), 9.0 if plain else 5.0
    return _with(m, {j: _shifted(m[j], d * np.cos(a), d * np.sin(a)) for j in range(k, k + n)}), range(k, k + n)


def hole(m: Mattes, rng: np.random.Generator, plain: bool) -> Planted:
    k, n, radius = int(rng.integers(2, 12)), int(rng.integers(1, 5)), 4.0 if plain else 1.3
    at = _place_in(cv2.erode(m[k], np.ones((35, 35), np.uint8)) > 200, rng)
    return _with(m, {j: _dotted(m[j], at, radius, 0) for j in range(k, k + n)}), range(k, k + n)


def piece(m: Mattes, rng: np.random.Generator, plain: bool) -> Planted:
    k, n, radius = int(rng.integers(2, 12)), int(rng.integers(1, 5)), 4.0 if plain else 1.3
    at = _place_in(cv2.dilate(m[k], np.ones((15, 15), np.uint8)) == 0, rng)
    return _with(m, {j: _dotted(m[j], at, radius, 255) for j in range(k, k + n)}), range(k, k + n)


def gap(m: Mattes, rng: np.random.Generator, plain: bool) -> Planted:
    deep, k = 5 if plain else 1, int(rng.integers(2, 10))
    changed = {}
    for j in range(k, k + 6):
        changed[j] = m[j].copy()
        changed[j][:, -deep:] = 0
    return _with(m, changed), range(k, k + 6)


def harder(m: Mattes, rng: np.random.Generator, plain: bool) -> Planted:
    made = [np.rint(np.clip((v.astype(np.float32) - 127.5) * (6.0 if plain else 3.0) + 127.5, 0, 255)).astype(np.uint8) for v in m]
    return made, range(FRAMES)


def softer(m: Mattes, rng: np.random.Generator, plain: bool) -> Planted:
    return [cv2.GaussianBlur(v, (0, 0), 4.0 if plain else 1.5) for v in m], range(FRAMES)


def frozen(m: Mattes, rng: np.random.Generator, plain: bool) -> Planted:
    k = int(rng.integers(3, 14))
    return _with(m, {j: m[k - 1].copy() for j in range(k, k + (2 if plain else 1))}), range(k, k + (2 if plain else 1))


def dirt(m: Mattes, rng: np.random.Generator, plain: bool) -> Planted:
    k, wide, by = int(rng.integers(2, 12)), 60 if plain else 26, 12 if plain else 3
    dark = bool(rng.random() < 0.5)
    where = cv2.dilate(m[k], np.ones((41, 41), np.uint8)) == 0 if dark else cv2.erode(m[k], np.ones((31, 31), np.uint8)) == 255
    x, y = (int(v) for v in _place_in(where, rng))
    changed = {}
    for j in range(k, k + 4):
        out = m[j].copy()
        part = out[y - wide // 2 : y + wide // 2, x - wide // 2 : x + wide // 2]
        part[part == (0 if dark else 255)] = by if dark else 255 - by
        changed[j] = out
    return _with(m, changed), range(k, k + 4)
