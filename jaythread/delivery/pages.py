"""Pages of deliveries."""

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import FileResponse, HttpRequest, HttpResponse, HttpResponseBase, JsonResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from jaythread.delivery import actions
from jaythread.delivery.models import Delivery, State
from jaythread.delivery.policies import delivery_for
from jaythread.desk.journal import as_uuid
from jaythread.errors import NotThere, Refused
from jaythread.productions.policies import require, shot_for
from roto.exchange import document
from roto.matte.stack import sentence


@login_required
def shot(request: HttpRequest, shot_id: int) -> HttpResponse:
    """A shot's deliveries; asks for a new one."""
    it = shot_for(request.user, shot_id, "look")
    if request.method == "POST":
        try:
            actions.ask(request.user, shot_id, as_uuid(request.POST.get("matte", "")))
        except Refused as error:
            messages.error(request, error.message)
        return redirect("deliveries", shot_id)
    rows = list(Delivery.objects.filter(matte__shot=it).select_related("matte", "user"))
    seat = require(request.user, it.production_id, "look")
    return render(
        request,
        "delivery/shot.html",
        {
            "shot": it,
            "seat": seat,
            "may_deliver": seat.may("deliver"),
            "deliveries": rows,
            "waiting": any(d.busy for d in rows),
            "mattes": it.mattes.prefetch_related("entries"),
        },
    )


@login_required
@require_GET
def delivery(request: HttpRequest, delivery_id: int) -> HttpResponse:
    it = delivery_for(request.user, delivery_id, "look")
    seat = require(request.user, it.matte.shot.production_id, "look")
    frames = list(it.frames.all())
    core = document.loads(it.document)
    return render(
        request,
        "delivery/delivery.html",
        {
            "delivery": it,
            "shot": it.matte.shot,
            "seat": seat,
            "frames": frames,
            "done": sum(f.done for f in frames),
            "megabytes": sum(f.bytes for f in frames) / 1e6,
            "samples": max((f.samples for f in frames), default=0),
            "capped": [f.frame for f in frames if f.capped],
            "sentence": sentence(core),
            "core": core,
            "may_deliver": seat.may("deliver"),
        },
    )


@login_required
@require_GET
def state(request: HttpRequest, delivery_id: int) -> HttpResponse:
    it = delivery_for(request.user, delivery_id, "look")
    rows = list(it.frames.values_list("frame", "done"))
    return JsonResponse(
        {"state": it.state, "done": sum(d for _, d in rows), "total": len(rows), "checked": it.checked, "frames": [f for f, d in rows if d]}
    )


@login_required
@require_POST
def cancel(request: HttpRequest, delivery_id: int) -> HttpResponse:
    try:
        actions.cancel(request.user, delivery_id)
    except Refused as error:
        messages.error(request, error.message)
    return redirect("delivery", delivery_id)


@login_required
@require_GET
def fetch(request: HttpRequest, delivery_id: int) -> HttpResponseBase:
    it = delivery_for(request.user, delivery_id, "fetch")
    path = actions.zip_path(it)
    if it.state != State.PROVED or not path.exists():
        raise NotThere("This package is not there: only a proved delivery can be fetched.")
    return FileResponse(path.open("rb"), as_attachment=True, filename=path.name)
