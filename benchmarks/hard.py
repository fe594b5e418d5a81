"""Where the core has it hard: crisp edges in motion, ends of keys, lenses, far-reaching sides, crowds, repeats, long documents."""

import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Any

import cv2
import numpy as np
from scipy.special import erf

from benchmarks.scenes import blob, matte, shape
from roto.exchange import document
from roto.matte.render import render
from roto.matte.stack import Entry, Matte
from roto.motion import edits, placement
from roto.motion.keys import STRAIGHT, Keys
from roto.motion.shape import CORNER, DIVIDING, Shape
from roto.tolerances import BLUR_CAP
from roto.track.align import MOVE, mapped
from roto.track.follow import Follower, around_point
from roto.track.thin import thin

Row = tuple[str, str, str]
SIZE = (480, 270)
MOMENTS = 400
"""of an exposure, for the truth"""
TRIES = 200


def _corners(*xy: tuple[float, float]) -> np.ndarray:
    return np.concatenate([np.array(xy, float), np.zeros((len(xy), 4))], axis=1)


def _sided(points: np.ndarray, name: str, move: tuple[float, float] = (0.0, 0.0)) -> Shape:
    return replace(shape(points, name, move), kinds=np.full(len(points), CORNER, np.int8))


def _box(x0: float, y0: float, x1: float, y1: float) -> np.ndarray:
    return _corners((x0, y0), (x1, y0), (x1, y1), (x0, y1))


def _turning(it: Shape, degrees: float, pivot: tuple[float, float]) -> Matte:
    keys = Keys.build([1, 11], [placement.values(), placement.values(turn=10 * degrees)], kinds=[STRAIGHT, STRAIGHT])
    return matte(replace(it, pivot=pivot, place=keys), size=SIZE, angle=180, cap=BLUR_CAP)


def crisp_scenes() -> Iterator[tuple[str, Matte]]:
    """Edges without a reach in motion."""
    edge = edits.trace("e", "edge", 1, [[240, 135, 0, 0, 30, 0]], [False], kind=DIVIDING)
    yield "a dividing edge turns 10 degrees a frame about the picture's middle", _turning(edge, 10, (240.0, 135.0))
    yield "the same about a place at its border", _turning(edge, 10, (8.0, 260.0))
    yield "a plank of 3000 px turns 2 degrees a frame", _turning(_sided(_box(-1260, 120, 1740, 150), "p"), 2, (240.0, 135.0))
    yield (
        "a corner at 1e6 px moves",
        matte(_sided(_corners((100, 90), (1e6, 120), (100, 160)), "t", move=(12, 4)), size=SIZE, angle=180, cap=BLUR_CAP),
    )
    for speed in (1.0, 3.0, 10.0, 40.0):
        moved = _sided(_box(120.3, 50.2, 122.3, 200.4), "l", move=(0.92 * speed, 0.39 * speed))
        yield f"a line 2 px wide goes {speed:g} px a frame", matte(moved, size=SIZE, angle=180, cap=BLUR_CAP)
    turn = np.arange(300) / 300 * 2 * np.pi
    far = 90 + np.random.default_rng(1).normal(0, 8, 300)
    jagged = _corners(*zip(240 + far * np.cos(turn), 135 + far * np.sin(turn), strict=True))
    yield "300 jagged points go 6 px a frame", matte(_sided(jagged, "j", move=(5.6, 2.1)), size=SIZE, angle=180, cap=BLUR_CAP)


def _truth(it: Matte, frame: int) -> np.ndarray:
    opens, closes = it.shutter.exposure(frame)
    total = np.zeros(it.size[::-1])
    for k in range(MOMENTS):
        moment = np.array([opens + (k + 0.5) / MOMENTS * (closes - opens)])
        still = tuple(Entry(shape=_sided(e.shape.edge(moment, frame)[0], e.shape.id), mode=e.mode) for e in it.entries)
        total += render(replace(it, entries=still, shutter=replace(it.shutter, angle=0.0)), frame).alpha
    return total / MOMENTS


def crisp_edges() -> Iterator[Row]:
    """Against the mean of many still pictures."""
    for says, it in crisp_scenes():
        done = render(it, 6)
        off = np.abs(done.alpha - _truth(it, 6))
        yield f"{says}: worst pixel", f"{off.max():.4f} in {done.samples} samples", "0.004"


def heap(count: int, spread: float | None, size: tuple[int, int] = (960, 540)) -> Matte:
    """So many outlines of 12 points that move, on one heap or (spread None) at places all over the picture."""
    rng = np.random.default_rng(3)
    middle = np.array(size) / 2
    away = middle - 40.0 if spread is None else np.full(2, spread)
    own = [shape(blob(rng.uniform(middle - away, middle + away), 40.0, k, n=12), str(k), move=(1.5, 0.3)) for k in range(count)]
    return matte(*own, size=size, angle=180)


