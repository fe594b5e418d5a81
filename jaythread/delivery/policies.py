"""Who may see and fetch a delivery: whoever has a seat in its production."""

from jaythread.delivery.models import Delivery
from jaythread.errors import NotThere
from jaythread.productions import policies
from jaythread.productions.policies import User


def delivery_for(user: User, delivery_id: int, what: str) -> Delivery:
    delivery = Delivery.objects.select_related("matte__shot__production").filter(pk=delivery_id).first()
    if delivery is None:
        raise NotThere()
    policies.require(user, delivery.matte.shot.production_id, what)
    return delivery
