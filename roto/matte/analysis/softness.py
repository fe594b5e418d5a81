"""Softness read from the plate: how wide the picture's own edge is along an outline, and how far it lies off.

At places along the outline the picture is sampled along the normal, on the line of colour that parts what lies inside from what lies
outside. An edge that a lens has softened rises there like the integral of a bell curve (the edge-spread function); its width and place are
found by least squares over a grid of such edges, refined between its nodes. What softened it is that bell less what else spreads an edge:
the pixel itself, and the shape's own motion across the exposure (which smears it evenly, see `without_smear`). A straight ramp of the
same variance is
sqrt(12) of its root wide: that is the reach. Where the picture gives no answer (little contrast, noise, another edge beside it) it is
unknown, and says so.
"""

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.special import erf

from roto.arrays import Bytes, Floats

STEP = 0.5
"""px between two samples along a normal"""
APART = 3.0
"""px along the outline between two places"""
WINDOWS = (6.0, 14.0, 30.0)
"""px to either side of the outline that are looked at: the narrowest that holds the whole edge counts"""
SIGMAS, OFFSETS = 28, 21
LEAST_CONTRAST = 0.06
"""of the range from black to white: below it an edge is not told from texture"""
LEAST_FIT = 0.80
"""of the variance along the normal that the edge must explain"""
COVERS, BESIDE = 0.02, 4
"""alpha from which another shape covers a place, and px beside it within which it spoils what is read"""
SPREAD = 1.0 / 12.0 + 1.0 / 6.0
"""px squared: variance that every edge has beside its own, of the pixel's area, and of reading between pixels along straight lines"""
SMEARED = 4.0
"""px: of a smear that explains all of an edge and is longer than this, it cannot be told how soft the edge is beneath"""
RAMP = np.sqrt(12.0)
"""width of a straight ramp, in roots of its variance"""
LEAST_PLACES, LEAST_KNOWN, LEAST_LENS = 12, 0.3, 0.2
"""places, and part of the outline, that must tell for a lens to be offered; px of sigma below which an edge is as good as sharp"""
STRAY = 0.5
"""px"""
RAMP_APART = 0.00603
"""a straight ramp and a bell of the same variance: the integral of their squared difference, in sigmas"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Softness:
    """What was read at places along an outline.

    at: (S,) where, in segments and parameters (2.5: the middle of the third segment). width: (S,) px of the reach, NaN where unknown.
    offset: (S,) px that the edge lies outside of the outline (negative: inside), NaN where unknown. outward: (S, 2), the unit normals.
    """

    at: Floats
    width: Floats
    offset: Floats
    outward: Floats

    @property
    def known(self) -> float:
        """On which part of the outline the picture gave an answer, 0..1."""
        return float(np.isfinite(self.width).mean()) if len(self.width) else 0.0

    def reach_of_points(self, count: int) -> Floats:
        """Inner and outer reach (count, 2) for the outline's points, from the places nearer to it than to the next; NaN where unknown."""
        width, offset, _ = self._of_points(count).T
        return np.stack([np.maximum(0.0, width / 2 - offset), np.maximum(0.0, width / 2 + offset)], axis=1)

    def _of_points(self, count: int) -> Floats:
        """Width, offset (px) and how many places tell them (count, 3) for the outline's points; NaN where unknown."""
        out = np.full((count, 3), np.nan)
        for i in range(count):
            away = np.abs((self.at - i + count / 2) % count - count / 2)
            here = (away < 0.5) & np.isfinite(self.width)
            if here.sum() >= max(2, 0.4 * (away < 0.5).sum()):
                out[i] = np.median(self.width[here]), np.median(self.offset[here]), here.sum()
        return out

    def as_lens(self, count: int) -> tuple[float, float] | None:
        """Sigma (px) of a bell, and how far it lies outside of the outline (px), where one lens all around explains what was read better
        than a straight reach of each of the outline's points does; else None.

        Both are held against the widths that were read at the points by the integral of the squared difference of edges, the energy
        distance of the two spreads. How far the edge lies off is a matter of the outline, as long as it lies within STRAY of where it does
        on the whole.
        """
        width, offset, places = (column[np.isfinite(column)] for column in self._of_points(count).T)
        if places.sum() < LEAST_PLACES or self.known < LEAST_KNOWN:
            return None
        lens, off = float(np.nanmedian(self.width)) / RAMP, float(np.nanmedian(self.offset))
        if lens < LEAST_LENS or np.median(np.abs(offset - off)) > STRAY:
            return None
        sigma = width / RAMP
        if np.average(_apart(sigma, lens), weights=places) > RAMP_APART * np.average(sigma, weights=places):
            return None
        return lens, off


