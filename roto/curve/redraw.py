"""Redrawing an outline by a stroke: the points stay the same ones, and go where the stroke says.

A closed stroke takes the place of the whole outline, an open one that of the stretch between its ends. Points go along by their share of
the length; corners go to the stroke's corners, where there is one near. Each segment is then fitted anew (`curve_fit`).
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from roto.arrays import Flags, Floats
from roto.curve.curve_fit import calmed, corners_of, cubic_along, even_steps
from roto.curve.flatten import edge_counts, polygon
from roto.errors import BadGeometry
from roto.tolerances import FLATTEN_REACH, SAME_PLACE

STEP = 1.0
"""px: how finely a stroke is looked at"""
CORNER_WINDOW = 0.08
"""of the whole length: how far along the stroke a corner may lie from where its point comes by length alone"""
JOIN = 0.35
"""of the outline's size: an open stroke must begin and end no farther from it"""
STRAIGHT = 0.6
"""px: a stretch between two corners that is straight within this has no tangents"""


@dataclass(frozen=True, slots=True)
class Ring:
    """A closed line: places (m, 2), and how far along each lies (m + 1,), with the whole length at the end."""

    places: Floats
    along: Floats

    @classmethod
    def of(cls, places: Floats) -> "Ring":
        gaps = np.hypot(*(np.roll(places, -1, axis=0) - places).T)
        return cls(places, np.concatenate([[0.0], np.cumsum(gaps)]))

    @property
    def length(self) -> float:
        return float(self.along[-1])

    def at(self, s: Floats) -> Floats:
        """Places (k, 2) so far along (px, round and round)."""
        closed = np.concatenate([self.places, self.places[:1]])
        s = np.mod(s, self.length)
        return np.stack([np.interp(s, self.along, closed[:, c]) for c in range(2)], axis=1)

    def between(self, a: float, b: float) -> Floats:
        """The line from one place along it to another (forwards), at steps of about STEP."""
        long = (b - a) % self.length or self.length
        return self.at(a + np.linspace(0.0, long, max(5, int(long / STEP) + 1)))


def redrawn(outline: Floats, kinds: NDArray[np.int8], path: object, *, closed: bool) -> tuple[Floats, list[int]]:
    """The outline (n, 6) as a stroke has it, and which points have changed (place or tangents).

    kinds: (n,), 1 for curve points. path: (m, 2) px in the order drawn. Raises BadGeometry for a stroke too short, or too far away.
    """
    stroke = np.asarray(path, dtype=np.float64)
    if stroke.ndim != 2 or stroke.shape[1] != 2 or not np.isfinite(stroke).all():
        raise BadGeometry("A stroke is a line of places in the picture.")
    stroke = stroke[np.concatenate([[True], np.hypot(*np.diff(stroke, axis=0).T) > SAME_PLACE])]
    if len(stroke) < 3 or np.ptp(stroke, axis=0).max() < 3.0:
        raise BadGeometry("That stroke is too short to say anything. Draw a longer one, or zoom in first.")
    line = polygon(outline, FLATTEN_REACH)
    starts = np.concatenate([[0], np.cumsum(edge_counts(outline[None], FLATTEN_REACH)[0])[:-1]])
    old = Ring.of(line)
    at = old.along[starts]
    if closed:
        ring, where = _whole(old, at, outline, kinds, stroke)
        moved = np.ones(len(outline), bool)
        fresh = moved
    else:
        ring, where, moved, fresh = _stretch(old, at, kinds, stroke)
    return _fitted(outline, kinds, ring, where, moved, fresh)


def _whole(old: Ring, at: Floats, outline: Floats, kinds: NDArray[np.int8], stroke: Floats) -> tuple[Ring, Floats]:
    """The new ring, the same way round, and where along it each point goes."""
    if _area(stroke) * _area(old.places) < 0:
        stroke = stroke[::-1]
    even = even_steps(stroke, STEP)
    corners = corners_of(even, 6)
    ring = Ring.of(calmed(even, corners))
    share = at / old.length * ring.length
    offsets = np.linspace(0.0, ring.length, max(8, len(even)), endpoint=False)
    places = outline[:, :2] - outline[:, :2].mean(axis=0)  # where it lies may have changed, too
    middle = ring.places.mean(axis=0)
    off = [float(((ring.at(share + o) - middle - places) ** 2).sum()) for o in offsets]
    share = share + offsets[int(np.argmin(off))]
    return ring, _to_corners(share, kinds, ring.along[corners], ring.length, np.ones(len(at), bool))


