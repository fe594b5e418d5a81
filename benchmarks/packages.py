"""Packages: how fast they are made, made again and proved, against writing alone; and whether killing workers harms them."""

import os
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

import numpy as np
import OpenImageIO as oiio

from benchmarks.scenes import twelve
from benchmarks.timing import side_by_side
from roto.matte.render import render, render_each
from roto.matte.stack import Matte
from roto.package import documents, make, manifest, proof
from roto.package.compose import Sources
from roto.package.recipe import Recipe
from roto.package.statistics import Measure
from roto.picture.writing import Header, write_still

FRAMES = 100
ROUNDS = 7
WORKERS = os.cpu_count() or 2
Row = tuple[str, str, str]


def scene(frames: int = FRAMES) -> Matte:
    """The twelve shapes with reach and blur in full HD."""
    return replace(twelve(), last=frames)


def made(
    it: Matte, folder: Path, recipe: Recipe, earlier: tuple[make.Plan, Path, dict[int, Measure]] | None = None
) -> tuple[make.Plan, dict[int, Measure], set[int]]:
    """A whole package, as the application makes it, but for its database: its plan, what was measured, which pieces were taken over."""
    plan = make.plan(Sources(mattes=(it,)), recipe)
    folder.mkdir(parents=True, exist_ok=True)
    measured: dict[int, Measure] = {}
    taken: set[int] = set()
    there: dict[str, manifest.FileEntry] = {}
    if earlier is not None:
        old, where, known = earlier
        at_of, there = {key: k for k, key in enumerate(old.keys)}, manifest.listed(manifest.load(where))
        wanted = {at: old.stills(where, at_of[key]) for at, key in enumerate(plan.keys) if key in at_of}
        taken = make.take_over_all(plan, folder, wanted)
        measured |= {at: known[at_of[plan.keys[at]]] for at in taken}
    for one in make.make_stills(plan, [k for k in range(len(plan.pieces)) if k not in taken], folder, WORKERS):
        measured[one.at] = one.measured
    names = documents.write_all(plan, folder)
    files = manifest.entries(folder, plan, {plan.names[at]: there[plan.names[at]] for at in taken}) + [
        manifest.entry(folder, n, "document") for n in names
    ]
    manifest.write(folder, manifest.manifest(plan, 1, files, {}))
    return plan, measured, taken


def proved(plan: make.Plan, folder: Path, measured: dict[int, Measure], taken: set[int] | None = None) -> None:
    receipt = proof.prove(folder, plan, measured, taken=taken or set(), workers=WORKERS)
    if not receipt.proved:
        raise AssertionError(receipt.wrong[:3])


def writing_alone() -> list[Row]:
    """EXR half ZIP: rendering and writing against writing the same pictures alone, both by the same library at the same setting."""
    it = scene()
    with tempfile.TemporaryDirectory() as name, ThreadPoolExecutor(WORKERS) as pool:
        folder, header = Path(name), Header(rate=it.rate)
        kept = [render(it, f).alpha for f in range(1, 13)]

        def alone() -> None:
            list(pool.map(lambda f: write_still(folder / f"a.{f}.exr", kept[f % 12], "half", header), range(1, 49)))

        def whole() -> None:
            def take(frame: int, done: object) -> None:
                write_still(folder / f"b.{frame}.exr", done.alpha, "half", header)  # type: ignore[attr-defined]

            list(render_each(it, range(1, 49), take, WORKERS, "float"))

        took = side_by_side({"alone": alone, "whole": whole}, 5)
    alone_fps, whole_fps = (48 / took[k] * 1000 for k in ("alone", "whole"))
    return [
        (
            "12 shapes to EXR half ZIP, full HD, of writing alone",
            f"{whole_fps / alone_fps:.2f} ({whole_fps:.1f} of {alone_fps:.1f} frames/s)",
            "at least 0.7",
        ),
        exr_settings(kept),
    ]


def exr_settings(kept: list[np.ndarray]) -> Row:
    """How much larger the files of each compression are than the smallest, and how fast they are written."""
    found: dict[str, tuple[float, int]] = {}
    with tempfile.TemporaryDirectory() as name:
        for kind in ("zip", "zips", "piz", "rle", "none"):
            path = Path(name) / "x.exr"
            begin = time.perf_counter()
            for alpha in kept[:6]:
                write_still(path, alpha, "half", Header(compression=kind))
            found[kind] = ((time.perf_counter() - begin) / 6 * 1000, path.stat().st_size)
    least = min(size for _, size in found.values())
    told = ", ".join(f"{kind} {took:.0f} ms {size / least:.1f}" for kind, (took, size) in found.items())
    return ("OpenEXR half, each compression: ms a frame, size of the smallest", told, "zip, as asked for")


def again_and_proof() -> list[Row]:
    """A package made, made again after a change on 3 of 100 frames, and read back, in one run each."""
    it = scene()
    shape = it.entries[6].shape  # the neck: gone on three frames of the second package
    after = it.with_shape(replace(shape, live=((1, 50), (54, FRAMES))))
    return [row for form in ("png16", "exr16") for row in _again(form, it, after)]


