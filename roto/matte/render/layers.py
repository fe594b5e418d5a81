"""A frame made ready for the row loop: its lines in runs, its outlines as polygons, their soft edges."""

from dataclasses import dataclass, replace
from itertools import groupby
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.curve.flatten import flatten
from roto.errors import BadGeometry
from roto.matte.feather import profile
from roto.matte.feather.along_outline import along
from roto.matte.feather.integral import integral
from roto.matte.modes import FOUND, MODES
from roto.matte.raster.edges import Geometry, edges_of, into_rows
from roto.matte.raster.folding import CLOSES, OPENS
from roto.matte.render import runs
from roto.matte.render.exposure import Live, counts_of, steps_of
from roto.matte.render.remembered import live_on
from roto.matte.render.results import Box
from roto.matte.render.runs import Feathers, Stack
from roto.matte.render.scanline import Frame
from roto.matte.stack import Matte
from roto.tolerances import FLATTEN_COVERAGE, FLATTEN_REACH, LEAST_DEEP, THIN_REACH

NOTHING: Floats = np.zeros((1, 0, 6))
"""points of an outline that lies elsewhere"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Layers:
    """The outlines of a frame as polygons, an outline at a moment being a layer.

    steps: of the exposure; capped: whether more were wanted; counts: int64 (entries,), in how many steps of its own each is looked at.
    polygons: int64 (2, steps, entries), which layer counts in each step; for deep runs, those at both ends of the entry's own step. most:
    edges of one layer in any one row.
    """

    live: list[Live]
    steps: int
    capped: bool
    counts: NDArray[np.int64]
    geometry: Geometry
    polygons: NDArray[np.int64]
    most: int


def layers_of(matte: Matte, frame: int, live: list[Live], box: Box) -> Layers:
    """The layers of a box of a frame. Whether an outline has corners is known once it is flattened; corners may ask for more steps. An
    outline that lies elsewhere is an empty layer, unless its corners could."""
    apart = [one.misses(box) for one in live]
    rows = box[1], box[3]
    made = _as_guessed(matte, frame, live, apart, rows)
    while made is None:
        tried, live, _ = _made(matte, frame, live, apart, rows)
        steps, capped = steps_of(live, matte.shutter.cap)
        made = replace(tried, capped=capped) if (tried.steps, tried.counts.tolist()) == (steps, counts_of(live, steps)) else None
    return made


def _as_guessed(matte: Matte, frame: int, live: list[Live], apart: list[bool], rows: tuple[int, int]) -> Layers | None:
    """The layers as they are where all that is guessed holds, and nothing else is unknown; else None. An outline that has corners at an
    end of the exposure has them in however many steps it is looked at."""
    unknown = [not one.still and one.kind == runs.DEEP and not one.sure for one in live]
    if not any(unknown) or not all(one.guess for one, open_ in zip(live, unknown, strict=True) if open_):
        return None
    wanted = [replace(one, corners=True) if open_ else one for one, open_ in zip(live, unknown, strict=True)]
    made, _, ends = _made(matte, frame, wanted, apart, rows)
    held = all(sharp for sharp, open_ in zip(ends, unknown, strict=True) if open_)
    return replace(made, live=[replace(one, sure=one.sure or open_) for one, open_ in zip(wanted, unknown, strict=True)]) if held else None


def _made(matte: Matte, frame: int, live: list[Live], apart: list[bool], rows: tuple[int, int]) -> tuple[Layers, list[Live], list[bool]]:
    """The layers in as many steps as are wanted by what is known; what is known then; and which entries have corners at an end."""
    steps, capped = steps_of(live, matte.shutter.cap)
    most = max((one.steps for one in live if not one.still), default=1)
    left = [away and one.most_steps <= most for one, away in zip(live, apart, strict=True)]
    counts = counts_of(live, steps)
    points = [NOTHING if out else one.looks(matte.shutter, frame, n) for one, n, out in zip(live, counts, left, strict=True)]
    pads = [0.0 if out else one.pad_in(n) for one, n, out in zip(live, counts, left, strict=True)]
    flat = _flattened(live, points)
    geometry, longest, corners = flat.geometry(pads, points, *rows)
    begin, end = np.array(flat.first), np.array([f + len(p) - 1 for f, p in zip(flat.first, points, strict=True)])
    sharp = [bool(corners[b : e + 1].any()) for b, e in zip(begin, end, strict=True)]
    known = [one if out else _looked_at(one, has) for one, out, has in zip(live, left, sharp, strict=True)]
    at = begin + np.arange(steps)[:, None] * np.array(counts) // steps
    polygons = np.minimum(np.stack([at, at + 1]), end)
    made = Layers(live=known, steps=steps, capped=capped, counts=np.array(counts), geometry=geometry, polygons=polygons, most=longest)
    return made, known, [bool(corners[b] or corners[e]) for b, e in zip(begin, end, strict=True)]


def _looked_at(one: Live, sharp: bool) -> Live:
    if one.kind != runs.DEEP or (one.sure and (one.corners or not sharp)):
        return one
    return replace(one, corners=one.corners or sharp, sure=True)


def samples_wanted(matte: Matte, frame: int) -> tuple[int, bool]:
    """In how many steps this frame's exposure is taken, and whether the cap cut them down."""
    matte = replace(matte, entries=tuple(e for e in matte.entries if e.mode not in FOUND))
    live = live_on(matte, frame) if matte.shutter.angle else []
    if all(one.still for one in live):
        return 1, False
    made = layers_of(matte, frame, live, (0, 0, 1, 1))
    return made.steps, made.capped


