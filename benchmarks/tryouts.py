"""Tryouts: composing against the same steps called bare, and against plain numpy; light against another library."""

import tempfile
from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from pathlib import Path

import cv2
import numpy as np
import OpenImageIO as oiio

from benchmarks import packages, scenes
from benchmarks.clips import texture
from benchmarks.timing import side_by_side
from roto.matte.render import render
from roto.package import compose as packed
from roto.package import documents, make, manifest
from roto.package.recipe import Recipe
from roto.package.statistics import Measure
from roto.picture import display, reading_back, stills
from roto.picture.movie_writing import write_movie
from roto.tryout.compose import Film, Sources, compose, in_numbers
from roto.tryout.document import Tryout
from roto.tryout.drawing import words
from roto.tryout.model import Clip, Done, Line, Shadow, Through, Words

Row = tuple[str, str, str]
SIZE = (1920, 1080)
WORDS = Words(size=220.0)
BLUR = 20.0


@dataclass(frozen=True)
class Given:
    """Two frames of a plate in linear light, and the matte of something in their middle with a soft edge."""

    plates: tuple[np.ndarray, np.ndarray]
    alpha: np.ndarray

    @classmethod
    def drawn(cls) -> "Given":
        """From a seed."""
        rng = np.random.default_rng(7)
        small = [cv2.GaussianBlur(rng.random((270, 480, 3), np.float32), (0, 0), 3) for _ in range(2)]
        alpha = np.zeros(SIZE[::-1], np.float32)
        cv2.ellipse(alpha, (900, 560), (230, 380), 20, 0, 360, 1.0, -1, cv2.LINE_AA)
        big = [cv2.resize(one, SIZE, interpolation=cv2.INTER_CUBIC).clip(0, 1) for one in small]
        return cls(plates=(big[0], big[1]), alpha=cv2.GaussianBlur(alpha, (0, 0), 2.0))


def four_lines() -> Iterator[Row]:
    """Full HD: the plate; words; the plate through a matte of reach 4; its shadow of blur 20."""
    given = Given.drawn()
    it = Tryout(
        shot="s", name="t", size=SIZE, rate="24", frames=(1, 2),
        lines=(
            Line(id="a", shows=Clip()), Line(id="b", shows=WORDS),
            Line(id="c", shows=Clip(), through=Through(matte="m"), done=Done(shadow=Shadow(turn=0, away=20, blur=BLUR, strength=0.5))),
        ),
    )  # fmt: skip
    films = {"": Film(frames=(1, 2), size=SIZE)}
    sources = Sources(films=films, picture=lambda shot, frame, width: given.plates[frame - 1], matte=lambda *asked: given.alpha)
    ours = compose(it, sources, 1)
    off = max(float(np.abs(ours - other(given)).max()) for other in (bare, plain))
    times = side_by_side({"ours": lambda: compose(it, sources, 1), "bare": lambda: bare(given), "plain": lambda: plain(given)})
    yield "tryout of four lines, full HD, of the same steps bare in OpenCV and numpy", f"{times['ours'] / times['bare']:.2f}", "1.5"
    yield "the same of plain numpy", f"{times['ours'] / times['plain']:.2f}", "0.5"
    yield "the three pictures differ by at most", f"{off:.5f}", "1/255"
    yield "one frame", f"{times['ours']:.0f} ms", ""
    yield from _over(given)


