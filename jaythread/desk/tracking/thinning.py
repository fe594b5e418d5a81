"""As few keys as keep an outline: as a job, which ends in one edit. What carries the shape may be put into its keys before."""

import numpy as np
from django.db import transaction
from pydantic import BaseModel, Field

from jaythread.desk.document import core_cache
from jaythread.desk.edit import actions
from jaythread.desk.edit.commands.tracks import told
from jaythread.desk.edit.row_changes import compare
from jaythread.desk.tracking.drawing import closed_row
from jaythread.errors import Refused
from jaythread.jobs.models import Job
from jaythread.jobs.progress import Progress
from jaythread.jobs.registry import Kind, Prepared, register
from jaythread.productions.models import Shot
from jaythread.productions.policies import shot_for
from roto.track.thin import baked, thin

OPEN = "Only closed outlines are thinned."


class ThinSettings(BaseModel):
    """tolerance: px that the outline may be off by on any frame. baked: what carries it is put into its keys first, on each frame of its
    shot, and nothing carries it any more."""

    tolerance: float = Field(0.5, ge=0.01, le=100)
    baked: bool = False


def _prepare(shot: Shot, subject: str, said: ThinSettings) -> Prepared:
    closed_row(shot, subject, OPEN)
    return Prepared()


def _thin(job: Job, progress: Progress) -> str:
    """Thin, then write once; a shape that was changed meanwhile stays as it is."""
    said, shot = ThinSettings(**job.settings), job.shot
    row = closed_row(shot, job.subject, OPEN)
    core, frames = core_cache.shapes([row])[job.subject], np.arange(shot.first, shot.last + 1)
    progress.begin(1)
    dense = baked(core, frames, free=True) if said.baked else core
    done = thin(dense, said.tolerance, on_way=lambda keys: progress.so_far(0, {"keys": keys}))
    with transaction.atomic():
        shot = shot_for(job.user, job.shot_id, "trace", lock=True)
        now = closed_row(shot, job.subject, OPEN)
        carried = core_cache.shapes([now])[job.subject].outlines(frames) if said.baked else None
        if now.revision != row.revision or (carried is not None and not np.array_equal(carried, core.outlines(frames))):
            raise Refused(f"'{core.name}' was changed while its keys were thinned, and stays as it is. Thin it again.")
        what = f"baked {core.name}, thinned" if said.baked else f"thinned {core.name}"
        actions.save(job.user, shot, f"{what}: {told(done)}", compare(core.id, core, done.shape))
    return f"{core.name}: {told(done)}."


THINNING = register(
    Kind(
        name="shape.thin",
        may="trace",
        busy="The keys of this shape are being thinned already.",
        settings=ThinSettings,
        prepare=_prepare,
        run=_thin,
    )
)
