"""The product's own yardstick: the demo's part-done shots against their true mattes, and what is read from their plates."""

import time
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import distance_transform_edt

from demo.scenes import SHUTTER, Scene, scenes
from demo.tracing import Edit, finished, traced
from roto.matte.analysis.shutter_estimate import NotMoving, read_shutter
from roto.matte.analysis.softness import places_along, read_softness
from roto.matte.matting import fringe
from roto.matte.matting.temporal import between_boxes, motion
from roto.matte.modes import SOLVE
from roto.matte.render import Solved, render
from roto.matte.shutter import Shutter
from roto.matte.stack import Entry, Matte
from roto.motion import edits
from roto.motion.shape import Shape

LOOKS = 4
"""pairs of neighbouring frames of each shot that are looked at"""
Row = tuple[str, str, str]


def demo_matte(scene: Scene, edits_of: Callable[[Scene, str], list[Edit]] = traced) -> Matte:
    """The matte as far as the demo's artist has come; or `finished`."""
    shapes: dict[str, Shape] = {}
    modes: dict[str, str] = {}
    for said in edits_of(scene, "matte"):
        if "track" in said or said["do"] in ("new group", "lock"):
            continue  # nothing rides on it, and no outline goes by it
        one, key = dict(said), said["shape"]
        do, frame = one["do"], one["frame"]
        if do == "trace":
            shapes[key] = edits.trace(key, one["name"], frame, one["points"], one["curves"])
            modes[key] = one.get("mode", "add")
        elif do == "place":
            shapes[key] = edits.place(shapes[key], frame, tuple(one["move"]), one["turn"], one["size"])
        else:
            shapes[key] = edits.soften(shapes[key], frame, inner=one["inner"], outer=one["outer"])
    last = scene.first + scene.frames - 1
    entries = tuple(Entry(shape=s, mode=modes[k]) for k, s in shapes.items())
    return Matte(
        shot=scene.name, name=scene.matte, size=(scene.width, scene.height), rate=Fraction(scene.rate), first=scene.first, last=last,
        shutter=Shutter(angle=SHUTTER), entries=entries,
    )  # fmt: skip


def solver(scene: Scene, steady: bool = True) -> fringe.Fringes:
    """Solves the fringes of a demo shot from its plates."""

    def plate(frame: int) -> fringe.Picture:
        return scene.draw(frame)[0].astype(np.float32) / np.float32(255)

    return fringe.Fringes(lru_cache(12)(plate), lambda f: f"{scene.name} {f}", fringe.InMemory(), steady=steady)


def contour_distance(one: NDArray[np.float32], other: NDArray[np.float32]) -> float:
    """Mean distance (px) of the one's contour at 0.5 from the other's, both ways; NaN where either has none."""

    def contour(alpha: NDArray[np.float32]) -> NDArray[np.bool_]:
        full = alpha >= 0.5
        edge = np.zeros_like(full)
        edge[:, 1:] |= full[:, 1:] != full[:, :-1]
        edge[1:] |= full[1:] != full[:-1]
        return edge

    a, b = contour(one), contour(other)
    if not a.any() or not b.any():
        return float("nan")
    return float((distance_transform_edt(~b)[a].mean() + distance_transform_edt(~a)[b].mean()) / 2)


def against_truth() -> list[Row]:
    """Each demo shot, part-done and traced to the end: mean absolute error, the worst frame's, contour, gradient, flicker."""
    return [_row(scene, how, name) for scene in scenes() for how, name in ((traced, "part-done"), (finished, "finished"))]


def _row(scene: Scene, edits_of: Callable[[Scene, str], list[Edit]], name: str) -> Row:
    matte = demo_matte(scene, edits_of)
    frames = np.linspace(scene.first, scene.first + scene.frames - 2, LOOKS).astype(int)
    solves = solver(scene)
    errors, contours, gradients, flickers = [], [], [], []
    for frame in frames:
        (ours, next_ours), (true, next_true) = zip(
            *[(render(matte, int(f), threads=2, fringes=solves).alpha, scene.draw(int(f))[1]) for f in (frame, frame + 1)], strict=True
        )
        errors.append(float(np.abs(ours - true).mean()))
        contours.append(contour_distance(ours, true))
        gradients.append(float(np.mean([np.abs(np.diff(ours, axis=k) - np.diff(true, axis=k)).mean() for k in (0, 1)])))
        flickers.append(float(np.abs((next_ours - ours) - (next_true - true)).mean()))
    many = [c for c in contours if np.isfinite(c)]
    text = (
        f"error {np.mean(errors):.4f}, worst frame {max(errors):.4f}, contour {np.mean(many) if many else float('nan'):.1f} px, "
        f"gradient {np.mean(gradients):.5f}, flicker {np.mean(flickers):.5f}"
    )
    return f"{scene.name} {name}, against its true matte", text, "0"


