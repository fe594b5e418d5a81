"""Outlines on the picture's edge: whether exact ones stay and others come back, on plates mixed in light and on plates mixed as displayed.

Each plate has a thing, a ground, tones, a softness and a way of its own; nothing is set on them.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache

import cv2
import numpy as np

from benchmarks.clips import texture
from benchmarks.scenes import blob, matte, shape
from benchmarks.tracks import _distances
from roto.arrays import Floats
from roto.matte.render import render
from roto.picture import display
from roto.track import edge_fit, mixing

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
