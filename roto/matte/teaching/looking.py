"""What is looked at about a pixel of the band: its colour at several sizes, lines that run through it, how it stands between the colours of
what is known to be solid and of the ground nearby, and where it lies about the edge below."""

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
    """A bell; large ones on a picture of half size, which is as good and four times as quick."""
    if sigma < 2 * FINE:
        return np.asarray(cv2.GaussianBlur(image, (0, 0), sigma), np.float32)
    small = cv2.resize(image, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA)
    small = cv2.GaussianBlur(small, (0, 0), sigma / 4)
    return np.asarray(cv2.resize(small, image.shape[1::-1], interpolation=cv2.INTER_LINEAR), np.float32)


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


def _lines(grey: Grey, sigma: float) -> list[Grey]:
    """How steep, how much like a line, how strong, how curved."""
    gx, gy = _slopes(grey)
    xx, xy, yy = (cv2.GaussianBlur(part, (0, 0), 1.5 * sigma) for part in (gx * gx, gx * gy, gy * gy))
    sums, apart = xx + yy, np.sqrt((xx - yy) ** 2 + 4 * xy**2)
    return [np.hypot(gx, gy), apart / (sums + TINY), np.sqrt(np.maximum(sums, 0)), cv2.Laplacian(grey, cv2.CV_32F)]


def _colour_of(picture: Grey, there: Grey) -> Grey:
    """The colour (h, w, 3) of what is marked, as near as there is some."""
    out, sure = np.zeros_like(picture), np.zeros(there.shape, np.float32)
    for sigma in NEAR:
        share = blurred(there, sigma)
        colour = blurred(picture * there[:, :, None], sigma) / np.maximum(share, TINY)[:, :, None]
        more = (1 - sure) * np.clip(share * 50, 0, 1)
        out, sure = (out + more[:, :, None] * colour).astype(np.float32), (sure + more).astype(np.float32)
    whole = picture[there > 0].mean(axis=0) if (there > 0).any() else np.full(3, 0.5, np.float32)
    return np.asarray(out + (1 - sure)[:, :, None] * whole, np.float32)


def looked_at(picture: Grey, below: Grey, unknown: Mask, some: Mask | None = None) -> Grey:
    """Rows (N, F) of the unknown pixels of a box, in order of rows. picture: (h, w, 3) as displayed, 0..1. below: (h, w), the matte under
    the line. some: (h, w), which of them; all when left out."""
    asked = unknown if some is None else some
    signed = distances(below)
    solid, ground = ((side & ~unknown).astype(np.float32) for side in (signed > 0, signed <= 0))
    at = {sigma: blurred(picture, sigma) for sigma in SIZES}
    said: list[Grey] = [picture, *at.values(), picture - at[3.2], at[0.8] - at[6.4]]
    for sigma, image in at.items():
        if sigma < FINE:
            said += _lines(image.mean(axis=2), sigma)
    nx, ny = _slopes(blurred(signed, 2.0))
    subject, behind = _colour_of(picture, solid), _colour_of(picture, ground)
    way = subject - behind
    long = (way * way).sum(axis=2)
    stands = [np.clip(((image - behind) * way).sum(axis=2) / (long + SAME), -1, 2) for image in (picture, at[0.8], at[1.6])]
    said += [signed, nx, ny, below, subject, behind, np.sqrt(long), *stands]
    said += [np.sqrt(((image - colour) ** 2).sum(axis=2)) for image in (picture, at[0.8]) for colour in (subject, behind)]
    edged = cv2.copyMakeBorder(stands[0], 2, 2, 2, 2, cv2.BORDER_REPLICATE)
    h, w = below.shape
    said += [edged[2 + down : 2 + down + h, 2 + right : 2 + right + w] for down, right in BESIDE]
    return np.hstack([one[asked].reshape(int(asked.sum()), -1) for one in said]).astype(np.float32)
