"""The check sheet of a matte, and its small pictures."""

import uuid

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_GET

from jaythread.desk import policies
from jaythread.productions.policies import may, require, shot_for
from jaythread.review import actions


@login_required
@ensure_csrf_cookie
@require_GET
def sheet(request: HttpRequest, shot_id: int, matte_id: uuid.UUID) -> HttpResponse:
    """All frames of a matte, with what was found on them."""
    shot, matte = policies.matte_for(request.user, shot_id, matte_id, "look")
    place = require(request.user, shot.production_id, "look")
    facts = {"shot": shot, "matte": matte, "mattes": shot.mattes.all(), "membership": place, "may_trace": may(place, "trace")}
    return render(request, "review/sheet.html", facts)


@login_required
@ensure_csrf_cookie
@require_GET
def as_it_stood(request: HttpRequest, shot_id: int) -> HttpResponse:
    """The shot's journal as a line in time, and its mattes as they stood."""
    shot = shot_for(request.user, shot_id, "look")
    place = require(request.user, shot.production_id, "look")
    return render(request, "review/past.html", {"shot": shot, "membership": place, "may_trace": may(place, "trace")})


@login_required
@require_GET
def small(request: HttpRequest, shot_id: int, matte_id: uuid.UUID, frame: int, way: str) -> HttpResponse:
    """A small picture of a frame: the matte, or what is made of it."""
    data, kind = actions.small(request.user, shot_id, matte_id, frame, way)
    reply = HttpResponse(data, content_type=kind)
    reply["Cache-Control"] = "private, max-age=86400" if "key" in request.GET else "no-store"  # another key, another address
    return reply
