"""Pages of productions."""

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.db.models import Count, Q
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from jaythread.accounts import people
from jaythread.answers import Said, then
from jaythread.errors import Refused
from jaythread.productions import actions, policies
from jaythread.productions.models import Membership, Role


@login_required
@require_GET
def productions(request: HttpRequest) -> HttpResponse:
    mine = Membership.objects.filter(user=request.user.pk).select_related("production").order_by("production__name")
    here, away = ([m for m in mine if (m.production.archived is None) is stays] for stays in (True, False))
    return render(request, "productions/list.html", {"memberships": here, "archived": away})


@login_required
@require_POST
def make(request: HttpRequest) -> HttpResponse:
    try:
        production = actions.make_production(request.user, request.POST.get("name", ""))
    except Refused as error:
        messages.error(request, error.message)
        return redirect("productions")
    return redirect("production", production.pk)


def _leads(user: policies.User) -> list[Membership]:
    """Where somebody is a lead of something that is not archived."""
    mine = Membership.objects.filter(user=user.pk, production__archived=None).select_related("production").order_by("production__name")
    return [m for m in mine if policies.may(m, "manage")]


@login_required
@require_GET
def production(request: HttpRequest, production_id: int) -> HttpResponse:
    place = policies.require(request.user, production_id, "look")
    shots = place.production.shots.prefetch_related("plates", "mattes").annotate(open_notes=Count("notes", filter=Q(notes__state="open")))
    shots = shots.order_by("name")  # counting drops the order that shots have by themselves
    return render(
        request,
        "productions/production.html",
        {
            "membership": place,
            "may_manage": policies.may(place, "manage"),
            "may_archive": policies.may(place, "archive"),
            "may_bring_in": policies.may(place, "bring in"),
            "shots": shots,
            "memberships": place.production.memberships.select_related("user").order_by("user__username"),
            "roles": Role.choices,
            "others": [m.production for m in _leads(request.user) if m.production_id != production_id],
            "removed": place.production.removed_shots.order_by("-removed"),
        },
    )


@login_required
@require_POST
def invite(request: HttpRequest, production_id: int) -> HttpResponse:
    """Somebody who has an account becomes a member, or has another role."""

    def asked() -> str:
        member = actions.invite(request.user, production_id, request.POST.get("account", ""), request.POST.get("role", ""))
        return f"{member.user} is now {member.role} here."

    return then(request, asked, "production", production_id)


@login_required
@require_POST
def welcome(request: HttpRequest, production_id: int) -> HttpResponse:
    """Somebody new gets an account, and is a member."""
    said = request.POST

    def made() -> Said:
        name, address, role = (said.get(field, "") for field in ("name", "address", "role"))
        member, link = actions.welcome(request.user, production_id, name, address, role)
        people.send_way_in(member.user, link, request.user, f", in {member.production}")
        return f"{member.user} is {member.role} here. Give them this link to set a password; it is good for a week, and once.", link

    return then(request, made, "production", production_id)


@login_required
@require_POST
def leave(request: HttpRequest, production_id: int, account_id: int) -> HttpResponse:
    """A member is one no more."""

    def gone() -> str:
        member = actions.leave(request.user, production_id, account_id)
        return f"{member.user} is no member of {member.production} any more. What they made stays."

    own = account_id == request.user.pk
    return then(request, gone, "productions") if own else then(request, gone, "production", production_id)


@login_required
@require_POST
def archive(request: HttpRequest, production_id: int) -> HttpResponse:
    """A production is put away, or brought back."""
    away = request.POST.get("away") == "1"

    def moved() -> str:
        production = actions.archive(request.user, production_id, away)
        return f"{production} is archived: it is looked at and fetched, not changed." if away else f"{production} is back."

    return then(request, moved, "productions")
