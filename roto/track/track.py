"""Tracks: points that go with something in the picture, followed or laid by hand; and what they carry.

One point carries by moving, two by turning and sizing too, three by shearing too, four by perspective; the control points of a sheet
(`roto.track.sheet`) carry by bending. Between its frames a track runs as every keyed number does (`roto.motion.interpolate`).
"""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.errors import BadTrack
from roto.motion import interpolate
from roto.motion.keys import Keys
from roto.track import sheet as sheets
from roto.track.align import AFFINE, MOVE, PERSPECTIVE, SIMILAR, mapped
from roto.track.sheet import Lattice

BEND = "bend"
"""how a sheet carries"""
LEAST = {MOVE: 1, SIMILAR: 2, AFFINE: 3, PERSPECTIVE: 4}
"""points that each way of carrying needs"""
BEHIND = 1e-4
"""what a place behind the eye is taken for by a perspective map: it may not be divided by nothing"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Track:
    """points: a channel of k points (px). home: the frame on which it was begun: there what it carries is as it was traced.

    confidence: (K,) of each key, 0..1. manual: frames that were set by hand; they steer the rest and following never overwrites them.
    sheet: the grid that the points are the control points of, at rest on the home frame, where it bends.
    """

    id: str
    name: str
    home: int
    points: Keys
    confidence: Floats
    manual: frozenset[int] = field(default_factory=frozenset)
    sheet: Lattice | None = None

    def __post_init__(self) -> None:
        fits = 1 <= self.points.parts <= 4 if self.sheet is None else self.points.parts == self.sheet.parts
        if self.points.values.shape[2] != 2 or not fits or len(self.confidence) != len(self.points.frames):
            raise BadTrack("A track has one to four points, or those of its sheet, and says of each frame how sure it is.")
        if self.points.index(self.home) is None:
            raise BadTrack(f"'{self.name}' has no point on frame {self.home}, where it begins.")

    @property
    def hows(self) -> list[str]:
        """The ways in which it can carry."""
        return [BEND] if self.sheet else [how for how, least in LEAST.items() if self.points.parts >= least]

    def points_at(self, times: object, number: object) -> Floats:
        """Its points (T, k, 2), plate px, at moments of the exposure of a frame (or of one frame each)."""
        return interpolate.evaluate(self.points, times, number)

    def shown_at(self, frames: NDArray[np.int64]) -> Floats:
        """What is drawn of it (F, k, 2), px: its points; of a sheet the four corners of its grid."""
        points = self.points_at(frames, frames)
        if self.sheet is None:
            return points
        it, far = self.sheet, np.array([self.sheet.across - 3, self.sheet.down - 3]) * self.sheet.step
        corners = np.array([it.x, it.y]) + np.array([[0, 0], [1, 0], [1, 1], [0, 1]]) * far
        return sheets.bent(it, points, np.repeat(corners[None], len(points), axis=0))[0]

    def maps_at(self, times: object, number: object, how: str) -> Floats:
        """Maps (T, 3, 3) of plate px on its home frame to plate px at those moments."""
        if how not in self.hows or self.sheet is not None:
            if self.sheet is not None:
                raise BadTrack(f"'{self.name}' bends what it carries: no map tells how.")
            raise BadTrack(f"'{self.name}' has {self.points.parts} points: that is too few to carry by {how}.")
        return maps_between(self.points.values[self.points.index(self.home)], self.points_at(times, number), how)


def maps_between(source: Floats, targets: Floats, how: str) -> Floats:
    """Maps (T, 3, 3) that take points (k, 2) nearest to others (T, k, 2), by least squares where there are more than needed."""
    out = np.zeros((len(targets), 3, 3))
    out[:] = np.eye(3)
    a = source.mean(axis=0)
    middles = targets.mean(axis=1)
    if how == MOVE:
        out[:, :2, 2] = middles - a
        return out
    if how == PERSPECTIVE:
        return _perspective(source, targets)
    p = source - a
    q = targets - middles[:, None]
    if how == SIMILAR:
        own, other = p @ np.array([1, 1j]), q @ np.array([1, 1j])
        spread = float((np.abs(own) ** 2).sum())
        ratio = (other @ np.conj(own)) / spread if spread > 0 else np.ones(len(targets), complex)
        linear = np.stack([np.stack([ratio.real, -ratio.imag], -1), np.stack([ratio.imag, ratio.real], -1)], axis=1)
    else:
        linear = np.stack([np.linalg.lstsq(p, one, rcond=None)[0].T for one in q])
    out[:, :2, :2] = linear
    out[:, :2, 2] = middles - linear @ a
    return out


def _perspective(source: Floats, targets: Floats) -> Floats:
    """The maps that take four points exactly to others (Hartley and Zisserman, "Multiple view geometry", 2nd ed., 4.1)."""
    middle, size = source.mean(axis=0), max(float(np.ptp(source, axis=0).max()), 1e-9)
    home = np.array([[1 / size, 0, -middle[0] / size], [0, 1 / size, -middle[1] / size], [0, 0, 1.0]])
    x, y = mapped(home, source).T
    zero, one = np.zeros(4), np.ones(4)
    u, v = targets[:, :, 0], targets[:, :, 1]
    count = len(targets)
    plain_u, plain_v = np.stack([x, y, one, zero, zero, zero], axis=1), np.stack([zero, zero, zero, x, y, one], axis=1)
    rows = np.concatenate(
        [
            np.concatenate([np.broadcast_to(plain, (count, 4, 6)), -(to * x)[:, :, None], -(to * y)[:, :, None]], axis=2)
            for plain, to in ((plain_u, u), (plain_v, v))
        ],
        axis=1,
    )
    try:
        solved = np.linalg.solve(rows, np.concatenate([u, v], axis=1)[:, :, None])[:, :, 0]
    except np.linalg.LinAlgError as error:
        raise BadTrack("Three of the track's points lie on one line: it cannot carry by perspective there.") from error
    return np.concatenate([solved, np.ones((count, 1))], axis=1).reshape(count, 3, 3) @ home


def carried(maps: Floats, points: Floats) -> Floats:
    """Points (T, n, 6) with their tangents where maps (T, 3, 3) take them. A tangent goes as a small piece of outline at its point does."""
    place = points[:, :, :2]
    linear, last = maps[:, :2, :2], maps[:, 2]
    below = np.maximum(np.einsum("tk,tnk->tn", last[:, :2], place) + last[:, None, 2], BEHIND)[:, :, None]
    there = (np.einsum("tij,tnj->tni", linear, place) + maps[:, None, :2, 2]) / below
    out = np.empty_like(points)
    out[:, :, :2] = there
    for c in (2, 4):
        tangent = points[:, :, c : c + 2]
        away = np.einsum("tk,tnk->tn", last[:, :2], tangent)[:, :, None]
        out[:, :, c : c + 2] = (np.einsum("tij,tnj->tni", linear, tangent) - there * away) / below
    return out


@dataclass(frozen=True, slots=True, kw_only=True)
class Carrier:
    """What carries a shape or a group by a track. before: (3, 3), a map of plate px that comes first: it keeps the picture as it was where
    the carrier was taken. Without a track nothing moves, and `before` stays. inherited: it is the group's of the shape, not its own."""

    track: Track | None
    how: str = MOVE
    before: Floats = field(default_factory=lambda: np.eye(3))
    inherited: bool = False

    @property
    def bends(self) -> bool:
        """Whether it may bend what was straight in between, as perspective and sheets do."""
        return self.how in (PERSPECTIVE, BEND) or bool(self.before[2, :2].any())

    def maps(self, times: object, number: object) -> Floats:
        """Maps (T, 3, 3) at moments of the exposure of a frame (or of one frame each)."""
        count = len(np.atleast_1d(np.asarray(times, dtype=np.float64)))
        own = np.broadcast_to(np.eye(3), (count, 3, 3)) if self.track is None else self.track.maps_at(times, number, self.how)
        return np.asarray(own @ self.before)

    def carry(self, points: Floats, times: Floats, number: int | NDArray[np.int64]) -> Floats:
        """Points (T, n, 6) at moments (T,), carried."""
        if self.track is not None and self.track.sheet is not None:
            return sheets.carried(self.track.sheet, self.track.points_at(times, number), points)
        return carried(self.maps(times, number), points)

    def uncarry(self, points: Floats, times: Floats, number: int | NDArray[np.int64]) -> Floats:
        """The points that `carry` brings there."""
        if self.track is not None and self.track.sheet is not None:
            return sheets.uncarried(self.track.sheet, self.track.points_at(times, number), points)
        return carried(np.asarray(np.linalg.inv(self.maps(times, number)), np.float64), points)