def _over(given: Given) -> Iterator[Row]:
    it = Tryout(
        shot="s", name="t", size=SIZE, rate="24", frames=(1, 2),
        lines=(Line(id="a", shows=Clip()), Line(id="b", shows=Clip(shot="B"), through=Through(matte="m"))),
    )  # fmt: skip
    films = {name: Film(frames=(1, 2), size=SIZE) for name in ("", "B")}
    sources = Sources(films=films, picture=lambda shot, frame, width: given.plates[bool(shot)], matte=lambda *asked: given.alpha)
    cover = given.alpha[:, :, None]
    parts = np.concatenate([given.plates[1] * cover, cover], axis=2), np.concatenate([given.plates[0], np.ones_like(cover)], axis=2)
    buffers = [oiio.ImageBuf(np.ascontiguousarray(part)) for part in parts]
    for buffer in buffers:
        buffer.specmod().alpha_channel = 3
    other = oiio.ImageBufAlgo.over(*buffers).get_pixels(oiio.FLOAT)[:, :, :3]
    yield "over, against OpenImageIO's", f"{np.abs(compose(it, sources, 1) - other).max():.7f}", "1/255"


def _words_at() -> tuple[np.ndarray, int, int]:
    drawn = words(WORDS, 1.0)
    return drawn, round((SIZE[0] - drawn.shape[1]) / 2), round((SIZE[1] - drawn.shape[0]) / 2)


def bare(given: Given) -> np.ndarray:
    """The steps as somebody writes them who knows where everything lies: no boxes, no documents."""
    out = given.plates[0].copy()
    drawn, x, y = _words_at()
    part = out[y : y + drawn.shape[0], x : x + drawn.shape[1]]
    part *= 1 - drawn[:, :, 3:]
    part += drawn[:, :, :3]
    dark = cv2.warpAffine(given.alpha, np.array([[1.0, 0, 20], [0, 1, 0]]), SIZE)
    dark = 0.5 * cv2.GaussianBlur(dark, (0, 0), BLUR / 2, borderType=cv2.BORDER_CONSTANT)
    out *= 1 - dark[:, :, None]
    alpha = given.alpha[:, :, None]
    out *= 1 - alpha
    out += given.plates[0] * alpha
    return out


def plain(given: Given) -> np.ndarray:
    """The same in numpy alone, the blur as two rows of weights."""
    out = given.plates[0].copy()
    drawn, x, y = _words_at()
    layer = np.zeros((*SIZE[::-1], 4), np.float32)
    layer[y : y + drawn.shape[0], x : x + drawn.shape[1]] = drawn
    out = out * (1 - layer[:, :, 3:]) + layer[:, :, :3]
    reach = int(np.ceil(4 * BLUR / 2))
    weights = np.exp(-0.5 * (np.arange(-reach, reach + 1) / (BLUR / 2)) ** 2).astype(np.float32)
    weights /= weights.sum()
    moved = np.zeros_like(given.alpha)
    moved[:, 20:] = given.alpha[:, :-20]
    for axis in (0, 1):
        padded = np.pad(moved, [(reach, reach) if k == axis else (0, 0) for k in (0, 1)])
        moved = sum(w * np.take(padded, range(k, k + moved.shape[axis]), axis=axis) for k, w in enumerate(weights))
    out = out * (1 - 0.5 * moved[:, :, None])
    alpha = given.alpha[:, :, None]
    return np.asarray(out * (1 - alpha) + given.plates[0] * alpha)


FRAMES = 24
GRAINS = {"a calm plate": 2.0, "a plate with grain": 8.0}
"""codes of 8 bits"""


def export() -> Iterator[Row]:
    """What making and proving a movie costs beside encoding it: the less, the more there is to encode."""
    for name, grain in GRAINS.items():
        yield from _export(name, grain)


