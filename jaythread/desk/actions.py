"""Edits: one command, one transaction, one row of the journal."""

import uuid
from typing import Any

from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction
from django.db.models import F

from jaythread.desk import commands, journal, policies, scene
from jaythread.desk.models import Edit, Matte, Shape, StackEntry
from jaythread.errors import Conflict, NotThere, Refused
from jaythread.productions.models import Shot
from jaythread.productions.policies import shot_for
from roto.exchange import document
from roto.matte.stack import Matte as CoreMatte
from roto.motion import edits


def _locked(shot: Shot) -> Shot:
    return Shot.objects.select_for_update().get(pk=shot.pk)


def _record(
    shot: Shot,
    user: AbstractBaseUser,
    edit_id: uuid.UUID,
    says: str,
    changes: list[journal.Change],
    way: str = "do",
    turns: Edit | None = None,
) -> Edit:
    """Apply changes to the rows, raise the revisions, write the journal's row. The shot's row is locked."""
    for change in changes:
        journal.write(shot, change["table"], change["key"], change["after"])
    revision = shot.revision + 1
    Shot.objects.filter(pk=shot.pk).update(revision=revision)
    Shape.objects.filter(pk__in=journal.shapes_in(changes)).update(revision=revision)
    return Edit.objects.create(
        id=edit_id, shot=shot, user_id=user.pk, revision=revision, way=way, says=says[:200], changes=changes, turns=turns
    )


@transaction.atomic
def edit(user: AbstractBaseUser, shot_id: int, edit_id: uuid.UUID, base: int | None, command: Any) -> Edit:
    """Do what a command says. `base`: the shape's revision that the page knew; an older one is refused with the present state.

    An edit that has been taken already is answered again, not done again.
    """
    shot = _locked(shot_for(user, shot_id, "trace"))
    again = Edit.objects.filter(pk=edit_id).first()
    if again is not None:
        if again.shot_id != shot.pk or again.user_id != user.pk:
            raise Refused("That edit belongs to something else.")
        return again
    says, changes = _changes(shot, user, base, command)
    return _record(shot, user, edit_id, says, changes)


def _shape_row(shot: Shot, shape_id: str, base: int | None) -> Shape:
    row = Shape.objects.filter(pk=_uuid(shape_id), shot=shot).first()
    if row is None:
        raise NotThere("That shape is not there any more.")
    if base is not None and base != row.revision:
        last = Edit.objects.filter(shot=shot, revision=row.revision).select_related("user").first()
        who = last.user.get_username() if last else "somebody"
        raise Conflict(f"{who} has changed '{row.name}' meanwhile. Your change was not saved over it.", present=str(row.pk))
    return row


def _uuid(text: str) -> uuid.UUID:
    try:
        return uuid.UUID(text)
    except ValueError as error:
        raise Refused(f"'{text}' is not an id.") from error


def _changes(shot: Shot, user: AbstractBaseUser, base: int | None, command: Any) -> tuple[str, list[journal.Change]]:
    """What the journal will say, and the changes."""
    if isinstance(command, commands.Trace):
        return command.says(None), _traced(shot, command)
    if isinstance(command, commands.ChangeShutter):
        before = journal.read(shot, "shot", [])
        after = {"angle": command.angle, "phase": command.phase, "cap": shot.shutter_cap}
        return f"set the shutter to {command.angle:g} degrees", [{"table": "shot", "key": [], "before": before, "after": after}]
    if isinstance(command, commands.ChangeMatte):
        _, matte = policies.matte_for(user, shot.pk, command.matte, "trace")
        before = {"name": matte.name, "inverted": matte.inverted}
        says = f"{'inverted' if command.inverted else 'stopped inverting'} the matte {matte.name}"
        return says, [{"table": "matte", "key": [matte.pk], "before": before, "after": {**before, "inverted": command.inverted}}]
    if isinstance(command, commands.ChangeEntry):
        entry = StackEntry.objects.select_related("shape").filter(pk=_uuid(command.entry), matte__shot=shot).first()
        if entry is None:
            raise NotThere("That line of the stack is not there any more.")
        before = journal.entry_row(entry)
        after = {**before, **{k: v for k, v in command.dict(exclude={"do", "entry"}).items() if v is not None}}
        return f"changed how {entry.shape.name} combines", [{"table": "entry", "key": [str(entry.pk)], "before": before, "after": after}]
    row = _shape_row(shot, command.shape, base)
    old = scene.core_shapes([row])[str(row.pk)]
    if isinstance(command, commands.Remove):
        entries = [{"table": "entry", "key": [str(e.pk)], "before": journal.entry_row(e), "after": None} for e in row.entries.all()]
        gone = journal.compare(str(row.pk), old, None)
        return command.says(old), entries + gone[1:] + gone[:1]
    return command.says(old), journal.compare(str(row.pk), old, command.on(old))


def _traced(shot: Shot, command: commands.Trace) -> list[journal.Change]:
    matte = Matte.objects.filter(pk=command.matte, shot=shot).first()
    if matte is None:
        raise NotThere()
    shape_id, entry_id = str(_uuid(command.shape)), str(_uuid(command.entry))
    if Shape.objects.filter(pk=shape_id).exists() or StackEntry.objects.filter(pk=entry_id).exists():
        raise Refused("That id is taken.")
    if len(command.curves) != len(command.points):
        raise Refused("Each point needs to be a corner or a curve.")
    new = edits.trace(shape_id, command.name, command.frame, command.points, command.curves, command.colour)
    top = matte.entries.order_by("-order").values_list("order", flat=True).first()
    entry = {
        "matte": matte.pk, "shape": shape_id, "order": (top or 0.0) + 1.0, "mode": command.mode, "inverted": False, "opacity": 1.0,
    }  # fmt: skip
    return [*journal.compare(shape_id, None, new), {"table": "entry", "key": [entry_id], "before": None, "after": entry}]


