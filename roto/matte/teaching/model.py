"""What the finished frames of a line have taught."""

import io
import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor, wait
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from roto.errors import Cancelled
from roto.matte.teaching import trees
from roto.matte.teaching.lessons import ROWS, Lesson, NothingToLearn, Rows, rows_of
from roto.matte.teaching.looking import Grey, looked_at, pictured
from roto.matte.teaching.trees import Trees

CORES = len(os.sched_getaffinity(0))
HALF = 40
"""trees of a model that knows half of the lessons"""
LOOKS_EVERY = 0.5
"""seconds after which it is told again how many trees there are, and heard whether to stop"""
ASKED = 4
"""pixels for each of which the halves are asked how much they differ"""
DIFFER = 0.4
"""what a difference of the halves counts beside that, as it orders frames best by how far off they are"""
CLEAR, COVERED = tuple(k / 100 for k in range(0, 13)), tuple(1 - k / 100 for k in range(0, 13))
"""levels that are tried"""
Levels = tuple[float, float]
Seen = tuple[int, Trees]
"""a lesson, by its number, and trees that have not seen it"""
Told = Callable[[int, int, float | None, Seen | None], None]
"""hears how many trees there are, of how many, how far off the newest are on frames they have not seen, and one of those frames"""


class Kept(Protocol):
    """Where trees are kept by a name while a model is not whole, so that teaching which was stopped goes on."""

    def get(self, name: str, /) -> Trees | None: ...
    def put(self, name: str, trees: Trees, /) -> None: ...


class InMind(dict[str, Trees]):
    """They are kept in memory."""

    def put(self, name: str, trees: Trees) -> None:
        self[name] = trees


@dataclass(frozen=True, slots=True, kw_only=True)
class Model:
    """whole: knows all lessons. halves: know every second each, where there are two lessons or more. unseen: by lesson, in their order, how
    far off (of alpha, on the mean over the band) the half was that had not seen it. steady: whether frames around one make it better.
    levels: what is said to be so much or less is clear, so much or more is covered: trees taught by squares say a little where it is mostly
    nothing."""

    whole: Trees
    halves: tuple[Trees, ...]
    unseen: tuple[float, ...]
    steady: bool = False
    levels: Levels = (0.0, 1.0)

    def said(self, looked: Grey) -> tuple[NDArray[np.float32], float]:
        """alpha (N,) of rows (N, F), and how unsure it is of them: how mixed they are on the mean (what is neither covered nor clear is
        hard to tell), and by how much the halves differ."""
        said = levelled(self.whole.alpha(looked), self.levels)
        mixed = float((said * (1 - said)).mean()) if len(said) else 0.0
        if len(self.halves) < 2 or not len(said):
            return said, mixed
        one, other = (levelled(half.alpha(looked[::ASKED]), self.levels) for half in self.halves)
        return said, mixed + DIFFER * float(np.abs(one - other).mean())


def levelled(alpha: NDArray[np.float32], levels: Levels) -> NDArray[np.float32]:
    """Alpha, 0..1, spread so that the levels become 0 and 1."""
    low, high = (np.float32(one) for one in levels)
    return np.asarray(np.clip((alpha - low) / (high - low), 0, 1), np.float32)


def _levels(unseen: list[tuple[NDArray[np.float32], NDArray[np.float32]]]) -> Levels:
    """Those with the least error on lessons, each (N,) as a half has said it that had not seen it, and as it is."""
    said, true = (np.concatenate(parts) for parts in zip(*unseen, strict=True))
    off = {(low, high): float(np.abs(levelled(said, (low, high)) - true).mean()) for low in CLEAR for high in COVERED}
    return min(off, key=lambda one: off[one])


Steadies = Callable[[tuple[Trees, ...], Levels], bool]
"""says, of the halves and the levels, whether frames around one make it better"""


