"""Who may see a plate: whoever may see its shot."""

from jaythread.errors import NotThere
from jaythread.plates.models import Plate
from jaythread.productions import policies
from jaythread.productions.policies import User


def plate_for(user: User, plate_id: int, what: str) -> Plate:
    plate = Plate.objects.select_related("shot").filter(pk=plate_id).first()
    if plate is None:
        raise NotThere()
    policies.require(user, plate.shot.production_id, what)
    return plate
