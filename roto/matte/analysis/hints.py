"""Finding a region from a few painted hints: colours learned from strokes inside and outside, and a cut that follows edges.

Rother, Kolmogorov and Blake, "GrabCut", SIGGRAPH 2004, as OpenCV has it: mixtures of colours for both sides, and the cheapest cut between
them. First on a small picture, to know where; then on the part around it, where only a band is left open.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import cv2
import numpy as np

from roto.arrays import Bytes, Flags, Floats
from roto.errors import BadGeometry

FIRST, SECOND = 60_000, 220_000
"""pixels of the pictures that are cut: all of it, and the part around what was found"""
TURNS = (4, 2)
"""rounds of learning and cutting on either"""
BAND = 5
"""pixels of the small picture to either side of what was found, that are left open"""
LIKE, LEAST_SPREAD = 3.0, 5.0
"""spreads of a stroke's colours within which others are like them; a spread is no less than so many steps of 8-bit Lab"""
MIXED = 0.58
"""of a region softened by a pixel: its edge lies here, since a cut gives mixed pixels to the inside rather than to the outside"""
ELSEWHERE = 1.0
"""times as many pixels as a region has, that lie elsewhere and have colours like those below its strokes: colour does not tell it apart"""
LEAST = 12
"""pixels of a region: fewer are none"""
WHOLE = 0.97
"""share of the picture: more is no region"""
NONE = "Paint within what is meant first: nothing is marked as inside."
CROSSED = "Strokes for inside and outside lie on top of each other. Take one of them back."
ALIKE = "The colours inside and outside are too alike here to tell them apart. Draw a rough loop around it first, and paint within."
MANY = (
    "Colours like these are all over the picture, so this will spill. Take the strokes back, draw a large loop around it first, then paint."
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Hint:
    """A stroke: path (k, 2) of its middle and its radius, px; whether it marks what is inside."""

    path: Floats
    radius: float
    inside: bool


class Region(NamedTuple):
    """What hints mean, as pixels (h, w) of a part of the picture. found: the region, without its holes. holes: those in which somebody has
    painted outside. scale: how many of its pixels stand a px of the picture; corner: the px at which its first corner lies. says: what
    somebody should know, or ""."""

    found: Flags
    holes: Flags
    scale: float
    corner: Floats
    says: str = ""


def _painted(hints: Sequence[Hint], inside: bool, size: tuple[int, int], scale: float, corner: Floats) -> Flags:
    """Which pixels (h, w) of a smaller picture hints of one side cover."""
    out = np.zeros(size[::-1], np.uint8)
    for hint in (h for h in hints if h.inside == inside):
        line = np.rint(((hint.path - corner) * scale - 0.5) * 16).astype(np.int32)
        cv2.polylines(out, [line], False, 1, max(1, round(2 * hint.radius * scale)), cv2.LINE_8, 4)
        for spot in line[[0, -1]]:
            cv2.circle(out, (int(spot[0]), int(spot[1])), max(8, round(hint.radius * scale * 16)), 1, -1, cv2.LINE_8, 4)
    return out > 0


def _alike(picture: Bytes, hints: Sequence[Hint], size: tuple[int, int], scale: float, corner: Floats) -> Flags:
    """Which pixels (h, w) have colours like those below one of the strokes inside, and less like those outside: by Mahalanobis' distance
    from each stroke's own."""
    calm = cv2.GaussianBlur(cv2.cvtColor(picture, cv2.COLOR_RGB2Lab), (0, 0), 1.0).astype(np.float64)
    far = {True: np.full(calm.shape[:2], LIKE**2), False: np.full(calm.shape[:2], np.inf)}
    for hint in hints:
        below = calm[_painted([hint], hint.inside, size, scale, corner)]
        if len(below) < 4:
            continue
        spread = np.linalg.inv(np.cov(below.T) + LEAST_SPREAD**2 * np.eye(3))
        off = calm - below.mean(axis=0)
        far[hint.inside] = np.minimum(far[hint.inside], np.einsum("hwi,ij,hwj->hw", off, spread, off))
    return np.asarray((far[True] < LIKE**2) & (far[True] < far[False]))


def _cut(picture: Bytes, known: Bytes, turns: int) -> Flags:
    """known: as OpenCV's grabCut has it."""
    cv2.setRNGSeed(7)  # its mixtures begin with drawn numbers: the same hints give the same region
    mixtures = np.zeros((1, 65)), np.zeros((1, 65))
    calm = cv2.bilateralFilter(picture, 5, 18, 3)
    mask, _, _ = cv2.grabCut(calm, known.copy(), (0, 0, 1, 1), *mixtures, turns, cv2.GC_INIT_WITH_MASK)
    return np.asarray((mask == cv2.GC_FGD) | (mask == cv2.GC_PR_FGD))


def _touched(found: Flags, strokes: Flags) -> Flags:
    """The pieces that a stroke touches."""
    _, labels = cv2.connectedComponents(found.astype(np.uint8), connectivity=4)
    kept = np.unique(labels[strokes & found])
    return np.asarray(np.isin(labels, kept[kept > 0]))


def _filled(whole: Flags) -> Flags:
    """Pieces without their holes."""
    contours, _ = cv2.findContours(whole.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    out = np.zeros(whole.shape, np.uint8)
    cv2.drawContours(out, contours, -1, 1, -1)
    return out > 0


def _known(inside: Flags, outside: Flags, within: Flags | None, likely: Flags) -> Bytes:
    known = np.where(likely, cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
    if within is not None:
        known[~within] = cv2.GC_BGD
    known[outside] = cv2.GC_BGD
    known[inside] = cv2.GC_FGD
    return known


def region(picture: Bytes, hints: Sequence[Hint], loop: Floats | None = None) -> Region:
    """What the hints mean in a picture, uint8 (h, w, 3).

    loop: (m, 2) px, a rough outline around it: only inside of it is looked. Raises BadGeometry with what to do where nothing is marked,
    strokes contradict each other, or the colours do not tell.
    """
    size = np.array(picture.shape[1::-1], float)
    if not any(hint.inside for hint in hints) and loop is None:
        raise BadGeometry(NONE)
    low, high = np.zeros(2), size
    if loop is not None:
        low, high = np.clip(loop.min(axis=0) - 8, 0, size), np.clip(loop.max(axis=0) + 8, 0, size)
    first = _found(picture, hints, loop, (low, high), FIRST, TURNS[0], None)
    rows, columns = np.flatnonzero(first.found.any(axis=1)), np.flatnonzero(first.found.any(axis=0))
    room, low, scale = 3 * BAND / first.scale, first.corner, first.scale
    near = low + np.array([columns[0], rows[0]]) / scale - room, low + np.array([columns[-1] + 1, rows[-1] + 1]) / scale + room
    part = np.clip(np.floor(near[0]), 0, size), np.clip(np.ceil(near[1]), 0, size)
    return _found(picture, hints, loop, part, SECOND, TURNS[1], first)


def _found(
    picture: Bytes,
    hints: Sequence[Hint],
    loop: Floats | None,
    part: tuple[Floats, Floats],
    most: int,
    turns: int,
    before: Region | None,
) -> Region:
    """What is found in a part of the picture (its corners, px), at a scale that has so many pixels at the most."""
    corner = part[0].astype(int)
    (x0, y0), (x1, y1) = corner, part[1].astype(int)
    if x1 - x0 < 8 or y1 - y0 < 8:
        raise BadGeometry("What is marked lies outside the picture, or is too small.")
    scale = min(1.0, float(np.sqrt(most / ((x1 - x0) * (y1 - y0)))))
    wide = (max(8, round((x1 - x0) * scale)), max(8, round((y1 - y0) * scale)))
    small = np.asarray(cv2.resize(picture[y0:y1, x0:x1], wide, interpolation=cv2.INTER_AREA), np.uint8)
    inside, outside = (_painted(hints, side, wide, scale, part[0]) for side in (True, False))
    if (inside & outside).sum() > 0.5 * min(inside.sum(), outside.sum() or np.inf):
        raise BadGeometry(CROSSED)
    inside &= ~outside
    within = None
    if loop is not None:
        within = np.zeros(wide[::-1], np.uint8)
        cv2.fillPoly(within, [np.rint(((loop - part[0]) * scale - 0.5) * 16).astype(np.int32)], (1,), cv2.LINE_8, 4)
        within = within > 0
    says = "" if before is None else before.says
    if before is None:
        likely = within if within is not None else inside | _alike(small, hints, wide, scale, part[0])
        known = _known(inside, outside, within, likely)
        if loop is None:  # what lies at the picture's border is likely not meant; where strokes outside tell more, by its colours alone
            edge = np.ones(known.shape, bool)
            edge[2:-2, 2:-2] = False
            known[edge & ~(inside if not outside.any() else likely)] = cv2.GC_BGD
    else:
        at, first = before.scale, before.corner
        map_ = np.array([[scale / at, 0, (first[0] - part[0][0]) * scale], [0, scale / at, (first[1] - part[0][1]) * scale]])
        map_[:, 2] += 0.5 * (scale / at - 1)  # pixel middles
        likely = cv2.warpAffine((before.found & ~before.holes).astype(np.float32), map_, wide, flags=cv2.INTER_LINEAR) > 0.5
        known = _known(inside, outside, within, likely)
        reach = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, [2 * max(2, round(BAND * scale / at)) + 1] * 2)
        sure, far = cv2.erode(likely.astype(np.uint8), reach) > 0, cv2.dilate(likely.astype(np.uint8), reach) == 0
        known[sure & ~outside], known[far & ~inside] = cv2.GC_FGD, cv2.GC_BGD
    if not (known == cv2.GC_BGD).any() and not (known == cv2.GC_PR_BGD).any():
        raise BadGeometry(ALIKE)
    seeds = inside if inside.any() else likely
    whole = _touched(_cut(small, known, turns) & ~outside, seeds)
    found = _filled(whole)
    if found.sum() < LEAST or found.mean() > WHOLE:
        raise BadGeometry(ALIKE)
    if before is None and within is None and (likely & ~found).sum() > ELSEWHERE * found.sum():
        says = MANY
    return Region(found, _touched(found & ~whole, outside), scale, part[0], says)


def _lines(mask: Flags, least: float, it: Region) -> list[Floats]:
    """The lines (m, 2), px of the picture, around the pieces of a mask, the largest first. least: of a mask softened by a pixel, what lies
    within."""
    blurred = cv2.GaussianBlur(mask.astype(np.float32), (0, 0), 1.0)
    fine = cv2.resize(blurred, None, fx=2, fy=2, interpolation=cv2.INTER_LINEAR) > least
    contours, _ = cv2.findContours(fine.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    lines = [line[:, 0, :].astype(np.float64) for line in sorted(contours, key=cv2.contourArea, reverse=True)]
    return [np.asarray((line[:: max(1, len(line) // 1500)] + 0.5) / (2 * it.scale) + it.corner) for line in lines]


def outline_of(it: Region) -> Floats:
    """The line (m, 2), px of the picture, around the largest piece of what `region` found."""
    lines = _lines(it.found, MIXED, it)
    if not lines:
        raise BadGeometry(ALIKE)
    return lines[0]


def holes_of(it: Region) -> list[Floats]:
    """The lines around its holes."""
    return [line for line in _lines(it.holes, 1 - MIXED, it) if len(line) > 8]
