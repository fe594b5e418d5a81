"""Whether a matte goes along with its picture: what of its change from frame to frame the picture's own motion does not explain.

The motion is dense flow between small pictures (Kroeger et al. 2016, as OpenCV has it), taken within the matte and carried outwards from
there, so that the ground beside an edge does not draw it along. A matte warped by it ought to be the matte of the next frame; what differs,
over the length of the outline, is how far the outline went by itself. A frame stands alone where it differs so from the frames on both
sides, and from what lies halfway between those two besides: thin things that wave go smoothly, though motion is hard to see in them.
"""

from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

Picture = NDArray[np.uint8]
Small = NDArray[np.float32]

WIDE = 480
"""px: the width of the mattes that are held against each other; larger ones are made smaller. Motion is taken from pictures of half that"""
MARGIN = 20
"""px of them around the matte"""
INSIDE = 2
"""px of them by which the matte is drawn in: nearer to its edge, flow has the ground in it"""
COARSE, STEPS = (46, 16), 8
"""px, its longer and its shorter side, from which flow is taken on the halved picture only and made larger; and steps of its search"""
LEAST = 24
"""px: smaller pictures are continued beyond their borders to be so wide and high"""
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
    """A frame made ready. alpha (h, w): its small matte, 0..1. grey (h/2, w/2): its picture. half: the matte in that size. thin (h/2, w/2):
    1 where the matte is thin, or a gap in it. box: of what is not 0; None when all is. centre: x, y. length: px of the outline.
    scale: px of the plate a px of the small matte."""

    alpha: Small
    grey: Picture
    half: Small
    thin: Picture
    box: tuple[int, int, int, int] | None
    centre: NDArray[np.float64]
    length: float
    scale: float

    def within(self, box: tuple[int, int, int, int]) -> "Look":
        """A part of it, its sides even."""
        half = (box[0] // 2, box[1] // 2, box[2] // 2, box[3] // 2)
        return replace(
            self, alpha=_in(self.alpha, box), grey=_in(self.grey, half), half=_in(self.half, half), thin=_in(self.thin, half)
        )  # fmt: skip


def ready(picture: Picture, alpha: NDArray[np.uint8], around: tuple[int, int, int, int] | None = None) -> Look:
    """A frame made ready for `moving`. picture: uint8 (h, w, 3), of any size in the proportion of alpha, uint8 (h, w). around: the box of
    what of it is not 0, where that is known."""
    width = max(2, min(WIDE, alpha.shape[1]) // 2 * 2)
    size = (width, 2 * max(1, round(alpha.shape[0] * width / alpha.shape[1] / 2)))
    half = (size[0] // 2, size[1] // 2)
    grey = np.asarray(cv2.resize(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), half, interpolation=cv2.INTER_AREA), dtype=np.uint8)
    codes = alpha if alpha.shape[::-1] == size else _smaller(alpha, size, around)
    few = _smaller(codes, half)
    x, y, across, down = cv2.boundingRect(codes)
    small = codes * np.float32(1 / 255)
    return Look(
        alpha=small, grey=grey, half=few * np.float32(1 / 255), thin=_thin(few), box=(x, y, x + across, y + down) if across else None,
        centre=_centre(codes), length=_length(codes) / 255, scale=alpha.shape[1] / width,
    )  # fmt: skip


def _smaller(alpha: NDArray[np.uint8], size: tuple[int, int], around: tuple[int, int, int, int] | None = None) -> NDArray[np.uint8]:
    """Alpha made smaller by means over areas; only its own box is touched where the sizes divide evenly."""
    times, rest = divmod(alpha.shape[1], size[0])
    if rest or alpha.shape[0] != times * size[1]:
        return np.asarray(cv2.resize(alpha, size, interpolation=cv2.INTER_AREA), dtype=np.uint8)
    out = np.zeros(size[::-1], np.uint8)
    x, y, across, down = cv2.boundingRect(alpha) if around is None else (*around[:2], around[2] - around[0], around[3] - around[1])
    if across:
        x0, y0, x1, y1 = x // times, y // times, -(-(x + across) // times), -(-(y + down) // times)
        part = alpha[y0 * times : y1 * times, x0 * times : x1 * times]
        out[y0:y1, x0:x1] = cv2.resize(part, (x1 - x0, y1 - y0), interpolation=cv2.INTER_AREA)
    return out


def carried(here: Look, other: Look) -> Small:
    """Where (h, w, 2) the picture of a frame goes on the other one, px of the small matte: within it, and carried outwards."""
    weight = _weight(here.half)
    return _larger(_carried(_flow(here, other, weight)[0], weight), here.alpha)


def moving(before: Look | None, here: Look, after: Look | None) -> Moving:
    """A frame among its neighbours, as far as there are any."""
    box = _around([look for look in (before, here, after) if look is not None])
    if box is None:
        return Moving(before=None, after=None, alone=0.0, at_most=0.0, by=0.0, box=(0, 0, 0, 0))
    cut = [None if look is None else look.within(box) for look in (before, here, after)]
    told = _steps(cut[1], (cut[0], cut[2]), box, here.alpha.shape)
    steps = [None if one is None else one[0] for one in told]
    alone, at_most, by, where = 0.0, 0.0, 0.0, (0, 0, 0, 0)
    if told[0] is not None and told[1] is not None:
        assert cut[0] is not None and cut[1] is not None and cut[2] is not None, "it was told of both"
        halfway, went = _halfway(cut[0], cut[2])
        away = _least(_least(told[0][1], told[1][1]), cut[1].alpha - halfway)
        new = np.minimum(told[0][2], told[1][2])
        fresh = (new > max(NEW, 4.0 * float(np.median(new)))).astype(np.uint8)
        if fresh.any():  # what the picture shows for a moment only, the matte may have
            away[cv2.resize(fresh, away.shape[::-1], interpolation=cv2.INTER_NEAREST) > 0] = 0.0
        by = _at_most(away) * here.scale
        quick = 1 + QUICK * here.scale * np.maximum(np.maximum(told[0][3], told[1][3]), went)
        away /= cv2.resize(quick, away.shape[::-1], interpolation=cv2.INTER_LINEAR)
        alone = cv2.norm(away, cv2.NORM_L1) / max(here.length, SHORT) * here.scale
        thin = cv2.dilate(cut[0].thin | cut[1].thin | cut[2].thin, _disc(THIN // 2))
        thick = cv2.resize(1 - thin, away.shape[::-1], interpolation=cv2.INTER_NEAREST)
        at_most = _at_most(away * thick) * here.scale
        where = _where(np.abs(away), box, here.scale) if alone > APART[0] or at_most > APART[1] else (0, 0, 0, 0)
    return Moving(before=steps[0], after=steps[1], alone=alone, at_most=at_most, by=by, box=where)


def _least(one: Small, other: Small) -> Small:
    """Where both differ the same way, the smaller of them; elsewhere nothing."""
    up = np.maximum(np.minimum(one, other), np.float32(0))
    down = np.minimum(np.maximum(one, other), np.float32(0))
    return np.asarray(up + down, dtype=np.float32)


def _halfway(one: Look, other: Look) -> tuple[Small, Small]:
    """What lies halfway between two mattes, as far as their outlines lead on to each other; and how far (h/2, w/2) they go in each half,
    px of the mattes."""
    grey = [np.asarray(cv2.GaussianBlur((look.half * 255).astype(np.uint8), (5, 5), 0.75), dtype=np.uint8) for look in (one, other)]
    begun = np.empty((*grey[0].shape, 2), np.float32)
    begun[:] = _leap(one, other) / 2
    there = _led(grey[0], grey[1], begun.copy())
    back = _led(grey[1], grey[0], -begun)
    first, second = (_taken(look.alpha, _map(_larger(flow, look.alpha, -0.5))) for look, flow in ((one, there), (other, back)))
    went = np.asarray(cv2.blur(cv2.magnitude(there[..., 0], there[..., 1]), (5, 5)), dtype=np.float32)
    return np.asarray(cv2.addWeighted(first, 0.5, second, 0.5, 0.0), dtype=np.float32), went


def _led(one: Picture, other: Picture, begun: Small | None) -> Small:
    """Dense flow (h, w, 2) from one picture to another one, px; begun from a flow where one is given."""
    height, width = one.shape
    beyond = (0, max(0, LEAST - height), 0, max(0, LEAST - width))
    if any(beyond):
        one, other = (np.asarray(cv2.copyMakeBorder(v, *beyond, cv2.BORDER_REPLICATE), dtype=np.uint8) for v in (one, other))
        begun = None if begun is None else np.asarray(cv2.copyMakeBorder(begun, *beyond, cv2.BORDER_REPLICATE), dtype=np.float32)
    coarse = max(one.shape) >= COARSE[0] and min(one.shape) >= COARSE[1]
    flow = _finder(int(coarse)).calc(one, other, begun)  # type: ignore[arg-type]
    return np.asarray(flow[:height, :width], dtype=np.float32)


def _finder(finest: int) -> cv2.DISOpticalFlow:
    """A new one for each pair of pictures: one that has seen another size breaks down. finest: how often the finest of its levels is
    halved."""
    made = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_ULTRAFAST)
    made.setFinestScale(finest)
    made.setGradientDescentIterations(STEPS)
    return made


def _larger(flow: Small, alpha: Small, part: float = 1.0) -> Small:
    """A flow of the pictures' size, or a part of its way, in the size and the px of the mattes."""
    return np.asarray(cv2.resize(flow * np.float32(2 * part), alpha.shape[::-1], interpolation=cv2.INTER_LINEAR), dtype=np.float32)


@lru_cache(64)
def _grid(height: int, width: int) -> Small:
    return np.ascontiguousarray(np.dstack(np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))))


def _map(flow: Small) -> Small:
    """Where (h, w, 2) each px is found."""
    return np.asarray(flow + _grid(*flow.shape[:2]), dtype=np.float32)


def _taken(values: NDArray[Any], where: Small, border: int = cv2.BORDER_REPLICATE, beyond: float = 0.0) -> NDArray[Any]:
    """Values (h, w) of other places (h, w, 2). beyond: the picture, with a border of one value."""
    taken = cv2.remap(values, where, None, cv2.INTER_LINEAR, borderMode=border, borderValue=[beyond] * 4)  # type: ignore[call-overload]
    return np.asarray(taken)


def _around(looks: list[Look]) -> tuple[int, int, int, int] | None:
    """The box of what is not 0 on any of them, with a margin."""
    boxes = [look.box for look in looks if look.box is not None]
    if not boxes:
        return None
    height, width = looks[0].alpha.shape
    x0, y0, x1, y1 = min(b[0] for b in boxes), min(b[1] for b in boxes), max(b[2] for b in boxes), max(b[3] for b in boxes)
    x0, y0, x1, y1 = max(0, x0 - MARGIN), max(0, y0 - MARGIN), min(width, x1 + MARGIN), min(height, y1 + MARGIN)
    short = (max(0, SIGHT - (x1 - x0)), max(0, SIGHT - (y1 - y0)))  # flow wants a picture of some size
    x0, y0 = max(0, x0 - short[0]) // 2 * 2, max(0, y0 - short[1]) // 2 * 2  # even: the pictures are of half the size
    return x0, y0, min(width, (x1 + short[0] + 1) // 2 * 2), min(height, (y1 + short[1] + 1) // 2 * 2)


def _in(values: NDArray[Any], box: tuple[int, int, int, int]) -> NDArray[Any]:
    return np.ascontiguousarray(values[box[1] : box[3], box[0] : box[2]])


def _length(alpha: Picture) -> float:
    """The length of the outline, px, times 255."""
    rise = cv2.norm(alpha[1:], alpha[:-1], cv2.NORM_L1) + cv2.norm(alpha[:, 1:], alpha[:, :-1], cv2.NORM_L1)
    return rise * np.pi / 4


def _steps(
    here: Look | None, others: tuple[Look | None, ...], box: tuple[int, int, int, int], size: tuple[int, ...]
) -> list[tuple[Step, Small, Small, Small] | None]:
    """The steps between a frame and others, where there are any. Motions within one part of this frame are carried outwards together."""
    assert here is not None, "it is the frame in question"
    there = [other for other in others if other is not None]
    empty = cv2.norm(here.half, cv2.NORM_INF) <= 0.5
    weights = [_weight(other.half) for other in there] if empty else [_weight(here.half)] * len(there)
    found = [_flow(here, other, weight) for other, weight in zip(there, weights, strict=True)]
    if empty or len(there) < 2:
        whole = [_carried(flow, weight) for (flow, _, _), weight in zip(found, weights, strict=True)]
    else:
        both = _carried(np.concatenate([flow for flow, _, _ in found], axis=2), weights[0])
        whole = [np.ascontiguousarray(both[..., :2]), np.ascontiguousarray(both[..., 2:])]
    told = iter(
        [_step(here, other, box, size, weight, one, out) for other, weight, one, out in zip(there, weights, found, whole, strict=True)]
    )
    return [None if other is None else next(told) for other in others]


def _step(
    here: Look,
    other: Look,
    box: tuple[int, int, int, int],
    size: tuple[int, ...],
    weight: Small,
    led: tuple[Small, float, Small],
    carried_: Small,
) -> tuple[Step, Small, Small, Small]:
    """The step between a frame and another one; what (h, w) of this frame's matte the other's does not lead to expect; how far (h/2, w/2),
    of 255, the picture differs from what is found for it there; and how far (h/2, w/2) it goes, px of the matte."""
    flow, same, found = led
    within = np.flatnonzero(weight)[::3]
    way = 2 * float(np.median(np.hypot(*flow.reshape(-1, 2)[within].T))) if len(within) else 0.0
    whole = _larger(carried_, here.alpha)
    left = here.alpha - _taken(other.alpha, _map(whole), cv2.BORDER_CONSTANT, beyond=float("nan"))
    cv2.patchNaNs(left, 0.0)
    beyond = _crossing(whole, box, size)
    if beyond is not None:
        left[beyond] = 0.0
    length = max(here.length, other.length, SHORT)
    amount, grown = cv2.norm(left, cv2.NORM_L1) / length * here.scale, float(left.sum()) / length * here.scale
    changed = int(cv2.norm(here.alpha, other.alpha, cv2.NORM_INF) * 255)
    where = _where(np.abs(left), box, here.scale) if amount > MUCH else (0, 0, 0, 0)
    new: Small = np.asarray(cv2.blur(found, (3, 3)), dtype=np.float32)
    went = 2 * np.asarray(cv2.magnitude(carried_[..., 0], carried_[..., 1]), dtype=np.float32)
    return Step(way=way * here.scale, same=same, left=amount, grown=grown, changed=changed, box=where), left, new, went


def _weight(mask: Small) -> Small:
    """1 within a matte (h/2, w/2), a few px from its edge; all of it where it is too thin for that."""
    solid = (mask > 0.9).astype(np.uint8)
    inside = cv2.erode(solid, np.ones((INSIDE + 1,) * 2, np.uint8), borderType=cv2.BORDER_REPLICATE)
    return (inside if cv2.countNonZero(inside) > SIGHT // 4 else (mask > 0.5).astype(np.uint8)).astype(np.float32)


def _crossing(flow: Small, box: tuple[int, int, int, int], size: tuple[int, ...]) -> NDArray[np.bool_] | None:
    """Where (h, w) the picture may come from beyond its border within a step, or go there: nothing is known of it. None: nowhere."""
    x0, y0, x1, y1 = box
    inward = min(x0, size[1] - x1, y0, size[0] - y1)
    if cv2.norm(flow, cv2.NORM_INF) + 2 < inward:
        return None
    way = np.abs(flow)
    x, y = np.arange(x0, x1, dtype=np.float32), np.arange(y0, y1, dtype=np.float32)
    across, down = np.minimum(x, size[1] - 1 - x), np.minimum(y, size[0] - 1 - y)
    still = INSIDE  # what hardly moves goes nowhere
    return ((across[None] < way[..., 0] + 2) & (way[..., 0] > still)) | ((down[:, None] < way[..., 1] + 2) & (way[..., 1] > still))


def _flow(here: Look, other: Look, weight: Small) -> tuple[Small, float, Small]:
    """Where (h/2, w/2, 2) each px of this frame's picture is on the other one; how well it is found there within the weight; and how far
    (h/2, w/2), of 255, the picture differs from what is found."""
    tries = [_led(here.grey, other.grey, None)]
    leap = _leap(here, other) / 2
    if float(np.hypot(*leap)) > LEAP / 2:
        begun = np.empty_like(tries[0])
        begun[:] = leap
        tries.append(_led(here.grey, other.grey, begun))
        start = np.empty_like(tries[0])
        start[:] = leap
        tries.append(start)
    best: tuple[Small, float, Small] | None = None
    for flow in tries:
        where = _map(flow)
        found = _taken(other.grey, where)
        same = _same(here.grey, found, where, weight)
        if best is None or np.nan_to_num(same, nan=-1.0) > np.nan_to_num(best[1], nan=-1.0) + 0.01:
            best = flow, same, np.asarray(cv2.absdiff(here.grey, found), dtype=np.float32)
    assert best is not None, "there is one try at least"
    return best


def _leap(here: Look, other: Look) -> NDArray[np.float64]:
    """How far the centre moves, px of the small mattes."""
    return np.nan_to_num(other.centre - here.centre)


def _centre(alpha: Picture) -> NDArray[np.float64]:
    found = cv2.moments(alpha)
    if found["m00"] < 255:
        return np.full(2, np.nan)
    return np.array([found["m10"], found["m01"]]) / found["m00"]


def _same(grey: Picture, found: Picture, where: Small, weight: Small) -> float:
    """The correlation of the picture within the weight with what was found for it. where: that is, on the other frame. NaN where too little
    lies there, or where it is evener than two steps of 255."""
    height, width = grey.shape
    inside = np.asarray(cv2.inRange(where, (0.0, 0.0, 0.0, 0.0), (width - 1.0, height - 1.0, 0.0, 0.0)), dtype=np.uint8)
    wanted = weight > 0
    there = wanted & (inside > 0)
    count = np.count_nonzero(there)
    if count < max(SIGHT // 4, 0.3 * np.count_nonzero(wanted)):
        return float("nan")
    a, b = grey[there].astype(np.float32), found[there].astype(np.float32)
    a, b = a - a.mean(), b - b.mean()
    spread = float(np.sqrt(np.dot(a, a) * np.dot(b, b)))
    return float(np.dot(a, b)) / spread if spread > 4.0 * count else float("nan")


def _carried(flow: Small, weight: Small) -> Small:
    """Flows (h, w, 2 or 4) within the weight, carried outwards: means of what lies near, by bells that grow wider until there is
    something."""
    size = (flow.shape[1], flow.shape[0])
    share: Small = weight
    parts: Small = np.asarray(flow * weight[..., None], dtype=np.float32)
    first = (max(1, size[0] // 2), max(1, size[1] // 2))
    whole, known = np.zeros((*first[::-1], flow.shape[2]), np.float32), np.zeros(first[::-1], np.float32)
    for halved, sigmas in ((2, (CARRIED / 4,)), (8, (CARRIED / 4, CARRIED))):  # wide bells on few px
        few = (max(1, size[0] // halved), max(1, size[1] // halved))
        share, parts = (_sized(v, few, cv2.INTER_AREA) for v in (share, parts))
        for sigma in sigmas:
            near, sums = (np.asarray(cv2.GaussianBlur(v, (0, 0), sigma), dtype=np.float32) for v in (share, parts))
            mean: Small = np.asarray(sums / np.maximum(near, 1e-6)[..., None], dtype=np.float32)
            if few != first:
                near, mean = (_sized(v, first, cv2.INTER_LINEAR) for v in (near, mean))
            fresh = np.minimum(near * np.float32(50), np.float32(1)) * (1 - known)
            whole += fresh[..., None] * mean
            known += fresh
    whole = whole / np.maximum(known, 1e-6)[..., None]
    out = np.asarray(cv2.resize(whole, size, interpolation=cv2.INTER_LINEAR), dtype=np.float32)
    np.copyto(out, flow, where=weight[..., None] > 0)
    return out


def _sized(values: Small, size: tuple[int, int], how: int) -> Small:
    return np.asarray(cv2.resize(values, size, interpolation=how), dtype=np.float32)


def _disc(wide: int) -> NDArray[np.uint8]:
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (wide | 1, wide | 1)), dtype=np.uint8)


def _thin(half: Picture) -> Picture:
    """1 where a matte is thin, or a gap in it: such places meet and part within a frame by nature."""
    solid = (half > 127).astype(np.uint8)
    kernel = _disc(THIN // 2)
    closed, opened = (cv2.morphologyEx(solid, how, kernel) for how in (cv2.MORPH_CLOSE, cv2.MORPH_OPEN))
    return np.asarray(cv2.absdiff(closed, opened), dtype=np.uint8)


def _at_most(away: Small) -> float:
    """The largest way of a part of the outline: differences of alpha add up to the way across it, here over windows of nine px."""
    sums = cv2.blur(away, (9, 9), borderType=cv2.BORDER_CONSTANT) * 81
    return float(np.abs(sums).max()) / 9


def _where(amount: Small, box: tuple[int, int, int, int], scale: float) -> tuple[int, int, int, int]:
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
