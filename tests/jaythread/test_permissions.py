"""Who may do what: one row a route, one column a role. A route without a row fails."""

import contextlib
import json
import re
import time
import uuid

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from django.test import Client
from django.urls import get_resolver

from jaythread.accounts import guessing, tokens
from jaythread.bell.models import Word
from jaythread.brought.models import Brought
from jaythread.delivery import actions as delivery
from jaythread.delivery import recipes
from jaythread.desk.edit import actions as desk
from jaythread.desk.models import Note
from jaythread.hooks import actions as hooks
from jaythread.jobs.models import Job
from jaythread.keeping import actions as keeping
from jaythread.plates.models import Plate
from jaythread.productions.models import Shot
from jaythread.receiving import actions as receiving
from jaythread.review import past
from jaythread.review.models import Finding

from ..conftest import FIRST, command, trace
from .every_command import PLATE_LINE

pytestmark = pytest.mark.django_db
WHO = ("", "otto", "noor", "rafe", "marta")
# method, address, body, then the answers to: nobody, a stranger, receiver, artist, lead
IN = 302  # to the sign-in page
ROWS = {
    "productions": ("GET", "/", None, (IN, 200, 200, 200, 200)),
    "health": ("GET", "/health", None, (200, 200, 200, 200, 200)),
    "metrics": ("GET", "/metrics", None, (404, 404, 404, 404, 404)),
    "sign-in": ("GET", "/sign-in", None, (200, 302, 302, 302, 302)),
    "sign-out": ("POST", "/sign-out", {}, (302, 302, 302, 302, 302)),
    "surfaces": ("POST", "/surfaces", {}, (IN, 302, 302, 302, 302)),
    "make-production": ("POST", "/productions/make", {"name": "Another"}, (IN, 302, 302, 302, 302)),
    "me": ("GET", "/me", None, (IN, 200, 200, 200, 200)),
    "change-password": ("GET", "/me/password", None, (IN, 200, 200, 200, 200)),
    "end-session": ("POST", "/me/sessions/end", {}, (IN, 302, 302, 302, 302)),
    "make-token": ("POST", "/me/tokens", {"name": "nightly"}, (IN, 302, 302, 302, 302)),
    "take-back-token": ("POST", "/me/tokens/{token}/take-back", {}, (IN, 404, 404, 302, 404)),
    "forgot-password": ("GET", "/forgotten", None, (200, 200, 200, 200, 200)),
    "set-password": ("GET", "/password/Mw/no-such-token", None, (410, 410, 410, 410, 410)),
    "people": ("GET", "/people", None, (IN, 403, 403, 403, 403)),
    "new-person": ("POST", "/people/new", {"name": "ines"}, (IN, 403, 403, 403, 403)),
    "change-person": ("POST", "/people/{account}", {"what": "close"}, (IN, 403, 403, 403, 403)),
    "welcome": ("POST", "/productions/{production}/welcome", {"name": "ines", "role": "artist"}, (IN, 404, 403, 403, 302)),
    "leave": ("POST", "/productions/{production}/members/{account}/leave", {}, (IN, 404, 403, 302, 302)),
    "archive-production": ("POST", "/productions/{production}/archive", {"away": "1"}, (IN, 404, 403, 403, 302)),
    "housekeeping": ("POST", "/productions/{production}/housekeeping", {"keep": "3"}, (IN, 404, 403, 403, 302)),
    "hooks": ("GET", "/productions/{production}/hooks", None, (IN, 404, 403, 403, 200)),
    "take-away-hook": ("POST", "/productions/{production}/hooks/{hook}/take-away", {}, (IN, 404, 403, 403, 302)),
    "move-shot": ("POST", "/shots/{shot}/move", {"to": "{production}"}, (IN, 404, 403, 403, 302)),
    "api:my_productions": ("GET", "/api/productions", None, (401, 200, 200, 200, 200)),
    "api:shots_of": ("GET", "/api/productions/{production}/shots", None, (401, 404, 200, 200, 200)),
    "api:deliveries_of": ("GET", "/api/shots/{shot}/deliveries", None, (401, 404, 200, 200, 200)),
    "api:ask_delivery": ("JSON", "/api/shots/{shot}/deliveries", {"mattes": ["kite"]}, (401, 404, 403, 200, 200)),
    "api:delivery_state": ("GET", "/api/deliveries/{delivery}", None, (401, 404, 200, 200, 200)),
    "api:fetch_package": ("GET", "/api/deliveries/{delivery}/package", None, (401, 404, 200, 200, 200)),
    "guide": ("GET", "/guide?words=soft", None, (IN, 200, 200, 200, 200)),
    "guide-page": ("GET", "/guide/soften", None, (IN, 200, 200, 200, 200)),
    "guide-search": ("GET", "/guide/search?words=soft", None, (IN, 200, 200, 200, 200)),
    "guide-picture": ("GET", "/guide/pictures/desk-soften.png", None, (IN, 200, 200, 200, 200)),
    "production": ("GET", "/productions/{production}", None, (IN, 404, 200, 200, 200)),
    "invite": ("POST", "/productions/{production}/invite", {"account": "otto", "role": "artist"}, (IN, 404, 403, 403, 302)),
    "bring-in": ("GET", "/productions/{production}/bring-in", None, (IN, 404, 403, 200, 200)),
    "uploads": ("POST", "/uploads", {}, (IN, 412, 412, 412, 412)),
    "upload": ("GET", "/uploads/{new}", None, (IN, 405, 405, 405, 405)),
    "plate": ("POST", "/plates/{plate}", {"space": "linear"}, (IN, 404, 403, 302, 302)),
    "hold-gaps": ("POST", "/plates/{plate}/hold-gaps", {"holds": ""}, (IN, 404, 403, 302, 302)),
    "plate-changes": ("POST", "/plates/{plate}/changes", {}, (IN, 404, 403, 422, 422)),
    "plate-difference": ("GET", "/plates/{plate}/changes/1001.png", None, (IN, 404, 404, 404, 404)),  # it is the first version
    "newer-plate": ("POST", "/shots/{shot}/newer-plate", {}, (IN, 404, 403, 302, 302)),
    "rename-shot": ("POST", "/shots/{shot}/rename", {"name": "KITE_011"}, (IN, 404, 403, 302, 302)),
    "remove-shot": ("POST", "/shots/{shot}/remove", {}, (IN, 404, 403, 403, 302)),
    "bring-back-shot": ("POST", "/shots/{shelved}/bring-back", {}, (IN, 404, 403, 403, 302)),
    "correct-picture": ("POST", "/shots/{shot}/picture", {"rate": "25", "pixel_aspect": "1", "first": "1001"}, (IN, 404, 403, 302, 302)),
    "cancel-plate": ("POST", "/plates/{plate}/cancel", {}, (IN, 404, 403, 422, 422)),
    "cancel-showing": ("POST", "/plates/{plate}/keep-shown", {}, (IN, 404, 403, 302, 302)),
    "proxy": ("GET", "/plates/{plate}/proxy/1001.jpg", None, (IN, 404, 200, 200, 200)),
    "full": ("GET", "/plates/{plate}/full/1001.png", None, (IN, 404, 200, 200, 200)),
    "desk": ("GET", "/shots/{shot}/desk", None, (IN, 404, 200, 200, 200)),
    "tryouts": ("GET", "/shots/{shot}/tryouts", None, (IN, 404, 200, 200, 200)),
    "tryout": ("GET", "/shots/{shot}/tryouts/{tryout}", None, (IN, 404, 200, 200, 200)),
    "board": ("GET", "/productions/{production}/board", None, (IN, 404, 200, 200, 200)),
    "assign": ("POST", "/productions/{production}/assign", {"matte": "{matte}", "who": "rafe"}, (IN, 404, 403, 403, 302)),
    "matte-way": ("GET", "/shots/{shot}/mattes/{matte}/way", None, (IN, 404, 200, 200, 200)),
    "matte-step": ("POST", "/shots/{shot}/mattes/{matte}/step", {"step": "accept"}, (IN, 404, 302, 403, 302)),
    "past": ("GET", "/shots/{shot}/past", None, (IN, 404, 200, 200, 200)),
    "api:journal_line": ("GET", "/api/shots/{shot}/past", None, (401, 404, 200, 200, 200)),
    "api:stood": ("GET", "/api/shots/{shot}/past/1", None, (401, 404, 200, 200, 200)),
    "api:differing": ("GET", "/api/shots/{shot}/past/1/mattes/{matte}/frames", None, (401, 404, 200, 200, 200)),
    "api:stood_picture": ("GET", "/api/shots/{shot}/past/1/mattes/{matte}/frames/1001/then", None, (401, 404, 200, 200, 200)),
    "api:mark": ("JSON", "/api/shots/{shot}/marks", {"name": "first pass"}, (401, 404, 403, 200, 200)),
    "api:unmark": ("DELETE", "/api/shots/{shot}/marks/{mark}", None, (401, 404, 403, 200, 200)),
    "check-sheet": ("GET", "/shots/{shot}/mattes/{matte}/check", None, (IN, 404, 200, 200, 200)),
    "checked": ("GET", "/shots/{shot}/mattes/{matte}/check/1001/plate", None, (IN, 404, 200, 200, 200)),
    "deliveries": ("POST", "/shots/{shot}/deliveries", {"matte": "{matte}"}, (IN, 404, 403, 302, 302)),
    "delivery": ("GET", "/deliveries/{delivery}", None, (IN, 404, 200, 200, 200)),
    "delivery-state": ("GET", "/deliveries/{delivery}/state", None, (IN, 404, 200, 200, 200)),
    "cancel-delivery": ("POST", "/deliveries/{delivery}/cancel", {}, (IN, 404, 403, 302, 302)),
    "shown": ("POST", "/shots/{shot}/deliveries/shown", {"matte": "{matte}"}, (IN, 404, 403, 200, 200)),
    "recipes": ("GET", "/productions/{production}/recipes", None, (IN, 404, 200, 200, 200)),
    "put-away": ("POST", "/recipes/{recipe}/put-away", {}, (IN, 404, 403, 302, 302)),
    "pause-delivery": ("POST", "/deliveries/{delivery}/pause", {}, (IN, 404, 403, 302, 302)),
    "go-on": ("POST", "/deliveries/{delivery}/go-on", {}, (IN, 404, 403, 302, 302)),
    "accept-odd": ("POST", "/deliveries/{delivery}/accept", {}, (IN, 404, 403, 302, 302)),
    "delivered-picture": ("GET", "/deliveries/{delivery}/picture/0.png", None, (IN, 404, 200, 200, 200)),
    "compare": ("GET", "/shots/{shot}/mattes/{matte}/compare", None, (IN, 404, 200, 200, 200)),
    "bring-in-matte": ("POST", "/shots/{shot}/mattes/{matte}/brought", {}, (IN, 404, 403, 302, 302)),
    "remove-brought": ("POST", "/shots/{shot}/mattes/{matte}/brought/{brought}/remove", {}, (IN, 404, 403, 302, 302)),
    "api:offered": ("GET", "/api/shots/{shot}/mattes/{matte}/sides", None, (401, 404, 200, 200, 200)),
    "api:amounts": ("GET", "/api/shots/{shot}/mattes/{matte}/differences?one=now&other=after 1", None, (401, 404, 200, 200, 200)),
    "api:curves": ("GET", "/api/shots/{shot}/mattes/{matte}/curves?side=now", None, (401, 404, 200, 200, 200)),
    "api:both_outlines": (
        "GET",
        "/api/shots/{shot}/mattes/{matte}/outlines?one=now&other=after 2&frame=1001",
        None,
        (401, 404, 200, 200, 200),
    ),
    "api:side_picture": ("GET", "/api/shots/{shot}/mattes/{matte}/side?side=now&frame=1001", None, (401, 404, 200, 200, 200)),
    "api:difference_picture": (
        "GET",
        "/api/shots/{shot}/mattes/{matte}/difference?one=now&other=after 1&frame=1001",
        None,
        (401, 404, 200, 200, 200),
    ),
    "hand-over": ("POST", "/deliveries/{delivery}/hand-over", {"what": "link", "says": "noor", "days": "3"}, (IN, 404, 403, 200, 200)),
    "sending-state": ("GET", "/sendings/{sending}/state", None, (IN, 404, 200, 200, 200)),
    "cancel-sending": ("POST", "/sendings/{sending}/cancel", {}, (IN, 404, 403, 302, 302)),
    "revoke-link": ("POST", "/links/{link}/revoke", {}, (IN, 404, 403, 302, 302)),
    "linked": ("GET", "/package/{secret}", None, (200, 200, 200, 200, 200)),
    "linked-part": ("GET", "/package/{secret}/package", None, (200, 200, 200, 200, 200)),
    "fetch": ("GET", "/deliveries/{delivery}/fetch", None, (IN, 404, 200, 200, 200)),
    "api:keep_key_kind": ("JSON", "/api/me/key-kind", {"kind": "hold"}, (401, 200, 200, 200, 200)),
    "api:keep_keys": ("JSON", "/api/me/keys", {"keys": {"frame-back": ["4"]}}, (401, 200, 200, 200, 200)),
    "api:open_desk": ("GET", "/api/shots/{shot}/desk", None, (401, 404, 200, 200, 200)),
    "api:edit": ("JSON", "/api/shots/{shot}/edits", {"id": "{new}", "command": {"do": "shutter", "angle": 90}}, (401, 404, 403, 200, 200)),
    "api:outlines": ("GET", "/api/shots/{shot}/outlines", None, (401, 404, 200, 200, 200)),
    "api:preview": ("JSON", "/api/shots/{shot}/preview", {"command": {"do": "steady", "shape": "{new}"}}, (401, 404, 403, 404, 404)),
    "api:what_is_new": ("GET", "/api/shots/{shot}/news?revision=0", None, (401, 404, 200, 200, 200)),
    "api:clip": ("GET", "/api/shots/{shot}/clips/99", None, (401, 404, 404, 404, 404)),
    "api:ask": ("JSON", "/api/shots/{shot}/jobs", {"kind": "fit.measure", "subject": "{matte}"}, (401, 404, 403, 200, 200)),
    "api:jobs_of": ("GET", "/api/shots/{shot}/jobs", None, (401, 404, 200, 200, 200)),
    "api:cancel": ("JSON", "/api/shots/{shot}/jobs/{job}/cancel", {}, (401, 404, 403, 200, 200)),
    "api:jobs_of_production": ("GET", "/api/productions/{production}/jobs", None, (401, 404, 200, 200, 200)),
    "api:solved_frames": ("GET", "/api/shots/{shot}/fringes/{new}", None, (401, 404, 404, 404, 404)),
    "api:taught": ("GET", "/api/shots/{shot}/taught/{new}", None, (401, 404, 404, 404, 404)),
    "api:finish_frame": ("JSON", "/api/shots/{shot}/taught/{new}/finish", {"frame": FIRST, "finished": True}, (401, 404, 403, 404, 404)),
    "api:pair": ("GET", "/api/shots/{shot}/taught/{new}/pair/1001", None, (401, 404, 404, 404, 404)),
    "api:what_was_done": ("GET", "/api/shots/{shot}/edits", None, (401, 404, 200, 200, 200)),
    "api:undo": ("JSON", "/api/shots/{shot}/undo", {"id": "{new}"}, (401, 404, 403, 200, 422)),
    "api:redo": ("JSON", "/api/shots/{shot}/redo", {"id": "{new}"}, (401, 404, 403, 422, 422)),
    "api:picture": ("JSON", "/api/shots/{shot}/mattes/{matte}/picture", {"frame": FIRST}, (401, 404, 200, 200, 200)),
    "api:so_far": ("GET", "/api/shots/{shot}/mattes/{matte}/so-far/1001", None, (401, 404, 200, 200, 200)),
    "api:colours": ("GET", "/api/shots/{shot}/mattes/{matte}/colours/1001", None, (401, 404, 200, 200, 200)),
    "api:holds": ("GET", "/api/shots/{shot}/tracks/{track}/holds/1001", None, (401, 404, 200, 200, 200)),
    "api:track_table": ("GET", "/api/shots/{shot}/tracks/{track}/table", None, (401, 404, 200, 200, 200)),
    "api:take_in_track": ("FILE", "/api/shots/{shot}/tracks", b"x,y", (401, 404, 403, 422, 422)),
    "api:fit_state": ("GET", "/api/shots/{shot}/mattes/{matte}/fit", None, (401, 404, 200, 200, 200)),
    "api:fit_on_frame": ("GET", "/api/shots/{shot}/mattes/{matte}/fit/1001", None, (401, 404, 200, 200, 200)),
    "api:looked": ("JSON", "/api/shots/{shot}/mattes/{matte}/looked", {"frame": 1001}, (401, 404, 403, 200, 200)),
    "api:check": ("GET", "/api/shots/{shot}/mattes/{matte}/check", None, (401, 404, 200, 200, 200)),
    "api:answer_finding": (
        "JSON",
        "/api/shots/{shot}/findings/{finding}/answer",
        {"meant": True, "reason": "a gust"},
        (401, 404, 403, 200, 200),
    ),
    "api:pull": ("JSON", "/api/shots/{shot}/shapes/{shape}/pull", {"frame": 1001, "radius": 100}, (401, 404, 422, 422, 422)),
    "api:export": ("GET", "/api/shots/{shot}/mattes/{matte}/document", None, (401, 404, 200, 200, 200)),
    "api:find_by_hints": ("JSON", "/api/shots/{shot}/hints", {"frame": 1001, "hints": [{"path": [[22, 30]]}]}, (401, 404, 403, 200, 200)),
    "api:softness": ("GET", "/api/shots/{shot}/shapes/{shape}/softness/1001", None, (401, 404, 200, 200, 200)),
    "api:shutter": ("GET", "/api/shots/{shot}/shapes/{shape}/shutter", None, (401, 404, 422, 422, 422)),
    "api:copy": ("JSON", "/api/shots/{shot}/shapes/{shape}/copies", {"shot": "{shot}"}, (401, 404, 403, 422, 422)),
    "api:copy_matte": ("JSON", "/api/shots/{shot}/mattes/{matte}/copies", {"shot": "{shot}"}, (401, 404, 403, 422, 422)),
    "api:begin_tryout": ("JSON", "/api/shots/{shot}/tryouts", {"id": "{new}", "beginning": "behind"}, (401, 404, 403, 200, 200)),
    "api:copy_tryout": ("JSON", "/api/shots/{shot}/tryouts/{tryout}/copies", {}, (401, 404, 403, 200, 200)),
    "api:tryout_picture": ("JSON", "/api/shots/{shot}/tryouts/{tryout}/picture", {"frame": 1001, "width": 48}, (401, 404, 200, 200, 200)),
    "api:tryout_frame": ("GET", "/api/shots/{shot}/tryouts/{tryout}/frames/1001?width=48", None, (401, 404, 200, 200, 200)),
    "api:export_tryout": ("GET", "/api/shots/{shot}/tryouts/{tryout}/document", None, (401, 404, 200, 200, 200)),
    "api:take_in_graphic": ("FILE", "/api/shots/{shot}/graphics", b"no picture", (401, 404, 403, 422, 422)),
    "api:tryout_values": ("GET", "/api/shots/{shot}/tryouts/{tryout}/values", None, (401, 404, 200, 200, 200)),
    "api:tryout_advice": ("GET", "/api/shots/{shot}/tryouts/{tryout}/advice", None, (401, 404, 200, 200, 200)),
    "api:evened": ("GET", "/api/shots/{shot}/tryouts/{tryout}/evened/a", None, (401, 404, 422, 422, 422)),
    "api:beginning": ("GET", "/api/shots/{shot}/beginnings/behind/frames/1001", None, (401, 404, 200, 200, 200)),
    "api:export_svg": ("GET", "/api/shots/{shot}/mattes/{matte}/svg", None, (401, 404, 200, 200, 200)),
    "api:add_note": ("JSON", "/api/shots/{shot}/notes", {"text": "softer", "frame": 1001}, (401, 404, 200, 200, 200)),
    "api:answer_note": ("JSON", "/api/shots/{shot}/notes/{note}/answers", {"text": "mended"}, (401, 404, 403, 200, 200)),
    "answer-note": ("POST", "/deliveries/{delivery}/notes/{note}/answer", {"says": "mended"}, (IN, 404, 403, 302, 302)),
    "api:settle_note": ("JSON", "/api/shots/{shot}/notes/{note}/state", {"state": "done"}, (401, 404, 403, 200, 200)),
    "api:paste_into_note": ("FILE", "/api/shots/{shot}/notes/{note}/pasted", b"no picture", (401, 404, 422, 422, 422)),
    "api:pasted_picture": ("GET", "/api/shots/{shot}/notes/{note}/pasted", None, (401, 404, 404, 404, 404)),
    "api:looking": ("GET", "/api/shots/{shot}/mattes/{matte}/looking", None, (401, 404, 200, 200, 200)),
    "api:looked_picture": ("GET", "/api/shots/{shot}/mattes/{matte}/looking/1001", None, (401, 404, 200, 200, 200)),
    "api:step": ("JSON", "/api/shots/{shot}/mattes/{matte}/steps", {"step": "accept"}, (401, 404, 200, 403, 200)),
    "looking": ("GET", "/shots/{shot}/mattes/{matte}/look", None, (IN, 404, 200, 200, 200)),
    "look-next": ("GET", "/productions/{production}/look", None, (IN, 404, 302, 302, 302)),
    "notes": ("GET", "/productions/{production}/notes", None, (IN, 404, 200, 200, 200)),
    "notes-table": ("GET", "/productions/{production}/notes.csv", None, (IN, 404, 200, 200, 200)),
    "shot-markers": ("GET", "/shots/{shot}/notes.otio", None, (IN, 404, 200, 200, 200)),
    "note-picture": ("GET", "/shots/{shot}/notes/{note}/picture.jpg", None, (IN, 404, 200, 200, 200)),
    "settle-note": ("POST", "/shots/{shot}/notes/{note}/settle", {"state": "done"}, (IN, 404, 403, 302, 302)),
    "bell": ("GET", "/bell", None, (IN, 200, 200, 200, 200)),
    "bell-follow": ("POST", "/bell/{word}/follow", {}, (IN, 404, 404, 302, 404)),
    "bell-read": ("POST", "/bell/read", {}, (IN, 302, 302, 302, 302)),
    "bell-address": ("POST", "/bell/address", {"email": "rafe@saltmarsh.example"}, (IN, 302, 302, 302, 302)),
    "linked-note": ("POST", "/package/{secret}/note", {"says": " ", "number": "1001"}, (422, 422, 422, 422, 422)),
    "api:take_in": ("FILE", "/api/shots/{shot}/document", b"{}", (401, 404, 403, 422, 422)),
}


