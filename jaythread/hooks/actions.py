"""What can be done with webhooks: name an address, take it away, tell it what happens.

A call is a POST of JSON, signed as the open Standard Webhooks specification 1.0 says: the headers webhook-id, webhook-timestamp and
webhook-signature, an HMAC-SHA256 of 'id.timestamp.body'. It is tried again, ever later, until it is answered by 2xx.
"""

import base64
import hashlib
import hmac
import json
import secrets
import uuid
from typing import Any

import requests
from django.core.exceptions import ValidationError
from django.core.validators import URLValidator
from django.db import transaction
from django.utils import timezone
from procrastinate.contrib.django import app

from jaythread.errors import NotThere, Refused
from jaythread.hooks.models import Call, Hook
from jaythread.productions.models import Production
from jaythread.productions.policies import User, account, require

EVENTS = {
    "package.proved": "a package is made and proved",
    "matte.handed_in": "a matte is handed in",
    "matte.approved": "a matte is approved",
    "matte.returned": "a matte is returned",
    "matte.accepted": "a matte is accepted by its receiver",
}
MOST = 10
"""addresses of a production"""
LATER = (30, 120, 600, 3600, 4 * 3600, 12 * 3600, 24 * 3600)
"""seconds after which a call is tried again; after the last it is given up"""
PATIENCE = (5, 15)
"""seconds to connect, and to be answered"""
SECRET = "whsec_"


@transaction.atomic
def add(user: User, production_id: int, address: str, events: list[str]) -> tuple[Hook, str]:
    """An address that is told some events from now on; and the secret that its calls are signed with."""
    place = require(user, production_id, "manage")
    address = address.strip()
    try:
        URLValidator(schemes=["http", "https"])(address)
    except ValidationError as error:
        raise Refused("That is no address of a program. Write it like https://pipeline.house.example/jay.") from error
    known = [name for name in EVENTS if name in events]
    if len(address) > 300 or not known:
        raise Refused("Choose at least one thing to be told, and an address of at most 300 characters.")
    if place.production.hooks.count() >= MOST:
        raise Refused(f"There are {MOST} addresses already. Take one away first.")
    secret = SECRET + base64.b64encode(secrets.token_bytes(32)).decode()
    hook = Hook.objects.create(production=place.production, address=address, secret=secret, events=known, user_id=account(user))
    return hook, secret


@transaction.atomic
def take_away(user: User, production_id: int, hook_id: int) -> Hook:
    """An address is told nothing any more."""
    place = require(user, production_id, "manage")
    hook = place.production.hooks.filter(pk=hook_id).first()
    if hook is None:
        raise NotThere("That address is not there any more.")
    hook.delete()
    return hook


def say(production: Production, event: str, facts: dict[str, Any]) -> int:
    """Something has happened: tell whoever wants to know, once this transaction is committed. Returns how many addresses are told."""
    hooks = [hook for hook in Hook.objects.filter(production=production) if event in hook.events]
    for hook in hooks:
        data = {"production": production.pk, **facts}
        call = Call.objects.create(hook=hook, event=event, body={"type": event, "timestamp": timezone.now().isoformat(), "data": data})
        _queue(call.pk, None)
    return len(hooks)


def _queue(call_id: uuid.UUID, later: int | None) -> None:
    app.configure_task("hooks.call", queue="quick", schedule_in={"seconds": later} if later else None).defer(call_id=str(call_id))


def signature(secret: str, call_id: str, moment: int, body: bytes) -> str:
    """What proves to the other side that a call is ours, and of when."""
    key = base64.b64decode(secret.removeprefix(SECRET))
    return "v1," + base64.b64encode(hmac.new(key, f"{call_id}.{moment}.".encode() + body, hashlib.sha256).digest()).decode()


def call(call_id: uuid.UUID) -> None:
    """Try a call; where it is not taken, it is put off, and given up in the end."""
    it = Call.objects.select_related("hook").filter(pk=call_id, ended=None).first()
    if it is None:
        return
    body, moment = json.dumps(it.body, separators=(",", ":")).encode(), int(timezone.now().timestamp())
    head = {
        "Content-Type": "application/json", "User-Agent": "jay-thread", "webhook-id": str(it.pk), "webhook-timestamp": str(moment),
        "webhook-signature": signature(it.hook.secret, str(it.pk), moment, body),
    }  # fmt: skip
    it.answer, it.message = None, ""
    try:
        with requests.post(it.hook.address, data=body, headers=head, timeout=PATIENCE, allow_redirects=False, stream=True) as reply:
            it.answer, it.done = reply.status_code, 200 <= reply.status_code < 300
    except requests.RequestException as error:
        it.message = f"No answer: {type(error).__name__}."
    it.tries += 1
    over = it.done or it.tries > len(LATER)
    it.ended = timezone.now() if over else None
    with transaction.atomic():
        it.save(update_fields=["answer", "message", "done", "tries", "ended"])
        if not over:
            _queue(it.pk, LATER[it.tries - 1])


def of(user: User, production_id: int) -> list[dict[str, Any]]:
    """The addresses of a production, each with its last calls, for a lead."""
    place = require(user, production_id, "manage")
    told = [
        {"hook": hook, "says": [EVENTS[e] for e in hook.events], "calls": list(hook.calls.all()[:5])}
        for hook in place.production.hooks.all()
    ]
    return told
