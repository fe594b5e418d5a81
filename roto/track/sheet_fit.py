"""A sheet fitted to what a picture shows of the inside of an outline.

A direct fit (Lucas and Kanade 1981) of a cubic B-spline sheet (Rueckert et al., "Nonrigid registration using free-form deformations", IEEE
TMI 18, 1999) by Gauss-Newton's method over halved pictures, pixels that do not agree weighted down by Tukey's biweight. Bending is the
only stiffness: moving, turning, sizing, shearing and tilting cost nothing. How stiff the sheet is, the picture decides: half of the pixels
are fitted, and the stiffest sheet is kept that explains the other half nearly as well as any.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from scipy.linalg import cho_factor, cho_solve

from roto.arrays import Flags, Floats, Singles
from roto.errors import NothingToFollow
from roto.track import sheet, smear
from roto.track.align import BIWEIGHT
from roto.track.looking import Level, Looked, Picture, Samples, gathered, levels_of, looked_up
from roto.track.sheet import Lattice
from roto.track.smear import Exposure

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
SMEARED = 2.0, 4.0
"""px of motion blur from which, and up to which, a sheet is held to how it was bent on the frame before"""
STAYS_BENT = 0.95
"""share of that"""
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
LOOSE = 2.0
"""px: an outline that is less sure than this on its own key has too little inside to hold on to"""
FLAT = "There is too little to hold on to inside the outline: no texture that the picture could be followed by."


@dataclass(frozen=True, slots=True)
class Stiff:
    """What bending costs, px^2, and the control points (parts, 2) from which it is counted."""

    cost: float
    base: Floats


def drawn_in(inside: Flags) -> Flags:
    """Pixels (h, w) of the inside of an outline that have nothing of what lies outside."""
    round_ = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * DRAWN_IN + 1, 2 * DRAWN_IN + 1))
    return np.asarray(cv2.erode(inside.astype(np.uint8), round_, borderValue=0) > 0)


def grain_of(here: Picture, inside: Flags) -> float:
    """What grain leaves of a softened picture (h, w, 3), about: from differences that texture hardly makes (Immerkaer 1996)."""
    fine = cv2.filter2D(here.mean(axis=2), -1, np.array([[1.0, -2, 1], [-2, 4, -2], [1, -2, 1]]))
    sigma = float(np.median(np.abs(fine[inside]))) / 0.6745 / 6.0 * np.sqrt(3.0)
    return max(LEAST_SPREAD, 0.35 * sigma)


class Fitting:
    """What sheets of one key are fitted by. here: the key's picture, linear light (h, w, 3). inside: (h, w), its pixels. outline: (m, 2)
    px, where the answer matters. step: px between control points; by the size of what is followed if left out.

    Raises NothingToFollow where there is too little texture.
    """

    def __init__(self, here: Picture, inside: Flags, outline: Floats, step: float | None = None) -> None:
        self.outline = outline
        self.size = (here.shape[1], here.shape[0])
        inner = cv2.erode(inside.astype(np.uint8), np.ones((3, 3), np.uint8), borderValue=0) > 0
        inside = drawn_in(inside)
        rows, columns = np.flatnonzero(inside.any(axis=1)), np.flatnonzero(inside.any(axis=0))
        if len(rows) < 6 or len(columns) < 6:
            raise NothingToFollow("The inside of the outline lies outside the picture, or is too small: six pixels each way are needed.")
        low, high = np.array([columns[0], rows[0]], float), np.array([columns[-1] + 1, rows[-1] + 1], float)
        long = float((high - low).max())
        self.lattice = Lattice.around(low, high, float(np.clip(long / ACROSS, *STEPS)) if step is None else step)
        self.levels = int(np.clip(1 + np.floor(np.log2(max(1.0, 0.5 * float((high - low).min()) / COARSEST))), 1, 5))
        self.bends = sheet.bending(self.lattice)
        self.exposure = Exposure(self.lattice, inner)
        self.views: list[Level] = []
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
            smear=np.zeros_like(outline),
            grain=np.ones(len(outline)),
        )
        self.most = np.inf
        self.scores, self.decided = np.zeros(len(STIFF)), 0.0
        self.middle, self.long = (low + high) / 2, long
        it = self.lattice
        across, down = (np.linspace(a, a + (n - 3) * it.step, 2 * n) for a, n in ((it.x, it.across), (it.y, it.down)))
        self.spread_out = np.stack(np.meshgrid(across, down), axis=2).reshape(-1, 2)
        self.onto = sheet.through(it, self.spread_out, np.eye(len(self.spread_out)), 1e-9)
        chosen = np.unique(np.linspace(0, len(outline) - 1, 60).astype(int))
        self.rows = np.zeros((len(chosen), self.lattice.parts))
        np.put_along_axis(self.rows, hangs[0][chosen], hangs[1][chosen], axis=1)
        room = levels_of(here, (0, 0), 1)[0]
        itself = self.look(self.samples[0], room, self.lattice.rest())
        itself.spread = np.full(3, grain_of(here, inside))
        told = float(self.samples[0].values.var(axis=0).mean())
        if told < TEXTURED * grain_of(here, inside) ** 2 or self.unsure(room, STIFF[2], itself) > LOOSE:
            raise NothingToFollow(FLAT)

    def _samples(self, here: Picture, inside: Flags, low: Floats, high: Floats, level: int) -> Samples:
        """The pixels of the key that are looked at on a level: the steepest of small blocks."""
        room = 4 * 2**level
        x0, y0 = np.maximum(0, low.astype(int) - room)
        x1, y1 = np.minimum(self.size, high.astype(int) + room)
        it = levels_of(here[y0:y1, x0:x1], (int(x0), int(y0)), level + 1)[-1]
        self.views.append(it)
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
        values = np.ascontiguousarray(it.colours[at[:, 0], at[:, 1], :3])
        nil, all_of_it = np.zeros_like(places), np.ones(len(places))
        return Samples(places=places, values=values, first=first, weights=weights, half=half, smear=nil, grain=all_of_it)

    def look(self, samples: Samples, level: Level, control: Floats, before: "Looked | None" = None, hidden: Flags | None = None) -> Looked:
        """What the sheet meets in a picture."""
        n = len(samples.places)
        spots, found, seen = np.empty((n, 2)), np.empty((n, 9), np.float32), np.empty(n, np.bool_)
        looked_up(samples.first, samples.weights, control, samples.smear, level.colours, *level.corner, level.step, spots, found, seen)
        if hidden is not None:
            at = np.clip(spots.astype(int), 0, np.array(self.size) - 1)
            seen &= ~hidden[at[:, 1], at[:, 0]]
        gain, offset = (1.0, np.zeros(3)) if before is None else self._light(samples, found, seen, before.share)
        off = samples.values - (gain * found[:, :3] + offset)
        some = np.abs(off[seen])
        spread = np.clip(1.4826 * np.median(some, axis=0), LEAST_SPREAD, self.most) if len(some) > 10 else np.full(3, LEAST_SPREAD)
        far = ((off / spread) ** 2).mean(axis=1) / BIWEIGHT**2
        share = np.where(seen, np.maximum(0.0, 1 - far) ** 2, 0.0)
        return Looked(
            samples=samples, spots=spots, found=found, seen=seen, gain=gain, offset=offset, off=off, share=share, spread=spread
        )  # fmt: skip

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
        count = CORRELATED * samples.left * self.area / level.step**2
        looked = self.look(samples, level, control, None, hidden)
        looked = self.look(samples, level, control, looked, hidden)
        for _ in range(turns):
            control = self._turn(samples, level, control, stiff, looked, count)
            before = looked
            looked = self.look(samples, level, control, looked, hidden)
            if np.abs(looked.spots - before.spots).max() < STILL * (level.step if level.step == 1 else 4 * level.step):
                break
        return control, looked

    def fit(
        self,
        levels: list[Level],
        start: Floats,
        ago: tuple[Floats, Floats | None],
        hidden: Flags | None = None,
        decide: bool = True,
    ) -> tuple[Floats, Looked, int]:
        """The sheet fitted to a picture from a start; with what it meets, and the number of the stiffness that was kept.

        ago: where its control points were on the frame before, and on the one before that.
        """
        control, samples = start, self._smeared(start, ago, slice(1, len(levels)))
        for k in range(len(levels) - 1, 0, -1):  # what leads the way may only bend a little away from where it begins
            control, _ = self._fitted(samples[k - 1], levels[k], control, Stiff(LEADING, start), TURNS[0], hidden)
        (seen,) = self._smeared(control, ago, slice(1))
        base = self._base(seen, levels[0], control, ago, hidden)
        if decide:
            self._decide(seen, levels[0], control, base, hidden)
        kept = self._kept()
        control, looked = self._fitted(seen, levels[0], control, Stiff(STIFF[kept], base), TURNS[1], hidden)
        if decide:
            self._expose(levels[0], control, ago, hidden)
        return control, looked, kept

    def _smeared(self, control: Floats, ago: tuple[Floats, Floats | None], which: slice) -> list[Samples]:
        """The samples of some levels as they look where control points came to these."""
        return self.exposure.smeared(self.samples[which], self.views[which], control, smear.way_to(control, *ago))

    def _expose(self, level: Level, control: Floats, ago: tuple[Floats, Floats | None], hidden: Flags | None) -> None:
        """Let each share of exposure tell how well it explains a picture, where that can be told."""
        way = smear.way_to(control, *ago)
        if not self.exposure.tells(self.samples[0], control, way):
            return
        left, most = [], 0.0
        for exposed in smear.SHUTTERS:
            samples = self.exposure.with_share(self.samples[0], self.views[0], control, way, exposed, tells=True)
            looked = self.look(samples, level, control, self.look(samples, level, control, None, hidden), hidden)
            off = (looked.off[looked.seen] ** 2).sum(axis=1) / samples.grain[looked.seen]
            if len(off) < LEAST_PIXELS:
                return
            most = most or 9 * float(np.median(off))
            left.append(float(np.log(np.minimum(off, most).mean())))
        self.exposure.hear(np.array(left))

    def _base(self, samples: Samples, level: Level, control: Floats, ago: tuple[Floats, Floats | None], hidden: Flags | None) -> Floats:
        """The control points from which bending is counted: of what is flat; where a picture is smeared, and shows little of how it
        bends, bent nearly as on the frame before."""
        flat = self._flat(samples, level, control, hidden)
        long = self.exposure.longest(self.hangs, smear.way_to(control, *ago))
        share = float(np.clip((long - SMEARED[0]) / (SMEARED[1] - SMEARED[0]), 0, 1))
        some = self.samples[0].some(np.arange(len(self.samples[0].places)) % 5 == 0)
        last, here = (np.einsum("nk,nkd->nd", some.weights, one[some.first]) for one in (ago[0], flat))
        moved = np.linalg.lstsq(np.concatenate([last, np.ones((len(last), 1))], axis=1), here, rcond=None)[0]
        return np.asarray(flat + STAYS_BENT * share * (ago[0] @ moved[:2] + moved[2] - flat))

    def _flat(self, samples: Samples, level: Level, control: Floats, hidden: Flags | None) -> Floats:
        """The control points of the perspective map that comes nearest to what is seen: what is flat may tilt, and bends away from that."""
        samples = samples.some(np.arange(len(samples.places)) % 3 == 0)
        middle, size = self.middle, self.long
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

    def _decide(self, samples: Samples, level: Level, control: Floats, base: Floats, hidden: Flags | None) -> None:
        """Let each stiffness be fitted to half of the pixels, and tell by the other half how well it explains them."""
        one, other = samples.some(samples.half), samples.some(~samples.half)
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
        gathered(samples.first, samples.weights, looked.found, looked.off, share, looked.gain, level.step, matrix, right)
        for k in (0, 1):
            own = slice(k * parts, (k + 1) * parts)
            matrix[own, own] += stiffness * self.bends
        matrix[np.diag_indices(2 * parts)] += 1e-6 * float(np.trace(matrix)) / (2 * parts) + 1e-9
        return matrix, right

    def unsure(self, level: Level, stiffness: float, looked: Looked) -> float:
        """px: the standard error of the outline, at the worst but a twentieth of it, as slopes and what is left of pixels say."""
        samples = looked.samples
        matrix, _ = self._system(samples, level, stiffness, looked, CORRELATED * samples.left * self.area)
        parts, rows = self.lattice.parts, self.rows
        wide = np.zeros((2 * len(rows), 2 * parts))
        wide[: len(rows), :parts], wide[len(rows) :, parts:] = rows, rows
        solved = cho_solve(cho_factor(matrix, lower=True, check_finite=False), wide.T, check_finite=False)
        spread = np.einsum("ij,ji->i", wide, solved)
        return float(np.sqrt(np.percentile(spread[: len(rows)] + spread[len(rows) :], 95)))
