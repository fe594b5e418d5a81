"""Outlines found by painted hints: how far off they are after how many strokes, on drawn things with colours of their own, and how long a
stroke takes."""

import time

import cv2
import numpy as np
from scipy.spatial import cKDTree

from benchmarks.clips import texture
from roto.arrays import Bytes, Floats
from roto.matte.analysis.hints import Hint, outline_of, region

Row = tuple[str, str, str]
SIZE = (1920, 1080)
THINGS, STROKES = 10, 5


def _thing(seed: int) -> tuple[Bytes, Floats]:
    """A lobed thing in two colours over a ground of two others, all mottled, with grain; its outline (m, 2)."""
    rng = np.random.default_rng(seed)
    angle = 2 * np.pi * np.arange(4000) / 4000
    r = rng.uniform(140, 280) * (1 + 0.2 * np.sin(3 * angle + rng.uniform(0, 6)) + 0.08 * np.sin(5 * angle + rng.uniform(0, 6)))
    outline = np.stack([960 + r * np.cos(angle), 540 + r * np.sin(angle)], axis=1)
    big = np.zeros((2 * SIZE[1], 2 * SIZE[0]), np.uint8)
    cv2.fillPoly(big, [np.rint(outline * 32 - 8).astype(np.int32)], (255,), cv2.LINE_8, 4)
    there = np.asarray(cv2.resize(big, SIZE, interpolation=cv2.INTER_AREA), np.float32)[:, :, None] / 255
    hues = rng.permutation(np.array([[0.72, 0.3, 0.26], [0.75, 0.62, 0.3], [0.3, 0.45, 0.6], [0.35, 0.45, 0.3]]))
    if seed % 2:
        hues = hues[[0, 2, 1, 3]]
    parts = [texture(SIZE, 10 * seed + k, 3.0)[:, :, None] - 0.5 for k in range(4)]
    across = (np.arange(SIZE[0]) > 960)[None, :, None]
    own = np.where(across, hues[0] + 0.25 * parts[0], hues[1] + 0.25 * parts[1])
    ground = np.where((np.arange(SIZE[1]) > 600)[:, None, None], hues[2] + 0.25 * parts[2], hues[3] + 0.25 * parts[3])
    picture = own * there + ground * (1 - there) + rng.normal(0, 0.015, ground.shape)
    return np.asarray(np.clip(picture * 255, 0, 255), np.uint8), outline


def _next(found: Floats, outline: Floats) -> Hint:
    """A stroke in the middle of the largest place that is wrong, as somebody paints who sees it."""
    masks = []
    for line in (found, outline):
        mask = np.zeros(SIZE[::-1], np.uint8)
        cv2.fillPoly(mask, [np.rint(line * 16 - 8).astype(np.int32)], (1,), cv2.LINE_8, 4)
        masks.append(mask)
    deep = [cv2.distanceTransform(wrong, cv2.DIST_L2, 5) for wrong in (masks[1] & ~masks[0] & 1, masks[0] & ~masks[1] & 1)]
    side = int(deep[1].max() > deep[0].max())
    y, x = np.unravel_index(int(deep[side].argmax()), deep[side].shape)
    wide = float(np.clip(deep[side].max() * 0.6, 1.0, 14.0))
    return Hint(path=np.array([[x - wide / 2, y], [x + wide / 2, y]], float), radius=wide, inside=side == 0)


def hints() -> list[Row]:
    """Strokes needed, px left, seconds a stroke."""
    left, counts, took = [], [], []
    for seed in range(THINGS):
        picture, outline = _thing(seed)
        strokes = [Hint(path=np.array([[880.0, 520], [1040, 560]]), radius=12, inside=True)]
        for count in range(1, STROKES + 1):
            begin = time.perf_counter()
            found = outline_of(region(picture, strokes))
            took.append(time.perf_counter() - begin)
            off = float(cKDTree(outline).query(found)[0].mean())
            if off <= 1 or count == STROKES:
                break
            strokes.append(_next(found, outline))
        left.append(off)
        counts.append(count)
    good = np.array(left) <= 1
    return [
        (f"things of {THINGS} found to 1 px mean within four strokes after the first", f"{good.sum()}", "7"),
        ("strokes that took, on the median; px left, on the median", f"{np.median(counts):.0f}; {np.median(left):.2f}", ""),
        ("a stroke, full HD", f"{np.median(took):.2f} s, at most {max(took):.2f}", "1 s"),
    ]