@dataclass(frozen=True, slots=True, kw_only=True)
class _Flat:
    """Flattened outlines. vertices: (V, 2); reach: (V, 2), inner and outer at each. begin: where each layer's vertices begin, and the end.
    varies: by layer, whether its reach does. first: by entry, its first layer."""

    vertices: Floats
    reach: Floats
    begin: NDArray[np.int64]
    varies: NDArray[np.bool_]
    first: list[int]

    def geometry(self, pads: list[float], points: list[Floats], top: int, bottom: int) -> tuple[Geometry, int, NDArray[np.bool_]]:
        """The edges, by entry as far around as `pads` (px) says; the most of one layer in a row; which layers have corners."""
        far = np.repeat(np.array(pads), [len(p) for p in points])
        ends, edges, ways, use, starts, corners = edges_of(self.vertices, self.begin, far, self.reach, self.varies)
        rows, items, most = into_rows(ends, edges, starts, far, top, bottom)
        return Geometry(ends, edges, ways, use, rows, items), most, corners


def _flattened(live: list[Live], points: list[Floats]) -> _Flat:
    vertices: list[Floats] = []
    reach: list[Floats] = []
    varies: list[bool] = []
    begin, first = [0], []
    for one, outline in zip(live, points, strict=True):
        distances = one.kind == runs.DEEP or (one.kind == runs.VARYING and one.thinnest > THIN_REACH)
        tolerance = FLATTEN_REACH if distances else FLATTEN_COVERAGE
        if outline is NOTHING:
            first.append(len(varies))
            varies.append(False)
            begin.append(begin[-1])
            continue
        flat, starts = flatten(outline, tolerance)
        reach.append(np.zeros((len(flat), 2)) if one.reaches is None else along(outline, flat, starts, tolerance, one.reaches))
        first.append(len(varies))
        varies.extend([one.reaches is not None] * len(outline))
        begin.extend(begin[-1] + starts[1:])
        vertices.append(flat)
    whole, soft = (np.concatenate([np.zeros((0, 2)), *some]) for some in (vertices, reach))
    if not np.isfinite(whole).all():
        raise BadGeometry("An outline has a point that is not a number.")
    return _Flat(vertices=whole, reach=soft, begin=np.array(begin), varies=np.array(varies), first=first)


class _Line(NamedTuple):
    """A line of the stack, or a mark of a group, as the row loop has it. at: which of the live entries it is, -1 for marks."""

    kind: int
    mode: int
    inverted: bool
    opacity: float
    at: int


