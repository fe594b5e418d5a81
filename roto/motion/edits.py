"""Edits of a shape, each giving a new shape. Every edit keys its own channel on its own frame and touches nothing else."""

from collections.abc import Callable, Collection, Mapping
from dataclasses import replace

import numpy as np

from roto.arrays import Flags, Floats
from roto.errors import BadGeometry, BadKeys
from roto.motion import correct, interpolate, placement
from roto.motion.keys import FLOWING, KIND_NAMES, Keys
from roto.motion.point_reach import LARGEST_REACH, scale_reach
from roto.motion.shape import CLOSED, CURVE, DIVIDING, GROUP, LENS, MOST_LENS, OPACITY, REACH, SHIFT, Shape, settings_values

FARTHEST = 1e7
"""px: a point farther out is a slip of the pen; nearer ones are legal however far outside the picture"""
MOST_SKEW = 85.0
"""degrees: beyond it an outline is no more than a line"""
Pair = tuple[float, float]
AMOUNTS = ("settings", "reach")
"""channels whose numbers never leave the range of the two keys beside them"""


def trace(shape_id: str, name: str, frame: int, points: object, curves: object, colour: int = 0, kind: str = CLOSED) -> Shape:
    """A new shape, keyed once. points: (n, 6) in plate pixels; curves: (n,) whether each is a curve point.

    A dividing edge (kind DIVIDING) is one point whose outgoing tangent says where the edge runs; it covers the right of it.
    """
    form = np.asarray(points, dtype=np.float64)
    if form.ndim != 2 or form.shape[1] != 6 or (len(form) < 3 and kind == CLOSED):
        raise BadGeometry("A shape needs at least three points.")
    _check(form)
    if kind == DIVIDING and (len(form) != 1 or not form[0, 4:].any()):
        raise BadGeometry("A dividing edge is one point and a direction.")
    low, high = form[:, :2].min(axis=0), form[:, :2].max(axis=0)
    middle = (low + high) / 2
    return Shape(
        id=shape_id,
        name=name,
        form=Keys.build([frame], form[None]),
        kinds=np.where(np.asarray(curves, bool), CURVE, 0).astype(np.int8),
        place=placement.at_rest(frame),
        pivot=(float(middle[0]), float(middle[1])),
        settings=Keys.build([frame], settings_values()[None]),
        colour=colour,
        kind=kind,
    )


def _check(form: np.ndarray) -> None:
    if not np.isfinite(form).all() or np.abs(form).max() > FARTHEST:
        raise BadGeometry("A point lies beyond any place that makes sense. Bring it nearer to the picture.")


def move_points(shape: Shape, frame: int, points: Mapping[int, object]) -> Shape:
    """Key the form of just these points on this frame: index -> six numbers in plate pixels."""
    now = shape.outlines(np.array([frame]))[0].copy()
    held = np.zeros(len(now), bool)
    for index, numbers in points.items():
        if not 0 <= index < len(now):
            raise BadGeometry(f"There is no point {index} in '{shape.name}'.")
        now[index] = numbers
        held[index] = True
    _check(now)
    return shape.with_form_key(frame, now, held)


def retrace(shape: Shape, frame: int, points: object, curves: object) -> Shape:
    """Another outline, on the only form key of a shape: points (n, 6) in plate pixels on a frame; the placement and all else stay."""
    if len(shape.form.frames) != 1:
        raise BadGeometry(
            f"'{shape.name}' is keyed on {len(shape.form.frames)} frames. Add points to its outline by a double click instead."
        )
    fresh = trace(shape.id, shape.name, int(shape.form.frames[0]), points, curves)
    local = shape.within_form(fresh.form.values, frame, frame)
    return replace(shape, form=replace(fresh.form, values=local), kinds=fresh.kinds, reach=None, own=())


def place(
    shape: Shape,
    frame: int,
    move: tuple[float, float] = (0.0, 0.0),
    turn: float = 0.0,
    size: float = 1.0,
    about: tuple[float, float] | None = None,
    *,
    skew: float = 0.0,
    taller: float = 1.0,
) -> Shape:
    """Key the placement on this frame: turned on by degrees and sized by a factor about a place in the picture (px), then moved by px.

    skew: degrees by which upright lines lean on; taller: the factor by which it grows in its own height alone. Groups take neither.

    Without `about` it turns about the shape's own pivot. A shape that has never been turned or sized takes `about` for its pivot (that
    changes no outline); later ones turn about `about` on this frame, while frames between keep turning about the shape's pivot.
    """
    numbers = [*move, turn, size, skew, taller, *(about or ())]
    if not (np.isfinite(numbers).all() and 1e-4 < size < 1e4 and 1e-4 < taller < 1e4 and np.abs(numbers).max() <= FARTHEST):
        raise BadGeometry("That placement makes no sense. Try a smaller change.")
    if shape.kind == GROUP and (skew or taller != 1.0):
        raise BadGeometry(f"'{shape.name}' is a group: it keeps its proportions. Make its shapes taller, or skew them, one by one.")
    move, about = _unridden(shape, frame, move, about)
    now = interpolate.evaluate(shape.place, frame, frame)[0]
    if about is not None:
        here = np.array(about) - now[placement.MOVE]
        if not shape.place.values[:, [placement.TURN, placement.SIZE]].any():
            shape = replace(shape, pivot=(float(here[0]), float(here[1])))
        away = np.array(shape.pivot) - here
        was, new = placement.matrices(np.stack([now, now + placement.values((0.0, 0.0), turn, size, skew, taller)]), (0.0, 0.0))[:, :, :2]
        turned = new @ np.linalg.solve(was, away)
        move = (move[0] + float(turned[0] - away[0]), move[1] + float(turned[1] - away[1]))
    now = now + placement.values(move, turn, size, skew, taller)
    if abs(now[placement.TURN, 1]) > MOST_SKEW:
        raise BadGeometry(f"A shape can lean by {MOST_SKEW:g} degrees at most.")
    held = np.array([move != (0.0, 0.0), turn != 0.0 or skew != 0.0, size != 1.0 or taller != 1.0])
    return replace(shape, place=correct.put(shape.place, frame, now, held if held.any() else np.ones(3, bool)))


