"""An outline made of mattes: where a solid thing's alpha is a half, led by few points that are the same ones on every frame."""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d
from scipy.spatial import cKDTree

from roto.arrays import Floats
from roto.curve.curve_fit import calmed, corners_of, cubic_and_off, even_steps
from roto.curve.flatten import polygon
from roto.curve.redraw import Ring, direction
from roto.errors import BadGeometry
from roto.matte.teaching.looking import Grey, Mask
from roto.motion.edits import trace
from roto.motion.keys import Keys
from roto.motion.shape import Shape
from roto.tolerances import FLATTEN_REACH

STRAND = 7
"""px across: what is thinner is hair, which no outline follows"""
BEYOND = 8
"""px that an outline goes on beyond the picture, where the picture's border cuts what it holds"""
LEAST = 60.0
"""square px of something solid"""
NEAR = np.arange(-3.0, 3.01, 0.25)
"""px across the line, at which it is looked where alpha is a half"""
CORNER_REACH = 6
"""px to either side by which a corner is told"""
APART = 2.0
"""px between places that are led along a contour, on the frame where they begin"""
CALM = 0.015
"""of all places, sigma: how far the others carry a place along its contour with them"""
LEAST_GAP = 0.25
"""of what it would be by its share of the length, that stays between two places"""
TURNS = 20
"""rounds in which places are laid onto another line, where no picture carries them"""
SHORT = 12.0
"""px between two points: what an outline does within less is roughness, not form"""
FACING = 0.7
"""cosine between the directions of an edge and of that which a place is put on"""
FEWEST, MOST_POINTS = 4, 80
FEW = 24
"""points that somebody still likes to edit"""
COARSER = (1.0, 1.5, 2.0, 3.0)
"""times the tolerance: roughness of hair that is solid is no form to be followed"""
OFF_STILL = 0.5
"""px, on the mean over the keyed frames, that an outline of few points may be off"""
OFF_ENOUGH = 1.0
"""px, on the mean over a frame: where the worst frame is nearer, no more keys are wanted"""
NOTHING = "Nothing solid is covered on frame {frame}: an outline needs a part that is more than {strand} px across."


