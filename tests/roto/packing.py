"""Small packages for the tests, made as the application makes them."""

from dataclasses import replace
from pathlib import Path

import numpy as np

from benchmarks.scenes import blob, matte, shape
from roto.package import documents, make, manifest
from roto.package.compose import Look, Sources
from roto.package.formats import FORMATS
from roto.package.recipe import Recipe
from roto.picture.display import to_light
from roto.tryout import laying

LAST, WIDE, HIGH = 6, 96, 64
KITE = replace(matte(shape(blob((44.0, 30.0), 17.0, 1), "sail", (2.0, 0.5), 1, 3), size=(WIDE, HIGH), angle=180.0), last=LAST)
ARM = replace(matte(shape(blob((30.0, 24.0), 11.0, 2), "arm", (1.0, 1.0)), size=(WIDE, HIGH), angle=180.0), last=LAST, name="arm")
Y, X = np.mgrid[:HIGH, :WIDE]


def plate(frame: int) -> np.ndarray:
    return np.stack([40 + X, 60 + 2 * Y + frame, 120 + 0 * X], axis=2).clip(0, 255).astype(np.uint8)


LOOK = Look(
    name="kite",
    picture=lambda frame: to_light(plate(frame), "display"),
    numbers=lambda frame, depth: laying.numbers(to_light(plate(frame), "display"), depth),
    key=str,
)


def recipe_of(key: str, what: str = "matte", **more) -> Recipe:
    movie = FORMATS[key].movie
    return Recipe(format=key, content=what, pattern="{shot}_{matte}" if movie else "{shot}_{matte}.{frame}", **more)


def made(folder: Path, how: Recipe, mattes=(KITE,), **more):
    """A whole package, as the application makes it; its plan and what was measured."""
    source = Sources(mattes=mattes if how.several else mattes[:1], plate=plate, look=LOOK)
    it = make.plan(source, how, named=str, **more)
    measured = {m.at: m.measured for m in make.make_stills(it, range(len(it.pieces)), folder, 2)}
    folder.mkdir(parents=True, exist_ok=True)
    if how.kind.movie:
        make.make_movies(it, folder)
    listed = [manifest.entry(folder, n, k) for n, k in manifest.all_names(it)]
    listed += [manifest.entry(folder, n, "document") for n in documents.write_all(it, folder)]
    manifest.write(folder, manifest.manifest(it, 1, listed, {}))
    return it, measured
