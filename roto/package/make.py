"""Making a package: what is to be made of each frame, which of it an earlier package has already, and the making itself."""

import contextlib
import os
import shutil
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from roto.atomic_write import put_in_place, temporary_name
from roto.errors import BadRecipe
from roto.matte.matting.fringe import Fringes
from roto.matte.render import Rendered, render_each, samples_wanted
from roto.matte.stack import Matte
from roto.package import compose
from roto.package.cache_keys import frame_keys, named_by
from roto.package.compose import Sources
from roto.package.recipe import Piece, Recipe, timecode
from roto.package.statistics import Measure, measure
from roto.picture import reading_back
from roto.picture.movie_writing import write_movie
from roto.picture.writing import Header, write_still

PLATE, FRAMES = "plate", "frames"
"""folders: of the plate's pictures in a package; beside the package, of the pictures that a movie is made of"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Made:
    """A frame that has been made. at: which piece. samples, capped: as `Rendered` has them. measured: before it was written."""

    at: int
    samples: int
    capped: bool
    measured: Measure


@dataclass(frozen=True, kw_only=True)
class Plan:
    """All that a package is made from and will be. names: of the matte's files, one a piece, or the movie's. plate_names: the same of the
    plate's, where it belongs to the package. keys: names for what each piece is made from. named: names the plate's pictures."""

    sources: Sources
    recipe: Recipe
    recipe_name: str
    version: int
    first: int
    last: int
    pieces: tuple[Piece, ...]
    names: tuple[str, ...]
    plate_names: tuple[str, ...]
    named: Callable[[int], str] | None = None

    @property
    def matte(self) -> Matte:
        """The matte that gives the package its size and rate."""
        return self.sources.first

    @property
    def matte_name(self) -> str:
        """How the mattes are called in names of files."""
        look = self.sources.look if self.recipe.content == "tryout" else None
        return look.name if look is not None else name_of(self.sources.mattes)

    @property
    def size(self) -> tuple[int, int]:
        """Width and height of the pictures, px."""
        return self.recipe.picture_size(self.matte.size)

    @cached_property
    def channels(self) -> tuple[str, ...]:
        """Names of the channels, in order."""
        return compose.channels(self.sources, self.recipe)

    @cached_property
    def keys(self) -> tuple[str, ...]:
        """One a piece."""
        recipe, solver = self.recipe, self.sources.fringes
        of_all = {k: v for k, v in recipe.to_json().items() if k in _OF_PIXELS} | {
            "space": self.sources.space,
            "rate": str(self.matte.rate),
        }
        plate = self.named if recipe.needs_plate and self.named else None
        frames = sorted({p.frame for p in self.pieces})
        if self.recipe.content == "tryout" and self.sources.look is not None:
            keys = named_by(of_all, {frame: self.sources.look.key(frame) for frame in frames})
        else:
            keys = frame_keys(self.sources.mattes, frames, of_all, plate, solver if isinstance(solver, Fringes) else None)
        return tuple(f"{keys[p.frame]}-{self.header(k).timecode}" for k, p in enumerate(self.pieces))

    def header(self, at: int) -> Header:
        """What the still of a piece says of itself."""
        exr = self.recipe.kind.ending == ".exr"
        return Header(
            channels=self.channels,
            rate=self.matte.rate,
            timecode=timecode(self.pieces[at].number, self.matte.rate) if exr else "",
            pixel_aspect=self.recipe.pixel_aspect,
            premultiplied=self.recipe.content == "premultiplied",
            linear=True,
            compression=self.recipe.compression,
        )

    @property
    def _passing_through(self) -> bool:
        """Whether stills are pictures of 8 bits with colours that only go on to an encoder: they lie unpacked, as numpy keeps arrays, since
        packing them would take as long as making them. Those of a movie of mattes are small, and those of 16 bits too large for that."""
        return self.recipe.kind.movie and self.recipe.kind.depth == "8" and len(self.channels) > 1

    def still_names(self, at: int) -> list[str]:
        """Paths, from the package's folder, of the stills of a piece: the matte's, then the plate's."""
        return [self.names[at], *([f"{PLATE}/{self.plate_names[at]}"] if self.plate_names else [])]

    def stills(self, folder: Path, at: int) -> list[Path]:
        """Where the pictures of a piece lie when they are made: in the package, or of a movie in the folder beside it."""
        if not self.recipe.kind.movie:
            return [folder / name for name in self.still_names(at)]
        own = folder.parent / FRAMES
        packed = [own / f"{at}.png", *([own / f"{at}.plate.png"] if self.plate_names else [])]
        if self._passing_through and not packed[0].exists():  # packages of earlier days have them packed
            return [path.with_suffix(".npy") for path in packed]
        return packed


