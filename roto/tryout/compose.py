"""Composing a frame of a tryout: its lines from the bottom up, each in its own box, nothing outside of it touched."""

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from fractions import Fraction
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.errors import BadTryout
from roto.matte.shutter import Shutter
from roto.track.track import Track
from roto.tryout import drawing, laying
from roto.tryout.canvas import Canvas, Coded
from roto.tryout.document import Tryout
from roto.tryout.finish import blurred, finished, number, shadow
from roto.tryout.laying import meeting, over, region_of, shade
from roto.tryout.model import Bars, Clip, Flat, Graphic, Light, Line, Shadow, Spot, Through, Words
from roto.tryout.placing import EXACT, Box, Picture, box_of, fitted, placed, resized, warped
from roto.tryout.timing import clip_frame

SAMPLES = 32
"""the most moments of an exposure that a line which moves is drawn at"""
STEP = 1.0
"""px, of the picture that is made: how far apart those moments are at the most"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Film:
    """A clip to show. frames: first and last. size: width, height in px, of the whole picture. rate: frames a second; 0 for that of the
    tryout."""

    frames: tuple[int, int]
    size: tuple[int, int]
    rate: float = 0.0


@dataclass(frozen=True, kw_only=True)
class Sources:
    """What a tryout is made from. Each may raise an error of the job; what is missing is then said.

    films: by shot, "" for this one. picture: of a shot and a frame, linear light (h, w, 3) float32, of the whole size or of a smaller one
    (at least `width` px wide). matte: of a shot, a matte's id, a frame and px of growth: alpha (h, w) float32, of whole size. graphic: of a
    file's id and whether its alpha is straight, premultiplied or none: premultiplied linear (h, w, 4). tracks: by id.
    codes: of a shot and a frame, the whole picture (h, w, 3) as it is displayed, where it is of 8 bits. part: a matte as `matte` gives it,
    of which no more than a box is asked for.
    """

    films: dict[str, Film]
    picture: Callable[[str, int, int], NDArray[np.float32]]
    matte: Callable[[str, str, int, float], NDArray[np.float32]]
    graphic: Callable[[str, str], Picture] = field(default=lambda file, alpha: _none(file))
    tracks: dict[str, Track] = field(default_factory=dict)
    codes: Callable[[str, int], NDArray[np.uint8] | None] = field(default=lambda shot, frame: None)
    part: Callable[[str, str, int, float, Box], NDArray[np.float32]] | None = None


def _none(file: str) -> Picture:
    raise BadTryout("file", f"the graphic {file} is not there any more. Choose another one.")


@dataclass(frozen=True, slots=True, kw_only=True)
class Frame:
    """A frame being made. target: width and height in px. scale: how many times as large as the tryout's own."""

    tryout: Tryout
    sources: Sources
    frame: int
    target: tuple[int, int]
    scale: float


def target_size(tryout: Tryout, width: int | None) -> tuple[int, int]:
    """Width and height of a picture of at most that width."""
    if width is None or width >= tryout.size[0]:
        return tryout.size
    return width, max(1, round(tryout.size[1] * width / tryout.size[0]))


def compose(tryout: Tryout, sources: Sources, frame: int, width: int | None = None, bright: str = "") -> NDArray[np.float32]:
    """A frame in linear light, float32 (h, w, 3), of the tryout's size or at most so wide. bright: the line that is shown much brighter."""
    return _composed(tryout, sources, frame, target_size(tryout, width), bright).whole()


def in_numbers(tryout: Tryout, sources: Sources, frame: int, depth: str) -> NDArray[Any]:
    """A frame of the tryout's size as it is displayed, in whole numbers of 8 or 16 bits, (h, w, 3). Where nothing lies on the clip at the
    bottom, its own numbers go on as they are."""
    canvas = _composed(tryout, sources, frame, tryout.size, coded=depth == "8")
    own = None if canvas.clip is None or depth != "8" else sources.codes(*canvas.clip)
    if own is None or own.shape[1::-1] != tryout.size:
        return laying.numbers(canvas.whole(), depth)
    out = np.array(own)
    x0, y0, x1, y1 = canvas.box
    out[y0:y1, x0:x1] = laying.numbers(canvas.light[y0:y1, x0:x1], depth)
    return out


