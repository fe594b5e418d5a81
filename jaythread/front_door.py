"""What is sent is looked at once, before any page or route: words are text that can be kept, and a body is JSON that can be read."""

from collections.abc import Callable
from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja.parser import Parser

from jaythread.errors import Refused, said

NO_TEXT = "What was sent holds a sign that is no text. Take it out, or type the words again."


def is_text(words: str) -> bool:
    """Whether words can be kept: no NUL, which the database refuses, and no half of a pair of code units, which no file can hold."""
    return "\0" not in words and not any("\ud800" <= sign <= "\udfff" for sign in words)


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


def _words(fields: Any) -> list[str]:
    """All names and values of a form."""
    return [word for name, values in fields.lists() for word in (name, *map(str, values))]


class JsonParser(Parser):
    """Reads the bodies that the api is sent."""

    def parse_body(self, request: HttpRequest) -> Any:
        """ValueError for what is JSON, but holds what is no text."""
        data = super().parse_body(request)
        if rb"\u" in request.body and not _only_text(data):  # otherwise JSON has no way to say such a sign
            raise ValueError(NO_TEXT)
        return data


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
