"""Pages of productions."""

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.db.models import Count, Q
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from jaythread.errors import Refused
from jaythread.productions import actions, policies
from jaythread.productions.models import Membership, Role


@login_required
@require_GET
def productions(request: HttpRequest) -> HttpResponse:
    mine = Membership.objects.filter(user=request.user.pk).select_related("production").order_by("production__name")
    return render(request, "productions/list.html", {"memberships": mine})


@login_required
@require_POST
def make(request: HttpRequest) -> HttpResponse:
    try:
        production = actions.make_production(request.user, request.POST.get("name", ""))
    except Refused as error:
        messages.error(request, error.message)
        return redirect("productions")
    return redirect("production", production.pk)


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
            "may_bring_in": policies.may(place, "bring in"),
            "shots": shots,
            "memberships": place.production.memberships.select_related("user").order_by("user__username"),
            "roles": Role.choices,
            "removed": place.production.removed_shots.order_by("-removed"),
        },
    )


@login_required
@require_POST
def invite(request: HttpRequest, production_id: int) -> HttpResponse:
    try:
        member = actions.invite(request.user, production_id, request.POST.get("account", ""), request.POST.get("role", ""))
        messages.success(request, f"{member.user} is now {member.role} here.")
    except Refused as error:
        messages.error(request, error.message)
    return redirect("production", production_id)
