"""Fringes: bands (hair, fuzz) in which alpha is solved from the plate, and steadied over time.

A fringe is a line of the stack whose mode is SOLVE. Its shape is the band. What lies below it in the stack says what is known:

- Where the matte is solid, farther inside than the shape's outer reach (px), alpha is known to be 1.
- Where other shapes than the one right below count, alpha is known too.
- All else within the band is solved. The inner reach is how far from its border inwards the band fades in.

Everything outside the band stays as it was.
"""

import hashlib
import io
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from threading import Lock, RLock
from typing import Protocol

import cv2
import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.curve.brush import around
from roto.errors import BadGeometry, NoSource
from roto.matte.frame_keys import FrameKeys, exposures, rows_of
from roto.matte.matting.foreground import foreground
from roto.matte.matting.laplacian import RADIUS, solve_alpha
from roto.matte.matting.temporal import AROUND, STEPS, cleaned, motion, solved_again, steadied, stored
from roto.matte.modes import SOLVE
from roto.matte.render import Box, Solved, render
from roto.matte.stack import NO_SOURCE, Entry, Matte, within
from roto.motion.keys import Keys
from roto.motion.shape import CLOSED, CORNER, CURVE, Shape, settings_values
from roto.tolerances import SOLID

METHOD = "5"
"""a part of every key: raised when the same input would be solved to something else"""
AHEAD = 16
"""frames whose keys are made together"""
KEPT = 48
"""solved frames kept in memory, a megabyte or so each"""
FADE, DEEP = 2.0, 6.0
"""px: over which a new band fades in from its border, and how deep it solves into what is solid"""
KERNEL = 0.6
"""of the deepest place: beyond it something stays solid even of a slender shape, or there were nothing to go by"""
Picture = NDArray[np.float32]


class Keep(Protocol):
    """Where solved frames are kept from one run to the next."""

    def get(self, key: str) -> Solved | None:
        """What is kept under a key, if anything."""

    def put(self, key: str, solved: Solved) -> None:
        """Keep it under a key."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Band:
    """What is to be solved of a frame, all (h, w) of the box. cover: how much the band counts. below: the matte under it. unknown: where
    alpha is solved."""

    box: Box
    cover: NDArray[np.float32]
    below: NDArray[np.float32]
    unknown: NDArray[np.bool_]


def band_shape(shape: Shape) -> Shape:
    """The band as it is rendered by itself: still through the exposure, fading inwards from its border."""
    if shape.kind != CLOSED:
        raise BadGeometry(f"'{shape.name}' is not a closed outline, so it cannot be a fringe's band.")
    fades = replace(
        shape.settings, values=shape.settings.values * [[1, 0], [0, 0], [1, 0]], speeds=shape.settings.speeds * [[1, 0], [0, 0], [1, 0]]
    )
    return replace(shape, settings=fades, reach=None, own=(), blur=False)


def band_of(
    matte: Matte,
    at: int,
    frame: int,
    below: Callable[[Matte, Box], NDArray[np.float32]],
    *,
    margin: int = 2 * RADIUS + 2,
    all_below: bool = True,
) -> Band | None:
    """The band of the line `at` of the stack; None where it is not live, or not in the picture.

    below: renders the float matte of a box. margin: px around the band that the box holds too. all_below: whether alpha is known, too,
    where other shapes count than the one right below.
    """
    shape = matte.entries[at].shape
    if not shape.is_live(frame):
        return None
    cover_of = replace(matte, entries=(Entry(shape=band_shape(shape)),), inverted=False, shift=())
    places = shape.outlines(np.array([frame]))[0]
    reached = np.concatenate([places[:, :2], places[:, :2] + places[:, 2:4], places[:, :2] + places[:, 4:6]])
    low = np.clip(np.floor(reached.min(axis=0)) - margin, 0, matte.size).astype(int)
    high = np.clip(np.ceil(reached.max(axis=0)) + margin, 0, matte.size).astype(int)
    box = (int(low[0]), int(low[1]), int(high[0]), int(high[1]))
    if box[2] <= box[0] or box[3] <= box[1]:
        return None
    cover = stored(render(cover_of, frame, box=box).alpha)
    so_far = below(replace(matte, entries=matte.entries[:at], inverted=False), box)
    within = cv2.distanceTransform((so_far >= SOLID).astype(np.uint8), cv2.DIST_L2, 5)
    deep = min(shape.settings_at(frame)[0][1], KERNEL * float(within.max()))
    unknown = (cover > 0) & (within <= deep)
    if all_below:
        unknown &= below(replace(matte, entries=matte.entries[: _below_that(matte, at)], inverted=False), box) <= 1 - SOLID
    return Band(box=box, cover=cover, below=so_far, unknown=unknown) if unknown.any() else None


def _below_that(matte: Matte, at: int) -> int:
    """Where the line right below line `at` begins: with its shapes, where it is a group's."""
    start = max(0, at - 1)
    groups = within(matte.entries)
    while start > 0 and groups[start - 1] is matte.entries[at - 1]:
        start -= 1
    return start


