"""The picture draws the in-betweens: sheets fitted from the keys on both sides, joined into one track that the outline rides on.

Between two keys what was followed forwards and backwards is blended; what does not meet at the far key is spread back along the way,
turned with the sheet; then the picture's edge has its word (`edge_word`). Beyond the first and the last key there is one side only. All
sheets are told on the home frame's grid.
"""

from collections.abc import Callable, Iterable, Mapping
from concurrent.futures import ThreadPoolExecutor, wait
from dataclasses import dataclass, field, replace
from itertools import pairwise

import cv2
import numpy as np

from roto.arrays import Flags, Floats
from roto.errors import BadTrack
from roto.motion.keys import Keys
from roto.motion.shape import halved
from roto.track import edge_word, sheet
from roto.track.bend import GAP, Bender, Drawn
from roto.track.sheet import Lattice
from roto.track.track import Track

OFF_BY = 7.0
"""times what a fit says of its own error, that the outline is off in 19 of 20 frames (measured on plates with truth: `benchmarks bend`)"""
HALF_SURE = 0.5
"""px that an outline is likely off where its confidence is one half"""
NOT_MET = 0.15
"""of what did not meet at the far key, that may be wrong in the middle of the way"""
RAMP = 4.0
"""frames over which one side gives way to the other, where it was lost"""
DISAGREE = 0.5
"""of what both sides are apart by in the middle of the way, that their blend is likely off by"""
BESIDE = 2
"""frames to either side on which that counts as well"""
UNEQUAL = 4.0
"""times as unsure as the other side, from which a side counts less"""
SMOOTH = 0.1
"""stiffness of what is spread: it follows the outline closely, and does not trouble what lies between its points"""
UNLIKE = "The outlines of two keys are too unlike each other for one picture to bend into the other: set a key between them."
WORST = 9.0
"""px: worse is not told apart when it is asked where to key next"""
LOOKS_EVERY = 0.1
"""seconds between two looks at what was found meanwhile"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Sure:
    """A sheet on a frame: control points (parts, 2), and px that the outline is likely off by."""

    control: Floats
    off: float


def along(outlines: Floats, least: int) -> Floats:
    """Places (F, m, 2) along outlines (F, n, 6), the same ones on each: their points, and so many between that they are `least` or more."""
    while outlines.shape[1] < least:
        outlines = halved(outlines)
    return np.ascontiguousarray(outlines[:, :, :2])


def inside(outline: Floats, size: tuple[int, int]) -> Flags:
    """Which pixels (h, w) of a picture of a size (width, height) lie inside of an outline (m, 2)."""
    out = np.zeros(size[::-1], np.uint8)
    cv2.fillPoly(out, [np.rint(np.clip(outline, -1e5, 1e5) * 256 - 128).astype(np.int32)], (1,), cv2.LINE_8, 8)
    return out > 0


def confidence(off: float) -> float:
    """0..1, of px that an outline is likely off by: one half at HALF_SURE.

    >>> [round(confidence(off), 2) for off in (0.0, 0.25, 0.5, 1.0)]
    [1.0, 0.8, 0.5, 0.2]
    """
    return float(1 / (1 + (off / HALF_SURE) ** 2)) if np.isfinite(off) else 0.0


@dataclass(kw_only=True)
class Drawing:
    """Sheets under way. bender: makes what follows from a key. outlines: by key, places (m, 2) along the outline, the same ones on each.

    home: a key. lattice: its grid. known: sheets that stand already: those of keys stay as they are. on_way: is told each frame that is
    done with the outline there and how sure it is; says whether to go on.
    """

    bender: Callable[[int], Bender]
    outlines: Mapping[int, Floats]
    home: int
    lattice: Lattice
    known: dict[int, Sure] = field(default_factory=dict)
    on_way: Callable[[int, Floats, float], bool] = lambda frame, outline, sure: True
    why: str = ""

    def __post_init__(self) -> None:
        self.known.setdefault(self.home, Sure(control=self.lattice.rest(), off=0.0))
        across, down = (
            np.linspace(a, a + (n - 3) * self.lattice.step, 2 * n)
            for a, n in ((self.lattice.x, self.lattice.across), (self.lattice.y, self.lattice.down))
        )
        self.spots = np.stack(np.meshgrid(across, down), axis=2).reshape(-1, 2)
        self.onto = sheet.through(self.lattice, self.spots, np.eye(len(self.spots)), 1e-9)
        self.stopped = False

    def _on(self, control: Floats, places: Floats) -> Floats:
        return sheet.bent(self.lattice, control[None], places[None])[0][0]

    def _after(self, key: Bender, control: Floats, first: Floats) -> Floats:
        """On the home grid: a sheet of a key's own grid, after the one that takes the home frame to that key."""
        return np.asarray(self.onto @ sheet.bent(key.lattice, control[None], self._on(first, self.spots)[None])[0][0])

    def _run(self, bender: Bender, frames: range, found: dict[int, Drawn]) -> None:
        """Follow, and put what is found where it can be looked at meanwhile."""
        for done in bender.follow(frames):
            found[done.frame] = done
            if self.stopped:
                return

    def _while_drawn(self, runs: list[tuple[Bender, range, dict[int, Drawn]]]) -> None:
        """Runs side by side; what they find is told here as it comes."""
        told: set[tuple[int, int]] = set()
        with ThreadPoolExecutor(len(runs)) as pool:
            work = [pool.submit(self._run, *run) for run in runs]
            while True:
                ready = all(one.done() for one in work)
                for side, (bender, _, found) in enumerate(runs):
                    for frame, done in list(found.items()):
                        if (side, frame) in told or done.control is None:
                            continue
                        told.add((side, frame))
                        if not self.stopped and not self.on_way(frame, bender.places(done.control), confidence(_off(done))):
                            self.stopped, self.why = True, "Stopped."
                if ready:
                    break
                wait(work, timeout=LOOKS_EVERY)
            for one in work:
                one.result()

    def _anchored(self, key: int) -> Floats:
        """The sheet of a key; of one that nothing was drawn to yet, from the nearest that is known, as its outline tells."""
        if key not in self.known:
            near = min((k for k in self.known if k in self.outlines), key=lambda k: abs(k - key))
            sheet_there = self.known[near].control
            spots = sheet.unbent(self.lattice, sheet_there[None], self.outlines[near][None])[0]
            missed = sheet.through(self.lattice, spots, self.outlines[key] - self.outlines[near], SMOOTH)
            self.known[key] = Sure(control=sheet_there + missed, off=0.0)
        return self.known[key].control

    def onwards(self, key: int, to: int) -> None:
        """Draw from a key on, forwards or backwards, as far as it goes; `why` says what ended it."""
        way = 1 if to > key else -1
        bender, first = self.bender(key), self._anchored(key)
        found: dict[int, Drawn] = {}
        self._while_drawn([(bender, range(key + way, to + way, way), found)])
        order = [f for f in found if found[f].control is not None]
        lost = next((done.why for done in found.values() if done.control is None), "")
        while order and found[order[-1]].bridged:  # it ended behind something: where it is there is not known
            lost = lost or GAP
            order.pop()
        if lost and not self.stopped:
            self.why = f"{lost} The last good frame is {order[-1] if order else key}."
        for frame in order:
            control = found[frame].control
            assert control is not None
            self.known[frame] = Sure(control=self._after(bender, control, first), off=_off(found[frame]))
        for frame in range(order[-1] + way if order else key + way, to + way, way):
            self.known.pop(frame, None)

    def between(self, one: int, other: int) -> None:
        """Draw between two keys, from both."""
        sides = (self.bender(one), self.bender(other))
        forth: dict[int, Drawn] = {}
        back: dict[int, Drawn] = {}
        self._while_drawn([(sides[0], range(one + 1, other + 1), forth), (sides[1], range(other - 1, one - 1, -1), back)])
        if not self.stopped:
            self._joined(one, other, sides, forth, back)
            self._by_edges(one, other, sides[0])

    def _by_edges(self, one: int, other: int, looks: Bender) -> None:
        """Let the picture's edge correct what was drawn between two keys."""
        drawn = {f: self.known[f] for f in range(one + 1, other) if f in self.known and np.isfinite(self.known[f].off)}
        if not drawn or other not in self.known:
            return
        ends = [
            edge_word.End(
                frame=k, outline=self.outlines[k], spots=sheet.unbent(self.lattice, self.known[k].control[None], self.outlines[k][None])[0]
            )
            for k in (one, other)
        ]
        sheets = {f: (sure.control, sure.off) for f, sure in drawn.items()}
        heard = edge_word.corrected(self.lattice, sheets, (ends[0], ends[1]), looks.picture, looks.hidden)
        self.known |= {f: Sure(control=control, off=off) for f, (control, off) in heard.items()}

    def _met(self, there: Floats, spots: Floats, key: int) -> Floats | None:
        """A sheet that arrived at a key, put where the key has its outline; None where that folds it over."""
        control = there + sheet.through(self.lattice, spots, self.outlines[key] - self._on(there, spots), SMOOTH)
        try:
            sheet.unbent(self.lattice, control[None], self.outlines[key][None])
        except BadTrack:
            return None
        return control

    def _joined(self, one: int, other: int, sides: tuple[Bender, Bender], forth: dict[int, Drawn], back: dict[int, Drawn]) -> None:
        begin = self._anchored(one)
        spots = sheet.unbent(self.lattice, begin[None], self.outlines[one][None])[0]
        arrived = _control(forth, other)
        there = begin if arrived is None else self._after(sides[0], arrived, begin)
        if other not in self.known:
            control = self._met(there, spots, other)
            if control is None:  # it followed something else: of what it found nothing is kept
                forth.clear()
                arrived, there = None, begin
                control = self._met(there, spots, other)
            if control is None:
                self.why = f"{UNLIKE} That is so between {one} and {other}."
                return
            self.known[other] = Sure(control=control, off=0.0)
        end = self.known[other].control
        missed = end - there
        returned = _control(back, one)
        here = None if returned is None else self._after(sides[1], returned, end)
        gap = np.inf if arrived is None else float(np.percentile(np.hypot(*(self._on(end, spots) - self._on(there, spots)).T), 95))
        apart: dict[int, float] = {}
        for frame in range(one + 1, other):
            u = (frame - one) / (other - one)
            parts: list[tuple[float, Floats, float]] = []
            if (ahead := _control(forth, frame)) is not None:
                control = self._after(sides[0], ahead, begin)
                if arrived is not None:
                    control = control + u * missed @ _turn(there, control).T
                share = (1 - _smooth(u)) * min(1.0, (_lost(forth, other) - frame) / RAMP if arrived is None else 1.0)
                parts.append((share, control, _off(forth[frame])))
            if (behind := _control(back, frame)) is not None:
                control = self._after(sides[1], behind, end)
                if here is not None:
                    control = control + (1 - u) * (begin - here) @ _turn(here, control).T
                share = _smooth(u) * min(1.0, (frame - _lost(back, one)) / RAMP if here is None else 1.0)
                parts.append((share, control, _off(back[frame])))
            parts = _weighed(parts)
            total = sum(share for share, _, _ in parts)
            if total <= 0:
                self.known.pop(frame, None)
                continue
            control = sum((share / total * its for share, its, _ in parts), np.zeros_like(begin))
            off = sum(share / total * its for share, _, its in parts if share > 0) / np.sqrt(len(parts))
            off += NOT_MET * gap * 4 * u * (1 - u) if np.isfinite(gap) else 0.0
            if len(parts) == 2:
                apart[frame] = edge_word.across(*(self._on(its, spots) for _, its, _ in parts)) * np.sqrt(4 * u * (1 - u))
            self.known[frame] = Sure(control=control, off=float(off))
        for frame in apart:  # where they go apart at least one is wrong, whatever it says of itself; that they meet may be by chance
            near = max(apart.get(f, 0.0) for f in range(frame - BESIDE, frame + BESIDE + 1))
            self.known[frame] = replace(self.known[frame], off=max(self.known[frame].off, DISAGREE * near))


