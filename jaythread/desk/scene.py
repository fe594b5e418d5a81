"""Core values of a shot's shapes and mattes, kept in memory per revision so that a preview does not read the database again."""

from collections import OrderedDict
from dataclasses import replace
from threading import Lock

import numpy as np

from jaythread.desk.models import Matte, Shape, StackEntry, Track
from jaythread.productions.models import Shot
from roto.matte.stack import Entry, in_order
from roto.matte.stack import Matte as CoreMatte
from roto.motion.shape import Shape as CoreShape
from roto.track.ride import rides_of
from roto.track.track import Carrier
from roto.track.track import Track as CoreTrack

KEPT = 2000
"""shapes kept in memory per process: a few shots' worth, some 100 kB each at the most"""

KEPT_MATTES = 200
KEPT_TRACKS = 200

_shapes: OrderedDict[tuple[str, int], CoreShape] = OrderedDict()
_tracks: OrderedDict[tuple[str, int], CoreTrack] = OrderedDict()
_mattes: OrderedDict[str, tuple[int, int, CoreMatte]] = OrderedDict()
_lock = Lock()


def core_shapes(shapes: list[Shape]) -> dict[str, CoreShape]:
    """Core shapes by id; those whose revision is in memory are not read again."""
    out = {}
    for row in shapes:
        key = (str(row.pk), row.revision)
        with _lock:
            kept = _shapes.get(key)
            if kept is not None:
                _shapes.move_to_end(key)
        if kept is None:
            kept = _carried(row)
            with _lock:
                _shapes[key] = kept
                while len(_shapes) > KEPT:
                    _shapes.popitem(last=False)
        out[str(row.pk)] = kept
    return out


def _carried(row: Shape) -> CoreShape:
    """A shape from its rows, riding on its group and on what carries it; a change of those is a new revision of it."""
    core = row.to_core()
    own = None
    if row.carrier is not None:
        track = core_track(Track.objects.get(pk=row.carrier["track"])) if row.carrier["track"] else None
        own = Carrier(track=track, how=row.carrier["how"], before=np.array(row.carrier["before"]).reshape(3, 3))
    group = None if row.group_id is None else core_shapes([Shape.objects.get(pk=row.group_id)])[str(row.group_id)]
    return replace(core, rides=rides_of(group, own))


def core_track(row: Track) -> CoreTrack:
    """The track of a row; one whose revision is in memory is not made again."""
    key = (str(row.pk), row.revision)
    with _lock:
        kept = _tracks.get(key)
    if kept is None:
        kept = row.to_core()
        with _lock:
            _tracks[key] = kept
            while len(_tracks) > KEPT_TRACKS:
                _tracks.popitem(last=False)
    return kept


def remember(cores: dict[str, CoreShape], revision: int) -> None:
    """Keep what an edit has just made, once it is saved: the next look at it need not read the database."""
    with _lock:
        for shape_id, core in cores.items():
            _shapes[shape_id, revision] = core


def known(shape_id: str, revision: int) -> CoreShape | None:
    """A shape as it was at a revision, if it is still in memory."""
    with _lock:
        return _shapes.get((shape_id, revision))


def lines(matte: Matte) -> tuple[list[StackEntry], list[Entry]]:
    """The lines of a matte's stack in the order in which they count, as rows and as the core knows them."""
    rows = list(matte.entries.select_related("shape"))
    shapes = core_shapes([e.shape for e in rows])
    entries = [Entry(shape=shapes[str(e.shape_id)], mode=e.mode, inverted=e.inverted, opacity=e.opacity) for e in rows]
    order = in_order(entries)
    return [rows[k] for k in order], [entries[k] for k in order]


def core_matte(shot: Shot, matte: Matte) -> CoreMatte:
    """A matte as the core knows it, at the present revision."""
    _, entries = lines(matte)
    core = CoreMatte(
        shot=shot.name,
        name=matte.name,
        size=(shot.width, shot.height),
        rate=shot.rate,
        first=shot.first,
        last=shot.last,
        shutter=shot.shutter,
        inverted=matte.inverted,
        shift=tuple((int(frame), float(px)) for frame, px in matte.shift),
        entries=tuple(entries),
    )
    keep_matte(shot, str(matte.pk), core)
    return core


def keep_matte(shot: Shot, matte_id: str, core: CoreMatte) -> None:
    """Keep a matte as it is at the shot's revision; only the newest is kept."""
    with _lock:
        _mattes[matte_id] = (shot.pk, shot.revision, core)
        _mattes.move_to_end(matte_id)
        while len(_mattes) > KEPT_MATTES:
            _mattes.popitem(last=False)


def newest_matte(shot_id: int, matte_id: str) -> tuple[int, CoreMatte] | None:
    """A matte of this shot as it was last kept, and at which revision of the shot."""
    with _lock:
        kept = _mattes.get(matte_id)
    return kept[1:] if kept and kept[0] == shot_id else None


def known_matte(shot: Shot, matte_id: str, revision: int) -> CoreMatte | None:
    """A matte of this shot as it was at a revision, if it is still in memory."""
    with _lock:
        kept = _mattes.get(matte_id)
    return kept[2] if kept and kept[:2] == (shot.pk, revision) else None
