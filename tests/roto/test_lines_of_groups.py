"""A group's line in the stack: its shapes make one thing, from black, and that is laid onto what lies below."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from roto.exchange import document
from roto.matte import thumbnails
from roto.matte.matting import fringe
from roto.matte.render import render
from roto.matte.stack import Entry, sentence
from roto.motion.group import Riding, make_group

from .build import blob, matte, rectangle, shape

WAYS = {"add": lambda a, b: a + b - a * b, "cut": lambda a, b: a * (1 - b), "keep": lambda a, b: a * b}
SOFT = {"inner": 4.0, "outer": 6.0}


def grouped(*entries, mode="add", below=(), above=(), **more):
    """A stack with a group of these lines between what lies below and above; the group's line stands first, as if just dragged there."""
    group = make_group("limbs", "limbs", 1, [e.shape for e in entries])
    riding = [replace(e, shape=replace(e.shape, rides=(Riding(group),))) for e in entries]
    inverted, opacity = more.pop("inverted", False), more.pop("opacity", 1.0)
    return matte(*below, Entry(shape=group, mode=mode, inverted=inverted, opacity=opacity), *above, *riding, **more)


def lines(**soft):
    return (
        Entry(shape=shape(blob(9, (50, 50), 30), "arm", **soft)),
        Entry(shape=shape(rectangle(30.3, 40.6, 90, 60), "strap", **soft), mode="cut"),
        Entry(shape=shape(blob(7, (60, 55), 12, seed=4), "hand", **soft)),
    )


@pytest.mark.parametrize("mode", WAYS)
@pytest.mark.parametrize("inverted,opacity", [(False, 1.0), (True, 1.0), (False, 0.6), (True, 0.3)])
@pytest.mark.parametrize("soft", [{}, SOFT])
def test_what_its_shapes_make_is_laid_on_as_one(mode, inverted, opacity, soft):
    below = shape(rectangle(5.25, 10, 60.5, 90), "body", **SOFT)  # not an area, so everything is a product of alphas
    own = render(matte(*lines(**soft)), 1).alpha.astype(float)
    ground = render(matte(below), 1).alpha.astype(float)
    own = 1 - own if inverted else own
    own = 1 - opacity * (1 - own) if mode == "keep" else opacity * own
    done = render(grouped(*lines(**soft), below=(below,), mode=mode, inverted=inverted, opacity=opacity), 1).alpha
    assert np.abs(done - WAYS[mode](ground, own)).max() < 2e-6


def test_hard_shapes_of_a_group_meet_its_neighbours_without_a_seam():
    left, right, more = (
        shape(rectangle(*r), n) for r, n in (((10, 10, 40.37, 80), "l"), ((40.37, 10, 70, 50.5), "r"), ((40.37, 50.5, 70, 80), "m"))
    )
    done = render(grouped(Entry(shape=right), Entry(shape=more), below=(left,)), 1).alpha
    assert np.array_equal(done[10:80, 10:70], np.ones((70, 60), np.float32))
    same = render(grouped(Entry(shape=left), Entry(shape=right, mode="cut"), below=(left,), mode="cut"), 1).alpha
    assert not same.any()  # cut by itself, to the last edge


@given(
    st.lists(st.tuples(st.sampled_from(["add", "cut", "keep"]), st.booleans(), st.integers(0, 2)), min_size=4, max_size=6),
    st.integers(0, 3),
)
def test_areas_in_groups_are_what_each_place_says(said, seed):
    """Rectangles on whole pixels: each pixel is wholly in or out, so the stack is plain logic."""
    rng = np.random.default_rng(seed)
    boxes = [np.sort(rng.integers(0, 30, (2, 2)), axis=0) + np.array([[0], [1]]) for _ in said]
    shapes = [shape(rectangle(*b.ravel()), f"s{k}") for k, b in enumerate(boxes)]
    groups = {k: make_group(f"g{k}", f"g{k}", 1, shapes) for k in (1, 2) if any(g == k for *_, g in said)}
    entries, made, where = [], np.zeros((32, 32), bool), np.zeros((32, 32), bool)
    by_logic = {0: made}

    def lay(ground, part, mode):
        return {"add": ground | part, "cut": ground & ~part, "keep": ground & part}[mode]

    for (mode, inverted, g), it, ((x0, y0), (x1, y1)) in zip(said, shapes, boxes, strict=True):
        where = np.zeros((32, 32), bool)
        where[y0:y1, x0:x1] = True
        by_logic[g] = lay(by_logic.get(g, np.zeros((32, 32), bool)), where != inverted, mode)
        entries.append(Entry(shape=replace(it, rides=(Riding(groups[g]),) if g else ()), mode=mode, inverted=inverted))
    wanted = by_logic[0]
    for k, group in groups.items():
        how = ("cut", "keep")[k - 1]
        entries.append(Entry(shape=group, mode=how, inverted=k == 2))
        wanted = lay(wanted, by_logic[k] != (k == 2), how)
    assert np.array_equal(render(matte(*entries, size=(32, 32)), 1).alpha, wanted.astype(np.float32))


