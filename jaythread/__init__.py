"""The application. The core comes first: it says how many threads linear algebra has, before NumPy is loaded."""

import roto

__all__ = ["roto"]
