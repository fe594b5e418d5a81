"""Lines to the console, each with the request that it belongs to, so that what one person met can be followed."""

import logging
import time
import uuid
from collections.abc import Callable
from contextvars import ContextVar
from typing import Any

from django.http import HttpRequest, HttpResponse

HEADER = "X-Request-Id"
MINUTE = 60.0
SLOW = 2.0
"""seconds from which on an answer is worth a warning"""
_request: ContextVar[str] = ContextVar("request", default="-")
_log = logging.getLogger("jaythread.requests")


class WithRequest(logging.Filter):
    """Gives each record the id of the request being answered, or a dash."""

    def filter(self, record: logging.LogRecord) -> bool:
        record.request_id = _request.get()
        return True


class Sparing(logging.Filter):
    """What goes wrong again and again at one place is written once a minute, with how often it was since."""

    def __init__(self) -> None:
        super().__init__()
        self._seen: dict[tuple[object, ...], tuple[float, int]] = {}

    def filter(self, record: logging.LogRecord) -> bool:
        if record.levelno < logging.ERROR:
            return True
        kind = record.exc_info[0] if record.exc_info else None
        key, now = (record.name, record.msg, kind), time.monotonic()
        since, left_out = self._seen.get(key, (-MINUTE, 0))
        if now - since < MINUTE:
            self._seen[key] = since, left_out + 1
            return False
        self._seen[key] = now, 0
        if left_out:
            record.msg = f"({left_out} more like it) {record.msg}"
        return True


class RequestId:
    """Middleware: an id for each request, in its log lines and in the answer; what was slow or went wrong is logged in any case."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        token = _request.set(uuid.uuid4().hex[:12])
        begun = time.perf_counter()
        try:
            reply = self.get_response(request)
            took = time.perf_counter() - begun
            loud = logging.ERROR if reply.status_code >= 500 else logging.WARNING if took > SLOW else logging.DEBUG
            _log.log(loud, "%s %s %d, %.0f ms", request.method, request.path, reply.status_code, took * 1000)
            reply[HEADER] = _request.get()
            return reply
        finally:
            _request.reset(token)


def config(level: str) -> dict[str, Any]:
    """Logging for Django's settings: everything from a level on, to the console."""
    return {
        "version": 1,
        "disable_existing_loggers": False,
        "filters": {"request": {"()": WithRequest}, "sparing": {"()": Sparing}},
        "formatters": {"line": {"format": "%(asctime)s %(levelname)s %(name)s [%(request_id)s] %(message)s"}},
        "handlers": {"console": {"class": "logging.StreamHandler", "filters": ["sparing", "request"], "formatter": "line"}},
        "root": {"handlers": ["console"], "level": level},
    }
