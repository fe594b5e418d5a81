"""What a tryout of a shot is made from: plates, mattes and tracks as the core wants them, kept in memory while they are looked at."""

import threading
import uuid
from contextlib import suppress
from dataclasses import dataclass
from typing import Any

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from jaythread.desk.document import core_cache
from jaythread.desk.matting.fringes import ShotFringes
from jaythread.desk.models import Matte
from jaythread.plates.actions import PROXY_WIDTH
from jaythread.plates.models import Plate, State
from jaythread.productions.models import Shot
from jaythread.tryouts import graphics
from roto.errors import BadTryout
from roto.matte.render import FRINGE, Box, render
from roto.matte.stack import Matte as CoreMatte
from roto.picture import display, stills
from roto.track.track import Track
from roto.tryout.compose import Film, Sources
from roto.tryout.document import Tryout

LIGHTS = 12
"""plate pictures in linear light that are kept: 25 MB each at full HD"""
ALPHAS = 24
"""mattes of a frame that are kept, as bytes"""
CODES = 6
"""plate pictures of 8 bits that are kept as they are"""
_lights: LRUCache[tuple[int, str, int, int], NDArray[np.float32]] = LRUCache(LIGHTS)
_codes: LRUCache[tuple[int, str, int, int], NDArray[np.uint8]] = LRUCache(CODES)
_alphas: LRUCache[tuple[str, str, float], NDArray[np.uint16]] = LRUCache(ALPHAS)
"""by matte, what its frame is made from (an edit of something else leaves that as it is), and px that it is grown by"""
_deeper: LRUCache[tuple[int, str], bool] = LRUCache(100)
"""plates whose pictures are of more than 8 bits"""
_lock = threading.Lock()


def sources_of(
    shot: Shot,
    tryout: Tryout,
    mattes: dict[str, CoreMatte] | None = None,
    tracks: dict[str, Track] | None = None,
    whole: bool = False,
    solve: bool = False,
) -> Sources:
    """The sources of a tryout. mattes: those of this shot that are to be otherwise than they are saved, an edit laid on them, or frozen;
    tracks likewise. whole: pictures from the stills themselves and all moments of the exposure, as they are delivered.
    solve: fringes that are not solved yet are solved, each frame by itself."""
    others = {s.name: s for s in Shot.objects.filter(production=shot.production_id, name__in=tryout.clips() - {""})}
    shots = {"": shot, **others}
    plates = {name: plate for name, one in shots.items() if (plate := one.plates.filter(state=State.READY).first()) is not None}
    films = {
        name: Film(frames=(shots[name].first, shots[name].last), size=(shots[name].width, shots[name].height), rate=float(shots[name].rate))
        for name in plates
    }

    def hold(name: str, matte_id: str) -> _Held:
        shot, core = shots[name], None if name else (mattes or {}).get(matte_id)
        found = core if core is not None else core_cache.matte(shot, matte_row(shot, matte_id))
        fringes = ShotFringes(shot, wait=whole or solve, steady=whole).ready(found)
        return _Held(shot=shot, id=matte_id, core=found, changed=core is not None, whole=whole, fringes=fringes)

    held: dict[tuple[str, str], _Held] = {}
    for one in tryout.throughs():
        with suppress(BadTryout, KeyError):  # said when it is asked for
            held[one] = hold(*one)

    def matte(name: str, matte_id: str, frame: int, grow: float) -> NDArray[np.float32]:
        if (name, matte_id) not in held:
            held[name, matte_id] = hold(name, matte_id)
        return _alpha(held[name, matte_id], frame, grow)

    def part(name: str, matte_id: str, frame: int, grow: float, box: Box) -> NDArray[np.float32]:
        one = held.get((name, matte_id))
        if one is None or not one.whole:  # looked at, it is kept whole
            return matte(name, matte_id, frame, grow)
        out = np.zeros((one.core.size[1], one.core.size[0]), np.float32)
        made = render(one.core.grown(grow), frame, box=box, threads=1, depth="16", fringes=one.fringes)
        out[box[1] : box[3], box[0] : box[2]] = made.alpha.astype(np.float32) / np.float32(65535)
        return out

    return Sources(
        films=films,
        part=part,
        picture=lambda name, frame, width: _light(plates[name], frame, plates[name].shot.width if whole else width),
        matte=matte,
        graphic=lambda file, alpha: graphics.light(shot.production_id, file, alpha),
        tracks=tracks if tracks is not None else {str(row.pk): core_cache.track(row) for row in shot.tracks.filter(pk__in=tryout.tracks())},
        codes=lambda name, frame: _own_codes(plates[name], frame),
    )


