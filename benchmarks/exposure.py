"""The blurred edge against exact areas at many moments of the exposure; and what larger pictures cost."""

import resource
import subprocess
import sys
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from benchmarks import general
from benchmarks.scenes import blob, matte, shape, twelve
from benchmarks.timing import side_by_side
from roto.curve.flatten import polygon
from roto.matte.render import render
from roto.matte.stack import Matte
from roto.matte.thumbnails import sized
from roto.motion import edits
from roto.motion.shape import Shape

EXPOSURES = 256
SIZE = (150, 110)
SIDES = 1e-3
"""px: how close the truth's sides lie to the curve; at 256 moments the rest is of no account"""
FRAME = 50
Row = tuple[str, str, str]


def truth_of(one: Shape, size: tuple[int, int], angle: float) -> NDArray[np.float64]:
    """The mean over the exposure of the exact area of each pixel inside the outline."""
    it = matte(one, size=size, angle=angle)
    outlines = one.outline(it.shutter.moments(FRAME, EXPOSURES), FRAME)
    return np.mean([general.exact_areas(general.filled_area(polygon(points, SIDES)), size) for points in outlines], axis=0)


def blurred_edges() -> list[Row]:
    """A shape of 16 points that slides, and one that slides and turns, at two speeds (px a frame), shutter 180 degrees."""
    rows = []
    for speed in (12.0, 60.0):
        for turn in (0.0, 6.0):
            start = shape(blob((75.0 - 0.4 * speed * 0.5, 55.0), 30.0, 4, n=16), "a")
            moved = edits.place(edits.place(start, FRAME - 4, (0.0, 0.0)), FRAME + 4, (8 * speed, 2 * speed), 8 * turn)
            middle = moved.outline(np.array([float(FRAME)]), FRAME)[0, :, :2].mean(axis=0)
            moved = edits.place(moved, FRAME - 4, (75.0 - middle[0], 55.0 - middle[1]))
            moved = edits.place(moved, FRAME + 4, (75.0 - middle[0], 55.0 - middle[1]))
            true = truth_of(moved, SIZE, 180.0)
            done = render(matte(moved, size=SIZE, angle=180.0), FRAME)
            error = np.abs(done.alpha - true)
            edge = (true > 1e-6) & (true < 1 - 1e-6)
            says = "sliding and turning" if turn else "sliding"
            text = f"mean {error[edge].mean():.5f}, worst {error.max():.4f}, {done.samples} steps"
            rows.append((f"blurred edge, {says} at {speed:.0f} px a frame, {EXPOSURES} exposures", text, "mean 0.001, worst 0.006"))
    return rows


def larger(factor: float) -> Matte:
    """The twelve shapes in full HD, all of it so many times as large."""
    it = twelve()
    entries = tuple(replace(e, shape=sized(e.shape, factor)) for e in it.entries)
    return replace(it, size=(round(it.size[0] * factor), round(it.size[1] * factor)), entries=entries)


def sizes() -> list[Row]:
    """Twelve shapes with reach in 4K against full HD at as many samples; memory of a render at 8K in float frames."""
    small, large = larger(1.0), larger(2.0)
    times = side_by_side({"full HD": lambda: render(small, 1, cap=16), "4K": lambda: render(large, 1, cap=16)})
    counts = [render(it, 1, cap=16).samples for it in (small, large)]
    rows = [("4K, of full HD, 12 shapes", f"{times['4K'] / times['full HD']:.2f} ({counts[1]} and {counts[0]} samples)", "at most 4.5")]
    run = subprocess.run([sys.executable, "-m", "benchmarks.exposure"], capture_output=True, text=True, check=True)
    rows.append(("memory of a render at 8K beyond what the program takes, in float frames", run.stdout.strip(), "below 6"))
    return rows


def memory() -> float:
    """How much a render at 8K adds to the process's largest size, in float32 frames of that size; compiled code is in memory before."""
    render(larger(0.25), 1)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    done = render(larger(4.0), 1)
    return (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) * 1024 / done.alpha.nbytes


if __name__ == "__main__":
    print(f"{memory():.2f}", end="")
