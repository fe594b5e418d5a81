"""How the core's inner loops are compiled.

`kernel` is numba's njit without the lock on Python, cached on disk, with C's rules for division. `inner` also leaves out the counting
of references: for functions that neither make nor keep arrays it is a third of their time. They must not allocate.
"""

from collections.abc import Callable
from typing import Any

from numba import njit

kernel: Callable[..., Any] = njit(nogil=True, cache=True, error_model="numpy")
inner: Callable[..., Any] = njit(nogil=True, cache=True, error_model="numpy", _nrt=False)  # type: ignore[call-overload]
