"""Whether a matte goes along with its picture: what of its change from frame to frame the picture's own motion does not explain.

The motion is dense flow between small pictures (`flow`), taken within the matte and carried outwards from there, so that the ground beside
an edge does not draw it along. A matte warped by it ought to be the matte of the next frame; what differs, over the length of the outline,
is how far the outline went by itself. A frame stands alone where it differs so from the frames on both sides, and from what lies halfway
between those two besides: thin things that wave go smoothly, though motion is hard to see in them.
"""

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np

from roto.check import fields
from roto.check.flow import INSIDE, carried_outwards, found_again, larger, leap, led, map_of, median, taken, weight_of
from roto.check.looks import THIN, Box, Look, Small, around_all, disc, ready

__all__ = ["Look", "Moving", "Step", "carried", "moving", "ready"]

SHORT = 24.0
"""px of them: a shorter outline counts as so long"""
QUICK = 0.025
"""for each px of the plate that the picture goes in a frame: so much less is thought of what stands away there"""
NEW = 8.0
"""of 255: what the picture differs by from both frames beside, at least, to be something new"""
MUCH, APART = 0.8, (0.1, 0.8)
"""px of the plate that are left by a step, or that a frame stands alone by (on the mean, a part of it), from which it is said where"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """From one frame to the next. way: px that the inside moves, the median. same: how well the picture within the matte is found again on
    the other frame, the correlation, -1 to 1; NaN where that cannot be told. left: px by which the outline moves otherwise than the
    picture, on the mean of its length. grown: the same with its sign, outwards being positive. changed: the largest difference of alpha
    itself, of 255. box: where most of what is left lies, px of the plate."""

    way: float
    same: float
    left: float
    grown: float
    changed: int
    box: Box

    def to_json(self) -> list[Any]:
        """As JSON data."""
        same = None if np.isnan(self.same) else round(self.same, 4)
        return [round(self.way, 3), same, round(self.left, 4), round(self.grown, 4), self.changed, list(self.box)]

    @classmethod
    def from_json(cls, data: list[Any]) -> "Step":
        """From what `to_json` gave."""
        same = float("nan") if data[1] is None else data[1]
        return cls(way=data[0], same=same, left=data[2], grown=data[3], changed=data[4], box=tuple(data[5]))


@dataclass(frozen=True, slots=True, kw_only=True)
class Moving:
    """A frame among its neighbours. before, after: the steps from the frame before it and to the one after it, told at this frame; None
    where there is none. by: px by which a part of its outline stands away at most from what both neighbours lead to expect; box: where.
    alone, at_most: the same as a mean over its length, and of a part that is not thin, both less where the picture goes quickly: there
    neither it nor the matte can be told as well."""

    before: Step | None
    after: Step | None
    alone: float
    at_most: float
    by: float
    box: Box

    def to_json(self) -> dict[str, Any]:
        """As JSON data."""
        steps = {name: None if step is None else step.to_json() for name, step in (("before", self.before), ("after", self.after))}
        return {**steps, "alone": round(self.alone, 4), "at_most": round(self.at_most, 3), "by": round(self.by, 2), "box": list(self.box)}

    @classmethod
    def from_json(cls, data: dict[str, Any]) -> "Moving":
        """From what `to_json` gave."""
        steps = {name: None if data[name] is None else Step.from_json(data[name]) for name in ("before", "after")}
        return cls(**{**data, **steps, "box": tuple(data["box"])})


def carried(here: Look, other: Look) -> Small:
    """Where (h, w, 2) the picture of a frame goes on the other one, px of the small matte: within it, and carried outwards."""
    weight = weight_of(here.half)
    return larger(carried_outwards(found_again(here, other, weight)[0], weight), here.alpha)


def moving(before: Look | None, here: Look, after: Look | None) -> Moving:
    """A frame among its neighbours, as far as there are any."""
    box = around_all([look for look in (before, here, after) if look is not None])
    if box is None:
        return Moving(before=None, after=None, alone=0.0, at_most=0.0, by=0.0, box=(0, 0, 0, 0))
    cut = [None if look is None else look.within(box) for look in (before, here, after)]
    told = _steps(cut[1], (cut[0], cut[2]), box, here.alpha.shape)
    steps = [None if one is None else one[0] for one in told]
    alone, at_most, by, where = 0.0, 0.0, 0.0, (0, 0, 0, 0)
    if told[0] is not None and told[1] is not None:
        assert cut[0] is not None and cut[1] is not None and cut[2] is not None, "it was told of both"
        first, second, went = _halfway(cut[0], cut[2])
        away = fields.apart(told[0][1], told[1][1], cut[1].alpha, first, second, np.empty_like(cut[1].alpha))
        new = np.minimum(told[0][2], told[1][2])
        fresh = (new > max(NEW, 4.0 * median(new))).astype(np.uint8)
        if fresh.any():  # what the picture shows for a moment only, the matte may have
            away[cv2.resize(fresh, away.shape[::-1], interpolation=cv2.INTER_NEAREST) > 0] = 0.0
        by = _at_most(away) * here.scale
        quick = 1 + QUICK * here.scale * np.maximum(np.maximum(told[0][3], told[1][3]), went)
        away /= cv2.resize(quick, away.shape[::-1], interpolation=cv2.INTER_LINEAR)
        alone = cv2.norm(away, cv2.NORM_L1) / max(here.length, SHORT) * here.scale
        thin = cv2.dilate(cut[0].thin | cut[1].thin | cut[2].thin, disc(THIN // 2))
        thick = cv2.resize(1 - thin, away.shape[::-1], interpolation=cv2.INTER_NEAREST)
        at_most = _at_most(away * thick) * here.scale
        where = _where(np.abs(away), box, here.scale) if alone > APART[0] or at_most > APART[1] else (0, 0, 0, 0)
    return Moving(before=steps[0], after=steps[1], alone=alone, at_most=at_most, by=by, box=where)


def _halfway(one: Look, other: Look) -> tuple[Small, Small, Small]:
    """What lies halfway between two mattes, as far as their outlines lead on to each other, as either has it; and how far (h/2, w/2) they
    go in each half, px of the mattes."""
    grey = [np.asarray(cv2.GaussianBlur((look.half * 255).astype(np.uint8), (5, 5), 0.75), dtype=np.uint8) for look in (one, other)]
    begun = np.empty((*grey[0].shape, 2), np.float32)
    begun[:] = leap(one, other) / 2
    there = led(grey[0], grey[1], begun.copy())
    back = led(grey[1], grey[0], -begun)
    first, second = (taken(look.alpha, map_of(larger(flow, look.alpha, -0.5))) for look, flow in ((one, there), (other, back)))
    went = np.asarray(cv2.blur(cv2.magnitude(there[..., 0], there[..., 1]), (5, 5)), dtype=np.float32)
    return first, second, went


def _steps(
    here: Look | None, others: tuple[Look | None, ...], box: Box, size: tuple[int, ...]
) -> list[tuple[Step, Small, Small, Small] | None]:
    """The steps between a frame and others, where there are any. Motions within one part of this frame are carried outwards together."""
    assert here is not None, "it is the frame in question"
    there = [other for other in others if other is not None]
    empty = cv2.norm(here.half, cv2.NORM_INF) <= 0.5
    weights = [weight_of(other.half) for other in there] if empty else [weight_of(here.half)] * len(there)
    found = [found_again(here, other, weight) for other, weight in zip(there, weights, strict=True)]
    if empty or len(there) < 2:
        whole = [carried_outwards(flow, weight) for (flow, _, _), weight in zip(found, weights, strict=True)]
    else:
        both = carried_outwards(np.concatenate([flow for flow, _, _ in found], axis=2), weights[0])
        whole = [np.ascontiguousarray(both[..., :2]), np.ascontiguousarray(both[..., 2:])]
    told = iter(
        [_step(here, other, box, size, weight, one, out) for other, weight, one, out in zip(there, weights, found, whole, strict=True)]
    )
    return [None if other is None else next(told) for other in others]


def _step(
    here: Look,
    other: Look,
    box: Box,
    size: tuple[int, ...],
    weight: Small,
    led: tuple[Small, float, Small],
    carried_: Small,
) -> tuple[Step, Small, Small, Small]:
    """The step between a frame and another one; what (h, w) of this frame's matte the other's does not lead to expect; how far (h/2, w/2),
    of 255, the picture differs from what is found for it there; and how far (h/2, w/2) it goes, px of the matte."""
    flow, same, differs = led
    within = np.flatnonzero(weight)[::3]
    way = 2 * median(np.hypot(*flow.reshape(-1, 2)[within].T)) if len(within) else 0.0
    whole = larger(carried_, here.alpha)
    found = taken(other.alpha, map_of(whole), cv2.BORDER_CONSTANT, beyond=float("nan"))
    left: Small = fields.left_over(here.alpha, found, found)
    if cv2.norm(whole, cv2.NORM_INF) + 2 >= min(box[0], size[1] - box[2], box[1], size[0] - box[3]):  # else nothing goes so far
        fields.forget_beyond(left, whole, box[0], box[1], size[1] - 1, size[0] - 1, INSIDE)
    length = max(here.length, other.length, SHORT)
    amount, grown = cv2.norm(left, cv2.NORM_L1) / length * here.scale, float(left.sum()) / length * here.scale
    changed = int(cv2.norm(here.alpha, other.alpha, cv2.NORM_INF) * 255)
    where = _where(np.abs(left), box, here.scale) if amount > MUCH else (0, 0, 0, 0)
    new: Small = np.asarray(cv2.blur(differs, (3, 3)), dtype=np.float32)
    went = 2 * np.asarray(cv2.magnitude(carried_[..., 0], carried_[..., 1]), dtype=np.float32)
    return Step(way=way * here.scale, same=same, left=amount, grown=grown, changed=changed, box=where), left, new, went


def _at_most(away: Small) -> float:
    """The largest way of a part of the outline: differences of alpha add up to the way across it, here over windows of nine px."""
    sums = cv2.blur(away, (9, 9), borderType=cv2.BORDER_CONSTANT) * 81
    return float(np.abs(sums).max()) / 9


def _where(amount: Small, box: Box, scale: float) -> Box:
    """The box in the plate's px that holds the place with the most of it, and what goes on from there."""
    few = cv2.resize(amount, (max(1, amount.shape[1] // 2), max(1, amount.shape[0] // 2)), interpolation=cv2.INTER_AREA)
    soft = cv2.blur(few, (5, 5))
    top = float(soft.max())
    if top < 0.01:
        return 0, 0, 0, 0
    _, labels, stats, _ = cv2.connectedComponentsWithStats((soft > 0.35 * top).astype(np.uint8))
    y, x = np.unravel_index(int(soft.argmax()), soft.shape)
    left, up, across, down = (2 * int(v) for v in stats[labels[y, x]][:4])
    x0, y0 = (box[0] + left) * scale, (box[1] + up) * scale
    return int(x0), int(y0), int(np.ceil(x0 + across * scale)), int(np.ceil(y0 + down * scale))
