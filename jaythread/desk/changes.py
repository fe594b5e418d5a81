"""What a command changes: from a command to the journal's rows. Looks at the present state and writes nothing."""

import uuid
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

from jaythread.desk import commands, journal, key_commands, scene, tracks
from jaythread.desk.models import Edit, Matte, Shape, StackEntry
from jaythread.errors import Conflict, NotThere, Refused
from jaythread.productions.models import Shot
from roto.curve.brush import stroke_outline
from roto.curve.curve_fit import fit_loop
from roto.matte.matting import fringe
from roto.matte.modes import SOLVE
from roto.motion import edits
from roto.motion.group import group_of, make_group, steady_group
from roto.motion.shape import GROUP
from roto.motion.shape import Shape as CoreShape
from roto.track.ride import go_over, under

Plain = tuple[str, list[journal.Change]]
"""what the journal will say, and the changes"""
NOT_IN_NAMES = '/\\:*?"<>|.'
"""signs that some file system refuses, and the full stop that parts a file's name"""


@dataclass(frozen=True, slots=True)
class Said:
    """What the journal will say, the changed rows, and shapes as they were and as they become (those carried by a changed group too)."""

    says: str
    rows: list[journal.Change]
    before: list[CoreShape] = field(default_factory=list)
    after: list[CoreShape] = field(default_factory=list)


def changes(shot: Shot, base: int | None, command: Any, begun: dict[str, CoreShape]) -> Said:
    """The changes of one command. `base`: the revision of the shape that the page knew; an older one is refused (Conflict).

    `begun`: shapes as this very edit has changed them already; what is not saved yet is not in memory, and may never be.
    """
    special = SPECIAL.get(type(command)) or tracks.SPECIAL.get(type(command))
    if special:
        if base is not None and type(command) in tracks.SPECIAL and not isinstance(command, commands.NewTrack | commands.JoinTracks):
            tracks.track_row(shot, command.track, base)
        return Said(*special(shot, command))
    row = shape_row(shot, command.shape, base)
    if row.locked:
        raise Refused(f"'{row.name}' is locked. Unlock it first.")
    old = core_of(row, begun)
    if isinstance(command, key_commands.Steady) and old.kind == GROUP:
        return _steadied(shot, row, old, begun)
    if isinstance(command, commands.Remove):
        return _removed(row, old, begun)
    if isinstance(command, commands.Ride):
        group = core_of(shape_row(shot, command.group, None), begun) if command.group else None
        new = go_over(old, group)
        return Said(command.says(old, group), journal.compare(old.id, old, new), [old], [new])
    if isinstance(command, commands.Carry):
        says, new = tracks.carry(shot, old, command)
        return _with_members(row, old, new, says, begun)
    if isinstance(command, key_commands.Between):
        new = command.between(old, core_of(shape_row(shot, command.other, None), begun))
    else:
        new = command.on(old)
    return _with_members(row, old, new, command.says(old), begun)


def _with_members(row: Shape, old: CoreShape, new: CoreShape, says: str, begun: dict[str, CoreShape]) -> Said:
    """A change of a shape; of a group with the shapes that it carries."""
    members = _members(row, begun) if new.kind == GROUP else []
    carried = [under(m, new) for m in members]
    return Said(says, journal.compare(str(row.pk), old, new), [old, *members], [new, *carried])


def core_of(row: Shape, begun: dict[str, CoreShape]) -> CoreShape:
    """A shape as it is now, with what this edit has done to it already."""
    return begun.get(str(row.pk)) or scene.core_shapes([row])[str(row.pk)]


def _members(group: Shape, begun: dict[str, CoreShape]) -> list[CoreShape]:
    rows = [core_of(row, begun) for row in group.members.all()]
    riding = {m.id: m for m in [*rows, *begun.values()]}
    return [m for m in riding.values() if (its := group_of(m)) is not None and its.id == str(group.pk)]


def _removed(row: Shape, old: CoreShape, begun: dict[str, CoreShape]) -> Said:
    """A shape goes with its lines in the stacks; of a group only what moved its shapes together: they stay where they are."""
    lines = [journal.change("entry", [str(e.pk)], journal.entry_row(e), None) for e in row.entries.all()]
    before = _members(row, begun)
    after = [go_over(m, None) for m in before]
    freed = [c for a, b in zip(before, after, strict=True) for c in journal.compare(a.id, a, b)]
    gone = journal.compare(str(row.pk), old, None)
    return Said(f"removed {old.name}", [*freed, *lines, *gone[1:], gone[0]], before, after)