def _composed(tryout: Tryout, sources: Sources, frame: int, target: tuple[int, int], bright: str = "", coded: bool = False) -> Canvas:
    """The canvas with all lines on it. coded: of a clip of 8 bits at the bottom, no more light is made than is needed."""
    now = Frame(tryout=tryout, sources=sources, frame=frame, target=target, scale=target[0] / tryout.size[0])
    lines = [line for line in tryout.lines if line.is_live(frame)]
    canvas = _begun(now, lines[0], coded) if lines and lines[0].id != bright else None
    if canvas is None:
        canvas, first = Canvas(target), 0
    else:
        first = 1
    for line in lines[first:]:
        lay(canvas, now, line, BRIGHT if line.id == bright else 1.0)
    return canvas


def _begun(now: Frame, line: Line, coded: bool) -> Canvas | None:
    """The canvas with the bottom line on it, where that is a clip that covers all and nothing is done to; else None."""
    shows = line.shows
    if not isinstance(shows, Clip) or line.through is not None or line.done.shadow is not None or line.done.added:
        return None
    film = now.sources.films.get(shows.shot)
    at = None if film is None else clip_frame(shows, now.frame, film.frames, now.tryout.frames[0], pace(now.tryout, film))
    clip = (shows.shot, at) if film is not None and at is not None and film.size == now.tryout.size else None
    plain = opacity_of(now, line) == 1.0 and line.done.untouched
    if coded and clip is not None and plain and _stays(_maps(now, line), fitted(now.target, now.target, shows.fit), 1.0):
        codes = now.sources.codes(*clip)
        if codes is not None and codes.shape[1::-1] == now.target:
            return Canvas(now.target, Coded(codes), line, clip)
    it = laid(now, line)
    if at is None or it is None or it.picture.shape[2] != 3 or it.region != (0, 0, *now.target) or it.opacity != 1.0:
        return None
    return Canvas(now.target, it.picture, line, clip)


