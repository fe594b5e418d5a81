"""Edits: one command, one transaction, one row of the journal. Undo and redo walk the journal, per person."""

import uuid
from collections.abc import Callable
from typing import Any

from django.db import IntegrityError, transaction
from django.db.models import Q

from jaythread.desk import commands, journal, scene, tracks
from jaythread.desk.changes import changes
from jaythread.desk.models import Edit, Shape
from jaythread.errors import Conflict, Refused
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, account, shot_for
from roto.errors import RotoError
from roto.motion.shape import Shape as CoreShape
from roto.track.track import Track as CoreTrack

Base = dict[str, int] | None
Ahead = Callable[[Shot, list[CoreShape], list[CoreShape]], None]


def apply(shot: Shot, done: list[journal.Change]) -> None:
    """Write changes to the rows; the shot's next revision becomes that of the shapes they touch, and of those that ride on these."""
    for change in done:
        journal.write(shot, change["table"], change["key"], change["after"])
    touched = journal.shapes_in(done) | journal.carried_by(shot, done)
    if touched:
        Shape.objects.filter(Q(pk__in=touched) | Q(group__in=touched)).update(revision=shot.revision + 1)


def record(
    shot: Shot, user: User, edit_id: uuid.UUID, says: str, done: list[journal.Change], way: str = "do", turns: Edit | None = None
) -> Edit:
    """Raise the shot's revision and write the journal's row. The shot's row is locked, the changes are applied."""
    shot.revision += 1
    Shot.objects.filter(pk=shot.pk).update(revision=shot.revision)
    return Edit.objects.create(
        id=edit_id, shot=shot, user_id=account(user), revision=shot.revision, way=way, says=says[:200], changes=done, turns=turns
    )


def edit(user: User, shot_id: int, edit_id: uuid.UUID, base: Base, command: Any, ahead: Ahead | None = None) -> Edit:
    """Do what a command says. `base`: the revision of each shape that the page knew; an older one is refused with the present state.

    An edit that has been taken already is answered again, not done again. `ahead` is told what a shape was and becomes before that is
    saved, when the edit changes nothing else.
    """
    try:
        return _edit(user, shot_id, edit_id, base, command, ahead)
    except (IntegrityError, RotoError):
        again = Edit.objects.filter(pk=edit_id).select_related("shot").first()
        if again is None:
            raise
        shot_for(user, shot_id, "trace")
        if again.shot_id != shot_id or again.user_id != account(user):
            raise Refused("That edit belongs to something else.") from None
        return again


@transaction.atomic
def _edit(user: User, shot_id: int, edit_id: uuid.UUID, base: Base, command: Any, ahead: Ahead | None) -> Edit:
    shot = shot_for(user, shot_id, "trace", lock=True)
    parts = command.commands if isinstance(command, commands.Together) else [command]
    says = ""
    done: list[journal.Change] = []
    cores: dict[str, CoreShape] = {}
    for part in parts:
        named: str = getattr(part, "shape", None) or getattr(part, "track", None) or ""
        it = changes(shot, None if named in cores else (base or {}).get(named), part, cores)
        if ahead and len(parts) == 1 and it.after:
            ahead(shot, it.before, it.after)
        apply(shot, it.rows)
        says, done = says or it.says, done + it.rows
        cores |= {core.id: core for core in it.after}
    made = record(shot, user, edit_id, command.says if isinstance(command, commands.Together) else says, done)
    transaction.on_commit(lambda: scene.remember(cores, made.revision))
    return made


def tried(user: User, shot_id: int, command: Any) -> tuple[Shot, list[CoreShape] | list[CoreTrack], str]:
    """What a command would make of shapes, or of a track, and what it would say; nothing is saved."""
    shot = shot_for(user, shot_id, "trace")
    if isinstance(command, commands.SmoothTrack):
        says, track = tracks.tried(shot, command)
        return shot, [track], says
    it = changes(shot, None, command, {})
    if not it.after:
        raise Refused("That has nothing to show beforehand.")
    return shot, it.after, it.says


def undo(user: User, shot_id: int, edit_id: uuid.UUID) -> Edit:
    """Take back this person's last change to the shot that still stands."""
    return _turn(user, shot_id, edit_id, Edit.Way.UNDO)


def redo(user: User, shot_id: int, edit_id: uuid.UUID) -> Edit:
    """Do again what this person took back last, unless they have changed something since."""
    return _turn(user, shot_id, edit_id, Edit.Way.REDO)


def next_to(user: User, shot: Shot, way: str) -> Edit | None:
    """The edit that undo or redo would turn back, or None."""
    mine = Edit.objects.filter(shot=shot, user_id=account(user), turned=False).order_by("-revision")
    if way == Edit.Way.UNDO:
        return mine.exclude(way=Edit.Way.UNDO).first()
    last = mine.filter(way=Edit.Way.UNDO).first()
    fresh = Edit.objects.filter(shot=shot, user_id=account(user), way=Edit.Way.DO).order_by("-revision").first()
    return None if last is None or (fresh is not None and fresh.revision > last.revision) else last


@transaction.atomic
def _turn(user: User, shot_id: int, edit_id: uuid.UUID, way: str) -> Edit:
    shot = shot_for(user, shot_id, "trace", lock=True)
    again = Edit.objects.filter(pk=edit_id, shot=shot, user_id=account(user)).first()
    if again is not None:
        return again
    target = next_to(user, shot, way)
    if target is None:
        raise Refused("There is nothing of yours to undo here." if way == Edit.Way.UNDO else "There is nothing of yours to redo here.")
    back = journal.turned(target.changes)
    for change in journal.outermost(back):
        if journal.read(shot, change["table"], change["key"]) != change["before"]:
            raise Conflict(f"'{target.says}' cannot be taken back: {_who_since(target)} has changed the same thing since.")
    apply(shot, back)
    Edit.objects.filter(pk=target.pk).update(turned=True)
    says = f"{'took back' if way == Edit.Way.UNDO else 'did again'}: {target.says.split(': ', 1)[-1]}"
    return record(shot, user, edit_id, says, back, way, target)


def _who_since(target: Edit) -> str:
    touched = {(c["table"], str(c["key"])) for c in target.changes}
    for later in Edit.objects.filter(shot_id=target.shot_id, revision__gt=target.revision).select_related("user").order_by("-revision"):
        if touched & {(c["table"], str(c["key"])) for c in later.changes}:
            return later.user.get_username()
    return "somebody"