def teach(
    lessons: list[Lesson],
    told: Told = lambda done, total, off, seen: None,
    kept: Kept | None = None,
    steadies: Steadies = lambda halves, levels: False,
) -> Model:
    """A model from finished frames. The same lessons make the same model on the same kind of machine, also when what `told` raises ends
    it, and it goes on later from what was kept of these lessons.

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
    kept = InMind() if kept is None else kept

    def of(name: str, known: list[Rows], count: int, told: Callable[[int, Trees], None]) -> Trees:
        looked, binned, alpha = (
            np.concatenate(part) for part in zip(*((one.looked, bins[id(one)], one.alpha) for one in known), strict=True)
        )
        by = trees.Told(looked=looked, bins=binned, edges=edges, alpha=alpha)

        def hear(there: int, newest: Trees) -> None:
            kept.put(name, newest)
            told(there, newest)

        return trees.taught(by, count, hear, kept.get(name))

    with _Beside(lambda hear: of("whole", rows, trees.MOST, hear)) as whole:
        halves: list[Trees] = []
        unseen = [(one.alpha[:0], one.alpha[:0]) for one in rows]
        for known, others in parts:
            k = next(k for k, one in enumerate(rows) if one is others[len(others) // 2])

            def hear(done: int, newest: Trees, begun: int = len(halves) * HALF, k: int = k) -> None:
                told(begun + done + whole.count, total, _apart(*_both(newest, rows[k])), (k, newest))

            halves.append(of(f"half{len(halves)}", known, HALF, hear))
            unseen[2 - len(halves) :: 2] = [_both(halves[-1], one) for one in others]
        levels = _levels(unseen) if parts else (0.0, 1.0)
        away = tuple(_apart(levelled(said, levels), true) for said, true in unseen) if parts else ()
        off = float(np.mean(away)) if away else None
        steady = steadies(tuple(halves), levels) if parts else False  # while the whole still grows
        while not whole.ready():
            told(total - trees.MOST + whole.count, total, off, None)
        told(total, total, off, None)
        return Model(whole=whole.trees(), halves=tuple(halves), unseen=away, steady=steady, levels=levels)


class _Beside:
    """Trees that grow in a thread of their own, which ends when what is beside them fails. grow: is given what hears how many there are."""

    def __init__(self, grow: Callable[[Callable[[int, Trees], None]], Trees]) -> None:
        self.count, self._stop = 0, False
        self._pool = ThreadPoolExecutor(1)
        self._work = self._pool.submit(grow, self._hear)

    def _hear(self, count: int, newest: Trees) -> None:
        if self._stop:
            raise Cancelled
        self.count = count

    def ready(self) -> bool:
        """Whether they are all there; waits a moment for them."""
        wait([self._work], timeout=LOOKS_EVERY)
        return self._work.done()

    def trees(self) -> Trees:
        """All of them; raises what ended them."""
        return self._work.result()

    def __enter__(self) -> "_Beside":
        return self

    def __exit__(self, *wrong: object) -> None:
        self._stop = wrong[0] is not None
        self._pool.shutdown()


def _both(one: Trees, lesson: Rows) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """(N,) what trees say of a lesson as it is, and what it is."""
    return one.alpha(lesson.looked[: lesson.as_it_is]), lesson.alpha[: lesson.as_it_is]


def _apart(said: NDArray[np.float32], true: NDArray[np.float32]) -> float:
    """How far off on the mean."""
    return float(np.abs(said - true).mean()) if len(true) else 0.0


def said_by(trees: Trees, lesson: Lesson, levels: Levels = (0.0, 1.0)) -> Grey:
    """The matte (h, w) of a lesson's box as trees say it."""
    out = lesson.below.copy()
    out[lesson.unknown] = levelled(trees.alpha(looked_at(pictured(lesson.picture), lesson.below, lesson.unknown)), levels)
    return out


def packed(model: Model) -> bytes:
    """A model as the bytes of a file, the same for the same model (numpy's .npz)."""
    found = {"off": np.array(model.unseen, np.float64), "steady": np.array(model.steady), "levels": np.array(model.levels)}
    named = {"whole": model.whole} | {f"half{k}": half for k, half in enumerate(model.halves)}
    return trees.as_file(trees.arrays(named) | {f"unseen.{name}": one for name, one in found.items()})


def unpacked(data: bytes) -> Model:
    """What `packed` has made; raises ValueError, KeyError or OSError for anything else."""
    with np.load(io.BytesIO(data), allow_pickle=False) as it:
        names = sorted({key.split(".")[0] for key in it.files} - {"unseen"})
        made = {name: trees.of_arrays(it, name) for name in names}
        unseen, steady = tuple(it["unseen.off"].tolist()), bool(it["unseen.steady"])
        low, high = it["unseen.levels"].tolist()
    halves = tuple(made[name] for name in names if name != "whole")
    return Model(whole=made["whole"], halves=halves, unseen=unseen, steady=steady, levels=(low, high))