def _unridden(shape: Shape, frame: int, move: Pair, about: Pair | None) -> tuple[Pair, Pair | None]:
    """A move and a place in plate pixels as they are before anything carries the shape."""
    if not shape.rides:
        return move, about
    ends = np.zeros((1, 2, 6))
    ends[0, :, :2] = about or shape.outlines(np.array([frame]))[0, 0, :2]
    ends[0, 1, :2] += move
    (x, y), (to_x, to_y) = shape.within_rides(ends, frame, frame)[0, :, :2].tolist()
    return (to_x - x, to_y - y), (x, y) if about is not None else None


def soften(
    shape: Shape,
    frame: int,
    *,
    inner: float | None = None,
    outer: float | None = None,
    shift: float | None = None,
    opacity: float | None = None,
    lens: float | None = None,
) -> Shape:
    """Key the settings that are given on this frame. Where each point has a reach of its own, all of them are sized alike."""
    if shape.reach is not None and (inner is not None or outer is not None):
        shape = scale_reach(shape, frame, inner, outer)
        inner = outer = None
    now = interpolate.evaluate(shape.settings, frame, frame, within=True)[0]
    held = np.zeros(3, bool)
    for value, part, column, low, high in (
        (inner, REACH, 0, 0.0, LARGEST_REACH),
        (outer, REACH, 1, 0.0, LARGEST_REACH),
        (shift, SHIFT, 0, -LARGEST_REACH, LARGEST_REACH),
        (opacity, OPACITY, 0, 0.0, 1.0),
        (lens, LENS, 1, 0.0, MOST_LENS),
    ):
        if value is not None:
            if not low <= value <= high:
                raise BadGeometry(f"That must lie between {low:g} and {high:g}.")
            now[part, column] = value
            held[part] = True
    return replace(shape, settings=_set(shape.settings, frame, now, held))


def _set(settings: Keys, frame: int, values: Floats, held: Flags) -> Keys:
    """Settings keyed on a frame. What was never set before holds throughout: its only key, as it was traced, comes here."""
    first = (
        held
        & (settings.held.sum(axis=0) == 1)
        & (settings.values * settings.held[:, :, None] == settings_values() * settings.held[:, :, None]).all(axis=(0, 2))
    )
    if not first.any():
        return correct.put(settings, frame, values, held, within=True)
    fresh = settings.put(frame, values, held)
    at = int(np.searchsorted(fresh.frames, frame))
    fresh.held[:, first] = np.arange(len(fresh.frames))[:, None] == at
    some = fresh.held.any(axis=1)
    fresh = Keys.build(fresh.frames[some], fresh.values[some], held=fresh.held[some], kinds=fresh.kinds[some], speeds=fresh.speeds[some])
    rest = held & ~first
    return correct.put(fresh, frame, values, rest, within=True) if rest.any() else fresh


def drop_key(shape: Shape, channel: str, frame: int) -> Shape:
    """Take away the key of one channel (form, placement or settings) on a frame; keys that are not beside it keep their speeds."""
    keys, with_keys = channel_of(shape, channel)
    return with_keys(correct.settled(keys, keys.drop(frame), [frame], channel in AMOUNTS))


def channel_of(shape: Shape, channel: str) -> tuple[Keys, Callable[[Keys], Shape]]:
    """A channel's keys (of form, placement, settings or reach), and what makes the shape with others in their place."""
    if channel == "form":
        return shape.form, lambda keys: replace(shape, form=keys)
    if channel == "placement":
        return shape.place, lambda keys: replace(shape, place=keys)
    if channel == "settings":
        return shape.settings, lambda keys: replace(shape, settings=keys)
    if channel == "reach":
        if shape.reach is None:
            raise BadKeys(f"'{shape.name}' has the same reach everywhere: there are no keys of single points.")
        return shape.reach, lambda keys: replace(shape, reach=keys)
    raise BadKeys(f"There is no channel '{channel}'.")


def key_here(shape: Shape, channel: str, frame: int) -> Shape:
    """Key all of a channel on this frame as it is there; nothing moves on any frame."""
    keys, with_keys = channel_of(shape, channel)
    return with_keys(correct.key_here(keys, frame, channel in AMOUNTS))


