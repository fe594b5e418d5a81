"""Buttons of a production's page: shots renamed, removed, brought back."""

from collections.abc import Callable

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from jaythread.errors import Refused
from jaythread.keeping import actions
from jaythread.productions.models import Shot


def _done(request: HttpRequest, act: Callable[[], tuple[Shot, str]], otherwise: Callable[[], int]) -> HttpResponse:
    """Do it, say so, and go back to the production. otherwise: which one, where it was refused."""
    try:
        shot, says = act()
    except Refused as error:
        messages.error(request, error.message)
        return redirect("production", otherwise())
    messages.success(request, says)
    return redirect("production", shot.removed_from_id or shot.production_id)


def _production(shot_id: int) -> int:
    """Of a shot that somebody was just refused something with: that they may see it was looked at."""
    shot = Shot.objects.get(pk=shot_id)
    return shot.removed_from_id or shot.production_id


@login_required
@require_POST
def rename(request: HttpRequest, shot_id: int) -> HttpResponse:
    def act() -> tuple[Shot, str]:
        shot = actions.rename(request.user, shot_id, request.POST.get("name", ""))
        return shot, f"The shot is called {shot} now."

    return _done(request, act, lambda: _production(shot_id))


@login_required
@require_POST
def remove(request: HttpRequest, shot_id: int) -> HttpResponse:
    def act() -> tuple[Shot, str]:
        shot = actions.remove(request.user, shot_id)
        return shot, f"{shot.removed_name} is removed. It is kept for {actions.KEPT.days} days, below."

    return _done(request, act, lambda: _production(shot_id))


@login_required
@require_POST
def bring_back(request: HttpRequest, shot_id: int) -> HttpResponse:
    def act() -> tuple[Shot, str]:
        shot = actions.bring_back(request.user, shot_id)
        return shot, f"{shot} is back, with all that belongs to it."

    return _done(request, act, lambda: _production(shot_id))
