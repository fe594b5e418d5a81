"""Outlines on the picture's edge: whether exact ones stay and others come back, on plates mixed in light and on plates mixed as displayed;
and how many keys it takes where each next one goes where the fit says.

Each plate has a thing, a ground, tones, a softness and a way of its own; nothing is set on them.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import cache

import cv2
import numpy as np

from benchmarks.clips import texture
from benchmarks.scenes import blob, matte, shape
from benchmarks.tracks import WANTED, _apart, _distances, limb, plank
from roto.arrays import Floats
from roto.matte.render import render
from roto.motion import correct
from roto.motion.keys import Keys
from roto.motion.shape import Shape
from roto.motion.steady_form import steady
from roto.picture import display
from roto.track import edge_fit, mixing
from roto.track.thin import baked, looked_at

Row = tuple[str, str, str]
SIZE = (480, 300)
PLATES = 16
FRAMES = (2, 4, 6, 8, 10)
FIRST = 2000
"""the first seed"""
SMEARS = (0.0, 4.0, 10.0, 30.0)
"""px that an edge is smeared by"""
OFF = 3.0
"""px"""
LARGE, SEEDS = (640, 480), (15, 16, 17)
"""px of the plates on which keys are set, and their seeds"""
TONES = (np.array([0.15, 0.2, 0.25]), np.array([0.55, 0.5, 0.4]))
"""of their ground and of the thing on it"""
KNOWN = 0.2
"""of an outline: with less the pull is refused"""


@dataclass(frozen=True, slots=True)
class Plate:
    """Pictures as they are displayed, float32 (h, w, 3), and the true outlines, by frame."""

    pictures: list[np.ndarray]
    outlines: list[Floats]


@cache
def plate(seed: int, smear: float, in_light: bool) -> Plate:
    """A thing goes over a ground, whose textures stay with them."""
    rng = np.random.default_rng(seed)
    angle, soft = rng.uniform(0, 2 * np.pi), float(rng.uniform(0.5, 2.0))
    way = max(2 * smear, 3.0) * np.array([np.cos(angle), np.sin(angle)])  # a frame; the shutter is open for half of it, or not at all
    begin = np.array([240.0, 150.0]) - 6 * way
    it = shape(blob((float(begin[0]), float(begin[1])), float(rng.uniform(60, 95)), seed), "thing", (float(way[0]), float(way[1])))
    whole = matte(it, size=SIZE, angle=180 if smear else 0, cap=128)
    tones = [rng.uniform(0.02, 0.25), rng.uniform(0.35, 0.9)]
    rng.shuffle(tones)
    sides = []
    for k, tone in enumerate(tones):
        grain = texture((SIZE[0] * 2, SIZE[1] * 2), 10 * seed + k, float(rng.uniform(2, 6)))[..., None] - 0.5
        sides.append(np.clip(tone * (1 + rng.uniform(-0.25, 0.25, 3)) * (1 + rng.uniform(0.1, 0.4) * grain), 0, 1).astype(np.float32))
    pictures, outlines = [], []
    for frame in FRAMES:
        alpha = cv2.GaussianBlur(render(whole, frame).alpha, (0, 0), soft)[..., None]
        goes = np.array([[1, 0, -240 + way[0] * (frame - 6)], [0, 1, -150 + way[1] * (frame - 6)]])
        front = cv2.warpAffine(sides[0], goes, SIZE, borderMode=cv2.BORDER_REFLECT)
        back = sides[1][: SIZE[1], : SIZE[0]]
        if in_light:
            mixed = display.shown(alpha * display.light(front) + (1 - alpha) * display.light(back))
        else:
            mixed = alpha * front + (1 - alpha) * back
        noisy = np.clip(mixed + np.random.default_rng([seed, frame]).normal(0, 0.012, mixed.shape), 0, 1)
        pictures.append((np.rint(noisy * 255) / 255).astype(np.float32))
        outlines.append(it.outlines(np.array([frame]))[0])
    return Plate(pictures, outlines)


def _decided(it: Plate) -> bool:
    fits = [
        edge_fit.measure(p, o, *edge_fit.parameters(o[None]), None, edge_fit.window_of(o))
        for p, o in zip(it.pictures, it.outlines, strict=True)
    ]
    return mixing.in_light([mixing.profile(p, fit) for p, fit in zip(it.pictures, fits, strict=True)])


def _pulled(picture: np.ndarray, outline: Floats, true: Floats, light: bool) -> float | None:
    """px that a pulled outline is off on the mean where its edge was known; None where the pull is refused."""
    segments, t = edge_fit.parameters(outline[None])
    fit = edge_fit.measure(picture, outline, segments, t, None, edge_fit.window_of(outline), light=light)
    if fit.known < KNOWN:
        return None
    known = np.isfinite(fit.offset)
    back = edge_fit.pulled(outline, fit, segments, t, range(len(outline)))
    return float(np.mean(_distances(back, true, segments[known], t[known])))


def fitting() -> Iterator[Row]:
    """Needs nothing but the core."""
    yield from advised()
    for in_light in (True, False):
        made = "in light" if in_light else "as displayed"
        for smear in SMEARS:
            right, stays, back, as_shown, refused = 0, [], [], [], 0
            for seed in range(FIRST, FIRST + PLATES):
                it = plate(seed, smear, in_light)
                told = _decided(it)
                right += told == in_light
                picture, true = it.pictures[2], it.outlines[2]
                angle = np.random.default_rng(seed).uniform(0, 2 * np.pi)
                shaken = true.copy()
                shaken[:, :2] += OFF * np.array([np.cos(angle), np.sin(angle)])
                for outline, into, light in ((true, stays, told), (shaken, back, told), (true, as_shown, False)):
                    off = _pulled(picture, outline, true, light)
                    refused += off is None and into is stays
                    if off is not None:
                        into.append(off)
            what = f"plates mixed {made}, " + (f"edges smeared by {smear:g} px" if smear else "edges still")
            yield f"{what}: told apart", f"{right} of {PLATES}", ""
            if stays:
                over = f"{np.mean(stays):.2f} px, at most {max(stays):.2f} ({refused} refused; {np.mean(as_shown):.2f} px as displayed)"
                yield f"{what}: exact outlines pulled off by", over, "at most 0.3"
                yield f"{what}: outlines {OFF:g} px off, pulled", f"{np.mean(back):.2f} px, at most {max(back):.2f}", "0.4 on the mean"
            else:
                yield f"{what}: exact outlines pulled off by", f"all {refused} refused", "at most 0.3, or refused"


def advised() -> Iterator[Row]:
    """Keys until the worst frame is within half a px, each set exactly on the frame that is said, or on the one that is truly worst."""
    for name, (it, frames) in (("a turning plank", plank()), ("a swinging limb of two parts", limb())):
        dense, base = baked(it, frames), steady(baked(it, frames)).shape
        wanted = looked_at(it.outlines(frames))

        def worst(few: Shape, frames: np.ndarray = frames, wanted: Floats = wanted) -> Floats:
            return _apart(looked_at(few.outlines(frames)), wanted)

        by_truth, told = _keys(base, frames, worst, worst)[0], []
        for seed in SEEDS:
            pictures = _drawn(dense, frames, seed)
            told.append(_keys(base, frames, worst, lambda few, p=pictures, f=frames: _seen(few, f, p)))  # type: ignore[misc]
        says = "; ".join(f"{keys} keys" if off <= WANTED else f"silent at {keys} keys, {off:.2f} px" for keys, off in told)
        yield (
            f"keys for {name}, {len(frames)} frames, each where the fit says, {len(SEEDS)} plates",
            says,
            f"{by_truth} by truth, times 1.15",
        )


def _keys(base: Shape, frames: np.ndarray, worst: Callable[[Shape], Floats], look: Callable[[Shape], Floats]) -> tuple[int, float]:
    """How many keys there are, and px that the worst frame is off by, once that is within reach or nothing more is said."""

    def keyed_there(few: Shape, frame: int) -> Shape:
        at = int(np.searchsorted(frames, frame))
        form = correct.put(few.form, frame, base.form.values[at], np.ones(base.form.parts, bool), together=True)
        return replace(few, form=form, place=correct.put(few.place, frame, base.place.values[at], np.ones(3, bool)))

    few = replace(base, form=Keys.build(frames[:1], base.form.values[:1]), place=Keys.build(frames[:1], base.place.values[:1]))
    few, keyed = keyed_there(few, int(frames[-1])), [int(frames[0]), int(frames[-1])]
    while (off := float(worst(few).max())) > WANTED:
        scores = look(few)
        told = int(frames[scores.argmax()]) if look is worst else edge_fit.where_to_key(scores, keyed, int(frames[0]))
        if told is None:
            break
        keyed.append(told)
        few = keyed_there(few, told)
    return len(keyed), off


def _drawn(it: Shape, frames: np.ndarray, seed: int) -> list[np.ndarray]:
    """Plates of a thing on a ground, as displayed, float32 (h, w, 3)."""
    whole = matte(it, size=LARGE, angle=0)
    back, front = (texture(LARGE, seed + k, 3.0)[..., None] * 0.3 + tone for k, tone in enumerate(TONES))
    out = []
    for frame in frames.tolist():
        alpha = cv2.GaussianBlur(render(whole, frame).alpha, (0, 0), 0.8)[..., None]
        noisy = alpha * front + (1 - alpha) * back + np.random.default_rng([seed, frame]).normal(0, 0.012, (*alpha.shape[:2], 3))
        out.append((np.rint(np.clip(noisy, 0, 1) * 255) / 255).astype(np.float32))
    return out


def _seen(few: Shape, frames: np.ndarray, pictures: list[np.ndarray]) -> Floats:
    """px (F,) of the worst stretch on each frame, as it is measured on the plates."""
    outlines = few.outlines(frames)
    segments, t = edge_fit.parameters(outlines)
    found = [
        edge_fit.by_segment(edge_fit.measure(p, o, segments, t, None, edge_fit.window_of(o)), segments, len(o))
        for p, o in zip(pictures, outlines, strict=True)
    ]
    return edge_fit.stretches_over_time(found)[:, 0]
