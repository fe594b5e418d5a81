"""Compiling what is compiled at first use, so that nobody waits for it later: small work of every kind that has compiled functions.

The row loop takes as long as all the rest, so the rest is compiled beside it by another process; both find in the end what the other
has made.
"""

import os
import threading
import time
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from multiprocessing import get_context

import numpy as np

from roto.arrays import Singles
from roto.check import looks, motion
from roto.matte.matting.fringe import Band, Fringes, InMemory, own_colour, solve
from roto.matte.modes import SOLVE
from roto.matte.render import render
from roto.matte.shutter import Shutter
from roto.matte.stack import Entry, Matte
from roto.motion import edits
from roto.motion.point_reach import set_reach
from roto.motion.shape import LENSES, Shape
from roto.picture.png import encode
from roto.track.bend import Bender
from roto.track.edge_fit import measure, parameters
from roto.track.follow import Follower
from roto.track.thin import baked, thin
from roto.tryout.laying import numbers, over, shade

SIDE = 64
"""px of the pictures, which are square"""
GREY = np.full((32, 32, 3), 0.5, np.float32)
POINTS = [[8.0, 8.0, 0, 0, 0, 0], [24.0, 8.0, 0, 0, 0, 0], [16.0, 24.0, 0, 0, 0, 0]]


def warm() -> None:
    """Compile it, and keep it for later runs."""
    beside = get_context("spawn").Process(target=_beside, args=(os.getpid(),))
    beside.start()
    _rows()
    beside.join()
    _all_else()
    _together()


def _beside(parent: int) -> None:
    """All else, as long as the one who asked for it is there."""

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(0.5)
        os._exit(1)

    threading.Thread(target=watch, daemon=True).start()
    _all_else()


def _matte() -> Matte:
    hard = edits.trace("hard", "hard", 1, POINTS, [False] * 3)
    soft = edits.soften(edits.place(hard, 5, (4.0, 0.0)), 1, inner=1.0, outer=2.0)
    lines = tuple(Entry(shape=shape) for shape in (hard, soft, set_reach(soft, 1, {0: (0.0, 4.0)})))
    return Matte(shot="warm", name="warm", size=(32, 32), rate=Fraction(24), first=1, last=5, shutter=Shutter(angle=180.0), entries=lines)


def _rows() -> None:
    render(_matte(), 3)


def _all_else() -> None:
    """What needs no matte that is drawn."""
    below = np.zeros((32, 32), np.float32)
    below[:, :14] = 1
    unknown = np.zeros((32, 32), np.bool_)
    unknown[:, 12:20] = True
    own_colour(GREY, solve(Band(box=(0, 0, 32, 32), cover=np.ones_like(below), below=below, unknown=unknown), GREY))
    for picture in (GREY, np.dstack([GREY, GREY[:, :, :1]])):
        over(GREY.copy(), picture, (0, 0), (0, 0, 32, 32), below.copy())
    shade(GREY.copy(), below.copy(), (0, 0), GREY[0, 0])
    for depth in ("8", "16"):
        numbers(GREY, depth)
        encode((below * (255 if depth == "8" else 65535)).astype(np.uint8 if depth == "8" else np.uint16))
    grey, colours = _moving()
    list(Follower(grey, 0, (20, 20, 44, 44)).follow(range(1, 3)))
    across, down = np.meshgrid(np.arange(SIDE), np.arange(SIDE))
    inside = (across - 32.0) ** 2 + (down - 32.0) ** 2 < 400
    turn = np.arange(40) / 40 * 2 * np.pi
    list(Bender(colours, 0, inside, 32 + 20 * np.stack([np.cos(turn), np.sin(turn)], axis=1)).follow(range(1, 3)))
    traced = _dense()
    measure(colours(0), traced.outlines(np.array([1]))[0], *parameters(traced.outlines(np.array([1]))))
    thin(traced, 0.5)
    small = [looks.ready((colours(k) * 255).astype(np.uint8), (inside * 255).astype(np.uint8)) for k in range(3)]
    motion.moving(small[0], small[1], small[2])


def _moving() -> tuple[Callable[[int], Singles], Callable[[int], Singles]]:
    """A texture that goes on by a px a frame: in grey, and in colours."""
    rng = np.random.default_rng(1)
    wide = np.kron(rng.random((24, 24, 3)), np.ones((4, 4, 1))).astype(np.float32)

    def colours(frame: int) -> Singles:
        return np.ascontiguousarray(wide[8 : 8 + SIDE, 8 - frame : 8 - frame + SIDE])

    return lambda frame: np.ascontiguousarray(colours(frame).mean(axis=2)), colours


def _dense() -> Shape:
    shape = edits.place(edits.trace("dense", "dense", 1, POINTS, [True] * 3), 5, (4.0, 0.0))
    return baked(shape, np.arange(1, 6), free=True)


def _together() -> None:
    """What is left: each finds the row loop compiled by now."""
    matte = _matte()
    hard, soft = matte.entries[0].shape, matte.entries[1]
    for kind in LENSES:
        render(replace(matte, entries=(Entry(shape=replace(edits.soften(hard, 1, lens=3.0), lens_kind=kind)), *matte.entries)), 3)
    for depth in ("8", "16"):
        encode(render(matte, 3, depth=depth).alpha)
    solved = Fringes(lambda frame: GREY, str, InMemory(), steady=False)
    solved.solved(replace(matte, entries=(soft, Entry(shape=edits.soften(hard, 1, outer=4.0), mode=SOLVE))), 1, 3)
