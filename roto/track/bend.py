"""Following what bends: sheets fitted from the key's own pixels to each frame.

Nothing is chained: each frame is compared with the key, and what was found before only says where to begin.
"""

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace

import cv2
import numpy as np

from roto.arrays import Flags, Floats
from roto.track import smear
from roto.track.looking import Level, Looked, Picture, fields, levels_of
from roto.track.sheet_fit import LEAST_PIXELS, STIFF, Fitting

USUAL = 4.0
"""times what is left of pixels on the first frame, that may be left on later ones: blur and light change it somewhat"""
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
GAP = "The inside of the outline is lost: nothing there looks enough like it. Set a key here by hand, and draw on from it."
OUT = "The outline has left the picture."


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


class Bender(Fitting):
    """Follows the inside of an outline from its key. picture: a frame as linear light (h, w, 3). inside, outline, step: as `Fitting` has
    them. hidden: on a frame, pixels (h, w) of what passes in front, or None.
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
        self.picture, self.frame, self.hidden = picture, frame, hidden
        covered = hidden(frame)
        super().__init__(picture(frame), inside if covered is None else inside & ~covered, outline, step)

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
            exposed = self.exposure.exposed
            done = self._step(frame, levels, starts, (last, before), count < 6 or count % 3 == 0)
            if done.control is not None and (count == 0 or self.exposure.exposed != exposed):
                if count == 0:  # how the key itself moves shows on the frames beside it
                    self.exposure.key_way = done.control - last
                done = self._step(frame, levels, [done.control], (last, before), True)
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
            if count == 1:
                self.exposure.key_way = smear.way_on_first(self.lattice.rest(), last, done.control)
            before, last = last, done.control
            seen_before = (frame, here)

    def places(self, control: Floats) -> Floats:
        """Where the outline is taken."""
        return np.asarray(np.einsum("nk,nkd->nd", self.hangs.weights, control[self.hangs.first]))

    def _box(self, there: Floats) -> tuple[int, int, int, int]:
        low = np.clip(np.floor(there.min(axis=0) - MARGIN), 0, np.array(self.size) - 8).astype(int)
        high = np.clip(np.ceil(there.max(axis=0) + MARGIN), 8, self.size).astype(int)
        return int(low[0]), int(low[1]), int(high[0]), int(high[1])

    def _step(self, frame: int, levels: list[Level], starts: list[Floats], ago: tuple[Floats, Floats | None], decide: bool) -> Drawn:
        covered = self.hidden(frame)
        k = min(1, len(levels) - 1)
        order = sorted(starts, key=lambda s: self.look(self.samples[k], levels[k], s, None, covered).cost)
        best: Drawn | None = None
        for start in order[:2]:
            control, looked, kept = self.fit(levels, start, ago, covered, decide)
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
        w, key = looked.share, looked.samples.values
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
        fields(some.first, some.weights, np.ascontiguousarray(way, np.float64), matrix, right)
        matrix += 1e-3 * self.lattice.step**2 * len(way) / parts * self.bends + 1e-6 * np.eye(parts)
        return last + np.linalg.solve(matrix, right)
