"""Mattes with lens softness, of single lines or of the whole.

What is softened is drawn by itself on a finer and larger picture (see `feather.lens`), past the border as well, as a mean over the
exposure, and blurred. The lines below and above are drawn as ever.
"""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from threading import Lock

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from roto.matte.feather.lens import LEAST, blurred, fineness, reaches
from roto.matte.modes import FOUND, MODES, PASS
from roto.matte.render.boxes import touched_boxes
from roto.matte.render.exposure import grows
from roto.matte.render.layers import samples_wanted
from roto.matte.render.mixing import apply_line, mix_moving
from roto.matte.render.parts import Drawn, laid_over
from roto.matte.render.results import Box, Rendered
from roto.matte.stack import Entry, Matte, within
from roto.motion.shape import GROUP, LENS, OPACITY
from roto.motion.sized import sized, sized_keys

CELLS = 8_000_000
"""cells of the finer picture that are drawn at once"""
KEPT = 200
"""lines on finer pictures that are kept: while one shape is dragged, the others are as they were"""
Alpha = NDArray[np.float32]


@dataclass(frozen=True, slots=True, kw_only=True)
class Soft:
    """Lens softness on a frame. whole: px, of the whole matte; lines: px, by id of the entry, where there is any."""

    whole: float
    lines: dict[int, float]

    def __bool__(self) -> bool:
        return self.whole > 0 or bool(self.lines)


def softens(matte: Matte) -> bool:
    """Whether there is lens softness anywhere in a matte, on any frame."""
    return any(px for _, px in matte.lens) or any(_may(e) for e in matte.entries)


def _may(entry: Entry) -> bool:
    return entry.mode not in FOUND and entry.shape.kind != GROUP and entry.shape.softens


def softness_on(matte: Matte, frame: int) -> Soft:
    """The lens softness of a frame; what is too little to be seen is none."""
    whole = float(matte.lens_at(np.array([frame]))[0]) if matte.lens else 0.0
    lines = {id(e): e.shape.settings_at(frame)[0][4] for e in matte.entries if _may(e) and e.shape.is_live(frame)}
    return Soft(whole=whole if whole >= LEAST else 0.0, lines={of: px for of, px in lines.items() if px >= LEAST})


def with_lenses(matte: Matte, frame: int, box: Box, soft: Soft, rendered: Drawn) -> Rendered:
    """A box of a matte with lens softness. soft: that of the frame. rendered: renders the same frame of any matte."""
    if soft.whole:
        return _whole(matte, frame, box, soft.whole, rendered)
    lines = _Lines(frame, box, soft, rendered)
    alpha = lines.composed(matte)
    return Rendered(alpha=1 - alpha if matte.inverted else alpha, box=box, samples=lines.samples, capped=lines.capped)


def _items(entries: tuple[Entry, ...]) -> Iterator[tuple[list[Entry], Entry | None]]:
    """Lines that count by themselves, and groups that have a line: their lines, and the group's."""
    members: list[Entry] = []
    for entry, group in zip(entries, within(entries), strict=True):
        members.append(entry)
        if group is None:
            line = entry if entry.shape.kind == GROUP else None
            yield members[:-1] if line is not None else members, line
            members = []


class _Lines:
    """Lays the lines of a matte on each other in a box of a frame. samples, capped: see `Rendered`."""

    def __init__(self, frame: int, box: Box, soft: Soft, rendered: Drawn) -> None:
        self.frame, self.box, self.soft, self.rendered = frame, box, soft, rendered
        self.samples, self.capped = 1, False

    def _plain(self, part: Matte, some: Box) -> Rendered:
        done = self.rendered(part, some)
        self._told(done.samples, done.capped)
        return done

    def _told(self, samples: int, capped: bool) -> None:
        self.samples, self.capped = max(self.samples, samples), self.capped or capped

    def composed(self, matte: Matte) -> Alpha:
        """Alpha of the lines from black: those without lens softness together, as many as stand side by side."""
        alpha: Alpha | None = None
        together: list[Entry] = []

        def closed(below: Alpha | None) -> Alpha | None:
            done = laid_over(matte, tuple(together), self.box, below, self._plain) if together else below
            together.clear()
            return done

        for members, line in _items(matte.entries):
            if not any(id(e) in self.soft.lines for e in members):
                together += members if line is None else [*members, line]
                continue
            alpha = closed(alpha)
            if line is None:
                (entry,) = members
                own = self._line(matte, entry)
                opacity = entry.shape.settings_at(self.frame)[0][3] * entry.opacity
            else:
                entry, opacity = line, line.opacity
                own = self.composed(replace(matte, entries=tuple(members), shift=sized_keys(matte.shift, grows(line, None))))
            alpha = _laid(np.zeros_like(own) if alpha is None else alpha, own, entry, opacity)
        alpha = closed(alpha)
        return np.zeros((self.box[3] - self.box[1], self.box[2] - self.box[0]), np.float32) if alpha is None else alpha

    def _line(self, matte: Matte, entry: Entry) -> Alpha:
        """The coverage of a line, softened."""
        lens, softness = entry.shape.lens_kind, self.soft.lines[id(entry)]
        fine, around = fineness(lens, softness), reaches(lens, softness)
        alone = replace(matte, entries=(entry,))
        steps, capped = samples_wanted(alone, self.frame)
        self._told(steps, capped)
        shift = sized_keys(matte.shift, fine * grows(entry, None))
        finer = replace(_on_finer(matte, steps, fine, around), entries=(_finer(entry, fine, around * fine, True),), shift=shift)
        inner = touched_boxes(alone, [entry.shape], [self.frame])[self.frame]
        return _drawn(finer, inner, self.box, (lens, softness, fine), self.rendered)


