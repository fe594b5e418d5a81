"""Who may do what at the desk: look as any member, trace as artist or lead."""

import uuid

from jaythread.desk.models import Matte
from jaythread.errors import NotThere
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, shot_for


def matte_for(user: User, shot_id: int, matte_id: uuid.UUID, what: str) -> tuple[Shot, Matte]:
    """A shot and one of its mattes, when the user may do this with it."""
    shot = shot_for(user, shot_id, what)
    return shot, matte_of(shot, matte_id)


def matte_of(shot: Shot, matte_id: uuid.UUID) -> Matte:
    """A matte of a shot that was asked for already."""
    matte = Matte.objects.filter(pk=matte_id, shot=shot).first()
    if matte is None:
        raise NotThere()
    return matte