def crowds() -> Iterator[Row]:
    """Seconds of processor for a frame."""
    render(heap(3, 20.0), 6)
    for count, spread, wanted in ((100, 20.0, ""), (200, 20.0, "1"), (100, None, ""), (200, None, ""), (400, None, "")):
        it = heap(count, spread)
        begin = time.process_time()
        done = render(it, 6)
        took = time.process_time() - begin
        where = "on one heap" if spread else "all over the picture"
        yield f"{count} moving outlines of 12 points {where}", f"{took:.2f} s of processor at {done.samples} samples", wanted


def wandering(points: int, frames: int, seed: int = 1) -> Shape:
    """A shape that was set on each frame: it wanders, and each of its points a little by itself."""
    rng = np.random.default_rng(seed)

    def smooth(*shape_: int) -> np.ndarray:
        raw = rng.normal(0, 1, (frames, int(np.prod(shape_))))
        soft = cv2.GaussianBlur(raw, (1, 0), sigmaX=0.1, sigmaY=4, borderType=cv2.BORDER_REPLICATE)
        return (soft / soft.std()).reshape(frames, *shape_)

    start = blob((480.0, 270.0), 100.0, seed, n=points)
    values = np.repeat(start[None], frames, axis=0)
    values[:, :, :2] += 60 * smooth(2)[:, None] + 6 * smooth(points, 2)
    return replace(shape(start, "wanders"), form=Keys.build(range(1, frames + 1), values))


def thinning() -> Iterator[Row]:
    """Keys of a motion that was set on each frame, within half a pixel."""
    for points, frames, wanted in ((12, 100, "3.1 s"), (30, 100, "4.2 s"), (12, 200, "12 s")):
        it = wandering(points, frames)
        begin = time.perf_counter()
        done = thin(it, 0.5)
        took = time.perf_counter() - begin
        yield f"thinning {points} points on {frames} frames of wandering", f"{took:.1f} s, {done.after} keys of {done.before}", wanted


