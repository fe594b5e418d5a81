"""Where a patch of one picture lies in another: a robust direct fit of the patch's own pixels.

Baker and Matthews, "Lucas-Kanade 20 years on: a unifying framework", IJCV 56 (2004): the inverse compositional algorithm, whose slopes
come from the patch and are worked out once. A gain and an offset of the light are solved along with the map; pixels that do not agree
(something passes in front) are weighted down by Tukey's biweight of their residuals.
"""

from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.jit import kernel, leaf

MOVE, SIMILAR, AFFINE, PERSPECTIVE = "move", "similar", "affine", "perspective"
"""models of a motion, from the stiffest on"""
BLUR = 0.8
"""px: both pictures are softened by so much, so that what lies between pixels is smooth"""
MOST = 12_000
"""pixels of a patch that are looked at: the steepest, evenly spread; more make it slower and no more exact"""
TURNS = 30
"""steps of a fit at the most, on each level"""
STILL = 0.003
"""px of a level: a fit ends there when no corner of the patch moves by more; COARSE of them on the halved ones, which only lead the way"""
COARSE = 20.0
BIWEIGHT = 4.685
"""spreads beyond which a pixel counts for nothing: Tukey's usual figure, 95 % efficient where noise is a bell"""
LEAST_SPREAD = 0.004
"""of the range from black to white: pixels that agree better than this all count alike"""
LEAST_PIXELS = 30
"""fewer say nothing"""

Grey = NDArray[np.float32]


def grey_of(picture: NDArray[np.float32] | NDArray[np.uint8]) -> Grey:
    """One number a pixel (h, w), 0..1, of a picture (h, w, 3)."""
    grey: Any = cv2.cvtColor(np.ascontiguousarray(picture), cv2.COLOR_RGB2GRAY)
    return grey.astype(np.float32) / np.float32(255) if grey.dtype == np.uint8 else grey


def levels_of(grey: Any, levels: int) -> list[Grey]:
    """The picture softened by BLUR, and halved so many times less one; each is what is fitted on its level."""
    out = []
    for k in range(levels):
        grey = cv2.pyrDown(grey) if k else grey
        out.append(cv2.GaussianBlur(grey, (0, 0), BLUR))
    return out


@dataclass(frozen=True, slots=True, kw_only=True)
class Level:
    """A patch on one level of halving: places (N, 2) from the patch's middle in its own sizes, values (N,), slopes (N, P) of the values
    by the map's numbers."""

    places: Floats
    values: Floats
    slopes: Floats


@dataclass(frozen=True, slots=True, kw_only=True)
class Patch:
    """A piece of a picture that is looked for in others. middle, size: plate px, by which its places are measured."""

    model: str
    middle: tuple[float, float]
    size: float
    levels: tuple[Level, ...]
    corners: Floats


@dataclass(frozen=True, slots=True, kw_only=True)
class Fit:
    """Where a patch was found. map: (3, 3), plate px of the patch's own frame to those of the other. confidence: 0..1, the correlation
    of what was believed. agree: the share of its pixels that agree. seen: the share that lies in the picture."""

    map: Floats
    confidence: float
    agree: float
    seen: float


def patch_of(levels: list[Grey], mask: NDArray[np.bool_], box: tuple[int, int, int, int], model: str, most: int = MOST) -> Patch | None:
    """The patch of a picture where `mask` (h, w) of the box is true; None where there is nothing to hold on to.

    levels: see `levels_of`, of the whole picture. box: (x0, y0, x1, y1), plate px.
    """
    x0, y0, x1, y1 = box
    size = 0.5 * float(np.hypot(x1 - x0, y1 - y0))
    middle = (0.5 * (x0 + x1), 0.5 * (y0 + y1))
    made = []
    for k, grey in enumerate(levels):
        scale = 0.5**k
        a, b, c, d = (int(np.floor(x0 * scale)), int(np.floor(y0 * scale)), int(np.ceil(x1 * scale)), int(np.ceil(y1 * scale)))
        inside = cv2.resize(mask.astype(np.float32), (c - a, d - b), interpolation=cv2.INTER_AREA) > 0.99
        height, width = grey.shape
        rows, columns = np.mgrid[b:d, a:c]
        inside &= (rows > 1) & (rows < height - 2) & (columns > 1) & (columns < width - 2)
        y, x = rows[inside], columns[inside]
        if len(x) < LEAST_PIXELS:
            break
        # the slope of the cubic that is laid through the pixels: what a small shift of it changes
        gx = 0.5 * (grey[y, x + 1].astype(np.float64) - grey[y, x - 1])
        gy = 0.5 * (grey[y + 1, x].astype(np.float64) - grey[y - 1, x])
        which = _chosen(np.hypot(gx, gy), most)
        x, y, gx, gy = x[which], y[which], gx[which], gy[which]
        places = np.stack([(x / scale + 0.5 - middle[0]) / size, (y / scale + 0.5 - middle[1]) / size], axis=1)  # as pyrDown counts
        slopes = _slopes(places, gx * size * scale, gy * size * scale, model)
        made.append(Level(places=places, values=grey[y, x].astype(np.float64), slopes=slopes))
    if not made or not _holds(made[0]):
        return None
    corners = np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]], float)
    return Patch(model=model, middle=middle, size=size, levels=tuple(made), corners=corners)


