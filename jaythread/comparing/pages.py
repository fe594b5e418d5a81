"""The page on which two states of a matte are compared, and mattes from elsewhere brought in for that."""

import uuid

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_GET, require_POST

from jaythread.brought import actions as brought
from jaythread.desk import policies
from jaythread.errors import Refused
from jaythread.plates.models import State
from jaythread.productions.policies import may, require
from roto.errors import BadUpload


@login_required
@ensure_csrf_cookie
@require_GET
def compare(request: HttpRequest, shot_id: int, matte_id: uuid.UUID) -> HttpResponse:
    """Two states of a matte: how they differ, and where."""
    shot, matte = policies.matte_for(request.user, shot_id, matte_id, "look")
    place = require(request.user, shot.production_id, "look")
    plate = next((p for p in shot.plates.all() if p.state == State.READY), None)
    facts = {
        "shot": shot, "matte": matte, "mattes": shot.mattes.all(), "membership": place, "may_bring": may(place, "bring in"), "plate": plate,
        "one": request.GET.get("one", "")[:40], "other": request.GET.get("other", "")[:40],
    }  # fmt: skip
    return render(request, "comparing/compare.html", facts)


@login_required
@require_POST
def bring_in(request: HttpRequest, shot_id: int, matte_id: uuid.UUID) -> HttpResponse:
    """A matte from files, to be held against this one."""
    policies.matte_for(request.user, shot_id, matte_id, "bring in")
    begin = request.POST.get("begin", "").strip()
    back = reverse("compare", args=[shot_id, matte_id])
    try:
        if begin and not begin.lstrip("-").isdecimal():
            raise Refused("Say the frame on which its first picture stands as a number, such as 1001.")
        files = request.FILES.getlist("files")
        row = brought.bring_in(request.user, shot_id, request.POST.get("name", ""), files, int(begin) if begin else None)
        return redirect(f"{back}?one=now&other=brought {row.pk}")
    except (BadUpload, Refused) as error:
        messages.error(request, f"Not taken: {error.message}")
        return redirect(back)


@login_required
@require_POST
def remove(request: HttpRequest, shot_id: int, matte_id: uuid.UUID, brought_id: int) -> HttpResponse:
    """Take a matte from elsewhere away."""
    brought.remove(request.user, shot_id, brought_id)
    return redirect("compare", shot_id, matte_id)