_OF_PIXELS = ("format", "content", "colour", "compression", "size", "width", "height", "pixel_aspect", "plate")
"""fields of a recipe that change what is in a file"""


def name_of(mattes: Sequence[Matte]) -> str:
    """What mattes that are delivered together are called."""
    return "-".join(m.name for m in mattes)


def plan(
    sources: Sources,
    recipe: Recipe,
    *,
    first: int | None = None,
    last: int | None = None,
    version: int = 1,
    recipe_name: str = "",
    named: Callable[[int], str] | None = None,
) -> Plan:
    """What is made of these by a recipe. BadRecipe when it cannot be. first, last: the range, the shot's own when left out."""
    compose.check(sources, recipe)
    matte = sources.first
    first, last = matte.first if first is None else first, matte.last if last is None else last
    if not recipe.pixel_aspect:
        recipe = replace(recipe, pixel_aspect=1.0)
    pieces = recipe.pieces(first, last, (matte.first, matte.last))
    if recipe.needs_plate:
        pieces = _with_a_picture(pieces, recipe, sources.missing)
    called = sources.look.name if recipe.content == "tryout" and sources.look is not None else name_of(sources.mattes)
    said: dict[str, Any] = {"shot": matte.shot, "matte": called, "version": version, "recipe": recipe_name}
    plates = tuple(recipe.names(pieces, part="plate", **said)) if recipe.plate else ()
    return Plan(
        sources=sources, recipe=recipe, recipe_name=recipe_name, version=version, first=first, last=last, pieces=tuple(pieces),
        names=tuple(recipe.names(pieces, **said)), plate_names=plates, named=named,
    )  # fmt: skip


def _with_a_picture(pieces: list[Piece], recipe: Recipe, missing: frozenset[int]) -> list[Piece]:
    """The pieces whose plate has a picture. BadRecipe where some have none and are not to be left out."""
    gone = sorted(p.frame for p in pieces if p.frame in missing)
    if gone and recipe.missing == "stop":
        which = ", ".join(map(str, gone[:4])) + (" and more" if len(gone) > 4 else "")
        raise BadRecipe("missing", f"the plate has no picture of {which}. Leave such frames out, or hold the frame before them.")
    rest = [p for p in pieces if p.frame not in missing]
    if not rest:
        raise BadRecipe("range", "the plate has no picture of any of these frames.")
    return rest


def there(plan: Plan, folder: Path, at: int) -> bool:
    """Whether the pictures of a piece have been made: what is there is whole, since it was renamed into place."""
    return all(path.exists() for path in plan.stills(folder, at))


def make_stills(plan: Plan, which: Iterable[int], folder: Path, workers: int) -> Iterator[Made]:
    """Make the pictures of some pieces; yields each when its files are in place. Stop iterating to stop the work."""
    wanted = list(which)
    for path in plan.stills(folder, 0):
        path.parent.mkdir(parents=True, exist_ok=True)
    if quick(plan):
        yield from _plain_mattes(plan, wanted, folder, workers)
        return
    pool = ThreadPoolExecutor(max(1, workers))
    try:
        yield from pool.map(lambda at: _make(plan, at, folder)[0], wanted)
    finally:
        pool.shutdown(cancel_futures=True)


def quick(plan: Plan) -> bool:
    """Whether stills are made the quick way: many together, straight from the row loop."""
    return plan.recipe.content in ("matte", "inverted") and plan.size == plan.matte.size and not plan.recipe.plate


def _plain_mattes(plan: Plan, wanted: list[int], folder: Path, workers: int) -> Iterator[Made]:
    """The quick way: whole numbers straight from the row loop, outlines of many frames at once."""
    kind = plan.recipe.kind
    depth = kind.depth if kind.depth in compose.STEPS else "float"
    ats = {plan.pieces[at].frame: at for at in wanted}
    flip = plan.recipe.content == "inverted"

    def write(frame: int, done: Rendered) -> Made:
        alpha = done.alpha
        if flip:
            alpha = alpha.dtype.type(compose.STEPS.get(depth, 1)) - alpha
        return _written(plan, ats[frame], folder, alpha, done.samples, done.capped)

    return render_each(plan.matte, ats, write, workers, depth, plan.sources.fringes)


