"""Two states of a matte held against each other: how much each frame differs, pictures of both, and both outlines."""

import time
import uuid
from threading import Lock
from typing import Any

import cv2
import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from jaythread.comparing import sides
from jaythread.comparing.sides import Pixels, Side
from jaythread.desk import policies
from jaythread.errors import NotThere, Refused
from jaythread.productions.models import Shot
from jaythread.productions.policies import User
from roto.check import differences, reading
from roto.check.differences import Difference
from roto.errors import BadPicture
from roto.picture import stills

ASKED_FOR = 0.7
"""seconds after which what was worked out so far is answered"""
WIDE = 1280
"""px: the width of the pictures, at most"""
CURVES = ("area", "x", "y", "outline", "edge", "pieces")
"""what is told of a frame over time"""
NO_MATTE = "It has no matte on this frame."
SAME = Difference(more=0.0, less=0.0, worst=0.0, box=None)
_told: LRUCache[tuple[str, str], Difference] = LRUCache(40_000)
_read: LRUCache[str, dict[str, float | None]] = LRUCache(20_000)
_pixels: LRUCache[tuple[str, tuple[int, int]], Pixels] = LRUCache(128 << 20, getsizeof=lambda pixels: pixels.nbytes)
_lock = Lock()


def _both(user: User, shot_id: int, matte_id: uuid.UUID, one: str, other: str) -> tuple[Shot, Side, Side]:
    shot, matte = policies.matte_for(user, shot_id, matte_id, "look")
    return shot, sides.side(shot, matte, one), sides.side(shot, matte, other)


def _alpha(shot: Shot, side: Side, frame: int) -> Pixels | None:
    if not shot.first <= frame <= shot.last:
        raise NotThere(f"The shot has frames {shot.first}-{shot.last}.")
    key = (side.key(frame), (shot.width, shot.height))
    if not key[0]:
        return None
    with _lock:
        found = _pixels.get(key)
    if found is None:
        found = side.alpha(frame)
        if found is not None and found.nbytes < _pixels.maxsize:
            with _lock:
                _pixels[key] = found
    return found


def amounts(user: User, shot_id: int, matte_id: uuid.UUID, one: str, other: str, begin: int | None) -> dict[str, Any]:
    """How much frames of the working range differ, from `begin` on, as many as are worked out within a moment; `next`, where there are
    more: ask again from there. A frame is the same, differs, or only one side has it."""
    shot, first, second = _both(user, shot_id, matte_id, one, other)
    frames = range(max(shot.working[0], begin if begin is not None else shot.working[0]), shot.working[1] + 1)
    until = time.monotonic() + ASKED_FOR
    rows: list[dict[str, Any]] = []
    for frame in frames:
        if time.monotonic() > until:
            return {"one": first.says, "other": second.says, "frames": rows, "next": frame}
        rows.append(_row(shot, first, second, frame))
    return {"one": first.says, "other": second.says, "frames": rows, "next": None}


def _row(shot: Shot, one: Side, other: Side, frame: int) -> dict[str, Any]:
    found: Difference | None = SAME
    keys = (one.key(frame), other.key(frame))
    if keys[0] != keys[1] or not keys[0]:
        found = _difference(shot, one, other, frame) if all(keys) else None
    if found is None:
        there = [_at_hand(shot, side, frame) is not None for side in (one, other)]
        stands = "none" if not any(there) else "only one" if there[0] else "only other"
        return {"frame": frame, "stands": stands, "more": 0.0, "less": 0.0, "worst": 0.0, "box": None}
    return {
        "frame": frame, "stands": "differs" if found.box else "same", "more": round(found.more, 2), "less": round(found.less, 2),
        "worst": round(found.worst, 4), "box": found.box,
    }  # fmt: skip


def _at_hand(shot: Shot, side: Side, frame: int) -> Pixels | None:
    """None also where its file is gone, or cannot be read."""
    try:
        return _alpha(shot, side, frame)
    except NotThere:
        return None


def _difference(shot: Shot, one: Side, other: Side, frame: int) -> Difference | None:
    """None where a side has no matte on this frame."""
    key = (one.key(frame), other.key(frame))
    with _lock:
        found = _told.get(key)
    if found is None:
        pixels = [_at_hand(shot, side, frame) for side in (one, other)]
        if pixels[0] is None or pixels[1] is None:
            return None
        try:
            found = differences.difference(pixels[0], pixels[1], max(one.loses, other.loses))
        except BadPicture as error:
            raise Refused(error.message) from error
        with _lock:
            _told[key] = found
    return found


