"""The check sheet of a matte and its small pictures, the shot as it stood, a matte's way, and the board of a production."""

import uuid
from datetime import date
from typing import Any
from urllib.parse import urlencode

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.core.paginator import Paginator
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_GET, require_POST

from jaythread.desk import policies
from jaythread.errors import Refused
from jaythread.productions.policies import may, require, shot_for
from jaythread.review import actions, way
from jaythread.review.models import Stands, State

ROWS = 100
"""mattes on a page of the board"""


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


@login_required
@require_GET
def board(request: HttpRequest, production_id: int) -> HttpResponse:
    """The mattes of a production: how far each is, whose, when it is due, what is open."""
    asked = {name: request.GET.get(name, "").strip()[:60] for name in ("words", "state", "who", "order")}
    place = require(request.user, production_id, "look")
    everything = way.board(request.user, production_id)
    rows = way.board(request.user, production_id, **asked) if any(asked.values()) else everything
    page = Paginator(rows, ROWS).get_page(request.GET.get("page"))
    facts = {
        "membership": place, "may_manage": may(place, "manage"), "rows": [_row(m) for m in page], "page": page, "found": len(rows),
        "asked": asked, "query": urlencode(asked),
        "counts": way.counts(everything), "total": len(everything), "orders": way.ORDERS, "states": Stands.values,
        "people": [m.user.get_username() for m in place.production.memberships.select_related("user") if may(m, "trace")],
    }  # fmt: skip
    return render(request, "review/board.html", facts)


def _row(matte: Any) -> dict[str, Any]:
    """A row of the board. late: it was due before today, and nobody has agreed to it. changed: since somebody did."""
    standing = getattr(matte, "standing", None)
    agreed = matte.stands in way.AGREED
    due = standing.due if standing else None
    return {
        "matte": matte, "plate": way.picture_of(matte), "whose": standing.assigned.get_username() if standing and standing.assigned else "",
        "due": due, "late": due is not None and due < timezone.localdate() and not agreed,
        "changed": agreed and standing is not None and (matte.top or 0) > standing.revision,
    }  # fmt: skip


@login_required
@require_POST
def assign(request: HttpRequest, production_id: int) -> HttpResponse:
    """Give the chosen mattes to somebody."""
    try:
        chosen = [uuid.UUID(one) for one in request.POST.getlist("matte")]
        due = date.fromisoformat(request.POST["due"]) if request.POST.get("due") else None
        count = way.assign(request.user, production_id, chosen, request.POST.get("who", ""), due)
        messages.success(request, f"{count} matte{'s are' if count > 1 else ' is'} given to {request.POST.get('who') or 'nobody'}.")
    except Refused as error:
        messages.error(request, error.message)
    except ValueError:
        messages.error(request, "Give the day as year, month and day, such as 2027-03-01.")
    return redirect("board", production_id)


@login_required
@require_POST
def step(request: HttpRequest, shot_id: int, matte_id: uuid.UUID) -> HttpResponse:
    """Bring a matte a step further on its way, or back."""
    try:
        row = way.go(request.user, shot_id, matte_id, request.POST.get("step", ""), request.POST.get("says", ""))
        messages.success(request, f"{row.matte.name} is {row.state} now.")
    except Refused as error:
        messages.error(request, error.message)
    return redirect("matte-way", shot_id, matte_id)


@login_required
@require_GET
def matte_way(request: HttpRequest, shot_id: int, matte_id: uuid.UUID) -> HttpResponse:
    """How far a matte is, its steps so far, and what can be done next."""
    shot, matte = policies.matte_for(request.user, shot_id, matte_id, "look")
    place = require(request.user, shot.production_id, "look")
    told = way.told(request.user, shot_id, matte_id)
    steps = [{"name": name, "words": way.WAYS[name].words} for name in told["may"]]
    open_ = matte.findings.filter(state=State.OPEN)[:6]
    return render(
        request, "review/way.html", {"shot": shot, "matte": matte, "membership": place, "told": told, "steps": steps, "found": open_}
    )
