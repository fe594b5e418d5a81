"""States of the past, from the journal: what a shot's shapes, stacks and tracks were after an edit, and the changes that bring them back.

Every edit says what its rows were before. So the first of the later edits that touches a row says what it was then; what none of them
touches is as it is now.
"""

import base64
from collections.abc import Callable
from dataclasses import replace
from functools import cached_property
from types import SimpleNamespace
from typing import Any

import numpy as np

from jaythread.desk.document import core_cache
from jaythread.desk.document.as_data import Data, entry_data, key_data, matte_data, shape_data
from jaythread.desk.edit.row_changes import CHANNELS, Change, change, compare, read_row, shapes_named
from jaythread.desk.models import Edit, Matte, Shape, StackEntry, Track, keys_of
from jaythread.errors import NotThere, Refused
from jaythread.productions.models import Shot
from roto.matte.shutter import Shutter
from roto.matte.stack import Entry, Source, in_order
from roto.matte.stack import Matte as CoreMatte
from roto.motion.group import groups_of
from roto.motion.live_ranges import tidy
from roto.motion.shape import BELL
from roto.motion.shape import Shape as CoreShape
from roto.track.ride import rides_of
from roto.track.track import Carrier
from roto.track.track import Track as CoreTrack

WIDTHS = {"form": 6, "placement": 2, "settings": 2, "reach": 2}
"""numbers a part of a key holds, by table"""


