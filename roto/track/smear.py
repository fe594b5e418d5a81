"""Motion blur, where a picture is compared with a key: what one of them is smeared by more than the other.

Both show the same skin, each averaged along its own way while it is exposed. Smearing each by what the other has makes them alike (as in
Jin, Favaro and Cipolla, "Visual tracking in the presence of motion blur", CVPR 2005). Here only what is between the two is laid on, by
second moments, so that what both show stays as sharp as it is.
"""

from dataclasses import dataclass, field, replace

import cv2
import numpy as np

from roto.arrays import Flags, Floats, Singles
from roto.track import sheet
from roto.track.looking import APART, BLUR, MOMENTS, SHARP, Level, Samples, moments_of
from roto.track.sheet import Lattice

SHUTTERS = (0.0, 0.25, 0.5, 0.75, 1.0)
"""shares of a frame that may be exposed"""
USUAL = 0.5
"""the share that is taken as long as nothing tells"""
TELLS = 8.0
"""px that two pictures must be smeared differently, if all of a frame were exposed, to tell how much of it is"""
FOLDED = 0.1
"""of its area: where a sheet is smaller than this it says nothing of how it is smeared"""
ENOUGH = 0.25
"""share of the pixels that must be left, when those go that may have something of the outside in them"""
MOST_OF_IT = 75
"""percentile of a length over an outline or its inside, by which it is told"""


def between(key: Floats, frame: Floats) -> tuple[Floats, Floats]:
    """What to smear a key by, and a frame, px (n, 2) each, where the key is smeared along `key` and the frame along `frame`, px (n, 2).

    >>> between(np.array([[0.0, 0.0]]), np.array([[3.0, 4.0]]))[0].round(6).tolist()
    [[3.0, 4.0]]
    >>> [float(np.abs(one).max()) for one in between(np.array([[2.0, 1.0]]), np.array([[2.0, 1.0]]))]
    [0.0, 0.0]
    """
    xx, xy, yy = (frame[:, a] * frame[:, b] - key[:, a] * key[:, b] for a, b in ((0, 0), (0, 1), (1, 1)))
    mean, half, angle = 0.5 * (xx + yy), np.hypot(0.5 * (xx - yy), xy), 0.5 * np.arctan2(2 * xy, xx - yy)
    way = np.stack([np.cos(angle), np.sin(angle)], axis=1)
    aside = np.stack([-way[:, 1], way[:, 0]], axis=1)
    return np.sqrt(np.maximum(mean + half, 0))[:, None] * way, np.sqrt(np.maximum(half - mean, 0))[:, None] * aside


def quieter(long: Floats) -> Floats:
    """What is left of the variance of grain, 0..1 (n,), where a softened picture is averaged over lines of so many px of it."""
    count = np.where(long < SHARP, 1, np.minimum(MOMENTS, np.ceil(long / APART))).astype(int)
    out = np.empty(len(long))
    for n in np.unique(count):
        which = count == n
        apart = (np.arange(n) - np.arange(n)[:, None])[None] * (long[which] / n)[:, None, None]
        out[which] = np.exp(-((apart / BLUR) ** 2) / 4).mean(axis=(1, 2))
    return out


