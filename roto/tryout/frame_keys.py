"""A name for all that a frame of a tryout is made from: equal input, equal name, so that an edit makes just its own frames stale."""

import hashlib
import json
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from roto.motion import interpolate
from roto.tryout import edits
from roto.tryout.compose import Sources, pace
from roto.tryout.document import Tryout, line_to_json
from roto.tryout.model import Clip, Graphic, Light, Line, keys_of
from roto.tryout.timing import clip_frame

METHOD = "1"
"""a part of every name: raised when the same input would be composed to something else"""


@dataclass(frozen=True, kw_only=True)
class Names:
    """Names of what a tryout is made from, other ones when that shows something else. picture: of a shot and a frame. matte: of a shot, a
    matte's id, a frame and px of growth. graphic: of a file's id."""

    picture: Callable[[str, int], str]
    matte: Callable[[str, str, int, float], str]
    graphic: Callable[[str], str]


def frame_key(tryout: Tryout, sources: Sources, names: Names, frame: int) -> str:
    """The name (48 signs) of a frame."""
    parts = [METHOD, str(tryout.size), str(tryout.shutter), str(frame if tryout.tracks() else "")]
    for line in tryout.lines:
        if line.is_live(frame):
            parts += _line(tryout, sources, names, line, frame)
    return hashlib.blake2b("\n".join(parts).encode(), digest_size=24).hexdigest()


def _line(tryout: Tryout, sources: Sources, names: Names, line: Line, frame: int) -> list[str]:
    said = line_to_json(line)
    for where, name in (("place", "keys"), ("place", "corners"), ("done", "opacity"), ("done", "gain"), ("shows", "speed")):
        said[where].pop(name, None)
    for name in ("live", "fade", "name"):
        said.pop(name)
    if said["place"]["swing"]:
        said["place"]["swing"].pop("angle")
    if isinstance(line.shows, Clip):  # which of its frames is shown is all that counts
        said["shows"] = {"kind": line.shows.kind, "fit": line.shows.fit}
    out = [json.dumps(said, sort_keys=True), repr(line.faded(frame))]
    low, high = tryout.shutter.shutter().exposure(frame)
    moments = [low, (low + high) / 2, high] if line.place.blur else [float(frame)]
    for name, rest in edits.RESTS.items():
        if (keys := keys_of(edits.channel(line, name), len(rest), name)) is not None and name != "speed":
            at = moments if name in ("place", "corners", "angle") else [float(frame)]
            found = interpolate.evaluate(keys, at, np.full(len(at), frame), within=name in edits.AMOUNTS)
            out.append(f"{name} {found.tobytes().hex()}")
    ends = (line.shows.one.track, line.shows.other.track) if isinstance(line.shows, Light) else ()
    for name in [one for one in (line.place.track, *ends) if one in sources.tracks]:
        track = sources.tracks[name]
        home = track.home if line.place.home is None else line.place.home  # what it rides on is held against its place there
        points = track.points_at(np.array([home, *moments]), np.array([home, *[frame] * len(moments)]))
        out.append(f"track {points.tobytes().hex()}")
    at_frame: int | None = frame
    if isinstance(line.shows, Clip) and line.shows.shot in sources.films:
        film = sources.films[line.shows.shot]
        at_frame = clip_frame(line.shows, frame, film.frames, tryout.frames[0], pace(tryout, film))
        out.append("nothing" if at_frame is None else names.picture(line.shows.shot, at_frame))
    if isinstance(line.shows, Graphic):
        out.append(names.graphic(line.shows.file))
    if line.through is not None and at_frame is not None:
        along = line.through.along and isinstance(line.shows, Clip)
        shot = line.shows.shot if along and isinstance(line.shows, Clip) else ""
        own = sources.films.get(shot)
        wanted = (at_frame if along else frame) + line.through.later
        if own is not None:
            out.append(names.matte(shot, line.through.matte, min(max(wanted, own.frames[0]), own.frames[1]), line.through.grow))
    return out
