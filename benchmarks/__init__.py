"""Benchmarks: each figure is a ratio against something measured in the same run. `python -m benchmarks` prints the table.

The core comes first: it says how many threads linear algebra has, before NumPy is loaded.
"""

import roto

__all__ = ["roto"]
