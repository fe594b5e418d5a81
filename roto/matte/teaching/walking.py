"""Trees walked for many pixels: compiled."""

import numpy as np
from numpy.typing import NDArray

from roto.jit import kernel


@kernel
def walked(
    looked: NDArray[np.float32],
    roots: NDArray[np.int32],
    feature: NDArray[np.int16],
    threshold: NDArray[np.float32],
    left: NDArray[np.int32],
    right: NDArray[np.int32],
    value: NDArray[np.float32],
    out: NDArray[np.float32],
) -> None:
    """Add to out (N,) what trees say of rows (N, F). A node whose feature is -1 is a leaf; what is at most the threshold goes left."""
    for i in range(len(looked)):
        total = np.float32(0)
        for root in roots:
            at = root
            while feature[at] >= 0:
                at = left[at] if looked[i, feature[at]] <= threshold[at] else right[at]
            total += value[at]
        out[i] += total
