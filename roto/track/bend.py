"""Following what bends: a sheet fitted to the inside of an outline, from the key's own pixels to each frame.

A direct fit (Lucas and Kanade 1981) of a cubic B-spline sheet (Rueckert et al., "Nonrigid registration using free-form deformations", IEEE
TMI 18, 1999) by Gauss-Newton's method over halved pictures, pixels that do not agree weighted down by Tukey's biweight. Bending is the
only stiffness: moving, turning, sizing and shearing cost nothing. Nothing is chained: each frame is compared with the key, and what was
found before only says where to begin. How stiff the sheet is, the picture decides: half of the pixels are fitted, and the stiffest sheet
is kept that explains the other half.
"""

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.linalg import cho_factor, cho_solve

from roto.arrays import Flags, Floats, Singles
from roto.errors import NothingToFollow
from roto.jit import kernel, leaf
from roto.track import sheet
from roto.track.align import BIWEIGHT
from roto.track.sheet import Lattice

BLUR = 0.8
"""px: both pictures are softened by so much, so that what lies between pixels is smooth"""
DRAWN_IN = 3
"""px by which the outline is drawn in: softened pixels nearer to it have something of what lies outside"""
MOST = 10_000
"""pixels of the inside that are looked at, the steepest of small blocks"""
STEPS = (8.0, 48.0)
"""px: how far apart control points stand at the least and the most"""
ACROSS = 9
"""steps of the grid over the longer side of what is followed, about"""
STIFF = (1e7, 3e5, 3e4, 3e3, 300.0)
"""px^2: what bending costs, from nearly flat on"""
LEADING = 3e4
"""px^2: the same of a halved picture, which only leads the way"""
FLAT_TURNS = 4
FADES = 0.5
"""how much of what earlier frames said of the stiffness is left, each time that it is asked"""
ALIKE = 0.985
"""a looser sheet has to leave less than this share of what a stiffer one leaves, on pixels that neither has seen"""
CORRELATED = 0.25
"""share of a softened picture's pixels that tell something of their own"""
TURNS = (10, 6)
"""steps of a fit at the most: on each halved picture, and on each stiffness of the whole one"""
STILL = 0.01
"""px: a fit ends where no pixel moves by more"""
LEAST_SPREAD = 0.003
"""of the range from black to white"""
COARSEST = 12.0
"""px: half of what is followed, on the smallest picture"""
LEAST_PIXELS = 60
TEXTURED = 2.5
"""times what grain alone makes, that colours must vary inside"""
USUAL = 4.0
"""times what is left of pixels on the first frame, that may be left on later ones: blur and light change it somewhat"""
LOOSE = 2.0
"""px: an outline that is less sure than this on its own key has too little inside to hold on to"""
LOST = 0.6
"""correlation below which the inside is lost"""
AGREE = 0.45
"""share of its pixels that must agree, times how like they are"""
SEEN = 0.3
"""share of its pixels that must lie in the picture"""
WITHIN = 0.75
"""share of the outline that lies in the picture: with less, it is leaving"""
BRIDGED = 12
"""frames at the most over which what is hidden is followed by how it went on"""
MARGIN = 40.0
"""px around where it is expected that are looked at"""

Picture = NDArray[np.float32]
GAP = "The inside of the outline is lost: nothing there looks enough like it. Set a key here by hand, and draw on from it."
OUT = "The outline has left the picture."
FLAT = "There is too little to hold on to inside the outline: no texture that the picture could be followed by."