def beside(matte: Matte, shape: Shape, frame: int) -> NDArray[np.float32]:
    """Alpha of the matte's other shapes."""
    others = tuple(e for e in matte.entries if e.shape is not shape and e.mode == "add")
    return render(replace(matte, entries=others), frame).alpha


MOVING = (("KITE_010", "kite body"), ("MILL_040", "sail 1"), ("MAKER_030", "sleeve"), ("MAKER_030", "hand"), ("FERRY_020", "deck"))


def shutter() -> list[Row]:
    """The shutter read from the plates where shapes move, with the true motion: the demo is drawn at 180 degrees."""
    rows = []
    for name, moving in MOVING:
        scene = next(s for s in scenes() if s.name == name)
        matte = demo_matte(scene, finished)
        shape = next(e.shape for e in matte.entries if e.shape.name == moving)
        frames = np.arange(scene.first, scene.first + scene.frames)
        before, after = (shape.outline(frames + by, frames)[:, :, :2] for by in (-0.5, 0.5))
        speed = np.hypot(*(after - before).transpose(2, 0, 1)).mean(axis=1)
        chosen = np.argsort(-speed)[:24:4]
        looks = []
        for k in chosen:
            plate = scene.draw(int(frames[k]))[0].astype(np.float32) / 255
            looks.append((plate, shape.outlines(frames[k : k + 1])[0], after[k] - before[k], beside(matte, shape, int(frames[k]))))
        try:
            read = read_shutter(looks)
            text = f"{read.angle:.0f} degrees, give or take {read.give:.0f}, from {read.places} places"
        except NotMoving:
            text = "unknown: the outline does not move enough, or the picture shows too little of it"
        rows.append((f"shutter read from the plate, {shape.name} of {scene.name}", text, "180, within 20"))
    return rows


