"""What one frame of a matte shows by itself: how much it covers and where, its pieces, its edge, its gaps at the border, its dirt."""

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from roto.errors import BadPicture

Box = tuple[int, int, int, int]
"""x0, y0, x1, y1 in px; the last ones are outside"""
Alpha = NDArray[np.uint8]

LARGE = 4000
"""px of a piece's box from which its area is that of its outline"""
KEPT = 40
"""pieces beside the largest, and holes, of a frame that are kept one by one"""
BESIDE = 8
"""px beside the largest piece within which another one may be a part of hair"""
PURE = 190
"""of 255: what a piece reaches at least somewhere, or the blackness of a hole; less is a part of a soft edge"""
GAP = 8
"""px beside the picture's border within which a matte that does not reach it leaves a gap"""
SHORTEST_GAP = 16
"""px along the border"""
EVEN_GAP = 1.2
"""px: a gap whose depth varies by more is the shape of the subject, not of an outline that stops short"""
ALMOST = 20
"""of 255: values so near to 0 or 1, but not there, are dirt where they fill an area"""
FLAT = 6
"""of 255: by how much they may differ within an area; a soft edge differs by more"""
DIRTY = 15
"""px of full HD: how wide such an area is at least"""
SIDES = ("top", "right", "bottom", "left")


@dataclass(frozen=True, slots=True, kw_only=True)
class Spot:
    """A place: its box, and how large it is (px of area; for a gap, px of its depth). what: piece, tuft (one right
    beside the largest), hole, almost 0, almost 1, or a side."""

    what: str
    box: Box
    size: float

    def to_json(self) -> list[Any]:
        """As JSON data."""
        return [self.what, list(self.box), round(self.size, 2)]

    @classmethod
    def from_json(cls, data: list[Any]) -> "Spot":
        """From what `to_json` gave."""
        return cls(what=data[0], box=tuple(data[1]), size=data[2])


@dataclass(frozen=True, slots=True, kw_only=True)
class Reading:
    """One frame by itself. area: px covered. x, y: the centre. box: of all that is not 0. outline: px, its length. edge: px, how wide the
    edge is on the mean (1: as crisp as pixels can be). pieces, holes: how many. borders: which sides it touches. spots: small pieces and
    holes, gaps at the border, dirt."""

    area: float
    x: float
    y: float
    box: Box
    outline: float
    edge: float
    pieces: int
    holes: int
    borders: tuple[str, ...]
    spots: tuple[Spot, ...]

    @property
    def empty(self) -> bool:
        """Whether there is no matte."""
        return self.area < 0.5

    def to_json(self) -> dict[str, Any]:
        """As JSON data."""
        numbers = {name: round(getattr(self, name), 3) for name in ("area", "x", "y", "outline", "edge")}
        return {
            **numbers, "box": list(self.box), "pieces": self.pieces, "holes": self.holes, "borders": list(self.borders),
            "spots": [spot.to_json() for spot in self.spots],
        }  # fmt: skip

    @classmethod
    def from_json(cls, data: dict[str, Any]) -> "Reading":
        """From what `to_json` gave."""
        spots = tuple(Spot.from_json(one) for one in data["spots"])
        return cls(**{**data, "box": tuple(data["box"]), "borders": tuple(data["borders"]), "spots": spots})


def read(alpha: Alpha, picture: NDArray[np.uint8] | None = None) -> Reading:
    """What a frame of a matte shows. alpha: uint8 (h, w), 255 being covered. picture: its plate, uint8 (h, w, 3) of any size, where there
    is one; a gap at the border in which it shows something else is none. BadPicture when alpha is none."""
    if alpha.ndim != 2 or alpha.dtype != np.uint8 or not alpha.size:
        raise BadPicture("A matte of one channel and 8 bits is needed to be checked.")
    height, width = alpha.shape
    x0, y0, across, down = cv2.boundingRect(alpha)
    box = (x0, y0, x0 + across, y0 + down)
    if not across:
        return Reading(area=0, x=width / 2, y=height / 2, box=(0, 0, 0, 0), outline=0, edge=0, pieces=0, holes=0, borders=(), spots=())
    # a pixel more around, black beyond the picture, so that pieces and slopes end within
    inner = alpha[y0 : y0 + down, x0 : x0 + across]
    part = np.pad(inner, 1)
    moments = cv2.moments(inner)
    area = moments["m00"] / 255
    beside = alpha[max(0, y0 - 1) : y0 + down + 1, max(0, x0 - 1) : x0 + across + 1]
    outline, edge = _edge(beside, area)
    solid = np.asarray(cv2.threshold(part, 127, 255, cv2.THRESH_BINARY)[1], dtype=np.uint8)
    pieces, holes, small, around = _pieces(part, solid, (x0 - 1, y0 - 1))
    pricks = [] if around is None else _holes(255 - part, 255 - solid, (x0 - 1, y0 - 1), around)
    gaps, borders = _gaps(alpha, box)
    gaps = [gap for gap in gaps if picture is None or _goes_on(picture, gap, (width, height))]
    spots = (*small, *pricks, *gaps, *_dirt(inner, (x0, y0), max(7, round(DIRTY * width / 1920))))
    return Reading(
        area=area, x=x0 + moments["m10"] / moments["m00"] + 0.5, y=y0 + moments["m01"] / moments["m00"] + 0.5, box=box,
        outline=outline, edge=edge, pieces=pieces, holes=holes, borders=borders, spots=spots,
    )  # fmt: skip


