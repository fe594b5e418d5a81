"""What pixels of a key meet in another picture, where a sheet takes them; and the sums that a fit is made of."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from roto.arrays import Flags, Floats, Singles
from roto.jit import kernel, leaf

BLUR = 0.8
"""px: both pictures are softened by so much, so that what lies between pixels is smooth"""

SHARP = 1.0
"""px of a level: shorter smears are none"""
APART, MOMENTS = 1.5, 16
"""px of a level between two places of a smear, and how many there are at the most"""

Picture = NDArray[np.float32]


@dataclass(frozen=True, slots=True, kw_only=True)
class Samples:
    """Pixels of the key, on one level of halving: places (n, 2) px of the plate, values (n, 3), on which control points they hang.

    smear: (n, 2) px of the plate, over which the other picture is averaged where they are looked up, as it is sharper than the key.
    grain: (n,), what that leaves of the variance of grain. left: the share of the level's samples that these are.
    """

    places: Floats
    values: Singles
    first: NDArray[np.int64]
    weights: Floats
    half: Flags
    smear: Floats
    grain: Floats
    left: float = 1.0

    def some(self, which: Flags) -> "Samples":
        """Those of them."""
        return Samples(
            places=self.places[which],
            values=self.values[which],
            first=self.first[which],
            weights=self.weights[which],
            half=self.half[which],
            smear=self.smear[which],
            grain=self.grain[which],
            left=self.left,
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class Level:
    """A part of a picture on one level of halving: colours and their slopes (h, w, 9). Its pixel (0, 0) has its middle at `corner` px of
    the plate, and pixels stand `step` px apart."""

    colours: Picture
    corner: tuple[float, float]
    step: float


def levels_of(picture: Picture, corner: tuple[int, int], count: int) -> list[Level]:
    """The levels of a part (h, w, 3) of a picture whose first pixel is `corner` of the plate."""
    out, step, at = [], 1.0, (corner[0] + 0.5, corner[1] + 0.5)
    for k in range(count):
        if k:
            half = (max(1, picture.shape[1] // 2), max(1, picture.shape[0] // 2))
            picture = np.asarray(cv2.resize(picture, half, interpolation=cv2.INTER_AREA), np.float32)
            at, step = (at[0] + step / 2, at[1] + step / 2), step * 2
        soft = cv2.GaussianBlur(picture, (0, 0), BLUR)
        across = cv2.filter2D(soft, -1, np.array([[-0.5, 0, 0.5]]), borderType=cv2.BORDER_REPLICATE)
        down = cv2.filter2D(soft, -1, np.array([[-0.5], [0], [0.5]]), borderType=cv2.BORDER_REPLICATE)
        colours = np.concatenate([soft, across, down], axis=2).astype(np.float32)
        out.append(Level(colours=np.ascontiguousarray(colours), corner=at, step=step))
    return out


@leaf
def moments_of(long):
    """In how many places a line of so many px of a level is looked up."""
    return 1 if long < SHARP else min(MOMENTS, int(np.ceil(long / APART)))


@kernel
def looked_up(first, weights, control, smear, colours, x, y, step, spots, found, seen):
    high, wide = colours.shape[0], colours.shape[1]
    one = np.float32(1.0)
    for n in range(first.shape[0]):
        px, py = 0.0, 0.0
        for k in range(16):
            j, w = first[n, k], weights[n, k]
            px += w * control[j, 0]
            py += w * control[j, 1]
        spots[n, 0], spots[n, 1] = px, py
        for c in range(9):
            found[n, c] = 0.0
        u, v = (px - x) / step, (py - y) / step
        su, sv = smear[n, 0] / step, smear[n, 1] / step
        hu, hv = 0.5 * abs(su), 0.5 * abs(sv)
        seen[n] = u >= hu and v >= hv and u + hu <= wide - 1.001 and v + hv <= high - 1.001
        if not seen[n]:
            continue
        count = moments_of(np.sqrt(su * su + sv * sv))
        part = np.float32(1.0 / count)
        for m in range(count):
            t = (m + 0.5) / count - 0.5
            a, b = u + t * su, v + t * sv
            i, j = int(a), int(b)
            fu, fv = np.float32(a - i), np.float32(b - j)
            for c in range(9):
                top = colours[j, i, c] * (one - fu) + colours[j, i + 1, c] * fu
                low = colours[j + 1, i, c] * (one - fu) + colours[j + 1, i + 1, c] * fu
                found[n, c] += part * (top * (one - fv) + low * fv)


@leaf
def _add(first, weights, xx, xy, yy, rx, ry, matrix, right, n, parts):
    for a in range(16):
        ja, wa = first[n, a], weights[n, a]
        right[ja] += wa * rx
        right[parts + ja] += wa * ry
        ax, am, ay = wa * xx, wa * xy, wa * yy
        for b in range(a + 1):  # the lower half: control points are counted upwards
            jb, wb = first[n, b], weights[n, b]
            matrix[ja, jb] += ax * wb
            matrix[parts + ja, jb] += am * wb
            matrix[parts + ja, parts + jb] += ay * wb


@kernel
def gathered(first, weights, found, off, share, gain, step, matrix, right):
    parts = matrix.shape[0] // 2
    for n in range(first.shape[0]):
        w = share[n]
        if w <= 0.0:
            continue
        xx = xy = yy = rx = ry = 0.0
        for c in range(3):
            gx, gy = gain * found[n, 3 + c] / step, gain * found[n, 6 + c] / step
            xx += gx * gx
            xy += gx * gy
            yy += gy * gy
            rx += gx * off[n, c]
            ry += gy * off[n, c]
        _add(first, weights, w * xx, w * xy, w * yy, w * rx, w * ry, matrix, right, n, parts)
    for a in range(parts):
        for b in range(a):
            matrix[parts + b, a] = matrix[parts + a, b]


@dataclass(slots=True)
class Looked:
    """What the sheet meets in a picture, and for which pixels of the key: spots (n, 2), found (n, 9), which are seen; light: gain and
    offsets; off (n, 3); share (n,) by which each counts; spread of what is left."""

    samples: Samples
    spots: Floats
    found: Singles
    seen: Flags
    gain: float
    offset: Floats
    off: Floats
    share: Floats
    spread: Floats

    @property
    def cost(self) -> float:
        """What is left of a pixel, robustly: the mean of Tukey's function, 0..1; those that lie outside count full."""
        rho = np.where(self.seen, 1 - np.sqrt(np.maximum(self.share, 0.0)) ** 3, 1.0)
        return float(rho.mean()) if len(rho) else 1.0


@kernel
def fields(first, weights, way, matrix, right):
    for n in range(first.shape[0]):
        for a in range(16):
            ja, wa = first[n, a], weights[n, a]
            right[ja, 0] += wa * way[n, 0]
            right[ja, 1] += wa * way[n, 1]
            for b in range(16):
                matrix[ja, first[n, b]] += wa * weights[n, b]
