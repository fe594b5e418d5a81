"""The five shots. A scene knows its ground, its layers (sprite and pose by time) and which of them make the true matte."""

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import lru_cache, partial

import cv2
import numpy as np
from numpy.typing import NDArray

from demo import pier
from demo.sprites import Picture, Pose, Sprite, curve, draw, exposed, fill, noise, stroke

SHUTTER = 180.0
EXPOSURES = 12
"""moments an exposure for the plate; the subject moves under a pixel between two of them, but on the ferry's shot"""


@dataclass(frozen=True)
class Layer:
    sprite: Sprite
    pose: Callable[[float], Pose]
    subject: bool = True


@dataclass(frozen=True)
class Scene:
    """first: number of the first frame. ground: float32 (h, w, 3). drift: how the ground moves (px) by time."""

    name: str
    matte: str
    width: int
    height: int
    first: int
    frames: int
    rate: int
    ground: Callable[[int], Picture]
    layers: tuple[Layer, ...]
    drift: Callable[[float], tuple[float, float]] = field(default=lambda t: (0.0, 0.0))
    exposures: int = EXPOSURES
    grain: float = 0.012

    def draw(self, frame: int) -> tuple[NDArray[np.uint8], Picture]:
        """The plate (h, w, 3) of uint8 and the true matte (h, w) of a frame."""
        t = float(frame - self.first)
        half = SHUTTER / 720
        moments = t - half + (np.arange(self.exposures) + 0.5) * (2 * half / self.exposures)
        dx, dy = self.drift(t)
        picture = cv2.warpAffine(
            self.ground(frame), np.array([[1, 0, dx], [0, 1, dy]]), (self.width, self.height), borderMode=cv2.BORDER_REFLECT
        )
        alpha = np.zeros((self.height, self.width), np.float32)
        for layer in self.layers:
            piece, (x0, y0, x1, y1) = exposed(layer.sprite, layer.pose, moments, self.width, self.height)
            if piece.size:
                cover = piece[:, :, 3]
                picture[y0:y1, x0:x1] = picture[y0:y1, x0:x1] * (1 - cover[:, :, None]) + piece[:, :, :3]
                under = alpha[y0:y1, x0:x1]
                alpha[y0:y1, x0:x1] = under * (1 - cover) + cover if layer.subject else under * (1 - cover)
        grain = np.random.default_rng(frame).standard_normal((self.height // 2, self.width // 2)).astype(np.float32)
        picture = picture + cv2.resize(grain, (self.width, self.height), interpolation=cv2.INTER_LINEAR)[:, :, None] * self.grain * 1.6
        return (np.clip(picture, 0, 1) * 255 + 0.5).astype(np.uint8), alpha


def _sky_and_dunes(width: int, height: int, seed: int, horizon: float = 0.7) -> Picture:
    rng = np.random.default_rng(seed)
    y = np.linspace(0, 1, height, dtype=np.float32)[:, None]
    sky = np.array([0.62, 0.70, 0.75]) * (1 - y[:, :, None]) + np.array([0.85, 0.82, 0.74]) * y[:, :, None]
    out = np.repeat(sky, width, axis=1).astype(np.float32)
    out += noise(rng, height, width, (30, 80, 200))[:, :, None] * 0.035
    x = np.arange(width)
    for k, (tone, level) in enumerate([((0.71, 0.65, 0.48), horizon), ((0.62, 0.55, 0.38), horizon + 0.13)]):
        top = height * level + 30 * np.sin(x / width * (4 + 3 * k) + seed + k) + 9 * np.sin(x / 71.0 + k)
        mask = (np.arange(height)[:, None] > top[None]).astype(np.float32)
        mask = cv2.GaussianBlur(mask, (0, 0), 2.5)[:, :, None]
        sand = np.array(tone, np.float32) + noise(rng, height, width, (2, 6, 30))[:, :, None] * 0.06
        out = out * (1 - mask) + sand * mask
    for _ in range(width):
        gx, gy = rng.uniform(0, width), rng.uniform(height * (horizon + 0.1), height * 1.04)
        tall, lean = rng.uniform(20, 70) * height / 1080, rng.normal(8, 12)
        u = np.linspace(0, 1, 7)
        blade = np.stack([gx + lean * u**2, gy - tall * u], axis=1)
        shade = np.array([0.45, 0.46, 0.24]) * rng.uniform(0.6, 1.35)
        cv2.polylines(out, [np.rint(blade * 16).astype(np.int32)], False, shade.tolist(), 1 + int(rng.random() < 0.4), cv2.LINE_AA, 4)
    return cv2.GaussianBlur(out, (0, 0), 1.2)


KITE_OUTLINE = ((300, 20), (505, 255), (300, 640), (95, 255))
"""corners of the kite on its sprite; its sides bulge a little (see `kite_sides`)"""


def kite_sides(bulge: float = 14.0) -> NDArray[np.float64]:
    """The kite's outline (V, 2), each side an arc of a parabola."""
    corners = np.array(KITE_OUTLINE, float)
    out = []
    for a, b in zip(corners, np.roll(corners, -1, axis=0), strict=True):
        u = np.linspace(0, 1, 40, endpoint=False)[:, None]
        along = b - a
        outward = np.array([along[1], -along[0]]) / np.linalg.norm(along)
        out.append(a + u * along + outward * 4 * bulge * u * (1 - u))
    return np.concatenate(out)


def kite_pose(t: float) -> Pose:
    """Turning in gusts and coming nearer."""
    return Pose(
        700 + 7.2 * t + 60 * np.sin(t / 17), 440 - 1.6 * t + 45 * np.sin(t / 11 + 1), 16 * np.sin(t / 13) + 0.35 * t, 0.62 + 0.0068 * t
    )


def _kite() -> Sprite:
    def paint(canvas: Picture, k: float) -> None:
        outline = kite_sides()
        fill(canvas, outline, (0.66, 0.26, 0.20), k)
        mask = canvas[:, :, 3].copy()
        fill(canvas, [(300, 0), (540, 255), (300, 255)], (0.80, 0.68, 0.36), k)
        fill(canvas, [(300, 255), (80, 255), (300, 680)], (0.78, 0.66, 0.33), k)
        fill(canvas, [(330, 330), (420, 330), (400, 420), (320, 410)], (0.36, 0.45, 0.50), k)
        stroke(canvas, [(300, 20), (300, 640)], (0.25, 0.18, 0.13), 5, k)
        stroke(canvas, [(95, 255), (505, 255)], (0.25, 0.18, 0.13), 5, k)
        canvas *= (mask > 0)[:, :, None]

    return draw(600, 680, (300, 300), paint, 11, 0.10, 0.7)


def _tail() -> Sprite:
    def paint(canvas: Picture, k: float) -> None:
        u = np.linspace(0, 1, 60)
        line = np.stack([60 + 40 * np.sin(u * 7), 6 + 330 * u], axis=1)
        stroke(canvas, line, (0.42, 0.22, 0.18), 5, k)
        for v in (0.35, 0.6, 0.85):
            x, y = 60 + 40 * np.sin(v * 7), 6 + 330 * v
            fill(canvas, [(x - 26, y - 13), (x, y), (x - 26, y + 13)], (0.80, 0.68, 0.36), k)
            fill(canvas, [(x + 26, y - 13), (x, y), (x + 26, y + 13)], (0.70, 0.32, 0.22), k)

    return draw(130, 350, (60, 6), paint, 12, 0.05, 0.8)


def _tail_pose(t: float) -> Pose:
    body = kite_pose(t)
    m = body.matrix((300, 300))
    x, y = m @ (300, 636, 1)
    return Pose(x, y, 14 * np.sin(t / 6) - 12, body.size)


@lru_cache(maxsize=1)
def _kite_ground() -> Picture:
    return _sky_and_dunes(1920, 1080, 3)


def _mill() -> tuple[Sprite, Sprite]:
    def tower(canvas: Picture, k: float) -> None:
        fill(canvas, [(120, 60), (240, 60), (300, 470), (60, 470)], (0.74, 0.70, 0.62), k)
        fill(canvas, [(100, 66), (180, 0), (260, 66)], (0.33, 0.30, 0.30), k)
        for y in (160, 290):
            fill(canvas, [(165, y), (198, y), (200, y + 46), (163, y + 46)], (0.20, 0.21, 0.24), k)

    def sail(canvas: Picture, k: float) -> None:
        for turn in range(4):
            a = np.radians(90 * turn)
            m = np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]])

            def put(points: object, m: NDArray[np.float64] = m) -> NDArray[np.float64]:
                return np.asarray(points, float) @ m.T + 280

            fill(canvas, put([(-7, 10), (7, 10), (5, -265), (-5, -265)]), (0.36, 0.27, 0.20), k)
            fill(canvas, put([(5, -60), (62, -70), (58, -258), (5, -262)]), (0.84, 0.79, 0.68), k)
            for y in range(-240, -70, 34):
                stroke(canvas, put([(5, y), (60, y)]), (0.36, 0.27, 0.20), 3, k)

    return draw(360, 480, (180, 60), tower, 21, 0.10, 0.9), draw(560, 560, (280, 280), sail, 22, 0.05, 0.6)