BRIGHT = 4.0
"""times: how much brighter a line is shown to see its seam"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Laid:
    """What a line lays on. picture: premultiplied (h, w, 4), or (h, w, 3) that covers all, its left top corner at the box's. region: where
    something of it is seen. alpha: what it is seen through in this shot, as large as the picture that is made; None for nothing."""

    picture: Picture
    box: Box
    region: Box
    alpha: NDArray[np.float32] | None
    opacity: float

    def cover(self) -> NDArray[np.float32]:
        """Alpha of the region (h, w), with its opacity."""
        x0, y0, x1, y1 = self.region
        part = self.picture[y0 - self.box[1] : y1 - self.box[1], x0 - self.box[0] : x1 - self.box[0]]
        own = np.minimum(part[:, :, 3], 1.0) if part.shape[2] == 4 else np.ones(part.shape[:2], np.float32)
        return np.asarray(own * np.float32(self.opacity) * (1 if self.alpha is None else self.alpha[y0:y1, x0:x1]), np.float32)


def opacity_of(now: Frame, line: Line) -> float:
    """The opacity of a line on a frame, 0..1, faded in or out."""
    return min(1.0, max(0.0, number(line.done.opacity, now.frame, 1.0) * line.faded(now.frame)))


def laid(now: Frame, line: Line, known: tuple[Picture, Box] | None = None) -> Laid | None:
    """What a line lays on; None where nothing of it is seen. known: what it shows, in the box in which it is wanted."""
    opacity, within = opacity_of(now, line), None if known is None else known[1]
    through = line.through if line.through is not None and not line.through.along else None
    alpha = None if through is None else _alpha(now, "", through, now.frame, within=within)
    limit = (0, 0, *now.target) if alpha is None else region_of(alpha)
    found = known if limit is None or opacity == 0.0 or known is not None else _seen(now, line)
    if found is None or limit is None or opacity == 0.0:
        return None
    region = meeting(found[1], limit)
    return None if region is None else Laid(picture=found[0], box=found[1], region=region, alpha=alpha, opacity=opacity)


def layer(now: Frame, line: Line) -> tuple[Picture, Box] | None:
    """The same as one premultiplied picture (h, w, 4) of a box, with its opacity and what it is seen through."""
    it = laid(now, line)
    if it is None:
        return None
    x0, y0, x1, y1 = it.region
    canvas = np.zeros((now.target[1], now.target[0], 3), np.float32)
    over(canvas, it.picture, it.box[:2], it.region, it.alpha, it.opacity, added=True)
    return np.concatenate([canvas[y0:y1, x0:x1], it.cover()[:, :, None]], axis=2), it.region


def lay(canvas: Canvas, now: Frame, line: Line, bright: float = 1.0) -> None:
    """Lay a line onto what lies below, its shadow first."""
    same = bright == 1.0 and canvas.begins_with(line)
    it = None if same and not canvas.laid_on else laid(now, line, (canvas.below(canvas.box), canvas.box) if same else None)
    if it is None:
        return
    if line.done.shadow is not None:
        _cast(canvas, it, line.done.shadow, now.scale)
    over(canvas.open(it.region), it.picture, it.box[:2], it.region, it.alpha, it.opacity, bright, line.done.added)


def _cast(canvas: Canvas, it: Laid, said: Shadow, scale: float) -> None:
    """The shadow of a line, where it reaches."""
    room = math.ceil((said.away + 2 * said.blur) * scale) + 2
    x0, y0, x1, y1 = it.region
    h, w = canvas.light.shape[:2]
    left, top, right, bottom = max(0, x0 - room), max(0, y0 - room), min(w, x1 + room), min(h, y1 + room)
    alpha = np.zeros((bottom - top, right - left), np.float32)
    alpha[y0 - top : y1 - top, x0 - left : x1 - left] = it.cover()
    shade(canvas.open((left, top, right, bottom)), shadow(alpha, said, scale), (left, top), drawing.colour(said.colour))


def _seen(now: Frame, line: Line) -> tuple[Picture, Box] | None:
    """A line placed, without its opacity and what it is seen through in this shot."""
    shows = line.shows
    if isinstance(shows, Light):
        return _band(now, line, shows)
    if isinstance(shows, Flat | Bars):
        drawn = drawing.flat(shows, now.target) if isinstance(shows, Flat) else drawing.bars(shows, now.target)
        return _put(now, line, _finished(now, line, drawn), np.diag([1 / now.scale, 1 / now.scale, 1]))
    if isinstance(shows, Words):
        return _free(now, line, *_words(now, line, shows))
    if isinstance(shows, Graphic):
        picture = now.sources.graphic(shows.file, shows.alpha)
        size = (picture.shape[1], picture.shape[0])
        return _free(now, line, picture, fitted(size, now.tryout.size, shows.fit), 1.0)
    return _clip(now, line, shows)


def _clip(now: Frame, line: Line, shows: Clip) -> tuple[Picture, Box] | None:
    film = now.sources.films.get(shows.shot)
    if film is None:
        raise BadTryout("shot", f"the shot {shows.shot or now.tryout.shot} is not here, or has no picture. Choose another clip.")
    at = clip_frame(shows, now.frame, film.frames, now.tryout.frames[0], pace(now.tryout, film))
    if at is None:
        return None
    pixels = now.sources.picture(shows.shot, at, math.ceil(film.size[0] * now.scale))
    own = target_of(film.size, now.scale)
    pixels = resized(pixels, own)
    into = fitted(film.size, now.tryout.size, shows.fit) @ np.diag([1 / now.scale, 1 / now.scale, 1])
    along = line.through if line.through is not None and line.through.along else None
    if along is None and own == now.target and line.done.untouched and _stays(_maps(now, line), into, now.scale):
        return pixels, (0, 0, *own)
    alpha = np.ones((*pixels.shape[:2], 1), np.float32)
    picture = _finished(now, line, np.concatenate([pixels, alpha], axis=2))
    if along is not None:  # through its own matte, which goes along with it
        picture = picture * _alpha(now, shows.shot, along, at, own)[:, :, None]
    return _put(now, line, picture, into)


def _stays(maps: list[Floats], into: Floats, scale: float) -> bool:
    """Whether a picture lies where it is, pixel for pixel."""
    return len(maps) == 1 and bool(np.abs(np.diag([scale, scale, 1.0]) @ maps[0] @ into - np.eye(3)).max() < EXACT)


def pace(tryout: Tryout, film: Film) -> float:
    """How many frames of a clip go by in the time of one of the tryout's, so that it is seen at its own pace."""
    return film.rate / float(Fraction(tryout.rate)) if film.rate else 1.0


