"""Whether a matte goes along with its picture: what of its change from frame to frame the picture's own motion does not explain.

The motion is dense flow between small pictures (Kroeger et al. 2016, as OpenCV has it), taken within the matte and carried outwards from
there, so that the ground beside an edge does not draw it along. A matte warped by it ought to be the matte of the next frame; what differs,
over the length of the outline, is how far the outline went by itself. A frame stands alone where it differs so from the frames on both
sides, and from what lies halfway between those two besides: thin things that wave go smoothly, though motion is hard to see in them.
"""

from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

Picture = NDArray[np.uint8]
Small = NDArray[np.float32]

WIDE = 640
"""px: the width of the pictures that motion is taken from; larger ones are made smaller"""
MARGIN = 24
"""px of them around the matte"""
INSIDE = 2
"""px of them by which the matte is drawn in: nearer to its edge, flow has the ground in it"""
CARRIED = 6.0
"""px of them: how far motion is carried outwards at least, as the sigma of a bell"""
LEAP = 4.0
"""px of them that the centre moves by, from which flow is also begun there"""
SHORT = 24.0
"""px of them: a shorter outline counts as so long"""
QUICK = 0.025
"""for each px of the plate that the picture goes in a frame: so much less is thought of what stands away there"""
NEW = 8.0
"""of 255: what the picture differs by from both frames beside, at least, to be something new"""
THIN = 9
"""px of them: narrower parts are thin"""
SIGHT = 40
"""px of them that a matte has at least for its motion to be told"""


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
    box: tuple[int, int, int, int]

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
    box: tuple[int, int, int, int]

    def to_json(self) -> dict[str, Any]:
        """As JSON data."""
        steps = {name: None if step is None else step.to_json() for name, step in (("before", self.before), ("after", self.after))}
        return {**steps, "alone": round(self.alone, 4), "at_most": round(self.at_most, 3), "by": round(self.by, 2), "box": list(self.box)}

    @classmethod
    def from_json(cls, data: dict[str, Any]) -> "Moving":
        """From what `to_json` gave."""
        steps = {name: None if data[name] is None else Step.from_json(data[name]) for name in ("before", "after")}
        return cls(**{**data, **steps, "box": tuple(data["box"])})


@dataclass(frozen=True, slots=True, kw_only=True)
class Look:
    """A frame made ready: its small grey picture, its small matte 0..1, and px of the plate a px of them."""

    grey: Picture
    alpha: Small
    scale: float


def ready(picture: Picture, alpha: NDArray[np.uint8]) -> Look:
    """A frame made ready for `moving`. picture: uint8 (h, w, 3), of any size in the proportion of alpha, uint8 (h, w)."""
    width = min(WIDE, alpha.shape[1])
    size = (width, max(1, round(alpha.shape[0] * width / alpha.shape[1])))
    grey = np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), dtype=np.uint8)
    if grey.shape[::-1] != size:
        grey = np.asarray(cv2.resize(grey, size, interpolation=cv2.INTER_AREA), dtype=np.uint8)
    small = alpha if alpha.shape[::-1] == size else cv2.resize(alpha, size, interpolation=cv2.INTER_AREA)
    return Look(grey=grey, alpha=small.astype(np.float32) / np.float32(255), scale=alpha.shape[1] / width)


def carried(here: Look, other: Look) -> Small:
    """Where (h, w, 2) the picture of a frame goes on the other one, px of the small picture: within its matte, and carried outwards."""
    weight = _weight(here.alpha)
    return _carried(_flow(here, other, weight)[0], weight)