def _chosen(steep: Floats, most: int) -> NDArray[np.int64]:
    """Which pixels are looked at: all, or of each few neighbours (in reading order) the steepest."""
    if len(steep) <= most:
        return np.arange(len(steep))
    each = int(np.ceil(len(steep) / most))
    padded = np.concatenate([steep, np.full(-len(steep) % each, -1.0)]).reshape(-1, each)
    return np.arange(len(padded)) * each + padded.argmax(axis=1)


def _holds(level: Level) -> bool:
    """Whether the patch's slopes pin the map down: a flat patch, or one with a single straight edge, does not."""
    own = level.slopes[:, :2].T @ level.slopes[:, :2] / len(level.slopes)
    weak, strong = np.sqrt(np.linalg.eigvalsh(own))
    return bool(weak > 1e-6 and weak > 0.02 * strong)


def _slopes(places: Floats, gx: Floats, gy: Floats, model: str) -> Floats:
    """How values change (N, P) with the numbers of a map near rest, in the patch's own sizes."""
    x, y = places.T
    both = x * gx + y * gy
    columns = {
        MOVE: [gx, gy],
        SIMILAR: [gx, gy, both, x * gy - y * gx],
        AFFINE: [gx, gy, x * gx, y * gx, x * gy, y * gy],
        PERSPECTIVE: [gx, gy, x * gx, y * gx, x * gy, y * gy, -x * both, -y * both],
    }[model]
    return np.ascontiguousarray(np.stack(columns, axis=1))


def _small_map(numbers: Any, model: str) -> Floats:
    """The map (3, 3) of such numbers."""
    n = numbers
    if model == MOVE:
        return np.array([[1, 0, n[0]], [0, 1, n[1]], [0, 0, 1]])
    if model == SIMILAR:
        return np.array([[1 + n[2], -n[3], n[0]], [n[3], 1 + n[2], n[1]], [0, 0, 1]])
    if model == AFFINE:
        return np.array([[1 + n[2], n[3], n[0]], [n[4], 1 + n[5], n[1]], [0, 0, 1]])
    return np.array([[1 + n[2], n[3], n[0]], [n[4], 1 + n[5], n[1]], [n[6], n[7], 1]])


@leaf
def _cubic(picture, x, y):
    """The picture at a place (px, pixel middles at whole numbers), a cubic through the sixteen pixels around it (Keys 1981)."""
    i, j = int(np.floor(x)), int(np.floor(y))
    u, v = x - i, y - j
    u0, u1, u2, u3 = _weights(u)
    v0, v1, v2, v3 = _weights(v)
    out = 0.0
    for k in range(4):
        w = v0 if k == 0 else (v1 if k == 1 else (v2 if k == 2 else v3))
        row = picture[j - 1 + k]
        out += w * (u0 * row[i - 1] + u1 * row[i] + u2 * row[i + 1] + u3 * row[i + 2])
    return out


@leaf
def _weights(u):
    return (
        ((-0.5 * u + 1.0) * u - 0.5) * u,
        (1.5 * u - 2.5) * u * u + 1.0,
        ((-1.5 * u + 2.0) * u + 0.5) * u,
        (0.5 * u - 0.5) * u * u,
    )


@kernel
def _sample(picture, places, there, out, seen):
    """The picture where `there` (3, 3) takes places (N, 2), picture px; seen: whether it lies in the picture."""
    height, width = picture.shape
    for n in range(len(places)):
        x, y = places[n, 0], places[n, 1]
        w = there[2, 0] * x + there[2, 1] * y + there[2, 2]
        seen[n] = w > 1e-6
        if seen[n]:
            px = (there[0, 0] * x + there[0, 1] * y + there[0, 2]) / w
            py = (there[1, 0] * x + there[1, 1] * y + there[1, 2]) / w
            seen[n] = px >= 1.0 and py >= 1.0 and px < width - 2 and py < height - 2
            if seen[n]:
                out[n] = _cubic(picture, px, py)


@kernel
def _normal(slopes, values, found, weight, matrix, side):
    """The normal equations of found = gain values + offset + slopes q, weighted: matrix (P + 2, P + 2), side (P + 2,)."""
    count, p = slopes.shape
    row = np.empty(p + 2)
    matrix[:] = 0.0
    side[:] = 0.0
    for n in range(count):
        w = weight[n]
        if w <= 0.0:
            continue
        row[:p] = slopes[n]
        row[p] = values[n]
        row[p + 1] = 1.0
        for a in range(p + 2):
            wa = w * row[a]
            side[a] += wa * found[n]
            for b in range(a, p + 2):
                matrix[a, b] += wa * row[b]
    for a in range(p + 2):
        for b in range(a):
            matrix[a, b] = matrix[b, a]