def taken_at(old: Carrier | None, track: Track | None, how: str, frame: int) -> Carrier:
    """The carrier that goes over from an old one (or none) to a track, or to none, with the picture as it is on a frame. BadTrack where
    either bends: a shape takes up a sheet by its keys (see `ride.take_up`), and lays it down by being baked."""
    if BEND in (how, None if old is None else old.how):
        raise BadTrack("What the picture draws is taken up by letting it draw, and laid down by baking it into keys: nothing moves then.")
    now = np.eye(3) if old is None else old.maps(float(frame), frame)[0]
    back = np.eye(3) if track is None else np.linalg.inv(track.maps_at(float(frame), frame, how)[0])
    before = back @ now
    return Carrier(track=track, how=how, before=before / before[2, 2])


def laid(track_id: str, name: str, frame: int, points: object) -> Track:
    """A new track by hand: points (k, 2) on a frame."""
    places = np.asarray(points, dtype=np.float64)
    if places.ndim != 2 or not np.isfinite(places).all():
        raise BadTrack("A track begins with one to four places in the picture.")
    return Track(
        id=track_id, name=name, home=frame, points=Keys.build([frame], places[None]), confidence=np.ones(1), manual=frozenset([frame])
    )


def corrected(track: Track, frame: int, points: dict[int, tuple[float, float]]) -> Track:
    """Some of its points set by hand on a frame. What was followed between here and the next frames set by hand gives way smoothly; beyond
    the last of those it moves by as much."""
    keys = track.points
    now = interpolate.evaluate(keys, frame, frame)[0]
    want = now.copy()
    for index, place in points.items():
        if track.sheet is not None:
            raise BadTrack(f"'{track.name}' is drawn by the picture. Correct the outline itself: a key there is kept for ever.")
        if not 0 <= index < keys.parts or not np.isfinite(place).all():
            raise BadTrack(f"'{track.name}' has no point {index}.")
        want[index] = place
    off = want - now
    before = max((f for f in track.manual if f < frame), default=None)
    after = min((f for f in track.manual if f > frame), default=None)
    u = np.ones(len(keys.frames))
    for edge, side in ((before, keys.frames < frame), (after, keys.frames > frame)):
        if edge is not None:
            u[side] = np.clip((keys.frames[side] - edge) / (frame - edge), 0.0, 1.0)
    share = u * u * (3 - 2 * u)
    moved = replace(keys, values=keys.values + share[:, None, None] * off)
    return with_keys(track, moved.put(frame, want, np.ones(keys.parts, bool)), frame)


