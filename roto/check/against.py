"""Findings about edges: against the plate's own, against other mattes, off the picture's edge, and what the rendering said."""

from collections.abc import Iterable, Sequence

import numpy as np

from roto.check.edges import Edges
from roto.check.finding import Finding, Seen, hull, runs, when
from roto.check.reading import Box

HARDER, SOFTER = 1.6, 2.0
"""px of a ramp by which an edge may be narrower or wider than the plate's"""
BLUR = 0.45
"""of the way in an exposure of half a frame that an edge may be wider or narrower by"""
OFF = 1.5
"""px that an outline may lie off the picture's edge (see `roto.track.edge_fit`)"""
STARVED = 0.3
"""of a fringe's band that may have nothing near to be solved from"""
OVERLAP = 0.35
"""px across the line where two mattes meet, on its mean"""


def flags(frames: Sequence[Seen]) -> list[Finding]:
    """What the rendering itself said."""
    out = []
    for run in runs(frames, lambda one: one.capped):
        says = f"The exposure is taken in fewer moments than it wants {when(run[0].frame, run[-1].frame)}."
        out.append(_of(run, "capped", len(run), says, "Its motion is so fast that steps may be seen.", run[0].reading.box))
    read = [one for one in frames if one.starved > 0]
    for at in _one_after_another([k for k, one in enumerate(read) if one.starved > STARVED]):
        few = [read[k] for k in at]
        share = 100 * max(one.starved for one in few)
        says = f"A fringe is solved from too little {when(few[0].frame, few[-1].frame)}: {share:.0f} % of its band has nothing to go by."
        out.append(_of(few, "starved", share, says, "No solid matte is near there, or no ground: hair and ground cannot be told.", None))
    for run in runs(frames, lambda one: one.fringe in ("by itself", "not solved")):
        says = f"A fringe, or a taught line, is not worked out and steadied {when(run[0].frame, run[-1].frame)}."
        why = "By itself, each frame is solved a little otherwise: its hair would flicker."
        out.append(_of(run, "unsteady", len(run), says, why, run[0].reading.box))
    return out


def edges(frames: Sequence[Seen]) -> list[Finding]:
    """Edges against the plate's, on the frames where both were read: those between go with them."""
    read = [one for one in frames if one.edges is not None]
    out = []
    for what in ("harder", "softer", "no blur", "blur"):
        by = [_edge_off(what, one.edges) for one in read if one.edges is not None]
        for run in _one_after_another([k for k, much in enumerate(by) if much > 0]):
            if len(run) < min(2, len(read)):
                continue  # one reading alone may err
            these, much = [read[k] for k in run], float(np.median([by[k] for k in run]))
            says, why = _of_edges(what, much)
            first, last = these[0].frame, these[-1].frame
            few = "" if len(run) == last - first + 1 else f", on the {len(run)} frames that were read"
            out.append(_of(these, what, much, f"{says} {when(first, last)}{few}.", why, None))
    return out


def _edge_off(what: str, edges: Edges) -> float:
    """px by which an edge is off in this way; 0 or less where it is not."""
    slow, fast, smear = edges.matte - edges.plate, edges.fast_matte - edges.fast_plate, edges.way / 2
    beyond = {
        "harder": -slow - max(HARDER, 0.3 * edges.plate), "softer": slow - max(SOFTER, 0.4 * edges.plate),
        "no blur": -fast - max(HARDER, BLUR * smear), "blur": fast - max(SOFTER, BLUR * smear),
    }[what]  # fmt: skip
    if np.isnan(beyond) or beyond <= 0:
        return 0.0
    if what in ("no blur", "blur") and not np.isnan(slow) and abs(slow) > abs(fast) - HARDER:
        return 0.0  # it is as far off where it stands still: that is no matter of blur
    return float(abs(slow if what in ("harder", "softer") else fast))


def _of_edges(what: str, much: float) -> tuple[str, str]:
    if what in ("harder", "softer"):
        return (
            f"The edge is {what} than the plate's, by {much:.1f} px",
            "Read along the outline where it stands still: the plate's own edge differs.",
        )
    more = "too much" if what == "blur" else "missing"
    return f"Motion blur is {more}: edges that move are {much:.0f} px {'wider' if what == 'blur' else 'narrower'} than the plate's", (
        "Where the outline moves across itself, the plate's edge is smeared otherwise than the matte's."
    )


def off(frames: Sequence[Seen]) -> list[Finding]:
    """Outlines that lie off the picture's edge."""
    out = []
    why = "The fit was measured along the outline, and is weak there."
    for run in runs(frames, lambda one: one.fit is not None and one.fit > OFF, bridge=1):
        worst = max(run, key=lambda one: one.fit or 0.0)
        much = worst.fit or 0.0
        says = f"An outline lies {much:.1f} px off the picture's edge {when(run[0].frame, run[-1].frame)}."
        out.append(_of(run, "off", much * len(run), says, why, worst.reading.box))
    return out


def meets(frames: Sequence[Seen]) -> list[Finding]:
    """Seams and overlaps with mattes that run along this one, on the frames where both were read: those between go with them."""
    read = [one for one in frames if one.meets is not None]
    out = []
    why = "They run along each other, so they ought to complete each other."
    for other in dict.fromkeys(name for one in read for name in one.meets or {}):
        for what, verb in (("seam", "leave a seam between them"), ("overlap", "lie over each other")):
            bad = [k for k, one in enumerate(read) if _apart(one, other, what) > OVERLAP]
            for run in _one_after_another(bad):
                these = [read[k] for k in run]
                wide = max(_apart(one, other, what) for one in these)
                box = hull(one.meets[other].box for one in these if one.meets is not None)
                says = f"This matte and {other} {verb} {when(these[0].frame, these[-1].frame)}, {wide:.1f} px wide on the mean."
                out.append(_of(these, what, wide * len(these), says, why, box, other))
    return out


def _apart(one: Seen, other: str, what: str) -> float:
    """px across the line along which two mattes meet; 0 where they do not."""
    meeting = None if one.meets is None else one.meets.get(other)
    return 0.0 if meeting is None else float(getattr(meeting, what)) / max(meeting.line, 1.0)


def _one_after_another(numbers: Sequence[int]) -> Iterable[list[int]]:
    """Numbers in stretches without a gap."""
    run: list[int] = []
    for k in numbers:
        if run and k != run[-1] + 1:
            yield run
            run = []
        run.append(k)
    if run:
        yield run


def _of(run: Sequence[Seen], what: str, amount: float, says: str, why: str, box: Box | None, other: str = "") -> Finding:
    return Finding(what=what, first=run[0].frame, last=run[-1].frame, box=box, amount=amount, says=says, why=why, other=other)
