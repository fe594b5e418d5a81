"""Shapes and mattes for the tests, in one line each."""

from dataclasses import replace
from fractions import Fraction

import numpy as np
from scipy.special import erf

from roto.matte.shutter import Shutter
from roto.matte.stack import Entry, Matte
from roto.motion import placement
from roto.motion.keys import Keys
from roto.motion.shape import CORNER, CURVE, Shape, settings_values


def corners(*xy: tuple[float, float]) -> np.ndarray:
    return np.concatenate([np.array(xy, float), np.zeros((len(xy), 4))], axis=1)


def rectangle(x0: float, y0: float, x1: float, y1: float) -> np.ndarray:
    return corners((x0, y0), (x1, y0), (x1, y1), (x0, y1))


def blob(
    n: int = 40, centre: tuple[float, float] = (60.0, 50.0), radius: float = 35.0, seed: int = 1, rough: float = 0.15, cross: float = 0.0
):
    """A closed curve through n points around a centre; `cross` throws the points about so that it crosses itself."""
    rng = np.random.default_rng(seed)
    angle = np.arange(n) / n * 2 * np.pi
    r = radius * (1 + rough * rng.standard_normal(n))
    p = np.stack([centre[0] + r * np.cos(angle), centre[1] + r * np.sin(angle)], axis=1) + cross * radius * rng.standard_normal((n, 2))
    tangent = (np.roll(p, -1, axis=0) - np.roll(p, 1, axis=0)) / 6
    return np.concatenate([p, -tangent, tangent], axis=1)


def shape(points: np.ndarray, name: str = "sail", move: tuple[float, float] | None = None, place: Keys | None = None, **more) -> Shape:
    """A shape keyed on frame 1; `move` px from frame 1 to frame 11; reach, shift, opacity and lens softness by their names."""
    soft = {k: more.pop(k) for k in ("inner", "outer", "shift", "opacity", "lens") if k in more}
    if move is not None:
        place = Keys.build([1, 11], [placement.values(), placement.values(move=move)])
    curved = np.abs(points[:, 2:]).sum(axis=1) > 0
    return Shape(
        id=name, name=name, form=Keys.build([1], points[None]), kinds=np.where(curved, CURVE, CORNER).astype(np.int8),
        place=place or placement.at_rest(1), settings=Keys.build([1], settings_values(**soft)[None]), **more,
    )  # fmt: skip


def matte(*entries: Entry | Shape, size: tuple[int, int] = (120, 100), angle: float = 0.0, **more) -> Matte:
    lines = tuple(e if isinstance(e, Entry) else Entry(shape=e) for e in entries)
    return Matte(
        shot="KITE_010", name="kite", size=size, rate=Fraction(24), first=1, last=11, shutter=Shutter(angle=angle), entries=lines, **more
    )


def with_reach(it: Shape, reach: object) -> Shape:
    """The shape with a reach per point, keyed on frame 1: rows of (inner, outer), NaN for points without one of their own."""
    rows = np.asarray(reach, float)
    return replace(it, reach=Keys.build([1], np.nan_to_num(rows)[None]), own=tuple(bool(v) for v in ~np.isnan(rows[:, 0])))


def bell_along(low: float, high: float, sigma: float, count: int) -> np.ndarray:
    """The mean over each pixel of what lies between two places, blurred by a bell."""

    def rise(z):
        return z * 0.5 * (1 + erf(z / (sigma * 2**0.5))) + sigma * np.exp(-z * z / (2 * sigma * sigma)) / np.sqrt(2 * np.pi)

    x = np.arange(count)
    return rise(x + 1 - low) - rise(x - low) - rise(x + 1 - high) + rise(x - high)