def _stretch(old: Ring, at: Floats, kinds: NDArray[np.int8], stroke: Floats) -> tuple[Ring, Floats, Flags, Flags]:
    """The same for a stroke that replaces a stretch: which points move, and the segments that are fitted anew (by their first point)."""
    (a, off_a), (b, off_b) = (_on(old, place) for place in (stroke[0], stroke[-1]))
    if max(off_a, off_b) > JOIN * float(np.ptp(old.places, axis=0).max()):
        raise BadGeometry("The stroke begins or ends far from the outline. Begin and end it on the outline, or draw all the way round.")
    if abs(a - b) < STEP:
        raise BadGeometry("The stroke ends where it begins. Draw all the way round, or end it farther along the outline.")
    ways = [(a, b, stroke), (b, a, stroke[::-1])]
    away = [float(_off(old.between(begin, end), drawn).mean()) for begin, end, drawn in ways]
    begin, end, drawn = ways[int(np.argmin(away))]
    drawn = _calm_open(drawn)
    rest = old.between(end, begin)[1:-1]
    ring = Ring.of(np.concatenate([drawn, rest]))
    long_old, long_new = (end - begin) % old.length, float(np.hypot(*np.diff(drawn, axis=0).T).sum())
    into = np.mod(at - begin, old.length)
    moved = into < long_old
    scale = (ring.length - long_new) / max(old.length - long_old, 1e-9)
    where = np.where(moved, into / long_old * long_new, long_new + (into - long_old) * scale)
    open_corners = _open_corners(drawn)
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(drawn, axis=0).T))])[open_corners]
    where = _to_corners(where, kinds, along, ring.length, moved)
    before = moved | np.roll(moved, -1)
    holds = np.array([_holds(at[i], at[(i + 1) % len(at)], begin, old.length) for i in range(len(at))])
    return ring, where, moved, before | holds


def _holds(first: float, last: float, place: float, length: float) -> bool:
    """Whether a place lies on the way from one place along a ring to another."""
    return (place - first) % length < ((last - first) % length or length)


def _on(ring: Ring, place: Floats) -> tuple[float, float]:
    """How far along a ring the nearest place lies, and how far off (px)."""
    ends = np.roll(ring.places, -1, axis=0)
    way = ends - ring.places
    long = np.maximum((way * way).sum(axis=1), 1e-12)
    t = np.clip(((place - ring.places) * way).sum(axis=1) / long, 0.0, 1.0)
    off = np.hypot(*(ring.places + t[:, None] * way - place).T)
    k = int(off.argmin())
    return float(ring.along[k] + t[k] * (ring.along[k + 1] - ring.along[k])), float(off[k])


def _off(line: Floats, other: Floats) -> Floats:
    return np.asarray(np.hypot(*(line[:, None] - other[None]).transpose(2, 0, 1)).min(axis=1))


def _area(places: Floats) -> float:
    x, y = places.T
    return float((x * np.roll(y, -1) - y * np.roll(x, -1)).sum())


def _calm_open(stroke: Floats) -> Floats:
    """An open stroke at even steps, the hand's tremble taken out but for its ends and corners."""
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(stroke, axis=0).T))])
    s = np.linspace(0.0, along[-1], max(8, int(along[-1] / STEP) + 1))
    even = np.stack([np.interp(s, along, stroke[:, c]) for c in range(2)], axis=1)
    return calmed(even, [0, *_open_corners(even), len(even) - 1])


def _open_corners(even: Floats) -> list[int]:
    there_and_back = np.concatenate([even, even[-2:0:-1]])
    return [i for i in corners_of(there_and_back, 6) if 6 < i < len(even) - 6]


def _to_corners(where: Floats, kinds: NDArray[np.int8], corners: Floats, length: float, moved: Flags) -> Floats:
    """Corner points on the stroke's corners, each on one, the nearest first; the others keep their share between those."""
    points = [i for i in range(len(where)) if kinds[i] != 1 and moved[i]]
    pairs = [(abs((corners[c] - where[i] + length / 2) % length - length / 2), i, c) for i in points for c in range(len(corners))]
    taken: dict[int, float] = {}
    used: set[int] = set()
    for off, i, c in sorted(pairs):
        if off <= CORNER_WINDOW * length and i not in taken and c not in used:
            taken[i] = float(where[i] + (corners[c] - where[i] + length / 2) % length - length / 2)
            used.add(c)
    fixed = {**taken, **{int(i): float(where[i]) for i in np.flatnonzero(~moved)}}
    return _warped(where, fixed, length) if fixed else where


def _warped(where: Floats, fixed: dict[int, float], length: float) -> Floats:
    """Places along a ring, some of them put where `fixed` says; those between keep their share of the way between their neighbours."""
    order = sorted(fixed, key=lambda i: where[i])
    source = np.array([where[i] for i in order])
    shift = np.array([fixed[i] - where[i] for i in order])
    source = np.concatenate([source[-1:] - length, source, source[:1] + length])
    return np.asarray(where + np.interp(where, source, np.concatenate([shift[-1:], shift, shift[:1]])))


