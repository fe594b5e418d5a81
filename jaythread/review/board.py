"""The board of a production: its mattes with all that is to be known of them at a glance; and whose they are."""

import uuid
from collections.abc import Callable, Sequence
from datetime import date
from typing import Any

from django.db import transaction
from django.db.models import Case, CharField, Count, Exists, F, IntegerField, Max, OuterRef, Q, QuerySet, Subquery, Value, When
from django.db.models.functions import Coalesce
from django.urls import reverse

from jaythread.bell import actions as bell
from jaythread.desk.models import Edit, FrameFit, Matte, Note, StackEntry
from jaythread.errors import Refused
from jaythread.plates.models import Plate
from jaythread.productions import policies
from jaythread.productions.models import Membership
from jaythread.productions.policies import User, account
from jaythread.review.models import Finding, Standing, Stands, State


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
    rows = list(Matte.objects.filter(pk__in=mattes, shot__production=production_id).select_related("shot"))
    if not rows:
        raise Refused("Choose one matte at least.")
    for row in rows:
        Standing.objects.update_or_create(matte=row, defaults={"assigned": who, "due": due})
    if who is not None:
        names = ", ".join(f"{row.shot.name} {row.name}" for row in rows[:6]) + (f" and {len(rows) - 6} more" if len(rows) > 6 else "")
        says = f"{user.get_username()} gives you {names}{f', due {due:%d %b}' if due else ''}."
        address = f"{reverse('board', args=[production_id])}?who={who.get_username()}"
        bell.tell([who.pk], member.production, says, address, account(user))
    return len(rows)


ORDERS: dict[str, Callable[[Any], Any]] = {
    "shot": lambda row: (row.shot.name, row.name),
    "due": lambda row: (_due(row) is None, _due(row) or date.max, row.shot.name),
    "state": lambda row: (list(Stands.values).index(row.stands), row.shot.name, row.name),
    "changed": lambda row: (-row.last_edit.timestamp() if row.last_edit else 0.0, row.shot.name),
    "findings": lambda row: (-row.found, row.shot.name),
}
"""how the board may be sorted"""


def _due(row: Any) -> date | None:
    standing = getattr(row, "standing", None)
    return standing.due if standing else None


def whose(row: Any) -> str:
    """The account that a matte is assigned to, "" where there is none."""
    standing = getattr(row, "standing", None)
    return str(standing.assigned.get_username()) if standing and standing.assigned else ""


def board(user: User, production_id: int) -> list[Any]:
    """The mattes of a production with all that its board says of them, in a number of queries that does not grow with them."""
    policies.require(user, production_id, "look")
    return list(_annotated(Matte.objects.filter(shot__production=production_id)))


def chosen(rows: Sequence[Any], *, words: str = "", state: str = "", who: str = "", order: str = "shot") -> list[Any]:
    """Those of the board that are asked for, in order. words: in the name of shot or matte. who: an account, or "nobody". Of one person's,
    what was returned comes first."""
    small = words.casefold()
    found = [
        row
        for row in rows
        if (small in row.name.casefold() or small in row.shot.name.casefold())
        and (not state or row.stands == state)
        and (not who or whose(row) == ("" if who == "nobody" else who))
    ]
    found.sort(key=ORDERS.get(order, ORDERS["shot"]))
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
    proved = Matte.objects.filter(pk=OuterRef("pk"), deliveries__state="proved", deliveries__tryout__isnull=True)
    packages = proved.order_by("-deliveries__made")
    return rows.select_related("shot", "standing", "standing__assigned").annotate(
        found=count(Finding, matte=OuterRef("pk"), state=State.OPEN),
        notes_open=count(Note, shot=OuterRef("shot"), state=Note.State.OPEN),
        looked=count(FrameFit, matte=OuterRef("pk"), looked__gt=""),
        last_edit=Subquery(edits.values("made")[:1]),
        top=Subquery(top),
        package=Subquery(packages.values("deliveries__version")[:1]),
        packed=Subquery(packages.values("deliveries__made")[:1]),
        stands=_stands(),
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


def pictures_of(rows: Sequence[Any]) -> dict[int, Plate]:
    """By shot, the plate whose middle frame stands for it."""
    newest_last = Plate.objects.filter(shot__in={row.shot_id for row in rows}, state="ready").order_by("version")
    return {plate.shot_id: plate for plate in newest_last}