@lru_cache(maxsize=1)
def _mill_ground() -> Picture:
    return _sky_and_dunes(1280, 720, 8, 0.78)


def arm_turn(t: float) -> float:
    return -118 + 34 * np.sin(t / 5.2)


def _maker() -> tuple[Sprite, Sprite, Sprite]:
    rng = np.random.default_rng(31)

    def body(canvas: Picture, k: float) -> None:
        fill(canvas, curve([(230, 130), (330, 170), (390, 330), (400, 700), (60, 700), (70, 330), (130, 170)]), (0.24, 0.36, 0.46), k)
        mask = canvas[:, :, 3].copy()
        for y in range(220, 700, 46):
            stroke(canvas, [(80, y), (392, y + 8)], (0.30, 0.44, 0.54), 4, k)
        canvas *= (mask > 0)[:, :, None]

    def head(canvas: Picture, k: float) -> None:
        fill(canvas, curve([(200, 150), (262, 190), (262, 270), (200, 330), (138, 270), (138, 190)]), (0.76, 0.57, 0.45), k)
        fill(canvas, curve([(200, 60), (285, 120), (370, 175), (200, 205), (30, 175), (115, 120)]), (0.80, 0.68, 0.38), k)
        for _ in range(150):
            x = rng.uniform(45, 355)
            y = 178 + 22 * np.sin((x - 30) / 340 * np.pi) - rng.uniform(0, 20)
            a = rng.normal(np.pi / 2, 0.7)
            tall = rng.uniform(10, 42)
            tone = tuple(np.array([0.82, 0.70, 0.40]) * rng.uniform(0.7, 1.15))
            stroke(
                canvas,
                [(x, y), (x + 0.5 * tall * np.cos(a), y + 0.6 * tall * np.sin(a)), (x + tall * np.cos(a) + 4, y + tall * np.sin(a))],
                tone,
                1.0,
                k,
            )
        for _ in range(60):
            x = rng.uniform(110, 290)
            tall = rng.uniform(8, 26)
            stroke(
                canvas, [(x, 95 + abs(x - 200) * 0.3), (x + rng.normal(0, 8), 92 + abs(x - 200) * 0.3 - tall)], (0.78, 0.66, 0.36), 1.0, k
            )

    def arm(canvas: Picture, k: float) -> None:
        fill(canvas, curve([(30, 20), (180, 30), (300, 42), (300, 84), (180, 96), (30, 100), (8, 60)]), (0.26, 0.39, 0.49), k)
        fill(canvas, curve([(292, 46), (340, 30), (392, 36), (404, 62), (392, 90), (340, 96), (292, 82)]), (0.76, 0.57, 0.45), k)
        for dy in (-18, -6, 7, 20):
            fill(canvas, curve([(380, 58 + dy), (436, 56 + 1.6 * dy), (440, 66 + 1.6 * dy), (380, 70 + dy)]), (0.76, 0.57, 0.45), k)

    return (
        draw(460, 710, (230, 400), body, 32, 0.08, 0.9),
        draw(400, 350, (200, 320), head, 33, 0.05, 0.7),
        draw(460, 120, (40, 60), arm, 34, 0.06, 0.8),
    )


