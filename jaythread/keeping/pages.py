"""Buttons of a production's page: shots renamed, moved, removed, brought back; what is kept of its packages."""

from collections.abc import Callable

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from jaythread.answers import then
from jaythread.errors import Refused
from jaythread.front_door import whole
from jaythread.keeping import actions, space
from jaythread.productions.models import Shot


def _done(request: HttpRequest, shot_id: int, act: Callable[[], str]) -> HttpResponse:
    """Do it, say what `act` returns, and go back to the shot's production."""
    try:
        messages.success(request, act())
    except Refused as error:
        messages.error(request, error.message)
    shot = Shot.objects.get(pk=shot_id)
    return redirect("production", shot.removed_from_id or shot.production_id)


@login_required
@require_POST
def rename(request: HttpRequest, shot_id: int) -> HttpResponse:
    name = request.POST.get("name", "")
    return _done(request, shot_id, lambda: f"The shot is called {actions.rename(request.user, shot_id, name)} now.")


@login_required
@require_POST
def move(request: HttpRequest, shot_id: int) -> HttpResponse:
    to = whole(request.POST.get("to", "")) or 0

    def moved() -> str:
        shot = actions.move(request.user, shot_id, to)
        return f"{shot} is in {shot.production} now, with all that belongs to it."

    return _done(request, shot_id, moved)


@login_required
@require_POST
def remove(request: HttpRequest, shot_id: int) -> HttpResponse:
    kept = f"It is kept for {actions.KEPT.days} days, below."
    return _done(request, shot_id, lambda: f"{actions.remove(request.user, shot_id).removed_name} is removed. {kept}")


@login_required
@require_POST
def bring_back(request: HttpRequest, shot_id: int) -> HttpResponse:
    return _done(request, shot_id, lambda: f"{actions.bring_back(request.user, shot_id)} is back, with all that belongs to it.")


@login_required
@require_POST
def rule(request: HttpRequest, production_id: int) -> HttpResponse:
    def kept() -> str:
        space.rule(request.user, production_id, request.POST.get("keep", ""), request.POST.get("warn_at", ""))
        return "Kept. What it takes is added up anew now, and every night."

    return then(request, kept, "production", production_id)
