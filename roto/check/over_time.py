"""Findings that only time tells: a matte that is gone, comes late, boils, jumps, or stands still."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from roto.check.finding import Finding, Seen, hull, runs, when
from roto.check.reading import GAP

SEEN_AGAIN = 0.75
"""correlation of the picture within the matte from which it is still there on the frame beside"""
ALONE, PART = (0.16, 0.42, 6.0), (1.2, 2.2, 8.0)
"""px that an outline on the mean, or a part of it, may stand away from its neighbours: at least, at most, and in between so many times what
this matte does usually"""
KNOWN = 0.5
"""correlation from which the picture's motion is known well enough to hold a matte against it"""
LEAP = 0.9
"""px of the outline that a step may leave unexplained"""
TIMES = 2.0
"""times what is usual around it, from which a step stands out"""
STEEP = 1.8
"""times what the steps beside it leave, that a jump leaves at least; a stray frame makes two such steps"""
ALONE_TIMES = 1.4
"""times as far away as the frame beside it, from which one frame is off by itself"""
USUAL = 9
"""frames to either side that say what is usual"""
BRIEF = 3
"""frames: a piece or a hole that is there for less is no part of the subject"""
STANDS, GOES, WENT = 2, 0.8, 12
"""of 255: alpha that differs by no more stands still; px a frame that its picture goes meanwhile; of 255, what moves beside it"""


def gone(frames: Sequence[Seen]) -> list[Finding]:
    """Frames without a matte between such as have it."""
    held = [k for k, one in enumerate(frames) if not one.reading.empty]
    out = []
    for run in runs(frames[held[0] : held[-1] + 1], lambda one: one.reading.empty):
        first, last = run[0].frame, run[-1].frame
        before = next((one for one in frames if one.frame == first - 1), None)
        there = before is not None and before.moving is not None and before.moving.after is not None and _again(before.moving.after.same)
        why = "The frames before and after have it" + (", and the picture within it is still there." if there else ".")
        box = None if before is None else before.reading.box
        out.append(
            Finding(what="gone", first=first, last=last, box=box, amount=len(run), says=f"The matte is gone {when(first, last)}.", why=why)
        )
    return out


def _again(same: float) -> bool:
    return bool(np.isfinite(same) and same >= SEEN_AGAIN)


def ends(frames: Sequence[Seen]) -> list[Finding]:
    """Whether the picture within the first and the last held frame is there one frame further out, where no matte is."""
    held = [k for k, one in enumerate(frames) if not one.reading.empty]
    out = []
    for what, at, beyond, name in (("late", held[0], held[0] - 1, "before"), ("early", held[-1], held[-1] + 1, "after")):
        if not 0 <= beyond < len(frames) or abs(frames[beyond].frame - frames[at].frame) != 1:
            continue
        moving = frames[at].moving
        step = None if moving is None else getattr(moving, name)
        if step is None or not _again(step.same):
            continue
        edge = frames[0].frame if what == "late" else frames[-1].frame
        first, last = sorted((edge, frames[beyond].frame))
        verb = "begins late" if what == "late" else "ends early"
        says = f"The matte {verb}: there is none {when(first, last)}."
        why = f"On {frames[beyond].frame} the picture shows what it holds on {frames[at].frame}, and it does not come in from the border."
        out.append(Finding(what=what, first=first, last=last, box=frames[at].reading.box, amount=last - first + 1, says=says, why=why))
    return out


def _usual(values: NDArray[np.float64], k: int) -> float:
    """The median of what is around, without the frame and those beside it."""
    near = np.concatenate([values[max(0, k - USUAL) : max(0, k - 1)], values[k + 2 : k + 1 + USUAL]])
    near = near[np.isfinite(near)]
    return float(np.median(near)) if len(near) else 0.0


def moves(frames: Sequence[Seen]) -> list[Finding]:
    """Steps that the picture does not explain, frames that stand away from both neighbours, outlines that boil."""
    bad = _standing_away(frames)
    jumps = [one for one in _jumps(frames) if not _one_alone(bad, one.first)]
    either = {one.first for one in jumps} | {one.first - 1 for one in jumps}  # a jump has its two frames stand away from each other
    out = list(jumps)
    for run in runs([one for one in frames if bad[one.frame] > 1], lambda one: True, bridge=2):
        if all(one.frame in either for one in run):
            continue
        if len(run) < BRIEF and all(_stands_out(bad, one.frame) for one in run):
            out += [_stray(one) for one in run if one.frame not in either]
        else:
            out.append(_boil(run))
    return out


