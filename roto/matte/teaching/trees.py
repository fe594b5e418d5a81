"""Trees that say alpha from what is looked at about a pixel: taught by gradient boosting (Friedman 2001, "Greedy function approximation: a
gradient boosting machine"; on histograms, as scikit-learn does it), kept as plain arrays.

The same rows in the same order make the same trees on the same kind of machine.
"""

import io
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from roto.matte.teaching.walking import walked

LEAVES = 63
"""of a tree: 31 leave a tenth more of the error on straw and fur, and are quicker by a fifth"""
RATE = 0.12
LEAST = 40
"""pixels of a leaf"""
MOST = 100
"""trees of a model"""
BINS = 128
"""in which a number is told apart"""
LOOKED_AT = 15_000
"""rows by which the bins are laid out"""
AT_ONCE = 50
"""trees between two words on how it goes"""
Rows = NDArray[np.float32]


@dataclass(frozen=True, slots=True, kw_only=True)
class Trees:
    """Nodes of all trees in turn, as `walking` takes them. roots: (T,) where each begins. begins: what is said before a tree."""

    begins: float
    roots: NDArray[np.int32]
    feature: NDArray[np.int32]
    threshold: NDArray[np.float32]
    below: NDArray[np.int32]
    value: NDArray[np.float32]

    def alpha(self, looked: Rows) -> NDArray[np.float32]:
        """(N,) 0..1 of rows (N, F)."""
        return np.clip(self.sums(looked), 0, 1)

    def sums(self, looked: Rows) -> NDArray[np.float32]:
        """The same before it is held within 0..1: what later trees make better."""
        out = np.full(len(looked), self.begins, np.float32)
        walked(np.ascontiguousarray(looked), self.roots, self.feature, self.threshold, self.below, self.value, out)
        return out

    def then(self, more: "Trees") -> "Trees":
        """These, and others after them."""
        own = {part: np.concatenate([getattr(self, part), getattr(more, part)]) for part in ("feature", "threshold", "value")}
        far = np.int32(len(self.feature))
        roots, below = (np.concatenate([one, other + far]) for one, other in ((self.roots, more.roots), (self.below, more.below)))
        return Trees(begins=self.begins + more.begins, roots=roots, below=below, **own)


PARTS = ("roots", "feature", "threshold", "below", "value")


def arrays(named: Mapping[str, Trees]) -> dict[str, NDArray[Any]]:
    """Trees by name as arrays by name, for numpy's .npz."""
    parts: dict[str, NDArray[Any]] = {f"{name}.{part}": getattr(one, part) for name, one in named.items() for part in PARTS}
    return parts | {f"{name}.begins": np.array(one.begins, np.float64) for name, one in named.items()}


def as_file(arrays: Mapping[str, NDArray[Any]]) -> bytes:
    """Arrays by name as the bytes of numpy's .npz, the same for the same."""
    named: Any = dict(arrays)
    out = io.BytesIO()
    np.savez_compressed(out, **named)
    return out.getvalue()


def of_arrays(arrays: Mapping[str, NDArray[Any]], name: str) -> Trees:
    """Those of a name; raises KeyError or ValueError for what is none."""
    return Trees(begins=float(arrays[f"{name}.begins"]), **{part: arrays[f"{name}.{part}"] for part in PARTS})


def edges_of(looked: Rows) -> Rows:
    """(BINS - 1, F): where the bins of each number end, so that of rows (N, F) about as many are in each."""
    some = looked[:: max(1, len(looked) // LOOKED_AT)]
    return np.quantile(some, np.linspace(0, 1, BINS + 1)[1:-1], axis=0, method="lower").astype(np.float32)


def binned(looked: Rows, edges: Rows) -> Rows:
    """(N, F): the bin that each number of rows is in. scikit-learn takes most of its time to sort numbers that all differ."""
    return np.stack([np.searchsorted(edge, column) for edge, column in zip(edges.T, looked.T, strict=True)], axis=1).astype(np.float32)


@dataclass(frozen=True, slots=True, kw_only=True)
class Told:
    """What teaches trees. looked: rows (N, F). bins: the same, binned by edges. alpha: (N,) what is true of them."""

    looked: Rows
    bins: Rows
    edges: Rows
    alpha: NDArray[np.float32]


def taught(by: Told, count: int = MOST, told: Callable[[int, "Trees"], None] = lambda n, t: None, known: Trees | None = None) -> Trees:
    """So many trees. They grow AT_ONCE at a time, each lot from what the ones before leave: so they are the same, whether they grew in one
    go or not.

    known: those that there are already, AT_ONCE or some times as many. told: hears how many there are, and the trees so far; what it
    raises ends it.
    """
    from sklearn.ensemble import HistGradientBoostingRegressor  # a second to import, which only teaching needs
    from threadpoolctl import threadpool_limits

    trees = known
    for there in [*range(AT_ONCE, count, AT_ONCE), count]:
        if trees is not None and there <= len(trees.roots):
            continue
        grow = HistGradientBoostingRegressor(
            max_iter=there - (0 if trees is None else len(trees.roots)), max_leaf_nodes=LEAVES, learning_rate=RATE, min_samples_leaf=LEAST,
            early_stopping=False, random_state=0,
        )  # fmt: skip
        left = by.alpha if trees is None else by.alpha - trees.sums(by.looked)
        with threadpool_limits(1, "openmp"):  # threads that wait for each other stand still where others want the cores
            grow.fit(by.bins, left)
        more = _flat(grow, by.edges)
        trees = more if trees is None else trees.then(more)
        told(there, trees)
    assert trees is not None
    return trees


def _flat(model: Any, edges: NDArray[np.float32]) -> Trees:
    """scikit-learn's own nodes, in our arrays: it has no file format but Python's pickle, which runs whatever is in a file."""
    each = [_in_rows(predictor.nodes) for (predictor,) in model._predictors]
    roots = np.concatenate([[0], np.cumsum([len(nodes) for nodes, _ in each])[:-1]]).astype(np.int32)
    nodes = np.concatenate([nodes for nodes, _ in each])
    below = np.concatenate([first + root for (_, first), root in zip(each, roots, strict=True)])
    leaf = nodes["is_leaf"].astype(bool)
    feature = np.where(leaf, 0, nodes["feature_idx"].astype(np.int64))
    bins = np.clip(np.floor(np.where(leaf, 0, nodes["num_threshold"])), 0, len(edges) - 1).astype(np.int64)
    return Trees(
        begins=float(np.ravel(model._baseline_prediction)[0]),
        roots=roots,
        feature=feature.astype(np.int32),
        threshold=np.where(leaf, np.inf, edges[bins, feature]).astype(np.float32),
        below=below.astype(np.int32),
        value=np.where(leaf, nodes["value"], 0).astype(np.float32),
    )


def _in_rows(nodes: NDArray[Any]) -> tuple[NDArray[Any], NDArray[np.int64]]:
    """A tree's nodes from the top down, both that follow one beside each other; and where the first of those stands (a leaf's: itself)."""
    order, below = [0], []
    for k, one in enumerate(order):  # it grows on the way
        if nodes[one]["is_leaf"]:
            below.append(k)
        else:
            below.append(len(order))
            order += [int(nodes[one]["left"]), int(nodes[one]["right"])]
    return nodes[order], np.array(below, np.int64)
