"""The tryouts of a shot, and one of them opened."""

import uuid

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_GET

from jaythread.front_door import whole
from jaythread.productions.policies import may, require, shot_for
from jaythread.tryouts.pictures import tryout_for
from roto.tryout.beginnings import BEGINNINGS

EARLY = 960
"""px: how wide the first picture of a tryout is, that is asked for while its page is still coming"""


@login_required
@ensure_csrf_cookie
@require_GET
def shot(request: HttpRequest, shot_id: int) -> HttpResponse:
    """All tryouts of a shot, and ready beginnings."""
    it = shot_for(request.user, shot_id, "look")
    place = require(request.user, it.production_id, "look")
    first, last = it.working
    plate = it.plates.first()
    facts = {
        "shot": it, "membership": place, "may_trace": may(place, "trace"), "tryouts": it.tryouts.all(), "mattes": it.mattes.all(),
        "beginnings": BEGINNINGS.values(), "middle": (first + last) // 2, "ready": plate is not None and plate.state == "ready",
        "frames": [first + (last - first) * k // 7 for k in range(8)],
    }  # fmt: skip
    return render(request, "tryouts/shot.html", facts)


@login_required
@ensure_csrf_cookie
@require_GET
def tryout(request: HttpRequest, shot_id: int, tryout_id: uuid.UUID) -> HttpResponse:
    """One tryout, opened on a frame (?frame=), else on the first."""
    it, row = tryout_for(request.user, shot_id, tryout_id, "look")
    place = require(request.user, it.production_id, "look")
    beginning = next((b for b in BEGINNINGS.values() if row.name.startswith(b.name)), None)
    first, last = it.working
    asked = whole(request.GET.get("frame", ""))
    frame = first if asked is None else min(max(asked, first), last)
    facts = {
        "shot": it, "tryout": row, "membership": place, "may_trace": may(place, "trace"), "asks": beginning.asks if beginning else "",
        "first": first, "last": last, "frame": frame,
        "early": f"/api/shots/{it.pk}/tryouts/{row.pk}/frames/{frame}?width={EARLY}",
    }  # fmt: skip
    return render(request, "tryouts/tryout.html", facts)
