"""The little pictures of a stack's lines: the same matte, smaller, one line after the other."""

import numpy as np

from roto.matte.render import render
from roto.matte.stack import Entry
from roto.matte.thumbnails import so_far

from .build import matte, rectangle, shape, with_reach


def test_each_line_shows_the_matte_so_far():
    sail, tower = shape(rectangle(20, 20, 100, 80)), shape(rectangle(60, 0, 120, 100), name="tower")
    soft = with_reach(shape(rectangle(0, 0, 40, 100), name="edge"), [(0, 20)] * 4)
    it = matte(Entry(shape=sail), Entry(shape=tower, mode="cut"), Entry(shape=soft, mode="keep"), angle=180.0)
    parts = so_far(it, 60)
    assert [len(p.entries) for p in parts] == [1, 2, 3] and {p.size for p in parts} == {(60, 50)}
    for k, part in enumerate(parts):
        small = render(part, 1).alpha
        whole = render(matte(*it.entries[: k + 1]), 1).alpha
        assert np.abs(small - whole.reshape(50, 2, 60, 2).mean(axis=(1, 3))).max() < 0.06


def test_a_smaller_picture_is_as_much_less_softened():
    it = matte(shape(rectangle(20, 20, 100, 80), lens=2.0), lens=((1, 6.0),))
    (part,) = so_far(it, 60)
    small, whole = render(part, 1).alpha, render(it, 1).alpha
    assert np.abs(small - whole.reshape(50, 2, 60, 2).mean(axis=(1, 3))).max() < 0.01