def _weighed(parts: list[tuple[float, Floats, float]]) -> list[tuple[float, Floats, float]]:
    """Shares, sheets and px that they are likely off, of a side that is much less sure than the other with less of a share."""
    least = min((off for _, _, off in parts), default=np.inf)
    return [(share * UNEQUAL * least / off if off > UNEQUAL * least else share, its, off) for share, its, off in parts]


def _smooth(u: float) -> float:
    return u * u * (3 - 2 * u)


def _off(done: Drawn) -> float:
    return np.inf if done.bridged else OFF_BY * done.unsure


def _control(run: Mapping[int, Drawn], frame: int) -> Floats | None:
    return run[frame].control if frame in run else None


def _lost(run: Mapping[int, Drawn], to: int) -> int:
    """The frame on which a run was lost."""
    return next((f for f, one in run.items() if one.control is None), to)


def _turn(one: Floats, other: Floats) -> Floats:
    """The linear part (2, 2) of the affine map that takes control points nearest to others."""
    a, b = one - one.mean(axis=0), other - other.mean(axis=0)
    return np.asarray(np.linalg.lstsq(a, b, rcond=None)[0].T)


def as_track(drawing: Drawing, track_id: str, name: str) -> Track:
    """What was drawn, as a track; its keys count as set by hand."""
    frames = sorted(drawing.known)
    return Track(
        id=track_id, name=name, home=drawing.home, sheet=drawing.lattice,
        points=Keys.build(frames, np.stack([drawing.known[f].control for f in frames])),
        confidence=np.array([confidence(drawing.known[f].off) for f in frames]),
        manual=frozenset(f for f in frames if f in drawing.outlines),
    )  # fmt: skip


