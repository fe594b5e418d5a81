"""Key surgery: shifting, stretching, reversing, copying and thinning out the keys of a shape. Each gives a new shape.

Keys may lie outside any range; nothing here drops one unasked. `channels` names any of form, placement and settings.
"""

from collections.abc import Iterable, Mapping
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from roto.errors import BadGeometry, BadKeys
from roto.motion import correct, interpolate
from roto.motion.edits import AMOUNTS, channel_of, move_points, place, soften
from roto.motion.keys import Keys
from roto.motion.point_reach import with_own
from roto.motion.shape import Shape

CHANNELS = ("form", "placement", "settings")
FAR = 1_000_000
"""frames: a key shifted farther is a slip"""


def _retimed(keys: Keys, frames: NDArray[np.int64], pace: float = 1.0) -> Keys:
    """The same keys on other frames; `pace`: how many times slower they run, for the speeds that keys keep."""
    if np.abs(frames).max(initial=0) > FAR:
        raise BadKeys("That would bring keys too far away.")
    order = np.argsort(frames, kind="stable")
    if (np.diff(frames[order]) == 0).any():
        raise BadKeys("Two keys would fall on one frame. Leave more room, or take one of them away first.")
    return Keys.build(
        frames[order], keys.values[order], held=keys.held[order], kinds=keys.kinds[order], speeds=keys.speeds[order] / pace
    )  # fmt: skip


def shift_keys(shape: Shape, channels: Iterable[str], by: int) -> Shape:
    """All keys of some channels moved by so many frames."""
    for name in _with_reach(shape, channels):
        keys, with_keys = channel_of(shape, name)
        shape = with_keys(_retimed(keys, keys.frames + by))
    return shape


def _with_reach(shape: Shape, channels: Iterable[str]) -> list[str]:
    """The reach of single points is part of the settings where keys are dealt with in numbers."""
    names = list(channels)
    return [*names, "reach"] if "settings" in names and shape.reach is not None else names


def stretch_keys(shape: Shape, channels: Iterable[str], span: tuple[int, int], to: tuple[int, int]) -> Shape:
    """The keys within a span of frames brought to another span, evenly, each to the nearest whole frame; the others stay."""
    (a, b), (c, d) = span, to
    if b <= a or d <= c:
        raise BadKeys("A span of keys needs an end after its start.")
    for name in _with_reach(shape, channels):
        keys, with_keys = channel_of(shape, name)
        inside = (keys.frames >= a) & (keys.frames <= b)
        pace = (d - c) / (b - a)
        frames = np.where(inside, np.rint(c + (keys.frames - a) * pace).astype(np.int64), keys.frames)
        paced = replace(keys, speeds=np.where(inside[:, None, None], keys.speeds / pace, keys.speeds))
        shape = with_keys(_retimed(paced, frames))
    return shape


def retime_keys(shape: Shape, channel: str, moves: Mapping[int, int]) -> Shape:
    """Some keys of a channel brought to other frames, each with all that it holds; the others stay."""
    keys, with_keys = channel_of(shape, channel)
    gone = [f for f in moves if keys.index(f) is None]
    if gone:
        raise BadKeys(f"There is no key on frame {gone[0]}.")
    return with_keys(_retimed(keys, np.array([moves.get(int(f), int(f)) for f in keys.frames], dtype=np.int64)))


def reverse_keys(shape: Shape, channels: Iterable[str], span: tuple[int, int]) -> Shape:
    """The keys within a span run backwards in it: what happened at its start happens at its end."""
    a, b = span
    for name in _with_reach(shape, channels):
        keys, with_keys = channel_of(shape, name)
        inside = (keys.frames >= a) & (keys.frames <= b)
        if not inside.any():
            continue
        kinds = keys.kinds.copy()
        which = np.flatnonzero(inside)
        kinds[which[1:]] = keys.kinds[which[:-1]]  # a stretch keeps its kind: it now begins at what was its end
        kinds[which[0]] = keys.kinds[which[-1]]
        turned = replace(keys, kinds=kinds, speeds=np.where(inside[:, None, None], -keys.speeds, keys.speeds))
        shape = with_keys(_retimed(turned, np.where(inside, a + b - keys.frames, keys.frames)))
    return shape


def only_key(shape: Shape, channels: Iterable[str], frame: int) -> Shape:
    """One key on this frame, holding everything as it is there; all others are taken away."""
    for name in _with_reach(shape, channels):
        keys, with_keys = channel_of(shape, name)
        now = interpolate.evaluate(keys, frame, frame)
        shape = with_keys(Keys.build([frame], now))
    return shape


