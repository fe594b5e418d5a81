"""What finished frames teach: how far off the others are, beside solving them from the plate; what teaching and a frame cost; whether the
frame that is advised next is one of the worst. On plates of its own (`furry`, and the limb of `bodies`), none of them the demo's."""

import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from fractions import Fraction
from functools import lru_cache, partial
from itertools import pairwise

import cv2
import numpy as np
from scipy.ndimage import map_coordinates

from benchmarks.bodies import limb
from benchmarks.furry import FINE, SIZE, Furry, fur, reeds, spokes
from roto.arrays import Floats
from roto.curve.flatten import polygon
from roto.matte.matting.fringe import Fringes, InMemory
from roto.matte.matting.laplacian import solve_alpha
from roto.matte.modes import TEACH
from roto.matte.render import Solved, render
from roto.matte.shutter import Shutter
from roto.matte.stack import Entry, Finished, Matte, Source
from roto.matte.teaching import advice
from roto.matte.teaching.model import Model, teach
from roto.matte.teaching.outline import contour, outlined
from roto.matte.teaching.outline import off as off_of
from roto.matte.teaching.taught import AROUND, Taught
from roto.motion.edits import trace
from roto.motion.keys import Keys
from roto.motion.shape import Shape, settings_values
from roto.picture import display
from roto.tolerances import FLATTEN_REACH
from roto.track import between, ride
from roto.track.bend import Bender

Row = tuple[str, str, str]
LESSONS = (7, 22, 37, 52, 67)
OTHERS = (2, 12, 15, 27, 30, 42, 45, 57, 60, 70)
RUN = range(26, 34)
"""frames in a row, for flicker"""
TRIES = range(40, 60)
"""seeds of advice: on others it was seen what it goes by"""
EVERY = 2
"""frames that advice is tried on"""


def shape_of(name: str, outline: Callable[[int], Floats], frames: range, deep: float = 0.0) -> Shape:
    """A shape keyed on every frame; deep: as a band, how far it reaches into the solid."""
    points = np.stack([np.hstack([outline(f), np.zeros((len(outline(f)), 4))]) for f in frames])
    made = trace(name, name, frames[0], points[0], [False] * len(points[0]))
    return replace(
        made,
        form=Keys.build(list(frames), points),
        settings=Keys.build([frames[0]], settings_values(2.0, deep)[None]) if deep else made.settings,
    )


def grown(line: Floats, px: float) -> Floats:
    """An outline moved outwards, whichever way round it goes."""
    along = np.roll(line, -1, axis=0) - np.roll(line, 1, axis=0)
    away = np.stack([along[:, 1], -along[:, 0]], axis=1)
    away /= np.linalg.norm(away, axis=1)[:, None]
    sign = np.sign(((line - line.mean(axis=0)) * away).sum())
    return np.asarray(line + sign * px * away)


class Learned:
    """A plate with a taught line over its outline, taught by true frames. picture: as displayed, 0..1; alpha: the truth, 0..1."""

    def __init__(
        self,
        picture: Callable[[int], np.ndarray],
        alpha: Callable[[int], np.ndarray],
        below: list[Entry],
        band: Shape,
        frames: range,
        angle: float,
    ) -> None:
        self.picture, self.alpha = lru_cache(100)(picture), lru_cache(100)(alpha)
        self.below, self.band, self.frames, self.angle = below, band, frames, angle
        self.at = len(below)

    def taught(self, lessons: tuple[int, ...]) -> tuple[Matte, Taught, Model, float]:
        """By these frames; and how many seconds that took, from asking to the model."""
        fringes = Fringes(self.picture, str, InMemory(most=200))
        models: dict[str, Model] = {}
        line = Taught(fringes, models.get, lambda file: self.alpha(int(file)))
        fringes.others[TEACH] = line
        source = Source(model="x", finished=tuple(Finished(frame=f, file=str(f), drawn="") for f in lessons))
        size = self.picture(self.frames[0]).shape[1::-1]
        entries = (*self.below, Entry(shape=self.band, mode=TEACH, source=source))
        matte = Matte(
            shot="bench", name="taught", size=size, rate=Fraction(24), first=self.frames[0], last=self.frames[-1],
            shutter=Shutter(angle=self.angle), entries=entries,
        )  # fmt: skip
        for frame in {f + k for f in lessons for k in range(-AROUND, AROUND + 1) if f + k in self.frames}:
            self.picture(frame)
            self.alpha(frame)  # drawn beforehand: that is not what is measured
        begin = time.perf_counter()
        found = [line.lesson(matte, self.at, f) for f in lessons]
        models["x"] = teach([one for one in found if one is not None], steadies=partial(line.steadies, matte, self.at))
        return matte, line, models["x"], time.perf_counter() - begin

    def off(self, one: Solved, frame: int) -> float:
        """Mean error of alpha over the band."""
        x0, y0, x1, y1 = one.box
        return float(np.abs(one.alpha - self.alpha(frame)[y0:y1, x0:x1])[one.unknown].mean())