def packed(solved: Solved) -> bytes:
    """A solved frame as the bytes of a file (numpy's .npz)."""
    out = io.BytesIO()
    whole = [np.rint(a * STEPS).astype(np.uint16) for a in (solved.alpha, solved.cover)]
    np.savez_compressed(
        out, box=solved.box, steady=solved.steady, alpha=whole[0], cover=whole[1], unknown=np.packbits(solved.unknown), doubt=solved.doubt
    )
    return out.getvalue()


def unpacked(data: bytes) -> Solved:
    """What `packed` has made; raises ValueError or OSError for anything else."""
    with np.load(io.BytesIO(data), allow_pickle=False) as it:
        alpha, cover = ((it[name] / np.float32(STEPS)).astype(np.float32) for name in ("alpha", "cover"))
        unknown = np.unpackbits(it["unknown"], count=alpha.size).astype(bool).reshape(alpha.shape)
        x0, y0, x1, y1 = (int(v) for v in it["box"])
        doubt = float(it["doubt"]) if "doubt" in it.files else 0.0
        return Solved(box=(x0, y0, x1, y1), alpha=alpha, cover=cover, unknown=unknown, steady=bool(it["steady"]), doubt=doubt)


def made_band(fringe_id: str, name: str, subject: Shape, frame: int, points: Floats, curves: list[bool]) -> Shape:
    """A band around (a part of) a shape, from points (n, 6) in plate px on a frame: it is placed as the shape is, and rides with it."""
    here = subject.within_form(points[None], frame, frame)
    return replace(
        subject,
        id=fringe_id,
        name=name,
        kind=CLOSED,
        form=Keys.build([frame], here),
        kinds=np.array([CURVE if c else CORNER for c in curves], np.int8),
        settings=Keys.build([frame], settings_values(FADE, DEEP)[None]),
        reach=None,
        own=(),
        profile="smooth",
        blur=False,
    )


def band_of_reach(matte: Matte, shape: Shape, frame: int) -> tuple[Floats, list[bool]]:
    """Points (n, 6), and which are curves, around all of the picture in which a shape's soft edge counts on a frame."""
    alone = replace(matte, entries=(Entry(shape=shape),), inverted=False)
    return around(render(alone, frame).alpha > 0, (0.0, 0.0), 1.0)


def solve(band: Band, picture: Picture) -> Solved:
    """The band solved from the whole picture (H, W, 3) of its frame, as it is displayed (0..1)."""
    x0, y0, x1, y1 = band.box
    piece = np.ascontiguousarray(picture[y0:y1, x0:x1], dtype=np.float32)
    alpha = stored(solve_alpha(piece, band.below, band.unknown).astype(np.float32))
    return Solved(box=band.box, alpha=alpha, cover=band.cover, unknown=band.unknown, steady=False)


class Found(Protocol):
    """Gives lines of one mode that is not a fringe; see `roto.matte.render.results.Solver`."""

    def solved(self, matte: Matte, at: int, frame: int) -> Solved | None:
        """What line `at` is on a frame."""

    def as_finished(self, matte: Matte, at: int, frame: int) -> Solved | None:
        """All of the matte within its band, on a frame that is finished."""

    def whole_keys(self, matte: Matte, at: int, frames: Sequence[int]) -> dict[int, str]:
        """By frame, a name for everything that the line depends on."""


