"""A production's webhooks, for its leads."""

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST

from jaythread.answers import Said, then
from jaythread.hooks import actions
from jaythread.productions.policies import require


@login_required
def hooks(request: HttpRequest, production_id: int) -> HttpResponse:
    """Who is told what; names another address."""
    if request.method == "POST":

        def added() -> Said:
            hook, secret = actions.add(request.user, production_id, request.POST.get("address", ""), request.POST.getlist("event"))
            return f"{hook} is told from now on. Its calls are signed with this secret, which is shown this once.", secret

        return then(request, added, "hooks", production_id)
    rows = actions.of(request.user, production_id)
    member = require(request.user, production_id, "manage")
    return render(request, "hooks/hooks.html", {"membership": member, "rows": rows, "events": actions.EVENTS.items()})


@login_required
@require_POST
def take_away(request: HttpRequest, production_id: int, hook_id: int) -> HttpResponse:
    return then(
        request, lambda: f"{actions.take_away(request.user, production_id, hook_id)} is told nothing any more.", "hooks", production_id
    )
