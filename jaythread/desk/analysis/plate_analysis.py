"""What is read from the plate for a shape, offered and never applied by itself."""

from dataclasses import replace
from typing import Any

import numpy as np

from jaythread.desk.document import core_cache, lookups
from jaythread.desk.models import Matte
from jaythread.errors import NotThere, Refused
from jaythread.plates import frames as plate_frames
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, shot_for
from roto.matte.analysis.shutter_estimate import read_shutter
from roto.matte.analysis.softness import read_softness
from roto.matte.render import render
from roto.motion.shape import CLOSED


def beside(shot: Shot, shape_id: str, frame: int) -> np.ndarray | None:
    """Alpha (h, w) of what stands in a matte with a shape: there the picture does not show this shape's edge. None where it is alone."""
    row = Matte.objects.filter(shot=shot, entries__shape__pk=shape_id).first()
    if row is None:
        return None
    matte = core_cache.matte(shot, row)
    lines = tuple(replace(e, mode="add") for e in matte.entries if e.shape.id != shape_id and e.mode == "add" and not e.inverted)
    return render(replace(matte, entries=lines, inverted=False), frame, threads=2).alpha if lines else None


FRAMES = 6
"""of a shot that a shutter is read from: those on which the shape moves fastest"""


def shutter(user: User, shot_id: int, shape_id: str) -> dict[str, Any]:
    """The shutter angle that the plate suggests where this shape moves: angle and by how much it may be off (degrees), places that told."""
    shot = shot_for(user, shot_id, "look")
    shape = core_cache.shape(lookups.shape_row(shot, shape_id))
    if shape.kind != CLOSED:
        raise Refused("The shutter is read along closed outlines.")
    frames = np.arange(shot.first, shot.last + 1)
    before, after = (shape.outline(frames + by, frames)[:, :, :2] for by in (-0.5, 0.5))
    speed = np.hypot(*(after - before).transpose(2, 0, 1)).mean(axis=1) * [shape.is_live(int(f)) for f in frames]
    looks = []
    for k in np.argsort(-speed)[: 4 * FRAMES : 4]:  # not all of them neighbours
        try:
            picture = plate_frames.newest(shot, int(frames[k]))
        except NotThere:
            continue
        looks.append((picture, shape.outlines(frames[k : k + 1])[0], after[k] - before[k], beside(shot, shape_id, int(frames[k]))))
    read = read_shutter(looks)
    return {"angle": round(read.angle), "give": round(read.give), "places": read.places}


def softness(user: User, shot_id: int, shape_id: str, frame: int) -> dict[str, Any]:
    """The reach that the plate suggests for each point of a shape on a frame, and on which part of the outline it is known.

    points: index to inner and outer px, just those that are known. unknown: the others. known: percent of the outline. lens: sigma and edge
    shift (px) where the blur of one lens explains the edge better than reaches do, else None.
    """
    shot = shot_for(user, shot_id, "look")
    shape = core_cache.shape(lookups.shape_row(shot, shape_id))
    if shape.kind != CLOSED:
        raise Refused("Softness is read along closed outlines.")
    outline = shape.outlines(np.array([frame]))[0]
    ends = shape.outline(np.array(shot.shutter.exposure(frame)), frame) if shape.blur and shot.shutter.angle else None
    moved = None if ends is None else ends[1, :, :2] - ends[0, :, :2]
    read = read_softness(plate_frames.newest(shot, frame), outline, moved, beside(shot, shape_id, frame))
    lens = read.as_lens(shape.form.parts)
    reach = read.reach_of_points(shape.form.parts)
    known = np.isfinite(reach[:, 0])
    return {
        "points": {int(i): [round(float(v), 1) for v in reach[i]] for i in np.flatnonzero(known)},
        "unknown": np.flatnonzero(~known).tolist(),
        "known": round(100 * read.known),
        "lens": None if lens is None else {"sigma": round(float(lens[0]), 2), "shift": round(float(lens[1]), 1)},
    }
