"""Who may do what. The only place where a role is looked at."""

from dataclasses import dataclass

from django.contrib.auth.models import AbstractBaseUser, AnonymousUser
from django.db.models import F

from jaythread.errors import NotAllowed, NotThere
from jaythread.productions.models import Membership, Production, Role, Shot

MAY: dict[str, frozenset[str]] = {
    "look": frozenset(Role.values),
    "fetch": frozenset(Role.values),
    "trace": frozenset({Role.ARTIST, Role.LEAD}),
    "deliver": frozenset({Role.ARTIST, Role.LEAD}),
    "bring in": frozenset({Role.ARTIST, Role.LEAD}),
    "manage": frozenset({Role.LEAD}),
}

User = AbstractBaseUser | AnonymousUser


@dataclass(frozen=True, slots=True)
class Seat:
    """Somebody's place in a production."""

    production: Production
    role: str

    def may(self, what: str) -> bool:
        return self.role in MAY[what]


def account(user: User) -> int:
    """The number of a signed-in account; for strangers there is nothing here."""
    if not user.is_authenticated or user.pk is None:
        raise NotThere()
    return int(user.pk)


def seat(user: User, production_id: int) -> Seat:
    """The user's seat; productions that one is not in do not exist."""
    production = Production.objects.filter(pk=production_id).first()
    if production is None:
        raise NotThere()
    return Seat(production, _role(user, production_id))


def _role(user: User, production_id: int) -> str:
    for role in Membership.objects.filter(user_id=account(user), production_id=production_id).values_list("role", flat=True):
        return role
    raise NotThere()


def require(user: User, production_id: int, what: str) -> Seat:
    """The user's seat when their role includes this; NotThere for strangers, NotAllowed for other roles."""
    return _allowed(seat(user, production_id), what)


def _allowed(place: Seat, what: str) -> Seat:
    if not place.may(what):
        raise NotAllowed(f"Your role here ({place.role}) does not include this. Ask the lead of {place.production.name}.")
    return place


def shot_for(user: User, shot_id: int, what: str, lock: bool = False) -> Shot:
    """A shot, when the user may do this with it; with its row locked when it is going to be changed."""
    mine = Shot.objects.select_related("production").filter(pk=shot_id, production__memberships__user_id=account(user))
    mine = mine.annotate(role=F("production__memberships__role")).order_by()
    shot = next(iter(mine.select_for_update(of=("self",)) if lock else mine), None)
    if shot is None:
        raise NotThere()
    _allowed(Seat(shot.production, shot.role), what)
    return shot
