"""Showing a plate in another colour space: its quick pictures made again beside those that are there, and put in their place when whole.

The plate stays ready all the while; nothing that it was taken in with is touched, whatever happens to the work.
"""

from collections.abc import Iterable
from pathlib import Path

from django.db import transaction
from pydantic import BaseModel

from jaythread import store
from jaythread.errors import NotThere, Refused
from jaythread.jobs import actions as jobs
from jaythread.jobs.models import Job
from jaythread.jobs.models import State as JobState
from jaythread.jobs.progress import Progress
from jaythread.jobs.registry import Kind, register
from jaythread.plates import policies
from jaythread.plates.actions import PROXY_WIDTH
from jaythread.plates.models import SHOW, Mixed, Plate, Space, State
from jaythread.productions.policies import User
from roto.picture import cuts, display, stills
from roto.picture.stills import Pixels


class Wanted(BaseModel):
    """Which colour space a plate is to be shown in."""

    space: Space


@transaction.atomic
def change_space(user: User, plate_id: int, space: str) -> Plate:
    """Another colour space for display; it holds when the quick pictures are made."""
    plate = policies.plate_for(user, plate_id, "bring in")
    if space not in Space.values:
        raise Refused(f"There is no colour space '{space}'.")
    if plate.state != State.READY:
        raise Refused("Wait until the plate is decoded, then change its colour space.")
    if space != plate.space:
        jobs.start(user, plate.shot, SHOWING, str(plate.pk), total=plate.count, settings={"space": space})
    return plate


def cancel(user: User, plate_id: int) -> None:
    """Leave it as it is shown now."""
    plate = policies.plate_for(user, plate_id, "bring in")
    job = plate.showing
    if job is None:
        raise Refused("There is nothing to cancel: this plate is shown as it is meant to be.")
    jobs.cancel(user, plate.shot_id, job.pk)


def _beside(plate: Plate, job: Job) -> Path:
    return plate.folder / f"proxy-{job.pk}"


def _show(job: Job, progress: Progress) -> str:
    plate = Plate.objects.select_related("shot").filter(pk=job.subject).first()
    if plate is None or plate.state != State.READY:
        raise NotThere("The plate is not there any more.")
    space, beside = Wanted.model_validate(job.settings).space, _beside(plate, job)
    beside.mkdir(parents=True, exist_ok=True)
    progress.begin(plate.count)
    small = {}
    with store.sending() as send:
        for done, (number, pixels) in enumerate(_own_pictures(plate), 1):
            shown = display.to_screen(pixels, space)
            stills.write_picture(beside / f"{number}.jpg", display.smaller(shown, PROXY_WIDTH))
            send(beside / f"{number}.jpg")
            small[number] = cuts.small(shown)
            progress.step(done)
    with transaction.atomic():
        plate = Plate.objects.select_for_update().get(pk=plate.pk)
        old = plate.folder / plate.quick
        plate.space, plate.quick, plate.cuts, plate.display_version = space, beside.name, cuts.find(small), plate.display_version + 1
        plate.mixed = Mixed.UNKNOWN  # its edges are others now
        plate.save(update_fields=["space", "quick", "cuts", "display_version", "mixed"])
    store.drop(old)  # a page that asks for one of these just now is shown the still
    return ""


def _own_pictures(plate: Plate) -> Iterable[tuple[int, Pixels]]:
    """The pictures that are there, by the numbers of their files."""
    first, last = plate.own_range
    for number in sorted(map(int, plate.names)) or range(first, last + 1):
        path = plate.still(number + plate.offset)
        if path is not None and path.exists():
            yield number, stills.read(path)


def _shown(job: Job) -> None:
    """Of one that did not come to its end nothing stays."""
    plate = Plate.objects.filter(pk=job.subject).first()
    if plate is not None and job.state != JobState.DONE:
        store.drop(_beside(plate, job))


SHOWING = register(
    Kind(name=SHOW, may="bring in", run=_show, ended=_shown, busy="Its quick pictures are being made already.", settings=Wanted, long=True)
)
