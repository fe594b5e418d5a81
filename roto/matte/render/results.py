"""What rendering gives, and what it is given of fringes."""

from dataclasses import dataclass, field
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from roto.matte.raster.spans import SHOWN
from roto.matte.stack import Matte

Box = tuple[int, int, int, int]
DEPTHS: dict[str, tuple[type, int]] = {
    "float": (np.float32, 0),
    "8": (np.uint8, 255),
    "16": (np.uint16, 65535),
    "shown": (np.uint8, SHOWN),
}
"""of alpha: the numbers that it is kept in, and what stands for 1 (0: 1 itself; SHOWN: 255, and nothing below 1 becomes 255)"""
FRINGE = ("none", "steady", "by itself", "not solved")
"""how a fringe stands on a frame: there is none; solved and steadied; solved from this frame alone; left out, since it is not solved"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Rendered:
    """alpha: (h, w) of the box, of the depth asked for. samples: steps in which the exposure was taken; capped: whether more were
    wanted. fringe: how its fringes stand, the worst of them (an index of FRINGE). found: a name for all that was found in the picture and
    laid in, equal where it is the same. corners: by shape, whether its outline has some, as far as it was asked."""

    alpha: NDArray[Any]
    box: Box
    samples: int
    capped: bool
    fringe: int = 0
    found: str = ""
    corners: dict[str, bool] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class Solved:
    """A line found on a frame, all (h, w) of the box. cover: how much the band counts. unknown: where alpha was found. doubt: of a taught
    line, how unsure its model is of the frame."""

    box: Box
    alpha: NDArray[np.float32]
    cover: NDArray[np.float32]
    unknown: NDArray[np.bool_]
    steady: bool
    doubt: float = 0.0


class Solver(Protocol):
    """Gives lines whose alpha is found: fringes (see `roto.matte.matting.fringe`), taught lines, those from files."""

    def solved(self, matte: Matte, at: int, frame: int) -> Solved | None:
        """What line `at` of the stack is, where there is one; `wait` tells whether None may mean that it is not solved yet."""
        ...

    def as_finished(self, matte: Matte, at: int, frame: int) -> Solved | None:
        """All of the matte, before it is inverted, within the band of a taught line on a frame that is finished and as it was then."""
        ...

    @property
    def wait(self) -> bool:
        """Whether it solves what is not solved yet."""
        ...


def of_depth(alpha: NDArray[np.float32], depth: str) -> NDArray[Any]:
    """Alpha 0..1 in the numbers of a depth; see DEPTHS."""
    kind, top = DEPTHS[depth]
    if top == 0:
        return alpha
    if top != SHOWN:
        return np.rint(alpha * np.float32(top)).astype(kind)
    shown = np.rint(alpha * np.float32(255)).astype(kind)
    shown[(alpha > 0) & (shown == 0)] = 1
    shown[(alpha < 1) & (shown == 255)] = 254
    return shown