def _steadied(shot: Shot, row: Shape, group: CoreShape, begun: dict[str, CoreShape]) -> Said:
    members = _members(row, begun)
    new, led, done = steady_group(group, members)
    rows = [c for a, b in zip([group, *members], [new, *led], strict=True) for c in journal.compare(a.id, a, b)]
    says = f"steadied {group.name}: within it points now move by {done.after:.1f} px at most instead of {done.before:.1f}"
    return Said(says, rows, [group, *members], [new, *led])


def shape_row(shot: Shot, shape_id: str, base: int | None) -> Shape:
    """A shape of the shot, refused when somebody has changed it since `base`."""
    row = next(iter(Shape.objects.filter(pk=journal.as_uuid(shape_id), shot=shot).order_by()), None)
    if row is None:
        raise NotThere("That shape is not there any more.")
    if base is not None and base != row.revision:
        last = Edit.objects.filter(shot=shot, revision=row.revision).select_related("user").first()
        who = last.user.get_username() if last else "somebody"
        raise Conflict(f"{who} has changed '{row.name}' meanwhile. Your change was not saved over it.", present=str(row.pk))
    return row


def _matte(shot: Shot, matte_id: str) -> Matte:
    matte = Matte.objects.filter(pk=journal.as_uuid(matte_id), shot=shot).first()
    if matte is None:
        raise NotThere("That matte is not there any more.")
    return matte


def matte_name(shot: Shot, name: str, but: uuid.UUID | None = None) -> str:
    """A name that a matte of this shot may have, tidied."""
    name = name.strip()[:40]
    if not name or any(c in name for c in NOT_IN_NAMES):
        raise Refused('Give the matte a name without / \\ : * ? " < > | and full stops, for example kite.')
    if any(m.name.lower() == name.lower() and m.pk != but for m in shot.mattes.all()):
        raise Refused(f"There is a matte '{name}' in this shot already.")
    return name


def entry_on_top(matte: Matte, shape_id: str, mode: str) -> dict[str, Any]:
    """The row of a new line on top of a matte's stack."""
    top = matte.entries.order_by("-order").values_list("order", flat=True).first()
    return {
        "matte": str(matte.pk), "shape": shape_id, "order": (top or 0.0) + 1.0, "mode": mode, "inverted": False, "opacity": 1.0,
    }  # fmt: skip


def _new_ids(shape: str, entry: str) -> tuple[str, str]:
    shape_id, entry_id = str(journal.as_uuid(shape)), str(journal.as_uuid(entry))
    if Shape.objects.filter(pk=shape_id).exists() or StackEntry.objects.filter(pk=entry_id).exists():
        raise Refused("That id is taken.")
    return shape_id, entry_id


def _added(shape: CoreShape, entry_id: str, matte: Matte, mode: str) -> list[journal.Change]:
    """A new shape on top of a matte's stack."""
    line = journal.change("entry", [entry_id], None, entry_on_top(matte, shape.id, mode))
    return [*journal.compare(shape.id, None, shape), line]


def _traced(shot: Shot, command: commands.Trace) -> Plain:
    matte = _matte(shot, command.matte)
    shape_id, entry_id = _new_ids(command.shape, command.entry)
    if len(command.curves) != len(command.points):
        raise Refused("Each point needs to be a corner or a curve.")
    new = edits.trace(shape_id, command.name, command.frame, command.points, command.curves, command.colour, command.kind)
    return f"traced {command.name}", _added(new, entry_id, matte, command.mode)


def _freehand(shot: Shot, command: commands.Freehand) -> Plain:
    matte = _matte(shot, command.matte)
    shape_id, entry_id = _new_ids(command.shape, command.entry)
    points, curves = fit_loop(command.path, command.tolerance)
    new = edits.trace(shape_id, command.name, command.frame, points, curves, command.colour)
    return f"drew {command.name} freehand: {len(points)} points", _added(new, entry_id, matte, command.mode)