def undo(user: AbstractBaseUser, shot_id: int, edit_id: uuid.UUID) -> Edit:
    """Take back this person's last change to the shot that still stands."""
    return _turn(user, shot_id, edit_id, Edit.Way.UNDO)


def redo(user: AbstractBaseUser, shot_id: int, edit_id: uuid.UUID) -> Edit:
    """Do again what this person took back last, unless they have changed something since."""
    return _turn(user, shot_id, edit_id, Edit.Way.REDO)


def next_to(user: AbstractBaseUser, shot: Shot, way: str) -> Edit | None:
    """The edit that undo or redo would turn back, or None."""
    mine = Edit.objects.filter(shot=shot, user_id=user.pk, turned=False).order_by("-revision")
    if way == Edit.Way.UNDO:
        return mine.exclude(way=Edit.Way.UNDO).first()
    last = mine.filter(way=Edit.Way.UNDO).first()
    fresh = Edit.objects.filter(shot=shot, user_id=user.pk, way=Edit.Way.DO).order_by("-revision").first()
    return None if last is None or (fresh is not None and fresh.revision > last.revision) else last


@transaction.atomic
def _turn(user: AbstractBaseUser, shot_id: int, edit_id: uuid.UUID, way: str) -> Edit:
    shot = _locked(shot_for(user, shot_id, "trace"))
    again = Edit.objects.filter(pk=edit_id, shot=shot, user_id=user.pk).first()
    if again is not None:
        return again
    target = next_to(user, shot, way)
    if target is None:
        raise Refused("There is nothing of yours to undo here." if way == Edit.Way.UNDO else "There is nothing of yours to redo here.")
    changes = journal.turned(target.changes)
    for change in changes:
        if journal.read(shot, change["table"], change["key"]) != change["before"]:
            raise Conflict(f"'{target.says}' cannot be taken back: {_who_since(target)} has changed the same thing since.")
    Edit.objects.filter(pk=target.pk).update(turned=True)
    says = f"{'took back' if way == Edit.Way.UNDO else 'did again'}: {target.says.split(': ', 1)[-1]}"
    return _record(shot, user, edit_id, says, changes, way, target)


def _who_since(target: Edit) -> str:
    touched = {(c["table"], str(c["key"])) for c in target.changes}
    for later in Edit.objects.filter(shot_id=target.shot_id, revision__gt=target.revision).select_related("user").order_by("-revision"):
        if touched & {(c["table"], str(c["key"])) for c in later.changes}:
            return later.user.get_username()
    return "somebody"


def preview_matte(user: AbstractBaseUser, shot_id: int, matte_id: int, draft: Any | None) -> CoreMatte:
    """The matte at its present revision, with an edit that is not saved yet laid on it."""
    shot, row = policies.matte_for(user, shot_id, matte_id, "look")
    matte = scene.core_matte(shot, row)
    if draft is not None and isinstance(draft, commands.OnShape):
        old = next((e.shape for e in matte.entries if e.shape.id == draft.shape), None)
        if old is not None:
            matte = matte.with_shape(draft.on(old))
    return matte


def export_document(user: AbstractBaseUser, shot_id: int, matte_id: int) -> str:
    """The shape document of a matte."""
    shot, row = policies.matte_for(user, shot_id, matte_id, "look")
    return document.dumps(scene.core_matte(shot, row))


@transaction.atomic
def import_document(user: AbstractBaseUser, shot_id: int, text: bytes) -> Matte:
    """A new matte in this shot from a shape document; frames and pixels are taken as they are, ids are made anew."""
    shot = _locked(shot_for(user, shot_id, "trace"))
    core = document.loads(text)
    name = core.name
    for k in range(2, 1000):
        if not shot.mattes.filter(name=name).exists():
            break
        name = f"{core.name[:34]} {k}"
    matte = Matte.objects.create(shot=shot, name=name[:40], inverted=core.inverted)
    renamed: dict[str, str] = {}
    changes: list[journal.Change] = []
    for order, entry in enumerate(core.entries):
        if entry.shape.id not in renamed:
            renamed[entry.shape.id] = str(uuid.uuid4())
            changes += journal.compare(renamed[entry.shape.id], None, entry.shape)
        row = {
            "matte": matte.pk, "shape": renamed[entry.shape.id], "order": float(order), "mode": entry.mode, "inverted": entry.inverted,
            "opacity": entry.opacity,
        }  # fmt: skip
        changes.append({"table": "entry", "key": [str(uuid.uuid4())], "before": None, "after": row})
    _record(shot, user, uuid.uuid4(), f"took in the matte {matte.name} from a shape document", changes)
    return matte


@transaction.atomic
def make_matte(user: AbstractBaseUser, shot_id: int, name: str) -> Matte:
    """A new, empty matte."""
    shot = _locked(shot_for(user, shot_id, "trace"))
    name = name.strip()
    if not name or any(c in name for c in '/\\:*?"<>|.'):
        raise Refused('Give the matte a name without / \\ : * ? " < > | and full stops, for example kite.')
    if shot.mattes.filter(name__iexact=name).exists():
        raise Refused(f"There is a matte '{name}' in this shot already.")
    matte = Matte.objects.create(shot=shot, name=name[:40])
    Shot.objects.filter(pk=shot.pk).update(revision=F("revision") + 1)
    return matte
