"""Lessons: what a finished frame teaches."""

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from roto.errors import RotoError
from roto.matte.teaching.looking import Grey, Mask, looked_at, pictured

OFF = 0.5
"""px, root mean square: how far the edge below is displaced in a second copy of each lesson. Finished frames have it where it belongs, the
others where the in-betweens leave it: a model that never saw it displaced trusts it blindly."""
SMOOTH = 25.0
"""px, sigma of the displacement"""
ROWS = 75_000
"""pixels that a model is taught from"""


class NothingToLearn(RotoError):
    """The finished frames have no edge within the band: all of it is covered, or nothing. Finish a frame that shows one."""

    code = "taught.no_edge"


@dataclass(frozen=True, slots=True, kw_only=True)
class Lesson:
    """A finished frame within the band's box. picture: (h, w, 3) as displayed, 0..1. below, alpha: (h, w), the matte under the line and the
    finished one. unknown: where the line says alpha."""

    frame: int
    picture: Grey
    below: Grey
    unknown: Mask
    alpha: Grey

    def displaced(self, seed: int) -> "Lesson":
        """The same with the edge below, and the band with it, smoothly displaced."""
        rng = np.random.default_rng(seed)
        h, w = self.below.shape
        wild = [cv2.GaussianBlur(rng.standard_normal((h, w)).astype(np.float32), (0, 0), SMOOTH) for _ in range(2)]
        dx, dy = (one * np.float32(OFF / max(float(one.std()), 1e-9)) for one in wild)
        x, y = np.meshgrid(np.arange(w, dtype=np.float32), np.arange(h, dtype=np.float32))
        below = cv2.remap(self.below, x + dx, y + dy, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        unknown = cv2.remap(self.unknown.astype(np.uint8), x + dx, y + dy, cv2.INTER_NEAREST, borderMode=cv2.BORDER_REPLICATE)
        return replace(self, below=np.asarray(below, np.float32), unknown=unknown > 0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Rows:
    """What is looked at about pixels of a lesson, and of it displaced: rows (N, F), and their alpha (N,). as_it_is: how many of them, the
    first ones, are of the lesson as it is."""

    looked: Grey
    alpha: NDArray[np.float32]
    as_it_is: int

    @property
    def edged(self) -> bool:
        """Whether some of it is covered and some is not."""
        return bool((self.alpha > 0.5).any() and (self.alpha < 0.5).any())


def _some(unknown: Mask, most: int, seed: list[int]) -> Mask:
    """So many of the pixels that are marked (h, w), drawn by chance."""
    there = np.flatnonzero(unknown)
    out = np.zeros(unknown.size, bool)
    out[np.random.default_rng(seed).permutation(there)[:most]] = True
    return out.reshape(unknown.shape)


def rows_of(lesson: Lesson, most: int, seed: int) -> Rows:
    """The rows of a lesson, at most so many."""
    rows, alphas, seen = [], [], pictured(lesson.picture)
    for k, one in enumerate((lesson, lesson.displaced(seed))):
        some = _some(one.unknown, most // 2, [seed, k])
        rows.append(looked_at(seen, one.below, one.unknown, some))
        alphas.append(one.alpha[some])
    return Rows(looked=np.concatenate(rows), alpha=np.concatenate(alphas).astype(np.float32), as_it_is=len(alphas[0]))