def known_of(track: Track) -> dict[int, Sure]:
    """The sheets of a track that was drawn before."""
    off = HALF_SURE * np.sqrt(np.maximum(1 / np.maximum(track.confidence, 1e-6) - 1, 0.0))
    return {int(f): Sure(control=v, off=float(o)) for f, v, o in zip(track.points.frames, track.points.values, off, strict=True)}


def where_next(known: Mapping[int, Sure], keys: Iterable[int], most: int = 1) -> list[int]:
    """Frames on which a key would help most: the middle, by what it is likely off, of the stretch that is likely off most in all. Stretches
    on which no frame is likely off by HALF_SURE are left alone."""
    ends = sorted(keys)
    found = []
    for one, other in pairwise([min(known, default=0) - 1, *ends, max(known, default=0) + 1]):
        off = [(f, min(known[f].off, WORST)) for f in range(one + 1, other) if f in known]
        if off and max(value for _, value in off) > HALF_SURE:
            total = np.cumsum([value for _, value in off])
            found.append((float(total[-1]), off[int(np.searchsorted(total, total[-1] / 2))][0]))
    return [frame for _, frame in sorted(found, reverse=True)[:most]]


def stretches(drawing: Drawing, wanted: Iterable[tuple[int, int]]) -> None:
    """Draw stretches in turn: between two keys, or from a key to a frame that is none."""
    for one, other in wanted:
        if drawing.stopped:
            return
        if one in drawing.outlines and other in drawing.outlines:
            drawing.between(min(one, other), max(one, other))
        else:
            drawing.onwards(one, other)
