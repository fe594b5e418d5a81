"""What is thought wrong with a matte, judged over all its frames from what was read of each."""

from collections.abc import Sequence

from roto.check import against, over_time, places
from roto.check.finding import KINDS, Finding, Seen, as_data

__all__ = ["KINDS", "Finding", "Seen", "as_data", "find"]


def find(seen: Sequence[Seen], first: int, last: int, width: int = 1920) -> list[Finding]:
    """What is thought wrong on frames first to last, the worst first. seen: frames in order; those that were not read may be missing.
    width: of the picture, px."""
    frames = [one for one in seen if first <= one.frame <= last]
    if not frames or all(one.reading.empty for one in frames):
        whole = Finding(what="gone", first=first, last=last, box=None, amount=last - first + 1, says="No frame holds any matte.", why="")
        return [whole] if len(frames) == last - first + 1 else []
    out: list[Finding] = []
    told = (over_time.gone, over_time.ends, over_time.moves, over_time.frozen, places.gaps, places.dirt)
    for judge in (*told, against.flags, against.edges, against.off, against.meets):
        out += judge(frames)
    out += places.spots(frames, places.SMALL * width / 1920)
    return sorted(out, key=lambda one: (-one.harm, one.first))