def _edge(inner: Alpha, area: float) -> tuple[float, float]:
    """The length of the outline, px, and the mean width of the edge: alpha (1 - alpha) adds up to a sixth of it a px of outline. Sides on
    the border of the picture are none of it. area: px that it covers."""
    rise = cv2.norm(inner[:, 1:], inner[:, :-1], cv2.NORM_L1) + cv2.norm(inner[1:], inner[:-1], cv2.NORM_L1)
    mixed = area - cv2.norm(inner, cv2.NORM_L2SQR) / 255**2
    length = rise / 255 * np.pi / 4  # both ways together rise 4 / pi times a px of outline, on the mean over all directions
    return length, 6 * mixed / max(length, 1.0)


def _pieces(values: Alpha, solid: Alpha, at: tuple[int, int]) -> tuple[int, int, list[Spot], Box | None]:
    """How many pieces and holes there are; all pieces but the largest, the larger ones first; and a box that has all holes within its rim,
    where there are some."""
    contours, tree = cv2.findContours(solid, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    if tree is None:
        return 0, 0, [], None
    parents = tree[0, :, 3]
    outer = sorted(np.flatnonzero(parents < 0).tolist(), key=lambda k: -cv2.contourArea(contours[k]))
    largest = np.concatenate([contours[outer[0]], *(contours[k] for k in np.flatnonzero(parents == outer[0]).tolist())])[:, 0]
    spots = []
    for k in outer[1 : KEPT + 1]:
        x, y, across, down = cv2.boundingRect(contours[k])
        here = (slice(y, y + down), slice(x, x + across))
        if across * down > LARGE:  # nobody asks for its area to the px
            size = int(cv2.contourArea(contours[k]))
        else:
            _, labels = cv2.connectedComponents(solid[here])
            first = contours[k][0, 0]
            own = labels == labels[first[1] - y, first[0] - x]
            size = int(own.sum())
            if int(values[here][own].max()) < PURE:
                continue
        beside = ((largest >= (x - BESIDE, y - BESIDE)) & (largest < (x + across + BESIDE, y + down + BESIDE))).all(axis=1).any()
        box = (at[0] + x, at[1] + y, at[0] + x + across, at[1] + y + down)
        spots.append(Spot(what="tuft" if beside else "piece", box=box, size=size))
    rims = [contours[k][:, 0] for k in np.flatnonzero(parents >= 0).tolist()]
    around: Box | None = None
    if rims:
        low, high = np.min([rim.min(axis=0) for rim in rims], axis=0), np.max([rim.max(axis=0) for rim in rims], axis=0)
        around = (int(low[0]), int(low[1]), int(high[0]) + 1, int(high[1]) + 1)
    return len(outer), len(rims), sorted(spots, key=lambda spot: -spot.size), around


def _holes(values: Alpha, empty: Alpha, at: tuple[int, int], around: Box) -> list[Spot]:
    """All holes, the largest first. around: a box of the part that has them within its rim; what touches the rim is ground."""
    values, empty = (v[around[1] : around[3], around[0] : around[2]] for v in (values, empty))
    at = at[0] + around[0], at[1] + around[1]
    count, labels, stats, _ = cv2.connectedComponentsWithStats(empty, connectivity=4)
    ground = {0, *labels[0].tolist(), *labels[-1].tolist(), *labels[:, 0].tolist(), *labels[:, -1].tolist()}
    found = sorted((k for k in range(1, count) if k not in ground), key=lambda k: -stats[k, cv2.CC_STAT_AREA])
    spots = []
    for k in found[:KEPT]:
        x, y, across, down, area = (int(v) for v in stats[k])
        here = (slice(y, y + down), slice(x, x + across))
        if int(values[here][labels[here] == k].max()) >= PURE:
            spots.append(Spot(what="hole", box=(at[0] + x, at[1] + y, at[0] + x + across, at[1] + y + down), size=area))
    return spots


def _gaps(alpha: Alpha, box: Box) -> tuple[list[Spot], tuple[str, ...]]:
    """Where the matte stops a few px short of the picture's border, in an even strip; and the sides that it reaches. box: of the matte."""
    height, width = alpha.shape
    gaps: list[Spot] = []
    touched: list[str] = []
    turned = {
        "top": alpha[: GAP + 1],
        "bottom": alpha[: -GAP - 2 : -1],
        "left": alpha[:, : GAP + 1].T,
        "right": alpha[:, : -GAP - 2 : -1].T,
    }
    room = dict(zip(("left", "top", "right", "bottom"), (box[0], box[1], width - box[2], height - box[3]), strict=True))
    for side in SIDES:
        if room[side] > GAP:
            continue
        near = turned[side] > 127
        if near[0].any():
            touched.append(side)
        depth = np.where(near.any(axis=0), near.argmax(axis=0), GAP + 1)
        short = (depth > 0) & (depth <= GAP)
        begins = np.flatnonzero(np.diff(np.concatenate([[0], short.astype(np.int8), [0]])))
        for a, b in begins.reshape(-1, 2):
            if b - a < SHORTEST_GAP or float(depth[a:b].std()) > EVEN_GAP:
                continue
            deep = float(np.median(depth[a:b]))
            d, (a, b) = int(np.ceil(deep)), (int(a), int(b))
            box = {"top": (a, 0, b, d), "bottom": (a, height - d, b, height), "left": (0, a, d, b), "right": (width - d, a, width, b)}[side]
            gaps.append(Spot(what=side, box=box, size=deep))
    return gaps, tuple(touched)


def _goes_on(picture: NDArray[np.uint8], gap: Spot, size: tuple[int, int]) -> bool:
    """Whether the picture in a gap is what it is within the matte beside it, as far as that is alike by itself."""
    scale = picture.shape[1] / size[0]
    turned = {"top": picture, "bottom": picture[::-1], "left": picture.transpose(1, 0, 2), "right": picture[:, ::-1].transpose(1, 0, 2)}[
        gap.what
    ]
    a, b = (gap.box[0], gap.box[2]) if gap.what in ("top", "bottom") else (gap.box[1], gap.box[3])
    columns = slice(int(a * scale), max(int(np.ceil(b * scale)), int(a * scale) + 1))
    deep = max(1, round(gap.size * scale))
    strip = turned[: 3 * deep + 6, columns].astype(np.float32)
    within, farther = strip[deep + 2 : 2 * deep + 3].mean(axis=0), strip[2 * deep + 3 : 3 * deep + 4].mean(axis=0)
    there = strip[:deep].mean(axis=0)
    alike = float(np.abs(within - farther).mean())
    return float(np.abs(there - within).mean()) < 2.5 * alike + 6.0


def _dirt(inner: Alpha, at: tuple[int, int], wide: int) -> list[Spot]:
    """Areas that are almost 0 or almost 1, evenly."""
    spots = []
    kernel = np.ones((wide, wide), np.uint8)
    for what, low, high in (("almost 0", 1, ALMOST), ("almost 1", 255 - ALMOST, 254)):
        # a square of that size holds four points of a grid of half its size: seldom does any four fall on such values
        grid = inner[:: wide // 2, :: wide // 2]
        on = (grid >= low) & (grid <= high)
        if not (on[1:, 1:] & on[:-1, 1:] & on[1:, :-1] & on[:-1, :-1]).any():
            continue
        near = cv2.inRange(inner, np.array([low]), np.array([high]))
        if cv2.countNonZero(near) < wide * wide:
            continue
        whole = cv2.erode(near, kernel, borderType=cv2.BORDER_CONSTANT, borderValue=[0.0])
        if not cv2.countNonZero(whole):
            continue
        flat = cv2.subtract(cv2.dilate(inner, kernel), cv2.erode(inner, kernel)) <= FLAT
        found = cv2.dilate(whole * flat, kernel)
        count, _, stats, _ = cv2.connectedComponentsWithStats(found)
        for k in range(1, count):
            x, y, across, down, area = (int(v) for v in stats[k])
            spots.append(Spot(what=what, box=(at[0] + x, at[1] + y, at[0] + x + across, at[1] + y + down), size=area))
    return spots
