"""Row changes: which rows were what before, and are what after. Made backwards they are an undo.

Here rows are compared, read and written. `journal` writes what was done, by whom and when. A change is {table, key, before, after}:
before is None where there was no row, after is None where there is none any more.
"""

import base64
import uuid
from collections.abc import Callable
from itertools import groupby
from typing import Any, NamedTuple

from django.db.models import F, ProtectedError, Q

from jaythread.desk.document import core_cache
from jaythread.desk.document.as_data import entry_data, key_data, matte_data, shape_data, track_data, tryout_data
from jaythread.desk.models import FormKey, FrameFit, LiveRange, Matte, PlacementKey, ReachKey, SettingKey, Shape, StackEntry, Track, Tryout
from jaythread.errors import Refused
from jaythread.prepared import Prepared, set_revision
from jaythread.productions.models import Shot
from roto.motion.shape import BELL
from roto.motion.shape import Shape as CoreShape

Data = dict[str, Any]
Change = dict[str, Any]
CHANNELS: dict[str, tuple[Any, str]] = {
    "form": (FormKey, "form"),
    "placement": (PlacementKey, "place"),
    "settings": (SettingKey, "settings"),
    "reach": (ReachKey, "reach"),
}
"""by table, the model of its keys, and the channel of the core"""
FAR_OFF = 100_000_000
"""frames: beyond any number that a frame may have"""
PACKED = ("held", "values", "speeds")


def change(table: str, key: list[Any], before: Data | None, after: Data | None) -> Change:
    """A change of one row."""
    return {"table": table, "key": key, "before": before, "after": after}


def compare(shape_id: str, old: CoreShape | None, new: CoreShape | None) -> list[Change]:
    """The changes that lead from one state of a shape to another; None where there is no shape."""
    before = shape_data(old) if old else None
    after = shape_data(new) if new else None
    out = [] if before == after else [change("shape", [shape_id], before, after)]
    for table, (_, attribute) in CHANNELS.items():
        rows: list[dict[int, Data]] = []
        for side in (old, new):
            keys = getattr(side, attribute) if side else None
            rows.append({int(f): key_data(keys, k) for k, f in enumerate(keys.frames)} if keys is not None else {})
        for frame in sorted(set(rows[0]) | set(rows[1])):
            if rows[0].get(frame) != rows[1].get(frame):
                out.append(change(table, [shape_id, frame], rows[0].get(frame), rows[1].get(frame)))
    return out


def turned_round(changes: list[Change]) -> list[Change]:
    """The same changes backwards."""
    return [{**c, "before": c["after"], "after": c["before"]} for c in reversed(changes)]


def outermost(changes: list[Change]) -> list[Change]:
    """One change a row: from what it was before the first of them."""
    first: dict[tuple[str, str], Change] = {}
    for one in changes:
        first.setdefault((one["table"], str(one["key"])), one)
    return list(first.values())


def shapes_named(changes: list[Change]) -> set[str]:
    """The shapes whose own rows are changed."""
    return {c["key"][0] for c in changes if c["table"] in ("shape", "lock") or c["table"] in CHANNELS}


_riding = Prepared(lambda shot, group: Shape.objects.filter(shot=shot, group=group).order_by(), 1_000_001, uuid.UUID(int=1))


def touched(shot: Shot, changes: list[Change]) -> set[str]:
    """The one answer to what changes touch: shapes whose own rows are changed, those that ride on changed tracks, and those that ride on
    either. Their revisions are raised, they are read anew, and the page is told of them."""
    own = shapes_named(changes)
    tracks = sorted({c["key"][0] for c in changes if c["table"] == "track"})
    if tracks:
        own |= {str(pk) for pk in Shape.objects.filter(shot=shot, carrier__track__in=tracks).values_list("pk", flat=True)}
    reached = own
    while reached:  # groups may ride on groups
        groups = [uuid.UUID(one) for one in reached]
        riding = _riding(shot.pk, groups[0]) if len(groups) == 1 else Shape.objects.filter(shot=shot, group__in=groups)
        reached = {str(one.pk) for one in riding} - own
        own |= reached
    return own


def write_rows(shot: Shot, changes: list[Change]) -> set[str]:
    """Make the rows be as the changes say; the shot's next revision becomes that of all shapes that are touched, which are returned."""
    for (table, written), some in groupby(changes, key=lambda c: (c["table"], c["after"] is not None)):
        if table in CHANNELS and written:
            _write_keys(table, list(some))
            continue
        for one in some:
            TABLES[table].write(shot, one["key"], one["after"])
    what = touched(shot, changes)
    if what:
        set_revision(Shape, [uuid.UUID(one) for one in what], shot.revision + 1)
    return what


