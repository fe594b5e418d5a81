"""Which frames of a shape the picture will hardly draw on, told before it is let to: a short job that changes nothing."""

import numpy as np
from pydantic import BaseModel, Field

from jaythread.desk.document import core_cache, lookups
from jaythread.desk.edit.types import Frame
from jaythread.desk.models import Shape
from jaythread.desk.tracking.covers import cover_of
from jaythread.desk.tracking.drawing import ALONG, closed_row, in_light, keys_of, needs_plate, take_at
from jaythread.errors import Refused
from jaythread.jobs.models import Job
from jaythread.jobs.progress import Progress
from jaythread.jobs.registry import Kind, Prepared, register
from jaythread.plates import frames as plate_frames
from jaythread.plates.models import Plate
from jaythread.productions.models import Shot
from roto.arrays import Flags, Floats
from roto.motion.shape import CLOSED
from roto.motion.shape import Shape as CoreShape
from roto.track import between, foresee

SAYS = {foresee.BLURRED: "blurred", foresee.FLAT: "nothing to hold on to", foresee.OUT: "mostly outside the picture"}
NAMED = 6
"""frames of each kind that the sentence names"""
OVER = 0.08
"""share of the inside that another shape must cover to be named"""
LARGER = 1.5
"""times as large: what is so much larger is more likely behind"""


class ForeseeSettings(BaseModel):
    """frame: where somebody is; with one key its take is looked at, with several what lies between them. in_front: shapes that pass in
    front."""

    frame: Frame
    in_front: list[str] = Field([], max_length=200)


def _frames(shot: Shot, core: CoreShape, frame: int) -> list[int]:
    keys = [f for f in keys_of(core) if shot.first <= f <= shot.last]
    low, high = (min(keys), max(keys)) if len(keys) > 1 else take_at(shot, keys[0] if keys else frame)
    return [f for f in range(low, high + 1) if core.is_live(f)]


def _prepare(shot: Shot, subject: str, said: ForeseeSettings) -> Prepared:
    row = closed_row(shot, subject)
    needs_plate(shot)
    frames = _frames(shot, core_cache.shapes([row])[subject], said.frame)
    if not frames:
        raise Refused(f"'{row.name}' lives on none of the frames that could be drawn. Change its live ranges first.")
    for other in said.in_front:
        lookups.as_uuid(other)
    return Prepared(total=len(frames), settings=said.model_dump())


def _look(job: Job, progress: Progress) -> str:
    shot, said = job.shot, ForeseeSettings(**job.settings)
    core = core_cache.shapes([closed_row(shot, job.subject)])[job.subject]
    frames, keys = _frames(shot, core, said.frame), keys_of(core)
    progress.begin(len(frames))
    outlines = between.along(core.outlines(np.array(frames)), ALONG)
    front = list(core_cache.shapes(list(Shape.objects.filter(pk__in=said.in_front, shot=shot))).values())
    plate, found = needs_plate(shot), {}
    for done, (frame, outline) in enumerate(zip(frames, outlines, strict=True)):
        progress.step(done)
        found[frame] = _seen(plate, frame, outline, cover_of(shot, front, frame) if front else None)
    hard = foresee.hard(found, keys)
    progress.so_far(len(frames), {"hard": [[f, SAYS[why]] for f, why in hard.items()]})
    over = _over(shot, job.subject, said.in_front, dict(zip(frames, outlines, strict=True)), keys)
    more = f" On a key {_listed(over)} over it: name below what passes in front." if over else ""
    return sentence(hard, len(frames)) + more


def _seen(plate: Plate, frame: int, outline: Floats, hidden: Flags | None) -> foresee.Seen:
    picture = plate_frames.as_bytes(plate, frame)
    size = (picture.shape[1], picture.shape[0])
    x0, y0, x1, y1 = foresee.around(outline, size)
    covered = None if hidden is None else hidden[y0:y1, x0:x1]
    return foresee.seen(in_light(picture[y0:y1, x0:x1]), outline, (x0, y0), size, covered)


def _over(shot: Shot, subject: str, named: list[str], outlines: dict[int, Floats], keys: list[int]) -> list[str]:
    """Names of other shapes that lie over the inside of a shape on one of its keys: what is there may be theirs."""
    rows = shot.shapes.filter(kind=CLOSED).exclude(pk__in=[subject, *named])
    size, found = (shot.width, shot.height), []
    insides = {k: between.inside(outlines[k], size) for k in keys if k in outlines}
    for core in core_cache.shapes(list(rows)).values():
        for frame, inside in insides.items():
            if not core.is_live(frame):
                continue
            its = between.inside(between.along(core.outlines(np.array([frame])), ALONG)[0], size)
            if (inside & its).sum() > OVER * max(1, inside.sum()) and its.sum() < LARGER * inside.sum():
                found.append(core.name)
                break
    return sorted(found)


def _listed(names: list[str]) -> str:
    """Names, and what they do.

    >>> _listed(["face"]), _listed(["face", "hand", "hat"])
    ('face lies', 'face, hand and hat lie')
    """
    return f"{', '.join(names[:-1])} and {names[-1]} lie" if len(names) > 1 else f"{names[0]} lies"


def sentence(hard: dict[int, str], looked_at: int) -> str:
    """What was seen, in the artist's words.

    >>> sentence({3: "blurred", 4: "blurred", 9: "flat"}, 20)
    'Hard frames: 3, 4 (blurred); 9 (nothing to hold on to). Key them by hand first (K).'
    >>> sentence({3: "blurred"}, 20), sentence({}, 1)
    ('Hard frame: 3 (blurred). Key it by hand first (K).', 'Looked at 1 frame: it shows enough of the inside to draw by.')
    """
    if not hard:
        which = "1 frame: it" if looked_at == 1 else f"{looked_at} frames: each"
        return f"Looked at {which} shows enough of the inside to draw by."
    parts = []
    for why, says in SAYS.items():
        its = [f for f, own in hard.items() if own == why]
        more = f" and {len(its) - NAMED} more" if len(its) > NAMED else ""
        if its:
            parts.append(f"{', '.join(map(str, its[:NAMED]))}{more} ({says})")
    one, it = ("Hard frame", "it") if len(hard) == 1 else ("Hard frames", "them")
    return f"{one}: {'; '.join(parts)}. Key {it} by hand first (K)."


FORESEEING = register(
    Kind(
        name="shape.foresee",
        may="trace",
        busy="The frames of this shape are being looked at already.",
        settings=ForeseeSettings,
        prepare=_prepare,
        run=_look,
    )
)