def moving(before: Look | None, here: Look, after: Look | None) -> Moving:
    """A frame among its neighbours, as far as there are any."""
    box = _around([look.alpha for look in (before, here, after) if look is not None])
    if box is None:
        return Moving(before=None, after=None, alone=0.0, at_most=0.0, by=0.0, box=(0, 0, 0, 0))
    cut = [None if look is None else replace(look, grey=_in(look.grey, box), alpha=_in(look.alpha, box)) for look in (before, here, after)]
    told = [None if other is None or cut[1] is None else _step(cut[1], other, box, here.alpha.shape) for other in (cut[0], cut[2])]
    steps = [None if one is None else one[0] for one in told]
    alone, at_most, by, where = 0.0, 0.0, 0.0, (0, 0, 0, 0)
    if told[0] is not None and told[1] is not None:
        assert cut[0] is not None and cut[1] is not None and cut[2] is not None, "it was told of both"
        halfway, went = _halfway(cut[0].alpha, cut[2].alpha)
        away = _least(_least(told[0][1], told[1][1]), cut[1].alpha - halfway)
        new = np.minimum(told[0][2], told[1][2])
        away[new > max(NEW, 4.0 * float(np.median(new)))] = 0.0  # what the picture shows for a moment only, the matte may have
        by = _at_most(away) * here.scale
        away /= 1 + QUICK * here.scale * np.maximum(np.maximum(told[0][3], told[1][3]), went)
        alone = float(np.abs(away).sum()) / max(_length(cut[1].alpha), SHORT) * here.scale
        at_most = _at_most(np.where(_thin([look.alpha for look in cut if look is not None]), np.float32(0), away)) * here.scale
        where = _where(np.abs(away), box, here.scale)
    return Moving(before=steps[0], after=steps[1], alone=alone, at_most=at_most, by=by, box=where)


def _least(one: Small, other: Small) -> Small:
    """Where both differ the same way, the smaller of them; elsewhere nothing."""
    return np.where(one * other > 0, np.sign(one) * np.minimum(np.abs(one), np.abs(other)), np.float32(0)).astype(np.float32)


def _halfway(one: Small, other: Small) -> tuple[Small, Small]:
    """What lies halfway between two mattes, as far as their outlines lead on to each other; and how far they go in each half, px."""
    finder = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_ULTRAFAST)
    grey = [np.asarray(cv2.GaussianBlur(a * 255, (0, 0), 1.5), dtype=np.uint8) for a in (one, other)]
    leap = _centre(other) - _centre(one)
    begun = np.empty((*one.shape, 2), np.float32)
    begun[:] = leap
    there = finder.calc(grey[0], grey[1], begun.copy())
    back = finder.calc(grey[1], grey[0], -begun)
    halves = [
        cv2.remap(a, *_maps(-0.5 * flow), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE) for a, flow in ((one, there), (other, back))
    ]
    went = np.asarray(cv2.blur(np.hypot(there[..., 0], there[..., 1]) / 2, (9, 9)), dtype=np.float32)
    return np.asarray((halves[0] + halves[1]) / 2, dtype=np.float32), went


def _around(alphas: list[Small]) -> tuple[int, int, int, int] | None:
    """The box of what is not 0 on any of them, with a margin."""
    boxes = [cv2.boundingRect((a > 0.02).astype(np.uint8)) for a in alphas]
    boxes = [b for b in boxes if b[2] > 0]
    if not boxes:
        return None
    height, width = alphas[0].shape
    x0, y0 = min(b[0] for b in boxes), min(b[1] for b in boxes)
    x1, y1 = max(b[0] + b[2] for b in boxes), max(b[1] + b[3] for b in boxes)
    x0, y0, x1, y1 = max(0, x0 - MARGIN), max(0, y0 - MARGIN), min(width, x1 + MARGIN), min(height, y1 + MARGIN)
    short = (max(0, SIGHT - (x1 - x0)), max(0, SIGHT - (y1 - y0)))  # flow wants a picture of some size
    x0, y0 = max(0, x0 - short[0]), max(0, y0 - short[1])
    return x0, y0, min(width, x1 + short[0]), min(height, y1 + short[1])


def _in(values: NDArray[Any], box: tuple[int, int, int, int]) -> NDArray[Any]:
    return np.ascontiguousarray(values[box[1] : box[3], box[0] : box[2]])


def _length(alpha: Small) -> float:
    """The length of the outline, px."""
    return float(np.abs(np.diff(alpha, axis=0)).sum() + np.abs(np.diff(alpha, axis=1)).sum()) * np.pi / 4