def _make(plan: Plan, at: int, folder: Path) -> tuple[Made, list[NDArray[Any]]]:
    """Make the pictures of a piece; what they measure, and the pictures as they were written."""
    frame = plan.pieces[at].frame
    pictures = [compose.whole_numbers(plan.sources, plan.recipe, frame)]
    taken = [samples_wanted(m, frame) for m in plan.sources.mattes]
    if plan.plate_names:
        pictures.append(compose.numbers(compose.plate_picture(plan.sources, plan.recipe, frame), plan.recipe.kind))
        write_still(plan.stills(folder, at)[1], pictures[1], plan.recipe.kind.depth, replace(plan.header(at), channels=tuple("RGB")))
    return _written(plan, at, folder, pictures[0], max(s for s, _ in taken), any(c for _, c in taken)), pictures


def _written(plan: Plan, at: int, folder: Path, pixels: NDArray[Any], samples: int, capped: bool) -> Made:
    write_still(plan.stills(folder, at)[0], pixels, plan.recipe.kind.depth, plan.header(at))
    kept = pixels.astype(np.float16) if plan.recipe.kind.depth == "half" else pixels
    measured = measure(kept, plan.recipe.content)
    return Made(at=at, samples=samples, capped=capped, measured=measured)


def take_over(plan: Plan, at: int, folder: Path, earlier: list[Path]) -> bool:
    """Take the pictures of a piece from an earlier package, by a hard link or a copy; False where they are not there any more."""
    targets = plan.stills(folder, at)
    if len(earlier) != len(targets) or not all(path.exists() for path in earlier):
        return False
    for source, target in zip(earlier, (t.with_suffix(s.suffix) for s, t in zip(earlier, targets, strict=True)), strict=True):
        with contextlib.suppress(OSError):
            os.link(source, target)  # whole at once, where nothing is there yet and both lie on one disk
            continue
        beside = temporary_name(target)
        try:
            os.link(source, beside)
        except OSError:
            shutil.copyfile(source, beside)
        put_in_place(beside, target, source.stat().st_size)
        beside.unlink(missing_ok=True)  # a rename onto a link to the same file leaves both
    return True


def take_over_all(plan: Plan, folder: Path, wanted: dict[int, list[Path]]) -> set[int]:
    """Take pieces over from an earlier package, by piece the files there; returns which were taken. Whether they are unharmed the proof
    says, by their hash (see `Receipt.harmed`)."""
    for path in plan.stills(folder, 0):
        path.parent.mkdir(parents=True, exist_ok=True)
    return {at for at, files in wanted.items() if take_over(plan, at, folder, files)}


def make_movies(
    plan: Plan,
    folder: Path,
    progress: Callable[[int], None] = lambda done: None,
    made: Callable[[Made], None] = lambda one: None,
    workers: int = 1,
) -> None:
    """The movie (and the plate's, where asked for) from the pictures of all pieces. Those that are not there are made meanwhile, a few
    ahead of the encoder, which leaves some of the processor's time unused. made: hears of each. workers: threads that make them."""
    whole = plan.matte.rate
    for path in plan.stills(folder, 0):
        path.parent.mkdir(parents=True, exist_ok=True)
    for part, name in enumerate([*plan.names, *plan.plate_names]):

        def picture(at: int, part: int = part) -> tuple[NDArray[Any], Made | None]:
            if not there(plan, folder, at):
                new, pictures = _make(plan, at, folder)
                return pictures[part], new
            path = plan.stills(folder, at)[part]
            pixels = reading_back.read_still(path, reading_back.header(path))
            return pixels.astype(pixels.dtype.newbyteorder("="), copy=False), None

        target = folder / (name if part < len(plan.names) else f"{PLATE}/{name}")
        target.parent.mkdir(parents=True, exist_ok=True)
        code = timecode(plan.pieces[0].number, whole)
        pictures = _ahead(picture, len(plan.pieces), progress, made, workers + 1)  # each waits for the disk now and then
        write_movie(target, plan.recipe.format, pictures, whole, timecode=code, pixel_aspect=plan.recipe.pixel_aspect)


def _ahead(
    picture: Callable[[int], tuple[NDArray[Any], Made | None]],
    count: int,
    progress: Callable[[int], None],
    made: Callable[[Made], None],
    workers: int,
) -> Iterator[NDArray[Any]]:
    """Pictures in turn; the next ones are made ready while the encoder is at the one before."""
    pool = ThreadPoolExecutor(workers)
    try:
        coming = [pool.submit(picture, at) for at in range(min(workers + 1, count))]
        for at in range(count):
            pixels, new = coming.pop(0).result()
            if new is not None:
                made(new)
            if at + workers + 1 < count:
                coming.append(pool.submit(picture, at + workers + 1))
            yield pixels
            progress(at + 1)
    finally:
        pool.shutdown(cancel_futures=True)
