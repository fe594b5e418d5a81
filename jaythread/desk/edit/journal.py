"""The journal: one row an edit, in order of the shot's revisions; who did what, and what undo and redo would turn back."""

import uuid

from jaythread.desk.edit.row_changes import Change
from jaythread.desk.models import Edit
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, account

TOOK_BACK, DID_AGAIN = "undid: ", "redid: "
"""before what an undo, or a redo, says"""


def write_entry(
    shot: Shot, user: User, edit_id: uuid.UUID, summary: str, changes: list[Change], way: str = "do", reverses: Edit | None = None
) -> Edit:
    """Raise the shot's revision and write the journal's row. The shot's row is locked, the changes are written already."""
    shot.revision += 1
    Shot.objects.filter(pk=shot.pk).update(revision=shot.revision)
    return Edit.objects.create(
        id=edit_id, shot=shot, user_id=account(user), revision=shot.revision, way=way, summary=summary[:200], changes=changes,
        reverses=reverses,
    )  # fmt: skip


def next_to(user: User, shot: Shot, way: str) -> Edit | None:
    """The edit that undo or redo would turn back, or None."""
    mine = Edit.objects.filter(shot=shot, user_id=account(user), reversed=False).order_by("-revision")
    if way == Edit.Way.UNDO:
        return mine.exclude(way=Edit.Way.UNDO).first()
    last = mine.filter(way=Edit.Way.UNDO).first()
    fresh = Edit.objects.filter(shot=shot, user_id=account(user), way=Edit.Way.DO).order_by("-revision").first()
    return None if last is None or (fresh is not None and fresh.revision > last.revision) else last


def plain(summary: str) -> str:
    """What was done, without the words of an undo or a redo before it."""
    for words in (TOOK_BACK, DID_AGAIN, "took back: ", "did again: "):  # the last two as they were once written
        summary = summary.removeprefix(words)
    return summary


def who_since(target: Edit) -> str:
    """Who has changed the same rows since an edit."""
    rows = {(c["table"], str(c["key"])) for c in target.changes}
    for later in Edit.objects.filter(shot_id=target.shot_id, revision__gt=target.revision).select_related("user").order_by("-revision"):
        if rows & {(c["table"], str(c["key"])) for c in later.changes}:
            return later.user.get_username()
    return "somebody"
