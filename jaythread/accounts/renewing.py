"""Whoever works stays signed in."""

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse
from django.utils import timezone

from jaythread.accounts import sessions


class StaySignedIn:
    """Middleware: a session is renewed once a day, so that it ends only where nobody has worked for SESSION_COOKIE_AGE."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        today = timezone.now().date().isoformat()
        if request.user.is_authenticated and request.session.get("renewed") != today:
            request.session["renewed"] = today  # changed, it is saved, and its time begins anew
            sessions.seen(request)
        return self.get_response(request)
