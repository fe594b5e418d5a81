"""Bringing points into line: level, upright, evenly spaced, or onto a neighbour's outline. Each gives what `edits.move_points` takes."""

from collections.abc import Sequence

import numpy as np

from roto.arrays import Floats
from roto.curve.flatten import flatten
from roto.errors import BadGeometry

LEVEL, UPRIGHT, EVEN = "level", "upright", "even"
CORNERS_PULL = 2.0
"""times farther off that a neighbour's point may lie than its line, and is still the one that is meant"""
FLAT = 0.02
"""px: how finely a neighbour's outline is looked at"""


def aligned(outline: Floats, points: Sequence[int], how: str) -> dict[int, Floats]:
    """Points of an outline (n, 6) on one level or upright line (through their middle), or evenly spaced between the outer two.

    Spacing is along the line through the outer two; how far a point lies beside it stays.
    """
    if len(points) < (3 if how == EVEN else 2):
        raise BadGeometry("Choose three points at least: the outer two stay." if how == EVEN else "Choose two points at least.")
    at = outline[list(points), :2].copy()
    if how in (LEVEL, UPRIGHT):
        axis = 1 if how == LEVEL else 0
        at[:, axis] = (at[:, axis].min() + at[:, axis].max()) / 2
    else:
        gaps = np.hypot(*(at[:, None] - at[None]).transpose(2, 0, 1))
        a, b = np.unravel_index(int(gaps.argmax()), gaps.shape)
        long = float(gaps[a, b])
        if long == 0.0:
            raise BadGeometry("These points lie on one another: there is nothing to space.")
        along = (at[b] - at[a]) / long
        order = np.argsort((at - at[a]) @ along, kind="stable")
        wanted = np.linspace(0.0, long, len(at))
        at[order] += (wanted - (at[order] - at[a]) @ along)[:, None] * along
    return {i: np.concatenate([place, outline[i, 2:]]) for i, place in zip(points, at, strict=True)}


def snapped(outline: Floats, points: Sequence[int], others: Sequence[Floats], within: float) -> dict[int, Floats]:
    """Points of an outline (n, 6) onto the nearest point or line of other outlines [(m, 6), ...] that lie within so many px.

    A point of theirs is preferred to their line, where it is not much farther. BadGeometry where none lies near enough.
    """
    out: dict[int, Floats] = {}
    lines = [flatten(other[None], FLAT)[0] for other in others]
    for i in points:
        here, best, far = outline[i, :2], None, within
        for other, line in zip(others, lines, strict=True):
            on_line = _nearest(line, here)
            off = float(np.hypot(*(on_line - here)))
            corner = other[int(np.hypot(*(other[:, :2] - here).T).argmin()), :2]
            away = float(np.hypot(*(corner - here)))
            place, reached = (corner, away) if away <= min(within, CORNERS_PULL * off + 1.0) else (on_line, off)
            if off <= far:
                best, far = place, min(off, reached)
        if best is not None:
            out[i] = np.concatenate([best, outline[i, 2:]])
    if not out:
        raise BadGeometry(f"No other outline lies within {within:g} px of what is chosen.")
    return out


def _nearest(line: Floats, place: Floats) -> Floats:
    """The place on a closed line (m, 2) that is nearest to another."""
    ends = np.roll(line, -1, axis=0)
    along = ends - line
    long = np.maximum((along * along).sum(axis=1), 1e-12)
    t = np.clip(((place - line) * along).sum(axis=1) / long, 0.0, 1.0)
    on = line + t[:, None] * along
    return np.asarray(on[int(np.hypot(*(on - place).T).argmin())])
