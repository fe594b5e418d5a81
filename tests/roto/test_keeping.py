"""Memories of solved frames, and the solver where little is known."""

import threading

import numpy as np
import pytest

from roto.matte.matting.fringe import InMemory
from roto.matte.matting.laplacian import RADIUS, solve_alpha
from roto.matte.render import Solved


def solved(value: float) -> Solved:
    alpha = np.full((4, 4), value, np.float32)
    full = np.ones((4, 4), np.float32)
    return Solved(box=(0, 0, 4, 4), alpha=alpha, cover=full, unknown=full > 0, steady=False)


class Shelf:
    """Where solved frames are kept for longer; notes what it was asked."""

    def __init__(self):
        self.there, self.asked = {}, []

    def get(self, key):
        self.asked.append(key)
        return self.there.get(key)

    def put(self, key, it):
        self.there[key] = it


def test_the_newest_stay_and_what_was_used_counts_as_new():
    keep = InMemory(most=3)
    for k in "abc":
        keep.put(k, solved(ord(k) / 200))
    assert keep.get("a") is not None
    keep.put("d", solved(0.5))
    assert [k for k in "abcd" if keep.get(k)] == ["a", "c", "d"]


def test_what_fell_out_is_fetched_from_beyond_and_then_at_hand():
    shelf = Shelf()
    keep = InMemory(shelf, most=1)
    keep.put("a", solved(0.25))
    keep.put("b", solved(0.75))
    assert set(shelf.there) == {"a", "b"}, "all are told on"
    assert keep.get("b").alpha[0, 0] == 0.75 and shelf.asked == []
    assert keep.get("a").alpha[0, 0] == 0.25 and shelf.asked == ["a"]
    assert keep.get("a") is not None and shelf.asked == ["a"]
    assert keep.get("none") is None


def test_many_threads_keep_and_fetch_at_once():
    keep, wrong = InMemory(most=5), []

    def work(seed):
        rng = np.random.default_rng(seed)
        for _ in range(300):
            k = int(rng.integers(12))
            keep.put(str(k), solved(k / 12))
            got = keep.get(str(int(rng.integers(12))))
            if got is not None and len(np.unique(got.alpha)) != 1:
                wrong.append(got)

    threads = [threading.Thread(target=work, args=(s,)) for s in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert wrong == [] and len(keep.kept) <= 5


@pytest.fixture
def halves():
    """A picture, dark to the left and bright to the right, with what is known at its sides only."""
    picture = np.full((60, 90, 3), 0.2, np.float32)
    picture[:, 45:] = (0.9, 0.7, 0.4)
    picture += np.random.default_rng(3).normal(0, 0.004, picture.shape).astype(np.float32)
    known, unknown = np.zeros((60, 90), np.float32), np.zeros((60, 90), bool)
    known[:, 45:] = 1.0
    unknown[:, 25:65] = True
    return picture, known, unknown


def test_between_two_colours_alpha_follows_the_colour(halves):
    picture, known, unknown = halves
    alpha = solve_alpha(picture, known, unknown)
    assert alpha.dtype == np.float32 and alpha.min() >= 0 and alpha.max() <= 1
    assert alpha[:, 25:43].max() < 0.05 and alpha[:, 47:65].min() > 0.95
    assert (alpha[:, :25] == 0).all() and (alpha[:, 65:] == 1).all(), "what is known stays exactly"


def test_what_is_known_wrongly_where_it_is_unknown_does_not_count(halves):
    picture, known, unknown = halves
    other = np.where(unknown, 0.37, known).astype(np.float32)
    np.testing.assert_array_equal(solve_alpha(picture, other, unknown), solve_alpha(picture, known, unknown))


def test_nothing_unknown_nothing_solved(halves):
    picture, known, unknown = halves
    np.testing.assert_array_equal(solve_alpha(picture, known, np.zeros_like(unknown)), known)


def test_a_picture_smaller_than_a_window_is_solved_too(halves):
    picture, known, unknown = (it[10:20, 20:70] for it in halves)
    assert picture.shape[0] < 2 * RADIUS + 1
    alpha = solve_alpha(picture, known, unknown)
    assert alpha.shape == known.shape and alpha[5, 8] < 0.1 < 0.9 < alpha[5, 40]
