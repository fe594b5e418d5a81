"""Core values and rows as the journal keeps them: plain data, numbers to the last bit."""

import base64
from dataclasses import asdict
from typing import Any

import numpy as np

from jaythread.desk.models import Matte, StackEntry, Track, Tryout
from roto.motion.group import group_of
from roto.motion.keys import Keys
from roto.motion.shape import BELL
from roto.motion.shape import Shape as CoreShape
from roto.track.ride import own_carrier
from roto.track.track import Track as CoreTrack

Data = dict[str, Any]


def _packed(array: np.ndarray) -> str:
    return base64.b64encode(array.tobytes()).decode()


def key_data(keys: Keys, k: int) -> Data:
    """One key of a channel."""
    return {
        "kind": int(keys.kinds[k]),
        "held": _packed(keys.held[k].astype(np.int8)),
        "values": _packed(keys.values[k].astype("<f8")),
        "speeds": _packed(keys.speeds[k].astype("<f8")),
    }


def shape_data(shape: CoreShape) -> Data:
    """What a shape is beside its keys; what it rides on, and which points have a reach of their own, only where there is something."""
    group = group_of(shape)
    return {
        "name": shape.name, "kind": shape.kind, "points": _packed(shape.kinds), "colour": shape.colour, "profile": shape.profile,
        "blur": shape.blur, "pivot": list(shape.pivot), "live": [list(r) for r in shape.live], **({"group": group.id} if group else {}),
        **({"lens_kind": shape.lens_kind} if shape.lens_kind != BELL else {}),
        **({"own": _packed(np.array(shape.own, np.int8))} if shape.own else {}),
        **({"carrier": carrier} if (carrier := carrier_data(shape)) else {}),
    }  # fmt: skip


def carrier_data(shape: CoreShape) -> Data | None:
    """A shape's own carrier."""
    carrier = own_carrier(shape)
    if carrier is None:
        return None
    return {"track": carrier.track.id if carrier.track else None, "how": carrier.how, "before": carrier.before.ravel().tolist()}


def matte_data(matte: Matte) -> Data:
    """A matte beside its stack; its lens softness only where there is some."""
    lens = {"lens": matte.lens, "lens_kind": matte.lens_kind} if matte.lens or matte.lens_kind != BELL else {}
    return {"name": matte.name, "inverted": matte.inverted, "shift": matte.shift, **lens}


def entry_data(entry: StackEntry) -> Data:
    """A line of a stack."""
    return {
        "matte": str(entry.matte_id), "shape": str(entry.shape_id), "order": entry.order, "mode": entry.mode, "inverted": entry.inverted,
        "opacity": entry.opacity, **({"source": entry.source} if entry.source else {}),
    }  # fmt: skip


def tryout_data(tryout: Tryout) -> Data:
    """A tryout's row."""
    return {"name": tryout.name, "lines": tryout.lines}


def track_data(track: Track) -> Data:
    """A track's row."""
    return {"name": track.name, "data": track.data}


def new_track_data(track: CoreTrack, patch: Data | None, linear: Data | None = None) -> Data:
    """A track of the core as its row is to be.

    patch: what is followed: {frame, half, model, search} of a point, {frame, shape, holds_out, search} of a plane; None for one that is
    laid by hand alone. linear: of followed points, how the patch was turned and sized on a frame. `sure` and `hand` are the names under
    which rows have kept confidence and manual frames from the first.
    """
    data = {
        "home": track.home,
        "frames": track.points.frames.tolist(),
        "points": track.points.values.tolist(),
        "sure": [round(float(v), 4) for v in track.confidence],
        "hand": sorted(track.manual),
        "patch": patch,
        "linear": linear or {},
        **({"sheet": asdict(track.sheet)} if track.sheet is not None else {}),
    }
    return {"name": track.name, "data": data}
