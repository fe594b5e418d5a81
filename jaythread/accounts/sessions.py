"""Where somebody is signed in: told to themselves, and ended by them."""

import re
from typing import Any

from axes.helpers import get_client_ip_address
from django.contrib.auth.signals import user_logged_in
from django.contrib.sessions.models import Session
from django.dispatch import receiver
from django.http import HttpRequest
from django.utils import timezone

from jaythread.accounts.models import SignedIn
from jaythread.errors import NotThere

BROWSERS = (("Edg", "Edge"), ("OPR", "Opera"), ("Firefox", "Firefox"), ("Chrom", "Chromium or Chrome"), ("Safari", "Safari"))
"""what a browser's own name holds, in order: some call themselves several"""
SYSTEMS = (("Windows", "Windows"), ("Android", "Android"), ("iPhone|iPad", "iOS"), ("Mac OS", "macOS"), ("Linux", "Linux"))


def in_words(agent: str) -> str:
    """A browser by what it calls itself.

    >>> in_words("Mozilla/5.0 (X11; Linux x86_64; rv:128.0) Gecko/20100101 Firefox/128.0")
    'Firefox on Linux'
    """
    browser = next((name for sign, name in BROWSERS if re.search(sign, agent)), "a browser")
    system = next((name for sign, name in SYSTEMS if re.search(sign, agent)), "")
    return f"{browser} on {system}" if system else browser


@receiver(user_logged_in)
def _signed_in(request: HttpRequest | None = None, user: Any = None, **_: Any) -> None:
    key = request.session.session_key if request is not None else None
    if request is None or not request.META.get("REMOTE_ADDR") or not Session.objects.filter(pk=key or "").exists():
        return
    facts = {"user": user, "browser": request.headers.get("User-Agent", "")[:200], "address": get_client_ip_address(request)}
    SignedIn.objects.update_or_create(session_id=key, defaults=facts)


def seen(request: HttpRequest) -> None:
    """This session is in use today."""
    SignedIn.objects.filter(session_id=request.session.session_key or "").update(seen=timezone.now())


def of(user: Any) -> list[SignedIn]:
    """Where somebody is signed in, but for sessions whose time is over."""
    return list(SignedIn.objects.filter(user=user, session__expire_date__gt=timezone.now()))


def end(user: Any, which: int) -> None:
    """End one of somebody's own sessions. NotThere where it is not theirs."""
    if not Session.objects.filter(signedin=which, signedin__user=user).delete()[0]:
        raise NotThere("That session is over already.")


def end_others(user: Any, but: str = "") -> int:
    """End all of somebody's sessions, but for one; returns how many."""
    rows = Session.objects.filter(signedin__user=user).exclude(pk=but)
    count = rows.count()
    rows.delete()
    return count
