"""Uploads in pieces over HTTP: the open protocol tus 1.0.0, with its extensions creation and termination."""

import base64
import binascii
import uuid

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.urls import reverse
from django.views.decorators.http import require_http_methods

from jaythread.errors import Refused
from jaythread.front_door import is_text
from jaythread.plates import uploads

VERSION = "1.0.0"


def _answer(status: int, **heads: object) -> HttpResponse:
    reply = HttpResponse(status=status, headers={"Tus-Resumable": VERSION, "Cache-Control": "no-store"})
    for name, value in heads.items():
        reply[name.replace("_", "-")] = str(value)
    return reply


def _number(request: HttpRequest, name: str) -> int:
    said = request.headers.get(name, "")
    if not said.isascii() or not said.isdigit() or len(said) > 15:
        raise Refused(f"The header {name} is a whole number.")
    return int(said)


def _name(request: HttpRequest) -> str:
    """The file's name, from the metadata: pairs of a key and base64, with commas between them."""
    for pair in request.headers.get("Upload-Metadata", "").split(","):
        key, _, value = pair.strip().partition(" ")
        if key == "filename":
            try:
                said = base64.b64decode(value, validate=True).decode()
            except (binascii.Error, UnicodeDecodeError) as error:
                raise Refused("The file's name cannot be read.") from error
            if is_text(said):
                return said
    raise Refused("Say the file's name, in Upload-Metadata.")


@login_required
@require_http_methods(["POST", "OPTIONS"])
def begin(request: HttpRequest) -> HttpResponse:
    """A file is announced; its address is in Location."""
    if request.method == "OPTIONS":
        return _answer(204, Tus_Version=VERSION, Tus_Extension="creation,termination", Tus_Max_Size=uploads.MOST)
    if request.headers.get("Tus-Resumable") != VERSION:
        return _answer(412, Tus_Version=VERSION)
    it = uploads.begin(request.user, _name(request), _number(request, "Upload-Length"))
    return _answer(201, Location=reverse("upload", args=[it.pk]))


@login_required
@require_http_methods(["HEAD", "PATCH", "DELETE"])
def upload(request: HttpRequest, upload_id: uuid.UUID) -> HttpResponse:
    """How far a file is; its next piece; or it is not wanted any more."""
    if request.headers.get("Tus-Resumable") != VERSION:
        return _answer(412, Tus_Version=VERSION)
    if request.method == "HEAD":
        it = uploads.of(request.user, upload_id)
        return _answer(200, Upload_Offset=it.offset, Upload_Length=it.length)
    if request.method == "DELETE":
        uploads.drop([uploads.of(request.user, upload_id)])
        return _answer(204)
    if request.content_type != "application/offset+octet-stream":
        return _answer(415)
    it = uploads.go_on(request.user, upload_id, _number(request, "Upload-Offset"), request.read)
    return _answer(204, Upload_Offset=it.offset)