def _apart(one: Floats, other: float) -> Floats:
    """The integral of the squared difference of two edges in one place that bells of these sigmas soften."""
    return np.asarray(np.sqrt(2 / np.pi) * np.sqrt(one * one + other * other) - (one + other) / np.sqrt(np.pi))


Places = tuple[Floats, Floats, Floats]
"""along an outline: where (S,) in segments, the places (S, 2), and the unit normals outwards (S, 2)"""


def places_along(points: Floats, apart: float = APART) -> Places:
    """Places along an outline (n, 6), so many px from each other."""
    n = len(points)
    t = (np.arange(64) + 0.5) / 64
    u = 1 - t
    basis = np.stack([u**3, 3 * u * u * t, 3 * u * t * t, t**3])
    slope = np.stack([-3 * u * u, 3 * u * u - 6 * u * t, 6 * u * t - 3 * t * t, 3 * t * t])
    nxt = np.roll(points, -1, axis=0)
    corners = np.stack([points[:, :2], points[:, :2] + points[:, 4:], nxt[:, :2] + nxt[:, 2:4], nxt[:, :2]])
    fine = np.einsum("ck,cnd->nkd", basis, corners).reshape(-1, 2)
    along = np.einsum("ck,cnd->nkd", slope, corners).reshape(-1, 2)
    steps = np.hypot(*(np.roll(fine, -1, axis=0) - fine).T)
    arc = np.concatenate([[0.0], np.cumsum(steps)[:-1]])
    wanted = np.arange(0.0, steps.sum(), apart)
    which = np.unique(np.clip(np.searchsorted(arc, wanted), 0, len(arc) - 1))
    area = float(fine[:, 0] @ np.roll(fine[:, 1], -1) - np.roll(fine[:, 0], -1) @ fine[:, 1])
    tangent = along[which] / np.maximum(np.linalg.norm(along[which], axis=1, keepdims=True), 1e-9)
    outward = np.stack([tangent[:, 1], -tangent[:, 0]], axis=1) * np.sign(area)
    at = which // 64 + t[which % 64]
    return np.asarray(at % n), fine[which], outward


def _profiles(picture: NDArray[np.float32] | Bytes, places: Floats, outward: Floats, window: float) -> NDArray[np.float32]:
    """The picture (S, N, c), 0..1, along the normals, from inside out, a little averaged along the edge against grain."""
    x = np.arange(-window, window + STEP / 2, STEP)
    tangent = np.stack([-outward[:, 1], outward[:, 0]], axis=1)
    total = np.zeros((len(places), len(x), picture.shape[2]), np.float32)
    beside = (-1.5, -0.5, 0.5, 1.5)
    line = places[:, None] + x[None, :, None] * outward[:, None]
    middle = (line - 0.5).astype(np.float32)  # OpenCV has whole numbers at the pixels' centres
    for b in beside:
        maps = middle + (b * tangent).astype(np.float32)[:, None]
        total += cv2.remap(picture, maps, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT).reshape(total.shape)  # type: ignore[call-overload]
    return np.asarray(total * np.float32(1 / (len(beside) * (255 if picture.dtype == np.uint8 else 1))), dtype=np.float32)