def of_furry(it: Furry) -> Learned:
    """Its core is traced on every frame, its band reaches as far as its hair."""
    frames = range(it.frames)
    below = [Entry(shape=shape_of("core", lambda f: it.core(f)[::2], frames))]
    if it.holes(0):
        below.append(Entry(shape=shape_of("hole", lambda f: it.holes(f)[0][::2], frames), mode="cut"))
    band = shape_of("band", lambda f: grown(it.core(f), it.out + 3)[::4], frames, min(it.deep, 5.0))

    def picture(frame: int) -> np.ndarray:
        return it.picture(frame).astype(np.float32) / np.float32(255)

    return Learned(picture, lambda f: it.alpha(f).astype(np.float32) / np.float32(255), below, band, frames, 0.0)


def from_plate(it: Learned, one: Solved, matte: Matte, line: Taught, frame: int) -> np.ndarray:
    """Alpha of a frame's box solved from the plate alone, the same pixels unknown."""
    x0, y0, x1, y1 = one.box
    band = line.band(matte, it.at, frame)
    assert band is not None, "it is live on every frame"
    return solve_alpha(np.ascontiguousarray(it.picture(frame)[y0:y1, x0:x1]), band.below, band.unknown)


def of_hair(make: Callable[[], Furry], wanted: str) -> Iterator[Row]:
    """Straw or fur: how far off, beside solving; how steady; what it costs."""
    it = of_furry(make())
    name = make().name
    matte, line, model, took = it.taught(LESSONS)
    found, cost = {}, []
    for frame in sorted({*OTHERS, *RUN}):
        begin = time.perf_counter()
        found[frame] = line.solved(matte, it.at, frame)
        cost.append(time.perf_counter() - begin)
    off = np.array([it.off(found[f], f) for f in OTHERS])
    plate = {f: replace(found[f], alpha=from_plate(it, found[f], matte, line, f)) for f in sorted({*OTHERS, *RUN})}
    alone = np.array([it.off(plate[f], f) for f in OTHERS])
    yield f"{name}: mean error in the band, 5 of 72 finished", f"{off.mean():.3f} (worst frame {off.max():.3f})", wanted
    yield f"{name}: beside solving from the plate alone", f"{off.mean() / alone.mean():.2f}", "0.6"
    yield (
        f"{name}: flicker beside solving frame by frame",
        f"{_flicker(it, found) / _flicker(it, plate):.2f} (steadied: {model.steady})",
        "0.5",
    )
    yield f"{name}: teaching", f"{took:.1f} s", "15 s"
    yield f"{name}: a frame at 960x540, steadied", f"{np.median(cost):.2f} s", "0.6 s"


def _flicker(it: Learned, found: dict[int, Solved]) -> float:
    """How much the error changes from frame to frame, on the sum over the picture."""
    wrong = {}
    for frame in RUN:
        one = found[frame]
        x0, y0, x1, y1 = one.box
        wrong[frame] = np.zeros(it.alpha(frame).shape, np.float32)
        wrong[frame][y0:y1, x0:x1] = np.where(one.unknown, one.alpha - it.alpha(frame)[y0:y1, x0:x1], 0)
    return float(np.mean([np.abs(wrong[f] - wrong[f - 1]).sum() for f in RUN[1:]]))


def of_wheel() -> Iterator[Row]:
    """Spokes: how much of their length is there."""
    wheel = spokes()
    it = of_furry(wheel)
    matte, line, _, took = it.taught(LESSONS)
    off, there = [], []
    for frame in OTHERS:
        one = line.solved(matte, it.at, frame)
        assert one is not None, "it is live on every frame"
        off.append(it.off(one, frame))
        x0, y0, _, _ = one.box
        for place, _ in wheel.hairs(frame)[:-1]:
            along = place[0] + np.linspace(0.12, 0.97, 80)[:, None] * (place[1] - place[0]) - [x0, y0] - 0.5
            said, true = (map_coordinates(a, along[:, ::-1].T, order=1) for a in (one.alpha, it.alpha(frame)[y0:, x0:]))
            there.append(float((said >= 0.5 * true).mean()))
    yield "spokes: share of their length that is there", f"{np.mean(there):.3f} (worst {min(there):.2f})", "0.9"
    yield "spokes: mean error in the band", f"{np.mean(off):.3f}", ""
    yield "spokes: teaching", f"{took:.1f} s", "15 s"


