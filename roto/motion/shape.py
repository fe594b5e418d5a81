"""A shape: points, and the channels that move them.

Where a point ends up: form -> placement -> placement of its group, and of that one's -> carrier. Groups and carriers are `Ride`s,
given from outside. A group is itself a shape, of a kind that has no outline: its placement carries others (`roto.motion.group`).
"""

from dataclasses import dataclass, field, replace
from typing import Protocol, Self

import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.errors import BadGeometry
from roto.jit import kernel, leaf
from roto.motion import correct, interpolate, placement
from roto.motion.keys import Keys
from roto.motion.live_ranges import Ranges, is_live

CORNER, CURVE = 0, 1
CLOSED, DIVIDING, GROUP = "closed", "dividing", "group"
FAR = 1e5
"""px: how far a dividing edge reaches; beyond any picture, near enough to keep float64 exact to 1e-10 px."""


class Ride(Protocol):
    """Anything that carries shapes: a group's placement, a track."""

    def carry(self, points: Floats, times: Floats, number: int | NDArray[np.int64]) -> Floats:
        """Points (T, n, 6) at moments (T,) of the exposure of a frame (or of one frame each), carried."""
        ...

    def uncarry(self, points: Floats, times: Floats, number: int | NDArray[np.int64]) -> Floats:
        """The points that `carry` brings there."""
        ...


REACH, SHIFT, OPACITY = 0, 1, 2
LENS = SHIFT
"""the part of the settings that lens softness stands in, as its second number: it is keyed together with the edge shift"""
MOST_LENS = 100.0
"""px of lens softness"""
BELL, DISC = "bell", "disc"
LENSES = (BELL, DISC)
"""how a lens spreads an edge: its softness is the sigma of a bell, or the radius of a disc"""


def settings_values(inner: float = 0.0, outer: float = 0.0, shift: float = 0.0, opacity: float = 1.0, lens: float = 0.0) -> Floats:
    """One settings key's values (3, 2): (inner, outer reach px), (edge shift px, lens softness px), (opacity, 0)."""
    return np.array([[inner, outer], [shift, lens], [opacity, 0.0]])


@dataclass(frozen=True, slots=True, kw_only=True)
class Shape:
    """One outline and its motion.

    form: channel of n points of 6 numbers. kinds: int8 (n,), CORNER or CURVE. settings: channel of `settings_values`.
    reach: channel of n points' own inner and outer reach (px), or None where no point has one; then that of the settings holds
    everywhere. own: which points have one (what the channel holds of the others counts for nothing).
    profile: the name of how alpha falls across the reach. blur: whether it moves within the exposure. lens_kind: what its lens
    softness is of, one of LENSES.
    A dividing edge (kind DIVIDING) has one point whose outgoing tangent is the edge's direction; it covers the right of it.
    """

    id: str
    name: str
    form: Keys
    kinds: NDArray[np.int8]
    place: Keys
    pivot: tuple[float, float] = (0.0, 0.0)
    settings: Keys = field(default_factory=lambda: Keys.build([0], settings_values()[None]))
    reach: Keys | None = None
    own: tuple[bool, ...] = ()
    profile: str = "straight"
    blur: bool = True
    lens_kind: str = BELL
    live: Ranges = ()
    kind: str = CLOSED
    colour: int = 0
    rides: tuple[Ride, ...] = ()

    def __post_init__(self) -> None:
        least = 2 if self.kind == CLOSED else 1
        if self.form.parts < least or len(self.kinds) != self.form.parts:
            raise BadGeometry(f"A shape needs at least {least} points and a kind for each.")
        if self.reach is not None and (self.reach.parts != self.form.parts or len(self.own) != self.form.parts or not any(self.own)):
            raise BadGeometry("A reach per point needs one for each point, and a point that has it.")

    @property
    def nbytes(self) -> int:
        """Memory of its keys; what it rides on is not its own."""
        return sum(keys.nbytes for keys in (self.form, self.place, self.settings, self.reach) if keys is not None)

    def is_live(self, frame: int) -> bool:
        """Whether the shape counts on this frame."""
        return is_live(self.live, frame)

    def form_at(self, times: object, number: object) -> Floats:
        """The form (T, n, 6) before placement; curve points are kept smooth."""
        return keep_smooth(interpolate.evaluate(self.form, times, number), self.kinds)

    def maps_at(self, times: object, number: object) -> Floats:
        """The placement's affine maps (T, 2, 3)."""
        return placement.matrices(interpolate.evaluate(self.place, times, number), self.pivot)

    def _carried(self, times: object, number: int | NDArray[np.int64]) -> Floats:
        """The form's own points (T, n, 6), placed and carried."""
        moments = np.atleast_1d(np.asarray(times, dtype=np.float64))
        points = placement.apply(self.maps_at(moments, number), self.form_at(moments, number))
        for ride in self.rides:
            points = ride.carry(points, moments, number)
        return points

    def within_rides(self, points: Floats, times: object, number: int | NDArray[np.int64]) -> Floats:
        """Points (T, n, 6) in plate pixels as they are before anything carries them."""
        moments = np.atleast_1d(np.asarray(times, dtype=np.float64))
        for ride in reversed(self.rides):
            points = ride.uncarry(points, moments, number)
        return points

    def within_form(self, points: Floats, times: object, number: int | NDArray[np.int64]) -> Floats:
        """Points (T, n, 6) in plate pixels as the form has them: carried by nothing, the placement taken off."""
        points = self.within_rides(np.asarray(points, dtype=np.float64), times, number)
        return placement.apply(placement.inverse(self.maps_at(times, number)), points)

    def outline(self, times: object, number: int | NDArray[np.int64]) -> Floats:
        """Points (T, n, 6) in plate pixels at moments of the exposure of frame `number`, or of one frame each (T,)."""
        points = self._carried(times, number)
        return dividing_polygon(points) if self.kind == DIVIDING else points

    def edge(self, times: object, number: int | NDArray[np.int64]) -> Floats:
        """As `outline`, for what is drawn: where a ride bends segments (by perspective), with points added that hold them to it."""
        rides = [ride for ride in self.rides if getattr(ride, "bends", False)]
        if not rides or self.kind == DIVIDING:
            return self.outline(times, number)
        moments = np.atleast_1d(np.asarray(times, dtype=np.float64))
        points = halved(halved(placement.apply(self.maps_at(moments, number), self.form_at(moments, number))))
        for ride in self.rides:
            points = ride.carry(points, moments, number)
        return points

    def outlines(self, frames: NDArray[np.int64]) -> Floats:
        """Points (F, n, 6) at whole frames; of a dividing edge its own point."""
        return self._carried(frames, np.asarray(frames, dtype=np.int64))

    @property
    def softens(self) -> bool:
        """Whether it has lens softness on any frame."""
        return bool(self.settings.values[:, LENS, 1].any())

    def settings_at(self, frames: int | NDArray[np.int64]) -> list[tuple[float, float, float, float, float]]:
        """Inner and outer reach (px), edge shift (px), opacity, lens softness (px) at each frame; neither reaches nor lens softness are
        ever negative, opacity stays in 0..1."""
        out = []
        for row in interpolate.evaluate(self.settings, frames, frames, within=True).tolist():
            (inner, outer), shift, opacity, lens = row[REACH], row[SHIFT][0], row[OPACITY][0], row[LENS][1]
            out.append((max(0.0, inner), max(0.0, outer), shift, min(max(0.0, opacity), 1.0), max(0.0, lens)))
        return out

    def reaches_at(self, frames: int | NDArray[np.int64]) -> Floats | None:
        """Inner and outer reach (F, n, 2) of the points at each frame, NaN for those without one of their own; None where none has."""
        if self.reach is None:
            return None
        values = np.maximum(interpolate.evaluate(self.reach, frames, frames, within=True), 0.0)
        values[:, ~np.array(self.own)] = np.nan
        return values

    def with_form_key(self, frame: int, points: Floats, held: NDArray[np.bool_]) -> Self:
        """Key the form of the held points at a frame, points given in plate pixels; what moves them there is taken off first."""
        local = self.within_form(np.asarray(points, dtype=np.float64)[None], frame, frame)[0]
        if not np.isfinite(local[held]).all():
            raise BadGeometry("A point was moved to a place that is not a number.")
        return replace(self, form=correct.put(self.form, frame, local, held, together=True))


