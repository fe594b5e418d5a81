"""How well an outline lies on the picture's edge.

At places along the outline the picture is sampled along the normal. How much its colour changes there, at each offset and at two widths, is
what an edge would be; the offsets of all places are then chosen together (dynamic programming around the outline, as in Amini, Weymouth
and Jain, "Using dynamic programming for solving variational problems in vision", IEEE PAMI 12, 1990), so that a stray edge beside one
place does not count against its neighbours. Where there is no contrast, or another shape lies over it, nothing is known, and that is said.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.picture import display
from roto.track.chain import chain

APART = 4.0
"""px along the outline between two places, on the frame where it is longest"""
WINDOW = 8.0
"""px to either side within which the edge is looked for"""
STEP = 0.5
"""px between two offsets"""
WIDTHS = (1.2, 3.0)
"""px: how soft an edge is looked for, as the sigma of a bell; the mean of both counts"""
LEAST, PLAIN = 0.025, 0.09
"""contrast (of black to white) below which nothing is known, and from which it is plain"""
STANDS_OUT = 1.5
"""times what changes beside it, that an edge must change beyond LEAST: texture has edges everywhere"""
BESIDE = 2.5
"""px from the edge, beyond which it is beside it"""
AT_A_KEY = 1.15
"""times its score that a weak frame with a key counts for: what is wrong at a key is wrong around it, and mended there"""
BENDS = 0.02
"""contrast that a step of one px in the offset from one place to the next is worth"""
NEARER = 0.0006
"""contrast that a px squared of offset is worth: of two equal edges the nearer one"""
HABIT = 0.75
"""px: who always traces a little inside of the edge, or outside of it, is not told so on every frame"""
WEAK = 1.0
"""px of mean offset from which a frame is weak"""
STRETCH, TOLD = 9, 6
"""places along the outline that are judged together, and of how many of them the edge must be known"""
TOLERANCE = 0.4
"""px: as far as a stretch may seem to be off where it is to lie within half a px"""
COVERS = 0.02
"""alpha from which another shape covers a place"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Fit:
    """An outline on one frame. places, outward: (S, 2), plate px and unit normals. offset: (S,) px from the outline outwards to the
    picture's edge, NaN where it is not known. confidence: (S,) 0..1."""

    places: Floats
    outward: Floats
    offset: Floats
    confidence: Floats

    @property
    def known(self) -> float:
        """The share of the outline on which the edge is known."""
        return float(np.isfinite(self.offset).mean()) if len(self.offset) else 0.0


def parameters(points: Floats) -> tuple[NDArray[np.int64], Floats]:
    """Segments (S,) and parameters (S,) of places that lie about APART px from each other, the same on every frame.

    points: (F, n, 6), the outlines of all frames.
    """
    ends = np.roll(points[:, :, :2], -1, axis=1) - points[:, :, :2]
    hulls = (
        np.hypot(*points[:, :, 4:6].transpose(2, 0, 1))
        + np.hypot(*np.roll(points[:, :, 2:4], -1, axis=1).transpose(2, 0, 1))
        + np.hypot(*ends.transpose(2, 0, 1))
    )
    counts = np.maximum(1, np.rint(0.6 * hulls.max(axis=0) / APART)).astype(int)
    segments = np.repeat(np.arange(len(counts)), counts)
    t = np.concatenate([(np.arange(c) + 0.5) / c for c in counts])
    return segments, t


def places_at(points: Floats, segments: NDArray[np.int64], t: Floats) -> tuple[Floats, Floats]:
    """Places (S, 2) of an outline (n, 6) and their outward unit normals (S, 2)."""
    nexts = np.roll(points, -1, axis=0)
    a, d = points[segments, :2], nexts[segments, :2]
    b, c = a + points[segments, 4:6], d + nexts[segments, 2:4]
    u = t[:, None]
    place = (1 - u) ** 3 * a + 3 * u * (1 - u) ** 2 * b + 3 * u * u * (1 - u) * c + u**3 * d
    along = (1 - u) ** 2 * (b - a) + 2 * u * (1 - u) * (c - b) + u * u * (d - c)
    along = np.where(np.hypot(*along.T)[:, None] < 1e-9, d - a, along)
    along /= np.maximum(np.hypot(*along.T)[:, None], 1e-12)
    x, y = place.T
    turns = np.sign(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1))) or 1.0
    return place, np.stack([along[:, 1], -along[:, 0]], axis=1) * turns


