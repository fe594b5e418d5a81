"""Who may see a matte that was brought in: whoever may see its shot."""

from jaythread.brought.models import Brought
from jaythread.errors import NotThere
from jaythread.productions.policies import User, shot_for


def brought_for(user: User, shot_id: int, brought_id: int, what: str) -> Brought:
    """A matte that was brought in, when the user may do this with it."""
    shot = shot_for(user, shot_id, what)
    found = Brought.objects.filter(shot=shot, pk=brought_id).first()
    if found is None:
        raise NotThere("That matte was taken away.")
    return found
