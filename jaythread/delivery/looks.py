"""Looks: a tryout delivered as pictures. It is frozen with the mattes that it is seen through, as they are when it is asked for."""

import uuid
from collections.abc import Sequence
from typing import Any

from numpy.typing import NDArray

from jaythread.desk.document import core_cache, lookups
from jaythread.desk.models import Matte as MatteRow
from jaythread.desk.models import Tryout
from jaythread.errors import Refused
from jaythread.productions.models import Shot
from jaythread.tryouts.naming import names_of
from jaythread.tryouts.sources import matte_row, sources_of
from roto.errors import BadTryout
from roto.exchange.document import track_from_json, track_to_json
from roto.matte.render import render
from roto.matte.stack import Matte
from roto.package.anomalies import Odd
from roto.package.compose import Look
from roto.tryout import document
from roto.tryout.compose import compose, in_numbers
from roto.tryout.frame_keys import frame_key
from roto.tryout.model import Clip
from roto.tryout.placing import Picture
from roto.tryout.sentences import shown


def mattes_of(shot: Shot, row: Tryout) -> list[MatteRow]:
    """The mattes of this shot that a tryout is seen through, in the order of its lines; the shot's first where it is seen through none,
    since a package is always of a matte."""
    lines = row.to_core().lines
    own = [
        line.through.matte
        for line in lines
        if line.through and not (line.through.along and isinstance(line.shows, Clip) and line.shows.shot)
    ]
    found = [matte_row(shot, one) for one in dict.fromkeys(own)]
    if not found and (first := shot.mattes.first()) is not None:
        found = [first]
    if not found:
        raise Refused("A package is of a matte, and this shot has none yet. Trace a shape first.")
    return found


def frozen(shot: Shot, tryout_id: uuid.UUID) -> dict[str, Any]:
    """A tryout as it is now, as plain data."""
    row = lookups.tryout_row(shot, str(tryout_id))
    core = row.to_core()
    tracks = [track_to_json(core_cache.track(t)) for t in shot.tracks.filter(pk__in=core.tracks())]
    return {"name": row.name, "document": document.to_json(core), "mattes": [str(m.pk) for m in mattes_of(shot, row)], "tracks": tracks}


def look_of(shot: Shot, data: dict[str, Any], mattes: tuple[Matte, ...]) -> Look:
    """What makes its pictures. mattes: as they were frozen, in the order of `data["mattes"]`."""
    core = document.from_json(data["document"])
    own = dict(zip(data["mattes"], mattes, strict=True))
    tracks = {row["id"]: track_from_json(row, f"tracks[{k}]") for k, row in enumerate(data["tracks"])}
    sources = sources_of(shot, core, own, tracks, whole=True)
    names = names_of(shot, core, own)

    def picture(frame: int) -> Picture:
        return compose(core, sources, frame)

    def numbers(frame: int, depth: str) -> NDArray[Any]:
        return in_numbers(core, sources, frame, depth)

    return Look(name=data["name"], picture=picture, numbers=numbers, key=lambda frame: frame_key(core, sources, names, frame))


def uncovered(shot: Shot, data: dict[str, Any], mattes: tuple[Matte, ...], frames: Sequence[int]) -> list[Odd]:
    """Frames on which a line that hides something covers nothing: somebody has to answer for them before it goes out."""
    core, own = document.from_json(data["document"]), dict(zip(data["mattes"], mattes, strict=True))
    out = []
    for line in [one for one in core.lines if one.done.hides and one.through is not None and one.through.matte in own]:
        assert line.through is not None
        for frame in frames:
            if line.is_live(frame) and not render(own[line.through.matte], frame, depth="8").alpha.any():
                says = f"On frame {frame} nothing is covered by {shown(line)} through {own[line.through.matte].name}."
                out.append(Odd(frame=frame, what="uncovered", says=says))
    return out


def check(shot: Shot, data: dict[str, Any], mattes: tuple[Matte, ...]) -> None:
    """Refused where what is to be hidden is not covered on a frame, or its lines cannot be shown."""
    try:
        look_of(shot, data, mattes).picture(shot.working[0])
    except BadTryout as error:
        raise Refused(f"The tryout {data['name']} cannot be made: {error.message}") from error
