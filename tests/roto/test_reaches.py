"""A reach per point as it is edited: what it starts from, who else changes, and what becomes of it when points come and go."""

import numpy as np
import pytest

from roto.curve.remove import remove_points
from roto.curve.split import add_point
from roto.errors import BadGeometry
from roto.exchange import document
from roto.matte.render import render
from roto.motion import edits, retime
from roto.motion.point_reach import one_reach, set_reach, with_own

from .build import blob, matte, rectangle, shape


def soft():
    """Keyed from 2 and 4 px on frame 1 to 6 and 8 on frame 11."""
    return edits.soften(shape(blob(10), inner=2, outer=4), 11, inner=6, outer=8)


def test_giving_each_point_a_reach_changes_no_matte():
    before, after = soft(), with_own(soft())
    for frame in (1, 4, 11):
        assert np.abs(render(matte(before), frame).alpha - render(matte(after), frame).alpha).max() < 0.001
    assert after.reaches_at(6)[0] == pytest.approx(np.tile(before.settings_at(6)[0][:2], (10, 1)))


def test_only_the_points_meant_are_keyed_there():
    it = set_reach(soft(), 6, {3: (None, 20.0), 4: (1.0, None)})
    assert it.reach.frames.tolist() == [1, 6, 11] and it.reach.held[1].nonzero()[0].tolist() == [3, 4]
    assert it.reaches_at(6)[0, 3].tolist() == pytest.approx([4, 20]) and it.reaches_at(6)[0, 4].tolist() == pytest.approx([1, 6])
    assert it.reaches_at(11)[0, 3].tolist() == [6, 8]
    assert one_reach(it).settings_at(6) == soft().settings_at(6)


def test_as_a_whole_they_are_sized_alike_and_all_keys_by_the_same():
    it = set_reach(soft(), 1, {3: (None, 8.0)})
    sized = edits.soften(it, 1, outer=4.0)
    assert sized.reaches_at(1)[0, :, 1].tolist() == [2, 2, 2, 4, *[2] * 6]
    more = retime.offset_soft(it, 1, None, outer=10.0)
    assert more.reaches_at(11)[0, 3, 1] == pytest.approx(8 + 2)


def test_points_come_and_go_without_the_soft_edge_jumping():
    it = set_reach(shape(blob(10), inner=1, outer=2), 1, {2: (1.0, 9.0), 3: (1.0, 9.0)})
    grown = add_point(it, 2, 0.4)
    assert grown.own == (True, True, True, False, *(True,) * 7)
    assert np.abs(render(matte(grown), 1).alpha - render(matte(it), 1).alpha).max() < 0.005
    less = remove_points(grown, [3]).shape
    assert less.own == it.own and less.reaches_at(1).tolist() == it.reaches_at(1).tolist()
    assert remove_points(it, [2]).shape.reaches_at(1)[0, :3, 1].tolist() == [2, 2, 9]


def test_a_document_keeps_it():
    it = add_point(set_reach(soft(), 6, {3: (None, 20.0)}), 2, 0.4)
    again = document.loads(document.dumps(matte(it))).entries[0].shape
    assert again.own == it.own
    assert np.array_equal(again.reaches_at(7), it.reaches_at(7), equal_nan=True)


def test_what_makes_no_sense_is_refused():
    with pytest.raises(BadGeometry, match="between 0 and 1000"):
        set_reach(shape(rectangle(0, 0, 9, 9)), 1, {0: (-1.0, None)})
    with pytest.raises(BadGeometry, match="no point 7"):
        set_reach(shape(rectangle(0, 0, 9, 9)), 1, {7: (1.0, None)})
