"""Where a plate is cut: frames on which another take begins."""

import cv2
import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.tolerances import CUT_CHANGE, CUT_LIKENESS, CUT_TIMES

SIZE = (48, 27)
"""px: enough to tell pictures apart, small enough to keep of every frame"""
BESIDE = 3
"""frames on either side whose changes a cut stands out from"""


def small(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """A displayed frame (h, w, 3) as small as it is compared, uint8 (27, 48)."""
    grey = cv2.cvtColor(np.ascontiguousarray(picture[..., :3]), cv2.COLOR_RGB2GRAY)
    return np.asarray(cv2.resize(grey, SIZE, interpolation=cv2.INTER_AREA), np.uint8)


def find(pictures: dict[int, NDArray[np.uint8]]) -> list[int]:
    """The frames on which another take begins. pictures: by frame, each as `small` makes it.

    A cut changes much at once, leaves another picture (not the same one in other light), and stands out from the changes beside it:
    a flash comes and goes, a fast pass changes much on every frame.

    >>> rng = np.random.default_rng(1)
    >>> one, other = (rng.integers(0, 255, (27, 48)).astype(np.uint8) for _ in range(2))
    >>> find({1001: one, 1002: one, 1003: other, 1004: other})
    [1003]
    """
    frames = sorted(pictures)
    if len(frames) < 2:
        return []
    greys: Floats = np.stack([pictures[f] for f in frames]).reshape(len(frames), -1) / 255.0
    change = np.concatenate([[0.0], np.abs(np.diff(greys, axis=0)).mean(axis=1)])
    level = greys - greys.mean(axis=1, keepdims=True)
    spread = np.sqrt((level**2).sum(axis=1)) + 1e-6
    like = np.concatenate([[1.0], (level[1:] * level[:-1]).sum(axis=1) / (spread[1:] * spread[:-1])])
    found = []
    for k in range(1, len(frames)):
        beside = np.concatenate([change[max(1, k - BESIDE) : k], change[k + 1 : k + 1 + BESIDE]])
        alone = change[k] > CUT_TIMES * beside.max(initial=0.0)
        if frames[k] == frames[k - 1] + 1 and change[k] > CUT_CHANGE and like[k] < CUT_LIKENESS and alone:
            found.append(frames[k])
    return found


def take_of(cuts: list[int], frame: int, first: int, last: int) -> tuple[int, int]:
    """First and last frame of the take that a frame belongs to.

    >>> take_of([1010, 1020], 1015, 1001, 1030)
    (1010, 1019)
    """
    before = [c for c in cuts if c <= frame]
    after = [c - 1 for c in cuts if c > frame]
    return max([first, *before]), min([last, *after])
