"""What can be done with productions: make one, say who is in it and as what, archive it."""

from django.contrib.auth import get_user_model
from django.db import transaction
from django.utils import timezone

from jaythread.accounts import people
from jaythread.errors import Refused
from jaythread.front_door import one_name
from jaythread.productions import policies
from jaythread.productions.models import Membership, Production, Role
from jaythread.productions.policies import User


@transaction.atomic
def make_production(user: User, name: str) -> Production:
    """A new production with its maker as lead."""
    name = one_name(name, 80, "Give the production a name of at most 80 characters.")
    if Production.objects.filter(name__iexact=name).exists():
        raise Refused(f"There is a production called '{name}' already. Choose another name.")
    production = Production.objects.create(name=name)
    Membership.objects.create(production=production, user_id=policies.account(user), role=Role.LEAD)
    return production


@transaction.atomic
def invite(user: User, production_id: int, account: str, role: str) -> Membership:
    """Make an account a member, or give it another role."""
    place = policies.require(user, production_id, "manage")
    if role not in Role.values:
        raise Refused(f"There is no role '{role}'.")
    guest = get_user_model().objects.filter(username=account.strip()).first()
    if guest is None:
        raise Refused(f"There is no account '{account.strip()}'. Check the spelling, or make one for somebody new.")
    if role != Role.LEAD:
        _a_lead_stays(place.production, guest.pk)
    membership, _ = Membership.objects.update_or_create(production=place.production, user=guest, defaults={"role": role})
    return membership


@transaction.atomic
def welcome(user: User, production_id: int, name: str, address: str, role: str) -> tuple[Membership, str]:
    """Make an account for somebody new, who is a member here at once; and the link by which they set a password."""
    policies.require(user, production_id, "manage")
    made = people.make(name, address)
    return invite(user, production_id, made.username, role), people.way_in(made)


@transaction.atomic
def leave(user: User, production_id: int, account_id: int) -> Membership:
    """Somebody is no member any more: a lead says so, or they themselves. What they made stays, under their name."""
    mine = policies.membership(user, production_id)
    member = Membership.objects.select_related("user").filter(production_id=production_id, user_id=account_id).first()
    if member is None:
        raise Refused("They are no member here any more.")
    if member.user_id != user.pk:
        policies.require(user, production_id, "manage")
    _a_lead_stays(mine.production, account_id)
    member.delete()
    return member


def _a_lead_stays(production: Production, but: int) -> None:
    leads = production.memberships.select_for_update().filter(role=Role.LEAD).values_list("user_id", flat=True)
    if set(leads) == {but}:
        raise Refused("There would be no lead here any more. Make somebody else lead first.")


@transaction.atomic
def archive(user: User, production_id: int, away: bool) -> Production:
    """A production that is over is looked at and fetched only; brought back, it is as it was."""
    production = policies.require(user, production_id, "archive").production
    production.archived = timezone.now() if away else None
    production.save(update_fields=["archived"])
    return production
