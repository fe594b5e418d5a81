"""What can be done with plates: bring one in, cancel, change the colour space, decode."""

import shutil
from collections.abc import Iterable
from pathlib import Path, PurePosixPath
from typing import Any

from django.core.files.uploadedfile import UploadedFile
from django.db import transaction

from jaythread import store
from jaythread.errors import NoRoom, Refused
from jaythread.front_door import shot_name
from jaythread.jobs import actions as jobs
from jaythread.jobs.models import Job
from jaythread.jobs.models import State as JobState
from jaythread.jobs.progress import Progress
from jaythread.jobs.registry import Kind, register
from jaythread.plates import changes, intake, policies
from jaythread.plates.incoming import staged
from jaythread.plates.models import DECODE, Plate, State, Upload
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, require, shot_for
from roto.errors import NotWritten
from roto.picture import cuts, display, movies, stills
from roto.picture.stills import Pixels

DERIVED = ("frames", "proxy")
"""folders of a plate that are made from what was given"""
PROXY_WIDTH = 1280
"""px: a little more than the picture has on a 1280 x 800 screen; from 100 % on the full-size picture is shown anyway"""


def bring_in(
    user: User,
    production_id: int,
    name: str,
    files: Iterable["UploadedFile[Any] | Upload"],
    *,
    shot_id: int | None = None,
    holds: bool = False,
) -> Shot:
    """A new shot from uploaded files: looked at first, stored only when it can become a plate, decoded by a task.

    shot_id: a shot whose plate the files are to replace. holds: whether a missing still shows the one before.
    """
    require(user, production_id, "bring in")
    with staged(files) as (folder, names):
        if shot_id is not None:
            return replace_plate(user, shot_id, folder, names)
        return bring_in_folder(user, production_id, name, folder, names, holds=holds)


def bring_in_folder(user: User, production_id: int, name: str, folder: Path, names: list[str], *, holds: bool = False) -> Shot:
    """As `bring_in`, from files that already lie in a folder of their own; they are moved away from there."""
    place = require(user, production_id, "bring in")
    found = intake.look(folder, names)
    name = shot_name(name.strip() or _called(found))
    with transaction.atomic():
        if place.production.shots.filter(name__iexact=name).exists():
            raise Refused(f"There is a shot called '{name}' here already. Choose another name.")
        shot = Shot.objects.create(
            production=place.production, name=name, first=found.first, last=found.last, width=found.size[0], height=found.size[1],
            rate_over=found.rate.numerator, rate_under=found.rate.denominator, pixel_aspect=found.pixel_aspect,
        )  # fmt: skip
        _take_in(user, shot, found, folder, version=1, holds=holds)
    return shot


def _called(found: intake.Found) -> str:
    """What a shot is called that was given no name: as its movie, or as its stills are without their numbers."""
    stem = PurePosixPath(found.names[min(found.names)] if found.names else found.source).stem
    return stem if found.is_movie else stem.rstrip("0123456789").rstrip("._- ") or stem


def _take_in(user: User, shot: Shot, found: intake.Found, folder: Path, **more: Any) -> None:
    plate = Plate.objects.create(
        shot=shot, source=found.source, is_movie=found.is_movie, names={str(k): v for k, v in found.names.items()},
        notes=list(found.notes), space=found.space, first=found.first, last=found.last, **more,
    )  # fmt: skip
    plate.folder.mkdir(parents=True)
    shutil.move(folder, plate.folder / "source")
    store.keep(plate.folder / "source")
    jobs.start(user, shot, DECODING, str(plate.pk), total=plate.count)


@transaction.atomic
def replace_plate(user: User, shot_id: int, folder: Path, names: list[str]) -> Shot:
    """A newer picture of a shot in place of its plate; shapes and tracks stay where they are. It must be of the same size. Until it is
    decoded the old one stays in the house, and comes back where the new one cannot be decoded."""
    shot = shot_for(user, shot_id, "bring in", lock=True)
    old = shot.plates.first()
    if old is None or old.state != State.READY:
        raise Refused("Wait until the plate that is there is decoded, then bring in a newer one.")
    found = intake.look(folder, names)
    if found.size != (shot.width, shot.height):
        raise Refused(
            f"The new picture is {found.size[0]} x {found.size[1]} pixels, the shot's is {shot.width} x {shot.height}. Shapes lie by its"
            " pixels: bring it in as a shot of its own."
        )
    if found.last < shot.first - old.offset or found.first > shot.last - old.offset:
        raise Refused(f"The new picture has frames {found.first}-{found.last}; the shot has {shot.first}-{shot.last}. Number it alike.")
    _take_in(user, shot, found, folder, version=old.version + 1, holds=old.holds, offset=old.offset)
    return shot


@transaction.atomic
def hold_gaps(user: User, plate_id: int, holds: bool) -> Plate:
    """Whether frames whose stills are missing show the one before, or stay empty."""
    plate = policies.plate_for(user, plate_id, "bring in")
    plate.holds, plate.display_version = holds, plate.display_version + 1
    plate.save(update_fields=["holds", "display_version"])
    return plate


