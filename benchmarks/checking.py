"""What the check finds: faults planted into true mattes of drawn things, from plain ones to the smallest that an eye sees at 100 %.

Every try has a thing of its own: outline, skin, ground, motion, softness and place, by its seed; none of them is of the demo.
"""

import sys
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from typing import Any

import cv2
import numpy as np

from benchmarks import scenes
from benchmarks.clips import texture
from roto.check import against, edges, findings, fringes, motion, neighbours, reading
from roto.check.findings import Seen
from roto.matte.modes import SOLVE
from roto.matte.render import render
from roto.matte.stack import Entry
from roto.track import edge_fit

Row = tuple[str, str, str]
SIZE = (960, 540)
FRAMES, TRIES = 18, 20
FINE = 2
MOMENTS = 9
REPEATS = 5
FROM = 0
"""the first seed"""
SECTORS = 16
"""parts of an outline of which a fit is told"""


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


class Reader:
    """Reads the frames of one take, and again only those that a fault touches."""

    def __init__(self, take: Take) -> None:
        self.plates, self.mattes = take.drawn()
        self.seen: list[Seen] = [self._one(self.mattes, k) for k in range(FRAMES)]

    def _one(self, mattes: list[np.ndarray], k: int, **more: Any) -> Seen:
        looks = [motion.ready(self.plates[j], mattes[j]) if 0 <= j < FRAMES else None for j in (k - 1, k, k + 1)]
        assert looks[1] is not None, "k is a frame"
        return Seen(frame=k, reading=reading.read(mattes[k], self.plates[k]), moving=motion.moving(looks[0], looks[1], looks[2]), **more)

    def found(
        self,
        mattes: list[np.ndarray],
        other: list[np.ndarray] | None = None,
        edged: bool = False,
        fitted: bool = False,
        solved: bool = False,
    ) -> list[findings.Finding]:
        """What is found with other mattes than the true ones. fitted: how well their outlines lie is measured. solved: there is a
        fringe."""
        changed = {k for k in range(FRAMES) if mattes[k] is not self.mattes[k]}
        seen = [self._one(mattes, k) if {k - 1, k, k + 1} & changed else one for k, one in enumerate(self.seen)]
        if other is not None:
            meets = [neighbours.meet(a, b) for a, b in zip(mattes, other, strict=True)]
            seen = [replace(one, meets={} if m is None else {"other": m}) for one, m in zip(seen, meets, strict=True)]
        if edged:
            for k in range(1, FRAMES - 1, 5):
                here, beside = (motion.ready(self.plates[j], mattes[j]) for j in (k, k + 1))
                seen[k] = replace(seen[k], edges=edges.compare(mattes[k], self.plates[k], here, beside))
        if fitted:
            off = edge_fit.scores_over_time([self._fit(mattes[k], k) for k in range(FRAMES)])
            seen = [replace(one, fit=None if np.isnan(px) else float(px)) for one, px in zip(seen, off, strict=True)]
        if solved:
            seen = [replace(one, fringe="solved and steadied") for one in seen]
        return findings.find(seen, 0, FRAMES - 1, SIZE[0])

    def _fit(self, matte: np.ndarray, k: int) -> edge_fit.Summary | None:
        """How the outline lies on the picture, by its directions from the middle, as a shape's segments would tell it."""
        lines = edges.contours_as_outlines(matte)
        if not lines:
            return None
        points = max(lines, key=len)
        segments, t = edge_fit.parameters(points[None])
        picture = self.plates[k].astype(np.float32) / np.float32(255)
        fit = edge_fit.measure(picture, points, segments, t, None, edge_fit.window_of(points))
        x, y = (fit.places - fit.places.mean(axis=0)).T
        ways = np.floor((np.arctan2(y, x) / (2 * np.pi) + 0.5) * SECTORS).astype(np.int64) % SECTORS
        return edge_fit.by_segment(fit, ways, SECTORS)


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


@dataclass(frozen=True, kw_only=True)
class Fault:
    """plant: puts it into mattes. also: other kinds that say the same. take: of the thing it is planted on. edged:
    edges are read. fitted: how outlines lie is measured. solved: a fringe is in it. drawn: the thing whose true mattes are taken for
    this one's."""

    plant: Callable[[Mattes, np.random.Generator, bool], Planted]
    also: tuple[str, ...] = ()
    take: Callable[[int, bool], Take] = lambda seed, plain: Take(seed=seed)
    edged: bool = False
    fitted: bool = False
    solved: bool = False
    drawn: Callable[[Take], Take] | None = None


