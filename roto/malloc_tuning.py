"""How memory is given back: pictures of a few megabytes are made and dropped by the hundred.

glibc hands arrays of that size back to the system each time and fetches them anew, page by page; with two threads at it this takes half
of the time of reading a package back. Here it keeps them for the next one (mallopt(3)); arrays as large as an 8K frame still go back.
"""

import ctypes

TRIM_THRESHOLD, MMAP_THRESHOLD = -1, -3
"""names of mallopt's parameters, from malloc.h"""
KEPT = 64 << 20
"""bytes: arrays below this come from memory that is kept"""
SPARE = 256 << 20
"""bytes: the most that is kept unused at the end"""


def keep_freed_memory() -> bool:
    """Tell the C library; False where it is another one, which is none the worse."""
    try:
        mallopt = ctypes.CDLL(None).mallopt
        return bool(mallopt(MMAP_THRESHOLD, KEPT) and mallopt(TRIM_THRESHOLD, SPARE))
    except (AttributeError, OSError):
        return False
