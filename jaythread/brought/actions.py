"""What can be done with mattes from elsewhere: bring one in, take it away, read a frame of it."""

import shutil
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from numpy.typing import NDArray

from jaythread import store
from jaythread.brought import policies
from jaythread.brought.models import READ, Brought, State
from jaythread.errors import Refused
from jaythread.jobs import actions as jobs
from jaythread.jobs.models import Job
from jaythread.jobs.models import State as JobState
from jaythread.jobs.progress import Progress
from jaythread.jobs.registry import Kind, register
from jaythread.plates import intake
from jaythread.plates.incoming import staged
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, account, shot_for
from roto.errors import BadPicture
from roto.picture import alpha_files, stills

LONGEST = 60
"""characters of a name"""


def bring_in(user: User, shot_id: int, name: str, files: Iterable["UploadedFile[Any]"], begin: int | None = None) -> Brought:
    """A matte sequence from uploaded files: looked at first, stored only when it fits the shot, read by a task.

    begin: the frame that its first file comes to; None where its numbers are the shot's, or its count is and they are not."""
    shot = shot_for(user, shot_id, "bring in")
    with staged(files) as (folder, names):
        found = intake.look(folder, names)
        says = " ".join(name.split()) or Path(found.source).stem[:LONGEST]
        if len(says) > LONGEST or not says.isprintable():
            raise Refused(f"Give the matte a name of at most {LONGEST} characters.")
        offset = _offset(shot, found, begin)
        _fits(shot, found, offset)
        with transaction.atomic():
            shot_for(user, shot_id, "bring in", lock=True)
            if shot.brought.filter(name=says).exists():
                raise Refused(f"There is a matte '{says}' from elsewhere already. Give this one another name.")
            row = Brought.objects.create(
                shot=shot, user_id=account(user), name=says, source=found.source, is_movie=found.is_movie, offset=offset,
                names={str(number): file for number, file in found.names.items()}, notes=_notes(shot, found, offset),
                first=max(found.first + offset, shot.first), last=min(found.last + offset, shot.last), begun=shot.first,
            )  # fmt: skip
            row.folder.mkdir(parents=True)
            shutil.move(folder, row.folder / "source")
            store.keep(row.folder / "source")
            jobs.start(user, shot, READING, str(row.pk), total=row.last - row.first + 1)
    return row


def _offset(shot: Shot, found: intake.Found, begin: int | None) -> int:
    """What is added to a file's number. One that is as long as the shot, and numbered otherwise, begins with it."""
    if begin is not None:
        return begin - found.first
    apart = found.last < shot.first or found.first > shot.last
    as_long = found.last - found.first == shot.last - shot.first
    return shot.first - found.first if apart and as_long else 0


def _fits(shot: Shot, found: intake.Found, offset: int) -> None:
    if found.size != (shot.width, shot.height):
        raise Refused(
            f"This matte is {found.size[0]} x {found.size[1]} pixels, the shot is {shot.width} x {shot.height}: it would lie elsewhere."
            " Bring it in at the shot's size."
        )
    first, last = found.first + offset, found.last + offset
    if last < shot.first or first > shot.last:
        raise Refused(f"Its frames are {first}-{last}, the shot's {shot.first}-{shot.last}. Say on which frame its first one stands.")


def _notes(shot: Shot, found: intake.Found, offset: int) -> list[str]:
    first, last = found.first + offset, found.last + offset
    notes = [f"Its numbers are moved by {offset:+}: it begins on {first}."] if offset else []
    if found.names:
        missing = [f for f in range(max(first, shot.first), min(last, shot.last) + 1) if f - offset not in found.names]
        if missing:
            some = ", ".join(map(str, missing[:12])) + (" and more" if len(missing) > 12 else "")
            notes.append(f"It has no frame {some}.")
    beyond = max(0, shot.first - first) + max(0, last - shot.last)
    if beyond:
        notes.append(
            f"{beyond} of its frames {'lies' if beyond == 1 else 'lie'} beyond the shot and {'is' if beyond == 1 else 'are'} left out."
        )
    without = max(0, first - shot.first) + max(0, shot.last - last)
    if without:
        notes.append("1 frame of the shot has none." if without == 1 else f"{without} frames of the shot have none.")
    return notes


def remove(user: User, shot_id: int, brought_id: int) -> None:
    """Take a matte from elsewhere away again."""
    row = policies.brought_for(user, shot_id, brought_id, "bring in")
    matte = row.shot.mattes.filter(entries__source__files=str(row.pk)).first()
    if matte is not None:
        raise Refused(f"'{row.name}' is a line of the matte {matte.name}. Take it out of that stack first.")
    if row.job is not None and row.job.busy:
        jobs.cancel(user, shot_id, row.job.pk)
    folder = row.folder
    row.delete()
    store.drop(folder)


def alpha(row: Brought, frame: int) -> NDArray[np.uint16] | None:
    """The matte (h, w) of a frame, 65535 being covered; None where it has none."""
    path = row.file(frame - moved(row.shot, row))
    return alpha_files.still(path) if row.state == State.READY and path.exists() else None


def moved(shot: Shot, row: Brought) -> int:
    """By how many frames the shot is numbered otherwise than when a matte was brought in."""
    return int(shot.first - row.begun)


def alpha_of(brought_id: str, number: int) -> NDArray[np.float32] | None:
    """The matte (h, w), 0..1, of a number that it was taken in with, by the matte's id, without asking the database; None where there is
    none."""
    path = Brought(pk=int(brought_id)).file(number)
    return alpha_files.still(path).astype(np.float32) / np.float32(65535) if path.exists() else None


def _read(job: Job, progress: Progress) -> str:
    """Bring every frame into one form. Safe to run again."""
    row = Brought.objects.select_related("shot").filter(pk=job.subject).first()
    if row is None or row.state != State.WAITING:
        return ""
    (row.folder / "frames").mkdir(parents=True, exist_ok=True)
    progress.begin(row.last - row.first + 1)
    done = 0
    with store.sending() as send:
        for frame, pixels in _mattes(row):
            if not row.first <= frame <= row.last:
                continue
            if pixels.shape != (row.shot.height, row.shot.width):
                raise BadPicture(
                    f"Frame {frame} is {pixels.shape[1]} x {pixels.shape[0]} pixels, the shot is {row.shot.width} x {row.shot.height}."
                )
            stills.write_matte(row.file(frame), pixels)
            send(row.file(frame))
            done += 1
            progress.step(done)
    return ""


def _mattes(row: Brought) -> Iterator[tuple[int, NDArray[np.uint16]]]:
    source = store.bring(row.folder / "source")
    if not row.is_movie:
        for number, name in row.names.items():
            yield int(number) + row.offset, alpha_files.still(source / name)
        return
    number = intake.look(source, [row.source]).first
    for k, pixels in enumerate(alpha_files.movie(source / row.source)):
        yield number + k + row.offset, pixels


def _ended(job: Job) -> None:
    """It is ready; of one that could not be read, or was given up, nothing stays but its name and why."""
    row = Brought.objects.filter(pk=job.subject).first()
    if row is None:
        return
    ready = job.state == JobState.DONE
    store.drop(row.folder / "source" if ready else row.folder)
    Brought.objects.filter(pk=row.pk).update(state=State.READY if ready else State.FAILED)


READING = register(Kind(name=READ, may="bring in", run=_read, ended=_ended, busy="This matte is being read already.", long=True))
