"""Core values of a shot's shapes and mattes, kept in memory per revision so that a preview does not read the database again."""

from collections import OrderedDict
from threading import Lock

from jaythread.desk.models import Matte, Shape
from jaythread.productions.models import Shot
from roto.matte.stack import Entry
from roto.matte.stack import Matte as CoreMatte
from roto.motion.shape import Shape as CoreShape

KEPT = 2000
"""shapes kept in memory per process: a few shots' worth, some 100 kB each at the most"""

_shapes: OrderedDict[tuple[str, int], CoreShape] = OrderedDict()
_lock = Lock()


def core_shapes(shapes: list[Shape]) -> dict[str, CoreShape]:
    """Core shapes by id; those whose revision is in memory are not read again."""
    out = {}
    for row in shapes:
        key = (str(row.pk), row.revision)
        with _lock:
            kept = _shapes.get(key)
            if kept is not None:
                _shapes.move_to_end(key)
        if kept is None:
            kept = row.to_core()
            with _lock:
                _shapes[key] = kept
                while len(_shapes) > KEPT:
                    _shapes.popitem(last=False)
        out[str(row.pk)] = kept
    return out


def shot_shapes(shot: Shot) -> dict[str, CoreShape]:
    return core_shapes(list(Shape.objects.filter(shot=shot)))


def core_matte(shot: Shot, matte: Matte) -> CoreMatte:
    """A matte as the core knows it, at the present revision."""
    entries = list(matte.entries.select_related("shape"))
    shapes = core_shapes([e.shape for e in entries])
    return CoreMatte(
        shot=shot.name,
        name=matte.name,
        size=(shot.width, shot.height),
        rate=shot.rate,
        first=shot.first,
        last=shot.last,
        shutter=shot.shutter,
        inverted=matte.inverted,
        entries=tuple(Entry(shape=shapes[str(e.shape_id)], mode=e.mode, inverted=e.inverted, opacity=e.opacity) for e in entries),
    )
