"""An edit being worked out: what its commands have touched so far, on which revisions it was made, and what shapes have become."""

from collections.abc import Callable
from dataclasses import replace

from jaythread.desk.document import core_cache, lookups
from jaythread.desk.document.matte_frames import looked_at
from jaythread.desk.edit.registry import Outcome
from jaythread.desk.edit.row_changes import Change, compare, write_rows
from jaythread.desk.models import Edit, Shape, Track, Tryout
from jaythread.errors import Conflict, Refused
from jaythread.productions.models import Shot
from roto.motion import bounds
from roto.motion.edits import keep_still
from roto.motion.group import group_of
from roto.motion.shape import GROUP
from roto.motion.shape import Shape as CoreShape
from roto.track.ride import under

Base = dict[str, int] | None
"""by id, the revision of each shape and track that the page knew"""


class Session:
    """One edit, in one transaction. The shot's row is locked.

    touched: shapes that its changes touch.

    `shape` and `track` are asked for by commands; the revision of each is held against `base` when it is met first, since what this very
    edit has changed bears a new one. Shapes that it has changed are given as they have become.
    """

    def __init__(self, shot: Shot, base: Base = None) -> None:
        self.shot = shot
        self.changes: list[Change] = []
        self.touched: set[str] = set()
        self._base = dict(base or {})
        self._shapes: dict[str, CoreShape] = {}

    def shape_row(self, shape_id: str) -> Shape:
        """A shape's row; Conflict when somebody has changed it since the page knew it."""
        row = lookups.shape_row(self.shot, shape_id)
        known = self._base.pop(str(row.pk), None)
        if known is not None and known != row.revision:
            last = Edit.objects.filter(shot=self.shot, revision=row.revision).select_related("user").first()
            who = last.user.get_username() if last else "somebody"
            raise Conflict(f"{who} has changed '{row.name}' meanwhile. Your change was not saved over it.", present=str(row.pk))
        return row

    def shape(self, shape_id: str) -> CoreShape:
        """A shape as this edit has made it so far."""
        return self.core(self.shape_row(shape_id))

    def core(self, row: Shape) -> CoreShape:
        """The same, of a row."""
        return self._shapes.get(str(row.pk)) or core_cache.shape(row)

    def open_shape(self, shape_id: str) -> tuple[Shape, CoreShape]:
        """A shape that is to be changed; Refused when it is locked."""
        row = self.shape_row(shape_id)
        if row.locked:
            raise Refused(f"'{row.name}' is locked. Unlock it first.")
        return row, self.core(row)

    def track_row(self, track_id: str) -> Track:
        """A track's row; Conflict when somebody has changed it since the page knew it."""
        row = lookups.track_row(self.shot, track_id)
        known = self._base.pop(str(row.pk), None)
        if known is not None and known != row.revision:
            raise Conflict(f"'{row.name}' has been changed meanwhile. Your change was not saved over it.", present=str(row.pk))
        return row

    def tryout_row(self, tryout_id: str) -> Tryout:
        """A tryout's row; Conflict when somebody has changed it since the page knew it."""
        row = lookups.tryout_row(self.shot, tryout_id)
        known = self._base.pop(str(row.pk), None)
        if known is not None and known != row.revision:
            raise Conflict(f"'{row.name}' has been changed meanwhile. Your change was not saved over it.", present=str(row.pk))
        return row

    def members(self, group: Shape) -> list[CoreShape]:
        """The shapes and groups that ride on a group themselves now."""
        riding = {m.id: m for m in [*(self.core(row) for row in group.members.all()), *self._shapes.values()]}
        return [m for m in riding.values() if (its := group_of(m)) is not None and its.id == str(group.pk)]

    def carried(self, group: Shape) -> list[CoreShape]:
        """All that a group carries: its members, and what rides on those of them that are groups."""
        members = self.members(group)
        inner = [self.carried(lookups.shape_row(self.shot, m.id)) for m in members if m.kind == GROUP]
        return [*members, *(one for some in inner for one in some)]

    def reshaped(self, shape_id: str, reshape: Callable[[CoreShape], tuple[CoreShape, str]]) -> Outcome:
        """A shape, or group, changed by itself; what a group carries goes with it. Where somebody looked at a frame, it stands still."""
        row, old = self.open_shape(shape_id)
        new, summary = reshape(old)
        new = keep_still(old, new, looked_at(self.shot, row))
        return self.with_carried(Outcome(summary, compare(str(row.pk), old, new), [old], [new]))

    def with_carried(self, outcome: Outcome) -> Outcome:
        """What a command comes to, with all that the groups among it carry. Groups that carry others come first."""
        before, after = {s.id: s for s in outcome.before}, {s.id: s for s in outcome.after}
        for group in [s for s in outcome.after if s.kind == GROUP and s.id in before]:
            for one in self.carried(lookups.shape_row(self.shot, group.id)):
                before.setdefault(one.id, one)
                after[one.id] = under(after.get(one.id, one), after[group.id])
        return replace(outcome, before=[*before.values()], after=[*after.values()])

    def write(self, outcome: Outcome) -> None:
        """Write what a command comes to; the next one stands on it."""
        for core in outcome.after:
            bounds.check(core)
        what = write_rows(self.shot, outcome.rows)
        self.touched |= what
        made = {core.id: core for core in outcome.after}
        for shape_id in what - set(made):  # touched by the way: read anew when it is asked for
            self._shapes.pop(shape_id, None)
        self._shapes |= made
        self.changes += outcome.rows

    def remember(self) -> None:
        """Keep in memory what was made, once it is committed."""
        there = {shape_id: core for shape_id, core in self._shapes.items() if shape_id in self._written()}
        core_cache.remember(there, self.shot.revision)

    def _written(self) -> set[str]:
        gone = {c["key"][0] for c in self.changes if c["table"] == "shape" and c["after"] is None}
        return set(self._shapes) - gone