def read_row(shot: Shot, table: str, key: list[Any]) -> Data | None:
    """A row as it is now."""
    return TABLES[table].read(shot, key)


class Table(NamedTuple):
    """How rows of a kind are read, and made to be as they should."""

    read: Callable[[Shot, list[Any]], Data | None]
    write: Callable[[Shot, list[Any], Data | None], None]


def _keys(table: str) -> Table:
    model = CHANNELS[table][0]

    def read(shot: Shot, key: list[Any]) -> Data | None:
        row = model.objects.filter(shape_id=key[0], frame=key[1]).first()
        if row is None:
            return None
        return {"kind": row.kind, **{name: base64.b64encode(bytes(getattr(row, name))).decode() for name in PACKED}}

    def write(shot: Shot, key: list[Any], row: Data | None) -> None:
        if row is None:
            model.objects.filter(shape_id=key[0], frame=key[1]).delete()
        else:
            _write_keys(table, [change(table, key, None, row)])

    return Table(read, write)


def _write_keys(table: str, changes: list[Change]) -> None:
    """Write keys of one channel at once, each as the last of these changes has it."""
    model = CHANNELS[table][0]
    rows = {tuple(c["key"]): c["after"] for c in changes}
    some = [
        model(shape_id=shape, frame=frame, kind=row["kind"], **{name: base64.b64decode(row[name]) for name in PACKED})
        for (shape, frame), row in rows.items()
    ]
    model.objects.bulk_create(some, update_conflicts=True, unique_fields=["shape", "frame"], update_fields=["kind", *PACKED])


def _read_shape(shot: Shot, key: list[Any]) -> Data | None:
    shape = Shape.objects.filter(pk=key[0], shot=shot).first()
    return shape_data(core_cache.shape(shape)) if shape and shape.form_keys.exists() else None


def _write_shape(shot: Shot, key: list[Any], row: Data | None) -> None:
    if row is None:
        Shape.objects.filter(pk=key[0], shot=shot).delete()
        return
    Shape.objects.update_or_create(
        pk=key[0],
        defaults={
            "shot": shot,
            "points": base64.b64decode(row["points"]),
            "pivot_x": row["pivot"][0],
            "pivot_y": row["pivot"][1],
            "group_id": row.get("group"),
            "own_reach": base64.b64decode(row.get("own", "")),
            "carrier": row.get("carrier"),
            "lens_kind": row.get("lens_kind", BELL),
            **{name: row[name] for name in ("name", "kind", "colour", "profile", "blur")},
        },
    )
    LiveRange.objects.filter(shape_id=key[0]).delete()
    LiveRange.objects.bulk_create(LiveRange(shape_id=key[0], first=a, last=b) for a, b in row["live"])


def _read_lock(shot: Shot, key: list[Any]) -> Data | None:
    return {"locked": Shape.objects.filter(pk=key[0], shot=shot, locked=True).exists()}


def _write_lock(shot: Shot, key: list[Any], row: Data | None) -> None:
    Shape.objects.filter(pk=key[0], shot=shot).update(locked=bool(row and row["locked"]))


def _read_entry(shot: Shot, key: list[Any]) -> Data | None:
    entry = StackEntry.objects.filter(pk=key[0]).first()
    return entry_data(entry) if entry else None


def _write_entry(shot: Shot, key: list[Any], row: Data | None) -> None:
    if row is None:
        StackEntry.objects.filter(pk=key[0]).delete()
        return
    plain = {name: row[name] for name in ("order", "mode", "inverted", "opacity")}
    StackEntry.objects.update_or_create(
        pk=key[0], defaults={"matte_id": row["matte"], "shape_id": row["shape"], "source": row.get("source", {}), **plain}
    )


def _read_matte(shot: Shot, key: list[Any]) -> Data | None:
    matte = Matte.objects.filter(pk=key[0], shot=shot).first()
    return matte_data(matte) if matte else None


def _write_matte(shot: Shot, key: list[Any], row: Data | None) -> None:
    if row is not None:
        Matte.objects.update_or_create(pk=key[0], defaults={"shot": shot, "lens": [], "lens_kind": BELL, **row})
        return
    try:
        Matte.objects.filter(pk=key[0], shot=shot).delete()
    except ProtectedError as error:
        raise Refused("This matte has been delivered; it stays.") from error