def _laid(below: Alpha, own: Alpha, entry: Entry, opacity: float) -> Alpha:
    """What a line makes of what lies below it, by the rule of its mode."""
    code, still = MODES[entry.mode].code, np.zeros(own.size, np.float32)
    value, out = own.ravel(), below.ravel()
    apply_line(entry.inverted, opacity, code, value, still)
    mix_moving(code, out, still.copy(), value, still)
    return out.reshape(own.shape)


_lines: LRUCache[tuple[int, int, int, bool], tuple[Entry, Entry]] = LRUCache(KEPT)
_lock = Lock()


def _finer(entry: Entry, fine: int, margin: int, alone: bool) -> Entry:
    """A line on a finer picture with a margin (cells). alone: only its own coverage, sharp and without opacity."""
    key = id(entry), fine, margin, alone
    with _lock:
        found = _lines.get(key)
    if found is not None and found[0] is entry:
        return found[1]
    shape = entry.shape
    if alone:
        values, speeds = shape.settings.values.copy(), shape.settings.speeds.copy()
        values[:, LENS, 1], values[:, OPACITY, 0] = 0.0, 1.0
        speeds[:, LENS, 1], speeds[:, OPACITY, 0] = 0.0 * speeds[:, LENS, 1], 0.0 * speeds[:, OPACITY, 0]
        shape = replace(shape, settings=replace(shape.settings, values=values, speeds=speeds))
    shape = shape if shape.kind == GROUP else sized(shape, float(fine), float(margin))
    made = Entry(shape=shape) if alone else replace(entry, shape=shape)
    with _lock:
        _lines[key] = entry, made
    return made


def _on_finer(matte: Matte, steps: int, fine: int, around: int) -> Matte:
    """A matte without lines on a picture that is so much finer and has so many px more all around. steps: in which its exposure is taken,
    as many as that of the matte itself."""
    size = tuple((px + 2 * around) * fine for px in matte.size)
    return replace(
        matte, size=(size[0], size[1]), entries=(), inverted=False, lens=(), shift=sized_keys(matte.shift, fine),
        shutter=replace(matte.shutter, cap=steps),
    )  # fmt: skip


def _whole(matte: Matte, frame: int, box: Box, softness: float, rendered: Drawn) -> Rendered:
    """A box of a matte that is softened as a whole."""
    fine, around = fineness(matte.lens_kind, softness), reaches(matte.lens_kind, softness)
    steps, capped = samples_wanted(matte, frame)
    finer = replace(_on_finer(matte, steps, fine, around), entries=tuple(_finer(e, fine, around * fine, False) for e in matte.entries))
    inner = box
    if not any(e.inverted or MODES[e.mode].outside != PASS for e in matte.entries):  # else what lies outside counts as well
        shapes = [e.shape for e in matte.entries if e.shape.kind != GROUP]
        inner = touched_boxes(matte, shapes, [frame], live=True)[frame]
    alpha = _drawn(finer, inner, box, (matte.lens_kind, softness, fine), rendered)
    return Rendered(alpha=1 - alpha if matte.inverted else alpha, box=box, samples=steps, capped=capped)


def _drawn(finer: Matte, inner: Box, box: Box, blur: tuple[str, float, int], rendered: Drawn) -> Alpha:
    """Alpha of a box, drawn on a finer picture and blurred, some rows after the other; 0 outside of `inner`."""
    lens, softness, fine = blur
    around = reaches(lens, softness)
    out = np.zeros((box[3] - box[1], box[2] - box[0]), np.float32)
    x0, y0, x1, y1 = max(box[0], inner[0]), max(box[1], inner[1]), min(box[2], inner[2]), min(box[3], inner[3])
    if x1 <= x0:
        return out
    wide = (x1 - x0 + 2 * around) * fine
    rows = max(4 * around, CELLS // (wide * fine) - 2 * around, 8)
    for top in range(y0, y1, rows):
        end = min(top + rows, y1)
        sharp = rendered(finer, (x0 * fine, top * fine, (x1 + 2 * around) * fine, (end + 2 * around) * fine)).alpha
        out[top - box[1] : end - box[1], x0 - box[0] : x1 - box[0]] = blurred(sharp, lens, softness, fine)
    return out
