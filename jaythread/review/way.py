"""A matte's way: handed in, returned, approved, delivered, accepted; whose it is; and the board of a production."""

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.db import transaction
from django.db.models import F, Max
from django.urls import reverse
from django.utils import timezone

from jaythread.bell import actions as bell
from jaythread.desk import policies as desk
from jaythread.desk.models import Edit, Matte
from jaythread.errors import Refused
from jaythread.hooks import actions as hooks
from jaythread.productions import policies
from jaythread.productions.policies import User, account
from jaythread.review.models import Standing, Stands, Step

LONGEST = 600
"""characters of what is said at a step"""
BEGUN = frozenset({Stands.NOT_BEGUN, Stands.IN_WORK, Stands.RETURNED})


@dataclass(frozen=True, slots=True, kw_only=True)
class Way:
    """A step: from which states, to which, what one must be allowed to do for it, and whether words are wanted."""

    begins: frozenset[Stands]
    ends: Stands
    may: str
    words: bool = False


WAYS: dict[str, Way] = {
    "hand in": Way(begins=BEGUN, ends=Stands.TO_LOOK, may="hand in"),
    "take back": Way(begins=frozenset({Stands.TO_LOOK}), ends=Stands.IN_WORK, may="hand in"),
    "approve": Way(begins=BEGUN | {Stands.TO_LOOK}, ends=Stands.APPROVED, may="approve"),
    "return": Way(begins=frozenset({Stands.TO_LOOK, Stands.APPROVED}), ends=Stands.RETURNED, may="approve", words=True),
    "accept": Way(begins=frozenset({Stands.DELIVERED}), ends=Stands.ACCEPTED, may="accept"),
    "send back": Way(begins=frozenset({Stands.DELIVERED, Stands.ACCEPTED}), ends=Stands.RETURNED, may="accept", words=True),
}
EVENTS = {
    Stands.TO_LOOK: "matte.handed_in",
    Stands.APPROVED: "matte.approved",
    Stands.RETURNED: "matte.returned",
    Stands.ACCEPTED: "matte.accepted",
}
"""what other programs are told of"""
AGREED = (Stands.APPROVED, Stands.DELIVERED, Stands.ACCEPTED)
"""states that hold of a revision: what is changed later is said"""


def state_of(matte: Matte) -> Stands:
    """How far a matte is."""
    row = Standing.objects.filter(matte=matte).first()
    if row is not None and row.state != Stands.NOT_BEGUN:
        return Stands(row.state)
    return Stands.IN_WORK if matte.entries.exists() else Stands.NOT_BEGUN


def told(user: User, shot_id: int, matte_id: uuid.UUID) -> dict[str, Any]:
    """How far a matte is, whose it is, what this user may do with it, whether it was changed since it was agreed on, and its steps."""
    shot, matte = desk.matte_for(user, shot_id, matte_id, "look")
    member = policies.membership(user, shot.production_id)
    row, state = Standing.objects.filter(matte=matte).select_related("assigned").first(), state_of(matte)
    return {
        "state": state.value,
        "assigned": row.assigned.get_username() if row and row.assigned else "",
        "due": row.due.isoformat() if row and row.due else "",
        "changed": row is not None and state in AGREED and _changed(matte, row.revision),
        "may": [name for name, way in WAYS.items() if state in way.begins and policies.may(member, way.may)],
        "steps": [
            {"was": s.was, "now": s.now, "by": s.by or s.user.get_username(), "says": s.says, "when": s.made.strftime("%d %b %H:%M")}
            for s in matte.steps.select_related("user")[:20]
        ],
    }


def _changed(matte: Matte, revision: int) -> bool:
    """Whether a later edit touched the matte, a line of its stack, or a shape of it."""
    top = matte.entries.aggregate(top=Max("shape__revision"))["top"] or 0
    if top > revision:
        return True
    own = {("matte", str(matte.pk)), *(("entry", str(pk)) for pk in matte.entries.values_list("pk", flat=True))}
    later = Edit.objects.filter(shot=matte.shot_id, revision__gt=revision).values_list("changes", flat=True)
    return any((c["table"], str(c["key"][0])) in own or _was_in(c, matte) for changes in later for c in changes if c["key"])


