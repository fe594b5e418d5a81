"""The desk's page, and what is corrected of a shot's picture."""

import uuid
from fractions import Fraction

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_GET, require_POST
from pydantic import TypeAdapter, ValidationError

from jaythread.desk.edit import actions, commands
from jaythread.errors import Refused
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
    facts = {"shot": shot, "membership": place, "may_trace": may(place, "trace")}
    return render(request, "desk/desk.html", facts)


@login_required
@require_POST
def correct_picture(request: HttpRequest, shot_id: int) -> HttpResponse:
    """Rate, proportions of a pixel and numbers of a shot's picture, as one edit."""
    shot = shot_for(request.user, shot_id, "trace")
    said = request.POST
    try:
        rate = Fraction(said.get("rate", "").strip()).limit_denominator(1001)
        body = {"do": "shot picture", "rate": [rate.numerator, rate.denominator], "pixel_aspect": float(said.get("pixel_aspect", ""))}
        body |= {"first": int(said.get("first", "")), "along": said.get("along") == "along"}
        made = actions.edit(request.user, shot_id, uuid.uuid4(), None, TypeAdapter(commands.Command).validate_python(body))
        messages.success(request, f"Done: {made.summary}.")
    except Refused as error:
        messages.error(request, error.message)
    except (ValueError, ValidationError, ZeroDivisionError):
        messages.error(request, "Give the rate as 25 or 24000/1001, a pixel's width between 0.1 and 10, and a whole number for the frame.")
    plate = shot.plates.first()
    return redirect("plate", plate.pk) if plate else redirect("production", shot.production_id)