def target_of(size: tuple[int, int], scale: float) -> tuple[int, int]:
    """A size at a scale, whole pixels."""
    return max(1, round(size[0] * scale)), max(1, round(size[1] * scale))


def _words(now: Frame, line: Line, shows: Words) -> tuple[Picture, Floats, float]:
    """The words drawn about as large as they are placed, the map that lays them into the middle at their own size, and their scale."""
    middle = np.array([*now.tryout.middle, 1.0])
    own = _map(now, line, float(now.frame))
    there = own @ middle
    larger = math.sqrt(abs(np.linalg.det(own[:2, :2]))) / max(abs(there[2]), 1e-3)
    steps = 2.0 ** (math.ceil(2 * math.log2(min(max(larger, 1.0), 64.0)) - 1e-6) / 2)
    scale = now.scale * steps  # in steps, so that words which grow are not drawn anew on each frame
    drawn = drawing.words(shows, scale)
    move = [round((now.tryout.size[k] - drawn.shape[1 - k] / scale) / 2 * now.scale) / now.scale for k in (0, 1)]
    return drawn, np.array([[1 / scale, 0, move[0]], [0, 1 / scale, move[1]], [0, 0, 1.0]]), scale


def _band(now: Frame, line: Line, shows: Light) -> tuple[Picture, Box] | None:
    one, other = (_spot(now, line, spot) * now.scale for spot in (shows.one, shows.other))
    box = drawing.light_box(shows, one, other, now.target, now.scale)
    return None if box is None else (drawing.light(shows, one, other, box, now.scale), box)


def _spot(now: Frame, line: Line, spot: Spot) -> Floats:
    """Where a spot lies on this frame, px of the tryout, with the line's own placing."""
    at = np.array(spot.at)
    if spot.track:
        track = _track(now, spot.track)
        points = track.points_at(np.array([now.frame]), np.array([now.frame]))[0]
        at = at + points[min(spot.point, len(points) - 1)]
    there = _map(now, line, float(now.frame)) @ np.array([*at, 1.0])
    return np.asarray(there[:2] / there[2])


def _track(now: Frame, track_id: str) -> Track:
    track = now.sources.tracks.get(track_id)
    if track is None:
        raise BadTryout("track", "the track that a line rides on is not there any more. Choose another one, or none.")
    return track


def _map(now: Frame, line: Line, moment: float) -> Floats:
    """Where a line is put at a moment, by its own placing and by what it rides on."""
    place = line.place
    own = placed(place, moment, now.frame, now.tryout.size)
    if not place.track:
        return own
    track = _track(now, place.track)
    home = track.home if place.home is None else place.home
    maps = track.maps_at(np.array([home, moment]), np.array([home, now.frame]), place.how)
    return np.asarray(maps[1] @ np.linalg.inv(maps[0]) @ own)


def lies(tryout: Tryout, sources: Sources, line: Line, frames: list[int]) -> list[list[float]]:
    """Where a line's pivot and the four corners of the tryout's picture come to lie, px: x, y five times on each frame, or one row where it
    never moves. BadTryout where what it rides on is gone."""
    w, h = tryout.size
    pivot = line.place.pivot or tryout.middle
    points = np.array([(*pivot, 1.0), (0, 0, 1), (w, 0, 1), (w, h, 1), (0, h, 1)])
    moves = line.place.track or any(
        len(c) > 1 for c in (line.place.keys, line.place.corners, line.place.swing.angle if line.place.swing else ())
    )
    out = []
    for frame in frames if moves else frames[:1]:
        now = Frame(tryout=tryout, sources=sources, frame=frame, target=tryout.size, scale=1.0)
        there = points @ _map(now, line, float(frame)).T
        out.append(np.round(there[:, :2] / np.maximum(there[:, 2:], 1e-3), 3).ravel().tolist())
    return out


