"""Names for the kinds of arrays that the core passes on. Their shapes stand in the docstring of what takes them."""

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Singles = NDArray[np.float32]
Whole = NDArray[np.int64]
Smalls = NDArray[np.int32]
Bytes = NDArray[np.uint8]
Flags = NDArray[np.bool_]
