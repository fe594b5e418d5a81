"""What the check finds: faults planted into true mattes of drawn things, from plain ones to the smallest that an eye sees at 100 %.

Every try has a thing of its own (`planting`).
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
from benchmarks.planting import (
    FRAMES,
    SIZE,
    Mattes,
    Planted,
    Take,
    boil,
    dirt,
    early,
    frozen,
    gap,
    gone,
    harder,
    hole,
    jump,
    late,
    off,
    piece,
    softer,
    stray,
)
from roto.check import against, edges, findings, fringes, motion, neighbours, reading
from roto.check.findings import Seen
from roto.matte.modes import SOLVE
from roto.matte.render import remembered, render
from roto.matte.stack import Entry
from roto.track import edge_fit

Row = tuple[str, str, str]
TRIES = 20
REPEATS = 5
FROM = 0
"""the first seed"""
SECTORS = 16
"""parts of an outline of which a fit is told"""


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
        found, _ = cv2.findContours((matte > 127).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
        if not found or len(longest := max(found, key=len)) < 48:
            return None
        line = longest[:, 0].astype(np.float32)
        smooth = cv2.GaussianBlur(np.concatenate([line[-13:], line, line[:13]]), (1, 13), 2.5)[13:-13] + 0.5
        points = smooth[::8].astype(np.float64)
        way = (np.roll(points, -1, axis=0) - np.roll(points, 1, axis=0)) / 6
        points = np.concatenate([points, -way, way], axis=1)
        segments, t = edge_fit.parameters(points[None])
        picture = self.plates[k].astype(np.float32) / np.float32(255)
        fit = edge_fit.measure(picture, points, segments, t, None, edge_fit.window_of(points))
        x, y = (fit.places - fit.places.mean(axis=0)).T
        ways = np.floor((np.arctan2(y, x) / (2 * np.pi) + 0.5) * SECTORS).astype(np.int64) % SECTORS
        return edge_fit.by_segment(fit, ways, SECTORS)


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
            remembered.forget()  # a frame is checked when its lines are new
            begin = time.perf_counter()
            list(pool.map(rendered, range(len(frames))))
            between = time.perf_counter()
            remembered.forget()
            checked(pool)
            alone.append(between - begin)
            both.append(time.perf_counter() - between)
    render_s, check_s = min(alone), min(both) - min(alone)
    ms = 1000 / len(frames)
    each = f"{check_s * ms:.0f} ms a frame beside {render_s * ms:.0f} ms"
    return [("check: reading frames against rendering them", f"{check_s / render_s:.2f} ({each})", "at most 1.0")]