def _standing_away(frames: Sequence[Seen]) -> dict[int, float]:
    """By frame, how far it stands away from its neighbours, in times what is borne; 0 where nothing is known."""
    told = {
        one.frame: one.moving
        for one in frames
        if one.moving is not None and one.moving.before and one.moving.after and not one.reading.empty
    }
    if not told:
        return {one.frame: 0.0 for one in frames}
    borne = [
        min(max(low, times * float(np.median([getattr(m, name) for m in told.values()]))), high)
        for name, (low, high, times) in (("alone", ALONE), ("at_most", PART))
    ]
    return {one.frame: max(m.alone / borne[0], m.at_most / borne[1]) if (m := told.get(one.frame)) else 0.0 for one in frames}


def _one_alone(bad: dict[int, float], frame: int) -> bool:
    """Whether of the two frames of a step one stands away much farther than the other: then it is that frame, and not all from there on."""
    one, other = sorted((bad.get(frame - 1, 0.0), bad.get(frame, 0.0)))
    return other > max(1.0, ALONE_TIMES * one)


def _stands_out(bad: dict[int, float], frame: int) -> bool:
    """Whether the frames beside a bad one owe what they have to it: they have less."""
    return all(bad.get(beside, 0.0) < 0.8 * bad[frame] for beside in (frame - 1, frame + 1))


def _stray(one: Seen) -> Finding:
    assert one.moving is not None, "it was judged by it"
    says = f"Frame {one.frame} stands away from its neighbours, by up to {one.moving.by:.1f} px."
    why = "Carried along with the picture, the frames before and after agree with each other, and not with this one."
    return Finding(what="stray", first=one.frame, last=one.frame, box=one.moving.box, amount=one.moving.by, says=says, why=why)


def _boil(run: Sequence[Seen]) -> Finding:
    moving = [one.moving for one in run if one.moving is not None]
    worst, first, last = max(m.by for m in moving), run[0].frame, run[-1].frame
    solved = any(one.fringe != "none" for one in run)
    says = f"The {'fringe flickers' if solved else 'outline boils'} {when(first, last)}, by up to {worst:.1f} px."
    why = "From frame to frame it goes to and fro, and the picture within it does not."
    what = "flicker" if solved else "boil"
    return Finding(what=what, first=first, last=last, box=hull(m.box for m in moving), amount=worst * len(run), says=says, why=why)


def _jumps(frames: Sequence[Seen]) -> list[Finding]:
    left = np.array([_left(frames[k - 1], one) if k else np.nan for k, one in enumerate(frames)])
    out = []
    for k in np.flatnonzero(np.isfinite(left)).tolist():
        before, here = frames[k - 1], frames[k]
        step = None if here.moving is None else here.moving.before
        assert step is not None, "what it leaves is known"
        if step.way > GAP and (here.reading.borders or before.reading.borders):
            continue  # it comes in or goes out quickly: what the next frame ought to show is not known
        beside = [left[j] for j in (k - 1, k + 1) if 0 < j < len(left) and np.isfinite(left[j])]
        if not step.same >= KNOWN or left[k] <= max(LEAP, TIMES * _usual(left, k), STEEP * max(beside, default=0.0)):
            continue
        way = "grows" if step.grown > 0.6 * step.left else "shrinks" if step.grown < -0.6 * step.left else "goes elsewhere"
        says = f"From {before.frame} to {here.frame} the matte {way} all at once, by {step.left:.1f} px along its outline."
        why = "The picture within it does not move so, and the frames around do not either."
        out.append(Finding(what="jump", first=here.frame, last=here.frame, box=step.box, amount=step.left, says=says, why=why))
    return out


def _left(before: Seen, here: Seen) -> float:
    """px of the outline that the step between two frames leaves unexplained; NaN where that is not known."""
    if here.frame != before.frame + 1 or here.reading.empty or before.reading.empty or here.moving is None or here.moving.before is None:
        return float("nan")
    return here.moving.before.left


def frozen(frames: Sequence[Seen]) -> list[Finding]:
    """Frames whose matte is the one of the frame before, while its picture moves, and the matte moves before or after."""

    def still(one: Seen) -> bool:
        step = None if one.moving is None or one.reading.empty else one.moving.before
        return step is not None and step.changed <= STANDS and step.way >= GOES and _again(step.same)

    changed = {one.frame: one.moving.before.changed for one in frames if one.moving is not None and one.moving.before is not None}
    out = []
    for run in runs(frames, still):
        first, last = run[0].frame, run[-1].frame
        if all(sum(changed.get(f, 0) > WENT for f in beside) < 2 for beside in (range(first - 3, first), range(last + 1, last + 4))):
            continue  # it does not move before or after either: it is meant to stand
        says = f"The matte {when(first, last)} is that of {first - 1}: it stands still."
        why = "The picture within it moves on, and the matte before or after moves with it."
        way = sum(one.moving.before.way for one in run if one.moving and one.moving.before)
        out.append(Finding(what="frozen", first=first, last=last, box=run[0].reading.box, amount=way, says=says, why=why))
    return out
