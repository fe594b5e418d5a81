"""News: all that may have changed at a shot since a page last asked, in one answer."""

from datetime import datetime, timedelta
from typing import Any

from django.utils import timezone

from jaythread.desk.models import Presence
from jaythread.desk.review import notes
from jaythread.desk.view import serializers
from jaythread.jobs import actions as jobs
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, account, shot_for

HERE_FOR = timedelta(seconds=15)
"""after its page last asked somebody still counts as here"""
NOTE_EVERY = timedelta(seconds=4)
"""how often it is written down that somebody is here"""


def since(user: User, shot_id: int, revision: int, jobs_since: str | None) -> dict[str, Any]:
    """What has changed after a revision that the page knows, which jobs after the moment that the last answer named (all of them when none
    is named), the notes, and who else is here."""
    shot = shot_for(user, shot_id, "look")
    moment = timezone.now()
    changed = jobs.newest(shot, None if jobs_since is None else _moment(jobs_since))
    return {
        "edits": serializers.since(shot, user, revision),
        "jobs": [jobs.as_data(job) for job in changed],
        "moment": moment.isoformat(),
        "notes": notes.notes_of(user, shot_id),
        "here": _here(shot, user, moment),
    }


def _moment(text: str) -> datetime | None:
    """A moment that an earlier answer named, a little before: a job may have been written while that answer was made."""
    try:
        return datetime.fromisoformat(text) - timedelta(seconds=1)
    except ValueError:
        return None


def _here(shot: Shot, user: User, moment: datetime) -> list[str]:
    """Who else looks at the shot now; notes that this person does."""
    mine = account(user)
    if not Presence.objects.filter(shot=shot, user_id=mine, seen__gt=moment - NOTE_EVERY).exists():
        Presence.objects.update_or_create(shot=shot, user_id=mine, defaults={"seen": moment})
    others = Presence.objects.filter(shot=shot, seen__gt=moment - HERE_FOR).exclude(user_id=mine)
    return list(others.order_by("user__username").values_list("user__username", flat=True))