def _step(here: Look, other: Look, box: tuple[int, int, int, int], size: tuple[int, ...]) -> tuple[Step, Small, Small, Small]:
    """The step between a frame and another one; what of this frame's matte the other's does not lead to expect; how far, of 255, the
    picture differs from what is found for it there; and how far it goes, px of the small picture."""
    weight = _weight(here.alpha if here.alpha.max() > 0.5 else other.alpha)
    flow, same = _flow(here, other, weight)
    within = weight > 0
    way = float(np.median(np.hypot(*flow[within].T))) if within.any() else 0.0
    carried_ = _carried(flow, weight)
    expected = _warped(other.alpha, carried_)
    left = here.alpha - expected
    left[_crossing(carried_, box, size) | ~np.isfinite(left)] = 0.0
    length = max(_length(here.alpha), _length(other.alpha), SHORT)
    amount = float(np.abs(left).sum()) / length * here.scale
    grown = float(left.sum()) / length * here.scale
    changed = int(np.abs(here.alpha - other.alpha).max() * 255)
    where = _where(np.abs(left).astype(np.float32), box, here.scale)
    found = cv2.remap(other.grey, *_maps(flow), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    new: Small = np.asarray(cv2.blur(cv2.absdiff(here.grey, found).astype(np.float32), (5, 5)), dtype=np.float32)
    return (
        Step(way=way * here.scale, same=same, left=amount, grown=grown, changed=changed, box=where),
        left,
        new,
        np.hypot(carried_[..., 0], carried_[..., 1]),
    )


def _weight(mask: Small) -> Small:
    """1 within a matte, a few px from its edge; all of it where it is too thin for that."""
    solid = (mask > 0.9).astype(np.uint8)
    inside = cv2.erode(solid, np.ones((2 * INSIDE + 1,) * 2, np.uint8), borderType=cv2.BORDER_REPLICATE)
    return (inside if cv2.countNonZero(inside) > SIGHT else (mask > 0.5).astype(np.uint8)).astype(np.float32)


def _crossing(flow: Small, box: tuple[int, int, int, int], size: tuple[int, ...]) -> NDArray[np.bool_]:
    """Where (h, w) the picture may come from beyond its border within a step, or go there: nothing is known of it."""
    x, y = (np.arange(a, b, dtype=np.float32) for a, b in ((box[0], box[2]), (box[1], box[3])))
    across, down = np.minimum(x, size[1] - 1 - x), np.minimum(y, size[0] - 1 - y)
    way = np.abs(flow)
    still = INSIDE  # what hardly moves goes nowhere
    return ((across[None] < way[..., 0] + 2) & (way[..., 0] > still)) | ((down[:, None] < way[..., 1] + 2) & (way[..., 1] > still))


def _flow(here: Look, other: Look, weight: Small) -> tuple[Small, float]:
    """Where (h, w, 2) each px of this frame is on the other one, and how well it is found there within the weight."""
    finder = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_ULTRAFAST)
    tries = [finder.calc(here.grey, other.grey, None)]  # type: ignore[call-overload]
    leap = _centre(other.alpha) - _centre(here.alpha)
    if float(np.hypot(*leap)) > LEAP:
        begun = np.empty_like(tries[0])
        begun[:] = leap
        tries.append(finder.calc(here.grey, other.grey, begun))
        start = np.empty_like(tries[0])
        start[:] = leap
        tries.append(start)
    best: tuple[Small, float] | None = None
    for flow in tries:
        same = _same(here.grey, other.grey, flow, weight)
        if best is None or np.nan_to_num(same, nan=-1.0) > np.nan_to_num(best[1], nan=-1.0) + 0.01:
            best = flow, same
    assert best is not None, "there is one try at least"
    return best


def _centre(alpha: Small) -> NDArray[np.float64]:
    found = cv2.moments(alpha)
    if found["m00"] < 1:
        return np.zeros(2)
    return np.array([found["m10"], found["m01"]]) / found["m00"]


def _maps(flow: Small) -> tuple[Small, Small]:
    height, width = flow.shape[:2]
    across, down = np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32)[:, None]
    return np.asarray(flow[..., 0] + across, dtype=np.float32), np.asarray(flow[..., 1] + down, dtype=np.float32)


