"""The edge's own word on an outline that its inside carries: where the picture's edge lies beside it, as far as that is to be trusted.

What an edge measure tells of two keys, whose outlines are right, says how far it is to be believed of this shape: by as much as the two
differ it errs. That is weighed against how unsure the carrier is on a frame. Where the inside is sure, or the edge is not, nothing changes;
where the inside slides (plain cloth, something that passes over it), the edge holds it.
"""

from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from roto.arrays import Flags, Floats
from roto.track import sheet
from roto.track.edge_fit import measure
from roto.track.looking import Picture
from roto.track.sheet import Lattice

AT_A_KEY = 4.0
"""px to either side of a key's outline in which its edge is looked for"""
NEAREST, FARTHEST, WIDE = 3.0, 8.0, 3.0
"""px at least and at most in which it is looked for on other frames, and times what the outline is likely off by"""
BESIDE = 16
"""px around the outline of which the measure is given the picture"""
LEAST, TIMES = 0.12, 4.0
"""px that an edge is unsure by at least; times the median difference of two keys, that it is unsure by"""
KNOWN = 0.25
"""of the outline, that the edge must be known on"""
NEIGHBOURS, STRAY = 3, 0.8
"""places to either side among which one that lies farther (px) from their median does not count"""
STIFF, AGAIN, SLACK = 0.02, 4, 0.5
"""how hard the outline moves, turns, sizes and shears as a whole; how often that is fitted; px from which a place counts less in it"""
FADES = 8.0
"""places beyond what is known over which what is left of it fades"""
FOLLOWS = 0.1
"""stiffness with which the sheet takes the outline along"""
UNTOLD = 2.0
"""times the share of the outline that the edge says nothing of, that is as unsure as before"""
OFF = 2.0
"""times its standard deviation, that an outline is off in 19 of 20 places"""

Sheets = Mapping[int, tuple[Floats, float]]
"""by frame, control points (parts, 2) and px that the outline is likely off by"""


@dataclass(frozen=True, slots=True, kw_only=True)
class End:
    """A key: its frame, places (m, 2) along its outline, and where (m, 2) these lie on the home frame."""

    frame: int
    outline: Floats
    spots: Floats


@dataclass(frozen=True, slots=True, kw_only=True)
class _Word:
    """What the edge says on a frame. shift: (m, 2) px by which the places are to be moved; normals outwards are in it already. known: the
    share of the outline that it is told of."""

    shift: Floats
    known: float


def normals(places: Floats) -> Floats:
    """Unit normals (m, 2) of a closed line (m, 2), to its left hand in a picture."""
    along = np.roll(places, -1, axis=0) - np.roll(places, 1, axis=0)
    along /= np.maximum(np.hypot(*along.T), 1e-9)[:, None]
    return np.stack([along[:, 1], -along[:, 0]], axis=1)


def across(one: Floats, other: Floats) -> float:
    """px that two outlines (m, 2) lie apart across themselves, in 19 of 20 places at most."""
    return float(np.percentile(np.abs(((other - one) * normals(one)).sum(axis=1)), 95))


def offsets(picture: Picture, places: Floats, window: float, hidden: Flags | None) -> Floats:
    """How far (m,) along `normals` the picture's edge lies from places, px; NaN where it is not known. picture: linear light (h, w, 3)."""
    size = np.array(picture.shape[1::-1])
    far = int(np.ceil(window)) + BESIDE
    low = np.clip(np.floor(places.min(axis=0)).astype(int) - far, 0, size - 1)
    high = np.clip(np.ceil(places.max(axis=0)).astype(int) + far, low + 1, size)
    part = np.s_[low[1] : high[1], low[0] : high[0]]
    shown = np.sqrt(np.maximum(picture[part], 0.0)).astype(np.float32)  # nearly as it is displayed, which is what the measure expects
    others = None if hidden is None else hidden[part].astype(np.float32)
    points = np.concatenate([places - low, np.zeros((len(places), 4))], axis=1)
    found = measure(shown, points, np.arange(len(places)), np.zeros(len(places)), others, window)
    same_way = np.sign((found.outward * normals(places)).sum(axis=1))
    border = (places < 2).any(axis=1) | (places > size - 2).any(axis=1)
    return np.where(border, np.nan, found.offset * same_way)