@lru_cache(maxsize=1)
def _maker_ground() -> Picture:
    rng = np.random.default_rng(5)
    out = np.full((1080, 1920, 3), (0.46, 0.40, 0.33), np.float32)
    for plank in range(0, 1920, 120):
        tone = np.array([0.50, 0.43, 0.34]) * rng.uniform(0.75, 1.2)
        out[:, plank : plank + 116] = tone
    for _ in range(40):
        x, y, w, h = rng.uniform(0, 1850), rng.uniform(0, 900), rng.uniform(40, 200), rng.uniform(30, 160)
        cv2.rectangle(out, (int(x), int(y)), (int(x + w), int(y + h)), (rng.uniform(0.2, 0.8, 3) * 0.8).tolist(), -1)
    out += noise(rng, 1080, 1920, (2, 9, 60))[:, :, None] * 0.08
    return cv2.GaussianBlur(out, (0, 0), 5)


def _ferry() -> Sprite:
    def paint(canvas: Picture, k: float) -> None:
        fill(
            canvas,
            curve([(60, 300), (1440, 300), (1560, 150), (1500, 480), (1380, 560), (160, 560), (40, 420)]),
            (0.30, 0.36, 0.40),
            k / 2,
        )
        fill(canvas, [(200, 300), (240, 120), (1160, 120), (1210, 300)], (0.84, 0.82, 0.76), k / 2)
        fill(canvas, [(420, 120), (440, 20), (620, 20), (640, 120)], (0.58, 0.27, 0.20), k / 2)
        for x in range(270, 1150, 90):
            fill(canvas, [(x, 165), (x + 52, 165), (x + 52, 215), (x, 215)], (0.22, 0.27, 0.32), k / 2)
        fill(canvas, [(60, 420), (1500, 420), (1490, 450), (56, 450)], (0.78, 0.72, 0.60), k / 2)

    half = draw(800, 300, (400, 180), paint, 41, 0.06, 0.5)
    return Sprite(cv2.resize(half.rgba, (1600, 600), interpolation=cv2.INTER_CUBIC).clip(0, 1), (800, 360))


