"""What a matte can be held against: itself now, a moment of the past, a mark, a package, a matte from elsewhere."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from jaythread.brought import actions as brought
from jaythread.brought.models import Brought
from jaythread.brought.models import State as BroughtState
from jaythread.delivery import sent
from jaythread.delivery.models import Delivery, State
from jaythread.desk.document import core_cache
from jaythread.desk.matting.fringes import ShotFringes
from jaythread.desk.models import Matte
from jaythread.errors import NotThere
from jaythread.productions.models import Shot
from jaythread.review import past
from roto.check import differences
from roto.exchange import document
from roto.matte.render import render
from roto.matte.stack import Matte as CoreMatte

Pixels = NDArray[np.uint16]


@dataclass(frozen=True, slots=True, kw_only=True)
class Side:
    """One of the two. says: what it is called. key: names what a frame of it is made from; "" where it has none. alpha: the matte (h, w) of
    a frame, 65535 being covered; None where it has none. loses: how far its files may be from what was put into them, 0..1."""

    id: str
    says: str
    key: Callable[[int], str]
    alpha: Callable[[int], Pixels | None]
    loses: float = 0.0


def choices(shot: Shot, matte: Matte) -> list[dict[str, str]]:
    """What there is to be compared, as it is offered."""
    marks = [{"id": f"mark {m.pk}", "says": f"mark '{m.name}'", "of": "marks"} for m in shot.marks.all()]
    packages = [{"id": f"package {d.pk}", "says": f"package {d.version}, {d.made:%d %b %H:%M}", "of": "packages"} for d in _packages(matte)]
    others = [
        {"id": f"brought {b.pk}", "says": f"{b.name}, from elsewhere", "of": "from elsewhere"}
        for b in shot.brought.filter(state=BroughtState.READY)
    ]
    return [{"id": "now", "says": "now", "of": ""}, *marks, *packages, *others]


def _packages(matte: Matte) -> list[Delivery]:
    return list(matte.deliveries.filter(state=State.PROVED, tryout__isnull=True).order_by("-version"))


def side(shot: Shot, matte: Matte, said: str) -> Side:
    """A side by its id: now, mark N, after N (the edit of that revision), package N, brought N. NotThere where there is none."""
    kind, _, number = said.partition(" ")
    if kind == "now" and not number:
        return _of_shapes(shot, said, "now", core_cache.matte(shot, matte))
    if not number.isascii() or not number.isdigit() or len(number) > 18:
        raise NotThere("There is nothing like that to compare.")
    at = int(number)
    if kind == "after":
        return _of_shapes(shot, said, f"after edit {at}", past.then(shot, at, matte.pk))
    if kind == "mark" and (mark := shot.marks.filter(pk=at).first()) is not None:
        return _of_shapes(shot, said, f"mark '{mark.name}'", past.then(shot, mark.revision, matte.pk))
    if kind == "package" and (package := matte.deliveries.filter(pk=at, state=State.PROVED, tryout__isnull=True).first()) is not None:
        return _of_package(shot, said, package)
    if kind == "brought" and (row := shot.brought.filter(pk=at, state=BroughtState.READY).first()) is not None:
        return _of_files(said, row)
    raise NotThere("What was to be compared is not there any more.")


def _of_shapes(shot: Shot, said: str, says: str, core: CoreMatte) -> Side:
    solver = ShotFringes(shot, wait=False, steady=False)
    keys = solver.frame_keys(core, range(shot.first, shot.last + 1))

    def alpha(frame: int) -> Pixels:
        return np.asarray(render(core, frame, threads=2, depth="16", fringes=solver.ready(core)).alpha, dtype=np.uint16)

    return Side(id=said, says=says, key=lambda frame: keys[frame], alpha=alpha)


def _of_package(shot: Shot, said: str, package: Delivery) -> Side:
    """Its files as they were sent; where these are composed pictures, the shapes that it was made from."""
    says, kind = f"package {package.version}", package.core_recipe.kind
    rows = {row.frame: row for row in package.frames.all()}
    if not sent.holds_matte(package):
        return _of_shapes(shot, said, f"{says} (its shapes)", document.loads(package.document))

    def key(frame: int) -> str:
        if frame not in rows:
            return ""
        own = kind.movie or not rows[frame].key  # of stills, the same picture has the same key in each package
        return f"{f'package {package.pk} {frame}' if own else rows[frame].key} sent"

    def alpha(frame: int) -> Pixels | None:
        return sent.matte(package, rows[frame]) if frame in rows else None

    if kind.tolerance * 65535 > differences.SAME:
        says += f" ({kind.says.partition(' (')[0]}: what that loses is not counted)"
    return Side(id=said, says=says, key=key, alpha=alpha, loses=kind.tolerance)


def _of_files(said: str, row: Brought) -> Side:
    def key(frame: int) -> str:
        number = frame - brought.moved(row.shot, row)
        return f"brought {row.pk} {number}" if row.file(number).exists() else ""

    return Side(id=said, says=row.name, key=key, alpha=partial(brought.alpha, row))


def told(row: Brought) -> dict[str, Any]:
    """A matte from elsewhere as the page lists it."""
    job = row.job
    return {
        "id": row.pk, "name": row.name, "state": row.state, "percent": job.percent if job else 0,
        "says": " ".join(row.notes) if row.state != BroughtState.FAILED else (job.message if job else ""),
    }  # fmt: skip