@dataclass(frozen=True, kw_only=True)
class Pair(Fault):
    """Two mattes that ought to complete each other. by: px, for a plain and a faint one; below 0 they lie over each other."""

    plant: Callable[[Mattes, np.random.Generator, bool], Planted] = field(default=lambda m, rng, plain: (m, range(FRAMES)))
    by: tuple[float, float]

    def pair(self, m: Mattes, rng: np.random.Generator, plain: bool) -> tuple[Mattes, Mattes]:
        """The matte cut in two along a line through its middle that goes with it."""
        a, by = rng.uniform(0, 6.28), self.by[0 if plain else 1]
        x, y = np.meshgrid(np.arange(SIZE[0]) + 0.5, np.arange(SIZE[1]) + 0.5)
        one, other = [], []
        for matte in m:
            middle = np.argwhere(matte > 127).mean(axis=0)[::-1]
            away = (x - middle[0]) * np.cos(a) + (y - middle[1]) * np.sin(a)
            one.append(np.rint(matte * np.clip(0.5 - away - by / 2, 0, 1)).astype(np.uint8))
            other.append(np.rint(matte * np.clip(0.5 + away - by / 2, 0, 1)).astype(np.uint8))
        return one, other


FAULTS: dict[str, Fault] = {
    "gone": Fault(plant=gone), "late": Fault(plant=late), "early": Fault(plant=early), "jump": Fault(plant=jump, also=("stray", "boil")),
    "stray": Fault(plant=stray, also=("boil",)), "boil": Fault(plant=boil, also=("stray",)), "hole": Fault(plant=hole),
    "piece": Fault(plant=piece), "dirt": Fault(plant=dirt), "flicker": Fault(plant=boil, also=("stray",), solved=True),
    "off": Fault(plant=off, fitted=True),
    "frozen": Fault(plant=frozen, also=("stray",), take=lambda seed, plain: Take(seed=seed, speed=7.0 if plain else 2.5)),
    "gap": Fault(plant=gap, take=lambda seed, plain: Take(seed=seed, leaves=True, speed=3.0)),
    "seam": Pair(by=(4.0, 1.0)), "overlap": Pair(by=(-4.0, -1.0)),
    "no blur": Fault(
        plant=lambda m, rng, plain: (m, range(FRAMES)), take=lambda seed, plain: Take(seed=seed, speed=28.0 if plain else 14.0), edged=True,
        drawn=lambda take: replace(take, shutter=0.0),
    ),
    "blur": Fault(
        plant=lambda m, rng, plain: (m, range(FRAMES)), edged=True, drawn=lambda take: replace(take, shutter=0.5),
        take=lambda seed, plain: Take(seed=seed, speed=28.0 if plain else 14.0, shutter=0.0),
    ),
    "harder": Fault(plant=harder, take=lambda seed, plain: Take(seed=seed, soft=3.0 if plain else 1.3, speed=2.0), edged=True),
    "softer": Fault(plant=softer, take=lambda seed, plain: Take(seed=seed, speed=2.0), edged=True),
}  # fmt: skip


def _hit(found: list[findings.Finding], kinds: tuple[str, ...], frames: range) -> bool:
    return any(f.what in kinds and f.first <= frames[-1] and f.last >= frames[0] for f in found)


def _beside(found: list[findings.Finding], frames: range) -> int:
    """Frames, two away from the fault and farther, on which something else is thought wrong."""
    near = range(frames[0] - 2, frames[-1] + 3)
    return len({f.first for f in found if f.last < near[0] or f.first > near[-1]})


def _of_seed(seed: int) -> tuple[dict[tuple[str, bool], bool], int, int]:
    """Every fault planted once: which were found, false alarms beside them, and good frames."""
    readers: dict[Take, Reader] = {}
    hits: dict[tuple[str, bool], bool] = {}
    false = good = 0
    for kind, fault in FAULTS.items():
        for plain in (True, False):
            take, rng = fault.take(seed, plain), np.random.default_rng(1000 + seed)
            reader = readers.get(take) or readers.setdefault(take, Reader(take))
            if isinstance(fault, Pair):
                mattes, other = fault.pair(reader.mattes, rng, plain)
                found, frames = reader.found(mattes, other), range(FRAMES)
            else:
                true = reader.mattes if fault.drawn is None else fault.drawn(take).drawn()[1]
                mattes, frames = fault.plant(true, rng, plain)
                found = reader.found(mattes, edged=fault.edged, fitted=fault.fitted, solved=fault.solved)
            hits[kind, plain] = _hit(found, (kind, *fault.also), frames)
            if len(frames) < FRAMES:
                false += _beside(found, frames)
                good += FRAMES - len(frames) - 4
    return hits, false, good