def _strength(picture: NDArray[np.float32], places: Floats, outward: Floats, window: float) -> Floats:
    """Contrast (S, D) of an edge across the normal at each offset, 0..1 or so."""
    reach = 3 * max(WIDTHS)
    offsets = np.arange(-window - reach, window + reach + STEP / 2, STEP)
    at = places[:, None] + offsets[None, :, None] * outward[:, None] - 0.5
    sampled = cv2.remap(
        picture, at[..., 0].astype(np.float32), at[..., 1].astype(np.float32), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
    )
    out = np.zeros(at.shape[:2])
    half = round(reach / STEP)
    for width in WIDTHS:
        x = np.arange(-half, half + 1) * STEP
        bell = x * np.exp(-0.5 * (x / width) ** 2) / width**2 * STEP
        bent = bell[None].astype(np.float32)
        change: NDArray[Any] = np.stack([cv2.filter2D(sampled[..., c], cv2.CV_32F, bent) for c in range(3)], axis=-1)
        change = _along(change)  # an edge runs on beside its neighbours: grain does not
        out = out + np.linalg.norm(change, axis=-1) / len(WIDTHS)
    return np.asarray(out[:, half:-half], np.float64)


def _strength_in_light(picture: NDArray[np.float32], places: Floats, outward: Floats, window: float) -> Floats:
    """The same of the picture in linear light, of which only what is near the outline is made."""
    far = math.ceil(window + 3 * max(WIDTHS)) + 2
    size = np.array(picture.shape[1::-1])
    low = np.clip(np.floor(places.min(axis=0)).astype(int) - far, 0, size - 1)
    high = np.clip(np.ceil(places.max(axis=0)).astype(int) + far, low + 1, size)
    part = display.light(picture[low[1] : high[1], low[0] : high[0]]).astype(np.float32)
    return _strength(part, places - low, outward, window)


def _along(values: NDArray[Any]) -> NDArray[np.float32]:
    """The mean with the two neighbours along the outline, the nearest counting double."""
    return np.asarray(0.5 * values + 0.25 * (np.roll(values, 1, axis=0) + np.roll(values, -1, axis=0)), np.float32)


def _mean_along(values: Floats, near: int = 6) -> Floats:
    """The mean over some neighbours along the outline."""
    return np.asarray(np.mean([np.roll(values, k) for k in range(-near, near + 1)], axis=0))


def measure(
    picture: NDArray[np.float32],
    points: Floats,
    segments: NDArray[np.int64],
    t: Floats,
    others: NDArray[np.float32] | None = None,
    window: float = WINDOW,
    light: bool = False,
) -> Fit:
    """How an outline (n, 6) lies on a picture (h, w, 3) as it is displayed, 0..1.

    others: (h, w), alpha of other shapes: where they cover the outline the picture does not show its edge. light: where the edge lies is
    looked for in linear light (see `mixing`); whether it is known goes by what is displayed, or no edge in the dark would be.
    """
    places, outward = places_at(points, segments, t)
    strength = _strength(picture, places, outward, window)
    if light:
        lit = _strength_in_light(picture, places, outward, window)
        strongest = [_mean_along(one.max(axis=1)) for one in (strength, lit)]
        strength = lit * (strongest[0] / np.maximum(strongest[1], 1e-9))[:, None]
    offsets = np.arange(strength.shape[1]) * STEP - window
    strongest = np.maximum(strength.max(axis=1, keepdims=True), 1e-9)
    gain = strength * np.minimum(1.0, 3 * PLAIN / strongest) - NEARER * offsets**2  # no place may outvote its neighbours
    at = chain(gain, BENDS * STEP)
    rows = np.arange(len(at))
    inner = np.clip(at, 1, strength.shape[1] - 2)
    before, here, after = strength[rows, inner - 1], strength[rows, inner], strength[rows, inner + 1]
    bend = before - 2 * here + after
    part = np.where(bend < -1e-9, 0.5 * (before - after) / np.where(bend < -1e-9, bend, -1.0), 0.0)
    offset = offsets[inner] + np.clip(part, -1, 1) * STEP
    height, width = picture.shape[:2]
    texture = np.nanmedian(np.where(np.abs(offsets[None] - offset[:, None]) > BESIDE, strength, np.nan), axis=1)
    stands = here - STANDS_OUT * _mean_along(texture)
    known = (stands > LEAST) & (at == inner) & (places > 2).all(axis=1) & (places < np.array([width, height]) - 2).all(axis=1)
    if others is not None:
        column, row = np.clip(np.floor(places).astype(int), 0, np.array([width, height]) - 1).T
        known &= others[row, column] < COVERS
    confidence = np.where(known, np.clip((stands - LEAST) / (PLAIN - LEAST), 0.05, 1.0), 0.0)
    return Fit(places=places, outward=outward, offset=np.where(known, offset, np.nan), confidence=confidence)


