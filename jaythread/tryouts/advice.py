"""What a tryout says without being asked, measured on small pictures of some of its frames."""

from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from jaythread.desk.models import Tryout
from jaythread.errors import NotThere, Refused
from jaythread.productions.models import Shot
from jaythread.tryouts.pictures import prepared
from roto.errors import BadTryout, RotoError
from roto.motion.keys import Keys
from roto.tryout import advice, compose, document
from roto.tryout.compose import Frame, Sources
from roto.tryout.finish import LUMA, gains
from roto.tryout.model import Clip, Light, Line, channel_of
from roto.tryout.sentences import shown
from roto.tryout.timing import clip_frame

WIDTH = 320
"""px: wide enough for means along an edge"""
LAID = {"fit": "it is laid whole into the picture", "fill": "it fills the picture, what juts out is cut off", "own": "its pixels stay"}
HIDES = 0.25
"""of a seam: what covers less of it is not what passes"""
LOOKS = 8
"""frames of the range that are looked at, spread evenly; light is told of each"""


def _frames(core: document.Tryout, line: Line | None) -> list[int]:
    first, last = (
        core.frames if line is None or line.live is None else (max(core.frames[0], line.live[0]), min(core.frames[1], line.live[1]))
    )
    return sorted({int(f) for f in np.linspace(first, last, LOOKS).round()}) if first <= last else []


def of(shot: Shot, row: Tryout, line_id: str | None = None) -> dict[str, Any]:
    """Sentences about all lines, and the light of one of them on each frame that was looked at: the chosen one, or the topmost that has
    something to tell."""
    core, sources = prepared(shot, row)
    says: list[dict[str, Any]] = []
    told: dict[str, list[dict[str, Any]]] = {}
    for at, line in enumerate(core.lines):
        try:
            told[line.id] = _light(core, sources, at, line, says)
            _hiding(core, sources, line, says)
            _passing(shot, core, sources, line, says)
            _motion(core, sources, line, says)
            _clip(core, sources, line, says)
            _riding(core, sources, line, says)
        except RotoError as error:
            says.append({"line": line.id, "what": "missing", "says": error.message, "frames": []})
    chosen = line_id if line_id in told else next((k for k in reversed(told) if told[k]), None)
    return {"says": says, "light": told.get(chosen or "", [])}