def _read_track(shot: Shot, key: list[Any]) -> Data | None:
    track = Track.objects.filter(pk=key[0], shot=shot).first()
    return track_data(track) if track else None


def _write_track(shot: Shot, key: list[Any], row: Data | None) -> None:
    if row is not None:
        Track.objects.update_or_create(pk=key[0], defaults={"shot": shot, "revision": shot.revision + 1, **row})
        return
    if Shape.objects.filter(Q(shot=shot) & Q(carrier__track=key[0])).exists():
        raise Refused("Shapes ride on this track; it stays.")
    Track.objects.filter(pk=key[0], shot=shot).delete()


def _read_tryout(shot: Shot, key: list[Any]) -> Data | None:
    tryout = Tryout.objects.filter(pk=key[0], shot=shot).first()
    return tryout_data(tryout) if tryout else None


def _write_tryout(shot: Shot, key: list[Any], row: Data | None) -> None:
    if row is None:
        Tryout.objects.filter(pk=key[0], shot=shot).delete()
    else:
        Tryout.objects.update_or_create(pk=key[0], defaults={"shot": shot, "revision": shot.revision + 1, **row})


def _read_shot(shot: Shot, key: list[Any]) -> Data | None:
    fresh = Shot.objects.get(pk=shot.pk)
    return {"angle": fresh.shutter_angle, "phase": fresh.shutter_phase, "cap": fresh.shutter_cap}


def _write_shot(shot: Shot, key: list[Any], row: Data | None) -> None:
    assert row is not None, "a shot's shutter is always something"
    Shot.objects.filter(pk=shot.pk).update(shutter_angle=row["angle"], shutter_phase=row["phase"], shutter_cap=row["cap"])


def _read_range(shot: Shot, key: list[Any]) -> Data | None:
    fresh = Shot.objects.get(pk=shot.pk)
    return None if fresh.work_first is None else {"first": fresh.work_first, "last": fresh.work_last}


def _write_range(shot: Shot, key: list[Any], row: Data | None) -> None:
    shot.work_first, shot.work_last = (row["first"], row["last"]) if row else (None, None)
    Shot.objects.filter(pk=shot.pk).update(work_first=shot.work_first, work_last=shot.work_last)


def _read_numbers(shot: Shot, key: list[Any]) -> Data | None:
    fresh = Shot.objects.get(pk=shot.pk)
    return {
        "first": fresh.first, "last": fresh.last, "work": [fresh.work_first, fresh.work_last],
        "rate": [fresh.rate_over, fresh.rate_under], "aspect": fresh.pixel_aspect,
    }  # fmt: skip


def _write_numbers(shot: Shot, key: list[Any], row: Data | None) -> None:
    """The shot's numbers; its plates' files keep theirs. key: whether what was said of frames comes along."""
    assert row is not None, "a shot always has numbers"
    by = row["first"] - Shot.objects.get(pk=shot.pk).first
    shot.first, shot.last, (shot.work_first, shot.work_last) = row["first"], row["last"], row["work"]
    (shot.rate_over, shot.rate_under), shot.pixel_aspect = row["rate"], row["aspect"]
    shot.save(update_fields=["first", "last", "work_first", "work_last", "rate_over", "rate_under", "pixel_aspect"])
    if by:
        shot.plates.update(offset=F("offset") + by)
    if by and key != ["along"]:  # other pictures stand under the outlines now: nothing of it was measured, or looked at
        FrameFit.objects.filter(matte__shot=shot).update(key="", looked="")
    if by and key == ["along"]:
        shot.notes.update(frame=F("frame") + by, last=F("last") + by)
        fits = FrameFit.objects.filter(matte__shot=shot)
        fits.update(frame=F("frame") + FAR_OFF)  # in two steps: a row may not meet another on its way
        fits.update(frame=F("frame") + by - FAR_OFF)


TABLES: dict[str, Table] = {
    **{table: _keys(table) for table in CHANNELS},
    "shape": Table(_read_shape, _write_shape),
    "lock": Table(_read_lock, _write_lock),
    "entry": Table(_read_entry, _write_entry),
    "matte": Table(_read_matte, _write_matte),
    "track": Table(_read_track, _write_track),
    "tryout": Table(_read_tryout, _write_tryout),
    "shot": Table(_read_shot, _write_shot),
    "range": Table(_read_range, _write_range),
    "numbers": Table(_read_numbers, _write_numbers),
}