@transaction.atomic
def cancel(user: User, plate_id: int) -> Plate:
    """Ask the decoding to stop; what was decoded is thrown away, the shot goes with it."""
    plate = policies.plate_for(user, plate_id, "bring in")
    if not plate.busy:
        raise Refused("There is nothing to cancel: this plate is not being decoded.")
    if plate.job is not None:
        jobs.cancel(user, plate.shot_id, plate.job.pk)
    return Plate.objects.filter(pk=plate_id).first() or plate  # of one that was to replace another nothing stays


def remove_shot(user: User, plate_id: int) -> None:
    """Take away a shot whose plate failed or was cancelled; nothing of it is left."""
    plate = policies.plate_for(user, plate_id, "bring in")
    if plate.state not in (State.FAILED, State.CANCELLED):
        raise Refused("Only a shot whose plate could not be taken in can be removed here.")
    store.drop(plate.folder)
    if plate.shot.plates.exclude(pk=plate.pk).exists():
        plate.delete()
        return
    plate.shot.delete()


def _decode(job: Job, progress: Progress) -> str:
    """Decode every frame once: full-size PNG for movies, quick pictures for all. Safe to run again; asks often whether to stop."""
    plate = Plate.objects.select_related("shot").filter(pk=job.subject).first()
    if plate is None or not plate.busy:
        return ""
    Plate.objects.filter(pk=plate.pk).update(state=State.WORKING)
    small = {}
    try:
        for part in DERIVED:
            (plate.folder / part).mkdir(parents=True, exist_ok=True)
        progress.begin(plate.count)
        with store.sending() as send:
            for done, (frame, pixels) in enumerate(_pictures(plate, send), 1):
                shown = display.to_screen(pixels, plate.space)
                quick = plate.folder / plate.quick / f"{frame}.jpg"
                stills.write_picture(quick, display.smaller(shown, PROXY_WIDTH))
                send(quick)
                small[frame] = cuts.small(shown)
                progress.step(done)
    except (NoRoom, NotWritten, OSError):
        Job.objects.filter(pk=job.pk).update(partial={"again": True})  # what was given is good: it is kept for another try
        raise
    Plate.objects.filter(pk=plate.pk).update(cuts=cuts.find(small))
    return ""


def _decoded(job: Job) -> None:
    """The plate is ready; of one that was cancelled or could not be decoded nothing stays, except what was given where there was no room to
    write. A newer picture goes in any case: the one before is there again."""
    state = {JobState.DONE: State.READY, JobState.CANCELLED: State.CANCELLED}.get(JobState(job.state), State.FAILED)
    plate = Plate.objects.filter(pk=job.subject).first()
    if plate is None:
        return
    if state != State.READY:
        again = state == State.FAILED and plate.version == 1 and Job.objects.filter(pk=job.pk, partial__again=True).exists()
        for folder in [plate.folder / part for part in DERIVED] if again else [plate.folder]:
            store.drop(folder)
        if plate.shot.plates.filter(state=State.READY).exists():  # the one before is there again
            plate.delete()
            return
    Plate.objects.filter(pk=plate.pk).update(state=state)
    if state == State.READY and plate.version > 1 and plate.first is not None and plate.last is not None:
        Shot.objects.filter(pk=plate.shot_id).update(first=plate.first + plate.offset, last=plate.last + plate.offset)
        plate.refresh_from_db()
        changes.begin(plate, job)


@transaction.atomic
def try_again(user: User, plate_id: int) -> Plate:
    """Decode once more what could not be decoded for want of room."""
    plate = policies.plate_for(user, plate_id, "bring in")
    if not plate.may_be_tried:
        raise Refused("Of this plate nothing is kept that could be decoded again. Bring it in anew.")
    jobs.start(user, plate.shot, DECODING, str(plate.pk), total=plate.count)
    Plate.objects.filter(pk=plate.pk).update(state=State.WAITING)
    return plate


DECODING = register(Kind(name=DECODE, may="bring in", run=_decode, ended=_decoded, busy="This plate is being decoded already.", long=True))


def decode(plate_id: int) -> None:
    """Decode a plate here and now: for tests and commands; pages leave it to the workers."""
    job = jobs.newest_of(DECODE, str(plate_id))
    if job is not None:
        jobs.carry_out(job.pk)


def _pictures(plate: Plate, send: store.Sending) -> Iterable[tuple[int, Pixels]]:
    """By the numbers of their files. send: hears of those that are decoded from a movie."""
    if not plate.is_movie:
        for frame, name in plate.names.items():
            yield int(frame), stills.read(store.here(plate.folder / "source" / name))
        return
    path = store.here(plate.folder / "source" / plate.source)
    for frame, pixels in enumerate(movies.frames(path, movies.probe(path)), plate.own_range[0]):
        still = plate.folder / "frames" / f"{frame}.png"
        stills.write_picture(still, pixels)
        send(still)
        yield frame, pixels
