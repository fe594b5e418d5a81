"""The row loop: whatever stands in a row or does not, the stack is what its lines say of each pixel."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from roto.matte.render import render, render_each
from roto.matte.stack import Entry
from roto.motion.keys import Keys
from roto.motion.shape import settings_values

from .build import blob, matte, rectangle, shape

SIZE = (70, 60)
LINES = st.tuples(
    st.sampled_from(["add", "cut", "keep"]),
    st.booleans(),  # inverted
    st.sampled_from([1.0, 1.0, 0.6, 0.0]),  # opacity
    st.integers(-30, 100),  # where it stands, also far outside
    st.integers(-30, 90),
    st.sampled_from([(1.5, 2.5), (0.0, 4.0), (0.2, 0.3)]),  # reach
    st.integers(0, 99),
)


def entry(name: str, mode: str, inverted: bool, opacity: float, x: int, y: int, reach: tuple[float, float], seed: int) -> Entry:
    it = shape(blob(12, (x + 0.3, y + 0.7), 14.0, seed, 0.1), name, inner=reach[0], outer=reach[1])
    return Entry(shape=it, mode=mode, inverted=inverted, opacity=opacity)


def by_the_rules(entries: list[Entry]) -> np.ndarray:
    """Each line alone, then pixel by pixel: a + b - ab, a (1 - b), ab."""
    out = np.zeros(SIZE[::-1])
    for e in entries:
        b = render(matte(e.shape, size=SIZE), 1).alpha.astype(np.float64)
        b = 1 - b if e.inverted else b
        if e.mode == "keep":
            out = out * (1 - e.opacity * (1 - b))
        else:
            b = e.opacity * b
            out = out + b - out * b if e.mode == "add" else out * (1 - b)
    return out


@settings(max_examples=60, deadline=None)
@given(st.lists(LINES, min_size=1, max_size=6), st.booleans())
def test_soft_lines_combine_as_they_say_in_every_pixel(lines, inverted):
    entries = [entry(f"line {k}", *line) for k, line in enumerate(lines)]
    wanted = by_the_rules(entries)
    got = render(matte(*entries, size=SIZE, inverted=inverted), 1).alpha
    assert np.abs(got - (1 - wanted if inverted else wanted)).max() < 2e-6


@settings(max_examples=25, deadline=None)
@given(st.lists(LINES, min_size=1, max_size=4), st.integers(0, 40), st.integers(0, 30), st.integers(1, 40), st.integers(1, 40))
def test_any_box_of_a_moving_stack_is_the_crop(lines, x, y, wide, high):
    entries = [entry(f"line {k}", *line) for k, line in enumerate(lines)]
    moving = [replace(e, shape=shape(e.shape.form.values[0], e.shape.name, (40, -25), inner=2.0, outer=1.0)) for e in entries]
    it = matte(*moving, size=SIZE, angle=180.0)
    whole, box = render(it, 5, depth="16").alpha, (x, y, min(SIZE[0], x + wide), min(SIZE[1], y + high))
    assert np.array_equal(render(it, 5, depth="16", box=box).alpha, whole[box[1] : box[3], box[0] : box[2]])


@pytest.mark.parametrize("inverted", [False, True])
def test_a_shape_that_enters_a_row_only_at_the_end_of_the_exposure_counts_for_its_share(inverted):
    """A plank drops through the shutter's time by 40 px: each row is covered for as long as the plank is over it."""
    plank = shape(rectangle(20, -200, 50, 20), "plank", move=(0, 800), inner=0.0, outer=0.0)
    soft = replace(plank, settings=Keys.build([1], settings_values(0.6, 0.6)[None]))
    it = matte(soft, size=SIZE, angle=180.0, inverted=inverted)
    got = render(it, 1).alpha[:, 35]
    edge = 20 + 80 * np.linspace(-0.25, 0.25, 4001)  # where its lower side is through the exposure, two px and more beyond frame 1
    rows = np.arange(SIZE[1])[:, None] + 0.5
    share = np.clip((edge - rows) / 1.2 + 0.5, 0, 1).mean(axis=1)
    assert np.abs(got - (1 - share if inverted else share)).max() < 0.02


@settings(max_examples=12, deadline=None)
@given(st.integers(1, 9), st.integers(0, 4), st.sampled_from(["8", "16", "float"]))
def test_frames_by_the_dozen_are_those_one_by_one(count, workers, depth):
    """Whatever is left over for the last threads to share, the bytes are the same."""
    it = matte(
        shape(blob(20, (30, 30), 18.0), "sail", (9, 4), inner=1.0, outer=3.0),
        Entry(shape=shape(rectangle(10, 10, 40, 30), "door", (-5, 2)), mode="cut"),
        size=SIZE,
        angle=180.0,
    )
    frames = range(2, 2 + count)
    found = list(render_each(it, frames, lambda frame, done: (frame, done.alpha.copy()), workers, depth))
    assert [f for f, _ in found] == list(frames)
    for frame, alpha in found:
        assert np.array_equal(alpha, render(it, frame, depth=depth).alpha)


def test_rows_that_hold_nothing_are_exactly_black_and_exactly_white():
    stack = [entry(f"line {k}", "add", False, 1.0, 35, 30, (1.0, 2.0), k) for k in range(12)]
    for inverted in (False, True):
        got = render(matte(*stack, size=SIZE, inverted=inverted), 1, depth="16").alpha
        assert set(np.unique(got[:8])) | set(np.unique(got[-8:])) == {65535 if inverted else 0}
