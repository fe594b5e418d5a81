"""Tokens for scripts: made and taken back by their person, known by their digest alone."""

import hashlib
import secrets
from datetime import timedelta
from typing import Any

from django.http import HttpRequest
from django.utils import timezone
from ninja.security import HttpBearer

from jaythread.accounts import guessing
from jaythread.accounts.models import Token
from jaythread.errors import NotAllowed, NotThere, Refused, UnknownToken
from jaythread.front_door import one_name

BEGINS = "jay_"
"""by which whoever finds one in a file knows what it is"""
MOST = 20
"""tokens of one person"""
USED_EVERY = timedelta(minutes=1)
LOOKS = ("GET", "HEAD")


def _digest(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()


def make(user: Any, name: str, changes: bool) -> str:
    """A new token; what it is, is said this once. Refused where its name is none, or there are too many."""
    name = one_name(name, 60, "Give the token a name of at most 60 characters: what it is for.")
    if Token.objects.filter(user=user).count() >= MOST:
        raise Refused(f"You have {MOST} tokens. Take one back that is not used any more.")
    secret = BEGINS + secrets.token_urlsafe(32)
    Token.objects.create(user=user, name=name, digest=_digest(secret), changes=changes)
    return secret


def of(user: Any) -> list[Token]:
    """Somebody's tokens."""
    return list(Token.objects.filter(user=user))


def take_back(user: Any, token_id: int) -> None:
    """A token of one's own is worth nothing from now on."""
    if not Token.objects.filter(user=user, pk=token_id).delete()[0]:
        raise NotThere("That token is not there any more.")


class Bearer(HttpBearer):
    """Lets a script in that sends `Authorization: Bearer jay_...`, as the person of the token."""

    def authenticate(self, request: HttpRequest, token: str) -> Any:
        """The person. UnknownToken where there is none, NotAllowed where it may look only; wrong ones count as guesses."""
        guessing.look(request)
        row = Token.objects.select_related("user").filter(digest=_digest(token), user__is_active=True).first()
        if row is None:
            guessing.wrong(request)
            raise UnknownToken()
        if not row.changes and request.method not in LOOKS:
            raise NotAllowed(f"The token '{row.name}' may look only. Make one that may change things.")
        now = timezone.now()
        if row.used is None or now - row.used > USED_EVERY:
            Token.objects.filter(pk=row.pk).update(used=now)
        request.user = row.user
        return row.user