class Past:
    """A shot as it stood after one of its edits. revision: that edit's; 0 is before the first. NotThere when there was none such."""

    def __init__(self, shot: Shot, revision: int) -> None:
        if not 0 <= revision <= shot.revision:
            raise NotThere("The shot has never stood so.")
        self.shot, self.revision = shot, revision
        self.was: dict[tuple[str, ...], Change] = {}
        self.keys: dict[tuple[str, str], dict[int, Data | None]] = {}
        for changes in Edit.objects.filter(shot=shot, revision__gt=revision).order_by("revision").values_list("changes", flat=True):
            for one in changes:
                key = (one["table"], *map(str, one["key"]))
                if key not in self.was:
                    self.was[key] = one
                    if one["table"] in CHANNELS:
                        self.keys.setdefault((one["table"], key[1]), {})[int(key[2])] = one["before"]

    @cached_property
    def shapes_since(self) -> set[str]:
        """Shapes whose own rows have changed since."""
        return shapes_named(list(self.was.values()))

    def _rows(self, table: str) -> dict[str, Data | None]:
        """What rows of a table were that have changed since, by their id."""
        return {key[1]: one["before"] for key, one in self.was.items() if key[0] == table}

    @cached_property
    def _now(self) -> dict[str, Shape]:
        return {str(row.pk): row for row in Shape.objects.filter(shot=self.shot)}

    def now(self, shape_id: str) -> CoreShape | None:
        """A shape as it is now."""
        row = self._now.get(shape_id)
        return None if row is None else core_cache.shape(row)

    @cached_property
    def _made(self) -> dict[str, CoreShape | None]:
        return {}

    def shape(self, shape_id: str) -> CoreShape | None:
        """A shape as it was; None where it was not there."""
        if shape_id not in self._made:
            self._made[shape_id] = self._shape(shape_id)
        return self._made[shape_id]

    def _shape(self, shape_id: str) -> CoreShape | None:
        now = self.now(shape_id)
        row = self.was.get(("shape", shape_id))
        data = row["before"] if row is not None else None if now is None else shape_data(now)
        if data is None:
            return None
        kinds = np.frombuffer(base64.b64decode(data["points"]), np.int8)
        own = tuple(bool(b) for b in base64.b64decode(data.get("own", "")))
        parts = {"form": len(kinds), "placement": 3, "settings": 3, "reach": len(kinds)}
        channels: dict[str, Any] = {name: self._keys(shape_id, table, parts[table], now) for table, (_, name) in CHANNELS.items()}
        core = CoreShape(
            id=shape_id, name=data["name"], kind=data["kind"], kinds=kinds, colour=data["colour"], profile=data["profile"],
            blur=data["blur"], pivot=(data["pivot"][0], data["pivot"][1]), own=own, live=tidy((a, b) for a, b in data["live"]),
            lens_kind=data.get("lens_kind", BELL),
            **{**channels, "reach": channels["reach"] if own else None},
        )  # fmt: skip
        group = self.shape(data["group"]) if data.get("group") else None
        return replace(core, rides=rides_of(group, self._carrier(data.get("carrier"))))

    def _keys(self, shape_id: str, table: str, parts: int, now: CoreShape | None) -> Any:
        keys = getattr(now, CHANNELS[table][1]) if now is not None else None
        were = self.keys.get((table, shape_id), {})
        if not were and keys is not None:
            return keys
        rows: dict[int, Data | None] = {}
        if keys is not None:
            rows = {int(f): key_data(keys, k) for k, f in enumerate(keys.frames) if int(f) not in were}
        rows.update(were)
        found = [
            SimpleNamespace(frame=f, kind=row["kind"], **{name: base64.b64decode(row[name]) for name in ("held", "values", "speeds")})
            for f, row in sorted(rows.items())
            if row is not None
        ]
        return keys_of(found, parts, WIDTHS[table])  # type: ignore[arg-type]

    def _carrier(self, data: Data | None) -> Carrier | None:
        if data is None:
            return None
        track = self._track(data["track"]) if data["track"] else None
        return Carrier(track=track, how=data["how"], before=np.array(data["before"]).reshape(3, 3))

    def _track(self, track_id: str) -> CoreTrack:
        row = self.was.get(("track", track_id))
        if row is None:
            return core_cache.track(Track.objects.get(pk=track_id, shot=self.shot))
        return Track(id=track_id, shot=self.shot, **row["before"]).to_core()

    def mattes(self) -> dict[str, Data]:
        """The mattes that there were, by id."""
        there: dict[str, Data | None] = {str(row.pk): matte_data(row) for row in Matte.objects.filter(shot=self.shot)}
        return {k: data for k, data in (there | self._rows("matte")).items() if data is not None}

    def lines(self, matte_id: str) -> dict[str, Data]:
        """The lines of a matte's stack, by id, bottom first."""
        now: dict[str, Data | None] = {str(row.pk): entry_data(row) for row in StackEntry.objects.filter(matte__shot=self.shot)}
        rows = {k: data for k, data in (now | self._rows("entry")).items() if data is not None and data["matte"] == matte_id}
        return dict(sorted(rows.items(), key=lambda one: (one[1]["order"], one[0])))

    def matte(self, matte_id: str) -> CoreMatte:
        """A matte as it was. NotThere where there was none."""
        data = self.mattes().get(matte_id)
        if data is None:
            raise NotThere("That matte was not there then.")
        shot, said = self.shot, self._rows_of_shot()
        entries = [
            Entry(
                shape=shape,
                mode=row["mode"],
                inverted=row["inverted"],
                opacity=row["opacity"],
                source=Source.from_data(row.get("source", {})),
            )
            for row in self.lines(matte_id).values()
            if (shape := self.shape(row["shape"])) is not None
        ]
        return CoreMatte(
            shot=shot.name, name=data["name"], size=(shot.width, shot.height), rate=shot.rate, first=shot.first, last=shot.last,
            shutter=Shutter(angle=said["angle"], phase=said["phase"], cap=said["cap"]), inverted=data["inverted"],
            shift=core_cache.keyed(data["shift"]), entries=tuple(entries[k] for k in in_order(entries)),
            lens=core_cache.keyed(data.get("lens", [])), lens_kind=data.get("lens_kind", BELL),
        )  # fmt: skip

    def _rows_of_shot(self) -> Data:
        row = next((one for key, one in self.was.items() if key[0] == "shot"), None)
        now = {"angle": self.shot.shutter_angle, "phase": self.shot.shutter_phase, "cap": self.shot.shutter_cap}
        return now if row is None else row["before"]

    def changes(self, shape: str | None = None, matte: str | None = None) -> list[Change]:
        """The changes that bring a shape back, or a matte with its shapes, or all; in an order in which they can be written, and undone."""
        if any(key[0] == "numbers" for key in self.was):
            raise Refused(
                "The frames of this shot were numbered anew since then. Bring back a later state, or number them as before first."
            )
        lines = [] if shape is not None and shape in self._now else self._differing("entry", lambda one: _speaks_of(one, shape, matte))
        ids = {shape} if shape else self.shapes_since if matte is None else self._of_matte(matte)
        reshaped = [one for i in sorted(ids) if self._may_go(i, shape, matte) for one in compare(i, self.now(i), self.shape(i))]
        mattes = [] if shape else self._differing("matte", lambda one: matte in (None, one["key"][0]) and not _delivered(one))
        tracks = self._differing("track", lambda one: (shape is None and matte is None) or one["key"][0] in self._tracks_of(ids))
        shot = [] if shape or matte else self._differing("shot", lambda one: True)
        away, there = (lambda one: one["after"] is None), (lambda one: one["after"] is not None)
        first = [*filter(away, lines), *sorted(filter(away, reshaped), key=lambda one: one["table"] == "shape"), *filter(away, mattes)]
        then = [*filter(there, tracks), *filter(there, mattes), *shot, *filter(there, reshaped), *filter(there, lines)]
        return [*first, *then, *filter(away, tracks)]

    def _of_matte(self, matte_id: str) -> set[str]:
        """Shapes that stand in a matte's stack, then or now, with the groups that they ride on."""
        then, now = set(), set()
        for row in self.lines(matte_id).values():
            then.add(row["shape"])
        now |= {str(pk) for pk in StackEntry.objects.filter(matte_id=matte_id).values_list("shape_id", flat=True)}
        cores = [*(self.shape(i) for i in then), *(self.now(i) for i in now)]
        groups = {group.id for core in cores if core is not None for group in groups_of(core)}
        return then | now | groups

    def _may_go(self, shape_id: str, shape: str | None, matte: str | None) -> bool:
        """Whether a shape that was not there then is to go: not while another matte has it, where one matte is brought back."""
        if self.shape(shape_id) is not None or (shape is None and matte is None):
            return True
        if shape is not None:
            raise Refused("That shape was not there then.")
        assert matte is not None, "all others were told"
        return not StackEntry.objects.filter(shape_id=shape_id).exclude(matte_id=matte).exists()

    def _tracks_of(self, ids: set[str]) -> set[str]:
        """Tracks that these shapes rode on."""
        rows = [one["before"] for i in ids if (one := self.was.get(("shape", i))) and one["before"]]
        return {str(row["carrier"]["track"]) for row in rows if row.get("carrier") and row["carrier"]["track"]}

    def _differing(self, table: str, wanted: Callable[[Change], bool]) -> list[Change]:
        """Rows of a table that are not as they were."""
        there = [(one, read_row(self.shot, table, one["key"])) for key, one in self.was.items() if key[0] == table]
        back = [change(table, one["key"], now, one["before"]) for one, now in there if now != one["before"]]
        return [one for one in back if wanted(one)]


def _speaks_of(line: Change, shape: str | None, matte: str | None) -> bool:
    """Whether a line of a stack, as it is or as it was, is of that shape, or in that matte."""
    rows = [row for row in (line["before"], line["after"]) if row is not None]
    return any((shape is None or row["shape"] == shape) and (matte is None or row["matte"] == matte) for row in rows)


def _delivered(matte: Change) -> bool:
    """Whether a matte that was not there then has been delivered since: it stays."""
    return matte["after"] is None and Matte.objects.filter(pk=matte["key"][0], deliveries__isnull=False).exists()