def _light(plate: Plate, frame: int, width: int) -> NDArray[np.float32]:
    """A frame in linear light: from its small picture where that is large enough, else from the still itself."""
    whole = plate.shot.width
    wanted = whole if width > PROXY_WIDTH or width >= whole else PROXY_WIDTH
    key = (plate.pk, plate.picture_version, frame, wanted)
    with _lock:
        found = _lights.get(key)
    if found is None:
        pixels, displayed = _read(plate, frame, wanted < whole)
        plain = displayed and pixels.dtype == np.uint8
        found = display.light_of_codes(pixels) if plain else display.to_light(pixels, plate.space)
        with _lock:
            _lights[key] = found
            if plain:
                _codes[key] = pixels
    return found


def _own_codes(plate: Plate, frame: int) -> NDArray[np.uint8] | None:
    """The codes of a frame, where they are of 8 bits and as it is displayed."""
    key, all_ = (plate.pk, plate.picture_version, frame, plate.shot.width), (plate.pk, plate.picture_version)
    with _lock:
        found = _codes.get(key)
        if found is not None or plate.space != "display" or all_ in _deeper:
            return found
    pixels = _read(plate, frame, False)[0]
    with _lock:
        if pixels.dtype != np.uint8:
            _deeper[all_] = True
            return None
        _codes[key] = pixels
    return pixels


def _read(plate: Plate, frame: int, small: bool) -> tuple[NDArray[Any], bool]:
    """A frame in the numbers of its file, and whether these are as it is displayed."""
    proxy = plate.proxy(frame)
    if small and proxy.exists():
        return stills.read(proxy)[..., :3], True
    path = plate.still(frame)
    if path is None or not path.exists():
        raise BadTryout("clip", f"frame {frame} of {plate.shot.name} has no picture.")
    return stills.read(path)[..., :3], plate.space == "display"


@dataclass(frozen=True, slots=True, kw_only=True)
class _Held:
    """A matte looked up: threads that compose do not talk to the database. changed: it is not as it is saved. whole: as it is delivered."""

    shot: Shot
    id: str
    core: CoreMatte
    changed: bool
    whole: bool
    fringes: ShotFringes


def _alpha(held: _Held, frame: int, grow: float) -> NDArray[np.float32]:
    """A matte of a frame, its outlines grown by so many px."""
    keep = not held.changed and not held.whole
    key = (held.id, held.fringes.frame_keys(held.core, [frame])[frame] if keep else "", grow)
    if keep:
        with _lock:
            if (found := _alphas.get(key)) is not None:
                return found.astype(np.float32) / np.float32(65535)
    quick = held.changed and not held.whole
    made = render(held.core.grown(grow), frame, threads=2, depth="16", fringes=held.fringes, cap=8 if quick else None)
    if keep and FRINGE[made.fringe] != "not solved":
        with _lock:
            _alphas[key] = made.alpha
    return made.alpha.astype(np.float32) / np.float32(65535)


def matte_row(shot: Shot, matte_id: str) -> Matte:
    """A matte that a tryout names; BadTryout where it is gone."""
    try:
        row = Matte.objects.filter(pk=uuid.UUID(matte_id), shot=shot).first()
    except ValueError:
        row = None
    if row is None:
        raise BadTryout("matte", f"the matte that a line is seen through is not in {shot.name} any more. Choose another one.")
    return row