@pytest.fixture
def places(shot, people):
    shape = trace(shot, people["rafe"])
    matte, track = shot.mattes.get(), str(uuid.uuid4())
    laid = command(do="new track", track=track, name="spot", frame=FIRST, points=[(20, 30)])
    desk.edit(people["rafe"], shot.pk, uuid.uuid4(), None, laid)
    tryout = str(uuid.uuid4())
    desk.edit(people["rafe"], shot.pk, uuid.uuid4(), None, command(do="new tryout", tryout=tryout, name="t", lines=[PLATE_LINE]))
    it = delivery.ask(people["rafe"], shot.pk, matte.pk)
    delivery.deliver(it.pk)
    link, secret = receiving.make_link(people["rafe"], it.pk, "somebody", 3)
    sending = receiving.send(people["rafe"], it.pk)
    recipe = recipes.save(people["rafe"], shot.production_id, "Grading", "", {})
    mark = past.mark(people["rafe"], shot.pk, "as traced")
    finding = Finding.objects.create(matte=matte, what="gone", first=1001, last=1001, amount=1, harm=10, says="It is gone.", key="k")
    note = Note.objects.create(shot=shot, frame=1001, says="soften it", by="noor")
    brought = Brought.objects.create(shot=shot, user=people["rafe"], name="theirs", source="a.png", first=1001, last=1002, begun=1001)
    extra = Shot.objects.create(production=shot.production, name="KITE_012")
    shelved = keeping.remove(people["marta"], extra.pk)
    hook, _ = hooks.add(people["marta"], shot.production_id, "https://pipeline.saltmarsh.example/jay", ["matte.approved"])
    tokens.make(people["rafe"], "nightly", False)
    return {
        "account": people["rafe"].pk, "hook": hook.pk, "token": people["rafe"].tokens.get().pk,
        "brought": brought.pk, "word": Word.objects.create(user=people["rafe"], production=shot.production, says="s", address="/").pk,
        "link": link.pk, "secret": secret, "sending": sending.pk, "recipe": recipe.pk, "note": note.pk, "finding": finding.pk,
        "mark": mark.pk, "shelved": shelved.pk,
        "production": shot.production_id, "shot": shot.pk, "plate": Plate.objects.get().pk, "matte": matte.pk, "delivery": it.pk,
        "new": uuid.uuid4(), "shape": shape, "track": track, "job": Job.objects.get().pk, "tryout": tryout,
    }  # fmt: skip