def copy_key(shape: Shape, channel: str, frame: int, to: int) -> Shape:
    """What a key holds, keyed on another frame too; parts that a key there holds already become the copied ones."""
    keys, with_keys = channel_of(shape, channel)
    at = keys.index(frame)
    if at is None:
        raise BadKeys(f"There is no key on frame {frame}.")
    return with_keys(
        correct.put(
            keys, to, keys.values[at], keys.held[at], together=channel == "form", within=channel in AMOUNTS, kind=int(keys.kinds[at])
        )
    )


def take_keys(shape: Shape, other: Shape, channels: Iterable[str]) -> Shape:
    """The keys of another shape in place of one's own."""
    for name in channels:
        keys, with_keys = channel_of(shape, name)
        theirs = channel_of(other, name)[0]
        if theirs.parts != keys.parts:
            raise BadGeometry(
                f"'{other.name}' has {theirs.parts} points and '{shape.name}' has {keys.parts}: their {name} keys do not fit."
            )
        shape = with_keys(theirs)
        if name == "placement":
            shape = replace(shape, pivot=other.pivot)
    return shape


def offset_keys(shape: Shape, channel: str, delta: object, parts: NDArray[np.bool_], first: int | None) -> Shape:
    """The same offset on every key that holds these parts: on all of them, or on those from frame `first` on.

    delta: (n, d) in the channel's own numbers. With `first`, a key is made there, so that earlier frames keep their values up to the key
    before it. All keys keep their speeds, so later frames move by just the offset.
    """
    keys, with_keys = channel_of(shape, channel)
    within = channel in AMOUNTS
    keys = keys if first is None else correct.key_here(keys, first, within)
    later = keys.frames >= (first if first is not None else -FAR * 10)
    where = keys.held & later[:, None] & parts[None]
    moved = replace(keys, values=keys.values + np.where(where[:, :, None], np.asarray(delta, dtype=np.float64)[None], 0.0))
    return with_keys(moved if first is None else correct.as_before(keys, moved, keys.held, within))


def offset_points(shape: Shape, frame: int, points: Mapping[int, object], first: int | None) -> Shape:
    """As `move_points`, but the points' keys are all moved by what that changes here: on every frame, or from frame `first` on."""
    moved = move_points(shape, frame, points)
    delta = interpolate.evaluate(moved.form, frame, frame)[0] - interpolate.evaluate(shape.form, frame, frame)[0]
    return offset_keys(shape, "form", delta, np.isin(np.arange(shape.form.parts), list(points)), first)


def offset_place(
    shape: Shape,
    frame: int,
    move: tuple[float, float],
    turn: float,
    size: float,
    about: tuple[float, float] | None,
    first: int | None,
    **form: float,
) -> Shape:
    """As `place`, but all placement keys are changed by the same: on every frame, or from frame `first` on."""
    moved = place(shape, frame, move, turn, size, about, **form)
    shape = replace(shape, pivot=moved.pivot)
    delta = interpolate.evaluate(moved.place, frame, frame)[0] - interpolate.evaluate(shape.place, frame, frame)[0]
    return offset_keys(shape, "placement", delta, np.ones(3, bool), first)


def offset_soft(shape: Shape, frame: int, first: int | None, **settings: float | None) -> Shape:
    """As `soften`, but all keys of these settings are changed by the same; reaches end at 0, opacity at 0 and 1."""
    moved = soften(shape, frame, **settings)
    if shape.reach is not None and moved.reach is not None:
        shape = offset_reach(shape, moved, frame, first)
    delta = interpolate.evaluate(moved.settings, frame, frame, True)[0] - interpolate.evaluate(shape.settings, frame, frame, True)[0]
    return offset_keys(shape, "settings", delta, np.ones(3, bool), first)


def offset_reach(shape: Shape, moved: Shape, frame: int, first: int | None) -> Shape:
    """All keys of the points' reach changed by what `moved` changes on this frame: on every frame, or from frame `first` on."""
    shape = with_own(shape)
    assert shape.reach is not None and moved.reach is not None
    delta = interpolate.evaluate(moved.reach, frame, frame, True)[0] - interpolate.evaluate(shape.reach, frame, frame, True)[0]
    return offset_keys(replace(shape, own=moved.own), "reach", delta, np.ones(shape.form.parts, bool), first)
