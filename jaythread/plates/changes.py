"""What differs between a plate and the version before it: looked at by a job once the newer one is decoded, told on its page."""

from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np

from jaythread.errors import NotThere, Refused
from jaythread.jobs import actions as jobs
from jaythread.jobs.models import Job
from jaythread.jobs.progress import Progress
from jaythread.jobs.registry import Kind, register
from jaythread.plates import frames, policies
from jaythread.plates.models import CHANGES, Plate, State
from jaythread.productions.policies import User
from roto.package.sheet import spans
from roto.picture import changes
from roto.picture.changes import Change
from roto.picture.stills import encode_picture

STRONGER = 4
"""times: how much brighter a difference is shown than it is"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Pair:
    """A frame that both versions have."""

    frame: int
    before: np.ndarray
    after: np.ndarray


def numbers(plate: Plate) -> set[int]:
    """The frames that a plate has pictures of."""
    first, last = plate.own_range
    return {number + plate.offset for number in (map(int, plate.names) if plate.names else range(first, last + 1))}


def begin(plate: Plate, job: Job) -> None:
    """Have a plate that was just decoded looked at, if it is a newer version of something. job: what decoded it."""
    before = plate.before
    if before is not None:
        with suppress(Refused):  # it is being looked at already: what decoded it was taken up again
            jobs.start(job.user, plate.shot, LOOKING, str(plate.pk), total=len(numbers(plate) & numbers(before)))


def ask(user: User, plate_id: int) -> None:
    """Have a plate looked at that was decoded before this was done by itself."""
    plate = policies.plate_for(user, plate_id, "bring in")
    if plate.state != State.READY or plate.before is None:
        raise Refused("There is nothing to compare: it is the only version, or is not decoded yet.")
    jobs.start(user, plate.shot, LOOKING, str(plate.pk), total=len(numbers(plate) & numbers(plate.before)))


def _pairs(before: Plate, after: Plate) -> Iterator[Pair]:
    for frame in sorted(numbers(before) & numbers(after)):
        try:
            yield Pair(frame=frame, before=frames.quick(before, frame), after=frames.quick(after, frame))
        except NotThere:
            continue


def _look(job: Job, progress: Progress) -> str:
    """Hold every frame against the one of the version before. Safe to run again."""
    plate = Plate.objects.select_related("shot").filter(pk=job.subject).first()
    before = plate.before if plate is not None else None
    if plate is None or before is None:
        return ""
    found: dict[int, Change] = {}
    small: tuple[dict[int, np.ndarray], dict[int, np.ndarray]] = ({}, {})
    scale = 1.0
    for done, pair in enumerate(_pairs(before, plate)):
        progress.step(done)
        found[pair.frame] = changes.change(pair.before, pair.after)
        scale = plate.shot.width / pair.after.shape[1]
        for kept, picture in zip(small, (pair.before, pair.after), strict=True):
            kept[pair.frame] = changes.small(picture)
    says = _says(before, plate, found, changes.retimed(*small), scale)
    told = {"before": before.version, "says": says, "shares": {str(f): round(one.share, 6) for f, one in found.items()}}
    Plate.objects.filter(pk=plate.pk).update(changes=told)
    return says[0] if says else ""


def _says(before: Plate, after: Plate, found: dict[int, Change], retimed: list[tuple[int, int, int]], scale: float) -> list[str]:
    """Sentences for the artist, what matters most first. scale: px of the plate to one of the pictures compared."""
    differ = [f for f, one in found.items() if one.seen]
    says = []
    for first, last, by in retimed:
        when = f"{abs(by)} frame{'s' if abs(by) > 1 else ''} {'later' if by > 0 else 'earlier'}"
        says.append(f"From {first} to {last} it shows what version {before.version} shows {when}: keys there are off by that.")
    move = None if retimed else changes.moved([found[f] for f in differ])
    if move is not None:
        x, y = (scale * one for one in move)
        ways = [f"{abs(v):.1f} px {way[v < 0]}" for v, way in ((x, ("to the right", "to the left")), (y, ("down", "up"))) if abs(v) > 0.05]
        says.append(f"The picture is moved by {' and '.join(ways)}: shapes are off by that.")
    gain = None if retimed or move is not None else changes.graded([found[f] for f in differ])
    if gain is not None:
        says.append(f"It is {abs(100 * (gain - 1)):.0f} % {'brighter' if gain > 1 else 'darker'} all over. Shapes lie as they lay.")
    if differ:
        worst = max(differ, key=lambda f: found[f].share)
        which = f"All {len(found)} frames differ" if len(differ) == len(found) else f"{len(differ)} of {len(found)} frames differ"
        which += "s" if len(differ) == 1 else ""
        most = f"Most on {worst}: {100 * found[worst].share:.1f} % of the picture."
        says.append(f"{which}: {spans(differ)}. {most}" if len(found) > 1 else f"Frame {worst} differs.")
    elif found:
        which = f"the {len(found)} frames" if len(found) > 1 else "the one frame"
        says.append(f"Nothing differs that can be seen on {which} that both have.")
    for some, what in ((numbers(after) - numbers(before), "new"), (numbers(before) - numbers(after), "not there any more")):
        if some:
            says.append(f"{'Frame' if len(some) == 1 else 'Frames'} {spans(sorted(some))} {'is' if len(some) == 1 else 'are'} {what}.")
    return says


def told(user: User, plate_id: int) -> dict[str, Any]:
    """What is known of the differences of a plate; for its page. NotThere where there is no version before."""
    plate = policies.plate_for(user, plate_id, "look")
    before = plate.before
    if before is None:
        raise NotThere("There is no earlier version of this plate.")
    return {"plate": plate, "before": before, "found": plate.changes, "job": plate.looking}


def picture(user: User, plate_id: int, frame: int) -> bytes:
    """A PNG of what differs on a frame: grey as it is now, brighter in colour where it differs. NotThere where one version has none."""
    plate = policies.plate_for(user, plate_id, "look")
    before = plate.before
    if before is None:
        raise NotThere("There is no earlier version of this plate.")
    one, other = frames.small(before, frame), frames.small(plate, frame)
    much = np.minimum(changes.apart(one, other).astype(np.float32) * (STRONGER / 255), 1.0)[:, :, None]
    grey = 0.4 * cv2.cvtColor(np.ascontiguousarray(other), cv2.COLOR_RGB2GRAY).astype(np.float32)[:, :, None]
    shown = grey * (1 - much) + np.array(DIFFERS, np.float32) * much
    return encode_picture(np.rint(shown).astype(np.uint8), ".png")


DIFFERS = (232, 158, 44)
"""the colour of what differs"""

LOOKING = register(Kind(name=CHANGES, may="bring in", run=_look, busy="Its differences are being looked at already.", long=True))
