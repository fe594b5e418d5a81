"""Clips: other plates of the production, to lay the cut-out on."""

from jaythread.errors import NotThere
from jaythread.plates.models import Plate, State
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, shot_for
from roto.picture.clip import Clip


def ready_plates(shot: Shot) -> list[Plate]:
    """The plates of other shots of the production that can be shown."""
    plates = Plate.objects.filter(shot__production=shot.production_id, state=State.READY).exclude(shot=shot)
    return list(plates.select_related("shot"))


def frames_of(user: User, shot_id: int, plate_id: int, begin: int | None, reverse: bool) -> list[int]:
    """The frames of another shot's plate that stand beside this shot's. begin: the frame that it starts on."""
    shot = shot_for(user, shot_id, "look")
    plate = next((p for p in ready_plates(shot) if p.pk == plate_id), None)
    if plate is None:
        raise NotThere("That clip is not there any more.")
    clip = Clip(first=plate.shot.first, last=plate.shot.last, rate=plate.shot.rate, begin=begin, reverse=reverse)
    return clip.frames(shot.last - shot.first + 1, shot.rate)
