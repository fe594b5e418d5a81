"""Taught lines: their frames, as their model says them, as they were finished, and steadied over time."""

import hashlib
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from functools import lru_cache

import numpy as np

from roto.errors import NoSource
from roto.matte.matting.fringe import Band, Fringes, band_of
from roto.matte.matting.temporal import motion, steadied, stored
from roto.matte.modes import SOLVE, TEACH
from roto.matte.render import Solved, render
from roto.matte.stack import NO_SOURCE, Matte
from roto.matte.teaching.lessons import Lesson
from roto.matte.teaching.looking import MARGIN, Grey, looked_at, pictured
from roto.matte.teaching.model import CORES, Levels, Model
from roto.matte.teaching.trees import Trees

METHOD = "4"
"""a part of every name: raised when the same lessons would teach something else"""
AROUND = 2
"""frames before and after that steady a frame"""


def _as_fringe(matte: Matte, at: int) -> Matte:
    """What is there before anything was taught: the line solved from the plate, to be corrected and finished."""
    entries = list(matte.entries)
    entries[at] = replace(entries[at], mode=SOLVE, source=NO_SOURCE)
    return replace(matte, entries=tuple(entries))


class Taught:
    """fringes: what asks; its plate, its memory and what is below come from it. models: what was taught, by its name. finished: the whole
    matte (H, W), 0..1, of a finished frame by its file; None where it is lost."""

    def __init__(self, fringes: Fringes, models: Callable[[str], Model | None], finished: Callable[[str], Grey | None]) -> None:
        self.fringes, self.models, self.finished = fringes, lru_cache(4)(models), lru_cache(16)(finished)

    def solved(self, matte: Matte, at: int, frame: int) -> Solved | None:
        """A frame of the line: the best there is, or what can be made. Before it is taught it is solved from the plate; where all is wanted
        that raises NoSource."""
        keys = self.keys(matte, at, self._near(matte, at, [frame]))
        if frame not in keys:
            return None
        fringes, shape, source = self.fringes, matte.entries[at].shape, matte.entries[at].source
        if source.on(frame):
            return self._alone(matte, at, frame, keys[frame])
        if not source.model:
            if fringes.whole:
                raise NoSource(f"'{shape.name}' is not taught yet: finish some frames, and teach it.", name=shape.name)
            return fringes.solved(_as_fringe(matte, at), at, frame)
        whole = self._whole(keys, frame)
        kept = fringes.keep.get(whole)
        if kept is not None or not fringes.wait:
            return kept or fringes.keep.get(keys[frame])
        here = self._alone(matte, at, frame, keys[frame])
        model = self.models(source.model)
        if here is None or model is None or not fringes.steady:
            return here
        done = replace(here, steady=True)
        if model.steady:
            others = [(self._alone(matte, at, f, keys[f]), motion(shape, f, frame)) for f in self._around(keys, frame) if f != frame]
            done = steadied(here, [(other, way) for other, way in others if other is not None])
        fringes.keep.put(whole, done)
        return done

    def as_finished(self, matte: Matte, at: int, frame: int) -> Solved | None:
        """All of the matte as it was finished, within the band; None where it is drawn from something else by now."""
        entry = matte.entries[at]
        lesson = entry.source.on(frame) if entry.mode == TEACH else None
        if lesson is None or self.drawn(matte, at, [frame])[frame] != lesson.drawn:
            return None
        return self._finished(matte, at, frame, lesson.file)

    def drawn(self, matte: Matte, at: int, frames: Sequence[int]) -> dict[int, str]:
        """By frame, a name for all that the matte is drawn from, the taught line aside but for where its band lies."""
        entries = list(matte.entries)
        band = replace(entries.pop(at), source=replace(matte.entries[at].source, model="", finished=()))
        others = replace(matte, entries=(band, *entries))
        return self.fringes.keys(others, len(entries), list(frames))

    def stale(self, matte: Matte, at: int) -> list[int]:
        """Finished frames that are drawn from something else by now."""
        lessons = matte.entries[at].source.finished
        now = self.drawn(matte, at, [one.frame for one in lessons])
        return [one.frame for one in lessons if now[one.frame] != one.drawn]

    def lesson(self, matte: Matte, at: int, frame: int) -> Lesson | None:
        """What a finished frame teaches; None where the line is not live, or what was finished is lost."""
        source, band = matte.entries[at].source.on(frame), self.band(matte, at, frame)
        whole = self.finished(source.file) if source is not None else None
        if band is None or whole is None:
            return None
        x0, y0, x1, y1 = band.box
        picture = np.ascontiguousarray(self.fringes.picture(frame)[y0:y1, x0:x1], dtype=np.float32)
        return Lesson(frame=frame, picture=picture, below=band.below, unknown=band.unknown, alpha=whole[y0:y1, x0:x1])

    def steadies(self, matte: Matte, at: int, halves: tuple[Trees, ...], levels: Levels) -> bool:
        """Whether a finished frame, by the half of a model that has not seen it, comes out better when the frames around steady it: things
        that ride with the band do, hair in wind does not."""
        lessons = matte.entries[at].source.finished
        k = len(lessons) // 2
        frame, half = lessons[k].frame, Model(whole=halves[1 - k % 2], halves=(), unseen=(), levels=levels)
        near = self._near(matte, at, [frame])
        with ThreadPoolExecutor(CORES) as pool:
            said = dict(zip(near, pool.map(lambda f: self._said_by(matte, at, f, half), near), strict=True))
        here, whole = said.pop(frame, None), self.finished(lessons[k].file)
        if here is None or whole is None:
            return False
        x0, y0, x1, y1 = here.box
        shape, true = matte.entries[at].shape, whole[y0:y1, x0:x1]
        steady = steadied(here, [(one, motion(shape, f, frame)) for f, one in said.items() if one is not None])
        alone_off, steady_off = (float(np.abs(one.alpha - true)[here.unknown].mean()) for one in (here, steady))
        return steady_off < alone_off

    def model_name(self, matte: Matte, at: int) -> str:
        """A name for all that a model is taught from."""
        lessons = matte.entries[at].source.finished
        keys = self._named(matte, at, [one.frame for one in lessons])
        said = " ".join(f"{one.file} {keys[one.frame]}" for one in lessons)
        return "m" + hashlib.sha256(f"{METHOD} {said}".encode()).hexdigest()

    def keys(self, matte: Matte, at: int, frames: Sequence[int]) -> dict[int, str]:
        """By frame, a name for all that the line by itself depends on there."""
        source = matte.entries[at].source
        out = {}
        for frame, key in self._named(matte, at, frames).items():
            lesson = source.on(frame)
            said = f"{METHOD} {lesson.file if lesson else source.model} {key}"
            out[frame] = "t" + hashlib.sha256(said.encode()).hexdigest()
        return out

    def whole_keys(self, matte: Matte, at: int, frames: Sequence[int]) -> dict[int, str]:
        """By frame, a name for everything that the line depends on."""
        keys = self.keys(matte, at, self._near(matte, at, frames))
        source = matte.entries[at].source
        return {f: keys[f] if source.on(f) else self._whole(keys, f) for f in frames if f in keys}

    def _named(self, matte: Matte, at: int, frames: Sequence[int]) -> dict[int, str]:
        """By frame, a name for the plate, what is below, and the band."""
        entries = list(matte.entries[: at + 1])
        entries[at] = replace(entries[at], source=replace(entries[at].source, model="", finished=()))
        return self.fringes.keys(replace(matte, entries=tuple(entries)), at, list(frames))

    def _near(self, matte: Matte, at: int, frames: Sequence[int]) -> list[int]:
        shape = matte.entries[at].shape
        near = sorted({g for f in frames for g in range(f - AROUND, f + AROUND + 1)})
        return [g for g in near if matte.first <= g <= matte.last and shape.is_live(g)]

    @staticmethod
    def _around(keys: dict[int, str], frame: int) -> list[int]:
        return [f for f in range(frame - AROUND, frame + AROUND + 1) if f in keys]

    def _whole(self, keys: dict[int, str], frame: int) -> str:
        return "w" + hashlib.sha256("".join([keys[frame], *(keys[f] for f in self._around(keys, frame))]).encode()).hexdigest()

    def band(self, matte: Matte, at: int, frame: int) -> Band | None:
        """What is to be said of a frame, with MARGIN px around it to look at; None where the line is not live, or not in the picture."""

        def below(part: Matte, box: tuple[int, int, int, int]) -> Grey:
            return np.asarray(render(part, frame, box=box, fringes=self.fringes).alpha, np.float32)

        return band_of(matte, at, frame, below, margin=MARGIN, all_below=False)

    def _finished(self, matte: Matte, at: int, frame: int, file: str) -> Solved | None:
        band, whole = self.band(matte, at, frame), self.finished(file)
        if band is None or whole is None:
            return None
        x0, y0, x1, y1 = band.box
        return Solved(box=band.box, alpha=whole[y0:y1, x0:x1], cover=band.cover, unknown=band.unknown, steady=True)

    def _alone(self, matte: Matte, at: int, frame: int, key: str) -> Solved | None:
        with self.fringes.one_at_a_time:
            kept = self.fringes.keep.get(key)
            if kept is not None:
                return kept
            source = matte.entries[at].source
            lesson = source.on(frame)
            done = self._finished(matte, at, frame, lesson.file) if lesson else self._said(matte, at, frame, source.model)
            if done is not None:
                self.fringes.keep.put(key, done)
            return done

    def _said(self, matte: Matte, at: int, frame: int, name: str) -> Solved | None:
        model = self.models(name) if name else None
        return None if model is None else self._said_by(matte, at, frame, model)

    def _said_by(self, matte: Matte, at: int, frame: int, model: Model) -> Solved | None:
        """A frame as a model says it."""
        band = self.band(matte, at, frame)
        if band is None:
            return None
        x0, y0, x1, y1 = band.box
        picture = np.ascontiguousarray(self.fringes.picture(frame)[y0:y1, x0:x1], dtype=np.float32)
        said, doubt = model.said(looked_at(pictured(picture), band.below, band.unknown))
        alpha = band.below.copy()
        alpha[band.unknown] = said
        return Solved(box=band.box, alpha=stored(alpha), cover=band.cover, unknown=band.unknown, steady=False, doubt=doubt)
