"""Things that turn, swing and bulge, with grain, blur and light that changes, their outlines known: for what the picture draws.

None of them is of the demo. A body is given in its own px about (0, 0); `way` says where it is at a moment, and may bend it.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from scipy.spatial import cKDTree

from benchmarks.clips import texture
from roto.arrays import Floats

FINE = 2
"""places each way of a pixel that are drawn"""
MOMENTS = 5, 24
"""of an exposure, at the least and the most"""
STRIDE = 1.0
"""px that the outline goes between two of them, about"""
EVERY = 4
"""px of the picture: how far apart the way back into the body is worked out"""
Way = Callable[[float, Floats], Floats]


@dataclass(frozen=True, kw_only=True, eq=False)
class Body:
    """name. way: (moment, places (N, 2) of the body) -> plate px. outline: (n, 2) of the body, closed, smooth or cornered. half: of its own
    extent. light: gain by frame. pillar: x0, x1 of what stands in front. shutter: share of a frame that is exposed.
    finest: px, its smallest blotches. contrast: of its skin to that of the ground."""

    name: str
    way: Way
    outline: Floats
    half: tuple[int, int]
    frames: int
    size: tuple[int, int] = (960, 540)
    grain: float = 0.012
    light: Callable[[int], float] = lambda f: 1.0
    pillar: tuple[int, int] | None = None
    shutter: float = 0.5
    finest: float = 2.5
    contrast: float = 0.55
    seed: int = 5

    def truth(self, frame: float) -> Floats:
        """The outline (n, 2) in the middle of a frame's exposure."""
        return self.way(frame, self.outline)

    @lru_cache(4)  # noqa: B019 - a few, for as long as the program runs
    def _skins(self) -> tuple[np.ndarray, np.ndarray]:
        wide = (2 * self.half[0] + 40, 2 * self.half[1] + 40)
        skin = np.dstack([texture(wide, self.seed + k, self.finest) for k in range(3)])
        grey = skin.mean(axis=2, keepdims=True)
        ground = np.dstack([texture((self.size[0] + 200, self.size[1] + 200), self.seed + 10 + k, 3.0) for k in range(3)])
        worn = 0.5 + self.contrast * (0.6 * grey + 0.4 * skin - 0.5)
        return worn.astype(np.float32), (0.5 * ground.mean(axis=2, keepdims=True) + 0.5 * ground).astype(np.float32)

    def picture(self, frame: int) -> np.ndarray:
        """uint8 (h, w, 3), linear: what is mixed is light."""
        sway = 30 * np.sin(frame / 23.0), 12 * np.cos(frame / 31.0)
        skin, ground = self._skins()
        out = cv2.warpAffine(ground, np.array([[1, 0, -100 + sway[0]], [0, 1, -100 + sway[1]]]), self.size, flags=cv2.INTER_CUBIC)
        moments = self._moments(frame)
        total, cover = np.zeros_like(out), np.zeros(out.shape[:2], np.float32)
        for moment in moments:
            colours, alpha, (x0, y0, x1, y1) = self._drawn(float(moment), skin)
            total[y0:y1, x0:x1] += colours * alpha[:, :, None] / len(moments)
            cover[y0:y1, x0:x1] += alpha / len(moments)
        out = total + out * (1 - cover[:, :, None])
        if self.pillar is not None:
            out[:, self.pillar[0] : self.pillar[1]] = ground[: self.size[1], self.pillar[0] : self.pillar[1]][::-1] * 0.6
        out = out * self.light(frame) + np.random.default_rng(frame + 99).normal(0, self.grain, out.shape)
        return np.asarray(np.rint(np.clip(out, 0, 1) * 255), np.uint8)

    def _moments(self, frame: int) -> Floats:
        if not self.shutter:
            return np.array([float(frame)])
        gone = float(np.hypot(*(self.truth(frame + self.shutter / 2) - self.truth(frame - self.shutter / 2)).T).max())
        count = int(np.clip(np.ceil(gone / STRIDE), *MOMENTS))
        return frame + self.shutter * ((np.arange(count) + 0.5) / count - 0.5)

    def _drawn(self, moment: float, skin: np.ndarray) -> tuple[np.ndarray, np.ndarray, tuple[int, int, int, int]]:
        edge = self.way(moment, self.outline)
        low, high = np.floor(edge.min(axis=0)).astype(int) - 2, np.ceil(edge.max(axis=0)).astype(int) + 3
        x0, y0 = np.maximum(low, 0)
        x1, y1 = np.minimum(high, self.size)
        across, down = np.arange(x0, x1 + EVERY, EVERY) + 0.0, np.arange(y0, y1 + EVERY, EVERY) + 0.0
        spots = np.stack(np.meshgrid(across, down), axis=2)
        back = self._back(moment, spots.reshape(-1, 2)).reshape(*spots.shape).astype(np.float32)
        step = (np.arange(FINE) + 0.5) / FINE
        fx = ((np.arange(x1 - x0)[:, None] + step).ravel() / EVERY).astype(np.float32)
        fy = ((np.arange(y1 - y0)[:, None] + step).ravel() / EVERY).astype(np.float32)
        mx, my = np.meshgrid(fx, fy)
        places = cv2.remap(back, mx, my, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE) + np.float32(
            [self.half[0] + 20, self.half[1] + 20]
        )
        colours = cv2.remap(skin, places[:, :, 0] - 0.5, places[:, :, 1] - 0.5, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
        alpha = np.zeros(places.shape[:2], np.uint8)
        pen = np.rint((edge - [x0, y0]) * FINE * 16 - 8).astype(np.int32)
        cv2.fillPoly(alpha, [pen], (255,), cv2.LINE_AA, 4)
        size = (int(x1 - x0), int(y1 - y0))
        small = cv2.resize(alpha, size, interpolation=cv2.INTER_AREA).astype(np.float32) / 255
        return cv2.resize(colours, size, interpolation=cv2.INTER_AREA), small, (int(x0), int(y0), int(x1), int(y1))

    def _back(self, moment: float, spots: Floats) -> Floats:
        """Which place of the body comes to lie at places of the picture."""
        grid = np.stack(np.meshgrid(*(np.arange(-h - 10, h + 11, 6.0) for h in self.half)), axis=2).reshape(-1, 2)
        at = grid[cKDTree(self.way(moment, grid)).query(spots)[1]]
        for _ in range(6):
            here = self.way(moment, at)
            jx, jy = (self.way(moment, at + d) - here for d in (np.array([0.01, 0]), np.array([0, 0.01])))
            det = (jx[:, 0] * jy[:, 1] - jx[:, 1] * jy[:, 0]) / 1e-4
            off = spots - here
            way = np.stack([jy[:, 1] * off[:, 0] - jy[:, 0] * off[:, 1], jx[:, 0] * off[:, 1] - jx[:, 1] * off[:, 0]], axis=1) / 0.01
            at = at + np.clip(way / np.where(np.abs(det) > 1e-3, det, 1e-3)[:, None], -6, 6)
        return at


def _rounded(half: tuple[float, float], power: float = 2.6, count: int = 240) -> Floats:
    a = 2 * np.pi * np.arange(count) / count
    c, s = np.cos(a), np.sin(a)
    return np.stack([half[0] * np.sign(c) * np.abs(c) ** (2 / power), half[1] * np.sign(s) * np.abs(s) ** (2 / power)], axis=1)


def _turned(places: Floats, degrees: float, size: float = 1.0) -> Floats:
    a = np.radians(degrees)
    return np.asarray(size * places @ np.array([[np.cos(a), np.sin(a)], [-np.sin(a), np.cos(a)]]))


def _hand(moment: float) -> Floats:
    return np.array([5 * np.sin(moment / 9.0) + 1.5 * np.sin(moment / 3.7), 4 * np.cos(moment / 11.0) + 1.2 * np.sin(moment / 4.1)])


def turning() -> Body:
    """Turns by 150 degrees in 48 frames, grows 1.4 times, goes in an arc."""

    def way(moment: float, places: Floats) -> Floats:
        t = moment / 47
        return _turned(places, 150 * t * t * (3 - 2 * t), 1 + 0.4 * t) + np.array([330 + 260 * t, 330 - 110 * np.sin(np.pi * t)])

    return Body(name="turning", way=way, outline=_rounded((90, 60)), half=(90, 60), frames=48, light=lambda f: 1 - 0.1 * np.sin(f / 20))


def _limb(moment: float, places: Floats, a: float, b: float, root: Floats) -> Floats:
    """A part hanging from `root`, 300 px long, its lower half bent from angle a to b (radians from straight down)."""
    s = np.linspace(0, 1, 301)
    t = np.clip((s - 0.38) / 0.24, 0, 1)
    angle = a + (b - a) * t * t * (3 - 2 * t)
    steps = np.stack([np.sin(angle), np.cos(angle)], axis=1)
    bone = np.concatenate([np.zeros((1, 2)), np.cumsum((steps[1:] + steps[:-1]) / 2, axis=0)])
    along = places[:, 1] + 150
    inside = np.clip(along, 0, 300)
    own = np.interp(inside, np.arange(301), angle)
    at = np.stack([np.interp(inside, np.arange(301), bone[:, k]) for k in (0, 1)], axis=1)
    down, side = np.stack([np.sin(own), np.cos(own)], axis=1), np.stack([np.cos(own), -np.sin(own)], axis=1)
    return root + at + (along - inside)[:, None] * down + places[:, :1] * side


def limb() -> Body:
    """Two parts that swing against each other over 72 frames, filmed by hand."""

    def way(moment: float, places: Floats) -> Floats:
        a = np.radians(28 * np.sin(moment / 11))
        return _limb(moment, places, a, a + np.radians(32 * np.sin(moment / 8 + 1)), np.array([470.0, 110]) + _hand(moment))

    return Body(name="limb", way=way, outline=_rounded((42, 150), 3.2), half=(42, 150), frames=72)


def walking() -> Body:
    """A leg of somebody who walks by before a camera in the hand; half a frame of exposure."""

    def way(moment: float, places: Floats) -> Floats:
        step = moment / 4.6
        a = np.radians(26 * np.sin(step))
        root = np.array([230 + 6.5 * moment, 130 + 5 * np.abs(np.sin(step))]) + _hand(moment)
        return _limb(moment, places, a, a - np.radians(22 + 20 * np.sin(step + 0.9)), root)

    return Body(name="walking", way=way, outline=_rounded((38, 140), 3.0), half=(38, 140), frames=72)


def cloth() -> Body:
    """Hangs, and bulges in waves."""

    def way(moment: float, places: Floats) -> Floats:
        x, y = places[:, 0], places[:, 1]
        hang = (y + 120) / 240
        dx = 9 * hang * np.sin(x / 45 + moment / 6) + 14 * hang * np.sin(moment / 13)
        dy = 6 * hang * np.cos(x / 60 - moment / 7)
        return places + np.stack([dx, dy], axis=1) + [480, 270] + 0.5 * _hand(moment)

    return Body(name="cloth", way=way, outline=_rounded((130, 115), 5.0), half=(135, 120), frames=72)


def face() -> Body:
    """A head that nods and tilts, its jaw going up and down; smooth skin."""

    def way(moment: float, places: Floats) -> Floats:
        jaw = 7 * (1 + np.sin(moment / 2.3)) / 2 * (1 + np.sin(moment / 17))
        low = np.clip((places[:, 1] - 15) / 70, 0, 1)
        moved = places + np.stack([0.04 * places[:, 0] * low * jaw / 7, jaw * low * low * (3 - 2 * low)], axis=1)
        return (
            _turned(moved, 11 * np.sin(moment / 14), 1 + 0.06 * np.sin(moment / 21))
            + np.array([500 + 60 * np.sin(moment / 25), 280.0])
            + _hand(moment)
        )

    return Body(
        name="face",
        way=way,
        outline=_rounded((80, 105), 2.1),
        half=(85, 115),
        frames=72,
        finest=4.0,
        light=lambda f: 1 + 0.12 * np.sin(f / 9),
    )


def plane() -> Body:
    """A card in perspective that drifts behind a pillar."""

    def way(moment: float, places: Floats) -> Floats:
        t = moment / 71
        low = 1 + places @ np.array([0.0004 + 0.0008 * t, -0.0006 * t])
        return _turned(places, 8 * t, 1 + 0.15 * t) / low[:, None] + [250 + 430 * t, 270 - 30 * t]

    return Body(name="plane", way=way, outline=_rounded((110, 80), 12.0), half=(110, 80), frames=72, pillar=(430, 480))


BODIES = (turning, limb, walking, cloth, face, plane)
