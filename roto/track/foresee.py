"""Which frames the picture will hardly draw an outline on, told before it is let to: those are keyed by hand.

What counts is how exactly a small part of the inside says where it is, in the direction in which it says least: from the slopes of
the picture there (the structure tensor of Foerstner and Guelch, 1987) and from its grain. Blur takes slopes away along its own way; skin
without texture has none.
"""

from bisect import bisect
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

import numpy as np

from roto.arrays import Flags, Floats
from roto.track import between, sheet_fit
from roto.track.bend import WITHIN
from roto.track.looking import BLUR, Picture, levels_of

LOST = 0.5
"""px: a small part of the inside that is less sure of its place than this holds no outline"""
TIMES = 2.2
"""times as unsure as the keys beside it: so blurred a frame is lost (drawn things softened by 5 px or smeared over 30 were, over 15 not)"""
BLURRED, FLAT, OUT = "blurred", "flat", "out"
"""why a frame is hard: too little detail beside the keys; none at all; most of the outline lies outside the picture"""
LEAST = 30
"""pixels of the inside below which nothing is told"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Seen:
    """One frame: px by which a small part of the inside is unsure of its place; the share of the outline that lies in the picture."""

    unsure: float
    within: float


def around(outline: Floats, size: tuple[int, int]) -> tuple[int, int, int, int]:
    """The part x0, y0, x1, y1 of a picture of a size (width, height) by which an outline (m, 2) px is judged."""
    margin = sheet_fit.DRAWN_IN + 3
    low = np.clip(np.floor(outline.min(axis=0)).astype(int) - margin, 0, np.array(size) - 1)
    high = np.clip(np.ceil(outline.max(axis=0)).astype(int) + margin, low + 1, size)
    return int(low[0]), int(low[1]), int(high[0]), int(high[1])


def seen(part: Picture, outline: Floats, corner: tuple[int, int], size: tuple[int, int], hidden: Flags | None = None) -> Seen:
    """How well a picture of a size (width, height) shows the inside of an outline (m, 2) px. part: what is `around` it, linear light
    (h, w, 3), its first pixel `corner`. hidden: its pixels (h, w) that something in front covers."""
    within = float(((outline > 0) & (outline < size)).all(axis=1).mean())
    within_it = between.inside(outline - corner, (part.shape[1], part.shape[0]))
    inside = sheet_fit.drawn_in(within_it if hidden is None else within_it & ~hidden)
    if inside.sum() < LEAST:
        return Seen(unsure=np.inf, within=within)
    grain = sheet_fit.grain_of(part, inside) ** 2
    cell = float(np.clip((outline.max(axis=0) - outline.min(axis=0)).max() / sheet_fit.ACROSS, *sheet_fit.STEPS)) ** 2
    told = sheet_fit.CORRELATED * min(cell, float(inside.sum())) * _least(part, inside, grain)
    return Seen(unsure=float(np.sqrt(grain / told)) if told > 0 else np.inf, within=within)


def _least(part: Picture, inside: Flags, grain: float) -> float:
    """The mean square of slopes a pixel, in the direction in which it is least, without what grain adds."""
    slopes = levels_of(part, (0, 0), 1)[0].colours[inside]
    across, down = (np.ascontiguousarray(slopes[:, k : k + 3]).ravel() for k in (3, 6))
    xx, xy, yy = (float(one @ other) / len(slopes) for one, other in ((across, across), (across, down), (down, down)))
    least = 0.5 * (xx + yy) - np.hypot(0.5 * (xx - yy), xy)
    added = 3 * 0.5 * grain * (1 - np.exp(-((2 / BLUR) ** 2) / 4))
    return max(0.0, float(least - added))


def hard(frames: Mapping[int, Seen], keys: Iterable[int]) -> dict[int, str]:
    """The frames, of some that were looked at, on which the picture will hardly draw, and why: BLURRED, FLAT or OUT. keys: those of them
    that are keyed by hand, with which the others are compared: the nearest at either side."""
    keyed, out = sorted(set(keys) & set(frames)), {}
    for frame, one in sorted(frames.items()):
        if frame in keyed:
            continue
        at = bisect(keyed, frame)
        best = min((frames[k].unsure for k in keyed[max(0, at - 1) : at + 1]), default=np.inf)
        if one.within < WITHIN:
            out[frame] = OUT
        elif one.unsure > LOST:
            out[frame] = FLAT
        elif one.unsure > TIMES * best:
            out[frame] = BLURRED
    return out
