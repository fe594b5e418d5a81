"""Edits: one command, one transaction, one row of the journal. Undo and redo walk the journal, per person."""

import uuid
from collections.abc import Callable
from typing import Any

from django.db import IntegrityError, transaction

from jaythread.desk.document import core_cache
from jaythread.desk.edit import commands, journal
from jaythread.desk.edit.registry import Outcome, command_of
from jaythread.desk.edit.row_changes import Change, outermost, read_row, turned_round, write_rows
from jaythread.desk.edit.session import Base, Session
from jaythread.desk.models import Edit
from jaythread.errors import Conflict, Refused
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, account, shot_for
from roto.errors import RotoError
from roto.motion.shape import Shape as CoreShape

Told = Callable[[Shot, list[CoreShape], list[CoreShape]], None]


def edit(user: User, shot_id: int, edit_id: uuid.UUID, base: Base, command: Any, told: Told | None = None) -> Edit:
    """Do what a command says. `base`: the revision of each shape that the page knew; an older one is refused with the present state.

    An edit that has been taken already is answered again, not done again. `told` is called with what shapes were and become before that
    is saved, when the edit changes nothing else.
    """
    try:
        if not isinstance(command, commands.Together) and command_of(command).long:
            preview(user, shot_id, command)  # others go on with the shot meanwhile
        return _edit(user, shot_id, edit_id, base, command, told)
    except (IntegrityError, RotoError):
        again = Edit.objects.filter(pk=edit_id).select_related("shot").first()
        if again is None:
            raise
        shot_for(user, shot_id, "trace")
        if again.shot_id != shot_id or again.user_id != account(user):
            raise Refused("That edit belongs to something else.") from None
        return again


@transaction.atomic
def _edit(user: User, shot_id: int, edit_id: uuid.UUID, base: Base, command: Any, told: Told | None) -> Edit:
    shot = shot_for(user, shot_id, "trace", lock=True)
    session = Session(shot, base)
    parts = commands.parts_of(command)
    summary = command.summary if isinstance(command, commands.Together) else ""
    with core_cache.holding_back(shot.revision):
        for part in parts:
            outcome = command_of(part).handler(session, part)
            if told and len(parts) == 1 and outcome.only_reshapes:
                told(shot, outcome.before, outcome.after)
            session.write(outcome)
            summary = summary or outcome.summary
        made = journal.write_entry(shot, user, edit_id, summary, session.changes)
        made.touched = session.touched
    transaction.on_commit(session.remember)
    return made


def save(user: User, shot: Shot, summary: str, changes: list[Change], follows: Edit | None = None) -> Edit:
    """Write changes that were not said by a command (something taken in, a track that was followed) as one edit. The shot is locked.
    follows: the edit that they come of by themselves."""
    with core_cache.holding_back(shot.revision):
        write_rows(shot, changes)
        return journal.write_entry(shot, user, uuid.uuid4(), summary, changes, follows=follows)


def preview(user: User, shot_id: int, command: Any) -> tuple[Shot, Outcome]:
    """What a command would make of shapes, or of a track, and what it would say; nothing is saved."""
    shot = shot_for(user, shot_id, "trace")
    if isinstance(command, commands.Together):
        raise Refused("One change at a time can be looked at beforehand.")
    outcome = command_of(command).handler(Session(shot), command)
    if not outcome.after and outcome.track is None:
        raise Refused("That has nothing to show beforehand.")
    return shot, outcome


def undo(user: User, shot_id: int, edit_id: uuid.UUID) -> Edit:
    """Take back this person's last change to the shot that still stands, with what came of it by itself."""
    return _turn(user, shot_id, edit_id, Edit.Way.UNDO)


def redo(user: User, shot_id: int, edit_id: uuid.UUID) -> Edit:
    """Do again what this person took back last, unless they have changed something since."""
    return _turn(user, shot_id, edit_id, Edit.Way.REDO)


@transaction.atomic
def _turn(user: User, shot_id: int, edit_id: uuid.UUID, way: str) -> Edit:
    shot = shot_for(user, shot_id, "trace", lock=True)
    again = Edit.objects.filter(pk=edit_id, shot=shot, user_id=account(user)).first()
    if again is not None:
        return again
    target = journal.next_to(user, shot, way)
    if target is None:
        raise Refused("There is nothing of yours to undo here." if way == Edit.Way.UNDO else "There is nothing of yours to redo here.")
    together = [*(journal.came_of(target) if way == Edit.Way.UNDO else []), target]
    back = [change for one in together for change in turned_round(one.changes)]
    for change in outermost(back):
        if read_row(shot, change["table"], change["key"]) != change["before"]:
            raise Conflict(f"'{target.summary}' cannot be taken back: {journal.who_since(target)} has changed the same thing since.")
    summary = f"{journal.TOOK_BACK if way == Edit.Way.UNDO else journal.DID_AGAIN}{journal.plain(target.summary)}"
    with core_cache.holding_back(shot.revision):
        write_rows(shot, back)
        Edit.objects.filter(pk__in=[one.pk for one in together]).update(reversed=True)
        return journal.write_entry(shot, user, edit_id, summary, back, way, target)