def _tiles(seed: int, period: int) -> tuple[list[np.ndarray], np.ndarray]:
    rng = np.random.default_rng(seed)
    cell = cv2.GaussianBlur(np.tile(rng.normal(0, 1, (period, period)), (3, 3)), (0, 0), 1.2)[period : 2 * period, period : 2 * period]
    big = np.tile(cell, (1000 // period + 1, 1000 // period + 1)).astype(np.float32)
    big = np.clip(0.5 + 0.15 * big / big.std(), 0, 1)
    steps = rng.uniform(-0.45, 0.45, 2) * period + np.cumsum(np.vstack([[0.0, 0.0], rng.normal(0, 0.6, (7, 2))]), axis=0)
    ways = np.vstack([[0.0, 0.0], np.cumsum(steps, axis=0)])
    moved = [cv2.warpAffine(big, np.array([[1, 0, -200 + x], [0, 1, -200 + y]]), (480, 360), flags=cv2.INTER_CUBIC) for x, y in ways]
    return [m + rng.normal(0, 0.01, m.shape).astype(np.float32) for m in moved], ways


def repeats() -> Iterator[Row]:
    """A point on a texture that repeats, patch half 16: cells of 16 to 40 px, a movement of less than half a cell a frame; it is
    unknown at first, or two frames are set by hand."""
    at = np.array([[240.0, 180.0]])
    for hand, says in ((0, "its movement unknown"), (2, "two frames set by hand")):
        leaps, whole, stopped = 0, 0, 0
        for seed in range(TRIES):
            pictures, ways = _tiles(seed, (16, 24, 32, 40)[seed % 4])
            known = {f: np.array([[1, 0, ways[f, 0]], [0, 1, ways[f, 1]], [0, 0, 1.0]]) for f in range(1, hand + 1)}
            follower = Follower(lambda f, those=pictures: those[f], 0, around_point(240, 180, 16), model=MOVE)
            for step in follower.follow(range(1, 8), known=known):
                if step.map is None:
                    stopped += 1
                    break
                if np.abs(mapped(step.map, at) - at - ways[step.frame]).max() > 1:
                    leaps += 1
                    break
            else:
                whole += 1
        yield f"a point on what repeats, {says}: leaps without a word", f"{leaps} of {TRIES} ({whole} followed, {stopped} stopped)", "0"


def long_document() -> Iterator[Row]:
    """Reading a document of a long shot."""
    rng = np.random.default_rng(2)
    frames = range(1, 1001)
    shapes = [
        replace(shape(blob((480.0, 270.0), 100.0, k, n=12), str(k)), form=Keys.build(frames, rng.normal(0, 300, (1000, 12, 6))))
        for k in range(100)
    ]
    text = document.dumps(matte(*shapes, size=SIZE))
    begin = time.perf_counter()
    document.loads(text)
    yield f"reading a document of {len(text) >> 20} MB, 100 shapes on 1000 frames", f"{time.perf_counter() - begin:.1f} s", "10 s"


def ends() -> Iterator[Row]:
    """The first and last keyed frame, half of whose exposure lies beyond the keys, beside the frames between: worst pixels against the
    same motion keyed on every frame, and further."""
    ways = {
        "swings": lambda t: (70 * np.sin(2 * np.pi * (t + 9) / 110), 6 * np.cos(2 * np.pi * t / 70)),
        "falls": lambda t: (1.8 * t, 0.02 * t * t),
        "goes around": lambda t: (60 * np.cos(t / 22), 60 * np.sin(t / 22)),
        "sets out and arrives": lambda t: (160 / (1 + np.exp((30 - t) / 8)), 0.3 * t),
    }
    for says, way in ways.items():
        base = _sided(_box(160.3, 90.2, 240.3, 170.4), "b")

        def moved(frames: np.ndarray, way: Any = way, base: Shape = base) -> Matte:
            place = Keys.build(frames, np.array([placement.values(move=way(float(f))) for f in frames]))
            return matte(replace(base, place=place), size=SIZE, angle=180, cap=BLUR_CAP)

        few, all_ = moved(np.arange(0, 57, 8)), moved(np.arange(-3, 60))
        off = {f: float(np.abs(render(few, f).alpha - render(all_, f).alpha).max()) for f in range(57)}
        between = max(v for f, v in off.items() if f not in (0, 56))
        keyed = max(off[f] for f in range(8, 56, 8))
        said = f"{max(off[0], off[56]):.4f} (keyed frames between: {keyed:.4f}; all between: {between:.4f})"
        yield f"a box that {says}, keyed each 8th frame: worst pixel of the first and last", said, "0.004"


def lenses() -> Iterator[Row]:
    """Lens softness of a box, by its closed form; and its time beside blurring the whole sharp picture by OpenCV."""
    low, high = np.array([31.3, 22.6]), np.array([80.9, 71.2])
    for sigma in (0.6, 1.0, 2.0, 4.0):
        it = matte(edits.soften(_sided(_box(*low, *high), "l"), 1, lens=sigma), size=(120, 100))
        sides = [_bell(low[k], high[k], sigma, it.size[k]) for k in (0, 1)]
        want = np.outer(sides[1], sides[0])
        off = np.abs(render(it, 1).alpha - want)
        edge = (want > 0.001) & (want < 0.999)
        yield (
            f"a box softened by a lens of {sigma:g} px: worst pixel, mean of the edge",
            f"{off.max():.4f}, {off[edge].mean():.5f}",
            "0.01, 0.0008",
        )
    for sigma in (1.0, 3.0):
        halves = np.linspace(1.5, 3.5, 41) * sigma
        off = {name: min(_off_a_bell(sigma, name, half) for half in halves) for name in ("smooth", "bell")}
        said = f"{off['bell']:.4f} (smooth {off['smooth']:.4f})"
        yield f"reach with the profile bell on a straight side beside a bell of {sigma:g} px: worst pixel", said, ""
    full = (1920, 1080)
    sharp, softened = (matte(edits.soften(shape(blob((960.0, 540.0), 300.0, 1, n=24), "f"), 1, lens=px), size=full) for px in (0.0, 2.0))
    picture = render(sharp, 1).alpha
    ours, theirs = (
        min(_seconds(act) for _ in range(5)) for act in (lambda: render(softened, 1), lambda: cv2.GaussianBlur(picture, (0, 0), 2.0))
    )
    yield "a shape of 600 px softened by 2 px at full HD, beside OpenCV's blur of the sharp picture alone", f"{ours / theirs:.1f}", ""


def _off_a_bell(sigma: float, profile: str, half: float) -> float:
    """How far a straight side with a reach of so many px on either hand is from one that a bell blurs, at worst."""
    it = replace(edits.soften(_sided(_box(39.3, -400.0, 900.0, 500.0), "s"), 1, inner=half, outer=half), profile=profile)
    row = render(matte(it, size=(120, 100)), 1).alpha[50]
    return float(np.abs(row - _bell(39.3, 1e4, sigma, 120)).max())


def _seconds(act: Callable[[], object]) -> float:
    begin = time.perf_counter()
    act()
    return time.perf_counter() - begin


def _bell(low: float, high: float, sigma: float, count: int) -> np.ndarray:
    """The mean over each pixel of what lies between two places, blurred by a bell."""

    def rise(z: np.ndarray) -> np.ndarray:
        return np.asarray(z * 0.5 * (1 + erf(z / (sigma * 2**0.5))) + sigma * np.exp(-z * z / (2 * sigma * sigma)) / np.sqrt(2 * np.pi))

    x = np.arange(count)
    return rise(x + 1 - low) - rise(x - low) - rise(x + 1 - high) + rise(x - high)


def hard() -> Iterator[Row]:
    """All of it."""
    for part in (crisp_edges, ends, lenses, crowds, thinning, repeats, long_document):
        yield from part()