def _starved(seed: int) -> tuple[bool, bool, bool]:
    """A fringe's band beside the thing it belongs to, one that reaches it at its end only, and one that lies well: whether each is said to
    have too little."""
    rng = np.random.default_rng(4000 + seed)
    x, y, high = rng.uniform(300, 560), rng.uniform(200, 340), rng.uniform(30, 60)
    outline = scenes.blob((x, y), rng.uniform(70, 130), seed)
    body = scenes.shape(outline, "body", inner=1.0, outer=1.0)
    right = float(outline[np.abs(outline[:, 1] - y) < high][:, 0].max())

    def said(near: float, far: float) -> bool:
        corners = np.array([[right + near, y - high], [right + far, y - high], [right + far, y + high], [right + near, y + high]])
        band = scenes.shape(np.concatenate([corners, np.zeros((4, 4))], axis=1), "tufts", inner=2.0, outer=6.0)
        stack = replace(scenes.matte(body), entries=(Entry(shape=body), Entry(shape=band, mode=SOLVE)), size=SIZE)
        return fringes.starved(stack, stack.first) > against.STARVED

    return said(80, 250), said(-20, 140), said(-30, 40)


def check() -> list[Row]:
    """What reading costs, and what it finds."""
    return [*cost(), *planted()]


def planted() -> list[Row]:
    """Per kind, how many of the planted faults are found; and what else is said of the good frames beside them."""
    with ProcessPoolExecutor(initializer=cv2.setNumThreads, initargs=(1,)) as pool:
        told = list(pool.map(_of_seed, range(FROM, FROM + TRIES)))
        fringed = list(pool.map(_starved, range(FROM, FROM + TRIES)))
    rows = []
    for kind in FAULTS:
        found = [sum(hits[kind, plain] for hits, _, _ in told) for plain in (True, False)]
        rows.append((f"check: {kind}, of {TRIES} plain, of {TRIES} faint", f"{found[0]}, {found[1]}", "19, 16"))
    plain, faint, enough = (sum(one) for one in zip(*fringed, strict=True))
    rows.append((f"check: starved, of {TRIES} plain, of {TRIES} faint", f"{plain}, {faint}", "19, 16"))
    rows.append((f"check: starved, said of {TRIES} bands that have enough", str(enough), "0"))
    good = sum(frames for _, _, frames in told)
    share = 100 * sum(false for _, false, _ in told) / good
    return [*rows, ("check: false alarms in 100 good frames beside them", f"{share:.2f} ({good} frames)", "at most 1")]


def cost() -> list[Row]:
    """What checking costs beside rendering alone: 12 shapes with reach and blur, full HD, as the check's job does it, two at a time."""
    matte = scenes.twelve()
    frames = list(range(matte.first, matte.first + 24))
    ground = np.dstack([texture((1100, 680), 40 + k, 2.5) for k in range(3)])
    pictures = [np.ascontiguousarray((ground[2 * k : 360 + 2 * k, 3 * k : 640 + 3 * k] * 255).astype(np.uint8)) for k in range(len(frames))]
    cv2.setNumThreads(1)
    sys.setswitchinterval(0.0005)  # as the job does
    looks: dict[int, motion.Look] = {}

    def rendered(k: int) -> np.ndarray:
        return np.asarray(render(matte, frames[k], threads=1, depth="8").alpha)

    def read(k: int) -> int:
        alpha = rendered(k)
        told = reading.read(alpha, pictures[k])
        looks[k] = motion.ready(pictures[k], alpha, told.box)
        return len(told.spots)

    def moved(k: int) -> float:
        return motion.moving(looks.get(k - 1), looks[k], looks.get(k + 1)).alone

    def checked(pool: ThreadPoolExecutor) -> None:
        first = [pool.submit(read, k) for k in range(len(frames))]
        then = []
        for k in range(len(frames)):
            first[min(k + 1, len(frames) - 1)].result()
            then.append(pool.submit(moved, k))
        for one in then:
            one.result()

    with ThreadPoolExecutor(2) as pool:
        checked(pool)
        alone, both = [], []
        for _ in range(REPEATS):
            begin = time.perf_counter()
            list(pool.map(rendered, range(len(frames))))
            between = time.perf_counter()
            checked(pool)
            alone.append(between - begin)
            both.append(time.perf_counter() - between)
    render_s, check_s = min(alone), min(both) - min(alone)
    ms = 1000 / len(frames)
    each = f"{check_s * ms:.0f} ms a frame beside {render_s * ms:.0f} ms"
    return [("check: reading frames against rendering them", f"{check_s / render_s:.2f} ({each})", "at most 1.0")]
