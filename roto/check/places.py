"""Findings that a frame shows by itself, followed over time: holes, specks, gaps at the border, dirt."""

from collections.abc import Callable, Sequence

import numpy as np

from roto.check.finding import Finding, Seen, hull, runs, when
from roto.check.reading import GAP, Box, Reading, Spot

SMALL = 120.0
"""px of full HD: pieces and holes up to this size are smaller than what a subject has"""
BRIEF = 3
"""frames: a piece or a hole that is there for less is no part of the subject"""
OFTEN = 2
"""small pieces or holes a frame, the median, from which they are in the nature of the subject"""
HAIRY = 0.03
"""specks a frame right beside the subject, from which it has hair"""


def _near(one: Box, other: Box, by: float) -> bool:
    return one[0] - by < other[2] and other[0] - by < one[2] and one[1] - by < other[3] and other[1] - by < one[3]


def _chains(frames: Sequence[Seen], wanted: Callable[[Spot], bool]) -> list[list[tuple[Seen, Spot]]]:
    """Spots that go on from frame to frame."""
    open_: list[list[tuple[Seen, Spot]]] = []
    done: list[list[tuple[Seen, Spot]]] = []
    for one in frames:
        go_on = []
        way = one.moving.before.way if one.moving is not None and one.moving.before is not None else 0.0
        free = [spot for spot in one.reading.spots if wanted(spot)]
        for chain in open_:
            last = chain[-1]
            match = next((s for s in free if one.frame == last[0].frame + 1 and _near(s.box, last[1].box, 4 + 2 * way)), None)
            if match is None:
                done.append(chain)
            else:
                free.remove(match)
                go_on.append([*chain, (one, match)])
        open_ = go_on + [[(one, spot)] for spot in free]
    return done + open_


def spots(frames: Sequence[Seen], small: float) -> list[Finding]:
    """Holes and specks that are small, or there for a moment. small: px of area that count as it."""
    out = []
    for kind, verb in (("hole", "A hole"), ("piece", "A speck"), ("tuft", "A speck")):
        counts = [sum(spot.what == kind for spot in one.reading.spots) for one in frames if not one.reading.empty]
        if np.median(counts) >= OFTEN:
            continue
        chains = _chains(frames, lambda spot, kind=kind: spot.what == kind)  # type: ignore[misc]
        if kind == "tuft" and len(chains) > 1 + HAIRY * len(frames):
            continue
        for chain in chains:
            first, last = chain[0][0].frame, chain[-1][0].frame
            largest = max(spot.size for _, spot in chain)
            brief = len(chain) < BRIEF and frames[0].frame < first and last < frames[-1].frame
            if largest > small and (not brief or any(_at_border(spot, one.reading) for one, spot in chain)):
                continue
            says = f"{verb} of {largest:.0f} px {when(first, last)}."
            why = "It is smaller than what a subject has by nature." if largest <= small else "It comes and is gone again within a moment."
            box = hull(spot.box for _, spot in chain)
            what = "hole" if kind == "hole" else "piece"
            out.append(Finding(what=what, first=first, last=last, box=box, amount=largest * len(chain), says=says, why=why))
    return out


def _at_border(spot: Spot, reading: Reading) -> bool:
    """Whether a spot lies where the matte's own box touches the border of the picture: it may come in there."""
    sides = dict(zip(("left", "top", "right", "bottom"), zip(spot.box, reading.box, strict=True), strict=True))
    return any(sides[side][0] == sides[side][1] for side in reading.borders)


def gaps(frames: Sequence[Seen]) -> list[Finding]:
    """Gaps between the matte and the border of the picture."""
    out = []
    at = {one.frame: one for one in frames}
    for side in ("top", "right", "bottom", "left"):

        def there(one: Seen, side: str = side) -> bool:
            if not any(spot.what == side for spot in one.reading.spots):
                return False
            beside = [at[f] for f in range(one.frame - 3, one.frame + 4) if f in at and f != one.frame]
            gaps = sum(any(spot.what == side for spot in other.reading.spots) for other in beside)
            way = one.moving.before.way if one.moving is not None and one.moving.before is not None else 0.0
            touches = side in one.reading.borders or any(side in other.reading.borders for other in beside)
            return gaps >= 2 or (touches and way < GAP / 2)  # what is quick may show its own side there for a frame

        for run in runs(frames, there, bridge=1):
            spots = [spot for one in run for spot in one.reading.spots if spot.what == side]
            deep = max(spot.size for spot in spots)
            first, last = run[0].frame, run[-1].frame
            says = f"At the {side} of the picture a gap of {deep:.0f} px is left {when(first, last)}."
            why = "The outline stops evenly beside the border, where the subject goes out of the picture."
            out.append(
                Finding(what="gap", first=first, last=last, box=hull(s.box for s in spots), amount=deep * len(run), says=says, why=why)
            )
    return out


def dirt(frames: Sequence[Seen]) -> list[Finding]:
    """Areas that are almost 0 or almost 1."""
    out = []
    for what in ("almost 0", "almost 1"):
        for chain in _chains(frames, lambda spot, what=what: spot.what == what):  # type: ignore[misc]
            first, last = chain[0][0].frame, chain[-1][0].frame
            largest = max(spot.size for _, spot in chain)
            says = f"Alpha is {what}, but not {what[-1]}, over {largest:.0f} px {when(first, last)}."
            why = "It is even there, as an edge never is: it will be seen as a veil or a shine-through."
            box = hull(spot.box for _, spot in chain)
            out.append(Finding(what="dirt", first=first, last=last, box=box, amount=largest * len(chain) / 100, says=says, why=why))
    return out
