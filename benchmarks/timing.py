"""Timing: the middle of several runs, taken in turns, so that what else the machine does matters least."""

import statistics
import time
from collections.abc import Callable


def side_by_side(runs: dict[str, Callable[[], object]], rounds: int = 9) -> dict[str, float]:
    """Milliseconds of each of several runs, the median of rounds in which each has its turn, after one round to warm up.

    A machine whose pace changes from minute to minute changes it for all of them.
    """
    took: dict[str, list[float]] = {name: [] for name in runs}
    for turn in range(rounds + 1):
        for name, run in runs.items():
            begin = time.perf_counter()
            run()
            if turn:
                took[name].append(time.perf_counter() - begin)
    return {name: statistics.median(times) * 1000 for name, times in took.items()}
