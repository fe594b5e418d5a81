"""What the shutter sees: the live entries of a frame, how far their outlines travel in its exposure, and in how many steps to take it."""

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from roto.arrays import Floats
from roto.matte.feather.profile import steepest
from roto.matte.feather.reach import band
from roto.matte.modes import MODES
from roto.matte.render import runs
from roto.matte.render.extents import extents
from roto.matte.render.results import Box
from roto.matte.shutter import Shutter, crisp_samples, samples_for, travel
from roto.matte.stack import Entry, Matte, within
from roto.motion.shape import GROUP
from roto.tolerances import AMONG, BLUR_STEP, DEEP_STEP, MOST_STEP, SOFT_MARGIN, THIN_REACH

MOMENTS = 3
"""moments at which an outline is looked at to find how far it travels in an exposure"""
DIVISIBLE = (9, 10, 12, 15, 16, 18, 20, 24, 28, 30, 36, 42, 48, 60, 72, 84, 96, 108, 120)
"""numbers of steps that can be parted in many ways"""
CHANGES = 2.0
"""how much alpha of all else may change at a pixel in one exposure: something passes, and is gone"""
TOGETHER = 16
"""frames whose outlines are evaluated at once where many are wanted"""


@dataclass(frozen=True, kw_only=True)
class Live:
    """A live entry with its numbers at one frame.

    points: (T, n, 6) at even moments of the exposure, T being 1 when it stands still in it. way: px that it travels at the most.
    reaches: (n, 2) of its points, where it varies along the outline; then inner and outer are the largest ones.
    corners: whether it has any, a crossing with itself or a bend as tight as one included; known (`sure`) once it is flattened; until then
    they may be expected (`guess`), which is looked at before anything is made of it.
    within: the group's line that it counts within.
    """

    entry: Entry
    inner: float
    outer: float
    shift: float
    opacity: float
    points: Floats
    way: float
    corners: bool = False
    sure: bool = False
    guess: bool = False
    reaches: Floats | None = None
    within: Entry | None = None

    @cached_property
    def kind(self) -> int:
        """Which kind of run it makes (see `runs`)."""
        if self.reaches is not None:
            return runs.VARYING
        if self.inner == self.outer == self.shift == 0.0:
            return runs.AREA if self.opacity == 1.0 else runs.PLAIN
        return runs.THIN if self.inner + self.outer + abs(self.shift) < THIN_REACH else runs.DEEP

    @cached_property
    def pad(self) -> float:
        """px around its outline within which it may count."""
        none = self.inner == self.outer == self.shift == 0.0 and self.reaches is None
        return 0.0 if none else float(band(self.inner, self.outer, self.shift))

    @cached_property
    def into(self) -> float:
        """How far (px) the boundary lies within the reach."""
        return self.outer + self.shift

    @cached_property
    def thinnest(self) -> float:
        """px: the least that its reach may be anywhere."""
        return self.inner + self.outer if self.reaches is None else float(np.nansum(np.nanmin(self.reaches, axis=0)))

    @cached_property
    def still(self) -> bool:
        """Whether nothing moves while the shutter is open."""
        return len(self.points) == 1

    @cached_property
    def step(self) -> float:
        """px that a piece of outline with a reach may travel between two looks at it."""
        if self.kind == runs.VARYING and not self.corners:
            return max(BLUR_STEP, min(DEEP_STEP * (self.thinnest + SOFT_MARGIN), 0.5 * MOST_STEP))
        if self.corners:
            return BLUR_STEP
        return max(BLUR_STEP, min(DEEP_STEP * (self.inner + self.outer + SOFT_MARGIN), MOST_STEP))

    @cached_property
    def steps(self) -> int:
        """In how many steps its exposure is to be taken."""
        return samples_for(self.way, self.step) if self.kind in (runs.DEEP, runs.VARYING) else crisp_samples(self.way)

    @cached_property
    def steps_among(self) -> int:
        """In how many steps at least where others move quicker."""
        return 1 if self.still else max(self.steps, self._so_that_little_changes)

    @cached_property
    def _so_that_little_changes(self) -> int:
        """What is left out where it stays as it is over some steps is how it changes together with the rest: in each look at most a
        twelfth of both changes' product, and on the mean of n looks a twelfth of n-th of the one times all of the other."""
        soft = self.kind in (runs.DEEP, runs.VARYING)
        steep = min(1.0, steepest(self.entry.shape.profile) / (self.thinnest + SOFT_MARGIN)) if soft else 1.0
        return max(1, math.ceil(math.sqrt(CHANGES * self.way * steep / AMONG)))

    @cached_property
    def most_among(self) -> int:
        """The same at the most, whether its corners are known or not."""
        return max(self.steps_among, samples_for(self.way, BLUR_STEP) if self.kind == runs.DEEP else 1)

    @cached_property
    def most_steps(self) -> int:
        """In how many steps at the most, whatever its corners turn out to be."""
        if self.still:
            return 1
        return self.steps if self.sure or self.kind != runs.DEEP else max(self.steps, samples_for(self.way, BLUR_STEP))

    def pad_in(self, steps: int) -> float:
        """px around its outline within which distances are wanted, where the exposure is taken in so many steps."""
        return self.pad + (min(self.way, 2.0 * self.way / steps) if self.kind == runs.DEEP else 0.0)

    def misses(self, box: Box) -> bool:
        """Whether it lies beside a box of pixels, or above or below it, with all that it may reach. An outline lies within its points and
        tangents; between the moments that are known it may swing out by as much as it travels from one to the next."""
        reach = self.pad + self.way + 1.0
        return any(
            high + swings + reach < box[axis] or low - swings - reach > box[axis + 2]
            for axis, (low, high, swings) in enumerate(extents(self.points).tolist())
        )

    def looks(self, shutter: Shutter, frame: int, steps: int) -> Floats:
        """Points (T, n, 6) where `steps` steps of the exposure meet for a deep run, else in the middle of each; T is 1 when it is still."""
        if self.still:
            return self.points
        if self.kind != runs.DEEP:
            return self.entry.shape.edge(shutter.moments(frame, steps), frame)
        return self.points[[0, -1]] if steps == 1 else self.entry.shape.edge(shutter.meetings(frame, steps), frame)