def _warped(alpha: Small, flow: Small) -> Small:
    """Alpha (h, w) of the other frame where this one's px are there; NaN beyond the picture."""
    x, y = _maps(flow)
    return np.asarray(
        cv2.remap(alpha, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=[float("nan")] * 4), dtype=np.float32
    )


def _same(grey: Picture, other: Picture, flow: Small, weight: Small) -> float:
    """The correlation of the picture within the weight with what the flow finds on the other frame."""
    x, y = _maps(flow)
    height, width = grey.shape
    there = (weight > 0) & (x >= 0) & (y >= 0) & (x <= width - 1) & (y <= height - 1)
    if there.sum() < max(SIGHT, 0.3 * (weight > 0).sum()):
        return float("nan")
    found = cv2.remap(other, x, y, cv2.INTER_LINEAR)
    a, b = grey[there].astype(np.float64), found[there].astype(np.float64)
    a, b = a - a.mean(), b - b.mean()
    spread = float(np.sqrt((a @ a) * (b @ b)))
    return float(a @ b) / spread if spread > 4.0 * len(a) else float("nan")  # evener than two steps of 255: nothing is told


def _carried(flow: Small, weight: Small) -> Small:
    """The flow within the weight, carried outwards: means of what lies near, by bells that grow wider until there is something."""
    size = (flow.shape[1], flow.shape[0])
    few = (max(1, size[0] // 4), max(1, size[1] // 4))
    share = cv2.resize(weight, few, interpolation=cv2.INTER_AREA)
    parts = cv2.resize(flow * weight[..., None], few, interpolation=cv2.INTER_AREA)
    whole = np.zeros((*few[::-1], 2), np.float32)
    known = np.zeros(few[::-1], np.float32)
    for sigma in (CARRIED / 4, CARRIED, 4 * CARRIED):
        near, sums = cv2.GaussianBlur(share, (0, 0), sigma), cv2.GaussianBlur(parts, (0, 0), sigma)
        fresh = np.clip(near / 0.02, 0.0, 1.0) * (1 - known)
        whole += fresh[..., None] * sums / np.maximum(near, 1e-6)[..., None]
        known += fresh
    whole /= np.maximum(known, 1e-6)[..., None]
    return np.where(weight[..., None] > 0, flow, cv2.resize(whole, size, interpolation=cv2.INTER_LINEAR)).astype(np.float32)


def _thin(alphas: list[Small]) -> NDArray[np.bool_]:
    """Where (h, w) a matte is thin, or a gap in it, on any of the frames: such places meet and part within a frame by nature."""
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (THIN, THIN))
    found = np.zeros(alphas[0].shape, np.uint8)
    for alpha in alphas:
        solid = (alpha > 0.5).astype(np.uint8)
        closed, opened = (cv2.morphologyEx(solid, how, kernel) for how in (cv2.MORPH_CLOSE, cv2.MORPH_OPEN))
        found |= cv2.absdiff(closed, opened).astype(np.uint8)
    cleaned = cv2.morphologyEx(found, cv2.MORPH_OPEN, np.ones((2, 2), np.uint8))
    return np.asarray(cv2.dilate(cleaned, kernel) > 0)


def _at_most(away: Small) -> float:
    """The largest way of a part of the outline: differences of alpha add up to the way across it, here over windows of nine px."""
    sums = cv2.blur(away, (9, 9), borderType=cv2.BORDER_CONSTANT) * 81
    return float(np.abs(sums).max()) / 9


def _where(amount: Small, box: tuple[int, int, int, int], scale: float) -> tuple[int, int, int, int]:
    """The box in the plate's px that holds the place with the most of it, and what goes on from there."""
    soft = cv2.blur(amount, (9, 9))
    top = float(soft.max())
    if top < 0.01:
        return 0, 0, 0, 0
    _, labels, stats, _ = cv2.connectedComponentsWithStats((soft > 0.35 * top).astype(np.uint8))
    y, x = np.unravel_index(int(soft.argmax()), soft.shape)
    left, up, across, down = (int(v) for v in stats[labels[y, x]][:4])
    x0, y0 = (box[0] + left) * scale, (box[1] + up) * scale
    return int(x0), int(y0), int(np.ceil(x0 + across * scale)), int(np.ceil(y0 + down * scale))