def with_keys(track: Track, keys: Keys, by_hand: int | None = None) -> Track:
    """The track with these keys; what it was sure of stays, new frames are sure; one frame was set by hand."""
    known = dict(zip(track.points.frames.tolist(), track.confidence.tolist(), strict=True))
    if by_hand is not None:
        known[by_hand] = 1.0
    hand = track.manual if by_hand is None else track.manual | {by_hand}
    return replace(track, points=keys, confidence=np.array([known.get(int(f), 1.0) for f in keys.frames]), manual=hand)


def followed(track: Track, frames: Sequence[int], maps: Sequence[Floats], confidence: Sequence[float], source: int) -> Track:
    """The track with frames that were followed from `source`: maps (3, 3) of its plate px. Frames set by hand stay."""
    begin = interpolate.evaluate(track.points, source, source)[0]
    values = {int(f): v for f, v in zip(track.points.frames, track.points.values, strict=True)}
    known = dict(zip(track.points.frames.tolist(), track.confidence.tolist(), strict=True))
    for frame, there, how_sure in zip(frames, maps, confidence, strict=True):
        if frame not in track.manual:
            values[frame] = mapped(there, begin)
            known[frame] = how_sure
    order = sorted(values)
    keys = Keys.build(order, np.array([values[f] for f in order]))
    return replace(track, points=keys, confidence=np.array([known[f] for f in order]))


def cut_off(track: Track, first: int, last: int) -> Track:
    """Without what was followed outside of these frames; its home stays."""
    keep = [k for k, f in enumerate(track.points.frames) if first <= f <= last or f == track.home]
    keys = track.points
    some = Keys.build(keys.frames[keep], keys.values[keep], held=keys.held[keep], kinds=keys.kinds[keep], speeds=keys.speeds[keep])
    return replace(
        track, points=some, confidence=track.confidence[keep], manual=frozenset(f for f in track.manual if f in set(some.frames.tolist()))
    )


def joined(track_id: str, name: str, tracks: Sequence[Track], frame: int) -> Track:
    """One track of the points of several, on the frames that all of them have."""
    if not 2 <= sum(t.points.parts for t in tracks) <= 4:
        raise BadTrack("Two to four points make a track that turns, sizes or shears.")
    first, last = max(int(t.points.frames[0]) for t in tracks), min(int(t.points.frames[-1]) for t in tracks)
    if not first <= frame <= last:
        raise BadTrack(
            f"Not all of these tracks reach frame {frame}: they share {first}-{last}." if first <= last else "They share no frame."
        )
    frames = np.unique(np.concatenate([t.points.frames for t in tracks] + [np.array([frame])]))
    frames = frames[(frames >= first) & (frames <= last)]
    values = np.concatenate([t.points_at(frames, frames) for t in tracks], axis=1)
    confidence = np.min([np.interp(frames, t.points.frames, t.confidence) for t in tracks], axis=0)
    hand = frozenset(f for t in tracks for f in t.manual if first <= f <= last)
    return Track(id=track_id, name=name, home=frame, points=Keys.build(frames, values), confidence=confidence, manual=hand)


def smoothed(track: Track, frames: float) -> Track:
    """The track with trembling taken out: each point as a weighted mean over some frames to either side (a local parabola, Savitzky
    and Golay 1964, of bell weights); frames set by hand stay."""
    at = track.points.frames.astype(float)
    if frames <= 0 or len(at) < 3:
        return track
    values = track.points.values.copy()
    for k, f in enumerate(track.points.frames):
        if int(f) in track.manual:
            continue
        away = at - f
        weight = np.exp(-0.5 * (away / frames) ** 2) * (np.abs(away) <= 3 * frames)
        design = np.stack([np.ones_like(away), away, away * away], axis=1) * np.sqrt(weight)[:, None]
        known = track.points.values.reshape(len(at), -1) * np.sqrt(weight)[:, None]
        values[k] = np.linalg.lstsq(design, known, rcond=None)[0][0].reshape(values[k].shape)
    return replace(track, points=replace(track.points, values=values))
