"""Parts of a stack, rendered by themselves and laid over what is there already."""

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from roto.matte.render.results import Box, Rendered
from roto.matte.stack import Entry, Matte
from roto.motion.edits import trace
from roto.motion.shape import FAR

Drawn = Callable[[Matte, Box], Rendered]
"""renders a box of a matte, as floats"""

ALL = Entry(
    shape=trace("all", "all", 0, [[x, y, 0, 0, 0, 0] for x, y in ((-FAR, -FAR), (FAR, -FAR), (FAR, FAR), (-FAR, FAR))], [False] * 4)
)
"""covers every picture"""


def laid_over(matte: Matte, lines: tuple[Entry, ...], box: Box, below: NDArray[np.float32] | None, rendered: Drawn) -> NDArray[np.float32]:
    """Alpha of a box: lines of a matte laid over what is below them; None is black. Every mode is linear in what lies below it, so they are
    rendered over black and over white."""
    part = replace(matte, entries=lines, inverted=False)
    over_black: NDArray[np.float32] = rendered(part, box).alpha
    if below is None:
        return over_black
    over_white: NDArray[np.float32] = rendered(replace(part, entries=(ALL, *lines)), box).alpha
    return over_black + below * (over_white - over_black)
