"""Live ranges: the frames in which a shape counts. Hard on and off, decided by the frame's number alone."""

from collections.abc import Iterable

from roto.errors import BadKeys

Ranges = tuple[tuple[int, int], ...]
"""First and last live frame of each range, both included, in rising order; no ranges at all means always live."""


def tidy(ranges: Iterable[tuple[int, int]]) -> Ranges:
    """Sorted, with touching and overlapping ranges joined.

    >>> tidy([(20, 30), (1, 5), (6, 9)])
    ((1, 9), (20, 30))
    """
    out: list[tuple[int, int]] = []
    for first, last in sorted(ranges):
        if last < first:
            raise BadKeys("A live range ends before it starts.")
        if out and first <= out[-1][1] + 1:
            out[-1] = (out[-1][0], max(out[-1][1], last))
        else:
            out.append((first, last))
    return tuple(out)


def is_live(ranges: Ranges, frame: int) -> bool:
    """Whether a shape with these ranges counts on this frame.

    >>> is_live(((1, 9),), 9), is_live(((1, 9),), 10), is_live((), 10)
    (True, False, True)
    """
    return not ranges or any(first <= frame <= last for first, last in ranges)
