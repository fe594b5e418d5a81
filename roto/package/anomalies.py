"""What is odd about a row of mattes: nothing that is wrong by itself, but what a receiver would ask about."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from roto.package.statistics import Measure

JUMP = 6.0
"""times what area or centre usually change by from frame to frame: beyond it is a jump"""
LEAST_AREA = 0.12
"""of the area: a smaller change is never called a jump"""
LEAST_WAY = 0.35
"""of the matte's own width: nor is a shorter way of its centre"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Odd:
    """frame: of the shot. what: empty, full, area or centre. says: a sentence."""

    frame: int
    what: str
    says: str

    def to_json(self) -> dict[str, Any]:
        """As JSON data."""
        return asdict(self)


def find(frames: Sequence[int], measured: Sequence[Measure], size: tuple[int, int]) -> list[Odd]:
    """Frames in order of time, with what was measured of each: empty ones amid others, filled ones, jumps of area and of centre."""
    out: list[Odd] = []
    count = len(frames)
    area = np.array([m.area for m in measured])
    empty = area <= 0
    held = np.flatnonzero(~empty)
    if len(held) == 0:
        return [Odd(frame=frames[0], what="empty", says="No frame holds any matte.")] if count else []
    for k in range(count):
        whole = measured[k].ones >= size[0] * size[1]
        if empty[k] and held[0] < k < held[-1]:
            out.append(Odd(frame=frames[k], what="empty", says=f"Frame {frames[k]} has no matte, though frames before and after it have."))
        elif empty[k] and (k < held[0] or k > held[-1]):
            where = "begins" if k < held[0] else "ends"
            if k in (held[0] - 1, held[-1] + 1):
                a, b = (frames[0], frames[k]) if k < held[0] else (frames[k], frames[-1])
                which = f"frame {a}" if a == b else f"frames {a}-{b}"
                out.append(Odd(frame=frames[k], what="empty", says=f"The range {where} without any matte: {which}."))
        elif whole and not all(m.ones >= size[0] * size[1] for m in measured):
            out.append(Odd(frame=frames[k], what="full", says=f"Frame {frames[k]} is white from edge to edge."))
    return out + _jumps(frames, measured, empty)


def _jumps(frames: Sequence[int], measured: Sequence[Measure], empty: np.ndarray) -> list[Odd]:
    """A frame that stands away from what its neighbours lead one to expect."""
    out: list[Odd] = []
    held = [k for k in range(len(frames)) if not empty[k]]
    if len(held) < 4:
        return out
    area = np.array([measured[k].area for k in held])
    place = np.array([[measured[k].x, measured[k].y] for k in held])
    wide = np.array([max(4.0, measured[k].box[2] - measured[k].box[0], measured[k].box[3] - measured[k].box[1]) for k in held])
    change = np.abs(np.diff(np.log(np.maximum(area, 1.0))))
    way = np.hypot(*np.diff(place, axis=0).T)
    usual_change, usual_way = max(float(np.median(change)), 1e-4), max(float(np.median(way)), 1e-3)
    for k in range(len(held) - 1):
        if held[k + 1] != held[k] + 1:
            continue
        near = slice(max(0, k - 3), k + 4)
        around = np.delete(change[near], min(k, 3))
        ways = np.delete(way[near], min(k, 3))
        a, b = frames[held[k]], frames[held[k + 1]]
        if change[k] > LEAST_AREA and change[k] > JUMP * max(usual_change, float(np.median(around))):
            grows = "grows" if area[k + 1] > area[k] else "shrinks"
            times = float(np.exp(change[k]))
            out.append(Odd(frame=b, what="area", says=f"From frame {a} to {b} the matte {grows} all at once, {times:.1f} times."))
        elif way[k] > LEAST_WAY * min(wide[k], wide[k + 1]) and way[k] > JUMP * max(usual_way, float(np.median(ways))):
            out.append(Odd(frame=b, what="centre", says=f"From frame {a} to {b} the matte's centre jumps by {way[k]:.0f} px."))
    return out