@dataclass(frozen=True, slots=True, kw_only=True)
class Drawn:
    """One frame. control: (parts, 2) where the sheet's control points lie, px; None where it was lost, and `why` says so.

    likeness: the correlation of the pixels that agree, 0..1. agree: share of pixels that do. unsure: px, the standard error of the outline
    at its worst place that the fit states of itself. stiffness: which of STIFF. bridged: whether it was hidden, and only went on.
    left: what is left of pixels that agree.
    """

    frame: int
    control: Floats | None
    likeness: float = 0.0
    agree: float = 0.0
    unsure: float = np.inf
    stiffness: int = 0
    bridged: bool = False
    left: float = 0.0
    why: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Samples:
    """Pixels of the key, on one level of halving: places (n, 2) px of the plate, values (n, 3), on which control points they hang."""

    places: Floats
    values: Singles
    first: NDArray[np.int64]
    weights: Floats
    half: Flags

    def some(self, which: Flags) -> "Samples":
        """Those of them."""
        return Samples(
            places=self.places[which],
            values=self.values[which],
            first=self.first[which],
            weights=self.weights[which],
            half=self.half[which],
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
            picture = cv2.resize(picture, (max(1, picture.shape[1] // 2), max(1, picture.shape[0] // 2)), interpolation=cv2.INTER_AREA)
            at, step = (at[0] + step / 2, at[1] + step / 2), step * 2
        soft = cv2.GaussianBlur(picture, (0, 0), BLUR)
        across = cv2.filter2D(soft, -1, np.array([[-0.5, 0, 0.5]]), borderType=cv2.BORDER_REPLICATE)
        down = cv2.filter2D(soft, -1, np.array([[-0.5], [0], [0.5]]), borderType=cv2.BORDER_REPLICATE)
        colours = np.concatenate([soft, across, down], axis=2).astype(np.float32)
        out.append(Level(colours=np.ascontiguousarray(colours), corner=at, step=step))
    return out


@kernel
def _looked_up(first, weights, control, colours, x, y, step, spots, found, seen):
    high, wide = colours.shape[0], colours.shape[1]
    for n in range(first.shape[0]):
        px, py = 0.0, 0.0
        for k in range(16):
            j, w = first[n, k], weights[n, k]
            px += w * control[j, 0]
            py += w * control[j, 1]
        spots[n, 0], spots[n, 1] = px, py
        u, v = (px - x) / step, (py - y) / step
        seen[n] = u >= 0.0 and v >= 0.0 and u <= wide - 1.001 and v <= high - 1.001
        if not seen[n]:
            for c in range(9):
                found[n, c] = 0.0
            continue
        i, j = int(u), int(v)
        fu, fv = np.float32(u - i), np.float32(v - j)
        one = np.float32(1.0)
        for c in range(9):
            top = colours[j, i, c] * (one - fu) + colours[j, i + 1, c] * fu
            low = colours[j + 1, i, c] * (one - fu) + colours[j + 1, i + 1, c] * fu
            found[n, c] = top * (one - fv) + low * fv


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
def _gathered(first, weights, found, off, share, gain, step, matrix, right):
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


@dataclass(frozen=True, slots=True)
class Stiff:
    """What bending costs, px^2, and the control points (parts, 2) from which it is counted."""

    cost: float
    base: Floats


@dataclass(slots=True)
class Looked:
    """What the sheet meets in a picture: spots (n, 2), found (n, 9), which are seen; light: gain and offsets; off (n, 3); share (n,) by which
    each counts; spread of what is left."""

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


class Bender:
    """Follows the inside of an outline from its key. picture: a frame as linear light (h, w, 3). inside: (h, w) of the plate, its pixels on
    the key. outline: (m, 2) px, where the answer matters. step: px between control points; by the size of what is followed if left out.

    Raises NothingToFollow where there is too little texture.
    """

    def __init__(
        self,
        picture: Callable[[int], Picture],
        frame: int,
        inside: Flags,
        outline: Floats,
        *,
        step: float | None = None,
        hidden: Callable[[int], Flags | None] = lambda frame: None,
    ) -> None:
        self.picture, self.frame, self.outline, self.hidden = picture, frame, outline, hidden
        here = picture(frame)
        self.size = (here.shape[1], here.shape[0])
        covered = hidden(frame)
        round_ = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * DRAWN_IN + 1, 2 * DRAWN_IN + 1))
        inside = cv2.erode(inside.astype(np.uint8), round_, borderValue=0) > 0
        if covered is not None:
            inside = inside & ~covered
        rows, columns = np.flatnonzero(inside.any(axis=1)), np.flatnonzero(inside.any(axis=0))
        if len(rows) < 6 or len(columns) < 6:
            raise NothingToFollow("The inside of the outline lies outside the picture, or is too small: six pixels each way are needed.")
        low, high = np.array([columns[0], rows[0]], float), np.array([columns[-1] + 1, rows[-1] + 1], float)
        long = float((high - low).max())
        self.lattice = Lattice.around(low, high, float(np.clip(long / ACROSS, *STEPS)) if step is None else step)
        self.levels = int(np.clip(1 + np.floor(np.log2(max(1.0, 0.5 * float((high - low).min()) / COARSEST))), 1, 5))
        self.bends = sheet.bending(self.lattice)
        self.samples = [self._samples(here, inside, low, high, k) for k in range(self.levels)]
        if len(self.samples[0].places) < LEAST_PIXELS:
            raise NothingToFollow(FLAT)
        self.area = float(inside.sum())
        hangs = sheet.weights_of(self.lattice, outline)
        self.hangs = Samples(
            places=outline,
            values=np.zeros((len(outline), 3), np.float32),
            first=hangs[0],
            weights=hangs[1],
            half=np.zeros(len(outline), bool),
        )
        self.most = np.inf
        self.scores, self.decided = np.zeros(len(STIFF)), 0.0
        self.middle, self.long = (low + high) / 2, long
        self.few = self.samples[0].some(np.arange(len(self.samples[0].places)) % 3 == 0)
        inner = self.lattice
        across, down = (np.linspace(a, a + (n - 3) * inner.step, 2 * n) for a, n in ((inner.x, inner.across), (inner.y, inner.down)))
        self.spread_out = np.stack(np.meshgrid(across, down), axis=2).reshape(-1, 2)
        self.onto = sheet.through(inner, self.spread_out, np.eye(len(self.spread_out)), 1e-9)
        chosen = np.unique(np.linspace(0, len(outline) - 1, 60).astype(int))
        self.rows = np.zeros((len(chosen), self.lattice.parts))
        np.put_along_axis(self.rows, hangs[0][chosen], hangs[1][chosen], axis=1)
        room = levels_of(here, (0, 0), 1)[0]
        itself = self.look(self.samples[0], room, self.lattice.rest())
        itself.spread = np.full(3, self._noise(here, inside))
        told = float(self.samples[0].values.var(axis=0).mean())
        if told < TEXTURED * self._noise(here, inside) ** 2 or self.unsure(room, STIFF[2], itself) > LOOSE:
            raise NothingToFollow(FLAT)

    def _samples(self, here: Picture, inside: Flags, low: Floats, high: Floats, level: int) -> Samples:
        """The pixels of the key that are looked at on a level: the steepest of small blocks."""
        room = 4 * 2**level
        x0, y0 = np.maximum(0, low.astype(int) - room)
        x1, y1 = np.minimum(self.size, high.astype(int) + room)
        it = levels_of(here[y0:y1, x0:x1], (int(x0), int(y0)), level + 1)[-1]
        whole = inside[y0:y1, x0:x1].astype(np.float32)
        tall, wide = it.colours.shape[:2]
        share = cv2.resize(whole, (wide, tall), interpolation=cv2.INTER_AREA) if level else whole
        steep = np.where(share > 0.95, (it.colours[:, :, 3:] ** 2).sum(axis=2), -1.0)
        at = np.argwhere(steep >= 0)
        if len(at) > MOST:
            side = int(np.ceil(np.sqrt(len(at) / MOST)))
            cells = (at[:, 0] // side) * (wide // side + 1) + at[:, 1] // side
            order = np.lexsort((-steep[at[:, 0], at[:, 1]], cells))
            at = at[order[np.unique(cells[order], return_index=True)[1]]]
        places = np.stack([it.corner[0] + it.step * at[:, 1], it.corner[1] + it.step * at[:, 0]], axis=1)
        first, weights = sheet.weights_of(self.lattice, places)
        half = ((places // (12 * it.step)).astype(int).sum(axis=1) % 2) == 0
        return Samples(
            places=places, values=np.ascontiguousarray(it.colours[at[:, 0], at[:, 1], :3]), first=first, weights=weights, half=half
        )

    def _noise(self, here: Picture, inside: Flags) -> float:
        """What grain leaves of a softened picture, about: from differences that texture hardly makes (Immerkaer 1996)."""
        fine = cv2.filter2D(here.mean(axis=2), -1, np.array([[1.0, -2, 1], [-2, 4, -2], [1, -2, 1]]))
        sigma = float(np.median(np.abs(fine[inside]))) / 0.6745 / 6.0 * np.sqrt(3.0)
        return max(LEAST_SPREAD, 0.35 * sigma)

    def look(self, samples: Samples, level: Level, control: Floats, before: "Looked | None" = None, hidden: Flags | None = None) -> Looked:
        """What the sheet meets in a picture."""
        n = len(samples.places)
        spots, found, seen = np.empty((n, 2)), np.empty((n, 9), np.float32), np.empty(n, np.bool_)
        _looked_up(samples.first, samples.weights, control, level.colours, *level.corner, level.step, spots, found, seen)
        if hidden is not None:
            at = np.clip(spots.astype(int), 0, np.array(self.size) - 1)
            seen &= ~hidden[at[:, 1], at[:, 0]]
        gain, offset = (1.0, np.zeros(3)) if before is None else self._light(samples, found, seen, before.share)
        off = samples.values - (gain * found[:, :3] + offset)
        some = np.abs(off[seen])
        spread = np.clip(1.4826 * np.median(some, axis=0), LEAST_SPREAD, self.most) if len(some) > 10 else np.full(3, LEAST_SPREAD)
        far = ((off / spread) ** 2).mean(axis=1) / BIWEIGHT**2
        share = np.where(seen, np.maximum(0.0, 1 - far) ** 2, 0.0)
        return Looked(spots=spots, found=found, seen=seen, gain=gain, offset=offset, off=off, share=share, spread=spread)

    def _light(self, samples: Samples, found: Singles, seen: Flags, share: Floats) -> tuple[float, Floats]:
        """The gain, and an offset for each colour, that take what was found to what the key has, by least squares."""
        w = np.where(seen, share, 0.0)[:, None]
        total = float(w.sum())
        if total < 10:
            return 1.0, np.zeros(3)
        here, there = (w * found[:, :3]).sum(axis=0) / total, (w * samples.values).sum(axis=0) / total
        a, b = found[:, :3] - here, samples.values - there
        power = float((w * a * a).sum())
        gain = float(np.clip((w * a * b).sum() / power, 0.4, 2.5)) if power > 0 else 1.0
        return gain, there - gain * here

    def _turn(self, samples: Samples, level: Level, control: Floats, stiff: Stiff, looked: Looked, count: float) -> Floats:
        """One step of the fit. count: how many independent pixels the samples stand for."""
        stiffness, away = stiff.cost, control - stiff.base
        matrix, right = self._system(samples, level, stiffness, looked, count)
        right -= stiffness * (self.bends @ away).T.reshape(-1)
        moved = cho_solve(cho_factor(matrix, lower=True, check_finite=False, overwrite_a=True), right, check_finite=False)
        return control + moved.reshape(2, -1).T

    def _fitted(
        self, samples: Samples, level: Level, control: Floats, stiff: Stiff, turns: int, hidden: Flags | None = None
    ) -> tuple[Floats, Looked]:
        count = CORRELATED * self.area / level.step**2
        looked = self.look(samples, level, control, None, hidden)
        looked = self.look(samples, level, control, looked, hidden)
        for _ in range(turns):
            control = self._turn(samples, level, control, stiff, looked, count)
            before = looked
            looked = self.look(samples, level, control, looked, hidden)
            if np.abs(looked.spots - before.spots).max() < STILL * (level.step if level.step == 1 else 4 * level.step):
                break
        return control, looked

    def fit(self, levels: list[Level], start: Floats, hidden: Flags | None = None, decide: bool = True) -> tuple[Floats, Looked, int]:
        """The sheet fitted to a picture from a start; with what it meets, and the number of the stiffness that was kept."""
        control = start
        for k in range(len(levels) - 1, 0, -1):  # what leads the way may only bend a little away from where it begins
            control, _ = self._fitted(self.samples[k], levels[k], control, Stiff(LEADING, start), TURNS[0], hidden)
        base = self._flat(levels[0], control, hidden)
        if decide:
            self._decide(levels[0], control, base, hidden)
        kept = self._kept()
        control, looked = self._fitted(self.samples[0], levels[0], control, Stiff(STIFF[kept], base), TURNS[1], hidden)
        return control, looked, kept

    def _flat(self, level: Level, control: Floats, hidden: Flags | None) -> Floats:
        """The control points of the perspective map that comes nearest to what is seen: what is flat may tilt, and bends away from that."""
        samples, middle, size = self.few, self.middle, self.long
        x, y = ((samples.places - middle) / size).T
        one, nil = np.ones_like(x), np.zeros_like(x)
        looked = self.look(samples, level, control, None, hidden)
        u, v = ((looked.spots - middle) / size).T
        w = looked.share[:, None]
        rows = np.concatenate(
            [
                np.stack([x, y, one, nil, nil, nil, -u * x, -u * y], axis=1) * w,
                np.stack([nil, nil, nil, x, y, one, -v * x, -v * y], axis=1) * w,
            ]
        )
        numbers = np.linalg.lstsq(rows, np.concatenate([u * w[:, 0], v * w[:, 0]]), rcond=None)[0]
        for _ in range(FLAT_TURNS):
            looked = self.look(samples, level, self._tilted(numbers), looked, hidden)
            low = numbers[6] * x + numbers[7] * y + 1
            u, v = ((looked.spots - middle) / size).T
            ju = np.stack([x, y, one, nil, nil, nil, -u * x, -u * y], axis=1) * (size / low[:, None])
            jv = np.stack([nil, nil, nil, x, y, one, -v * x, -v * y], axis=1) * (size / low[:, None])
            share = looked.share / float((looked.spread**2).mean())
            slopes = looked.gain * looked.found[:, 3:].astype(np.float64) / level.step
            matrix, right = np.zeros((8, 8)), np.zeros(8)
            for c in range(3):
                rows = slopes[:, c, None] * ju + slopes[:, 3 + c, None] * jv
                matrix += (rows * share[:, None]).T @ rows
                right += rows.T @ (share * looked.off[:, c])
            matrix[np.diag_indices(8)] += 1e-9 * float(np.trace(matrix)) + 1e-12
            numbers = numbers + np.linalg.solve(matrix, right)
        return self._tilted(numbers)

    def _tilted(self, numbers: Floats) -> Floats:
        """Control points of a sheet that a perspective map moves; numbers: its first eight, of places in sizes from the middle."""
        x, y = ((self.spread_out - self.middle) / self.long).T
        low = np.maximum(numbers[6] * x + numbers[7] * y + 1, 0.05)
        there = np.stack(
            [(numbers[0] * x + numbers[1] * y + numbers[2]) / low, (numbers[3] * x + numbers[4] * y + numbers[5]) / low], axis=1
        )
        return np.asarray(self.onto @ (there * self.long + self.middle))

    def _decide(self, level: Level, control: Floats, base: Floats, hidden: Flags | None) -> None:
        """Let each stiffness be fitted to half of the pixels, and tell by the other half how well it explains them."""
        one, other = self.samples[0].some(self.samples[0].half), self.samples[0].some(~self.samples[0].half)
        left, most = [], 0.0
        for stiffness in STIFF:
            control, _ = self._fitted(one, level, control, Stiff(stiffness, base), 2, hidden)
            judged = self.look(other, level, control, None, hidden)
            judged = self.look(other, level, control, judged, hidden)
            off = (judged.off[judged.seen] ** 2).sum(axis=1)
            if len(off) < LEAST_PIXELS:
                return
            most = most or 9 * float(np.median(off))
            left.append(float(np.log(np.minimum(off, most).mean())))
        self.scores = FADES * self.scores + np.array(left) - left[0]
        self.decided = FADES * self.decided + 1

    def _kept(self) -> int:
        """The stiffest that explains what was seen so far nearly as well as any."""
        kept = 0
        for k in range(1, len(STIFF)):
            if self.scores[k] < self.scores[kept] + self.decided * np.log(ALIKE):
                kept = k
        return kept

    def _system(self, samples: Samples, level: Level, stiffness: float, looked: Looked, count: float) -> tuple[Floats, Floats]:
        """The normal equations of a fit, their lower half: what pixels say, and what bending costs."""
        parts = self.lattice.parts
        matrix, right = np.zeros((2 * parts, 2 * parts)), np.zeros(2 * parts)
        share = looked.share * (count / max(1, len(samples.places)) / float((looked.spread**2).mean()))
        _gathered(samples.first, samples.weights, looked.found, looked.off, share, looked.gain, level.step, matrix, right)
        for k in (0, 1):
            own = slice(k * parts, (k + 1) * parts)
            matrix[own, own] += stiffness * self.bends
        matrix[np.diag_indices(2 * parts)] += 1e-6 * float(np.trace(matrix)) / (2 * parts) + 1e-9
        return matrix, right

    def unsure(self, level: Level, stiffness: float, looked: Looked) -> float:
        """px: the standard error of the outline, at the worst but a twentieth of it, as slopes and what is left of pixels say."""
        matrix, _ = self._system(self.samples[0], level, stiffness, looked, CORRELATED * self.area)
        parts, rows = self.lattice.parts, self.rows
        wide = np.zeros((2 * len(rows), 2 * parts))
        wide[: len(rows), :parts], wide[len(rows) :, parts:] = rows, rows
        solved = cho_solve(cho_factor(matrix, lower=True, check_finite=False), wide.T, check_finite=False)
        spread = np.einsum("ij,ji->i", wide, solved)
        return float(np.sqrt(np.percentile(spread[: len(rows)] + spread[len(rows) :], 95)))

    def follow(self, frames: Iterable[int]) -> Iterator[Drawn]:
        """Follow over frames in this order, away from the key; ends at the first that is lost, with why."""
        last, before, hidden_for = self.lattice.rest(), None, 0
        seen_before: tuple[int, Picture] | None = (self.frame, self.picture(self.frame))
        for count, frame in enumerate(frames):
            expected = last if before is None else last + (last - before)
            there = self.places(expected)
            low, high = there.min(axis=0), there.max(axis=0)
            if (high < 4).any() or (low > np.array(self.size) - 4).any():
                yield Drawn(frame=frame, control=None, why=OUT)
                return
            here = self.picture(frame)
            box = self._box(np.concatenate([there, self.places(last)]))
            levels = levels_of(here[box[1] : box[3], box[0] : box[2]], box[:2], self.levels)
            starts = [expected, last]
            if seen_before is not None:
                starts.append(self._by_flow(seen_before[1], here, last))
            done = self._step(frame, levels, starts, count < 6 or count % 3 == 0)
            inside = ((there > 0) & (there < self.size)).all(axis=1).mean()
            if done.control is None and inside > WITHIN and hidden_for < BRIDGED and before is not None:
                hidden_for += 1
                done = replace(done, control=expected, bridged=True)
            elif done.control is None:
                yield done if inside > WITHIN else replace(done, why=OUT)
                return
            else:
                hidden_for = 0
                self.most = min(self.most, USUAL * done.left)
            yield done
            assert done.control is not None
            before, last = last, done.control
            seen_before = (frame, here)

    def places(self, control: Floats) -> Floats:
        """Where the outline is taken."""
        return np.asarray(np.einsum("nk,nkd->nd", self.hangs.weights, control[self.hangs.first]))

    def _box(self, there: Floats) -> tuple[int, int, int, int]:
        low = np.clip(np.floor(there.min(axis=0) - MARGIN), 0, np.array(self.size) - 8).astype(int)
        high = np.clip(np.ceil(there.max(axis=0) + MARGIN), 8, self.size).astype(int)
        return int(low[0]), int(low[1]), int(high[0]), int(high[1])

    def _step(self, frame: int, levels: list[Level], starts: list[Floats], decide: bool) -> Drawn:
        covered = self.hidden(frame)
        k = min(1, len(levels) - 1)
        order = sorted(starts, key=lambda s: self.look(self.samples[k], levels[k], s, None, covered).cost)
        best: Drawn | None = None
        for start in order[:2]:
            control, looked, kept = self.fit(levels, start, covered, decide)
            found = self._judged(frame, levels[0], control, looked, kept)
            if best is None or (found.likeness * found.agree > best.likeness * best.agree):
                best = found
            if best.likeness > 0.5 * (1 + LOST) and best.agree > 0.6:
                break
        assert best is not None
        if best.likeness < LOST or best.agree * best.likeness < AGREE or best.left >= self.most:
            return replace(best, control=None, why=GAP)
        return best

    def _judged(self, frame: int, level: Level, control: Floats, looked: Looked, kept: int) -> Drawn:
        w, key = looked.share, self.samples[0].values
        total = float(w.sum())
        if total < LEAST_PIXELS:
            return Drawn(frame=frame, control=control)
        mean = (w[:, None] * key).sum(axis=0) / total
        power, left = float((w[:, None] * (key - mean) ** 2).sum()), float((w[:, None] * looked.off**2).sum())
        likeness = float(np.sqrt(max(0.0, 1 - left / power))) if power > 0 else 0.0
        agree = float((w > 0.25).sum() / max(1, looked.seen.sum())) * float(looked.seen.mean() > SEEN)
        return Drawn(
            frame=frame,
            control=control,
            likeness=likeness,
            agree=agree,
            stiffness=kept,
            unsure=self.unsure(level, STIFF[kept], looked),
            left=float(looked.spread.mean()),
        )

    def _by_flow(self, was: Picture, now: Picture, last: Floats) -> Floats:
        """Where dense flow from the frame before takes the sheet, begun inside only (Kroeger et al. 2016, as OpenCV has it)."""
        samples = self.samples[min(1, len(self.samples) - 1)]
        spots = np.einsum("nk,nkd->nd", samples.weights, last[samples.first])
        x0, y0, x1, y1 = self._box(spots)
        grey = [
            np.clip(cv2.cvtColor(np.sqrt(np.maximum(p[y0:y1, x0:x1], 0)), cv2.COLOR_RGB2GRAY) * 255, 0, 255).astype(np.uint8)
            for p in (was, now)
        ]
        if min(grey[0].shape) < 24:
            return last
        flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST).calc(grey[0], grey[1], None)  # type: ignore[call-overload]
        at = np.rint(spots - 0.5 - [x0, y0]).astype(int)
        inside = ((at >= 0) & (at < [x1 - x0, y1 - y0])).all(axis=1)
        if inside.sum() < LEAST_PIXELS:
            return last
        way = flow[at[inside, 1], at[inside, 0]]
        parts = self.lattice.parts
        matrix = np.zeros((parts, parts))
        right = np.zeros((parts, 2))
        some = samples.some(inside)
        _fields(some.first, some.weights, np.ascontiguousarray(way, np.float64), matrix, right)
        matrix += 1e-3 * self.lattice.step**2 * len(way) / parts * self.bends + 1e-6 * np.eye(parts)
        return last + np.linalg.solve(matrix, right)


@kernel
def _fields(first, weights, way, matrix, right):
    for n in range(first.shape[0]):
        for a in range(16):
            ja, wa = first[n, a], weights[n, a]
            right[ja, 0] += wa * way[n, 0]
            right[ja, 1] += wa * way[n, 1]
            for b in range(16):
                matrix[ja, first[n, b]] += wa * weights[n, b]