def _again(form: str, before: Matte, after: Matte) -> list[Row]:
    """Several times in turns, the median of each: a machine's pace moves."""
    recipe = Recipe(format=form)
    with tempfile.TemporaryDirectory() as name:
        made(replace(before, last=8), Path(name) / "warm", recipe)
        took = np.array([_once(before, after, recipe, Path(name) / str(k)) for k in range(ROUNDS)])
    full, proof_took, again = np.median(took, axis=0)
    a_frame = f"{proof_took * 1000 / FRAMES:.1f} of {full * 1000 / FRAMES:.1f} ms a frame"
    return [
        (
            f"{form}: made and proved again after a change on 3 of {FRAMES}",
            f"{100 * again / (full + proof_took):.1f} % of the first time",
            "under 10 %",
        ),
        (f"{form}: full proof against making", f"{full / proof_took:.2f} times as fast ({a_frame})", "at least 3"),
    ]


def _once(before: Matte, after: Matte, recipe: Recipe, folder: Path) -> tuple[float, float, float]:
    """Seconds that a package takes to be made, to be proved, and to be made and proved again after the change."""
    begin = time.perf_counter()
    plan, measured, _ = made(before, folder / "one", recipe)
    is_made = time.perf_counter()
    proved(plan, folder / "one", measured)
    is_proved = time.perf_counter()
    plan.keys  # noqa: B018 - kept with the earlier package, as the application keeps them
    then = time.perf_counter()
    newer, more, taken = made(after, folder / "two", recipe, (plan, folder / "one", measured))
    proved(newer, folder / "two", more, taken)
    if len(taken) != FRAMES - 3:
        raise AssertionError(f"{len(taken)} frames were taken over")
    return is_made - begin, is_proved - is_made, time.perf_counter() - then


def two_workers() -> list[Row]:
    """Two processes, each held to one core, against one: the frames of a package shared out in chunks."""
    code = (
        "import os, sys; os.sched_setaffinity(0, {int(sys.argv[1])});"
        "from pathlib import Path; from benchmarks.packages import share; share(int(sys.argv[2]), int(sys.argv[3]), Path(sys.argv[4]))"
    )

    def run(count: int, first: int) -> float:
        with tempfile.TemporaryDirectory() as name:
            started = [
                subprocess.Popen(
                    [sys.executable, "-c", code, str((first + k) % WORKERS), str(k), str(count), name],
                    stdin=subprocess.PIPE,
                    stdout=subprocess.PIPE,
                )
                for k in range(count)
            ]
            for process in started:
                assert process.stdout is not None
                process.stdout.readline()  # it is warm
            begin = time.perf_counter()
            for process in started:
                assert process.stdin is not None
                process.stdin.write(b"go\n")
                process.stdin.flush()
            for process in started:
                assert process.stdout is not None
                process.stdout.readline()  # it has made its part
            took = time.perf_counter() - begin
            for process in started:
                process.wait()
            return took

    times = [(run(1, k), run(2, k)) for k in range(6)]  # the one worker on each core in turn
    one, two = (float(np.median([t[k] for t in times])) for k in (0, 1))
    return [
        ("two workers of a core each against one, EXR half", f"{one / two:.2f} times as fast ({one:.1f} and {two:.1f} s)", "at least 1.7")
    ]


def share(which: int, of: int, folder: Path) -> None:
    """A worker's part of a package: every `of`-th chunk of eight frames; waits for a word when it is warm."""
    oiio.attribute("threads", 1)
    plan = make.plan(Sources(mattes=(scene(96),)), Recipe(format="exr16"))
    list(make.make_stills(plan, [0], folder / f"warm{which}", 1))
    print("warm", flush=True)
    sys.stdin.readline()
    chunks = [range(k, k + 8) for k in range(0, 96, 8)]
    for chunk in chunks[which::of]:
        list(make.make_stills(plan, chunk, folder, 1))
    print("made", flush=True)


def movies() -> list[Row]:
    """How far each movie format is from the float matte: alpha of a cut-out, a plain matte as brightness, as another program reads it."""
    from roto.package.formats import FORMATS
    from roto.picture import reading_back

    it = replace(twelve(), last=3)
    ground = np.full((1080, 1920, 3), 90, np.uint8)
    rows: list[Row] = []
    for kind in (f for f in FORMATS.values() if f.movie):
        told = []
        for what in ("straight", "matte") if kind.alpha else ("matte",):
            with tempfile.TemporaryDirectory() as name:
                folder = Path(name) / "package"
                plan = make.plan(
                    Sources(mattes=(it,), plate=lambda frame: ground), Recipe(format=kind.key, content=what, pattern="{matte}")
                )
                list(make.make_stills(plan, range(3), folder, WORKERS))
                folder.mkdir(exist_ok=True)
                make.make_movies(plan, folder)
                path = folder / plan.names[0]
                worst = 0.0
                for k, frame in enumerate(reading_back.movie_frames(path, reading_back.movie_header(path)), 1):
                    got = reading_back.as_unit(frame[..., 3] if what == "straight" else frame[..., 1])
                    worst = max(worst, float(np.abs(got - render(it, k).alpha).max()))
            told.append(f"{'alpha' if what == 'straight' else 'matte'} {worst:.5f}")
        rows.append((f"{kind.says}, 3 full HD frames, worst", ", ".join(told), f"stated: {kind.tolerance:.5f}"))
    return rows
