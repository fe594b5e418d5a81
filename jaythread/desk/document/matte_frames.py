"""The outlines of a matte on its frames, and a key a frame: what was measured or looked at there holds as long as the key is the same."""

from dataclasses import dataclass
from uuid import UUID

import numpy as np

from jaythread.desk.document import core_cache
from jaythread.desk.models import FrameFit, Matte, Shape
from jaythread.plates.models import Mixed, Plate
from jaythread.prepared import Prepared
from jaythread.productions.models import Shot
from roto.arrays import Floats
from roto.matte.frame_keys import FrameKeys, rows_of
from roto.matte.modes import FOUND
from roto.matte.stack import Matte as CoreMatte
from roto.motion.shape import CLOSED
from roto.motion.shape import Shape as CoreShape

METHOD = "2"
"""a part of every key: raised when the same input would be measured otherwise"""
MEASURED = "2"
"""a part of every key of a fit: raised when fits are measured otherwise, and what somebody looked at stays looked at"""


@dataclass(frozen=True, slots=True, kw_only=True)
class MatteFrames:
    """A matte made ready to be measured: its closed outlines on every frame, and a key a frame. light: whether the plate's edges are
    looked for in linear light."""

    core: CoreMatte
    frames: np.ndarray
    shapes: dict[str, CoreShape]
    outlines: dict[str, Floats]
    modes: dict[str, str]
    keys: list[str]
    light: bool = False

    @property
    def fit_keys(self) -> list[str]:
        """The keys under which fits are kept: also how they were measured counts."""
        return [f"{key} {MEASURED}{' light' if self.light else ''}" for key in self.keys]


def ready(shot: Shot, row: Matte, plate: Plate | None, only: list[int] | None = None) -> MatteFrames:
    """What there is to measure of a matte, on all frames or on some."""
    core = core_cache.matte(shot, row)
    frames = np.arange(shot.first, shot.last + 1) if only is None else np.array(only, np.int64)
    lines = [e for e in core.entries if e.mode not in FOUND and e.shape.kind == CLOSED]
    shapes = {e.shape.id: e.shape for e in lines}
    outlines = {i: s.outlines(frames) for i, s in shapes.items()}
    common = f"{METHOD} {plate.pk if plate else 0} {plate.display_version if plate else 0}"
    mixed = FrameKeys(common, {int(f): "" for f in frames})
    for entry in lines:
        live = np.array([entry.shape.is_live(int(f)) for f in frames], dtype=bool)
        rounded = np.round(outlines[entry.shape.id][live], 3)
        said = f"{entry.shape.id} {entry.mode} {entry.inverted}"
        mixed.mix(frames[live].tolist(), said.encode(), rows_of(rounded, len(rounded)))
    modes = {e.shape.id: e.mode for e in lines}
    light = plate is not None and plate.mixed == Mixed.LIGHT
    names = list(mixed.names().values())
    return MatteFrames(core=core, frames=frames, shapes=shapes, outlines=outlines, modes=modes, keys=names, light=light)


_looked = Prepared(
    lambda shape: FrameFit.objects.filter(matte__entries__shape=shape).exclude(looked="").select_related("matte"), UUID(int=1)
)


def looked_at(shot: Shot, shape: Shape) -> set[int]:
    """The frames of a shape's mattes that somebody looked at, and that have not changed since."""
    found: set[int] = set()
    marks = _looked(shape.pk)
    by_matte: dict[Matte, dict[int, str]] = {}
    for mark in marks:
        by_matte.setdefault(mark.matte, {})[mark.frame] = mark.looked
    for matte, looked in by_matte.items():
        state = ready(shot, matte, shot.plates.first(), sorted(looked))
        found |= {int(f) for f, key in zip(state.frames, state.keys, strict=True) if looked[int(f)] == key}
    return found
