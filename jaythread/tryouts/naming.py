"""Names of what a tryout of a shot is made from, other ones when that shows something else."""

from functools import lru_cache

from jaythread.desk.document import core_cache
from jaythread.desk.matting.fringes import ShotFringes
from jaythread.plates.models import Plate, State
from jaythread.productions.models import Shot
from jaythread.tryouts.sources import matte_row
from roto.matte.stack import Matte as CoreMatte
from roto.package.cache_keys import matte_keys
from roto.tryout.document import Tryout
from roto.tryout.frame_keys import Names


def names_of(shot: Shot, tryout: Tryout, frozen: dict[str, CoreMatte] | None = None) -> Names:
    """frozen: mattes of this shot by id, in place of those that are saved. Their fringes are steadied, as in all that is delivered."""
    plates = {"": shot.plates.filter(state=State.READY).first()}
    others = Plate.objects.filter(shot__production=shot.production_id, shot__name__in=tryout.clips() - {""}, state=State.READY)
    for plate in others.select_related("shot").order_by("version"):
        plates[plate.shot.name] = plate

    def picture(name: str, frame: int) -> str:
        plate = plates.get(name)
        return f"{plate.pk} {frame - plate.offset} {plate.space}" if plate else "none"

    @lru_cache(None)
    def saved(name: str, matte_id: str) -> dict[int, str]:
        at = Shot.objects.get(production=shot.production_id, name=name) if name else shot
        fringes = ShotFringes(at, wait=False, steady=False)
        return fringes.frame_keys(core_cache.matte(at, matte_row(at, matte_id)), range(at.first, at.last + 1))

    def matte(name: str, matte_id: str, frame: int, grow: float) -> str:
        own = None if name else (frozen or {}).get(matte_id)
        return f"{saved(name, matte_id)[frame] if own is None else matte_keys(own, [frame])[frame]} {grow}"

    return Names(picture=picture, matte=matte, graphic=lambda file: file)
