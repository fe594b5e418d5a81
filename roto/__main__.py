"""`python -m roto render DOC.json OUT --frames A-B --depth 8|16|float`: a shape document to numbered stills, nothing else needed."""

import argparse
import sys
from dataclasses import replace
from pathlib import Path

import numpy as np

from roto.errors import RotoError
from roto.exchange import document
from roto.matte.matting.fringe import KEPT, Fringes, InMemory, Picture
from roto.matte.modes import SOLVE
from roto.matte.render import Rendered, render_each
from roto.package.recipe import Recipe
from roto.picture.display import SPACES, to_screen
from roto.picture.sequence import arrange
from roto.picture.stills import read, write_matte, write_picture
from roto.tryout import bundle
from roto.tryout.compose import compose, shown
from roto.warming import warm


def frames_of(text: str) -> tuple[int, int]:
    """'A-B' or 'A'."""
    first, _, last = text.lstrip().partition("-")
    return int(first), int(last or first)


def from_stills(folder: Path, fringes: int) -> Fringes:
    """Solves fringes, so many in a matte, from a folder of numbered stills. As much is kept as frames beside each other ask for."""
    files = arrange([path.name for path in folder.iterdir()]).files

    def picture(frame: int) -> Picture:
        if frame not in files:
            raise RotoError(f"{folder} has no still of frame {frame}, from which the fringe would be solved.")
        return to_screen(read(folder / files[frame]), "display").astype(np.float32) / np.float32(255)

    return Fringes(picture, str, InMemory(most=KEPT * max(1, fringes)))


def main(arguments: list[str] | None = None) -> int:
    """Run the command; 0 when done, 2 with a sentence when not."""
    parser = argparse.ArgumentParser(prog="python -m roto", description=__doc__)
    commands = parser.add_subparsers(dest="command", required=True)
    draw = commands.add_parser("render", help="render a shape document to numbered stills")
    draw.add_argument("document", type=Path)
    draw.add_argument("out", type=Path)
    draw.add_argument("--frames", type=frames_of, metavar="A-B", help="the document's whole range when left out")
    draw.add_argument("--depth", choices=["8", "16", "float"], default="16")
    draw.add_argument("--workers", type=int, default=2)
    draw.add_argument("--plate", type=Path, help="a folder with the plate's numbered stills; only a matte with a fringe needs it")
    show = commands.add_parser("tryout", help="compose a tryout to numbered stills, as they are displayed")
    show.add_argument("document", type=Path, help="a tryout with its mattes, as its page gives it")
    show.add_argument("out", type=Path)
    show.add_argument("--frames", type=frames_of, metavar="A-B", help="the tryout's whole range when left out")
    show.add_argument("--plate", type=Path, help="a folder with the shot's numbered stills")
    show.add_argument("--clip", action="append", default=[], metavar="NAME=FOLDER", help="a folder with the stills of another clip")
    show.add_argument("--graphic", action="append", default=[], metavar="ID=FILE", help="the file of a graphic")
    show.add_argument("--space", choices=SPACES, default="display", help="the colour space of the plates")
    show.add_argument("--width", type=int, help="px, at most")
    commands.add_parser("warm", help="compile what is compiled at first use, so that the first picture need not wait for it")
    given = parser.parse_args(arguments)
    if given.command == "warm":
        warm()
        return 0
    if given.command == "tryout":
        return _tryout(given)
    try:
        matte = document.loads(given.document.read_bytes())
        first, last = given.frames or (matte.first, matte.last)
        if last < first:
            raise RotoError(f"The frames {first}-{last} run backwards.")
        matte = replace(matte, first=min(first, matte.first), last=max(last, matte.last))
        given.out.mkdir(parents=True, exist_ok=True)

        recipe = Recipe(format={"8": "png8", "16": "png16", "float": "exr32"}[given.depth])
        pieces = recipe.pieces(first, last, (first, last))
        names = recipe.names(pieces, shot=matte.shot, matte=matte.name, version=1, recipe="")

        def write(frame: int, done: Rendered) -> None:
            write_matte(given.out / names[frame - first], done.alpha, given.depth)

        solver = from_stills(given.plate, sum(e.mode == SOLVE for e in matte.entries)) if given.plate else None
        for _ in render_each(matte, range(first, last + 1), write, given.workers, given.depth, solver):
            pass
    except (RotoError, OSError) as error:
        print(f"Not done: {error}", file=sys.stderr)
        return 2
    print(f"{last - first + 1} frames of {matte.shot} {matte.name} are in {given.out}")
    return 0


def _tryout(given: argparse.Namespace) -> int:
    """Compose a tryout; 0 when done, 2 with a sentence when not."""
    try:
        it = bundle.loads(given.document.read_bytes())
        folders = {"": given.plate} if given.plate else {}
        folders |= {name: Path(folder) for name, _, folder in (one.partition("=") for one in given.clip)}
        graphics = {name: Path(file) for name, _, file in (one.partition("=") for one in given.graphic)}
        sources = bundle.from_folders(it, folders, graphics, given.space)
        first, last = given.frames or it.tryout.frames
        if last < first:
            raise RotoError(f"The frames {first}-{last} run backwards.")
        given.out.mkdir(parents=True, exist_ok=True)
        names = Recipe(format="png8").names(
            Recipe().pieces(first, last, (first, last)), shot=it.tryout.shot, matte=it.tryout.name, version=1, recipe=""
        )
        for frame, name in zip(range(first, last + 1), names, strict=True):
            write_picture(given.out / name, shown(compose(it.tryout, sources, frame, given.width)))
    except (RotoError, OSError) as error:
        print(f"Not done: {error}", file=sys.stderr)
        return 2
    print(f"{last - first + 1} frames of {it.tryout.shot} {it.tryout.name} are in {given.out}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
