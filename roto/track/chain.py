"""The inner loop of the edge fit: offsets of all places along an outline, chosen together."""

import numpy as np

from roto.arrays import Floats, Whole
from roto.jit import kernel


@kernel
def chain(gain: Floats, bends: float) -> Whole:
    """The offsets (S,) around a closed outline with the largest sum of gain (S, D), less what bending costs."""
    count, wide = gain.shape
    best = np.empty((2 * count, wide))
    back = np.zeros((2 * count, wide), np.int64)
    best[0] = gain[0]
    for s in range(1, 2 * count):  # twice around, so that the end knows the beginning
        for d in range(wide):
            top, which = -1e300, 0
            for e in range(max(0, d - 4), min(wide, d + 5)):
                value = best[s - 1, e] - bends * abs(d - e)
                if value > top:
                    top, which = value, e
            best[s, d] = top + gain[s % count, d]
            back[s, d] = which
    out = np.empty(count, np.int64)
    d = int(np.argmax(best[2 * count - 1]))
    for s in range(2 * count - 1, count - 1, -1):
        out[s - count] = d
        d = back[s, d]
    return out