def move_key(shape: Shape, channel: str, frame: int, to: int) -> Shape:
    """Bring the key of a channel from one frame to another that has none."""
    keys, with_keys = channel_of(shape, channel)
    at = keys.index(frame)
    if at is None:
        raise BadKeys(f"There is no key on frame {frame}.")
    if to != frame and keys.index(to) is not None:
        raise BadKeys(f"There is a key on frame {to} already. Take it away first, or choose another frame.")
    frames = keys.frames.copy()
    frames[at] = to
    order = np.argsort(frames)
    moved = Keys.build(
        frames[order], keys.values[order], held=keys.held[order], kinds=keys.kinds[order], speeds=keys.speeds[order]
    )  # fmt: skip
    return with_keys(correct.settled(keys, moved, [frame, to], channel in AMOUNTS))


def key_kind(shape: Shape, channel: str, frame: int, kind: str) -> Shape:
    """How the stretch after a key runs: hold, straight or flowing."""
    keys, with_keys = channel_of(shape, channel)
    at = keys.index(frame)
    if at is None:
        raise BadKeys(f"There is no key on frame {frame}.")
    kinds = keys.kinds.copy()
    kinds[at] = KIND_NAMES.index(kind)
    ends = keys.frames[at : at + 2].tolist()
    return with_keys(correct.settled(keys, replace(keys, kinds=kinds), ends, channel in AMOUNTS))


def new_keys_as(before: Shape, after: Shape, frame: int, kind: str) -> Shape:
    """A shape after a change, of which keys that the change has made on a frame are of another kind than flowing."""
    for channel in ("form", "placement", "settings", "reach") if kind != KIND_NAMES[FLOWING] else ():
        if channel == "reach" and (before.reach is None or after.reach is None):
            continue
        old, keys = channel_of(before, channel)[0], channel_of(after, channel)[0]
        if keys.index(frame) is not None and old.index(frame) is None:
            after = key_kind(after, channel, frame, kind)
    return after


def flow_again(shape: Shape, channel: str, frame: int) -> Shape:
    """Let a key take its speed from its neighbours again, where earlier corrections made it stand."""
    keys, with_keys = channel_of(shape, channel)
    if keys.index(frame) is None:
        raise BadKeys(f"There is no key on frame {frame}.")
    return with_keys(correct.flow_again(keys, frame))


def keep_still(before: Shape, after: Shape, looked: Collection[int]) -> Shape:
    """A shape after a change, of which stretches that hold a frame somebody looked at run as they did; see `correct.still`."""
    for channel in ("form", "placement", "settings", "reach") if looked and before.form.parts == after.form.parts else ():
        if channel == "reach" and (before.reach is None or after.reach is None):
            continue
        old, (keys, with_keys) = channel_of(before, channel)[0], channel_of(after, channel)
        if keys is not old:
            after = with_keys(correct.still(old, keys, looked, channel in AMOUNTS))
    return after


SHARP, EVEN = "sharp", "even"


def point_kind(shape: Shape, indices: list[int], to: str) -> Shape:
    """Make points curve points, corners (tangents kept, free of each other), sharp corners (tangents drawn in) or even curve points (both
    tangents equally long), on every key.

    A curve point without tangents gets them along its neighbours, a third of the way.
    """
    n = shape.form.parts
    if shape.kind == DIVIDING:
        raise BadGeometry("A dividing edge is straight: its point is neither corner nor curve.")
    if not all(0 <= i < n for i in indices):
        raise BadGeometry(f"There is no such point in '{shape.name}'.")
    kinds, values = shape.kinds.copy(), shape.form.values.copy()
    for i in indices:
        kinds[i] = CURVE if to in ("curve", EVEN) else 0
        for row, frame in enumerate(shape.form.frames):
            if not shape.form.held[row, i]:
                continue
            if to == SHARP:
                values[row, i, 2:] = 0.0
            elif to in ("curve", EVEN):
                into, out = np.split(_smooth_tangents(interpolate.evaluate(shape.form, int(frame), int(frame))[0], i), 2)
                if to == EVEN:
                    out = (out - into) / 2
                    into = -out
                values[row, i, 2:] = np.concatenate([into, out])
    form = replace(shape.form, values=values)
    return replace(shape, kinds=kinds, form=form)


def _smooth_tangents(points: Floats, i: int) -> Floats:
    """Both tangents (4,) of a point as a curve point: those it has, or a third of the way to its neighbours."""
    n = len(points)
    before, here, after = points[(i - 1) % n, :2], points[i, :2], points[(i + 1) % n, :2]
    along = after - before
    long = float(np.linalg.norm(along))
    unit = along / long if long else np.zeros(2)
    lengths = [float(np.linalg.norm(points[i, c : c + 2])) for c in (2, 4)]
    into = lengths[0] or float(np.linalg.norm(before - here)) / 3
    out = lengths[1] or float(np.linalg.norm(after - here)) / 3
    if all(lengths):
        return points[i, 2:]
    return np.concatenate([-unit * into, unit * out])
