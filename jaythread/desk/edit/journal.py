"""The journal: one row an edit, in order of the shot's revisions; who did what, and what undo and redo would turn back."""

import uuid

from jaythread.desk.edit.row_changes import Change
from jaythread.desk.models import Edit
from jaythread.prepared import set_revision
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, account

TOOK_BACK, DID_AGAIN = "undid: ", "redid: "
"""before what an undo, or a redo, says"""


def write_entry(
    shot: Shot, user: User, edit_id: uuid.UUID, summary: str, changes: list[Change], way: str = "do", reverses: Edit | None = None,
    follows: Edit | None = None,
) -> Edit:  # fmt: skip
    """Raise the shot's revision and write the journal's row. The shot's row is locked, the changes are written already."""
    shot.revision += 1
    set_revision(Shot, [shot.pk], shot.revision)
    return Edit.objects.create(
        id=edit_id, shot=shot, user_id=account(user), revision=shot.revision, way=way, summary=summary[:200], changes=changes,
        reverses=reverses, follows=follows,
    )  # fmt: skip


def next_to(user: User, shot: Shot, way: str) -> Edit | None:
    """The edit that undo or redo would turn back, or None."""
    mine = Edit.objects.filter(shot=shot, user_id=account(user), reversed=False).order_by("-revision")
    if way == Edit.Way.UNDO:
        return mine.exclude(way=Edit.Way.UNDO).filter(follows=None).first()
    last = mine.filter(way=Edit.Way.UNDO).first()
    fresh = Edit.objects.filter(shot=shot, user_id=account(user), way=Edit.Way.DO).order_by("-revision").first()
    return None if last is None or (fresh is not None and fresh.revision > last.revision) else last


def came_of(target: Edit) -> list[Edit]:
    """What is to be taken back before an edit is, the latest first: what came of it by itself since, and what came of another one and has
    changed the same rows."""
    rows = _rows(target)
    since = Edit.objects.filter(shot=target.shot_id, user=target.user_id, reversed=False, revision__gt=target.revision)
    later = since.exclude(follows=None).order_by("-revision")
    return [one for one in later if one.follows_id == target.pk or rows & _rows(one)]


def _rows(edit: Edit) -> set[tuple[str, str]]:
    return {(c["table"], str(c["key"])) for c in edit.changes}


def plain(summary: str) -> str:
    """What was done, without the words of an undo or a redo before it."""
    for words in (TOOK_BACK, DID_AGAIN, "took back: ", "did again: "):  # the last two as they were once written
        summary = summary.removeprefix(words)
    return summary


def who_since(target: Edit) -> str:
    """Who has changed the same rows since an edit."""
    rows = _rows(target)
    for later in Edit.objects.filter(shot_id=target.shot_id, revision__gt=target.revision).select_related("user").order_by("-revision"):
        if rows & _rows(later):
            return later.user.get_username()
    return "somebody"