def weakest(scores: Floats, keyed: NDArray[np.bool_], first: int) -> list[int]:
    """Frames by how weak they are, the weakest first; of frames next to each other the one that stands for them.

    scores: (F,) px, of frames from `first` on, NaN where nothing is known. keyed: (F,), which of them have a key.
    """
    known = np.nan_to_num(scores, nan=0.0)
    padded = np.pad(known, 1, mode="edge")
    calm = np.median(np.stack([padded[:-2], known, padded[2:]]), axis=0) * np.where(keyed, AT_A_KEY, 1.0)
    out: list[int] = []
    for k in np.argsort(-calm, kind="stable"):
        if known[k] >= WEAK and all(abs(int(k) + first - f) > 2 for f in out):
            out.append(int(k) + first)
    return out


def where_to_key(scores: Floats, keyed: Sequence[int], first: int) -> int | None:
    """The frame at which a key would help most: of those whose outline is off somewhere by more than TOLERANCE, where it is off most, the
    more so the farther from any key; None where all is well.

    scores: (F,) px, of the worst stretch on frames from `first` on, NaN where nothing is known.
    """
    frames = np.arange(first, first + len(scores))
    away = np.abs(frames[:, None] - np.asarray(keyed, dtype=np.int64)[None]).min(axis=1) if len(keyed) else np.full(len(frames), 12)
    off = np.nan_to_num(scores)
    worth = off * np.minimum(1.0, 0.4 + away / 10.0) * ((away > 0) & (off > TOLERANCE))
    return int(frames[worth.argmax()]) if worth.max(initial=0.0) > 0.0 else None


def pulled(points: Floats, fit: Fit, segments: NDArray[np.int64], t: Floats, which: Sequence[int], calm: float = 0.6) -> Floats:
    """An outline (n, 6) with some of its points moved so that it comes to lie on the edge that was found, as one: neighbours move alike.

    Least squares over where every known place would come to lie, with the bend of the moves along the outline (times `calm`) held down;
    places that stay far off in the first answer count little in the last (iteratively reweighted).
    """
    n, chosen = len(points), sorted(set(which))
    column = {p: k for k, p in enumerate(chosen)}
    share = np.stack([(1 - t) ** 3 + 3 * t * (1 - t) ** 2, 3 * t * t * (1 - t) + t**3], axis=1)
    known = np.flatnonzero(np.isfinite(fit.offset))
    known = known[[s for s in range(len(known)) if int(segments[known[s]]) in column or (int(segments[known[s]]) + 1) % n in column]]
    if not len(known):
        return points
    rows = np.zeros((len(known), 2 * len(chosen)))
    for r, s in enumerate(known):
        for end, part in ((int(segments[s]), share[s, 0]), ((int(segments[s]) + 1) % n, share[s, 1])):
            if end in column:
                rows[r, 2 * column[end] : 2 * column[end] + 2] += part * fit.outward[s]
    bends = []
    for p in chosen:
        before, after = (p - 1) % n, (p + 1) % n
        for axis in (0, 1):
            row = np.zeros(2 * len(chosen))
            row[2 * column[p] + axis] = 1.0
            for beside in (before, after):
                if beside in column:
                    row[2 * column[beside] + axis] -= 0.5
            bends.append(row * calm)
    weight = np.sqrt(fit.confidence[known])
    moves = np.zeros(2 * len(chosen))
    for _ in range(5):
        left = np.concatenate([rows * weight[:, None], np.array(bends)])
        moves = np.linalg.lstsq(left, np.concatenate([weight * fit.offset[known], np.zeros(len(bends))]), rcond=None)[0]
        off = np.abs(rows @ moves - fit.offset[known])
        weight = np.sqrt(fit.confidence[known] / (1 + (off / 1.0) ** 2))
    out = points.copy()
    out[chosen, :2] += moves.reshape(-1, 2)
    return out


Summary = list[tuple[float | None, float, float, float | None]]
"""of each segment: mean offset px (None where nothing is known), mean of its size px, how sure (the sum over its places, as a share of all
places of the outline), and px that its worst stretch is off by (None where none is known)"""
LEAST_CONFIDENT = 0.12
"""of an outline: what must be surely known of it for a frame to have a score"""
SLENDER = 0.4
"""of the width of a slender shape: how far from its outline its edge may be, or the opposite side's would be found"""