def _lines(live: list[Live]) -> list[_Line]:
    """The live entries with marks where groups begin and end. A group of nothing but areas combines as areas with its neighbours."""
    out: list[_Line] = []
    for _, together in groupby(enumerate(live), key=lambda numbered: id(numbered[1].within)):
        some = list(together)
        group = some[0][1].within
        own = [_Line(one.kind, _code(one.entry.mode), one.entry.inverted, one.opacity, at) for at, one in some]
        if group is not None:
            areas = group.opacity == 1.0 and all(line.kind == runs.AREA for line in own)
            opens, closes, mark = (runs.AREA, runs.AREA, CLOSES) if areas else (runs.OPEN, runs.CLOSE, 0)
            own = [
                _Line(opens, OPENS, False, 1.0, -1),
                *own,
                _Line(closes, _code(group.mode) + mark, group.inverted, group.opacity, -1),
            ]
        out.extend(own)
    return out


def _code(mode: str) -> int:
    """The number of a mode that combines shapes."""
    code = MODES[mode].code
    assert code is not None, "fringes are laid on by `fringes`"
    return code


def _runs(lines: list[_Line]) -> NDArray[np.int64]:
    """Neighbouring lines that combine as areas stand together; the others each stand alone."""
    out: list[list[int]] = []
    for i, line in enumerate(lines):
        if line.kind == runs.AREA and out and out[-1][0] == runs.AREA:
            out[-1][2] = i + 1
        else:
            out.append([line.kind, i, i + 1])
    return np.array(out, dtype=np.int64).reshape(-1, 3)


def _feathers(live: list[Live]) -> Feathers:
    """The soft edges of the live entries; the integrals that are in use are there once."""
    soft = np.array([[one.inner, one.outer, one.shift, one.thinnest if one.kind == runs.VARYING else one.into] for one in live])
    some = [profile.parts(one.entry.shape.profile) for one in live]
    curves = np.zeros((len(live), max(len(parts) for parts in some), 6))
    which = np.full(curves.shape[:2], -1)
    wanted: dict[tuple[str, int, float], int] = {("straight", 0, 1.0): 0}  # one, where none is asked for
    for at, (one, parts) in enumerate(zip(live, some, strict=True)):
        curves[at, : len(parts)] = parts
        if one.kind == runs.DEEP:
            reach = max(one.inner + one.outer, LEAST_DEEP)
            which[at, : len(parts)] = [wanted.setdefault((one.entry.shape.profile, p, reach), len(wanted)) for p in range(len(parts))]
    made = [integral(*key) for key in wanted]
    cubics, tables, beyond = (np.stack([getattr(m, name) for m in made]) for name in ("cubics", "tables", "beyond"))
    return Feathers(soft, curves, which, cubics, tables, beyond, np.array([[m.whole, m.begins] for m in made]))


def frame_of(made: Layers, matte: Matte, box: Box, top: int) -> Frame:
    """What the row loop needs to draw a box of a frame. top: what stands for 1 in the picture (see `DEPTHS`)."""
    lines = _lines(made.live)
    at = np.array([line.at for line in lines])
    stack = Stack(
        runs=_runs(lines),
        mode=np.array([line.mode for line in lines], np.int64),
        invert=np.array([line.inverted for line in lines]),
        opacity=np.array([line.opacity for line in lines]),
        counts=np.where(at >= 0, made.counts[at], 1),
    )
    feathers = _feathers(made.live)
    feathers = feathers._replace(soft=feathers.soft[at], curves=feathers.curves[at], which=feathers.which[at])
    layers = np.where(at >= 0, made.polygons[..., at], -1)  # what marks have of the rest, the last entry's, is never asked for
    layers = np.ascontiguousarray(layers)  # else the row loop is compiled for each order that they may be in
    return Frame(
        box=(box[0], box[2], matte.size[0]), origin=box[1], steps=made.steps, stack=stack, feathers=feathers, layers=layers,
        geometry=made.geometry, most=made.most, inverted=matte.inverted, top=top,
    )  # fmt: skip
