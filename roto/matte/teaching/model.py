"""What the finished frames of a line have taught."""

import io
import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from roto.matte.teaching import trees
from roto.matte.teaching.lessons import ROWS, Lesson, NothingToLearn, Rows, rows_of
from roto.matte.teaching.looking import Grey
from roto.matte.teaching.trees import Trees

CORES = len(os.sched_getaffinity(0))
HALF = 40
"""trees of a model that knows half of the lessons"""
ASKED = 4
"""pixels for each of which the halves are asked how much they differ"""
DIFFER = 0.2
"""what a difference of the halves counts beside that, as it orders frames best by how far off they are"""
Seen = tuple[int, Trees]
"""a lesson, by its number, and trees that have not seen it"""
Told = Callable[[int, int, float | None, Seen | None], None]
"""hears how many trees there are, of how many, how far off the newest are on frames they have not seen, and one of those frames"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Model:
    """whole: knows all lessons. halves: know every second each, where there are two lessons or more. unseen: by lesson, in their order, how
    far off (of alpha, on the mean over the band) the half was that had not seen it. steady: whether frames around one make it better."""

    whole: Trees
    halves: tuple[Trees, ...]
    unseen: tuple[float, ...]
    steady: bool = False

    def said(self, looked: Grey) -> tuple[NDArray[np.float32], float]:
        """alpha (N,) of rows (N, F), and how unsure it is of them: how mixed they are on the mean (what is neither covered nor clear is
        hard to tell), and by how much the halves differ."""
        alpha = self.whole.alpha(looked)
        mixed = float((alpha * (1 - alpha)).mean()) if len(alpha) else 0.0
        if len(self.halves) < 2 or not len(alpha):
            return alpha, mixed
        one, other = (half.alpha(looked[::ASKED]) for half in self.halves)
        return alpha, mixed + DIFFER * float(np.abs(one - other).mean())


def teach(lessons: list[Lesson], told: Told = lambda done, total, off, seen: None) -> Model:
    """A model from finished frames. The same lessons make the same model on the same kind of machine. What `told` raises ends it.

    Raises NothingToLearn.
    """
    with ThreadPoolExecutor(CORES) as pool:
        rows = list(pool.map(lambda k: rows_of(lessons[k], ROWS // len(lessons), k), range(len(lessons))))
    if not any(one.edged for one in rows):
        raise NothingToLearn
    parts = [(rows[k::2], rows[1 - k :: 2]) for k in (0, 1)]
    if not all(any(one.edged for one in known) for known, _ in parts):
        parts = []
    edges = trees.edges_of(np.concatenate([one.looked for one in rows]))
    bins = {id(one): trees.binned(one.looked, edges) for one in rows}
    total = len(parts) * HALF + trees.MOST

    def of(known: list[Rows], count: int, told: Callable[[int, Trees], None]) -> Trees:
        said, alpha = np.concatenate([bins[id(one)] for one in known]), np.concatenate([one.alpha for one in known])
        return trees.taught(said, edges, alpha, count, told)

    halves: list[Trees] = []
    unseen = np.zeros(len(rows))
    for known, others in parts:
        shown = next(k for k, one in enumerate(rows) if one is others[len(others) // 2])
        halves.append(of(known, HALF, _told(told, len(halves) * HALF, total, shown, rows[shown])))
        unseen[2 - len(halves) :: 2] = [_off(halves[-1], one) for one in others]
    off = float(unseen.mean()) if parts else None
    whole = of(rows, trees.MOST, lambda done, newest: told(total - trees.MOST + done, total, off, None))
    return Model(whole=whole, halves=tuple(halves), unseen=tuple(unseen.tolist()) if parts else ())


def _told(told: Told, begun: int, total: int, number: int, shown: Rows) -> Callable[[int, Trees], None]:
    """Hears of the trees of a half, and says how far off they are on a lesson that they have not seen."""
    return lambda done, newest: told(begun + done, total, _off(newest, shown), (number, newest))


def _off(one: Trees, lesson: Rows) -> float:
    """How far off trees are on a lesson as it is: of alpha, on the mean over the band."""
    looked, alpha = lesson.looked[: lesson.as_it_is], lesson.alpha[: lesson.as_it_is]
    return float(np.abs(one.alpha(looked) - alpha).mean()) if len(alpha) else 0.0


def packed(model: Model) -> bytes:
    """A model as the bytes of a file, the same for the same model (numpy's .npz)."""
    named = {"whole": model.whole} | {f"half{k}": half for k, half in enumerate(model.halves)}
    arrays = {f"{name}.{part}": getattr(one, part) for name, one in named.items() for part in trees.PARTS}
    arrays |= {f"{name}.begins": np.float64(one.begins) for name, one in named.items()}
    arrays |= {"unseen.off": np.array(model.unseen, np.float64), "unseen.steady": np.array(model.steady)}
    out = io.BytesIO()
    np.savez_compressed(out, **arrays)
    return out.getvalue()


def unpacked(data: bytes) -> Model:
    """What `packed` has made; raises ValueError, KeyError or OSError for anything else."""
    with np.load(io.BytesIO(data), allow_pickle=False) as it:
        names = sorted({key.split(".")[0] for key in it.files} - {"unseen"})
        made = {name: Trees(begins=float(it[f"{name}.begins"]), **{part: it[f"{name}.{part}"] for part in trees.PARTS}) for name in names}
        unseen, steady = tuple(it["unseen.off"].tolist()), bool(it["unseen.steady"])
    halves = tuple(made[name] for name in names if name != "whole")
    return Model(whole=made["whole"], halves=halves, unseen=unseen, steady=steady)
