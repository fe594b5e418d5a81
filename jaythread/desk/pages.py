"""The desk's page."""

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_GET

from jaythread.productions.policies import may, require, shot_for


@login_required
@ensure_csrf_cookie
@require_GET
def desk(request: HttpRequest, shot_id: int) -> HttpResponse:
    shot = shot_for(request.user, shot_id, "look")
    place = require(request.user, shot.production_id, "look")
    plate = shot.plates.first()
    if plate is None or plate.state != "ready":
        return render(request, "desk/not_ready.html", {"shot": shot, "plate": plate, "membership": place})
    return render(request, "desk/desk.html", {"shot": shot, "membership": place, "may_trace": may(place, "trace")})
