"""Bringing plates in, and their pictures."""

from typing import Any

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.core.files.uploadedfile import UploadedFile
from django.http import FileResponse, HttpRequest, HttpResponse, HttpResponseBase
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from jaythread.errors import NotThere, Refused
from jaythread.plates import actions, changes, showing, uploads
from jaythread.plates.models import Space, State, Upload
from jaythread.plates.policies import plate_for
from jaythread.productions.policies import require, shot_for
from roto.errors import BadUpload
from roto.picture import display, stills

FOR_GOOD = "private, max-age=31536000, immutable"


def _files(request: HttpRequest, *fields: str) -> list["UploadedFile[Any] | Upload"]:
    """Files of these fields of a form, and those that have come in pieces already."""
    files: list[UploadedFile[Any] | Upload] = [file for field in fields for file in request.FILES.getlist(field)]
    return files + uploads.whole(request.user, request.POST.getlist("upload"))


@login_required
def bring_in(request: HttpRequest, production_id: int) -> HttpResponse:
    place = require(request.user, production_id, "bring in")
    if request.method == "POST":
        try:
            files = _files(request, "files", "folder")
            holds = request.POST.get("missing") == "hold"
            shot = actions.bring_in(request.user, production_id, request.POST.get("name", ""), files, holds=holds)
            return redirect("desk", shot.pk)
        except (BadUpload, Refused) as error:
            messages.error(request, f"Not taken: {error.message}")
    return render(request, "plates/bring_in.html", {"membership": place, "name": request.POST.get("name", "")})


@login_required
@require_POST
def cancel(request: HttpRequest, plate_id: int) -> HttpResponse:
    plate = plate_for(request.user, plate_id, "bring in")
    if request.POST.get("again"):
        actions.try_again(request.user, plate_id)
    elif request.POST.get("remove"):
        actions.remove_shot(request.user, plate_id)
    else:
        actions.cancel(request.user, plate_id)
    return redirect("production", plate.shot.production_id)


@login_required
@require_POST
def cancel_showing(request: HttpRequest, plate_id: int) -> HttpResponse:
    """Leave the plate shown as it is."""
    try:
        showing.cancel(request.user, plate_id)
    except Refused as error:
        messages.error(request, error.message)
    return redirect("plate", plate_id)


@login_required
def plate(request: HttpRequest, plate_id: int) -> HttpResponse:
    it = plate_for(request.user, plate_id, "look")
    if request.method == "POST":
        try:
            showing.change_space(request.user, plate_id, request.POST.get("space", ""))
            messages.success(request, "Its quick pictures are made anew; till then it is shown as before. Mattes do not change.")
        except Refused as error:
            messages.error(request, error.message)
        return redirect("plate", plate_id)
    return render(
        request,
        "plates/plate.html",
        {
            "plate": it,
            "shot": it.shot,
            "rate": str(it.shot.rate),
            "spaces": Space.choices,
            "membership": require(request.user, it.shot.production_id, "look"),
        },
    )


@login_required
def changed(request: HttpRequest, plate_id: int) -> HttpResponse:
    """What differs from the version before."""
    if request.method == "POST":
        changes.ask(request.user, plate_id)
        return redirect("plate-changes", plate_id)
    told = changes.told(request.user, plate_id)
    shot = told["plate"].shot
    return render(request, "plates/changes.html", {**told, "shot": shot, "membership": require(request.user, shot.production_id, "look")})


@login_required
@require_GET
def difference(request: HttpRequest, plate_id: int, frame: int) -> HttpResponse:
    """A picture of what differs on a frame."""
    picture = changes.picture(request.user, plate_id, frame)
    return HttpResponse(picture, content_type="image/png", headers={"Cache-Control": FOR_GOOD})


@login_required
@require_POST
def hold_gaps(request: HttpRequest, plate_id: int) -> HttpResponse:
    """Whether frames whose stills are missing show the one before."""
    it = actions.hold_gaps(request.user, plate_id, request.POST.get("holds") == "hold")
    messages.success(request, "Missing frames show the one before them now." if it.holds else "Missing frames stay empty.")
    return redirect("plate", plate_id)


@login_required
@require_POST
def newer(request: HttpRequest, shot_id: int) -> HttpResponse:
    """A newer picture in the place of a shot's plate."""
    shot = shot_for(request.user, shot_id, "bring in")
    try:
        files = _files(request, "files")
        actions.bring_in(request.user, shot.production_id, "", files, shot_id=shot_id)
        return redirect("production", shot.production_id)
    except (BadUpload, Refused) as error:
        messages.error(request, f"Not taken: {error.message}")
        found = shot.plates.first()
        return redirect("plate", found.pk) if found else redirect("production", shot.production_id)


@login_required
@require_GET
def picture(request: HttpRequest, plate_id: int, frame: int, kind: str) -> HttpResponseBase:
    """A frame of the plate: `proxy` is the quick JPEG, `full` the whole picture as lossless 8-bit PNG for the screen."""
    it = plate_for(request.user, plate_id, "look")
    if kind == "proxy":
        path = it.proxy(frame)
        if not path.exists():
            raise NotThere(f"Frame {frame} has no picture.")
        return FileResponse(path.open("rb"), content_type="image/jpeg", headers={"Cache-Control": FOR_GOOD})
    source = it.still(frame)
    if it.state != State.READY or source is None or not source.exists():
        raise NotThere(f"Frame {frame} has no picture.")
    pixels = display.to_screen(stills.read(source), it.space)
    return HttpResponse(stills.encode_picture(pixels, ".png"), content_type="image/png", headers={"Cache-Control": FOR_GOOD})