@leaf
def smooth_point(p):
    """The tangents of a curve point (6,) laid into one line, in place."""
    lin, lout = np.sqrt(p[2] * p[2] + p[3] * p[3]), np.sqrt(p[4] * p[4] + p[5] * p[5])
    if lin == 0.0 or lout == 0.0:
        return
    x, y = p[4] / lout - p[2] / lin, p[5] / lout - p[3] / lin
    long = np.sqrt(x * x + y * y)
    if long > 1e-9 and long <= 2.0 - 1e-12:  # else opposite to rounding, or no direction at all: leave the bits alone
        p[2], p[3] = -x / long * lin, -y / long * lin
        p[4], p[5] = x / long * lout, y / long * lout


@kernel
def _smooth(points, kinds):
    for s in range(points.shape[0]):
        for i in range(points.shape[1]):
            if kinds[i] == 1:
                smooth_point(points[s, i])


def keep_smooth(points: Floats, kinds: NDArray[np.int8]) -> Floats:
    """Turn both tangents of each curve point onto their common direction, lengths kept. points: (T, n, 6)."""
    out = np.array(points)
    _smooth(out, kinds)
    return out


def halved(points: Floats) -> Floats:
    """The same outlines (T, n, 6) with a point in the middle of each segment (T, 2n, 6), by de Casteljau's construction."""
    after = np.roll(points, -1, axis=1)
    a, d = points[:, :, :2], after[:, :, :2]
    b, c = a + points[:, :, 4:6], d + after[:, :, 2:4]
    ab, bc, cd = (a + b) / 2, (b + c) / 2, (c + d) / 2
    abc, bcd = (ab + bc) / 2, (bc + cd) / 2
    middle = (abc + bcd) / 2
    old = np.concatenate([a, np.roll(cd - d, 1, axis=1), ab - a], axis=2)
    new = np.concatenate([middle, abc - middle, bcd - middle], axis=2)
    return np.stack([old, new], axis=2).reshape(len(points), -1, 6)


def dividing_polygon(points: Floats) -> Floats:
    """The far quadrilateral (T, 4, 6) to the right of a dividing edge, from its only point (T, 1, 6)."""
    origin, along = points[:, 0, 0:2], points[:, 0, 4:6]
    unit = along / np.maximum(np.linalg.norm(along, axis=-1, keepdims=True), 1e-12)
    right = np.stack([-unit[:, 1], unit[:, 0]], axis=-1)
    out = np.zeros((len(points), 4, 6))
    out[:, 0, :2] = origin - FAR * unit
    out[:, 1, :2] = origin + FAR * unit
    out[:, 2, :2] = origin + FAR * (unit + 2 * right)
    out[:, 3, :2] = origin + FAR * (2 * right - unit)
    return out
