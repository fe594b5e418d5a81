"""What the lines of a matte are on a frame, kept for its next picture: while one shape is dragged, all others are as they were."""

from dataclasses import replace
from threading import Lock

import numpy as np
from cachetools import LRUCache

from roto.matte.render.exposure import Live, knowing, live_at
from roto.matte.stack import Entry, Matte, within
from roto.motion.shape import GROUP

MOST = 48 << 20
"""bytes of lines that are kept, for all who are at work; each counts its whole shape, though many share one"""
OVERHEAD = 4000
"""bytes of a line beside its shape"""
AHEAD = 8
"""frames that are made together where the one before was asked for: somebody goes through them in order"""
Key = tuple[int, int, int, float, float | None, tuple[int, int], float]


def _size(kept: tuple[Entry, Entry | None, Live | None]) -> int:
    return min(MOST // 4, OVERHEAD + sum(entry.shape.nbytes for entry in kept[:2] if entry is not None))


_kept: LRUCache[Key, tuple[Entry, Entry | None, Live | None]] = LRUCache(MOST, getsizeof=_size)
_lock = Lock()


def live_on(matte: Matte, frame: int) -> list[Live]:
    """The entries that count on a frame, bottom first, as `live_at` gives them; with what was learned of their corners."""
    keys = _keys(matte, frame)
    with _lock:
        known = [_kept.get(key) for key, _, _ in keys]  # the objects are kept with it, so that no others can have their ids
        counts = [AHEAD if (key[0], key[1], frame - 1, *key[3:]) in _kept else 1 for key, _, _ in keys]
    wanted: dict[tuple[int, int], list[int]] = {}  # those that are made together: for as many frames, and in no group
    for at, (_, _, group) in enumerate(keys):
        if known[at] is None:
            wanted.setdefault((counts[at], 0 if group is None else at + 1), []).append(at)
    for (count, _), which in wanted.items():
        alone = [entry for at in which for entry in keys[at][1:] if entry is not None]
        made = live_at(replace(matte, entries=tuple(alone)), range(frame, frame + count))
        for f, some in made.items():
            live = {id(one.entry): one for one in some}
            with _lock:
                for at in which:
                    key, entry, group = keys[at]
                    new = _kept.setdefault((key[0], key[1], f, *key[3:-1], _grown(matte, f)), (entry, group, live.get(id(entry))))
                    known[at] = new if f == frame else known[at]
    return [one[2] for one in known if one is not None and one[2] is not None]


def forget() -> None:
    """Of all that is kept: for whoever measures what a first picture costs."""
    with _lock:
        _kept.clear()


def learn(matte: Matte, frame: int, corners: dict[str, bool]) -> None:
    """Keep which outlines of a frame have corners, by shape."""
    for key, entry, _ in _keys(matte, frame):
        with _lock:
            known = _kept.get(key)
            if known is not None and known[2] is not None and not known[2].sure and entry.shape.id in corners:
                _kept[key] = (*known[:2], knowing([known[2]], corners)[0])


def _grown(matte: Matte, frame: int) -> float:
    return float(matte.shift_at(np.array([frame]))[0]) if matte.shift else 0.0


def _keys(matte: Matte, frame: int) -> list[tuple[Key, Entry, Entry | None]]:
    same = frame, matte.shutter.angle, matte.shutter.phase, matte.size, _grown(matte, frame)
    lines = zip(matte.entries, within(matte.entries), strict=True)
    return [((id(e), id(group), *same), e, group) for e, group in lines if e.shape.kind != GROUP]
