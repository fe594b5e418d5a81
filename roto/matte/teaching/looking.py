"""What is looked at about a pixel of the band: its colour at several sizes, lines that run through it, how it stands between the colours of
what is known to be solid and of the ground nearby, and where it lies about the edge below."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

SIZES = (0.8, 1.6, 3.2, 6.4)
"""px, sigma of the bells at which the picture is looked at"""
FINE = 4.0
"""px: lines are looked for at sizes under this"""
NEAR = (10.0, 40.0)
"""px, sigma: how far off colours of solid and ground are taken from; the wide one where there is none near"""
MARGIN = 48
"""px around the band that are looked at"""
BESIDE = ((0, 1), (1, 0), (0, -1), (-1, 0), (1, 1), (1, -1), (-1, 1), (-1, -1), (0, 2), (2, 0), (0, -2), (-2, 0))
"""neighbours (down, right) whose standing between the two colours is looked at"""
FAR = 64.0
"""px: farther from the edge below is not told apart"""
TINY = 1e-5
SAME = 0.003
"""of squared colour: what solid and ground differ by at least, so that nothing is divided by nothing"""
Grey = NDArray[np.float32]
Mask = NDArray[np.bool_]


def blurred(image: Grey, sigma: float) -> Grey:
    """A bell; large ones on a picture of quarter size, which is as good and quicker."""
    if sigma < 2 * FINE:
        return np.asarray(cv2.GaussianBlur(image, (0, 0), sigma), np.float32)
    return _spread(np.asarray(cv2.GaussianBlur(_quarter(image), (0, 0), sigma / 4), np.float32), image)


def _quarter(image: Grey) -> Grey:
    return np.asarray(cv2.resize(image, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA), np.float32)


def _spread(small: Grey, like: Grey) -> Grey:
    """A small picture at the size of another one."""
    return np.asarray(cv2.resize(small, like.shape[1::-1], interpolation=cv2.INTER_LINEAR), np.float32)


def _summed(image: Grey) -> Grey:
    """The sum of the three colours (h, w): numpy adds up along so short an axis slowly."""
    return np.asarray(cv2.transform(image, np.ones((1, 3), np.float32)), np.float32).reshape(image.shape[:2])


def distances(below: Grey) -> Grey:
    """px to the edge of an alpha, inside positive, at most FAR."""
    solid = (below >= 0.5).astype(np.uint8)
    inside = cv2.distanceTransform(solid, cv2.DIST_L2, 5) if solid.any() else np.zeros(below.shape, np.float32)
    outside = cv2.distanceTransform(1 - solid, cv2.DIST_L2, 5) if not solid.all() else np.zeros(below.shape, np.float32)
    signed = np.where(solid > 0, inside - 0.5, 0.5 - outside) if solid.any() and not solid.all() else (solid * 2.0 - 1.0) * FAR
    return np.clip(signed, -FAR, FAR).astype(np.float32)


def _slopes(grey: Grey) -> tuple[Grey, Grey]:
    x, y = (np.asarray(cv2.Sobel(grey, cv2.CV_32F, *way, ksize=3), np.float32) / np.float32(8) for way in ((1, 0), (0, 1)))
    return x, y


@dataclass(frozen=True, slots=True, kw_only=True)
class Pictured:
    """What is looked at in a picture by itself. picture: (h, w, 3) as displayed, 0..1. at: the same blurred, by SIZES. lines: of each fine
    size the slopes right and down, their squares and product round about, and the curvature, each (h, w)."""

    picture: Grey
    at: dict[float, Grey]
    lines: tuple[tuple[Grey, ...], ...]


def pictured(picture: Grey) -> Pictured:
    """A picture (h, w, 3), as displayed, 0..1, ready to be looked at."""
    at = {sigma: blurred(picture, sigma) for sigma in SIZES}
    return Pictured(
        picture=picture,
        at=at,
        lines=tuple(_lines(_summed(image) * np.float32(1 / 3), sigma) for sigma, image in at.items() if sigma < FINE),
    )


def _lines(grey: Grey, sigma: float) -> tuple[Grey, ...]:
    gx, gy = _slopes(grey)
    round_about = (np.asarray(cv2.GaussianBlur(part, (0, 0), 1.5 * sigma), np.float32) for part in (gx * gx, gx * gy, gy * gy))
    return gx, gy, *round_about, np.asarray(cv2.Laplacian(grey, cv2.CV_32F), np.float32)


def _line(gx: Grey, gy: Grey, xx: Grey, xy: Grey, yy: Grey, curved: Grey) -> list[Grey]:
    """How steep, how much like a line, how strong, how curved."""
    sums, apart = xx + yy, np.sqrt((xx - yy) ** 2 + 4 * xy**2)
    return [np.hypot(gx, gy), apart / (sums + TINY), np.sqrt(np.maximum(sums, 0)), curved]


def _colour_of(picture: Grey, there: Grey) -> Grey:
    """The colour (h, w, 3) of what is marked, as near as there is some."""
    small, share_of = _quarter(picture * there[:, :, None]), _quarter(there)
    out, sure = np.zeros_like(small), np.zeros(share_of.shape, np.float32)
    for sigma in NEAR:
        share = cv2.GaussianBlur(share_of, (0, 0), sigma / 4)
        colour = cv2.GaussianBlur(small, (0, 0), sigma / 4) / np.maximum(share, TINY)[:, :, None]
        more = (1 - sure) * np.clip(share * 50, 0, 1)
        out, sure = (out + more[:, :, None] * colour).astype(np.float32), (sure + more).astype(np.float32)
    whole = picture[there > 0].mean(axis=0) if (there > 0).any() else np.full(3, 0.5, np.float32)
    return _spread(out + (1 - sure)[:, :, None] * whole, picture)


def looked_at(seen: Pictured, below: Grey, unknown: Mask, some: Mask | None = None) -> Grey:
    """Rows (N, F) of the unknown pixels of a box (h, w), in order of rows. below: (h, w), the matte under the line. some: (h, w), which of
    them; all when left out."""
    where = np.flatnonzero(unknown if some is None else some)

    def of(image: Grey) -> Grey:
        return np.take(image.reshape(below.size, -1), where, axis=0)

    signed = distances(below)
    solid, ground = ((side & ~unknown).astype(np.float32) for side in (signed > 0, signed <= 0))
    behind = _colour_of(seen.picture, ground)
    way = _colour_of(seen.picture, solid) - behind
    long = _summed(way * way)
    stands = np.clip(_summed((seen.picture - behind) * way) / (long + SAME), -1, 2)
    picture, at = of(seen.picture), {sigma: of(image) for sigma, image in seen.at.items()}
    rows = [picture, *at.values(), picture - at[3.2], at[0.8] - at[6.4]]
    for parts in seen.lines:
        rows += _line(*(of(part) for part in parts))
    away, ground_there, far = of(way), of(behind), of(long)
    subject_there = ground_there + away
    rows += [of(signed), *(of(slope) for slope in _slopes(blurred(signed, 2.0))), of(below), subject_there, ground_there, np.sqrt(far)]
    rows += [of(stands)]
    rows += [np.clip(((at[sigma] - ground_there) * away).sum(axis=1, keepdims=True) / (far + SAME), -1, 2) for sigma in SIZES[:2]]
    for image in (picture, at[SIZES[0]]):
        rows += [np.sqrt(((image - colour) ** 2).sum(axis=1, keepdims=True)) for colour in (subject_there, ground_there)]
    edged = cv2.copyMakeBorder(stands, 2, 2, 2, 2, cv2.BORDER_REPLICATE)
    y, x = np.divmod(where, below.shape[1])
    rows += [edged[y + 2 + down, x + 2 + right][:, None] for down, right in BESIDE]
    return np.hstack(rows).astype(np.float32, copy=False)