class Back(Exception):
    """Takes back what a request has changed."""


def answers(client, people, places, name) -> tuple[int, ...]:
    """What a route answers to each of them; what it changes is taken back."""
    method, address, body, _ = ROWS[name]

    def filled(value):
        if isinstance(value, dict):
            return {k: filled(v) for k, v in value.items()}
        return value.format(**places) if isinstance(value, str) else value

    def asked(where):
        if method == "JSON":
            return client.post(where, json.dumps(filled(body)), content_type="application/json")
        if method == "FILE":
            return client.post(where, {"file": SimpleUploadedFile("doc.json", body)})
        return client.generic(method, where) if method in ("GET", "DELETE") else client.post(where, filled(body))

    found = []
    for who in WHO:
        client.cookies.clear()
        with contextlib.suppress(Back), transaction.atomic():
            if who:
                client.force_login(people[who], backend="jaythread.accounts.session_store.People")
            reply = asked(filled(address))
            found.append(reply.status_code)
            if reply.status_code == IN and not who and name != "sign-out":
                assert reply["Location"].startswith("/sign-in"), name
            raise Back
    return tuple(found)


def test_routes_and_roles(client, people, places):
    found = {name: answers(client, people, places, name) for name in ROWS}
    assert found == {name: row[3] for name, row in ROWS.items()}


