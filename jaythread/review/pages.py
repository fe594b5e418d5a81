"""The check sheet of a matte and its small pictures, the shot as it stood, a matte's way, and the board of a production."""

import uuid
from datetime import date, datetime
from typing import Any
from urllib.parse import parse_qsl, urlencode

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.core.paginator import Paginator
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_GET, require_POST

from jaythread.bell import actions as bell
from jaythread.desk import policies
from jaythread.desk.models import Note
from jaythread.desk.review import notes as desk_notes
from jaythread.errors import Refused
from jaythread.plates.models import Plate
from jaythread.productions.policies import may, require, shot_for
from jaythread.review import actions, noted, way
from jaythread.review import board as boards
from jaythread.review.models import Stands, State
from roto.package.names import safe

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
    everything = boards.board(request.user, production_id)
    rows = boards.chosen(everything, **asked)
    page = Paginator(rows, ROWS).get_page(request.GET.get("page"))
    before = bell.visit(request.user, production_id)
    pictures = boards.pictures_of(list(page))
    facts = {
        "membership": place, "may_manage": may(place, "manage"), "page": page, "found": len(rows),
        "rows": [_row(m, pictures.get(m.shot_id), before) for m in page],
        "asked": asked, "query": urlencode(asked), "before": before, "waits": sum(m.stands == Stands.TO_LOOK for m in everything),
        "counts": boards.counts(everything), "total": len(everything), "orders": boards.ORDERS, "states": Stands.values,
        "people": [m.user.get_username() for m in place.production.memberships.select_related("user") if may(m, "trace")],
        "open_notes": sum({m.shot_id: m.notes_open for m in everything}.values()), "open_found": sum(m.found for m in everything),
    }  # fmt: skip
    return render(request, "review/board.html", facts)


def _row(matte: Any, plate: Plate | None, before: datetime | None) -> dict[str, Any]:
    """A row of the board. late: it was due before today, and nobody has agreed to it. changed: since somebody did. fresh: since this person
    was here before."""
    standing = getattr(matte, "standing", None)
    agreed = matte.stands in way.AGREED
    due = standing.due if standing else None
    moments = [matte.last_edit, standing.changed if standing else None, matte.packed]
    return {
        "matte": matte, "plate": plate, "whose": boards.whose(matte),
        "due": due, "late": due is not None and due < timezone.localdate() and not agreed,
        "changed": agreed and standing is not None and (matte.top or 0) > standing.revision,
        "fresh": before is not None and any(moment is not None and moment > before for moment in moments),
        "frames": matte.shot.working[1] - matte.shot.working[0] + 1,
    }  # fmt: skip


@login_required
@require_POST
def assign(request: HttpRequest, production_id: int) -> HttpResponse:
    """Give the chosen mattes to somebody."""
    try:
        chosen = [uuid.UUID(one) for one in request.POST.getlist("matte")]
        due = date.fromisoformat(request.POST["due"]) if request.POST.get("due") else None
        count = boards.assign(request.user, production_id, chosen, request.POST.get("who", ""), due)
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


@login_required
@require_GET
def look_next(request: HttpRequest, production_id: int) -> HttpResponse:
    """The first matte that waits to be looked at; the board where none does."""
    rows = way.waiting(request.user, production_id)
    if not rows:
        messages.success(request, "Nothing waits to be looked at.")
        return redirect("board", production_id)
    return redirect("looking", rows[0].shot_id, rows[0].pk)


@login_required
@ensure_csrf_cookie
@require_GET
def looking(request: HttpRequest, shot_id: int, matte_id: uuid.UUID) -> HttpResponse:
    """A matte to be looked at: large, over grounds, with what was found and noted; nothing of it can be changed here."""
    shot, matte = policies.matte_for(request.user, shot_id, matte_id, "look")
    place = require(request.user, shot.production_id, "look")
    return render(request, "review/looking.html", {"shot": shot, "matte": matte, "membership": place})


@login_required
@require_GET
def notes(request: HttpRequest, production_id: int) -> HttpResponse:
    """All notes of a production, with their pictures; on paper, too."""
    asked = {name: request.GET.get(name, "").strip()[:60] for name in noted.ASKED}
    place = require(request.user, production_id, "look")
    rows = noted.notes(request.user, production_id, **asked)
    page = Paginator(rows, len(rows) or 1 if "paper" in request.GET else ROWS).get_page(request.GET.get("page"))
    facts = {
        "membership": place, "rows": page, "page": page, "found": len(rows), "asked": asked, "query": urlencode(asked),
        "paper": "paper" in request.GET, "states": Note.State.values, "shots": place.production.shots.all(),
        "may_trace": may(place, "trace"),
        "people": [m.user.get_username() for m in place.production.memberships.select_related("user")],
    }  # fmt: skip
    return render(request, "review/notes.html", facts)


@login_required
@require_GET
def notes_table(request: HttpRequest, production_id: int) -> HttpResponse:
    """The same notes as a CSV file."""
    asked = {name: request.GET.get(name, "").strip()[:60] for name in noted.ASKED}
    place = require(request.user, production_id, "look")
    reply = HttpResponse(noted.table(noted.notes(request.user, production_id, **asked)), content_type="text/csv; charset=utf-8")
    reply["Content-Disposition"] = f'attachment; filename="{safe(place.production.name)}_notes.csv"'
    return reply


@login_required
@require_GET
def shot_markers(request: HttpRequest, shot_id: int) -> HttpResponse:
    """The open notes of a shot as markers on its plate, an OpenTimelineIO file."""
    shot = shot_for(request.user, shot_id, "look")
    reply = HttpResponse(noted.markers(request.user, shot_id), content_type="application/json")
    reply["Content-Disposition"] = f'attachment; filename="{safe(shot.name)}_notes.otio"'
    return reply


@login_required
@require_GET
def note_picture(request: HttpRequest, shot_id: int, note_id: int) -> HttpResponse:
    """The frame that a note is about, with what was drawn on it."""
    reply = HttpResponse(noted.picture(request.user, shot_id, note_id), content_type="image/jpeg")
    reply["Cache-Control"] = "private, max-age=3600"
    return reply


@login_required
@require_POST
def settle_note(request: HttpRequest, shot_id: int, note_id: int) -> HttpResponse:
    """A note is done, or not done and why; or open again."""
    back = request.POST.get("back", "")
    shot = shot_for(request.user, shot_id, "trace")
    try:
        desk_notes.settle(request.user, shot_id, note_id, request.POST.get("state", ""), request.POST.get("reason", ""))
    except Refused as error:
        messages.error(request, error.message)
    return redirect(f"{reverse('notes', args=[shot.production_id])}?{urlencode(parse_qsl(back))}#note-{note_id}")