def softness() -> list[Row]:
    """Softness read from the plates of KITE and MAKER against that of their true mattes, at the same places."""
    rows = []
    for scene in scenes():
        if scene.name not in ("KITE_010", "MAKER_030"):
            continue
        matte = demo_matte(scene)
        frame = scene.first + (0 if scene.name == "MAKER_030" else scene.frames // 3)
        plate, true = scene.draw(frame)
        shape = matte.entries[0].shape
        outline = shape.outlines(np.array([frame]))[0]
        ends = shape.outline(np.array(matte.shutter.exposure(frame)), frame)
        moved = ends[1, :, :2] - ends[0, :, :2]
        others = beside(matte, shape, frame)
        read = read_softness(plate.astype(np.float32) / 255, outline, moved, others)
        column, row = np.clip(np.floor(places_along(outline)[1]).astype(int), 0, np.array(matte.size) - 1).T
        open_to_view = others[row, column] < 0.5
        known = np.isfinite(read.width)
        wanted = read_softness(np.repeat(true[:, :, None], 3, axis=2).astype(np.float32), outline, moved)
        both = np.isfinite(read.width) & np.isfinite(wanted.width) & (wanted.width > 0.5)
        right = np.abs(read.width[both] / wanted.width[both] - 1) < 0.2
        off = np.median(np.abs(read.width[both] / wanted.width[both] - 1))
        share = f"known on {100 * read.known:.0f} % of the outline, {100 * known[open_to_view].mean():.0f} % of what no other shape covers"
        text = f"{share}, there within 20 % on {100 * right.mean():.0f} %, median off by {100 * off:.0f} %"
        rows.append((f"softness read from the plate, {shape.name} of {scene.name}", text, "known on 70 %, right within 20 %"))
    return rows


TUFTS = range(1030, 1050)
"""frames of MAKER on which the hat's tufts are looked at"""
LARGE = 60_000
"""unknown pixels that are to be solved within two seconds"""


def tufts() -> list[Row]:
    """The tufts of MAKER's hat: error in the band, flicker by frame alone and steadied, and how long a frame takes."""
    scene = next(s for s in scenes() if s.name == "MAKER_030")
    matte = demo_matte(scene)
    at = next(k for k, e in enumerate(matte.entries) if e.mode == SOLVE)
    solves = {steady: solver(scene, steady) for steady in (False, True)}
    errors: dict[bool, list[float]] = {False: [], True: []}
    flickers: dict[str, list[float]] = {name: [] for name in ("plain", "alone", "steady", "alone, followed", "steady, followed")}
    before: dict[str, Solved] = {}
    true_before = None
    for frame in TUFTS:
        true = scene.draw(frame)[1]
        plain = solves[False].keep.get(solves[False].key(matte, at, frame)) if solves[False].solved(matte, at, frame) else None
        found = {"plain": plain, "alone": solves[False].solved(matte, at, frame), "steady": solves[True].solved(matte, at, frame)}
        moved = motion(matte.entries[at].shape, frame - 1, frame)
        for name, it in found.items():
            assert it is not None
            if name != "plain":
                x0, y0, x1, y1 = it.box
                errors[name == "steady"].append(float(np.abs(it.alpha - true[y0:y1, x0:x1])[it.unknown].mean()))
            if name in before and true_before is not None:
                flickers[name].append(_flicker(before[name], it, true_before, true))
                if name != "plain":
                    flickers[name + ", followed"].append(_flicker(before[name], it, true_before, true, moved))
            before[name] = it
        true_before = true
    flicker = {name: float(np.mean(values)) for name, values in flickers.items()}
    rows = [
        (
            f"alpha in the band of MAKER's hat, {len(TUFTS)} frames, mean error",
            f"{np.mean(errors[True]):.4f}, worst frame {max(errors[True]):.4f}",
            "0.06",
        ),
        (
            "flicker there, steadied, of that of frame by frame as the method has it",
            f"{flicker['steady'] / flicker['plain']:.2f}",
            "0.50",
        ),
        ("of that of frame by frame, cleaned of grain too", f"{flicker['steady'] / flicker['alone']:.2f}", "0.50"),
        ("the same, where the hat's movement is followed", f"{flicker['steady, followed'] / flicker['alone, followed']:.2f}", "0.50"),
    ]
    grow = np.sqrt(LARGE / before["alone"].unknown.sum())
    band = fringe.band_of(_sized(matte, at, float(grow)), at, TUFTS[-1], lambda part, box: render(part, TUFTS[-1], box=box).alpha)
    assert band is not None
    picture = scene.draw(TUFTS[-1])[0].astype(np.float32) / np.float32(255)
    times = []
    for _ in range(5):
        begin = time.perf_counter()
        fringe.solve(band, picture)
        times.append(time.perf_counter() - begin)
    rows.append((f"one frame with {band.unknown.sum()} unknown pixels in full HD", f"{np.median(times):.2f} s", "2 s"))
    return rows


def _sized(matte: Matte, at: int, factor: float) -> Matte:
    """The matte with its fringe's band so many times as large."""
    band = matte.entries[at].shape
    return matte.with_shape(edits.place(band, TUFTS[-1], (0.0, 0.0), 0.0, factor))


def _flicker(
    one: Solved, two: Solved, true_one: NDArray[np.float32], true_two: NDArray[np.float32], moved: NDArray[np.float64] | None = None
) -> float:
    """By how much the error of alpha changes from one frame to the next, where both were solved: pixel by pixel, or following `moved`."""
    (x0, y0, x1, y1), (a0, b0, a1, b1) = two.box, one.box
    here = two.alpha - true_two[y0:y1, x0:x1]
    way = between_boxes(np.eye(2, 3) if moved is None else moved, one.box, two.box)
    before, known = (
        cv2.warpAffine(v.astype(np.float32), way, (x1 - x0, y1 - y0)) for v in (one.alpha - true_one[b0:b1, a0:a1], one.unknown)
    )
    return float(np.abs(here - before)[two.unknown & (known > 0.99)].mean())