def test_every_route_has_a_row():
    routes = set()
    for pattern in get_resolver().url_patterns:
        if hasattr(pattern, "url_patterns"):
            routes |= {f"api:{p.name}" for p in pattern.url_patterns}
        else:
            routes.add(pattern.name)
    assert routes - {"api:openapi-json", "api:api-root"} == set(ROWS)


def test_what_is_not_there_and_what_is_not_yours_look_the_same(client, people, places):
    client.force_login(people["otto"], backend="jaythread.accounts.session_store.People")
    mine, none = client.get(f"/productions/{places['production']}"), client.get("/productions/999999")
    token = re.compile(rb'value="\w{64}"')
    assert (mine.status_code, token.sub(b"", mine.content)) == (none.status_code, token.sub(b"", none.content))


def test_guessing_a_password_is_stopped(client, people, settings):
    for _ in range(settings.AXES_FAILURE_LIMIT):
        client.post("/sign-in", {"username": "rafe", "password": "wrong"})
    reply = client.post("/sign-in", {"username": "rafe", "password": "saltmarsh"})
    assert reply.status_code in (403, 429)


def test_guessing_at_many_accounts_or_links_is_slowed_and_keeps_nobody_else_out(client, people, places, monkeypatch):
    elsewhere = Client(REMOTE_ADDR="10.0.0.7")

    def guess(who=client, account="nobody"):
        return who.post("/sign-in", {"username": account, "password": "saltmarsh" if account in people else "guess"}).status_code

    assert [guess(account=f"account {k}") for k in range(guessing.FROM_ONE)] == [200] * guessing.FROM_ONE
    assert guess() == guess(account="rafe") == client.get(f"/package/{places['secret']}").status_code == 429
    assert guess(elsewhere, "rafe") == 302  # whose account it was guessed at, too
    assert elsewhere.get("/package/no-such-secret").status_code == 404
    monkeypatch.setattr(guessing, "FROM_ALL", 3)
    stranger = Client(REMOTE_ADDR="10.0.0.8")
    assert stranger.get(f"/package/{places['secret']}").status_code == 429
    assert elsewhere.get(f"/package/{places['secret']}").status_code == 200  # somebody has signed in there
    later = time.time() + guessing.WINDOW
    monkeypatch.setattr(time, "time", lambda: later)
    assert guess() == 200


def test_the_only_lead_stays_lead_and_names_are_used_once(client, people, production):
    client.force_login(people["marta"], backend="jaythread.accounts.session_store.People")
    page = client.post(f"/productions/{production.pk}/invite", {"account": "marta", "role": "artist"}, follow=True)
    assert "no lead here" in page.content.decode()
    page = client.post(f"/productions/{production.pk}/invite", {"account": "nobody", "role": "artist"}, follow=True)
    assert "no account" in page.content.decode()
    assert "already" in client.post("/productions/make", {"name": "saltmarsh"}, follow=True).content.decode()