class Fringes:
    """Solves the fringes of a shot's mattes, and keeps what is solved.

    picture: the plate of a frame (H, W, 3) as it is displayed, float32 0..1. named: a text that names that picture and its version.
    wait: whether to solve what is not kept yet; otherwise only what is there is given. steady: whether frames are to be steadied.
    others: by mode, what gives the lines that are found otherwise.
    """

    def __init__(
        self, picture: Callable[[int], Picture], named: Callable[[int], str], keep: Keep, *, wait: bool = True, steady: bool = True
    ) -> None:
        self.picture, self.named, self.keep, self.wait, self.steady = picture, named, keep, wait, steady
        self.others: dict[str, Found] = {}
        self.one_at_a_time = RLock()  # frames are steadied by each other: two threads would solve the same ones
        self._told: tuple[Matte | None, dict[tuple[int, int], str]] = None, {}
        self._whole: tuple[Matte | None, tuple[int, list[int]], dict[int, str]] = None, (0, []), {}

    @property
    def whole(self) -> bool:
        """Whether all of it is wanted, as for a delivery: what is missing is an error then."""
        return self.wait and self.steady

    def solved(self, matte: Matte, at: int, frame: int) -> Solved | None:
        """The fringe that is line `at` of a matte's stack on a frame: the best there is, or what can be made; None where there is none."""
        shape, mode = matte.entries[at].shape, matte.entries[at].mode
        if mode in self.others:
            return self.others[mode].solved(matte, at, frame)
        if mode != SOLVE:
            if self.whole:
                raise NoSource(f"What '{shape.name}' comes from is not here.", name=shape.name)
            return None
        keys = self._keys_around(matte, at, frame)
        if frame not in keys:
            return None
        whole = steady_key(keys, frame, 2 * AROUND)
        kept = self.keep.get(whole)
        if kept is not None or not self.wait:
            alone = self.keep.get(keys[frame]) if kept is None else None
            return kept if alone is None else cleaned(alone)
        if not self.steady:
            here = self._alone(matte, at, frame, keys[frame])
            return here and cleaned(here)
        here = self._again(matte, at, frame, keys)
        if here is None:
            return None
        others = [(f, self._again(matte, at, f, keys)) for f in _near(keys, frame, AROUND) if f != frame]
        done = cleaned(steadied(here, [(other, motion(shape, f, frame)) for f, other in others if other is not None]))
        self.keep.put(whole, done)
        return done

    def as_finished(self, matte: Matte, at: int, frame: int) -> Solved | None:
        """All of the matte, before it is inverted, within the band of a taught line on a frame that is finished and as it was then."""
        other = self.others.get(matte.entries[at].mode)
        return None if other is None else other.as_finished(matte, at, frame)

    def _again(self, matte: Matte, at: int, frame: int, keys: dict[int, str]) -> Solved | None:
        """A frame after the first turn; see `roto.matte.matting.temporal`."""
        with self.one_at_a_time:
            name = again_key(keys, frame)
            kept = self.keep.get(name)
            alone = self._alone(matte, at, frame, keys[frame]) if kept is None else None
            if kept is not None or alone is None:
                return kept
            others = [(f, self._alone(matte, at, f, keys[f])) for f in _near(keys, frame, AROUND) if f != frame]
            first = steadied(alone, [(o, motion(matte.entries[at].shape, f, frame)) for f, o in others if o is not None])
            done = solved_again(alone, first, self.picture(frame))
            self.keep.put(name, done)
            return done

    def _live_around(self, matte: Matte, at: int, frames: Sequence[int], away: int) -> list[int]:
        """The frames on which a fringe is live that are not farther than that from any of these, in order."""
        shape = matte.entries[at].shape
        near = sorted({g for f in frames for g in range(f - away, f + away + 1)})
        return [g for g in near if matte.first <= g <= matte.last and shape.is_live(g)]

    def _alone(self, matte: Matte, at: int, frame: int, key: str) -> Solved | None:
        with self.one_at_a_time:
            kept = self.keep.get(key)
            if kept is not None:
                return kept
            band = band_of(matte, at, frame, lambda part, box: render(part, frame, box=box, fringes=self).alpha)
            if band is None:
                return None
            done = solve(band, self.picture(frame))
            self.keep.put(key, done)
            return done

    def _keys_around(self, matte: Matte, at: int, frame: int) -> dict[int, str]:
        """The keys of the frames that count for a frame. Those of some frames ahead are made with them: one goes on to these, and making
        them one by one takes several times as long."""
        wanted = self._live_around(matte, at, [frame], 2 * AROUND)
        of, told = self._told
        if of is not matte:
            of, told = self._told = matte, {}
        if any((at, f) not in told for f in wanted):
            ahead = [f for f in self._live_around(matte, at, range(frame, frame + AHEAD), 2 * AROUND) if (at, f) not in told]
            told.update({(at, f): key for f, key in self.keys(matte, at, ahead).items()})
        return {f: told[at, f] for f in wanted}

    def key(self, matte: Matte, at: int, frame: int) -> str:
        """A name for everything that a frame's solution depends on, equal for equal input."""
        return self.keys(matte, at, [frame])[frame]

    def whole_keys(self, matte: Matte, at: int, frames: Sequence[int]) -> dict[int, str]:
        """By frame, a name for everything that its steadied solution depends on, or that a line depends on that is found otherwise."""
        if matte.entries[at].mode in self.others:
            return self.others[matte.entries[at].mode].whole_keys(matte, at, frames)
        of, asked, told = self._whole
        if of is not matte or asked != (at, list(frames)):  # asked once for what stands, and once for what a frame is made from
            keys = self.keys(matte, at, self._live_around(matte, at, frames, 2 * AROUND))
            told = {f: steady_key(keys, f, 2 * AROUND) for f in frames if f in keys}
            self._whole = matte, (at, list(frames)), told
        return dict(told)

    def again_keys(self, matte: Matte, at: int, frames: Sequence[int]) -> dict[int, str]:
        """By frame, the name under which it is kept after the first turn."""
        keys = self.keys(matte, at, self._live_around(matte, at, frames, AROUND))
        return {f: again_key(keys, f) for f in frames if f in keys}

    def keys(self, matte: Matte, at: int, frames: Sequence[int]) -> dict[int, str]:
        """The same for several frames."""
        if not frames:
            return {}
        numbers = np.array(frames, dtype=np.int64)
        opens, closes = exposures(matte.shutter, numbers)
        moments = np.stack([opens, numbers, closes], axis=1)
        grows = matte.shift_at(numbers)
        own: dict[int, tuple[object, ...]] = {f: (self.named(f), float(g)) for f, g in zip(frames, grows, strict=True)}
        if matte.lens:
            own = {f: (*own[f], matte.lens_kind, float(px)) for f, px in zip(frames, matte.lens_at(numbers), strict=True)}
        mixed = FrameKeys(f"{METHOD} {matte.size} {matte.shutter}", own)
        for entry in matte.entries[: at + 1]:
            shape = entry.shape
            outlines = np.round(shape.outline(moments.ravel(), np.repeat(numbers, 3)), 6).reshape(len(frames), -1)
            live = np.array([shape.is_live(f) for f in frames], dtype=bool)
            reaches, settings = shape.reaches_at(numbers), np.array(shape.settings_at(numbers))
            settings = settings if shape.softens else settings[:, :4]
            count, said = int(live.sum()), f"{entry.mode} {entry.inverted} {entry.opacity} {shape.profile} {shape.blur} "
            said += "" if entry.source is NO_SOURCE else repr(entry.source)
            said += shape.lens_kind if shape.softens else ""
            ends = rows_of(None if reaches is None else reaches[live], count)
            mixed.mix(numbers[live].tolist(), said.encode(), rows_of(settings[live], count), rows_of(outlines[live], count), ends)
        return mixed.names()


