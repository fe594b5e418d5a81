"""What the picture draws: how far off outlines are from one key and between keys, how many keys are needed, whether it knows where it is
off, and what a frame costs. On bodies of its own (`bodies`), none of them the demo's."""

import time
from collections.abc import Iterator
from functools import lru_cache

import numpy as np

from benchmarks.bodies import BODIES, Body
from roto.arrays import Floats
from roto.motion import interpolate
from roto.motion.keys import Keys
from roto.picture import display
from roto.track import between, sheet
from roto.track.bend import Bender
from roto.track.between import Drawing
from roto.track.looking import Picture

Row = tuple[str, str, str]
WANTED = 0.5
"""px: the 95th percentile of the distance that no frame may pass"""
MOST_KEYS = 12
_LIGHT = display.light(np.arange(256) / 255.0).astype(np.float32)


class Plate:
    """A body's pictures in linear light, drawn once."""

    def __init__(self, body: Body) -> None:
        self.body = body
        self._made = [body.picture(f) for f in range(body.frames)]
        self.picture = lru_cache(8)(self._light)

    def _light(self, frame: int) -> Picture:
        return np.asarray(_LIGHT[self._made[frame]])

    def bender(self, frame: int) -> Bender:
        """What follows from a key that is the truth."""
        outline = self.body.truth(frame)
        return Bender(self.picture, frame, between.inside(outline, self.body.size), outline)

    def drawing(self, keys: list[int], known: dict[int, between.Sure] | None = None) -> Drawing:
        """With true keys on these frames."""
        outlines = {k: self.body.truth(k) for k in keys}
        return Drawing(bender=self.bender, outlines=outlines, home=keys[0], lattice=self.bender(keys[0]).lattice, known=dict(known or {}))

    def off(self, drawing: Drawing) -> tuple[Floats, Floats]:
        """px (frames,) that the outline is off with its keys, on the mean and at its worst twentieth; NaN where nothing was drawn."""
        keys = sorted(k for k in drawing.outlines if k in drawing.known)
        forms = np.stack([sheet.unbent(drawing.lattice, drawing.known[k].control[None], drawing.outlines[k][None])[0] for k in keys])
        channel = Keys.build(keys, forms)
        out = np.full((self.body.frames, 2), np.nan)
        for frame in sorted(drawing.known):
            form = interpolate.evaluate(channel, float(frame), frame)
            there = sheet.bent(drawing.lattice, drawing.known[frame].control[None], form)[0][0]
            apart = np.hypot(*(there - self.body.truth(frame)).T)
            out[frame] = apart.mean(), np.percentile(apart, 95)
        return out[:, 0], out[:, 1]


def _few(plate: Plate) -> tuple[int, Drawing, Floats]:
    """Keys set one by one where the product suggests, until no frame is off: how many, and what was drawn."""
    last = plate.body.frames - 1
    keys = [0, last]
    drawing = plate.drawing(keys)
    between.stretches(drawing, [(0, last)])
    while True:
        _, worst = plate.off(drawing)
        if np.nanmax(worst) <= WANTED or len(keys) >= MOST_KEYS:
            return len(keys), drawing, worst
        missing = [f for f in range(last) if f not in drawing.known]
        suggested = between.where_next(drawing.known, keys)
        if not missing and not suggested:
            return len(keys), drawing, worst
        new = missing[len(missing) // 2] if missing else suggested[0]
        keys = sorted([*keys, new])
        at = keys.index(new)
        drawing = plate.drawing(keys, drawing.known)
        between.stretches(drawing, [(keys[at - 1], new), (new, keys[at + 1])])


def _plain(body: Body) -> int:
    """How many keys pure in-betweening needs, each set where it is off most."""
    keys = [0, body.frames - 1]
    while True:
        channel = Keys.build(keys, np.stack([body.truth(k) for k in keys]))
        worst = np.array(
            [np.percentile(np.hypot(*(interpolate.evaluate(channel, float(f), f)[0] - body.truth(f)).T), 95) for f in range(body.frames)]
        )
        if worst.max() <= WANTED:
            return len(keys)
        keys = sorted([*keys, int(worst.argmax())])


def bend() -> Iterator[Row]:
    """From one key, between keys, and what it says of itself."""
    said: list[tuple[float, float]] = []
    for make in BODIES:
        for row, told in of_body(Plate(make())):
            said += told
            yield row
    off, true = np.array(said).T
    sure = off < WANTED
    right = f"{100 * (true[sure] < WANTED).mean():.1f} % of {sure.sum()} frames (of {len(off)})"
    yield "where it says under 0.5 px, it is so", right, "95 %"
    trusted = off <= between.HALF_SURE
    wrong = f"{int((true[trusted] >= 2).sum())} of {trusted.sum()}"
    yield "frames off by 2 px or more with a confidence over a half", wrong, "1 in 1000"


def of_body(plate: Plate) -> Iterator[tuple[Row, list[tuple[float, float]]]]:
    """The figures of one body; with each, px that frames were said to be off by, and px that they were."""
    body = plate.body
    drawing = plate.drawing([0])
    begin = time.perf_counter()
    drawing.onwards(0, body.frames - 1)
    each = 1000 * (time.perf_counter() - begin) / max(1, len(drawing.known) - 1)
    mean, worst = plate.off(drawing)
    end = f", stopped: {drawing.why}" if drawing.why else ""
    what = f"{body.name}: from one key, mean px over {len(drawing.known) - 1} frames"
    yield (what, f"{np.nanmean(mean):.2f}, {each:.0f} ms a frame{end}", "1"), _told(drawing, worst)
    begin = time.perf_counter()
    count, drawing, worst = _few(plate)
    took = time.perf_counter() - begin
    mean, _ = plate.off(drawing)
    left = "" if np.nanmax(worst) <= WANTED else f", worst frame still {np.nanmax(worst):.2f}"
    what = f"{body.name}: keys for {WANTED} px (in-betweening alone: {_plain(body)})"
    yield (what, f"{count}{left}; mean {np.nanmean(mean):.3f} px; {took:.0f} s in all", ""), _told(drawing, worst)


def _told(drawing: Drawing, worst: Floats) -> list[tuple[float, float]]:
    return [(drawing.known[f].off, e) for f, e in enumerate(worst) if f in drawing.known and f not in drawing.outlines]
