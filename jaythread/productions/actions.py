"""What can be done with productions: make one, invite, change the shutter."""

from django.contrib.auth import get_user_model
from django.db import transaction

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
        raise Refused(f"There is no account '{account.strip()}'. Check the spelling; accounts are made by whoever runs this machine.")
    if guest.pk == user.pk and role != Role.LEAD and place.production.memberships.filter(role=Role.LEAD).count() == 1:
        raise Refused("You are the only lead here. Make somebody else lead first.")
    membership, _ = Membership.objects.update_or_create(production=place.production, user=guest, defaults={"role": role})
    return membership
