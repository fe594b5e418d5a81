"""The subject's own colour where the ground shows through.

Germer et al.: Fast multi-level foreground estimation (2020), as pymatting has it.
"""

from threading import Lock
from typing import Any

import numpy as np
from numpy.typing import NDArray

_one_at_a_time = Lock()
"""pymatting's kernels run in parallel by themselves. Where numba has no thread-safe layer to run them on, which depends on the system's
libraries, two threads that enter one at a time end the process."""


def foreground(picture: NDArray[Any], alpha: NDArray[Any]) -> NDArray[np.float64]:
    """The subject's own colour (h, w, 3) of a picture (h, w, 3) with that alpha (h, w), all 0..1; it may lie a little beyond."""
    from pymatting import estimate_foreground_ml  # loads and compiles much: only where it is wanted

    with _one_at_a_time:
        made: Any = estimate_foreground_ml(picture.astype(np.float64), alpha.astype(np.float64))
    return np.asarray(made)
