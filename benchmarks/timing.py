"""Timing: the best of several runs, so that what else the machine does matters least."""

import time
from collections.abc import Callable


def best(run: Callable[[], object], times: int = 7) -> float:
    """Milliseconds of the quickest of several runs, after one to warm up."""
    run()
    took = []
    for _ in range(times):
        begin = time.perf_counter()
        run()
        took.append(time.perf_counter() - begin)
    return min(took) * 1000