def fit(patch: Patch, levels: list[Grey], start: Floats, held_out: NDArray[np.bool_] | None = None) -> Fit | None:
    """Where the patch lies in a picture, beginning from a map (3, 3) of plate px; None where too little of it can be seen.

    levels: see `levels_of`. held_out: (h, w), pixels of the picture that count for nothing.
    """
    home = np.array([[patch.size, 0, patch.middle[0]], [0, patch.size, patch.middle[1]], [0, 0, 1.0]])
    now = start @ home  # from the patch's own sizes to the picture's px
    found: Fit | None = None
    for k in range(min(len(levels), len(patch.levels)) - 1, -1, -1):
        scale = 0.5**k
        into = np.array([[scale, 0, -0.5 * scale], [0, scale, -0.5 * scale], [0, 0, 1.0]])  # plate px to the level's pixel middles
        end = STILL * (COARSE if k else 1.0) / scale
        found = _on_level(patch, patch.levels[k], levels[k], now, into, held_out if k == 0 else None, end)
        now = found.map if found is not None else now
    if found is None:
        return None
    there = now @ np.linalg.inv(home)
    return replace(found, map=there / there[2, 2])


def _on_level(
    patch: Patch, level: Level, picture: Grey, now: Floats, into: Floats, held_out: NDArray[np.bool_] | None, end: float
) -> Fit | None:
    """As `fit`, of one level; the map is from the patch's own sizes to plate px, and so is `now`."""
    count = len(level.values)
    found, seen = np.zeros(count), np.zeros(count, np.bool_)
    p = level.slopes.shape[1]
    matrix, side = np.empty((p + 2, p + 2)), np.empty(p + 2)
    gain, offset = 1.0, 0.0
    spread = np.inf
    ends = np.array([[-0.7, -0.7], [0.7, -0.7], [0.7, 0.7], [-0.7, 0.7]])
    for turn in range(TURNS):
        there = into @ now
        _sample(picture, level.places, there, found, seen)
        if seen.sum() < LEAST_PIXELS:
            return None
        counts = seen if held_out is None else seen & ~_under(held_out, level.places, there)
        if counts.sum() < LEAST_PIXELS:
            return None
        off = found - (gain * level.values + offset)
        weight = counts.astype(np.float64)
        if turn:
            spread = max(1.4826 * float(np.median(np.abs(off[counts]))), LEAST_SPREAD)
            weight *= np.maximum(1 - (off / (BIWEIGHT * spread)) ** 2, 0.0) ** 2
        _normal(level.slopes, level.values, found, weight, matrix, side)
        try:
            solved = np.linalg.solve(matrix + np.diag(np.diag(matrix)) * 1e-9, side)
        except np.linalg.LinAlgError:
            return None
        gain, offset = float(solved[p]), float(solved[p + 1])
        if gain < 0.05:
            gain, offset = 1.0, float(np.average(found - level.values, weights=weight))
            if turn > 2:
                return None
            continue
        small = _small_map(solved[:p] / gain, patch.model)
        was = _mapped(now, ends)
        now = now @ np.linalg.inv(small)  # what the picture shows at now(x) is the patch at small(x)
        now = now / now[2, 2]
        if turn > 1 and np.abs(_mapped(now, ends) - was).max() < end:
            break
    agrees = counts & (np.abs(off) < 2.5 * spread)
    confidence = _correlation(level.values, found, weight) if level is patch.levels[0] else 0.0
    return Fit(map=now, confidence=confidence, agree=float(agrees.sum() / max(1, counts.sum())), seen=float(counts.mean()))


def _mapped(there: Floats, places: Floats) -> Floats:
    out = places @ there[:2, :2].T + there[:2, 2]
    return np.asarray(out / (places @ there[2, :2] + there[2, 2])[:, None])


def mapped(there: Floats, places: Floats) -> Floats:
    """Places (N, 2) where a map (3, 3) takes them."""
    return _mapped(there, np.asarray(places, dtype=np.float64))


def _under(held_out: NDArray[np.bool_], places: Floats, there: Floats) -> NDArray[np.bool_]:
    at = np.rint(_mapped(there, places)).astype(int)
    height, width = held_out.shape
    return np.asarray(held_out[np.clip(at[:, 1], 0, height - 1), np.clip(at[:, 0], 0, width - 1)])


def _correlation(one: Floats, other: Floats, weight: Floats) -> float:
    total = weight.sum()
    if total <= 0:
        return 0.0
    a, b = one - (weight @ one) / total, other - (weight @ other) / total
    below = np.sqrt((weight @ (a * a)) * (weight @ (b * b)))
    return float(max(0.0, (weight @ (a * b)) / below)) if below > 0 else 0.0
