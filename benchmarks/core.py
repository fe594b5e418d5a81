"""The core against general libraries: accuracy of coverage, blurred matte, reach, a whole sequence."""

import os
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from benchmarks import general
from benchmarks.scenes import FULL_HD, blob, matte, shape, twelve
from benchmarks.timing import side_by_side
from roto.curve.flatten import polygon
from roto.matte.render import render, render_each
from roto.matte.stack import Matte
from roto.motion.keys import Keys
from roto.motion.shape import Shape, settings_values
from roto.picture import stills

LEVELS = (1, 2, 3)
"""at which the general library writes PNGs in `sequence`"""
TRUTH_SIDES = 1e-5
"""px: how close the truth's sides lie to the curve"""


def coverage_accuracy() -> list[tuple[str, str, str]]:
    """Static 40-point shapes, crossings included, against exact polygon clipping."""
    size = (220, 200)
    worst, edge_sum, edge_count = 0.0, 0.0, 0
    others = {"cairo": 0.0, "skia": 0.0}
    for seed in range(8):
        points = blob((110.3, 100.7), 70.0, seed, cross=0.0 if seed % 2 else 0.12)
        truth = general.exact_areas(general.filled_area(polygon(points, TRUTH_SIDES)), size)
        error = np.abs(render(matte(shape(points, "a"), size=size), 1).alpha - truth)
        edge = (truth > 1e-9) & (truth < 1 - 1e-9)
        worst = max(worst, float(error.max()))
        edge_sum += float(error[edge].sum())
        edge_count += int(edge.sum())
        for name, draw in (("cairo", general.cairo_alpha), ("skia", general.skia_alpha)):
            others[name] += float(np.abs(draw(points, size) / 255.0 - truth)[edge].sum())
    means = ", ".join(f"{name} {total / edge_count:.4f}" for name, total in others.items())
    return [
        ("coverage, worst pixel", f"{worst:.5f}", "under 0.004"),
        ("coverage, mean over edge pixels", f"{edge_sum / edge_count:.6f} (same: {means})", "under 0.0005"),
    ]


def blurred_matte() -> list[tuple[str, str, str]]:
    """Full HD, 40 points, 16 samples, against two libraries drawing and averaging the same 16 outlines."""
    moving = shape(blob((960.0, 540.0), 300.0, 3), "a", move=(24.0, 6.0))
    it = matte(moving, angle=180.0, cap=16)
    moments = moving.outline(it.shutter.moments(50, 16), 50)
    moments[:, :, 0] -= moments[8, :, 0].mean() - 960.0
    moments[:, :, 1] -= moments[8, :, 1].mean() - 540.0
    rows = []
    times = side_by_side(
        {
            "ours": lambda: render(it, 1),
            "cairo": lambda: general.averaged(general.cairo_alpha, moments, FULL_HD),
            "skia": lambda: general.averaged(general.skia_alpha, moments, FULL_HD),
        }
    )
    ours = times.pop("ours")
    fastest = min((took, name) for name, took in times.items())
    assert render(it, 1).samples == 16
    rows.append(
        (
            "blurred matte, 16 samples, full HD",
            f"{ours / fastest[0]:.2f} ({ours:.1f} ms; {fastest[1]} {fastest[0]:.1f} ms)",
            "at most 0.5, aim 0.25",
        )
    )
    return rows


def reach() -> list[tuple[str, str, str]]:
    """A reach of 20 px on one shape, against exact distance transforms of the same picture."""
    points = blob((960.0, 540.0), 300.0, 3)
    it = matte(shape(points, "a", inner=20.0, outer=20.0))
    filled = render(matte(shape(points, "a")), 1).alpha > 0.5
    times = side_by_side(
        {"ours": lambda: render(it, 1), "OpenCV": lambda: general.opencv_distance(filled), "scipy": lambda: general.scipy_distance(filled)},
        5,
    )
    ours = times.pop("ours")
    name = min(times, key=times.__getitem__)
    alpha = render(it, 1).alpha
    sides = polygon(points, TRUTH_SIDES)
    rng = np.random.default_rng(1)
    y, x = np.nonzero((alpha > 0.05) & (alpha < 0.95))
    some = rng.choice(len(x), 1500, replace=False)
    import shapely

    ring = shapely.LinearRing(sides)
    away = shapely.distance(ring, shapely.points(x[some] + 0.5, y[some] + 0.5))
    got = np.abs(alpha[y[some], x[some]] * 40.0 - 20.0)
    off = np.abs(got - away)
    times_text = ", ".join(f"{k} {v:.1f} ms" for k, v in times.items())
    return [
        ("reach of 20 px, full HD", f"{ours / times[name]:.2f} ({ours:.1f} ms; {times_text})", "at most 0.5"),
        ("reach, distance from the edge", f"99.5 % within {np.percentile(off, 99.5):.4f} px, median {np.median(off):.5f}", "0.02 px"),
    ]