def window_of(points: Floats, most: float = WINDOW) -> float:
    """px within which the edge of an outline (n, 6) is best looked for: `most`, less for slender ones."""
    segments = np.repeat(np.arange(len(points)), 8)
    places, _ = places_at(points, segments, np.tile(np.arange(8) / 8, len(points)))
    x, y = places.T
    area = 0.5 * abs(float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1))))
    around = float(np.hypot(*(np.roll(places, -1, axis=0) - places).T).sum())
    return float(np.clip(SLENDER * 2 * area / max(around, 1e-9), 3.0, most))


def by_segment(fit: Fit, segments: NDArray[np.int64], count: int) -> Summary:
    """What a fit says of each segment of the outline."""
    out: Summary = []
    stretches = _stretches(fit)
    for k in range(count):
        here = (segments == k) & np.isfinite(fit.offset)
        weight = fit.confidence[here]
        total = float(weight.sum())
        if total <= 0:
            out.append((None, 0.0, 0.0, None))
            continue
        offset, worst = fit.offset[here], stretches[here]
        top = float(np.nanmax(worst)) if np.isfinite(worst).any() else None
        out.append((float(weight @ offset) / total, float(weight @ np.abs(offset)) / total, total / len(segments), top))
    return out


def _stretches(fit: Fit) -> Floats:
    """px (S,) that the places around each are off by on the mean; NaN where too few of them are known."""
    known = np.isfinite(fit.offset).astype(np.float64)
    off = np.abs(np.nan_to_num(fit.offset))
    near = range(-(STRETCH // 2), STRETCH // 2 + 1)
    sums, count = (np.sum([np.roll(values, k) for k in near], axis=0) for values in (off, known))
    return np.asarray(np.where(count >= TOLD, sums / np.maximum(count, 1.0), np.nan))


def stretches_over_time(frames: Sequence[Summary | None]) -> Floats:
    """px (F, 2) that an outline's worst segment is off by on its worst stretch, and its second worst, less (in squares) what these are off
    by as a rule, at most HABIT; NaN where nothing is known. A point that lies wrong shows in both segments beside it; an edge of
    something else beside one segment does not."""
    count = max((len(f) for f in frames if f), default=0)
    top = np.full((len(frames), count), np.nan)
    for row, summary in enumerate(frames):
        if summary and len(summary) == count:
            top[row] = [np.nan if worst is None else worst for _, _, _, worst in summary]
    out = np.full((len(frames), 2), np.nan)
    told = np.isfinite(top)
    if not told.any():
        return out
    usual = np.array([min(float(np.median(top[told[:, k], k])), HABIT) if told[:, k].any() else 0.0 for k in range(count)])
    off = np.sqrt(np.where(told, np.maximum(0.0, np.nan_to_num(top) ** 2 - usual**2), 0.0))
    ranked = np.sort(np.pad(off, ((0, 0), (2, 0))), axis=1)[:, :-3:-1]
    return np.asarray(np.where(told.any(axis=1)[:, None], ranked, np.nan))


def scores_over_time(frames: Sequence[Summary | None]) -> Floats:
    """px (F,) that an outline is off on each frame, from what was known of its segments, less what it is off by as a rule (at most HABIT);
    NaN where nothing is known."""
    count = max((len(f) for f in frames if f), default=0)
    mean = np.full((len(frames), count), np.nan)
    size, confidence = np.zeros_like(mean), np.zeros_like(mean)
    for row, summary in enumerate(frames):
        if summary and len(summary) == count:
            for k, (offset, much, weight, _) in enumerate(summary):
                if offset is not None:
                    mean[row, k], size[row, k], confidence[row, k] = offset, much, weight
    known = np.isfinite(mean)
    usual = np.zeros(count)
    for k in range(count):
        if known[:, k].sum() >= max(3, len(frames) // 4):
            usual[k] = np.clip(np.median(mean[known[:, k], k]), -HABIT, HABIT)
    here = np.where(known, mean, 0.0)
    off = np.abs(here - usual) + np.maximum(0.0, size - np.abs(here))
    total = confidence.sum(axis=1)
    return np.asarray(np.where(total > LEAST_CONFIDENT, (confidence * off).sum(axis=1) / np.where(total > 0, total, 1.0), np.nan))