def _fringed(shot: Shot, command: commands.Fringe) -> Plain:
    matte, row = _matte(shot, command.matte), shape_row(shot, command.of, None)
    shape_id, entry_id = _new_ids(command.shape, command.entry)
    if row.kind == GROUP:
        raise Refused("A group has no outline: choose the shape whose edge is to be solved.")
    lines = list(matte.entries.all())
    at = next((k for k, line in enumerate(lines) if line.shape_id == row.pk), None)
    if at is None:
        raise Refused(f"'{row.name}' is not in the matte {matte.name}. Put it in first.")
    subject = core_of(row, {})
    if command.path is not None:
        points, curves = stroke_outline(command.path, command.radius, command.tolerance)
    else:
        points, curves = fringe.band_of_reach(scene.core_matte(shot, matte), subject, command.frame)
    new = fringe.made_band(shape_id, command.name, subject, command.frame, points, curves)
    new = replace(new, colour=command.colour)
    order = (lines[at].order + lines[at + 1].order) / 2 if at + 1 < len(lines) else lines[at].order + 1.0
    line = {**entry_on_top(matte, shape_id, "solve"), "order": order}
    says = f"made the fringe {command.name} of {row.name}"
    return says, [*journal.compare(shape_id, None, new), journal.change("entry", [entry_id], None, line)]


def _duplicated(shot: Shot, command: commands.Duplicate) -> Plain:
    matte = _matte(shot, command.matte)
    row = shape_row(shot, command.shape, None)
    twin_id, entry_id = _new_ids(command.twin, command.entry)
    old = scene.core_shapes([row])[str(row.pk)]
    line = matte.entries.filter(shape=row).first()
    names = set(shot.shapes.values_list("name", flat=True))
    name = next(n for n in (f"{old.name[:54]} {k}" for k in range(2, 10_000)) if n not in names)
    if old.kind == GROUP:
        raise Refused("Duplicate the shapes of a group, one by one.")
    used = list(shot.shapes.values_list("colour", flat=True))
    twin = replace(old, id=twin_id, name=name, colour=min(range(8), key=used.count))
    return f"duplicated {old.name}", _added(twin, entry_id, matte, line.mode if line else "add")


def _grouped(shot: Shot, command: commands.NewGroup) -> Plain:
    key = str(journal.as_uuid(command.shape))
    if Shape.objects.filter(pk=key).exists():
        raise Refused("That id is taken.")
    members = [core_of(shape_row(shot, m, None), {}) for m in command.members]
    new = make_group(key, command.name, command.frame, members, command.colour)
    riding = [c for m in members for c in journal.compare(m.id, m, go_over(m, new))]
    return f"made the group {command.name}: {', '.join(m.name for m in members)}", [*journal.compare(key, None, new), *riding]


def _lock(shot: Shot, command: commands.Lock) -> Plain:
    row = shape_row(shot, command.shape, None)
    change = journal.change("lock", [str(row.pk)], {"locked": row.locked}, {"locked": command.locked})
    return f"{'locked' if command.locked else 'unlocked'} {row.name}", [change]


def _shutter(shot: Shot, command: commands.ChangeShutter) -> Plain:
    after = {"angle": command.angle, "phase": command.phase, "cap": shot.shutter_cap}
    return f"set the shutter to {command.angle:g} degrees", [journal.change("shot", [], journal.read(shot, "shot", []), after)]


def _new_matte(shot: Shot, command: commands.NewMatte) -> Plain:
    key = str(journal.as_uuid(command.matte))
    if Matte.objects.filter(pk=key).exists():
        raise Refused("That id is taken.")
    after = {"name": matte_name(shot, command.name), "inverted": False, "shift": []}
    return f"made the matte {after['name']}", [journal.change("matte", [key], None, after)]


def _change_matte(shot: Shot, command: commands.ChangeMatte) -> Plain:
    matte = _matte(shot, command.matte)
    before = journal.matte_row(matte)
    after = dict(before)
    says = f"changed the matte {matte.name}"
    if command.name is not None:
        after["name"] = matte_name(shot, command.name, matte.pk)
        says = f"renamed the matte {matte.name} to {after['name']}"
    if command.inverted is not None:
        after["inverted"] = command.inverted
        says = f"{'inverted' if command.inverted else 'stopped inverting'} the matte {matte.name}"
    return says, [journal.change("matte", [str(matte.pk)], before, after)]


def _shift_matte(shot: Shot, command: commands.ShiftMatte) -> Plain:
    matte = _matte(shot, command.matte)
    before = journal.matte_row(matte)
    keys = {int(frame): float(px) for frame, px in matte.shift}
    if command.shift is None:
        if keys.pop(command.frame, None) is None:
            raise Refused(f"The edge shift of {matte.name} has no key on {command.frame}.")
        says = f"took away the key of the edge shift of the matte {matte.name} on {command.frame}"
    else:
        keys[command.frame] = command.shift
        says = f"shifted the edge of the matte {matte.name} by {command.shift:g} px on {command.frame}"
    after = {**before, "shift": [list(key) for key in sorted(keys.items())]}
    return says, [journal.change("matte", [str(matte.pk)], before, after)]