@dataclass(slots=True)
class Exposure:
    """How a key and what follows it are smeared. inner: (h, w), the key's pixels that have nothing of the outside. key_way: px a frame that
    the key's control points (parts, 2) go, None as long as it is not known. exposed: the likeliest of SHUTTERS. told: (SHUTTERS,), what
    frames left of their pixels with each."""

    lattice: Lattice
    inner: Flags
    key_way: Floats | None = None
    exposed: float = USUAL
    told: Floats = field(default_factory=lambda: np.zeros(len(SHUTTERS)))

    def smeared(self, samples: list[Samples], views: list[Level], control: Floats, way: Floats) -> list[Samples]:
        """Samples of some levels as they look on a frame: control points there, and their way within one frame, (parts, 2) each. views: the
        key's picture on each of them."""
        return [self.with_share(*one, control, way, self.exposed) for one in zip(samples, views, strict=True)]

    def with_share(self, samples: Samples, view: Level, control: Floats, way: Floats, exposed: float, tells: bool = False) -> Samples:
        """The same of one level, if a share of a frame is exposed. What may have something of the outside is left out, as long as enough is
        left. tells: whether it is to be compared with other shares: then as much is left out as if all of a frame were exposed, and `grain`
        is worked out."""
        if self.key_way is None:
            return samples
        own, back, turn = self._ways(samples, control, way)
        clean = max(SHUTTERS) if tells else exposed
        if max(np.abs(own).max(), np.abs(back).max()) * clean < SHARP * view.step:
            return samples
        on_key, on_frame = between(exposed * own, exposed * back)
        whole = np.ones(len(back), bool)
        for end in (clean * back, clean * own + on_key, clean * own - on_key):
            whole &= self._within(samples.places + 0.5 * end) & self._within(samples.places - 0.5 * end)
        on_frame = np.einsum("nij,nj->ni", turn, on_frame)
        seen = replace(samples, values=_averaged(view, samples.places, on_key), smear=on_frame)
        if tells:
            grain = [quieter(np.hypot(*one.T) / view.step) for one in (on_key, on_frame)]
            seen = replace(seen, grain=0.5 * (grain[0] + grain[1]))
        if whole.sum() < ENOUGH * len(whole):
            return seen
        return replace(seen.some(whole), left=float(whole.mean()))

    def _ways(self, samples: Samples, control: Floats, way: Floats) -> tuple[Floats, Floats, Floats]:
        """px (n, 2) that the key's samples go within a frame, and those of another frame told on the key; and how the sheet turns them."""
        assert self.key_way is not None
        places = np.broadcast_to(samples.places, (3, *samples.places.shape))
        (_, there, own), (turn, _, _) = sheet.bent(self.lattice, np.stack([control, way, self.key_way]), places)
        area = turn[:, 0, 0] * turn[:, 1, 1] - turn[:, 0, 1] * turn[:, 1, 0]
        part = np.where(area < FOLDED, 0.0, 1 / np.maximum(area, FOLDED))
        back = np.stack(
            [turn[:, 1, 1] * there[:, 0] - turn[:, 0, 1] * there[:, 1], turn[:, 0, 0] * there[:, 1] - turn[:, 1, 0] * there[:, 0]], axis=1
        )
        return own, back * part[:, None], turn

    def _within(self, places: Floats) -> Flags:
        column, row = np.clip(places.astype(int), 0, np.array(self.inner.shape[::-1]) - 1).T
        return self.inner[row, column]

    def tells(self, samples: Samples, control: Floats, way: Floats) -> bool:
        """Whether a frame is smeared so differently from the key that it tells how much of it is exposed."""
        if self.key_way is None:
            return False
        own, back, _ = self._ways(samples, control, way)
        long = np.max([np.hypot(*one.T) for one in between(own, back)], axis=0)
        return bool(np.percentile(long, MOST_OF_IT) >= TELLS)

    def longest(self, outline: Samples, way: Floats) -> float:
        """px by which an outline is smeared on its key, or on a frame, whichever is more."""
        ways = [way] if self.key_way is None else [way, self.key_way]
        speeds = [np.hypot(*np.einsum("nk,nkd->nd", outline.weights, one[outline.first]).T) for one in ways]
        return self.exposed * max(float(np.percentile(one, MOST_OF_IT)) for one in speeds)

    def hear(self, left: Floats) -> None:
        """What a frame leaves of its pixels with each share, as a logarithm."""
        self.told = self.told + left
        self.exposed = SHUTTERS[int(self.told.argmin())]


def _averaged(view: Level, places: Floats, along: Floats) -> Singles:
    """Colours (n, 3) of a level at places px, as means along lines px (n, 2)."""
    count = moments_of(float(np.hypot(*along.T).max()) / view.step)
    t = (np.arange(count) + 0.5) / count - 0.5
    at = ((places[:, None] + t[:, None] * along[:, None] - view.corner) / view.step).astype(np.float32)
    colours = np.ascontiguousarray(view.colours[:, :, :3])
    found = cv2.remap(colours, at[..., 0], at[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(found.mean(axis=1), np.float32)


def way_on_first(first: Floats, middle: Floats, last: Floats) -> Floats:
    """What goes by in one frame on the first of three frames, as their parabola has it."""
    return np.asarray(2 * middle - 1.5 * first - 0.5 * last)


def way_to(now: Floats, last: Floats, before: Floats | None) -> Floats:
    """What goes by in a frame, from where something is, was on the frame before, and on the one before that."""
    return now - last if before is None else -way_on_first(now, last, before)
