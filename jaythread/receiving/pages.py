"""Pages of handing over, and the one page for somebody without an account."""

import uuid
from typing import Any, cast

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.db.models import F
from django.http import FileResponse, HttpRequest, HttpResponse, HttpResponseBase, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from jaythread import store
from jaythread.accounts.guessing import slowed
from jaythread.delivery import packing
from jaythread.delivery.policies import delivery_for, ready
from jaythread.desk.models import Note
from jaythread.errors import NotThere, Refused
from jaythread.front_door import whole
from jaythread.productions.policies import may, require
from jaythread.receiving import actions
from jaythread.receiving.models import Link, Sending
from roto.package import proof


@login_required
def hand_over(request: HttpRequest, delivery_id: int) -> HttpResponse:
    """How a package stands with its receivers; sends it, or makes a link to it."""
    it = ready(delivery_for(request.user, delivery_id, "look"))
    member = require(request.user, it.matte.shot.production_id, "look")
    link = ""
    if request.method == "POST":
        try:
            if request.POST.get("what") == "link":
                days = whole(request.POST.get("days", "")) or 0
                _, secret = actions.make_link(request.user, it.pk, request.POST.get("says", ""), days)
                link = request.build_absolute_uri(reverse("linked", args=[secret]))
            else:
                actions.send(request.user, it.pk)
                return redirect("hand-over", it.pk)
        except Refused as error:
            messages.error(request, error.message)
            return redirect("hand-over", it.pk)
    newest = it.sendings.first()
    return render(
        request,
        "receiving/hand_over.html",
        {
            "delivery": it,
            "shot": it.matte.shot,
            "membership": member,
            "may_deliver": may(member, "deliver"),
            "sendings": it.sendings.select_related("user"),
            "newest": newest,
            "may_send": newest is None or newest.state in (Sending.State.FAILED, Sending.State.CANCELLED),
            "links": it.links.select_related("user"),
            "link": link,
            "now": timezone.now(),
            "notes": Note.objects.filter(shot=it.matte.shot, package=f"{it.name} version {it.version}"),
        },
    )


@login_required
@require_GET
def sending_state(request: HttpRequest, sending_id: uuid.UUID) -> HttpResponse:
    """How a sending stands; asks the other side, but not all the time."""
    it = actions.sending_for(request.user, sending_id, "look")
    if it.asked is None or timezone.now() - it.asked > actions.ASK_EVERY:
        actions.look(it)
    return JsonResponse({"state": it.state, "percent": it.percent, "sent": it.sent, "total": it.total, "message": it.message})


@login_required
@require_POST
def cancel(request: HttpRequest, sending_id: uuid.UUID) -> HttpResponse:
    try:
        it = actions.cancel(request.user, sending_id)
    except Refused as error:
        messages.error(request, error.message)
        it = actions.sending_for(request.user, sending_id, "look")
    return redirect("hand-over", it.delivery_id)


@login_required
@require_POST
def revoke(request: HttpRequest, link_id: int) -> HttpResponse:
    link = actions.revoke(request.user, link_id)
    messages.success(request, f"The link for {link.says} leads nowhere any more.")
    return redirect("hand-over", link.delivery_id)


@require_GET
@slowed
def linked(request: HttpRequest, secret: str) -> HttpResponse:
    """A package, for whoever has the link."""
    return _page(request, secret, {})


@require_POST
@slowed
def linked_note(request: HttpRequest, secret: str) -> HttpResponse:
    """A note from somebody who has a link. Where its time ran out while they wrote, what they wrote is given back to them."""
    said = {name: request.POST.get(name, "").replace("\0", "")[:20_000] for name in ("says", "number", "by")}
    try:
        actions.note_by_link(secret, said["says"], said["number"], said["by"])
    except NotThere as error:
        return _not_kept(render(request, "receiving/ran_out.html", {"said": said, "why": error.message}, status=410))
    except Refused as error:
        return _page(request, secret, said, error.message, status=422)
    messages.success(request, "Your note is with them.")
    return _not_kept(redirect("linked", secret))


def _page(request: HttpRequest, secret: str, said: dict[str, str], trouble: str = "", status: int = 200) -> HttpResponse:
    link = actions.package_by(secret)
    notes = Note.objects.filter(shot=link.delivery.matte.shot, package=f"{link.delivery.name} version {link.delivery.version}")
    numbers = dict(link.delivery.frames.values_list("frame", "number"))
    words = store.here(link.delivery.package / proof.SUMMARY, current=True)
    facts = {
        "link": link, "delivery": link.delivery, "words": words.read_text(), "secret": secret,
        "notes": [(numbers.get(n.frame, n.frame), n) for n in notes.prefetch_related("answers__user")], "said": said, "trouble": trouble,
    }  # fmt: skip
    return cast(HttpResponse, _not_kept(render(request, "receiving/linked.html", facts, status=status)))


@require_GET
@slowed
def linked_part(request: HttpRequest, secret: str, part: str) -> HttpResponseBase:
    """The package itself, or its sheet of small pictures."""
    link = actions.package_by(secret)
    if part == "sheet":
        return _not_kept(FileResponse(store.here(link.delivery.package / proof.SHEET, current=True).open("rb"), content_type="image/png"))
    if part != "package":
        raise NotThere()
    Link.objects.filter(pk=link.pk).update(fetched=F("fetched") + 1)
    return _not_kept(packing.download(link.delivery))


def _not_kept(reply: Any) -> Any:
    """Neither a shared cache nor another site is to learn the address. Our own pages may: without that, browsers do not say where a form
    comes from, and then it is not taken."""
    reply["Cache-Control"] = "private, no-store"
    reply["Referrer-Policy"] = "same-origin"
    reply["X-Robots-Tag"] = "noindex"
    return reply