def _light(core: document.Tryout, sources: Sources, at: int, line: Line, says: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """The light of a filmed line against what lies below, where it ends within the picture."""
    if at == 0 or not isinstance(line.shows, Clip) or (line.through is None and not line.place.keys):
        return []
    if not line.shows.shot and (not line.place.keys or (line.through is not None and line.through.along)):
        return []  # the same picture at the same place agrees with itself, and a subject need not be as bright as its ground
    out = [
        {"frame": frame, "stops": round(gap.stops, 3), "red": round(gap.red, 4), "blue": round(gap.blue, 4), "off": gap.off}
        for frame, gap in _gaps(core, sources, at, line)
    ]
    off = [one["frame"] for one in out if one["off"]]
    if off:
        mean = float(np.mean([one["stops"] for one in out if one["off"]]))
        how = (
            f"{abs(mean):.1f} stops {'brighter' if mean > 0 else 'darker'} than"
            if abs(mean) > advice.LIGHT_OFF
            else "of another colour than"
        )
        words = f"The light gives it away: {shown(line)} is {how} what lies below, along its edge."
        says.append({"line": line.id, "what": "light", "says": words, "frames": off})
    return out


def _gaps(core: document.Tryout, sources: Sources, at: int, line: Line) -> Iterator[tuple[int, advice.LightGap]]:
    """How a line's light differs from what lies below, by frame, where enough of its edge is seen."""
    target = compose.target_size(core, WIDTH)
    for frame in _frames(core, line):
        now = Frame(tryout=core, sources=sources, frame=frame, target=target, scale=target[0] / core.size[0])
        found = compose.layer(now, line) if line.is_live(frame) else None
        if found is None:
            continue
        whole = np.zeros((target[1], target[0], 4), np.float32)
        x0, y0, x1, y1 = found[1]
        whole[y0:y1, x0:x1] = found[0]
        gap = advice.light_gap(whole, compose.compose(replace(core, lines=core.lines[:at]), sources, frame, WIDTH))
        if gap is not None:
            yield frame, gap


def even_out(shot: Shot, row: Tryout, line_id: str) -> dict[str, Any]:
    """A line with gains keyed that even its light out, smoothed over the frames that were looked at; nothing is saved. Refused where too
    little of its edge is seen."""
    core, sources = prepared(shot, row)
    at, line = next(((k, one) for k, one in enumerate(core.lines) if one.id == line_id), (0, None))
    if line is None:
        raise NotThere("That line of the tryout is not there any more.")
    found = list(_gaps(core, sources, at, line))
    if not found:
        raise Refused("Too little of its edge is seen to tell how its light differs.")
    even = advice.evened(np.array([gap.gain for _, gap in found]), 2)
    now = np.stack([gains(line.done, frame) for frame, _ in found]) / 2.0**line.done.exposure
    keys = Keys.build([frame for frame, _ in found], np.stack([even * now, np.zeros_like(even)], axis=2))
    return document.line_to_json(replace(line, done=replace(line.done, gain=channel_of(keys))))


def _hiding(core: document.Tryout, sources: Sources, line: Line, says: list[dict[str, Any]]) -> None:
    """Whether what is to be hidden is hidden: the matte there on each frame, and strongly enough."""
    if line.through is None or not line.done.hides:
        return
    empty, box = [], None
    for frame in _frames(core, line):
        alpha = sources.matte("", line.through.matte, frame, line.through.grow)
        there = np.argwhere(alpha > 0.5)
        if not len(there):
            empty.append(frame)
        elif box is None:
            (y0, x0), (y1, x1) = there.min(axis=0), there.max(axis=0)
            box = (float(x0), float(y0), float(x1 + 1), float(y1 + 1))
    if empty:
        where = f"frame {empty[0]}" if len(empty) == 1 else f"{len(empty)} of the frames that were looked at"
        words = f"On {where} nothing is covered: what is to be hidden can be seen there, if it is in the picture."
        says.append({"line": line.id, "what": "hiding", "says": words, "frames": empty})
    if box is not None and (words := advice.readable(line, box)):
        says.append({"line": line.id, "what": "hiding", "says": words[:1].upper() + words[1:], "frames": []})


def _passing(shot: Shot, core: document.Tryout, sources: Sources, line: Line, says: list[dict[str, Any]]) -> None:
    """Whether a passing matte changes over wholly, and reaches the picture's border."""
    if line.through is None or not isinstance(line.shows, Clip) or not line.shows.shot:
        return
    first, last = core.frames if line.live is None else line.live
    shares, gaps, passed = {}, {}, {}
    for frame in _frames(core, line):
        alpha = sources.matte("", line.through.matte, frame, line.through.grow)
        passed[frame] = 1 - alpha if line.through.outside else alpha
        cover = advice.cover(passed[frame])
        shares[frame], gaps[frame] = cover.share, cover.gaps
    begin, end = shares.get(first), shares.get(last)
    if begin is not None and end is not None and max(begin, end) > 0.5 > min(begin, end):  # it goes from the one to the other
        for frame, share, wanted, name in ((first, begin, begin > 0.5, "first"), (last, end, end > 0.5, "last")):
            if abs(share - wanted) > 0.005:
                words = f"The pass is not whole: the {name} frame still shows {100 * abs(share - wanted):.0f} % of the other picture."
                says.append({"line": line.id, "what": "pass", "says": words, "frames": [frame]})
    open_ = {side for sides in gaps.values() for side in sides}
    if open_:
        words = (
            f"At the {', '.join(sorted(open_))} of the picture a gap lets the wrong picture through: take the outline out over the border."
        )
        says.append({"line": line.id, "what": "pass", "says": words, "frames": [f for f, sides in gaps.items() if sides]})
    _seam(shot, sources, line, passed, says)


def _seam(shot: Shot, sources: Sources, line: Line, passed: dict[int, NDArray[np.float32]], says: list[dict[str, Any]]) -> None:
    """Whether what passes hides the change on each frame. What passes is the matte of the shot that covers most of the seam."""
    assert line.through is not None, "see its caller"
    best: tuple[float, str, dict[int, advice.Seam]] = (HIDES, "", {})
    for matte in shot.mattes.exclude(pk=line.through.matte):
        found = {
            frame: seam
            for frame, alpha in passed.items()
            if (seam := advice.seam(alpha, sources.matte("", str(matte.pk), frame, 0.0))) is not None
        }
        mean = float(np.mean([seam.covered for seam in found.values()])) if found else 0.0
        best = max(best, (mean, matte.name, found), key=lambda one: one[0])
    _, name, found = best
    frames = [frame for frame, seam in found.items() if seam.open_]
    if frames:
        where = " and ".join(dict.fromkeys(way for frame in frames for way in found[frame].open_))
        words = f"The change is seen {where} {name}, which does not reach across the whole picture: there the seam lies open."
        says.append({"line": line.id, "what": "seam", "says": words, "frames": frames})


def _clip(core: document.Tryout, sources: Sources, line: Line, says: list[dict[str, Any]]) -> None:
    """Where a clip has another size or rate, or is over before the tryout is, and what follows."""
    if not isinstance(line.shows, Clip) or not line.shows.shot or line.shows.hold is not None:
        return
    film, name = sources.films[line.shows.shot], line.shows.shot
    step = compose.pace(core, film)
    told = []
    if step != 1:
        told.append(f"{name} runs at {film.rate:g} frames a second, this shot at {film.rate / step:g}: it is shown at its own pace")
    if film.size != core.size:
        told.append(f"{name} is {film.size[0]} x {film.size[1]} pixels: {LAID[line.shows.fit]}")
    ends = replace(line.shows, beyond="end")
    first, last = core.frames if line.live is None else line.live
    over = next((f for f in range(first, last + 1) if clip_frame(ends, f, film.frames, core.frames[0], step) is None), None)
    if over is not None:
        follows = {"hold": "it stands still", "loop": "it begins anew", "end": "it is not there"}[line.shows.beyond]
        told.append(f"{name} has no picture for {over}: there {follows}")
    says += [{"line": line.id, "what": "clip", "says": f"{words}.", "frames": []} for words in told]


def _riding(core: document.Tryout, sources: Sources, line: Line, says: list[dict[str, Any]]) -> None:
    """Where a track that a line rides on ends before the line does."""
    ends = [line.shows.one.track, line.shows.other.track] if isinstance(line.shows, Light) else []
    first, last = core.frames if line.live is None else line.live
    for track_id in dict.fromkeys(t for t in (line.place.track, *ends) if t):
        track = sources.tracks.get(track_id)
        if track is None:
            raise BadTryout("track", f"the track that {shown(line)} rides on is not there any more. Choose another one, or none.")
        begins, ends_on = int(track.points.frames[0]), int(track.points.frames[-1])
        if begins > first or ends_on < last:
            words = f"{track.name} is followed on frames {begins} to {ends_on} only: beyond, {shown(line)} stays where it was put last."
            frames = [f for f in (first if begins > first else None, ends_on + 1 if ends_on < last else None) if f is not None]
            says.append({"line": line.id, "what": "track", "says": words, "frames": frames})


def _motion(core: document.Tryout, sources: Sources, line: Line, says: list[dict[str, Any]]) -> None:
    """Whether a clip drifts against this shot's own picture."""
    if not isinstance(line.shows, Clip) or not line.shows.shot or line.shows.hold is not None:
        return
    ways = []
    for shows in (Clip(), line.shows):
        bare = replace(core, lines=(replace(line, shows=shows, through=None, live=None),))
        steps = []
        for frame in _frames(core, line)[1:-1:3]:
            pair = [compose.compose(bare, sources, f, WIDTH) @ LUMA for f in (frame, frame + 1)]
            x, y, sure = advice.drift(*pair)
            if sure > 0.1:
                steps.append((x, y))
        ways.append(np.median(steps, axis=0) if steps else np.zeros(2))
    scale = core.size[0] / WIDTH
    if way := advice.against(ways[0] * scale, ways[1] * scale):
        words = f"The two pictures run against each other: mirror {shown(line)}, or let it run backwards."
        says.append({"line": line.id, "what": f"against {way}", "says": words, "frames": []})
