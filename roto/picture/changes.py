"""What differs between two versions of a plate: on which frames and how much, and whether the newer one is moved, retimed or graded."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from itertools import groupby

import cv2
import numpy as np
from numpy.typing import NDArray

Picture = NDArray[np.uint8]
"""a displayed frame (h, w, 3)"""

VISIBLE = 6
"""of 255: differences of the mean over AREA up to this are what lossy pictures lose of grain"""
AREA = (5, 5)
"""px"""
SOME = 0.0005
"""of the picture: a frame differs where so much of it does"""
MOSTLY = 0.5
"""of the picture: from here on it is as a whole that a frame differs"""
SMALL = (96, 54)
"""px: what is kept of a frame to find it again among others"""
REACH = 4
"""frames to either side at which it is looked for"""
NEARER = 0.35
"""times as far off as the frame of the same number: then it is the other one"""
FEWEST = 3
"""frames in a row that are retimed alike: fewer are chance"""
SURE = 0.2
"""response of phase correlation from which a move is believed"""
CLOSER = 0.6
"""times as far off as it was where it lay"""
LEAST_MOVE = 0.2
"""px of the pictures compared"""
ALIKE = 0.97
"""correlation of brightness, from which one picture is the other in other light"""
LEAST_GAIN = 0.02
"""of the brightness"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Change:
    """How a frame differs. share: of its pixels that differ visibly, 0..1. move: px (x, y) that it lies elsewhere; None where that cannot
    be told. gain: its brightness to that before; None where it is another picture."""

    share: float
    move: tuple[float, float] | None
    gain: float | None

    @property
    def seen(self) -> bool:
        """Whether it differs at all."""
        return self.share >= SOME


def change(before: Picture, after: Picture) -> Change:
    """How a frame differs from what it was. Both uint8 (h, w, 3) of one size; ValueError where they are not."""
    if before.shape != after.shape:
        raise ValueError(f"pictures of {before.shape} and {after.shape} cannot be compared")
    share = float((apart(before, after) > VISIBLE).mean())
    if share < MOSTLY / 10:
        return Change(share=share, move=None, gain=None)
    one, other = (cv2.cvtColor(np.ascontiguousarray(it), cv2.COLOR_RGB2GRAY).astype(np.float32) for it in (before, after))
    window = cv2.createHanningWindow(one.shape[::-1], cv2.CV_32F)
    move, response = cv2.phaseCorrelate(one - one.mean(), other - other.mean(), window)
    level = one - one.mean(), other - other.mean()
    alike = float((level[0] * level[1]).sum() / max(float(np.sqrt((level[0] ** 2).sum() * (level[1] ** 2).sum())), 1e-6))
    gain = float(other.mean() / max(float(one.mean()), 1e-6)) if share > MOSTLY and alike > ALIKE else None
    sure = response > SURE and _lies_there(one, other, move)
    return Change(share=share, move=(float(move[0]), float(move[1])) if sure else None, gain=gain)


def _lies_there(one: NDArray[np.float32], other: NDArray[np.float32], move: Sequence[float]) -> bool:
    """Whether a picture that is moved comes much nearer to another one, of what both show."""
    turn = np.array([[1, 0, move[0]], [0, 1, move[1]]], np.float64)
    there = cv2.warpAffine(np.ones_like(one), turn, one.shape[::-1]) > 0.999
    put = cv2.warpAffine(one, turn, one.shape[::-1])
    before, after = (float(np.abs(it - other)[there].mean()) if there.any() else 0.0 for it in (one, put))
    return after < CLOSER * before


def apart(before: Picture, after: Picture) -> Picture:
    """By how much each pixel differs, on the mean over AREA about it, uint8 (h, w): the channel that differs most."""
    return np.asarray(cv2.absdiff(cv2.blur(before, AREA), cv2.blur(after, AREA)).max(axis=2), np.uint8)


def small(picture: Picture) -> Picture:
    """What is kept of a frame to find it again, uint8 (54, 96)."""
    grey = cv2.cvtColor(np.ascontiguousarray(picture), cv2.COLOR_RGB2GRAY)
    return np.asarray(cv2.resize(grey, SMALL, interpolation=cv2.INTER_AREA), np.uint8)


def retimed(before: Mapping[int, Picture], after: Mapping[int, Picture]) -> list[tuple[int, int, int]]:
    """Stretches of frames, first and last, that show what before was shown so many frames later (below 0: earlier).

    before, after: by frame, each as `small` makes it.

    >>> rng = np.random.default_rng(1)
    >>> old = {f: rng.integers(0, 255, (54, 96)).astype(np.uint8) for f in range(10)}
    >>> retimed(old, {f: old[f + 1 if f > 3 else f] for f in range(9)})
    [(4, 8, 1)]
    """
    found = {}
    for frame, now in after.items():
        errors = {by: _error(before[frame + by], now) for by in range(-REACH, REACH + 1) if frame + by in before}
        best = min(errors, key=lambda by: (errors[by], abs(by)), default=0)
        found[frame] = best if best and errors[best] < NEARER * errors.get(0, 255.0) else 0
    out = []
    for (by, _), some in groupby(enumerate(sorted(found)), key=lambda it: (found[it[1]], it[1] - it[0])):
        frames = [frame for _, frame in some]
        if by and len(frames) >= FEWEST:
            out.append((frames[0], frames[-1], by))
    return out


def _error(one: Picture, other: Picture) -> float:
    return float(cv2.norm(one, other, cv2.NORM_L1)) / one.size


def moved(changes: Iterable[Change]) -> tuple[float, float] | None:
    """px (x, y) by which all frames lie elsewhere, on the median; None where most do not, or not alike."""
    every = list(changes)
    moves = np.array([one.move for one in every if one.move is not None and np.hypot(*one.move) > LEAST_MOVE])
    if len(moves) <= len(every) / 2:
        return None
    x, y = np.median(moves, axis=0)
    alike = np.hypot(*(moves - (x, y)).T) < 0.5 + 0.1 * np.hypot(x, y)
    return (float(x), float(y)) if alike.mean() > MOSTLY else None


def graded(changes: Iterable[Change]) -> float | None:
    """How bright the newer version is, 1 being as before, on the median; None where most frames are other pictures, or as bright."""
    every = list(changes)
    gains = [one.gain for one in every if one.gain is not None]
    if len(gains) <= len(every) / 2:
        return None
    gain = float(np.median(gains))
    return gain if abs(gain - 1) > LEAST_GAIN else None
