"""One place that turns the job's errors into answers: {code, message, field} for the api, a page with a sentence for people."""

import errno
import logging
import sys
from collections.abc import Callable

from django.db import DataError, InterfaceError, OperationalError, connection
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.template import loader

from roto.errors import BadDocument, BadRecipe, RotoError

FULL = (errno.ENOSPC, errno.EDQUOT)
"""what a disk says that has no room left"""


class NotThere(RotoError):
    """This is not there, or it is not yours to see."""

    code = "not_there"


class NotAllowed(RotoError):
    """Your role in this production does not include this."""

    code = "not_allowed"


class OtherNumbers(RotoError):
    """These shapes are of other frames than this shot has. Say on which frame they begin."""

    code = "other_numbers"


class Refused(RotoError):
    """That cannot be done."""

    code = "refused"


class Conflict(RotoError):
    """Someone else has changed this meanwhile."""

    code = "conflict"


class TooMany(RotoError):
    """Too much was tried in a short time."""

    code = "too_many"


class OtherPerson(RotoError):
    """Somebody else is signed in in this browser now."""

    code = "other_person"


class UnknownToken(RotoError):
    """That token is not known here: it was taken back, or its account is closed. Make another on your own page."""

    code = "token_unknown"


class NoRoom(RotoError):
    """There is no room left for files. Nothing was kept of this; make room, then try again."""

    code = "no_room"


class StoreAway(RotoError, OSError):
    """The store of files does not answer. Nothing is lost; try again in a minute."""

    code = "store_away"


class DatabaseAway(RotoError):
    """The database does not answer. Nothing you saved is lost; try again in a minute."""

    code = "database_away"


STATUS: list[tuple[type[Exception], int]] = [
    (OtherPerson, 401),
    (UnknownToken, 401),
    (NoRoom, 507),
    (StoreAway, 503),
    (DatabaseAway, 503),
    (TooMany, 429),
    (NotThere, 404),
    (NotAllowed, 403),
    (Conflict, 409),
    (RotoError, 422),
]


def answer(error: RotoError) -> JsonResponse:
    """The api's answer to an error of the job."""
    status = next(code for kind, code in STATUS if isinstance(error, kind))
    body: dict[str, object] = {
        "code": error.code,
        "message": error.message,
        "field": error.path if isinstance(error, BadDocument | BadRecipe) else None,
    }
    present = error.facts.get("present")
    if present is not None:
        body["present"] = present
    return JsonResponse(body, status=status)


def said(request: HttpRequest, error: RotoError) -> HttpResponse:
    """The answer to an error of the job: JSON for the api, a page with the sentence for people."""
    reply = answer(error)
    if request.path.startswith("/api/"):
        return reply
    return render(request, "sentence.html", {"message": error.message, "status": reply.status_code}, status=reply.status_code)


def too_large(error: DataError) -> Refused:
    """What the database would not keep, which is the last to look at what was sent."""
    logging.getLogger(__name__).warning("refused by the database: %s", error)
    return Refused("Something in this is longer, or a number larger, than can be kept. Nothing was changed; make it shorter.")


class SayWhatWasWrong:
    """Middleware: pages get a page with the sentence, the api gets JSON; nobody gets a traceback."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        if isinstance(error, DataError):
            return said(request, too_large(error))
        if isinstance(error, OSError) and error.errno in FULL:
            return said(request, NoRoom())
        return said(request, error) if isinstance(error, RotoError) else None


def not_found(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    return render(request, "sentence.html", {"message": NotThere().message, "status": 404}, status=404)


def not_from_here(request: HttpRequest, reason: str = "") -> HttpResponse:
    """A form or an edit without the sign that this site's own pages give it."""
    why = "What was sent did not come from a page of this site as it is now, so nothing was done with it."
    return said(request, NotAllowed(f"{why} Load the page again, with cookies allowed."))


def not_understood(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    facts = {"message": "That cannot be understood: the address or what was sent with it is damaged.", "status": 400}
    return HttpResponse(loader.get_template("sentence.html").render(facts), status=400)


def without_database(error: BaseException | None) -> bool:
    """Whether something failed since the database cannot be reached, or the connection to it was lost on the way."""
    return isinstance(error, OperationalError | InterfaceError) and not connection.is_usable()


def went_wrong(request: HttpRequest) -> HttpResponse:
    """Made without the request: what a page says of whoever looks at it comes from the database, which may be what went wrong."""
    message, code, status = "Something went wrong on our side. Nothing you saved is lost.", "went_wrong", 500
    if without_database(sys.exception()):  # pages keep what they have to send, and try again
        message, code, status = DatabaseAway().message, DatabaseAway.code, 503
    if request.path.startswith("/api/"):
        return JsonResponse({"code": code, "message": message, "field": None}, status=status)
    return HttpResponse(loader.get_template("sentence.html").render({"message": message, "status": status}), status=status)