def corrected(
    lattice: Lattice,
    sheets: Sheets,
    ends: tuple[End, End],
    picture: Callable[[int], Picture],
    hidden: Callable[[int], Flags | None],
) -> dict[int, tuple[Floats, float]]:
    """Sheets between two keys as the edge has them, in so far as it is surer than they are; all of them as they were where it says too
    little on the keys."""
    one, other = ends
    at_key = [offsets(picture(end.frame), end.outline, AT_A_KEY, hidden(end.frame)) for end in ends]
    differ = np.abs(at_key[0] - at_key[1])
    if np.isfinite(differ).mean() < KNOWN:
        return dict(sheets)
    unsure = max(LEAST, TIMES * float(np.nanmedian(differ)))

    def told(frame: int) -> tuple[Floats, _Word | None]:
        control, off = sheets[frame]
        u = (frame - one.frame) / (other.frame - one.frame)
        spots = (1 - u) * one.spots + u * other.spots
        places = sheet.bent(lattice, control[None], spots[None])[0][0]
        window = float(np.clip(WIDE * off, NEAREST, FARTHEST))
        usual = (1 - u) * at_key[0] + u * at_key[1]
        return spots, _said(places, offsets(picture(frame), places, window, hidden(frame)) - usual)

    with ThreadPoolExecutor(2) as pool:
        words = dict(zip(sheets, pool.map(told, sheets), strict=True))
    out = {}
    for frame, (control, off) in sheets.items():
        spots, word = words[frame]
        near = [words[f][1] for f in (frame - 1, frame, frame, frame + 1) if f in words]
        heard = [it.shift for it in near if it is not None]
        if word is None or not heard:
            out[frame] = control, off
            continue
        own = off / OFF
        share = own**2 / (own**2 + unsure**2)
        moved = control + sheet.through(lattice, spots, share * np.mean(heard, axis=0), FOLLOWS)
        left = OFF * own * unsure / np.hypot(own, unsure)
        out[frame] = moved, float(left + (off - left) * min(1.0, UNTOLD * (1 - word.known)))
    return out


def _said(places: Floats, offset: Floats) -> _Word | None:
    """What measured offsets (m,), NaN where unknown, come to: a move of the whole, and what is left of them along what is known; None where
    too little is."""
    m = len(places)
    around = np.stack([np.roll(offset, k) for k in range(-NEIGHBOURS, NEIGHBOURS + 1)])
    enough = np.isfinite(around).sum(axis=0) > NEIGHBOURS
    middle = np.full(m, np.nan)
    middle[enough] = np.nanmedian(around[:, enough], axis=0)
    known = np.isfinite(offset) & (np.abs(offset - middle) < STRAY)
    if known.mean() < KNOWN:
        return None
    outward = normals(places)
    away = places - places.mean(axis=0)
    away /= max(float(np.hypot(*away.T).mean()), 1e-9)
    rows = np.concatenate([outward, outward * away[:, :1], outward * away[:, 1:]], axis=1)
    its, wanted, weight = rows[known], offset[known], np.ones(int(known.sum()))
    for _ in range(AGAIN):
        whole = np.linalg.solve((its * weight[:, None]).T @ its + STIFF * m * np.eye(6), (its * weight[:, None]).T @ wanted)
        weight = 1 / (1 + ((wanted - its @ whole) / SLACK) ** 2)
    rest = wanted - its @ whole
    at = np.flatnonzero(known)
    everywhere = np.interp(np.arange(m), np.concatenate([at - m, at, at + m]), np.tile(rest, 3))
    gap = np.abs(np.arange(m)[:, None] - at[None])
    gap = np.minimum(gap, m - gap).min(axis=1)
    shift = whole[:2] + away[:, :1] * whole[2:4] + away[:, 1:] * whole[4:]
    return _Word(shift=shift + (everywhere * np.exp(-((gap / FADES) ** 2)))[:, None] * outward, known=float(known.mean()))