def _near(keys: dict[int, str], frame: int, away: int) -> list[int]:
    """The frames not farther away than that, in order."""
    return [f for f in range(frame - away, frame + away + 1) if f in keys]


def steady_key(keys: dict[int, str], frame: int, away: int) -> str:
    """The name of a steadied frame, from the keys of the frames around it (in order) that count for it."""
    return "s" + hashlib.sha256("".join([keys[frame], *(keys[f] for f in _near(keys, frame, away))]).encode()).hexdigest()


def again_key(keys: dict[int, str], frame: int) -> str:
    """The name of a frame that was solved once more after the first turn."""
    return "a" + steady_key(keys, frame, AROUND)[1:]


class InMemory:
    """Keeps the newest solved frames; `beyond`, if given, is asked and told as well."""

    def __init__(self, beyond: Keep | None = None, most: int = KEPT) -> None:
        self.beyond = beyond
        self.kept: LRUCache[str, Solved] = LRUCache(most)
        self.lock = Lock()

    def get(self, key: str) -> Solved | None:
        """What is kept under a key."""
        with self.lock:
            kept = self.kept.get(key)
        if kept is not None:
            return kept
        found = self.beyond.get(key) if self.beyond else None
        if found is not None:
            self._remember(key, found)
        return found

    def put(self, key: str, solved: Solved) -> None:
        """Keep it."""
        self._remember(key, solved)
        if self.beyond:
            self.beyond.put(key, solved)

    def _remember(self, key: str, solved: Solved) -> None:
        with self.lock:
            self.kept[key] = solved


def own_colour(picture: Picture, solved: Solved) -> Picture:
    """The subject's own colour (h, w, 3) in the fringe's box, 0..1, freed from the ground that shows through."""
    x0, y0, x1, y1 = solved.box
    return np.clip(foreground(picture[y0:y1, x0:x1], solved.alpha), 0.0, 1.0).astype(np.float32)