def _remove_matte(shot: Shot, command: commands.RemoveMatte) -> Plain:
    matte = _matte(shot, command.matte)
    lines = [journal.change("entry", [str(e.pk)], journal.entry_row(e), None) for e in matte.entries.all()]
    return f"removed the matte {matte.name}", [*lines, journal.change("matte", [str(matte.pk)], journal.matte_row(matte), None)]


def _line(shot: Shot, entry_id: str) -> StackEntry:
    entry = StackEntry.objects.select_related("shape", "matte").filter(pk=journal.as_uuid(entry_id), matte__shot=shot).first()
    if entry is None:
        raise NotThere("That line of the stack is not there any more.")
    return entry


def _add_line(shot: Shot, command: commands.AddLine) -> Plain:
    matte, row = _matte(shot, command.matte), shape_row(shot, command.shape, None)
    entry_id = str(journal.as_uuid(command.entry))
    if row.kind == GROUP:
        return _combined(matte, row, entry_id, command)
    if StackEntry.objects.filter(pk=entry_id).exists():
        raise Refused("That id is taken.")
    line = journal.change("entry", [entry_id], None, entry_on_top(matte, str(row.pk), command.mode))
    return f"put {row.name} into the matte {matte.name}", [line]


def _combined(matte: Matte, group: Shape, entry_id: str, command: commands.AddLine) -> Plain:
    """The shapes of a group count as one from now on: its line stands where the topmost of them did."""
    own = [e for e in matte.entries.select_related("shape") if e.shape.group_id == group.pk and e.mode != SOLVE]
    if not own:
        raise Refused(f"No shape of {group.name} is in the matte {matte.name}: put them in first.")
    if command.mode == SOLVE:
        raise Refused("A group cannot be a fringe: choose the shape whose edge is to be solved.")
    if StackEntry.objects.filter(pk=entry_id).exists() or matte.entries.filter(shape=group).exists():
        raise Refused(f"The shapes of {group.name} count as one in the matte {matte.name} already.")
    row = {**entry_on_top(matte, str(group.pk), command.mode), "order": own[-1].order}
    return f"combined the shapes of {group.name} as one in the matte {matte.name}", [journal.change("entry", [entry_id], None, row)]


def _drop_line(shot: Shot, command: commands.DropLine) -> Plain:
    entry = _line(shot, command.entry)
    change = journal.change("entry", [str(entry.pk)], journal.entry_row(entry), None)
    if entry.shape.kind == GROUP:
        return f"combined the shapes of {entry.shape.name} one by one in the matte {entry.matte.name}", [change]
    return f"took {entry.shape.name} out of the matte {entry.matte.name}", [change]


def _copy_matte(shot: Shot, command: commands.CopyMatte) -> Plain:
    old, key = _matte(shot, command.of), str(journal.as_uuid(command.matte))
    if Matte.objects.filter(pk=key).exists():
        raise Refused("That id is taken.")
    after = {**journal.matte_row(old), "name": matte_name(shot, command.name)}
    rows = [{**journal.entry_row(e), "matte": key} for e in old.entries.all()]
    lines = [journal.change("entry", [str(uuid.uuid4())], None, row) for row in rows]
    return f"copied the matte {old.name} as {after['name']}", [journal.change("matte", [key], None, after), *lines]


def _change_entry(shot: Shot, command: commands.ChangeEntry) -> Plain:
    entry = _line(shot, command.entry)
    before = journal.entry_row(entry)
    given = {k: v for k, v in command.dict(exclude={"do", "entry"}).items() if v is not None}
    if given.get("mode") == SOLVE and entry.shape.kind == GROUP:
        raise Refused("A group cannot be a fringe: choose the shape whose edge is to be solved.")
    return f"changed how {entry.shape.name} combines", [journal.change("entry", [str(entry.pk)], before, {**before, **given})]


SPECIAL: dict[type, Callable[[Shot, Any], Plain]] = {
    commands.Trace: _traced,
    commands.Freehand: _freehand,
    commands.Fringe: _fringed,
    commands.Duplicate: _duplicated,
    commands.NewGroup: _grouped,
    commands.Lock: _lock,
    commands.ChangeShutter: _shutter,
    commands.AddLine: _add_line,
    commands.DropLine: _drop_line,
    commands.CopyMatte: _copy_matte,
    commands.NewMatte: _new_matte,
    commands.ChangeMatte: _change_matte,
    commands.ShiftMatte: _shift_matte,
    commands.RemoveMatte: _remove_matte,
    commands.ChangeEntry: _change_entry,
}
"""commands that are not a new state of one shape"""