def sequence(frames: int = 100) -> list[tuple[str, str, str]]:
    """Twelve shapes with reach and blur in full HD to 16-bit PNG, against writing the same pictures alone by the general library.

    That one writes at its fastest setting whose files are within 1.5 times its smallest: of its levels 1, 2 and 3, which are nearly alike,
    the one that is fastest in this run (`png_settings` tells of all). Ours are smaller.
    """
    it = twelve()
    workers = os.cpu_count() or 2
    with tempfile.TemporaryDirectory() as name, ThreadPoolExecutor(workers) as pool:
        folder = Path(name)
        kept = [render(it, f, depth="16").alpha for f in range(1, 13)]

        def write(frame: int, alpha: NDArray[np.uint16]) -> None:
            stills.write_matte(folder / f"a.{frame}.png", alpha, "16")

        def write_generally(frame: int, level: int) -> None:
            stills.write_grey(folder / f"b.{frame}.png", kept[frame % len(kept)], level=level)

        def whole(numbers: range) -> None:
            list(render_each(it, numbers, lambda frame, done: write(frame, done.alpha), workers, "16"))

        def written(numbers: range, level: int) -> None:
            list(pool.map(lambda frame: write_generally(frame, level), numbers))

        whole(range(1, 5))
        numbers = range(1, frames + 1)
        runs = {
            "ours": lambda: whole(numbers),
            **{f"level {k}": lambda k=k: written(numbers, k) for k in LEVELS},
            "own": lambda: list(pool.map(lambda f: write(f, kept[f % len(kept)]), numbers)),
        }
        ours, *levels, own = (frames / took * 1000 for took in side_by_side(runs, 5).values())
        alone = max(levels)
        sizes = [sum(p.stat().st_size for p in folder.glob(f"{kind}.*")) for kind in "ab"]
    return [
        (
            "sequence, 12 shapes, 100 frames, PNG-16",
            f"{ours / alone:.2f} ({ours:.1f} frames/s; writing alone by OpenImageIO {alone:.1f} at level {LEVELS[levels.index(alone)]}, "
            f"files {sizes[0] / sizes[1]:.2f} of its; "
            f"our writing alone {own:.1f})",
            "at least 0.85",
        ),
        png_settings(kept),
    ]


def _bare(it: Matte) -> Matte:
    hard = Keys.build([1], settings_values()[None])
    return replace(it, entries=tuple(replace(e, shape=replace(e.shape, settings=hard)) for e in it.entries))


def _each(it: Shape, low: float, high: float) -> Shape:
    """A reach of each point, between two widths, in waves along the outline."""
    turn = np.arange(it.form.parts) / it.form.parts * 2 * np.pi
    middle, swing = (low + high) / 2, (high - low) / 2
    reach = np.stack([middle + swing * np.sin(turn), middle + swing * np.cos(turn)], axis=1)
    return replace(it, reach=Keys.build([1], reach[None]), own=(True,) * it.form.parts)


def varying_reach() -> list[tuple[str, str, str]]:
    """Twelve shapes with a reach per point against the same without a reach; and one shape against exact distance transforms."""
    it = twelve()
    fast = tuple(replace(e, shape=replace(e.shape, place=replace(e.shape.place, values=e.shape.place.values * 4.5))) for e in it.entries)
    it = replace(it, entries=fast, shutter=replace(it.shutter, cap=16))
    hard = _bare(it)
    soft = replace(it, entries=tuple(replace(e, shape=_each(e.shape, 1.0, 6.0)) for e in it.entries))
    times = side_by_side({"hard": lambda: render(hard, 1), "soft": lambda: render(soft, 1)})
    steps = render(hard, 1).samples, render(soft, 1).samples
    one = matte(shape(blob((960.0, 540.0), 300.0, 3), "a"))
    one = replace(one, entries=(replace(one.entries[0], shape=_each(one.entries[0].shape, 20.0, 20.0)),))
    filled = render(one, 1).alpha > 0.5
    single = side_by_side(
        {
            "ours": lambda: render(one, 1),
            "OpenCV": lambda: general.opencv_distance(filled),
            "scipy": lambda: general.scipy_distance(filled),
        },
        5,
    )
    ours = single.pop("ours")
    general_ms = min(single.values())
    return [
        (
            "12 shapes with a reach per point, full HD, against none",
            f"{times['soft'] / times['hard']:.2f} ({times['soft']:.1f} ms in {steps[1]} steps; none {times['hard']:.1f} ms in {steps[0]})",
            "at most 3",
        ),
        ("reach per point of 20 px, full HD", f"{ours / general_ms:.2f} ({ours:.1f} ms; general {general_ms:.1f} ms)", "at most 0.5"),
    ]


def png_settings(pictures: list[np.ndarray]) -> tuple[str, str, str]:
    """Whether the PNG settings in use are the fastest whose files are within 1.5 times the smallest."""
    import OpenImageIO as oiio

    found: list[tuple[float, int, int, int]] = []
    with tempfile.TemporaryDirectory() as name:
        for level in (1, 2, 3, 4, 6, 9):
            for mask in (8, 16, 32, 64, 128, 248):
                size, took = 0, 0.0
                for k, alpha in enumerate(pictures[:4]):
                    pixels = stills.quantise(alpha, "16")
                    spec = oiio.ImageSpec(pixels.shape[1], pixels.shape[0], 1, "uint16")
                    spec.attribute("png:compressionLevel", level)
                    spec.attribute("png:filter", mask)
                    path = Path(name) / f"{k}.png"
                    begin = time.perf_counter()
                    stills.write(path, spec, pixels)
                    took += time.perf_counter() - begin
                    size += path.stat().st_size
                found.append((took / 4 * 1000, size, level, mask))
    smallest = min(size for _, size, _, _ in found)
    took, size, level, mask = min(f for f in found if f[1] <= 1.5 * smallest)
    mine = next(f for f in found if f[2:] == (stills.PNG_LEVEL, stills.PNG_NO_FILTER))
    return (
        "PNG-16 settings in use",
        f"level {mine[2]}, filter {mine[3]}: {mine[0]:.1f} ms, {mine[1] / smallest:.2f} of the smallest; "
        f"fastest allowed: level {level}, filter {mask}: {took:.1f} ms, {size / smallest:.2f}",
        "the fastest within 1.5 of the smallest",
    )
