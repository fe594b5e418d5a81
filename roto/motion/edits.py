"""Edits of a shape, each giving a new shape. Every edit keys its own channel on its own frame and touches nothing else."""

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from roto.errors import BadGeometry, BadKeys
from roto.motion import flow, placement
from roto.motion.keys import Keys
from roto.motion.shape import CURVE, OPACITY, REACH, SHIFT, Shape, settings_values

FARTHEST = 1e7
"""px: a point farther out is a slip of the pen; nearer ones are legal however far outside the picture"""
LARGEST_REACH = 1000.0


def trace(shape_id: str, name: str, frame: int, points: object, curves: object, colour: int = 0) -> Shape:
    """A new closed shape, keyed once. points: (n, 6) in plate pixels; curves: (n,) whether each is a curve point."""
    form = np.asarray(points, dtype=np.float64)
    if form.ndim != 2 or form.shape[1] != 6 or len(form) < 3:
        raise BadGeometry("A shape needs at least three points.")
    _check(form)
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


def place(
    shape: Shape,
    frame: int,
    move: tuple[float, float] = (0.0, 0.0),
    turn: float = 0.0,
    size: float = 1.0,
    about: tuple[float, float] | None = None,
) -> Shape:
    """Key the placement on this frame: turned on by degrees and sized by a factor about a place in the picture (px), then moved by px.

    Without `about` it turns about the shape's own pivot. A shape that has never been turned or sized takes `about` for its pivot (that
    changes no outline); later ones turn about `about` on this frame, while frames between keep turning about the shape's pivot.
    """
    numbers = [*move, turn, size, *(about or ())]
    if not (np.isfinite(numbers).all() and 1e-4 < size < 1e4 and np.abs(numbers).max() <= FARTHEST):
        raise BadGeometry("That placement makes no sense. Try a smaller change.")
    now = flow.evaluate(shape.place, frame, frame)[0]
    if about is not None:
        here = np.array(about) - now[placement.MOVE]
        if not shape.place.values[:, [placement.TURN, placement.SIZE]].any():
            shape = replace(shape, pivot=(float(here[0]), float(here[1])))
        away = np.array(shape.pivot) - here
        turned = placement.matrices(placement.values(turn=turn, size=size)[None], (0.0, 0.0))[0, :, :2] @ away
        move = (move[0] + float(turned[0] - away[0]), move[1] + float(turned[1] - away[1]))
    now = now + placement.values(move, turn, size)
    held = np.array([move != (0.0, 0.0), turn != 0.0, size != 1.0])
    return replace(shape, place=shape.place.put(frame, now, held if held.any() else np.ones(3, bool)))


def soften(
    shape: Shape,
    frame: int,
    *,
    inner: float | None = None,
    outer: float | None = None,
    shift: float | None = None,
    opacity: float | None = None,
) -> Shape:
    """Key the settings that are given on this frame."""
    now = flow.evaluate(shape.settings, frame, frame)[0]
    held = np.zeros(3, bool)
    for value, part, column, low, high in (
        (inner, REACH, 0, 0.0, LARGEST_REACH),
        (outer, REACH, 1, 0.0, LARGEST_REACH),
        (shift, SHIFT, 0, -LARGEST_REACH, LARGEST_REACH),
        (opacity, OPACITY, 0, 0.0, 1.0),
    ):
        if value is not None:
            if not low <= value <= high:
                raise BadGeometry(f"That must lie between {low:g} and {high:g}.")
            now[part, column] = value
            held[part] = True
    return replace(shape, settings=shape.settings.put(frame, now, held))


def drop_key(shape: Shape, channel: str, frame: int) -> Shape:
    """Take away the key of one channel (form, placement or settings) on a frame."""
    name = {"form": "form", "placement": "place", "settings": "settings"}.get(channel)
    if name is None:
        raise BadKeys(f"There is no channel '{channel}'.")
    return replace(shape, **{name: getattr(shape, name).drop(frame)})