def contour(alpha: Grey, within: Mask | None = None, frame: int = 0) -> Floats:
    """The line (m, 2), px, around the largest solid part of a matte (H, W), at even steps, where alpha is a half.

    within: (H, W), where it is looked; what is solid beyond is cut off. Holes are passed over. Raises BadGeometry where nothing is solid;
    frame: for its sentence.
    """
    meant = np.asarray(alpha, np.float32) if within is None else np.where(within, alpha, 0).astype(np.float32)
    wide = np.pad(meant, BEYOND, mode="edge")
    solid = np.asarray(
        cv2.morphologyEx((wide >= 0.5).astype(np.uint8), cv2.MORPH_OPEN, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (STRAND, STRAND))),
        np.uint8,
    )
    found, _ = cv2.findContours(solid, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    line = max(found, key=cv2.contourArea, default=None)
    if line is None or cv2.contourArea(line) < LEAST:
        raise BadGeometry(NOTHING.format(frame=frame, strand=STRAND))
    even = even_steps(line[:, 0, :].astype(np.float64), 1.0)
    even = calmed(even, corners_of(even, CORNER_REACH))
    away = _normals(even)
    places = even[:, None] + NEAR[None, :, None] * away[:, None]
    across = cv2.remap(wide, places[..., 0].astype(np.float32), places[..., 1].astype(np.float32), cv2.INTER_LINEAR)
    return np.asarray(even + _half(np.asarray(across, np.float64))[:, None] * away + (0.5 - BEYOND))


def _half(across: Floats) -> Floats:
    """(n,) px from the middle of profiles (n, m) to the nearest place where they are a half; 0 where they nowhere are."""
    before, after = across[:, :-1] - 0.5, across[:, 1:] - 0.5
    crosses = (before >= 0) != (after >= 0)
    exact = NEAR[:-1] + (NEAR[1] - NEAR[0]) * before / np.where(crosses, before - after, 1.0)
    nearest = np.where(crosses, np.abs(exact), np.inf).argmin(axis=1)
    return np.where(crosses.any(axis=1), exact[np.arange(len(exact)), nearest], 0.0)


def off(line: Floats, other: Floats) -> float:
    """px, on the mean, from the places of a line (m, 2) to another closed one (v, 2)."""
    dense = even_steps(other, 0.5)
    _, near = cKDTree(dense).query(line)
    best = np.full(len(line), np.inf)
    for step in (-1, 0):
        a, b = dense[(near + step) % len(dense)], dense[(near + step + 1) % len(dense)]
        way = b - a
        t = np.clip(((line - a) * way).sum(axis=1) / np.maximum((way * way).sum(axis=1), 1e-12), 0, 1)
        best = np.minimum(best, np.hypot(*(a + t[:, None] * way - line).T))
    return float(best.mean())


@dataclass(frozen=True, slots=True, kw_only=True)
class Outlined:
    """Few points along contours. rings: the contour of each frame. at: by frame, (n,) px along it where the points lie. kinds: (n,), 1 for
    curve points."""

    rings: dict[int, Ring]
    at: dict[int, Floats]
    kinds: NDArray[np.int8]

    def outline(self, frame: int) -> Floats:
        """The points (n, 6) of a frame, with the tangents that follow its contour best."""
        ring, at, n = self.rings[frame], self.at[frame], len(self.kinds)
        out = np.zeros((n, 6))
        out[:, :2] = ring.at(at)
        for i in range(n):
            j = (i + 1) % n
            cubic, _, _ = _segment(ring, (at[i], at[j]), (self.kinds[i], self.kinds[j]))
            out[i, 4:], out[j, 2:4] = cubic[1] - cubic[0], cubic[2] - cubic[3]
        return out

    def shape(self, id_: str, name: str, keyed: Sequence[int], colour: int = 0) -> Shape:
        """A shape with these frames as its keys."""
        frames = sorted(keyed)
        points = np.stack([self.outline(f) for f in frames])
        made = trace(id_, name, frames[0], points[0], (self.kinds == 1).tolist(), colour)
        return replace(made, form=Keys.build(frames, points))

    def keys_wanted(self, keyed: Sequence[int], most: int) -> list[int]:
        """Frames to key so that straight in-betweens come near enough: these, and where it is worst between them, in turn."""
        keys = sorted(keyed)
        while len(keys) < most:
            away = self.off(self.shape("", "", keys))
            worst = [max(range(a + 1, b), key=lambda f: away.get(f, 0.0)) for a, b in pairwise(keys) if b - a > 1]
            more = sorted((f for f in worst if away.get(f, 0.0) > OFF_ENOUGH), key=lambda f: -away[f])[: most - len(keys)]
            if not more:
                break
            keys = sorted({*keys, *more})
        return keys

    def off(self, shape: Shape) -> dict[int, float]:
        """By frame, how far off (px, on the mean) a shape lies: from the contour to it, or back, whichever is farther."""
        frames = sorted(self.rings)
        out = {}
        for frame, outline in zip(frames, shape.outlines(np.array(frames, dtype=np.int64)), strict=True):
            contour, line = self.rings[frame].places, polygon(outline, FLATTEN_REACH)
            out[frame] = max(off(contour, line), off(even_steps(line, 1.0), contour))
        return out


Carried = Callable[[int, Sequence[int], Floats], Iterable[tuple[int, Floats]]]
"""where the picture carries places (m, 2), the outline of a frame, on other frames: given in turn, as far as the picture leads"""


def outlined(contours: Mapping[int, Floats], keyed: Sequence[int], carried: Carried, tolerance: float) -> Outlined:
    """As few points as are within so many px of the contour on each of the frames `keyed` (MOST_POINTS at the most). Where those are more
    than a few, fewer ones that are farther off here and there, if that is little on the mean.

    carried: leads places from each keyed frame to the next, so that each stays on its part of the thing. Those that serve as points are
    found by splitting where the worst of the keyed frames is farthest off.
    """
    rings = {f: Ring.of(line) for f, line in contours.items()}
    begin = max(keyed, key=lambda f: rings[f].length)
    at = dict(_along(rings, begin, sorted(keyed), carried))
    close = _pointed(rings, at, begin, keyed, tolerance)
    made = close
    for times in COARSER[1:]:
        if len(made.kinds) <= FEW:
            break
        made = _pointed(rings, at, begin, keyed, times * tolerance)
    away = replace(made, rings={f: rings[f] for f in keyed}).off(made.shape("", "", keyed))
    return made if len(made.kinds) <= FEW and np.mean([*away.values()]) <= OFF_STILL else close


def _pointed(rings: dict[int, Ring], at: dict[int, Floats], begin: int, keyed: Sequence[int], tolerance: float) -> Outlined:
    """Points where contours split into cubics that are within so many px of them."""
    corners = corners_of(rings[begin].places, CORNER_REACH)
    places = np.unique([round(c / len(rings[begin].places) * len(at[begin])) % len(at[begin]) for c in corners]).astype(int)
    sharp = set(places.tolist())
    ends = sorted(sharp) if len(sharp) > 1 else sorted({*sharp, *(np.arange(FEWEST) * len(at[begin]) // FEWEST).tolist()})
    worst = [_split(rings, at, keyed, (a, b), sharp) for a, b in zip(ends, [*ends[1:], ends[0]], strict=True)]
    while len(ends) < MOST_POINTS:
        k = int(np.argmax([gap for gap, _ in worst]))
        gap, middle = worst[k]
        if gap <= tolerance or middle in ends:
            break
        a, b = ends[k], ends[(k + 1) % len(ends)]
        ends.insert(k + 1, middle)
        worst[k : k + 1] = [_split(rings, at, keyed, (a, middle), sharp), _split(rings, at, keyed, (middle, b), sharp)]
    kinds = np.array([0 if one in sharp else 1 for one in ends], dtype=np.int8)
    return Outlined(rings=rings, at={f: at[f][ends] for f in rings}, kinds=kinds)


def _segment(ring: Ring, ends: tuple[float, float], kinds: tuple[int, int]) -> tuple[Floats, float, float]:
    """The cubic (4, 2) along a stretch of a ring, how far off it is at most (px), and at which share of the way."""
    line = ring.between(*ends)
    cubic, gap, at = cubic_and_off(line, direction(ring, ends[0], kinds[0], 1), direction(ring, ends[1], kinds[1], -1))
    return cubic, gap, at / (len(line) - 1)


def _split(
    rings: Mapping[int, Ring], at: Mapping[int, Floats], keyed: Sequence[int], ends: tuple[int, int], sharp: set[int]
) -> tuple[float, int]:
    """How far off one cubic is on the worst of the keyed frames (px), and the place to split it at."""
    kinds = (0 if ends[0] in sharp else 1, 0 if ends[1] in sharp else 1)
    found = [(*_segment(rings[f], (at[f][ends[0]], at[f][ends[1]]), kinds)[1:], f) for f in keyed]
    gap, share, frame = max(found)
    if (at[frame][ends[1]] - at[frame][ends[0]]) % rings[frame].length < 2 * SHORT:
        return 0.0, ends[0]
    here, count = at[frame], len(at[frame])
    room = (ends[1] - ends[0]) % count or count
    there = np.mod(here[(ends[0] + np.arange(1, room)) % count] - here[ends[0]], rings[frame].length)
    if not len(there):
        return 0.0, ends[0]
    wanted = share * ((here[ends[1]] - here[ends[0]]) % rings[frame].length or rings[frame].length)
    return gap, int((ends[0] + 1 + np.abs(there - wanted).argmin()) % count)


def _along(rings: Mapping[int, Ring], begin: int, keyed: Sequence[int], carried: Carried) -> Iterator[tuple[int, Floats]]:
    """By frame, px along its ring of places that are even on the frame where they begin."""
    first = np.linspace(0.0, rings[begin].length, max(4 * FEWEST, round(rings[begin].length / APART)), endpoint=False)
    yield begin, first
    for way in (1, -1):
        at = first
        stops = [begin, *(f for f in keyed[::way] if (f - begin) * way > 0)]
        ends = [*stops[1:], max(rings) + 1 if way > 0 else min(rings) - 1]
        for key, end in zip(stops, ends, strict=True):
            frames = [f for f in range(key + way, end + (way if end in rings else 0), way) if f in rings]
            led = dict(carried(key, frames, rings[key].at(at)))
            before = key
            for frame in frames:
                places = led.get(frame)
                at = _onto(rings[before], at, rings[frame], _laid_on(rings[before].at(at), rings[frame]) if places is None else places)
                before = frame
                yield frame, at


def _onto(ring: Ring, at: Floats, other: Ring, there: Floats) -> Floats:
    """px along another ring of places of one: nearest to where they are thought to be, smoothly. Where the edge turns another way there, by
    their share of the length between those that it does not."""
    _, near = cKDTree(other.places).query(there)
    facing = (_normals(there) * _normals(other.places)[near]).sum(axis=1) > FACING
    share = at / ring.length * other.length
    apart = other.along[near] - share
    turn = np.angle(np.mean(np.exp(2j * np.pi / other.length * apart) * facing)) * other.length / (2 * np.pi)
    slip = (apart - turn + other.length / 2) % other.length - other.length / 2
    even, sigma = share + turn, CALM * len(at)
    while sigma < len(at):
        weight = gaussian_filter1d(facing.astype(np.float64), sigma, mode="wrap")
        put = even + gaussian_filter1d(np.where(facing, slip, 0.0), sigma, mode="wrap") / np.maximum(weight, 0.05)
        if (np.diff(put, append=put[0] + other.length) > LEAST_GAP * np.diff(even, append=even[0] + other.length)).all():
            return np.asarray(put)
        sigma *= 2  # no place comes before the one before it
    return np.asarray(even)


def _laid_on(places: Floats, other: Ring) -> Floats:
    """Places moved and turned as one so that they lie on another ring (Besl and McKay, "A method for registration of 3-D shapes", IEEE PAMI
    1992)."""
    out, tree = places + other.places.mean(axis=0) - places.mean(axis=0), cKDTree(other.places)
    for _ in range(TURNS):
        to = other.places[tree.query(out)[1]]
        home, middle = out - out.mean(axis=0), to.mean(axis=0)
        u, _, v = np.linalg.svd(home.T @ (to - middle))
        if np.linalg.det(u @ v) > 0:
            out = home @ (u @ v) + middle
    return np.asarray(out)


def _normals(line: Floats) -> Floats:
    along = np.roll(line, -1, axis=0) - np.roll(line, 1, axis=0)
    return np.asarray(np.stack([along[:, 1], -along[:, 0]], axis=1) / np.maximum(np.hypot(*along.T), 1e-9)[:, None])
