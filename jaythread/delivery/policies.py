"""Who may see and fetch a delivery: whoever is a member of its production; a receiver only what somebody answers for."""

from jaythread.delivery.models import Delivery, State
from jaythread.errors import NotAllowed, NotThere
from jaythread.productions import policies
from jaythread.productions.models import Role
from jaythread.productions.policies import User


def delivery_for(user: User, delivery_id: int, what: str) -> Delivery:
    delivery = Delivery.objects.select_related("matte__shot__production", "plate").filter(pk=delivery_id).first()
    if delivery is None:
        raise NotThere()
    policies.require(user, delivery.matte.shot.production_id, what)
    return delivery


def package_for(user: User, delivery_id: int) -> Delivery:
    """A delivery whose package may be fetched now."""
    delivery = delivery_for(user, delivery_id, "fetch")
    member = policies.require(user, delivery.matte.shot.production_id, "fetch")
    if member.role == Role.RECEIVER and delivery.open_odd:
        raise NotAllowed("Something about this package is still to be looked at by the artist. Ask them, or come back later.")
    return ready(delivery)


def ready(delivery: Delivery) -> Delivery:
    if delivery.state == State.CLEARED:
        raise NotThere("The files of this package were cleared away by the production's rule. Ask for it again: it comes out the same.")
    if delivery.state != State.PROVED:
        raise NotThere("This package is not there: only a proved delivery can be fetched.")
    return delivery