@lru_cache
def _edges(window: float) -> tuple[NDArray[np.float32], Floats, Floats]:
    """A grid of edges from 1 inside to 0 outside (N, SIGMAS * OFFSETS), each about its mean and of length 1; their sigmas and offsets."""
    x = np.arange(-window, window + STEP / 2, STEP)
    sigma, offset = np.meshgrid(np.geomspace(0.3, window / 2, SIGMAS), np.linspace(-window / 2, window / 2, OFFSETS), indexing="ij")
    edges = 0.5 - 0.5 * erf((x[None] - offset.reshape(-1, 1)) / (np.sqrt(2) * sigma.reshape(-1, 1)))
    plain = edges - edges.mean(axis=1, keepdims=True)
    plain /= np.linalg.norm(plain, axis=1, keepdims=True)
    return np.ascontiguousarray(plain.T, dtype=np.float32), sigma.ravel(), offset.ravel()


def _fitted(profiles: Floats | NDArray[np.float32], window: float) -> tuple[Floats, Floats, Floats]:
    """Sigma, offset and the share of variance explained (S,) of the best edge, refined between the grid's nodes."""
    plain, sigma, offset = _edges(window)
    data = (profiles - profiles.mean(axis=1, keepdims=True)).astype(np.float32)
    score = data @ plain
    np.square(score, out=score)
    power = np.maximum(np.einsum("sn,sn->s", data, data), 1e-12).astype(np.float64)
    best = score.argmax(axis=1)
    row, column = best // OFFSETS, best % OFFSETS
    every = np.arange(len(score))

    def at(row: NDArray[np.int64], column: NDArray[np.int64]) -> Floats:
        return np.asarray(score[every, row * OFFSETS + column] / power)

    def between(before: Floats, here: Floats, after: Floats) -> Floats:
        bend = before - 2 * here + after
        return np.clip(np.where(np.abs(bend) > 1e-12, 0.5 * (before - after) / np.where(bend == 0, 1, bend), 0.0), -0.5, 0.5)

    r = np.clip(row, 1, SIGMAS - 2)
    c = np.clip(column, 1, OFFSETS - 2)
    up = between(at(r - 1, column), at(r, column), at(r + 1, column)) * (r == row)
    side = between(at(row, c - 1), at(row, c), at(row, c + 1)) * (c == column)
    ratio = (window / 2 / 0.3) ** (1 / (SIGMAS - 1))
    return sigma[best] * ratio**up, offset[best] + side * (window / (OFFSETS - 1)), at(row, column)


def read_softness(
    picture: NDArray[np.float32], points: Floats, moved: Floats | None = None, others: NDArray[np.float32] | None = None
) -> Softness:
    """How soft the picture's edge is along an outline.

    picture: (h, w, c), any evenly lit scale, 0..1. points: (n, 6), the outline on its frame, plate px. moved: (n, 2), how far each point
    travels within the exposure (px); what that spreads the edge by is taken out, since motion blur puts it in again. others: (h, w), alpha
    of other shapes; where they cover the outline, or lie right beside it, its edge is not what the picture shows.
    """
    return read_along(picture, places_along(points), moved, others)


