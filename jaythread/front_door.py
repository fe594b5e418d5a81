"""What is sent is looked at once, before any page or route: words are text that can be kept, and a body is JSON that can be read."""

import re
from collections.abc import Callable
from ipaddress import ip_address
from typing import Any

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from ninja.parser import Parser
from ninja.renderers import BaseRenderer
from pydantic_core import to_json

from jaythread.errors import OtherPerson, Refused, said

MARKS = (b"\\", b"\x7f")
"""without one of these bytes JSON cannot say a sign that is no text"""
NO_TEXT = "What was sent holds a sign that is no text. Take it out, or type the words again."
_NO_TEXT = re.compile("[\0-\x08\x0b\x0c\x0e-\x1f\x7f\ud800-\udfff]")


def is_text(words: str) -> bool:
    """Whether words can be kept: no signs that steer a terminal, and no half of a pair of code units, which no file can hold.

    >>> is_text("two\\nlines"), is_text("bell\\a"), is_text("\\ud800")
    (True, False, False)
    """
    return _NO_TEXT.search(words) is None


def one_name(said: str, most: int, otherwise: str) -> str:
    """The words of a name on one line, of at most so many signs. Refused with the sentence `otherwise` where that is none."""
    name = " ".join(said.split())
    if not name or len(name) > most or not name.isprintable():
        raise Refused(otherwise)
    return name


def shot_name(said: str) -> str:
    """A name that a shot may have: files and folders are named after it."""
    otherwise = 'Give the shot a name of at most 60 characters without / \\ : * ? " < > |, for example KITE_010.'
    name = one_name(said, 60, otherwise)
    if any(c in name for c in '/\\:*?"<>|') or name.startswith("."):
        raise Refused(otherwise)
    return name


class BehindProxies:
    """Middleware: behind so many proxies of our own (PROXIES), who asks and whether by TLS is what the outermost of them says."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        count = settings.PROXIES
        named = [one.strip() for one in request.headers.get("X-Forwarded-For", "").split(",") if one.strip()]
        if count and len(named) >= count and (address := _address(named[-count])):
            request.META["REMOTE_ADDR"] = address
            if request.headers.get("X-Forwarded-Proto") == "https":
                request.META["wsgi.url_scheme"] = "https"
        return self.get_response(request)


def _address(said: str) -> str | None:
    try:
        return str(ip_address(said))
    except ValueError:
        return None


class OnlyText:
    """Middleware: an address or a form with what is no text gets a sentence, before anybody works with it."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        sent = [request.path, *_words(request.GET)]
        if request.method == "POST":
            sent += _words(request.POST)
        if not all(map(is_text, sent)):
            return said(request, Refused(NO_TEXT))
        return self.get_response(request)


class SamePerson:
    """Middleware: what a page sends is of the one who opened it. Once somebody else is signed in in that browser, it has to wait."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        page_of = request.headers.get("X-Signed-As", "")
        if page_of and request.user.is_authenticated and page_of != str(request.user.pk):
            return said(request, OtherPerson())
        return self.get_response(request)


def _words(fields: Any) -> list[str]:
    """All names and values of a form."""
    return [word for name, values in fields.lists() for word in (name, *map(str, values))]


class JsonParser(Parser):
    """Reads the bodies that the api is sent."""

    def parse_body(self, request: HttpRequest) -> Any:
        """ValueError for what is JSON, but holds what is no text."""
        data = super().parse_body(request)
        if any(mark in request.body for mark in MARKS) and not _only_text(data):
            raise ValueError(NO_TEXT)
        return data


class JsonRenderer(BaseRenderer):
    """Writes what the api answers, outlines among it, which takes Python's own writer several times as long."""

    media_type = "application/json"

    def render(self, request: HttpRequest, data: Any, *, response_status: int) -> bytes:
        """The answer as JSON."""
        return _json(data)


def written(answer: Any) -> HttpResponse:
    """What the serializers made, as the route's type says, written as it is: to look all outlines through again takes as long as much of
    the work. (The tests hold each of these answers against its type.)"""
    return HttpResponse(_json(answer), content_type=JsonRenderer.media_type)


def _json(data: Any) -> bytes:
    return to_json(data, inf_nan_mode="null")


def _only_text(data: Any) -> bool:
    if isinstance(data, str):
        return is_text(data)
    if isinstance(data, dict):
        return all(is_text(key) and _only_text(value) for key, value in data.items())
    return not isinstance(data, list) or all(map(_only_text, data))


def whole(said: str) -> int | None:
    """A whole number as a field or an address says it, of nine digits at most; None for anything else."""
    digits = said.strip().removeprefix("-")
    return int(said) if digits.isascii() and digits.isdigit() and len(digits) <= 9 else None