@pytest.mark.parametrize("soft", [{}, SOFT])
def test_under_motion_blur_it_is_combined_at_each_moment(soft):
    """A hand that moves along with the sleeve that it cuts from leaves no ghost: the mean of each by itself would."""
    arm = shape(rectangle(20, 20, 60.5, 80), "arm", move=(200, 0), **soft)
    hole = shape(rectangle(30, 30, 50, 70), "hole", move=(200, 0), **soft)
    rest = shape(rectangle(0, 40, 120, 100), "rest", move=(0, -100), **soft)
    blurred = grouped(Entry(shape=arm), Entry(shape=hole, mode="cut"), below=(rest,), mode="cut", angle=180.0)
    done = render(blurred, 3).alpha
    moments = 3 + (np.arange(400) + 0.5) / 400 * 0.5 - 0.25
    own = []
    for moment in moments:
        parts = [shape(s.outline(moment, 3)[0], s.name, **soft) for s in (rest, arm, hole)]
        own.append(render(grouped(Entry(shape=parts[1]), Entry(shape=parts[2], mode="cut"), below=(parts[0],), mode="cut"), 1).alpha)
    assert np.abs(done - np.mean(own, axis=0)).max() < (0.02 if soft else 0.03)
    assert np.abs(done - np.mean(own, axis=0)).mean() < 0.001


def test_a_group_without_a_live_shape_counts_for_nothing():
    body = shape(rectangle(5, 10, 60, 90), "body")
    gone = [Entry(shape=replace(e.shape, live=((5, 6),))) for e in lines()]
    done = render(grouped(*gone, below=(body,), mode="keep"), 1).alpha
    assert np.array_equal(done, render(matte(body), 1).alpha)


def test_a_box_is_the_crop_and_an_edge_shift_of_the_matte_shrinks_what_is_cut():
    soft = grouped(*lines(**SOFT), below=(shape(rectangle(5, 5, 115, 95), "body"),), mode="cut")
    whole = render(soft, 1).alpha
    assert np.array_equal(render(soft, 1, box=(30, 20, 77, 70), threads=2).alpha, whole[20:70, 30:77])
    grown = render(replace(soft, shift=((1, 2.0),)), 1).alpha
    assert grown[50, 27] > whole[50, 27] and (grown >= whole - 1e-6)[40:60, 15:60].mean() > 0.9


def test_it_reads_as_a_sentence_is_shown_line_by_line_and_travels():
    body = shape(rectangle(0, 0, 120, 100), "body")
    it = grouped(*lines(), below=(body,), mode="cut")
    assert [e.shape.name for e in it.entries] == ["body", "arm", "strap", "hand", "limbs"]
    assert sentence(it) == "body adds, limbs (arm adds, strap cuts, hand adds) cuts"
    so_far = [render(part, 1).alpha for part in thumbnails.so_far(it, 60)]
    assert so_far[1][2, 2] == 0 and so_far[1][24, 16] == 1  # the arm alone, not with the body
    assert so_far[4][2, 2] == 1 and so_far[4][35, 20] == 0
    back = document.loads(document.dumps(it))
    assert sentence(back) == sentence(it) and np.array_equal(render(back, 1).alpha, render(it, 1).alpha)


def test_a_fringe_of_its_shapes_stands_above_it():
    band = Entry(shape=shape(blob(9, (50, 50), 38), "tufts", inner=2.0, outer=4.0), mode="solve")
    it = grouped(*lines(), band)
    assert [e.shape.name for e in it.entries] == ["arm", "strap", "hand", "limbs", "tufts"]
    asked = []

    def below(part, box):
        asked.append([e.shape.name for e in part.entries])
        return render(part, 1, box=box).alpha

    assert fringe.band_of(it, 4, 1, below) is not None
    assert asked == [["arm", "strap", "hand", "limbs"], []]  # solved around the group as a whole