def _looked_at(folder: Path) -> packed.Sources:
    """Words behind something that is traced, over the plates of a folder."""
    traced = scenes.twelve()
    it = Tryout(
        shot="s", name="t", size=SIZE, rate="24", frames=(1, FRAMES),
        lines=(Line(id="a", shows=Clip()), Line(id="b", shows=WORDS), Line(id="c", shows=Clip(), through=Through(matte="m"))),
    )  # fmt: skip

    @lru_cache(4)
    def codes(frame: int) -> np.ndarray:
        return stills.read(folder / f"{frame}.png")

    @lru_cache(4)
    def light(frame: int) -> np.ndarray:
        return display.light_of_codes(codes(frame))

    def picture(shot: str, frame: int, width: int) -> np.ndarray:
        return light(frame)

    def matte(shot: str, which: str, frame: int, *rest: object) -> np.ndarray:
        return render(traced, frame).alpha

    def part(shot: str, which: str, frame: int, grow: float, box: tuple[int, int, int, int]) -> np.ndarray:
        out = np.zeros(SIZE[::-1], np.float32)
        out[box[1] : box[3], box[0] : box[2]] = render(traced, frame, box=box).alpha
        return out

    sources = Sources(
        films={"": Film(frames=(1, FRAMES), size=SIZE)}, picture=picture, matte=matte, part=part, codes=lambda shot, frame: codes(frame)
    )  # fmt: skip
    look = packed.Look(
        name="t", picture=lambda frame: compose(it, sources, frame), key=str,
        numbers=lambda frame, depth: in_numbers(it, sources, frame, depth),
    )  # fmt: skip
    return packed.Sources(mattes=(traced,), plate=codes, look=look)


def _export(what: str, grain: float) -> Iterator[Row]:
    """Full HD as H.264: words behind something that is traced, over a plate with grain that pans by 3 px a frame; made, written and proved,
    against encoding the same finished pictures alone."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        _plates(folder, grain)
        recipe = Recipe(format="h264", content="tryout", pattern="{shot}_{matte}_{version}", shapes=False)
        plan = make.plan(_looked_at(folder), recipe, first=1, last=FRAMES)
        out = folder / "d" / "package"
        out.mkdir(parents=True)

        def movie(made: dict[int, Measure] | None = None) -> None:
            heard = {} if made is None else made
            for path in (out.parent / make.FRAMES).glob("*"):
                path.unlink()
            make.make_movies(plan, out, made=lambda one: heard.update({one.at: one.measured}), workers=packages.WORKERS)

        def whole() -> None:
            made: dict[int, Measure] = {}
            movie(made)
            names = documents.write_all(plan, out, notes=[], plate_name="plate")
            files = manifest.entries(out, plan, {}) + [manifest.entry(out, n, "document") for n in names]
            manifest.write(out, manifest.manifest(plan, 1, files, dict.fromkeys(range(FRAMES), "new")))
            packages.proved(plan, out, made)

        whole()
        paths = [plan.stills(out, at)[0] for at in range(FRAMES)]
        finished = [reading_back.read_still(path, reading_back.header(path)) for path in paths]
        alone = lambda: write_movie(folder / "x.mp4", "h264", iter(finished), Fraction(24))  # noqa: E731
        took = side_by_side({"alone": alone, "made": movie, "proved": whole}, 3)
        rate = (folder / "x.mp4").stat().st_size * 8 / 1e6 / (FRAMES / 24)
    for done, wanted in (("made", "at least 0.7"), ("proved", "")):
        told = f"{took['alone'] / took[done]:.2f} ({took['alone'] / 1000:.1f} of {took[done] / 1000:.1f} s)"
        yield f"a tryout as H.264, full HD, {what}, {rate:.0f} Mbit/s, {done}, of encoding alone", told, wanted


def _plates(folder: Path, grain: float) -> None:
    """PNGs as another library writes them, of a texture that pans by parts of a pixel."""
    rng = np.random.default_rng(3)
    wide = texture((SIZE[0] + 4 * FRAMES, SIZE[1]), 3)
    for frame in range(1, FRAMES + 1):
        part = cv2.warpAffine(wide, np.array([[1, 0, -2.7 * frame], [0, 1, 0]]), SIZE).astype(np.float32)
        part = 255 * np.repeat(part[:, :, None], 3, axis=2) + rng.normal(0, grain, (*SIZE[::-1], 3))
        cv2.imwrite(str(folder / f"{frame}.png"), np.rint(part).clip(0, 255).astype(np.uint8))