def _fitted(outline: Floats, kinds: NDArray[np.int8], ring: Ring, where: Floats, moved: Flags, fresh: Flags) -> tuple[Floats, list[int]]:
    out = outline.copy()
    out[moved, :2] = ring.at(where[moved])
    n = len(outline)
    changed = set(np.flatnonzero(moved).tolist())
    for i in np.flatnonzero(fresh):
        j = (i + 1) % n
        line = ring.between(where[i], where[j])
        line[0], line[-1] = out[i, :2], out[j, :2]
        changed |= {int(i), int(j)}
        if kinds[i] != 1 and kinds[j] != 1 and _straight(line):
            out[i, 4:], out[j, 2:4] = 0.0, 0.0
            continue
        if kinds[i] != 1 and kinds[j] != 1:  # nothing says where the line leaves from corners but the line itself
            out[i, 4:], out[j, 2:4] = _free(line)
            continue
        start = direction(ring, where[i], kinds[i], 1) if moved[i] else _own(outline[i, 4:], line)
        end = direction(ring, where[j], kinds[j], -1) if moved[j] else _own(outline[j, 2:4], line[::-1])
        cubic = cubic_along(line, start, end)
        out[i, 4:], out[j, 2:4] = cubic[1] - cubic[0], cubic[2] - cubic[3]
    return out, sorted(changed)


def _straight(line: Floats) -> bool:
    way = line[-1] - line[0]
    long = float(np.hypot(*way))
    across = np.abs((line - line[0]) @ np.array([-way[1], way[0]])) / max(long, 1e-9)
    return bool(across.max() <= STRAIGHT)


def _free(line: Floats) -> tuple[Floats, Floats]:
    """The tangents at both ends of the cubic nearest to a line (m, 2): least squares, the share of the length as its parameter."""
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(line, axis=0).T))])
    t = (along / along[-1])[:, None]
    weights = np.concatenate([3 * (1 - t) ** 2 * t, 3 * (1 - t) * t**2], axis=1)
    rest = line - ((1 - t) ** 3 + weights[:, :1]) * line[0] - (t**3 + weights[:, 1:]) * line[-1]
    out, into = np.linalg.lstsq(weights, rest, rcond=None)[0]
    return np.asarray(out), np.asarray(into)


def _own(tangent: Floats, line: Floats) -> Floats:
    """The direction that a tangent has; without one, that of the line."""
    way = tangent if np.hypot(*tangent) > SAME_PLACE else line[max(4, len(line) // 6)] - line[0]
    return np.asarray(way / max(float(np.hypot(*way)), 1e-9))


def direction(ring: Ring, at: float, kind: int, way: int) -> Floats:
    """Length 1. Where a line leads from a point: forwards (1) or backwards (-1); a curve point's is that of both sides."""
    near = 4 * STEP
    ends = ring.at(np.array([at - near, at + near])) if kind == 1 else ring.at(np.array([at, at + way * near]))
    to = (ends[1] - ends[0]) * (way if kind == 1 else 1)
    return np.asarray(to / max(float(np.hypot(*to)), 1e-9))


def taken_over(outline: Floats, kinds: NDArray[np.int8], others: Floats, other_kinds: NDArray[np.int8]) -> Floats:
    """The points of an outline (n, 6) led along other outlines (K, m, 6), whatever their number of points: (K, n, 6).

    Which place of the others each point belongs to is found on the first of them, by its share of the length from where both agree best
    and by the corners; on all others it keeps its share between the same points.
    """
    rings, marks = [], []
    for other in others:
        starts = np.concatenate([[0], np.cumsum(edge_counts(other[None], FLATTEN_REACH)[0])[:-1]])
        ring = Ring.of(polygon(other, FLATTEN_REACH))
        rings.append(ring)
        marks.append(np.append(ring.along[starts], ring.length))
    turned = outline
    if _area(outline[:, :2]) * _area(rings[0].places) < 0:
        turned = outline[::-1][:, [0, 1, 4, 5, 2, 3]]
        kinds = kinds[::-1]
    at = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(turned[:, :2], axis=0, append=turned[:1, :2]).T))])
    share = at[:-1] / at[-1] * rings[0].length
    offsets = np.linspace(0.0, rings[0].length, 720, endpoint=False)
    places = turned[:, :2] - turned[:, :2].mean(axis=0)
    middle = rings[0].places.mean(axis=0)
    off = [float(((rings[0].at(share + o) - middle - places) ** 2).sum()) for o in offsets]
    all_moved = np.ones(len(turned), bool)
    corners = marks[0][:-1][other_kinds != 1]
    where = _to_corners(share + offsets[int(np.argmin(off))], kinds, corners, rings[0].length, all_moved) % rings[0].length
    segment = np.clip(np.searchsorted(marks[0], where, side="right") - 1, 0, len(marks[0]) - 2)
    part = (where - marks[0][segment]) / np.maximum(marks[0][segment + 1] - marks[0][segment], 1e-9)
    out = []
    for ring, mark in zip(rings, marks, strict=True):
        there = mark[segment] + part * (mark[segment + 1] - mark[segment])
        made = _fitted(np.zeros((len(turned), 6)), kinds, ring, there, all_moved, all_moved)[0]
        out.append(made if turned is outline else made[::-1][:, [0, 1, 4, 5, 2, 3]])
    return np.stack(out)