def of_limb() -> Iterator[Row]:
    """A solid thing whose outline is keyed on the finished frames only and lies a little off between them."""
    body = limb()
    frames = range(4, 69)
    lessons = (4, 20, 36, 52, 68)

    def near(frame: int) -> Floats:
        between = min(abs(frame - one) for one in lessons) / 8.0
        sway = 0.35 * between * np.array([np.sin(frame / 3.0), np.cos(frame / 4.0)])
        return np.asarray(body.truth(frame)[::2] + sway)

    def alpha(frame: int) -> np.ndarray:
        moments = frame + body.shutter * ((np.arange(5) + 0.5) / 5 - 0.5)
        full = np.zeros((SIZE[1] * FINE, SIZE[0] * FINE), np.float32)
        for moment in moments:
            part = np.zeros(full.shape, np.uint8)
            cv2.fillPoly(part, [np.rint(body.truth(float(moment)) * FINE * 16 - 8).astype(np.int32)], (1,), cv2.LINE_8, 4)
            full += part / np.float32(len(moments))
        return cv2.resize(full, SIZE, interpolation=cv2.INTER_AREA)

    it = Learned(
        lambda f: display.shown(body.picture(f) / np.float32(255)).astype(np.float32), alpha, [Entry(shape=shape_of("limb", near, frames))],
        shape_of("band", lambda f: grown(near(f), 8.0), frames, 6.0), frames, 180.0,
    )  # fmt: skip
    matte, line, _, _ = it.taught(lessons)
    yield from _made_outline(it, matte, line, lessons)
    apart, edge = [], []
    for frame in range(6, 68, 6):
        one = line.solved(matte, it.at, frame)
        assert one is not None, "it is live on every frame"
        x0, y0, x1, y1 = one.box
        whole = np.zeros(SIZE[::-1], np.float32)
        whole[y0:y1, x0:x1] = one.alpha
        apart.append(float(np.abs(_contour(whole, body.truth(frame)) - _contour(it.alpha(frame), body.truth(frame))).mean()))
        true = it.alpha(frame)[y0:y1, x0:x1]
        close = cv2.dilate(((true > 0.01) & (true < 0.99)).astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
        edge.append(float(np.abs(one.alpha - true)[close & one.unknown].mean()))
    yield "limb: contour, mean", f"{np.mean(apart):.2f} px (worst frame {max(apart):.2f})", "0.25 px (1.2)"
    yield "limb: error within 3 px of the edge", f"{np.mean(edge):.3f}", "0.02"


def _made_outline(it: Learned, matte: Matte, line: Taught, lessons: tuple[int, ...]) -> Iterator[Row]:
    """The limb's learned mattes as an outline, measured at its true edge."""
    body = limb()
    alphas = {}
    for frame in range(lessons[0], lessons[-1] + 1):
        one = line.solved(matte, it.at, frame)
        assert one is not None, "it is live on every frame"
        x0, y0, x1, y1 = one.box
        alphas[frame] = render(replace(matte, entries=matte.entries[: it.at]), frame).alpha.astype(np.float32)
        alphas[frame][y0:y1, x0:x1] = np.where(one.unknown, one.alpha, alphas[frame][y0:y1, x0:x1])
    begin = time.perf_counter()
    picture = lru_cache(100)(lambda frame: np.asarray(display.light(it.picture(frame)), np.float32))

    def carried(frame: int, frames: Sequence[int], places: Floats) -> Iterator[tuple[int, Floats]]:
        follower = Bender(picture, frame, between.inside(places, SIZE), places)
        for one in follower.follow(frames):
            if one.control is None:
                return
            yield one.frame, follower.places(one.control)

    found = outlined({f: contour(a, frame=f) for f, a in alphas.items()}, lessons, carried, 1.0)
    first = found.shape("limb", "limb", lessons)

    lines = {k: between.along(first.outlines(np.array([k])), 120)[0] for k in lessons}

    def bender(frame: int) -> Bender:
        return Bender(picture, frame, between.inside(lines[frame], SIZE), lines[frame])

    drawing = between.Drawing(bender=bender, outlines=lines, home=lessons[0], lattice=bender(lessons[0]).lattice)
    between.stretches(drawing, pairwise(lessons))
    drawn = ride.take_up(first, between.as_track(drawing, "t", "t"))
    keys = found.keys_wanted(lessons, len(alphas) // 4)
    took = time.perf_counter() - begin
    for how, shape in (("drawn by the picture", drawn), (f"straight, {len(keys)} keys", found.shape("limb", "limb", keys))):
        rows = shape.outlines(np.array(sorted(alphas)))
        off = [off_of(polygon(row, FLATTEN_REACH), body.truth(f)) for f, row in zip(sorted(alphas), rows, strict=True)]
        yield f"limb: outline made of it, {len(found.kinds)} points, {how}", f"{np.mean(off):.2f} px (worst frame {max(off):.2f})", ""
    yield "limb: making an outline of 65 frames, both ways", f"{took:.1f} s", ""


def _contour(alpha: np.ndarray, line: Floats) -> Floats:
    """px from an outline (n, 2), along its normals, to where alpha is a half."""
    steps = np.arange(-8, 8.01, 0.1)
    away = grown(line, 1.0) - line
    places = line[:, None] + steps[None, :, None] * away[:, None] - 0.5
    values = map_coordinates(alpha, [places[..., 1], places[..., 0]], order=1, mode="nearest")
    out = np.full(len(line), 8.0)
    for k, row in enumerate(values):
        cross = np.flatnonzero((row[:-1] >= 0.5) != (row[1:] >= 0.5))
        if len(cross):
            exact = steps[cross] + 0.1 * (0.5 - row[cross]) / (row[cross + 1] - row[cross])
            out[k] = exact[np.abs(exact).argmin()]
    return out


def of_large() -> Iterator[Row]:
    """The same at full HD on one core."""
    it, before = of_furry(reeds()), cv2.getNumThreads()
    wide = (2 * SIZE[0], 2 * SIZE[1])

    def twice(read: Callable[[int], np.ndarray]) -> Callable[[int], np.ndarray]:
        return lambda f: cv2.resize(read(f), wide, interpolation=cv2.INTER_CUBIC)

    def doubled(shape: Shape) -> Shape:
        return replace(
            shape,
            form=replace(shape.form, values=shape.form.values * 2, speeds=shape.form.speeds * 2),
            pivot=(shape.pivot[0] * 2, shape.pivot[1] * 2),
        )

    large = Learned(
        twice(it.picture), twice(it.alpha), [replace(e, shape=doubled(e.shape)) for e in it.below], doubled(it.band), it.frames, 0.0
    )
    matte, line, _, took = large.taught(LESSONS)
    cv2.setNumThreads(1)
    cost = []
    for frame in OTHERS[:5]:
        large.picture(frame)
        begin = time.perf_counter()
        line.solved(matte, large.at, frame)
        cost.append(time.perf_counter() - begin)
    cv2.setNumThreads(before)
    yield "full HD: teaching, and the first frame filled", f"{took:.1f} s, {took + cost[0]:.1f} s", "15 s, 20 s"
    yield "full HD: a frame on one core", f"{np.median(cost):.2f} s", "2 s"


def of_advice() -> Iterator[Row]:
    """Whether the frame that is advised next, after a first run on five frames drawn by chance, is among the worst tenth."""
    right = 0
    for seed in TRIES:
        it = of_furry((reeds, fur)[seed % 2]())
        lessons = tuple(sorted(int(f) for f in np.random.default_rng(seed).choice(72, 5, replace=False)))
        matte, line, _, _ = it.taught(lessons)
        line.fringes.steady = False
        doubts, off = {}, {}
        for frame in range(0, 72, EVERY):
            one = line.solved(matte, it.at, frame)
            assert one is not None, "it is live on every frame"
            doubts[frame], off[frame] = one.doubt, it.off(one, frame)
        chosen = advice.least_sure(doubts, lessons)
        worst = sorted(off, key=lambda f: -off[f])[: max(1, round(len(off) / 10))]
        right += chosen in worst
    yield "the frame advised next is among the worst tenth", f"{right} of {len(TRIES)}", "8 of 10"


def taught() -> Iterator[Row]:
    """All of it."""
    yield from of_hair(reeds, "0.04")
    yield from of_hair(fur, "0.04")
    yield from of_wheel()
    yield from of_limb()
    yield from of_large()
    yield from of_advice()