def _was_in(change: dict[str, Any], matte: Matte) -> bool:
    """Whether a line that was taken away, or put in, is of this matte."""
    rows = [row for row in (change["before"], change["after"]) if row]
    return change["table"] == "entry" and any(row["matte"] == str(matte.pk) for row in rows)


@transaction.atomic
def go(user: User, shot_id: int, matte_id: uuid.UUID, step: str, says: str = "") -> Standing:
    """Bring a matte a step further, or back. Refused from states that the step does not begin at, and without words where it wants some."""
    way = WAYS.get(step)
    if way is None:
        raise Refused(f"There is no step '{step}' on a matte's way.")
    shot, matte = desk.matte_for(user, shot_id, matte_id, way.may)
    Matte.objects.select_for_update().get(pk=matte.pk)
    state, words = state_of(matte), " ".join(says.split())
    if state not in way.begins:
        raise Refused(f"The matte {matte.name} is {state.value}: that step cannot be taken from there. Somebody may have been quicker.")
    if len(words) > LONGEST or not words.isprintable() or (way.words and not words):
        raise Refused(f"Say what is to be changed, in at most {LONGEST} characters.")
    row = _went(user, matte, state, way.ends, words, shot.revision)
    _tell(matte, row.state, user.get_username(), words, account(user))
    return row


def _went(user: User, matte: Matte, was: Stands, now: Stands, says: str, revision: int, by: str = "") -> Standing:
    Step.objects.create(matte=matte, user_id=account(user), was=was, now=now, says=says, revision=revision, by=by)
    row, _ = Standing.objects.update_or_create(matte=matte, defaults={"state": now, "revision": revision, "changed": timezone.now()})
    if now in EVENTS:
        facts = {"shot": matte.shot_id, "shot_name": matte.shot.name, "matte": str(matte.pk), "matte_name": matte.name}
        hooks.say(matte.shot.production, EVENTS[now], {**facts, "by": by or str(user), "says": says, "revision": revision})
    return row


def _tell(matte: Matte, now: str, by: str, says: str, but: int | None) -> None:
    """Say to whom it concerns that a matte went on: leads what waits for them, its artist and who handed it in all else."""
    production, named = matte.shot.production, f"{matte.shot.name}, {matte.name}"
    if now == Stands.TO_LOOK:
        bell.tell(bell.who_may(production, "approve"), production, f"{by} hands in {named}.", _address("looking", matte), but)
        return
    verbs = {Stands.APPROVED: "approves", Stands.RETURNED: "returns", Stands.ACCEPTED: "accepts"}
    if now not in verbs:
        return
    people = set(matte.steps.filter(now=Stands.TO_LOOK).values_list("user_id", flat=True))
    people |= set(Standing.objects.filter(matte=matte, assigned__isnull=False).values_list("assigned_id", flat=True))
    if now == Stands.ACCEPTED or but is None:
        people |= set(bell.who_may(production, "approve"))
    bell.tell(people, production, f"{by} {verbs[Stands(now)]} {named}{': ' + says if says else '.'}", _address("matte-way", matte), but)


def _address(page: str, matte: Matte) -> str:
    return reverse(page, args=[matte.shot_id, matte.pk])


@transaction.atomic
def delivered(user: User, mattes: Sequence[Matte], revision: int) -> None:
    """A package of these mattes was proved."""
    for matte in mattes:
        was = state_of(matte)
        if was != Stands.DELIVERED:
            _went(user, matte, was, Stands.DELIVERED, "", revision)


@transaction.atomic
def answered(user: User, matte: Matte, accepted: bool, by: str, says: str) -> None:
    """The other side accepted a package of the matte, or returned it. user: who handed it over. Nothing where it is not delivered any
    more."""
    was, now = state_of(matte), Stands.ACCEPTED if accepted else Stands.RETURNED
    if was not in (Stands.DELIVERED, Stands.ACCEPTED) or was == now:
        return
    revision = Standing.objects.get(matte=matte).revision
    _went(user, matte, was, now, says[:LONGEST], revision, by=by)
    _tell(matte, now, by, says, None)


def waiting(user: User, production_id: int) -> list[Matte]:
    """The mattes of a production that wait to be looked at: what is due first, then what was handed in first."""
    policies.require(user, production_id, "look")
    rows = Matte.objects.filter(shot__production=production_id, standing__state=Stands.TO_LOOK).select_related("shot", "standing")
    return list(rows.order_by(F("standing__due").asc(nulls_last=True), "standing__changed"))
