"""Guessing is slowed by where it comes from: wrong passwords, of whichever accounts, and links that lead nowhere.

Nobody is kept out of an account by what somebody elsewhere guesses at it: counted is the address, not the account.
"""

import hashlib
import time
from collections.abc import Callable
from functools import wraps
from typing import Any

from axes.helpers import get_client_ip_address
from django.contrib.auth.signals import user_logged_in, user_login_failed
from django.core.cache import cache
from django.dispatch import receiver
from django.http import HttpRequest, HttpResponseBase

from jaythread.errors import NotThere, TooMany

WINDOW = 600
"""seconds over which wrong guesses are counted, and the longest that somebody waits"""
FROM_ONE = 20
"""wrong guesses from an address"""
KNOWN = 5
"""times as many from an address at which somebody has signed in of late: a whole studio may stand behind it"""
FROM_ALL = 500
"""wrong guesses from everywhere: from then on only known addresses may try"""
OF_LATE = 30 * 24 * 3600
"""seconds"""


def _keys(request: HttpRequest) -> tuple[str, str, str]:
    """Names of what is counted: from this address, from all, and whether the address is known."""
    address, window = get_client_ip_address(request), int(time.time() // WINDOW)
    return f"guesses {address} {window}".replace(" ", "_"), f"guesses_{window}", f"known_{address}"


def wrong(request: HttpRequest) -> None:
    """A guess was wrong."""
    for key in _keys(request)[:2]:
        cache.add(key, 0, 2 * WINDOW)
        cache.incr(key)


def first_of_late(what: str, whose: str) -> bool:
    """Whether this was not done for them within WINDOW."""
    return bool(cache.add(f"{what}_{hashlib.sha256(whose.encode()).hexdigest()}", 1, WINDOW))


def look(request: HttpRequest) -> None:
    """TooMany once too many guesses were wrong."""
    here, all_, known = _keys(request)
    of_late = cache.get(known) is not None
    if cache.get(here, 0) >= FROM_ONE * (KNOWN if of_late else 1) or (cache.get(all_, 0) >= FROM_ALL and not of_late):
        raise TooMany(f"Too much was guessed wrongly from here. Wait {WINDOW // 60} minutes, then try again.")


def slowed(view: Callable[..., HttpResponseBase]) -> Callable[..., HttpResponseBase]:
    """A page at which one may guess. TooMany once too many guesses were wrong; NotThere, and 410 for what is gone, count as wrong."""

    @wraps(view)
    def answered(request: HttpRequest, *args: Any, **named: Any) -> HttpResponseBase:
        look(request)
        try:
            reply = view(request, *args, **named)
        except NotThere:
            wrong(request)
            raise
        if reply.status_code == 410:
            wrong(request)
        return reply

    return answered


@receiver(user_login_failed)
def _wrong_password(request: HttpRequest | None = None, **_: Any) -> None:
    if request is not None:
        wrong(request)


@receiver(user_logged_in)
def _signed_in(request: HttpRequest | None = None, **_: Any) -> None:
    if request is not None and request.META.get("REMOTE_ADDR"):
        cache.set(_keys(request)[2], 1, OF_LATE)
