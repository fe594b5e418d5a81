"""The shapes that are measured: blobs of 40 points, some crossing themselves, some moving."""

from fractions import Fraction

import numpy as np

from roto.arrays import Floats
from roto.matte.shutter import Shutter
from roto.matte.stack import Entry, Matte
from roto.motion import placement
from roto.motion.keys import STRAIGHT, Keys
from roto.motion.shape import CURVE, Shape, settings_values

FULL_HD = (1920, 1080)


def blob(centre: tuple[float, float], radius: float, seed: int, n: int = 40, cross: float = 0.0) -> Floats:
    """A closed curve (n, 6) like a traced subject: bulges and hollows of several sizes, n curve points.

    `cross` throws the points about so that it crosses itself.
    """
    rng = np.random.default_rng(seed)
    angle = np.arange(n) / n * 2 * np.pi
    wobble = sum(rng.uniform(0, 0.35 / k) * np.cos(k * angle + rng.uniform(0, 6.28)) for k in range(2, 8))
    r = radius * (1 + wobble)
    p = np.stack([centre[0] + r * np.cos(angle), centre[1] + r * np.sin(angle)], axis=1) + cross * radius * rng.standard_normal((n, 2))
    tangent = (np.roll(p, -1, axis=0) - np.roll(p, 1, axis=0)) / 6
    return np.concatenate([p, -tangent, tangent], axis=1)


def shape(points: Floats, name: str, move: tuple[float, float] = (0.0, 0.0), inner: float = 0.0, outer: float = 0.0) -> Shape:
    """A shape that moves by so many px a frame, from frame 1 to 101."""
    far = (move[0] * 100, move[1] * 100)
    return Shape(
        id=name,
        name=name,
        form=Keys.build([1], points[None]),
        kinds=np.full(len(points), CURVE, np.int8),
        place=Keys.build([1, 101], [placement.values(), placement.values(move=far)], kinds=[STRAIGHT, STRAIGHT]),
        settings=Keys.build([1], settings_values(inner=inner, outer=outer)[None]),
    )


def matte(*shapes: Shape, size: tuple[int, int] = FULL_HD, angle: float = 0.0, cap: int = 64) -> Matte:
    return Matte(
        shot="KITE_010", name="kite", size=size, rate=Fraction(24), first=1, last=100, shutter=Shutter(angle=angle, cap=cap),
        entries=tuple(Entry(shape=s) for s in shapes),
    )  # fmt: skip


FIGURE = (
    ("leg behind", -80, 300, 60, 175),
    ("arm behind", -130, -50, 42, 110),
    ("forearm behind", -190, 110, 34, 95),
    ("hand behind", -215, 215, 30, 34),
    ("body", 0, -30, 120, 190),
    ("leg", 50, 310, 66, 180),
    ("neck", 0, -245, 36, 40),
    ("head", 5, -325, 62, 78),
    ("hair", 0, -365, 74, 60),
    ("arm", 125, -60, 44, 112),
    ("forearm", 180, 90, 36, 96),
    ("hand", 205, 195, 31, 36),
)
"""a person some 900 px tall, cut up as an artist would: name, centre from the person's, half width and half height, px"""


def twelve(size: float = 0.6) -> Matte:
    """Twelve shapes in full HD that make a figure, 40 points each, with reach, moving a few px a frame, shutter 180 degrees.

    size: 0.6 for a person half as tall as the picture, 1.1 for one that fills it.
    """
    rng = np.random.default_rng(5)
    shapes = []
    for k, (name, x, y, across, down) in enumerate(FIGURE):
        move = (float(rng.uniform(-3, 3)), float(rng.uniform(-2, 2)))
        points = blob((0.0, 0.0), size, k) * np.array([across, down] * 3)
        points[:, :2] += np.array([960.0, 540.0]) + size * np.array([x, y])
        shapes.append(shape(points, name, move, inner=2.0, outer=4.0))
    return matte(*shapes, angle=180.0)