@lru_cache(maxsize=2)
def _ferry_ground(second: bool) -> Picture:
    return _sky_and_dunes(1280, 720, 14 if second else 9, 0.55 if second else 0.66)


def scenes() -> tuple[Scene, ...]:
    """All shots of the production, the first first."""
    tower, sail = _mill()
    body, head, arm = _maker()
    walker = pier.walker()
    return (
        Scene(
            "KITE_010", "kite", 1920, 1080, 1001, 72, 24, lambda f: _kite_ground(),
            (Layer(_tail(), _tail_pose), Layer(_kite(), kite_pose)), lambda t: (6 * np.sin(t / 30), 3 * np.sin(t / 23)),
        ),
        Scene(
            "MILL_040", "sails", 1280, 720, 1001, 48, 25, lambda f: _mill_ground(),
            (
                Layer(tower, lambda t: Pose(640, 250, 0, 1.0), subject=False),
                Layer(sail, lambda t: Pose(640, 262, 2.6 * t, 0.86)),
            ),
        ),
        Scene(
            "MAKER_030", "maker", 1920, 1080, 1001, 72, 24, lambda f: _maker_ground(),
            (
                Layer(arm, lambda t: Pose(1085, 560, arm_turn(t), 1.0)),
                Layer(body, lambda t: Pose(960, 760 + 2 * np.sin(t / 9), 0.8 * np.sin(t / 12), 1.0)),
                Layer(head, lambda t: Pose(958 + 5 * np.sin(t / 10), 520 + 2 * np.sin(t / 9), 2.5 * np.sin(t / 8), 1.0)),
            ),
        ),
        Scene(
            "FERRY_020", "ferry", 1280, 720, 1001, 48, 25, lambda f: _ferry_ground(f >= 1025),
            (Layer(_ferry(), lambda t: Pose(-980 + 68 * t, 420 + 4 * np.sin(t / 4), 0.6 * np.sin(t / 5), 1.15)),),
            exposures=48,
        ),
        Scene(
            "PIER_050", "walker", 1920, 1080, 1001, 100, 24, lambda f: pier.ground(),
            (
                Layer(walker["leg"], pier.other_leg_pose), Layer(walker["leg"], pier.leg_pose), Layer(walker["coat"], pier.coat_pose),
                Layer(walker["head"], pier.head_pose), Layer(walker["arm"], pier.arm_pose),
                *(Layer(walker["post"], partial(pier.post_pose, x), subject=False) for x in pier.POSTS),
            ),
            pier.shake,
        ),
    )  # fmt: skip
