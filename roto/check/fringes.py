"""Whether a fringe has enough to be solved from: solid matte on its one side, ground on its other."""

import cv2
import numpy as np
from numpy.typing import NDArray

from roto.matte.matting.fringe import Band, band_of
from roto.matte.modes import SOLVE
from roto.matte.render import Box, Solver, render
from roto.matte.stack import Matte
from roto.tolerances import SOLID

FAR = 0.06
"""of the picture's width: what is known farther away tells nothing"""


def starved(matte: Matte, frame: int, fringes: Solver | None = None) -> float:
    """The largest share, 0..1, of a fringe's band on a frame that has no solid matte near, or no ground; 0 where there is no fringe.
    fringes: solves those that lie below others."""

    def below(part: Matte, box: Box) -> NDArray[np.float32]:
        return np.asarray(render(part, frame, box=box, fringes=fringes).alpha, dtype=np.float32)

    bands = (band_of(matte, at, frame, below) for at, entry in enumerate(matte.entries) if entry.mode == SOLVE)
    return max((_share(band, FAR * matte.size[0]) for band in bands if band is not None), default=0.0)


def _share(band: Band, far: float) -> float:
    """Of a band's unknown px, those farther than so many px from what is known to be 1, or from what is known to be 0."""
    short = np.zeros(band.unknown.shape, bool)
    for known in ((band.below >= SOLID) & ~band.unknown, (band.below <= 1 - SOLID) & ~band.unknown):
        away = cv2.distanceTransform((~known).astype(np.uint8), cv2.DIST_L2, 5) if known.any() else np.full(short.shape, np.inf)
        short |= away > far
    return float(np.mean(short[band.unknown]))