def read_along(
    picture: NDArray[np.float32] | Bytes, along: Places, moved: Floats | None = None, others: NDArray[np.float32] | None = None
) -> Softness:
    """The same at places of an outline. picture: as above, or bytes."""
    at, places, outward = along
    height, width = picture.shape[:2]
    inside = np.asarray(((places > 1) & (places < np.array([width, height]) - 1)).all(axis=1))
    if others is not None:
        near = cv2.dilate((others > COVERS).astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * BESIDE + 1,) * 2))
        column, row = np.floor(places[inside]).astype(int).T
        inside[np.flatnonzero(inside)] = near[row, column] == 0
    found = np.full((3, len(places)), np.nan)
    waiting = np.flatnonzero(inside)
    for window in WINDOWS:
        if not len(waiting):
            break
        colours = _profiles(picture, places[waiting], outward[waiting], window)
        third = colours.shape[1] // 3
        apart = colours[:, :third].mean(axis=1) - colours[:, -third:].mean(axis=1)
        contrast = np.linalg.norm(apart, axis=1)
        line = np.einsum("snc,sc->sn", colours, apart / np.maximum(contrast, 1e-9)[:, None])
        sigma, offset, share = _fitted(line, window)
        whole = 2.5 * sigma + np.abs(offset) < window
        good = whole & (contrast > LEAST_CONTRAST) & (share > LEAST_FIT)
        found[:, waiting[good]] = sigma[good], offset[good], share[good]
        waiting = waiting[~good & ~(whole & (share > LEAST_FIT))]
    bell = np.sqrt(np.maximum(found[0] ** 2 - SPREAD, 0.0))
    if moved is not None:
        bell = without_smear(bell, np.abs(across(at, outward, moved)))
    return Softness(at=at, width=RAMP * _steadied(bell), offset=found[1], outward=outward)


@lru_cache
def _smears() -> tuple[Floats, Floats]:
    """For smears of so many sigmas of the bell (R,): the sigma of the bell that is found in its place, in sigmas (R,)."""
    ratio = np.linspace(0.0, 40.0, 161)
    window = WINDOWS[-1]
    x = np.arange(-window, window + STEP / 2, STEP)
    found = np.empty(len(ratio))
    for k, r in enumerate(ratio):
        s = 4.0 / np.sqrt(1 + r * r / 12)  # wide enough for the samples, narrow enough for the window
        b = max(r * s, 1e-6)

        def rise(z: Floats, s: float = s) -> Floats:
            return z * (0.5 + 0.5 * erf(z / (np.sqrt(2) * s))) + s * np.exp(-((z / s) ** 2) / 2) / np.sqrt(2 * np.pi)

        edge = 1 - (rise(x + b / 2) - rise(x - b / 2)) / b
        found[k] = _fitted(edge[None], window)[0][0] / s
    return ratio, np.maximum.accumulate(found / found[0])


def smeared(bell: Floats, smear: Floats) -> Floats:
    """The sigma that is found where a bell of this sigma is smeared evenly over so many px."""
    ratio, found = _smears()
    return np.asarray(bell * np.interp(smear / np.maximum(bell, 1e-6), ratio, found))


def without_smear(sigma: Floats, smear: Floats) -> Floats:
    """The sigma of the bell that, smeared evenly over so many px, is found as `sigma`. Where the smear explains all of it: 0, or unknown
    (NaN) when it is longer than SMEARED."""
    ratio, found = _smears()
    seen = np.asarray(smear) / np.maximum(sigma, 1e-6)  # smears in sigmas found
    bell = sigma / np.interp(seen, ratio / found, found)
    return np.asarray(np.where(seen >= (ratio / found)[-1], np.where(np.asarray(smear) > SMEARED, np.nan, 0.0), bell))


def across(at: Floats, outward: Floats, moved: Floats) -> Floats:
    """How far (S,) the outline moves along its normals at places, from how far its points (n, 2) do, px."""
    k = np.floor(at).astype(int) % len(moved)
    t = (at - np.floor(at))[:, None]
    way = moved[k] * (1 - t) + moved[(k + 1) % len(moved)] * t
    return np.asarray((way * outward).sum(axis=1))


def _steadied(values: Floats, near: int = 3) -> Floats:
    """Each value as the median of the known ones among its neighbours along the outline; unknown stays unknown."""
    around = np.stack([np.roll(values, k) for k in range(-near, near + 1)])
    around.sort(axis=0)  # what is unknown comes last
    count = np.isfinite(around).sum(axis=0)
    each = np.arange(len(values))
    low, high = np.maximum(count - 1, 0) // 2, np.maximum(count, 1) // 2
    middle = 0.5 * (around[low, each] + around[high, each])
    return np.asarray(np.where(np.isfinite(values), middle, values))
