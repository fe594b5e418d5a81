"""Names for all that a delivered frame is made from: equal input, equal name, so that what did not change need not be made again."""

import hashlib
import json
from collections.abc import Callable, Sequence
from threading import Lock

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.matte.frame_keys import FrameKeys, exposures, rows_of
from roto.matte.matting.fringe import Fringes
from roto.matte.modes import FOUND
from roto.matte.stack import Matte, within
from roto.motion import interpolate
from roto.motion.shape import GROUP, SHIFT, Shape

METHOD = "3"
"""a part of every name: raised when the same input would be rendered to something else"""
SHIFTED = "2"
"""the same for shapes whose edge is shifted"""
KNOWN = 32 << 20
"""bytes of what outlines are that are kept"""
LOOKS = 3
"""moments of an exposure (both ends and the middle) at which outlines are compared, bit by bit: a key that is moved moves every moment of
the stretches that it has a part in"""


def matte_keys(matte: Matte, frames: Sequence[int], fringes: Fringes | None = None) -> dict[int, str]:
    """By frame, a name for what the matte is made from there: outlines through the exposure, settings, the stack, and the plate where a
    fringe is solved from it."""
    numbers = np.array(frames, dtype=np.int64)
    common = f"{METHOD} {matte.size} {matte.shutter} {matte.inverted}"
    mixed = FrameKeys(common, dict(zip(numbers.tolist(), matte.shift_at(numbers), strict=True)))
    if matte.lens:
        mixed.mix(numbers.tolist(), matte.lens_kind.encode(), rows_of(matte.lens_at(numbers), len(numbers)))
    moments = np.linspace(*exposures(matte.shutter, numbers), LOOKS, axis=1)
    groups = within(matte.entries)
    for at, entry in enumerate(matte.entries):
        shape, group = entry.shape, groups[at]
        inside = -1 if group is None else next(k for k, e in enumerate(matte.entries) if e is group)
        said = f"{at if shape.kind == GROUP else ''} {entry.mode} {entry.inverted} {entry.opacity!r} {inside} {shape.kind}"
        if shape.kind == GROUP:
            mixed.mix_everywhere(said)
            continue
        live = np.array([not shape.live or shape.is_live(int(f)) for f in numbers], dtype=bool)
        if not live.any():
            continue
        own = numbers[live]
        blurs = shape.blur and matte.shutter.angle > 0
        times = moments[live] if blurs else own[:, None].astype(np.float64)
        outlines = _looks(shape, times, own)
        settings, reaches = interpolate.evaluate(shape.settings, own, own, within=True), shape.reaches_at(own)
        solved = _solved_keys(fringes, matte, at, own) if entry.mode in FOUND else {}
        lens = shape.lens_kind if shape.softens else ""  # how soft it is stands in the settings
        shifted = SHIFTED if matte.shift or shape.settings.values[:, SHIFT, 0].any() else ""
        begins = f"{said} {shape.profile} {blurs} {lens}{shifted}".encode() + shape.kinds.tobytes()
        plates, count = [solved.get(f, "").encode() for f in own.tolist()], len(own)
        mixed.mix(own.tolist(), begins, rows_of(settings, count), plates, outlines, rows_of(reaches, count))
    return mixed.names()


_known: LRUCache[tuple[int, bytes], tuple[Shape, list[bytes]]] = LRUCache(KNOWN, getsizeof=lambda it: sum(map(len, it[1])))
_lock = Lock()


def _looks(shape: Shape, times: Floats, frames: NDArray[np.int64]) -> list[bytes]:
    """What an outline is at moments (F, L), by frame. Asked again of the same object, as after an edit of another shape, it is known."""
    key = id(shape), hashlib.blake2b(times.tobytes() + frames.tobytes(), digest_size=16).digest()
    with _lock:
        found = _known.get(key)
    if found is not None and found[0] is shape:
        return found[1]
    made = _evaluated(shape, times, frames)
    if sum(map(len, made)) <= KNOWN // 8:
        with _lock:
            _known[key] = shape, made
    return made


def _evaluated(shape: Shape, times: Floats, frames: NDArray[np.int64]) -> list[bytes]:
    """Its form, once where it stands still, and where it is placed; carried outlines as they are."""
    moments, numbers = times.ravel(), np.repeat(frames, times.shape[1])
    if shape.rides:
        return [row.tobytes() for row in shape.edge(moments, numbers).reshape(len(frames), -1)]
    maps = shape.maps_at(moments, numbers).reshape(len(frames), -1)
    if len(shape.form.frames) == 1 and np.isnan(shape.form.speeds).all():
        form = hashlib.blake2b(shape.form_at(moments[:1], numbers[:1]).tobytes(), digest_size=24).digest()
        return [form + row.tobytes() for row in maps]
    forms = shape.form_at(moments, numbers)
    forms = forms.reshape(len(frames), times.shape[1], -1)
    still = (forms == forms[:, :1]).all(axis=(1, 2))
    return [(f[0] if s else f).tobytes() + row.tobytes() for f, s, row in zip(forms, still, maps, strict=True)]


def _solved_keys(fringes: Fringes | None, matte: Matte, at: int, frames: np.ndarray) -> dict[int, str]:
    return fringes.whole_keys(matte, at, frames.tolist()) if fringes is not None else {}


def frame_keys(
    mattes: Sequence[Matte], frames: Sequence[int], settings: dict[str, object], plate: Callable[[int], str] | None, fringes: Fringes | None
) -> dict[int, str]:
    """By frame, a name for all that a picture of a package depends on but for what is said of each by itself (`settings` is of all).

    plate: names the plate's picture of a frame and its version; None where its colours are not part of what is made.
    """
    each = [matte_keys(m, frames, fringes) for m in mattes]
    common = json.dumps(settings, sort_keys=True)
    out = {}
    for f in frames:
        parts = [common, *(keys[f] for keys in each), *(m.name for m in mattes[1:]), plate(f) if plate else ""]
        out[f] = hashlib.blake2b("\n".join(parts).encode(), digest_size=24).hexdigest()
    return out


def named_by(settings: dict[str, object], keys: dict[int, str]) -> dict[int, str]:
    """By frame, a name for settings that are of all frames together with a key of each."""
    common = json.dumps(settings, sort_keys=True)
    return {f: hashlib.blake2b(f"{common}\n{key}".encode(), digest_size=24).hexdigest() for f, key in keys.items()}
