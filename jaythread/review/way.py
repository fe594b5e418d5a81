"""A matte's way: handed in, returned, approved, delivered, accepted; whose it is; and the board of a production."""

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from django.db import transaction
from django.db.models import Case, CharField, Count, Exists, F, IntegerField, Max, OuterRef, Q, QuerySet, Subquery, Value, When
from django.db.models.functions import Coalesce
from django.utils import timezone

from jaythread.desk import policies as desk
from jaythread.desk.models import Edit, FrameFit, Matte, Note, StackEntry
from jaythread.errors import Refused
from jaythread.plates.models import Plate
from jaythread.productions import policies
from jaythread.productions.models import Membership
from jaythread.productions.policies import User, account
from jaythread.review.models import Finding, Standing, Stands, State, Step

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
            {"was": s.was, "now": s.now, "by": s.user.get_username(), "says": s.says, "when": s.made.strftime("%d %b %H:%M")}
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
    return _went(user, matte, state, way.ends, words, shot.revision)


def _went(user: User, matte: Matte, was: Stands, now: Stands, says: str, revision: int) -> Standing:
    Step.objects.create(matte=matte, user_id=account(user), was=was, now=now, says=says, revision=revision)
    row, _ = Standing.objects.update_or_create(matte=matte, defaults={"state": now, "revision": revision, "changed": timezone.now()})
    return row


@transaction.atomic
def delivered(user: User, matte: Matte, revision: int) -> None:
    """A package of the matte was proved."""
    was = state_of(matte)
    if was != Stands.DELIVERED:
        _went(user, matte, was, Stands.DELIVERED, "", revision)


@transaction.atomic
def assign(user: User, production_id: int, mattes: Sequence[uuid.UUID], account_name: str | None, due: date | None = None) -> int:
    """Give mattes to somebody who traces here, with a day on which they are due; to nobody where no name is said. Returns how many."""
    member = policies.require(user, production_id, "manage")
    who = None
    if account_name:
        place = Membership.objects.filter(production=production_id, user__username=account_name).select_related("user").first()
        if place is None or not policies.may(place, "trace"):
            raise Refused(f"{account_name} does not trace in {member.production.name}. Invite them as an artist first.")
        who = place.user
    rows = list(Matte.objects.filter(pk__in=mattes, shot__production=production_id))
    if not rows:
        raise Refused("Choose one matte at least.")
    for row in rows:
        Standing.objects.update_or_create(matte=row, defaults={"assigned": who, "due": due})
    return len(rows)


ORDERS = {
    "shot": ("shot__name", "name"),
    "due": ("standing__due", "shot__name"),
    "state": ("stands", "shot__name"),
    "changed": ("-last_edit", "shot__name"),
    "findings": ("-found", "shot__name"),
}
"""how the board may be sorted"""


def board(user: User, production_id: int, *, words: str = "", state: str = "", who: str = "", order: str = "shot") -> list[Matte]:
    """The mattes of a production with all that its board says of them, in a number of queries that does not grow with them.

    words: in the name of shot or matte. who: an account, or "nobody". Of one person's, what was returned comes first.
    """
    policies.require(user, production_id, "look")
    rows = _annotated(Matte.objects.filter(shot__production=production_id))
    if words:
        rows = rows.filter(Q(name__icontains=words) | Q(shot__name__icontains=words))
    if who:
        rows = rows.filter(standing__assigned__isnull=True) if who == "nobody" else rows.filter(standing__assigned__username=who)
    found = list(rows.order_by(*ORDERS.get(order, ORDERS["shot"])))
    if state:
        found = [row for row in found if row.stands == state]
    if who and who != "nobody":
        found.sort(key=lambda row: row.stands != Stands.RETURNED)
    return found


def _annotated(rows: "QuerySet[Matte]") -> "QuerySet[Any]":
    def count(model: Any, **which: Any) -> Any:
        some = model.objects.filter(**which).order_by().values("matte" if "matte" in which else "shot").annotate(n=Count("pk")).values("n")
        return Coalesce(Subquery(some, output_field=IntegerField()), 0)

    lines = StackEntry.objects.filter(matte=OuterRef("pk"))
    edits = Edit.objects.filter(shot=OuterRef("shot")).order_by("-revision")
    top = lines.order_by().values("matte").annotate(top=Max("shape__revision")).values("top")
    return (
        rows.select_related("shot", "standing", "standing__assigned")
        .prefetch_related("shot__plates")
        .annotate(
            has_lines=Exists(lines),
            found=count(Finding, matte=OuterRef("pk"), state=State.OPEN),
            notes_open=count(Note, shot=OuterRef("shot"), done=False),
            looked=count(FrameFit, matte=OuterRef("pk"), looked__gt=""),
            last_edit=Subquery(edits.values("made")[:1]),
            top=Subquery(top),
            stands=_stands(),
        )
    )


def _stands() -> Any:
    return Case(
        When(Q(standing__isnull=False) & ~Q(standing__state=Stands.NOT_BEGUN), then=F("standing__state")),
        When(Exists(StackEntry.objects.filter(matte=OuterRef("pk"))), then=Value(Stands.IN_WORK.value)),
        default=Value(Stands.NOT_BEGUN.value),
        output_field=CharField(),
    )


def counts(rows: Sequence[Any]) -> dict[str, int]:
    """How many mattes are in each state, in the order of the way."""
    return {state.value: sum(row.stands == state for row in rows) for state in Stands}


def picture_of(row: Any) -> Plate | None:
    """The plate whose middle frame stands for a matte's shot."""
    return next((plate for plate in row.shot.plates.all() if plate.state == "ready"), None)
