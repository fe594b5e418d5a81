"""What a tryout says without being asked: whether the light of two pictures agrees along an edge, whether they drift the same way,
whether a pass covers the picture, whether what is hidden is hidden."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.tryout.finish import LUMA
from roto.tryout.model import Line
from roto.tryout.placing import Picture

NEAR = 12
"""px at both sides of an edge: what is compared there"""
FEW = 40
"""pixels of an edge: fewer say nothing"""
LIGHT_OFF = 0.5
"""stops: a difference of brightness that is seen along an edge"""
COLOUR_OFF = 0.08
"""of the share of red or blue in the whole"""
AGAINST = 0.5
"""px a frame: slower drifts are none"""
FULL = 0.995
"""alpha that counts as covered"""


@dataclass(frozen=True, slots=True, kw_only=True)
class LightGap:
    """stops: how much brighter the line is than what lies below, along its edge. red, blue: by how much its shares of them differ.
    gain: what would even it out, per channel. pixels: of the edge that told."""

    stops: float
    red: float
    blue: float
    gain: tuple[float, float, float]
    pixels: int

    @property
    def off(self) -> bool:
        """Whether it would be seen."""
        return abs(self.stops) > LIGHT_OFF or max(abs(self.red), abs(self.blue)) > COLOUR_OFF


def light_gap(above: Picture, below: NDArray[np.float32]) -> LightGap | None:
    """How a line's light differs from what lies below, within NEAR px of its edge; None where too little of an edge is seen.

    above: premultiplied (h, w, 4). below: (h, w, 3). Means are of the inner side of the line and the outer side of the ground.
    """
    alpha = above[:, :, 3]
    solid = (alpha > 0.98).astype(np.uint8)
    kernel = np.ones((2 * NEAR + 1, 2 * NEAR + 1), np.uint8)
    within = (solid > 0) & (cv2.erode(solid, kernel, borderType=cv2.BORDER_CONSTANT, borderValue=1) == 0)
    beyond = (alpha < 0.02) & (cv2.dilate(solid, kernel) > 0)
    count = int(min(within.sum(), beyond.sum()))
    if count < FEW:
        return None
    one, other = above[:, :, :3][within].mean(axis=0) + 1e-4, below[beyond].mean(axis=0) + 1e-4
    share = one / one.sum() - other / other.sum()
    gain = np.clip(other / one, 0.05, 20.0)
    return LightGap(
        stops=float(np.log2((one @ LUMA) / (other @ LUMA))),
        red=float(share[0]),
        blue=float(share[2]),
        gain=(float(gain[0]), float(gain[1]), float(gain[2])),
        pixels=count,
    )


def evened(gains: Floats, frames: int = 5) -> Floats:
    """Gains (F, 3) smoothed over so many frames at either side, in stops, with less weight for farther ones."""
    weights = np.hanning(2 * frames + 3)[1:-1]
    logs = np.pad(np.log2(gains), ((frames, frames), (0, 0)), mode="edge")
    return np.asarray(2 ** np.stack([np.convolve(logs[:, c], weights / weights.sum(), "valid") for c in range(3)], axis=1))


def drift(one: NDArray[np.float32], other: NDArray[np.float32]) -> tuple[float, float, float]:
    """The mean way (x, y px) that a picture goes to the next one, both (h, w) of brightness, and how sure that is (0..1): by phase
    correlation."""
    window = cv2.createHanningWindow(one.shape[::-1], cv2.CV_32F)
    (x, y), sure = cv2.phaseCorrelate(one, other, window)
    return float(x), float(y), float(np.clip(sure, 0.0, 1.0))


def against(one: Floats, other: Floats) -> str:
    """Which way two mean drifts (x, y px a frame) disagree: "sides", "upright", or ""."""
    for axis, name in ((0, "sides"), (1, "upright")):
        a, b = float(one[axis]), float(other[axis])
        if abs(a) > AGAINST and abs(b) > AGAINST and a * b < 0 and abs(a) >= abs(one[1 - axis]):
            return name
    return ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Cover:
    """How a passing matte lies in the picture: the share that it covers, and which sides have gaps where it reaches across."""

    share: float
    gaps: tuple[str, ...]


def cover(alpha: NDArray[np.float32]) -> Cover:
    """Of one frame. A gap is a part of the picture's border that the matte nearly touches, but not to the end: it is covered a little
    farther in, and open on the border itself."""
    h, w = alpha.shape
    sides = {"top": alpha[0], "bottom": alpha[-1], "left": alpha[:, 0], "right": alpha[:, -1]}
    deep = max(2, min(h, w) // 40)
    inner = {"top": alpha[deep], "bottom": alpha[-1 - deep], "left": alpha[:, deep], "right": alpha[:, -1 - deep]}
    gaps = tuple(name for name in sides if ((inner[name] > FULL) & (sides[name] < 0.5)).sum() > 2)
    return Cover(share=float(alpha.mean()), gaps=gaps)


@dataclass(frozen=True, slots=True, kw_only=True)
class Seam:
    """The line along which a picture changes over. covered: the share of it (0..1) that lies under what passes. open_: where the rest
    lies, seen from what passes: "above", "below", "left of", "right of"."""

    covered: float
    open_: tuple[str, ...]


def seam(passed: NDArray[np.float32], passing: NDArray[np.float32]) -> Seam | None:
    """Whether what passes hides the seam of the matte of what has been passed, both (h, w) of a frame, within NEAR px; None where the
    seam is not in the picture."""
    inside = (passed >= 0.5).astype(np.uint8)
    line = inside - cv2.erode(inside, np.ones((3, 3), np.uint8), borderType=cv2.BORDER_REPLICATE)
    at = np.argwhere(line)
    if len(at) < FEW:
        return None
    under = cv2.dilate((passing > 0.02).astype(np.uint8), np.ones((2 * NEAR + 1, 2 * NEAR + 1), np.uint8))[at[:, 0], at[:, 1]] > 0
    if under.all() or not under.any():
        return Seam(covered=float(under.mean()), open_=())
    (y0, x0), (y1, x1) = at[under].min(axis=0), at[under].max(axis=0)
    y, x = at[~under].T
    upright = np.ptp(at[:, 0]) >= np.ptp(at[:, 1])
    ways = {"above": y < y0, "below": y > y1} if upright else {"left of": x < x0, "right of": x > x1}
    return Seam(covered=float(under.mean()), open_=tuple(way for way, there in ways.items() if there.sum() > NEAR / 2))


def readable(line: Line, box: tuple[float, float, float, float]) -> str:
    """What to say of how strongly something is hidden in a box of the picture; "" where nothing can be read any more."""
    done = line.done
    if done.flat or not done.hides:
        return "" if done.flat else "nothing is done to it: choose blocks, a blur or a flat colour."
    wide = max(1.0, min(box[2] - box[0], box[3] - box[1]))
    if done.blocks > 1 and wide / done.blocks <= 8:
        return ""
    if done.blocks > 1:
        return f"{wide / done.blocks:.0f} blocks across are enough to know a face again: make each block larger than {wide / 8:.0f} px."
    if done.blur < wide / 3:
        return f"a blur of {done.blur:g} px over {wide:.0f} px can still be read, and a blur can be undone: use blocks or a flat colour."
    return "a blur can be undone by who has the time: use blocks or a flat colour where it must be safe."
