"""Keying a line of a tryout: by the rule that the desk keys by, so that a correction stays where it is made."""

from dataclasses import replace

import numpy as np

from roto.errors import BadTryout
from roto.motion import correct
from roto.motion.keys import Keys
from roto.motion.placement import AT_REST
from roto.tryout.model import Channel, Clip, Line, channel_of, keys_of

RESTS = {
    "place": AT_REST,
    "corners": np.zeros((4, 2)),
    "angle": np.zeros((1, 2)),
    "opacity": np.array([[1.0, 0.0]]),
    "speed": np.array([[1.0, 0.0]]),
    "gain": np.array([[1.0, 0.0]] * 3),
}
"""by channel, what it is where nothing is keyed"""
AMOUNTS = ("opacity", "speed", "gain")
"""channels that never leave the range of the keys beside them"""


def channel(line: Line, name: str) -> Channel:
    """The keys of a channel of a line."""
    if name == "angle":
        return line.place.swing.angle if line.place.swing is not None else ()
    if name == "speed":
        return line.shows.speed if isinstance(line.shows, Clip) else ()
    where = {"place": line.place.keys, "corners": line.place.corners, "opacity": line.done.opacity, "gain": line.done.gain}
    return where[name]


def _with(line: Line, name: str, keys: Channel) -> Line:
    if name == "angle":
        if line.place.swing is None:
            raise BadTryout("angle", "there is no hinge yet. Lay one first.")
        return replace(line, place=replace(line.place, swing=replace(line.place.swing, angle=keys)))
    if name == "speed":
        if not isinstance(line.shows, Clip):
            raise BadTryout("speed", "only a clip has one.")
        return replace(line, shows=replace(line.shows, speed=keys))
    place, done = line.place, line.done
    if name in ("place", "corners"):
        return replace(line, place=replace(place, keys=keys) if name == "place" else replace(place, corners=keys))
    return replace(line, done=replace(done, opacity=keys) if name == "opacity" else replace(done, gain=keys))


def keyed(line: Line, name: str, frame: int, values: list[list[float]] | None) -> Line:
    """The line with a key of a channel on a frame, made or changed; without values the key there is taken away. BadTryout where that
    cannot be."""
    if name not in RESTS:
        raise BadTryout("channel", f"choose one of {', '.join(RESTS)}.")
    rest = RESTS[name]
    keys = keys_of(channel(line, name), len(rest), name)
    if values is None:
        if keys is None or keys.index(frame) is None:
            raise BadTryout(name, f"there is no key on {frame}.")
        return _with(line, name, channel_of(keys.drop(frame)) if len(keys.frames) > 1 else ())
    value = np.array(values, dtype=np.float64)
    if value.shape != rest.shape or not np.isfinite(value).all():
        raise BadTryout(name, f"a key must have {len(rest)} rows of two numbers.")
    if keys is None:
        return _with(line, name, channel_of(Keys.build([frame], value[None])))
    held = np.ones(len(rest), bool)
    return _with(line, name, channel_of(correct.put(keys, frame, value, held, within=name in AMOUNTS)))