def _maps(now: Frame, line: Line) -> list[Floats]:
    """The same at as many moments of the exposure as its motion asks for; one where it is not blurred or stands still."""
    shutter: Shutter = now.tryout.shutter.shutter()
    still = _map(now, line, float(now.frame))
    if not line.place.blur or not shutter.angle:
        return [still]
    low, high = shutter.exposure(now.frame)
    w, h = now.tryout.size
    corners = np.array([(0, 0, 1), (w, 0, 1), (w, h, 1), (0, h, 1)], np.float64)
    ends = [corners @ _map(now, line, t).T for t in (low, (low + high) / 2, high)]
    at = [e[:, :2] / np.maximum(e[:, 2:], 1e-3) for e in ends]
    way = max(float(np.hypot(*(b - a).T).max()) for a, b in pairwise(at)) * 2 * now.scale
    count = min(SAMPLES, math.ceil(way / STEP))
    if count <= 1:
        return [still]
    return [_map(now, line, low + (high - low) * (k + 0.5) / count) for k in range(count)]


def _finished(now: Frame, line: Line, picture: Picture) -> Picture:
    return finished(picture, line.done, now.frame, now.scale)


def _free(now: Frame, line: Line, picture: Picture, into: Floats, scale: float) -> tuple[Picture, Box] | None:
    """A picture that ends within the tryout's, placed: its blur has room around it."""
    room = math.ceil(1.6 * line.done.blur * scale)
    if room:
        picture = np.pad(picture, ((room, room), (room, room), (0, 0)))
    return _put(now, line, finished(picture, line.done, now.frame, scale), into @ np.array([[1, 0, -room], [0, 1, -room], [0, 0, 1.0]]))


def _put(now: Frame, line: Line, picture: Picture, into: Floats) -> tuple[Picture, Box] | None:
    """A picture placed. into: the map from its own pixels to the tryout's."""
    h, w = picture.shape[:2]
    maps = [np.diag([now.scale, now.scale, 1.0]) @ m @ into for m in _maps(now, line)]
    boxes = [b for b in (box_of(m, (w, h), now.target) for m in maps) if b is not None]
    if not boxes:
        return None
    low, high = np.array(boxes)[:, :2].min(axis=0), np.array(boxes)[:, 2:].max(axis=0)
    box = (int(low[0]), int(low[1]), int(high[0]), int(high[1]))
    total = warped(picture, maps[0], box)
    for one in maps[1:]:
        total += warped(picture, one, box)
    return (total / np.float32(len(maps)) if len(maps) > 1 else total), box


def _alpha(
    now: Frame, shot: str, through: Through, frame: int, size: tuple[int, int] | None = None, within: Box | None = None
) -> NDArray[np.float32]:
    """What is seen through a matte (h, w) of a frame, at the size of the picture that is made. within: no more of it is wanted."""
    film = now.sources.films.get(shot)
    if film is None:
        raise BadTryout("matte", f"the shot {shot or now.tryout.shot} is not here. Choose another matte.")
    at = min(max(frame + through.later, film.frames[0]), film.frames[1])
    wanted = shot, through.matte, at, through.grow
    part = now.sources.part if now.scale == 1.0 and not through.soften else None
    alpha = now.sources.matte(*wanted) if part is None or within is None else part(*wanted, within)
    alpha = resized(alpha, size or now.target)
    if through.soften:
        alpha = np.clip(blurred(alpha, through.soften * now.scale), 0.0, 1.0)
    return 1 - alpha if through.outside else alpha


def shown(picture: NDArray[np.float32]) -> NDArray[np.uint8]:
    """A composed frame as bytes for a screen."""
    return laying.numbers(picture, "8")
