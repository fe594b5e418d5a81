"""Who may do what. The only place where a role is looked at."""

from typing import Any

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.db.models import F, QuerySet

from jaythread.errors import NotAllowed, NotThere
from jaythread.prepared import Prepared
from jaythread.productions.models import Membership, Role, Shot

MAY: dict[str, frozenset[str]] = {
    "look": frozenset(Role.values),
    "note": frozenset(Role.values),
    "fetch": frozenset(Role.values),
    "trace": frozenset({Role.ARTIST, Role.LEAD}),
    "deliver": frozenset({Role.ARTIST, Role.LEAD}),
    "bring in": frozenset({Role.ARTIST, Role.LEAD}),
    "manage": frozenset({Role.LEAD}),
    "hand in": frozenset({Role.ARTIST, Role.LEAD}),
    "approve": frozenset({Role.LEAD}),
    "accept": frozenset({Role.RECEIVER, Role.LEAD}),
    "archive": frozenset({Role.LEAD}),
}
STILL = frozenset({"look", "fetch", "archive"})
"""what may still be done in a production that is archived; archiving is also the way back"""

User = AbstractBaseUser | AnonymousUser


def may(membership: Membership, what: str) -> bool:
    """Whether the role of a member includes this, in their production as it is."""
    return membership.role in MAY[what] and (what in STILL or membership.production.archived is None)


def account(user: User) -> int:
    """The number of a signed-in account; for strangers there is nothing here."""
    if not user.is_authenticated or user.pk is None:
        raise NotThere()
    return int(user.pk)


def membership(user: User, production_id: int) -> Membership:
    """The user's membership; productions that one is not in do not exist."""
    found = Membership.objects.filter(user_id=account(user), production_id=production_id).select_related("production").first()
    if found is None:
        raise NotThere()
    return found


def require(user: User, production_id: int, what: str) -> Membership:
    """The user's membership when their role includes this; NotThere for strangers, NotAllowed for other roles."""
    return _allowed(membership(user, production_id), what)


def _allowed(member: Membership, what: str) -> Membership:
    if member.role in MAY[what] and not may(member, what):
        raise NotAllowed(f"{member.production.name} is archived: it is looked at and fetched, not changed. A lead can bring it back.")
    if not may(member, what):
        raise NotAllowed(f"Your role here ({member.role}) does not include this. Ask the lead of {member.production.name}.")
    return member


def _of_member(shot_id: int, user_id: int) -> QuerySet[Shot]:
    mine = Shot.objects.select_related("production").filter(pk=shot_id, production__memberships__user_id=user_id)
    return mine.annotate(role=F("production__memberships__role")).order_by()


_seen: Prepared[Any] = Prepared(_of_member, 1_000_001, 1_000_002)
_locked: Prepared[Any] = Prepared(lambda *said: _of_member(*said).select_for_update(of=("self",)), 1_000_001, 1_000_002)


def shot_for(user: User, shot_id: int, what: str, lock: bool = False) -> Shot:
    """A shot, when the user may do this with it; with its row locked when it is going to be changed."""
    shot = (_locked if lock else _seen).first(shot_id, account(user))
    if shot is None:
        raise NotThere()
    _allowed(Membership(production=shot.production, role=shot.role), what)
    return shot