def curves(user: User, shot_id: int, matte_id: uuid.UUID, side: str, begin: int | None) -> dict[str, Any]:
    """What the check measures of a frame by itself, of one side, from `begin` on, as many frames as are worked out within a moment; `next`,
    where there are more. None where it has no matte on a frame."""
    shot, matte = policies.matte_for(user, shot_id, matte_id, "look")
    one = sides.side(shot, matte, side)
    until = time.monotonic() + ASKED_FOR
    rows: list[dict[str, Any]] = []
    for frame in range(max(shot.working[0], begin if begin is not None else shot.working[0]), shot.working[1] + 1):
        if time.monotonic() > until:
            return {"says": one.says, "frames": rows, "next": frame}
        rows.append({"frame": frame, **_reading(shot, one, frame)})
    return {"says": one.says, "frames": rows, "next": None}


def _reading(shot: Shot, side: Side, frame: int) -> dict[str, float | None]:
    key = side.key(frame)
    with _lock:
        found = _read.get(key) if key else None
    if found is None:
        pixels = _alpha(shot, side, frame)
        read = None if pixels is None else reading.read((pixels >> 8).astype(np.uint8))
        told = read is not None and not read.empty
        found = {name: round(float(getattr(read, name)), 3) if told else None for name in CURVES}
        if read is not None and read.empty:
            found |= {"area": 0.0, "pieces": 0.0}
        if key:
            with _lock:
                _read[key] = found
    return found


def picture(user: User, shot_id: int, matte_id: uuid.UUID, side: str, frame: int, box: str = "") -> bytes:
    """A side's matte on a frame, as a grey PNG. box: a part of it, "x,y,width,height" in px; all of it where it is none."""
    shot, matte = policies.matte_for(user, shot_id, matte_id, "look")
    pixels = _alpha(shot, sides.side(shot, matte, side), frame)
    if pixels is None:
        raise NotThere(NO_MATTE)
    return stills.encode_picture(_fitting(_part((pixels >> 8).astype(np.uint8), box)), ".png")


def difference(user: User, shot_id: int, matte_id: uuid.UUID, one: str, other: str, frame: int, box: str = "", wide: int = WIDE) -> bytes:
    """What both cover in grey, and in a colour each what the other one covers more, and less; as a PNG. wide: px, at most."""
    shot, *both = _both(user, shot_id, matte_id, one, other)
    pixels = [_alpha(shot, side, frame) for side in both]
    none = np.zeros((shot.height, shot.width), np.uint16)
    there = [none if one is None else one for one in pixels]
    if there[0].shape != there[1].shape:
        raise Refused("They differ in size: hold them against each other by eye, one and the other.")
    return stills.encode_picture(_fitting(_part(differences.coloured(there[0], there[1]), box), wide), ".png")


def outlines(user: User, shot_id: int, matte_id: uuid.UUID, one: str, other: str, frame: int) -> dict[str, str]:
    """The lines along which each side is a half, as SVG path data in px of the plate."""
    shot, first, second = _both(user, shot_id, matte_id, one, other)
    return {"one": _path(_alpha(shot, first, frame)), "other": _path(_alpha(shot, second, frame))}


def _path(pixels: Pixels | None) -> str:
    lines = [] if pixels is None else differences.outlines(pixels)
    return " ".join("M" + "L".join(f"{x:.2f} {y:.2f}" for x, y in line) + "Z" for line in lines)


def _part(pixels: NDArray[np.uint8], box: str) -> NDArray[np.uint8]:
    """The part that a box says; all of it where it says none that lies in the picture."""
    numbers = box.split(",")
    if len(numbers) != 4 or not all(n.isascii() and n.isdigit() and len(n) < 6 for n in numbers):
        return pixels
    x, y, across, down = map(int, numbers)
    part = pixels[y : y + down, x : x + across]
    return np.ascontiguousarray(part) if part.size else pixels


def _fitting(pixels: NDArray[np.uint8], wide: int = WIDE) -> NDArray[np.uint8]:
    width = min(wide, pixels.shape[1])
    size = (width, max(1, round(pixels.shape[0] * width / pixels.shape[1])))
    return np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA), dtype=np.uint8)