def grows(entry: Entry, group: Entry | None) -> float:
    """1 where a line makes a larger matte when it grows itself, else -1. group: the line of the group that it counts within."""
    return float(np.prod([MODES[e.mode].grows * (-1 if e.inverted else 1) for e in (entry, group) if e is not None]))


def live_at(matte: Matte, frames: Iterable[int]) -> dict[int, list[Live]]:
    """The entries that count on each of these frames, bottom first."""
    numbers = np.array(list(frames), dtype=np.int64)
    shutter = matte.shutter
    times = shutter.meetings(numbers, MOMENTS - 1)
    shifts = matte.shift_at(numbers) if matte.shift else None
    out: dict[int, list[Live]] = {int(f): [] for f in numbers}
    for entry, group in zip(matte.entries, within(matte.entries), strict=True):
        shape = entry.shape
        if shape.kind == GROUP:
            continue
        which = np.array([shape.is_live(int(f)) for f in numbers], dtype=bool)
        if not which.any():
            continue
        own = numbers[which]
        blurs = shape.blur and shutter.angle > 0.0
        looks = MOMENTS if blurs else 1
        moments = times[which] if blurs else own.astype(np.float64)
        points = shape.edge(moments.ravel(), np.repeat(own, looks))
        points = points.reshape(len(own), looks, *points.shape[1:])
        settings = shape.settings_at(own)
        if shifts is not None:
            way = grows(entry, group)
            settings = [(a, b, s + way * px, o, lens) for (a, b, s, o, lens), px in zip(settings, shifts[which], strict=True)]
        reaches = shape.reaches_at(own)
        if reaches is not None and reaches.shape[1] != points.shape[2]:  # points that were added have none of their own
            added = np.full((len(own), points.shape[2], 2), np.nan)
            added[:, :: points.shape[2] // reaches.shape[1]] = reaches
            reaches = added
        if reaches is not None:  # the largest ones stand for the whole where only its bounds are asked for
            settings = [(*np.nanmax(r, axis=0).tolist(), *s[2:]) for r, s in zip(reaches, settings, strict=True)]
        pads = [float(band(*s[:3])) for s in settings]
        ways = travel(points, matte.size, np.array(pads))
        for at, (f, s, p, way) in enumerate(zip(own, settings, points, ways, strict=True)):
            inner, outer, shift, opacity, _ = s
            still = looks == 1 or (p == p[0]).all()
            more = {"points": p[:1] if still else p, "way": float(way), "opacity": opacity * entry.opacity}
            if reaches is not None:
                more["reaches"] = reaches[at]
            out[int(f)].append(Live(entry=entry, inner=inner, outer=outer, shift=shift, within=group, **more))
    return out


def knowing(live: list[Live], corners: dict[str, bool]) -> list[Live]:
    """Live entries with what has been learned of the corners of their shapes."""
    new = [not one.sure and one.entry.shape.id in corners for one in live]
    return [replace(one, corners=corners[one.entry.shape.id], sure=True) if n else one for one, n in zip(live, new, strict=True)]


def steps_of(live: list[Live], cap: int) -> tuple[int, bool]:
    """In how many steps an exposure is taken, and whether the cap cut them down. Where some could do with half of them, a few more are
    taken if need be, so that they can be parted: whatever is known of their corners by now, since that depends on the box."""
    moving = [one for one in live if not one.still]
    wanted = max((one.steps for one in moving), default=1)
    if any(2 * one.most_among <= wanted for one in moving):
        wanted = next((n for n in DIVISIBLE if wanted <= n <= cap), wanted) if wanted >= DIVISIBLE[0] else wanted
    return min(wanted, cap), wanted > cap


def counts_of(live: list[Live], steps: int) -> list[int]:
    """In how many steps of its own each entry is looked at where an exposure is taken in `steps`: it stays as it is over several of them
    where others move quicker. Each is a part of `steps`, and goes by nothing else but how the entry itself moves."""
    parts = [n for n in range(1, steps + 1) if steps % n == 0]
    return [next((n for n in parts if n >= least), steps) for least in (one.steps_among for one in live)]
