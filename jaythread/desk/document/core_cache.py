"""Core values of a shot's shapes, tracks and mattes, kept in memory by revision so that a preview need not read the database again.

Only what is committed is kept. While an edit is being worked out (`holding_back`), rows that it has changed already bear the next
revision; values read from those are given but not kept, since the edit may yet be refused.
"""

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import replace
from threading import Lock
from uuid import UUID

import numpy as np
from cachetools import LRUCache

from jaythread.desk.models import Matte, Shape, StackEntry, Track
from jaythread.productions.models import Shot
from roto.matte.stack import Entry, Source, in_order
from roto.matte.stack import Matte as CoreMatte
from roto.motion.shape import Shape as CoreShape
from roto.track.ride import rides_of
from roto.track.track import Carrier
from roto.track.track import Track as CoreTrack

SHAPES = 128 << 20
"""bytes of keys that are kept, a few shots' worth: 12 points traced on each of 100 frames take 120 kB a revision"""
_shapes: LRUCache[tuple[str, int], CoreShape] = LRUCache(SHAPES, getsizeof=lambda core: core.nbytes + OVERHEAD)
OVERHEAD = 2000
"""bytes of a shape beside the numbers of its keys"""
_tracks: LRUCache[tuple[str, int], CoreTrack] = LRUCache(200)
_mattes: LRUCache[str, tuple[int, int, CoreMatte]] = LRUCache(200)
"""of each matte the newest: its shot, the shot's revision, the matte"""
_lines: LRUCache[UUID, Entry] = LRUCache(SHAPES // 2, getsizeof=lambda line: min(SHAPES // 8, line.shape.nbytes + OVERHEAD))
_lock = Lock()
_committed: ContextVar[int | None] = ContextVar("committed", default=None)
"""the shot's revision before the edit that is being worked out, if one is"""


@contextmanager
def holding_back(revision: int) -> Iterator[None]:
    """Keep nothing of a later revision than this: it is not committed yet."""
    token = _committed.set(revision)
    try:
        yield
    finally:
        _committed.reset(token)


def _may_keep(revision: int) -> bool:
    committed = _committed.get()
    return committed is None or revision <= committed


def shapes(rows: list[Shape]) -> dict[str, CoreShape]:
    """Core shapes by id; those whose revision is in memory are not read again."""
    out = {}
    for row in rows:
        key = (str(row.pk), row.revision)
        keeps = _may_keep(row.revision)
        with _lock:
            found = _shapes.get(key) if keeps else None
        if found is None:
            found = _read(row)
            if keeps:
                remember({key[0]: found}, row.revision)
        out[str(row.pk)] = found
    return out


def shape(row: Shape) -> CoreShape:
    """The core shape of a row."""
    return shapes([row])[str(row.pk)]


def _read(row: Shape) -> CoreShape:
    """A shape from its rows, riding on its group and on what carries it; a change of those is a new revision of it."""
    core = row.to_core()
    own = None
    if row.carrier is not None:
        on = track(Track.objects.get(pk=row.carrier["track"])) if row.carrier["track"] else None
        own = Carrier(track=on, how=row.carrier["how"], before=np.array(row.carrier["before"]).reshape(3, 3))
    group = None if row.group_id is None else shape(Shape.objects.get(pk=row.group_id))
    return replace(core, rides=rides_of(group, own))


def track(row: Track) -> CoreTrack:
    """The core track of a row; one whose revision is in memory is not made again."""
    key = (str(row.pk), row.revision)
    keeps = _may_keep(row.revision)
    with _lock:
        found = _tracks.get(key) if keeps else None
    if found is None:
        found = row.to_core()
        if keeps:
            with _lock:
                _tracks[key] = found
    return found


def remember(made: dict[str, CoreShape], revision: int) -> None:
    """Keep shapes as an edit has made them. To be called once it is committed."""
    with _lock:
        for shape_id, core in made.items():
            if core.nbytes + OVERHEAD <= SHAPES:
                _shapes[shape_id, revision] = core


def known(shape_id: str, revision: int) -> CoreShape | None:
    """A shape as it was at a revision, if it is still in memory."""
    with _lock:
        return _shapes.get((shape_id, revision))


def lines(matte: Matte) -> tuple[list[StackEntry], list[Entry]]:
    """The lines of a matte's stack in the order in which they count, as rows and as the core knows them."""
    rows = list(matte.entries.select_related("shape"))
    found = shapes([e.shape for e in rows])
    entries = [_line(e, found[str(e.shape_id)]) for e in rows]
    order = in_order(entries)
    return [rows[k] for k in order], [entries[k] for k in order]


def _line(row: StackEntry, shape: CoreShape) -> Entry:
    """A line of a stack as the core knows it: the same one as before where it is as it was, for what it is on a frame is kept with it."""
    said = row.mode, row.inverted, row.opacity, Source.from_data(row.source)
    with _lock:
        kept = _lines.get(row.pk)
        if kept is None or kept.shape is not shape or (kept.mode, kept.inverted, kept.opacity, kept.source) != said:
            kept = _lines[row.pk] = Entry(shape=shape, mode=said[0], inverted=said[1], opacity=said[2], source=said[3])
    return kept


def keyed(rows: list[list[float]]) -> tuple[tuple[int, float], ...]:
    """Keys of a number of px as the core has them, from a row's."""
    return tuple((int(frame), float(px)) for frame, px in rows)


def matte(shot: Shot, row: Matte) -> CoreMatte:
    """A matte as the core knows it, at the present revision."""
    _, entries = lines(row)
    core = CoreMatte(
        shot=shot.name,
        name=row.name,
        size=(shot.width, shot.height),
        rate=shot.rate,
        first=shot.first,
        last=shot.last,
        shutter=shot.shutter,
        inverted=row.inverted,
        shift=keyed(row.shift),
        lens=keyed(row.lens),
        lens_kind=row.lens_kind,
        entries=tuple(entries),
    )
    if _committed.get() is None:
        keep_matte(shot, str(row.pk), core)
    return core


def keep_matte(shot: Shot, matte_id: str, core: CoreMatte) -> None:
    """Keep a matte as it is at the shot's revision; only the newest is kept."""
    with _lock:
        _mattes[matte_id] = (shot.pk, shot.revision, core)


def newest_matte(shot_id: int, matte_id: str) -> tuple[int, CoreMatte] | None:
    """A matte of this shot as it was last kept, and at which revision of the shot."""
    with _lock:
        kept = _mattes.get(matte_id)
    return kept[1:] if kept and kept[0] == shot_id else None


def known_matte(shot: Shot, matte_id: str, revision: int) -> CoreMatte | None:
    """A matte of this shot as it was at a revision, if it is still in memory and the shot itself is as it was."""
    kept = newest_matte(shot.pk, matte_id)
    if kept is None or kept[0] != revision:
        return None
    core = kept[1]
    now = (shot.width, shot.height), shot.rate, shot.first, shot.last, shot.shutter
    return core if (core.size, core.rate, core.first, core.last, core.shutter) == now else None
