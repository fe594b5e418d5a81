"""Trees walked for many pixels: compiled."""

import numpy as np
from numpy.typing import NDArray

from roto.jit import kernel

ROWS = 256
"""that go down a tree side by side"""


@kernel
def walked(
    looked: NDArray[np.float32],
    roots: NDArray[np.int32],
    feature: NDArray[np.int32],
    threshold: NDArray[np.float32],
    below: NDArray[np.int32],
    value: NDArray[np.float32],
    out: NDArray[np.float32],
) -> None:
    """Add to out (N,) what trees say of rows (N, F). below: the first of the two nodes below each, a leaf's: itself; what is above a
    node's threshold goes to the second.

    Rows go down together, a step each in turn, so that the processor need not wait for the one to be compared before it begins the next.
    """
    count, features = looked.shape
    at, going = np.empty(ROWS, np.int32), np.empty(ROWS, np.int32)
    columns = np.empty((features, ROWS), np.float32)
    for begin in range(0, count, ROWS):
        rows = min(ROWS, count - begin)
        for j in range(rows):
            for c in range(features):
                columns[c, j] = looked[begin + j, c]
        for root in roots:
            many = 0
            for j in range(rows):
                at[j] = root
                going[many] = j
                many += int(below[root] != root)
            while many > 0:
                still = 0
                for k in range(many):
                    j = going[k]
                    node = at[j]
                    node = below[node] + np.int32(columns[feature[node], j] > threshold[node])
                    at[j] = node
                    going[still] = j
                    still += int(below[node] != node)
                many = still
            for j in range(rows):
                out[begin + j] += value[at[j]]
