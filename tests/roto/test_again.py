"""A frame rendered again after an edit is, byte for byte, the frame rendered anew."""

from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from roto.matte.render import Kept, Solved, live_at, remembered, render, render_again, rough_cap, touched_since
from roto.matte.render.remembered import forget
from roto.matte.shutter import Shutter
from roto.matte.stack import Entry, Matte
from roto.motion import edits
from roto.motion.keys import Keys

from .build import blob, matte, shape

SIZE, FRAMES = (90, 70), [3, 4]
LINES = st.tuples(
    st.sampled_from(["add", "cut", "keep"]),
    st.booleans(),  # inverted
    st.sampled_from([1.0, 1.0, 0.6]),  # opacity
    st.integers(0, 90), st.integers(0, 70),  # where it stands
    st.sampled_from([(0.0, 0.0), (1.5, 2.5), (0.2, 0.3)]),  # reach
    st.integers(-60, 60),  # px that it goes in 10 frames
    st.integers(0, 99),
)  # fmt: skip
EDITS = {
    "point": lambda s: replace(s, form=replace(s.form, values=s.form.values + np.eye(12, 6)[None] * 9)),
    "place": lambda s: edits.place(s, 3, (7.0, -4.0)),
    "soften": lambda s: edits.soften(s, 3, inner=3.0, outer=1.0),
    "live": lambda s: replace(s, live=((1, 3),)),
    "profile": lambda s: replace(s, profile="smooth"),
    "nothing": lambda s: replace(s, colour=3),
}


def line(k: int, mode: str, inverted: bool, opacity: float, x: int, y: int, reach: tuple[float, float], goes: int, seed: int) -> Entry:
    points = (
        blob(12, (x + 0.3, y + 0.7), 14.0, seed, 0.1) if seed % 3 else blob(12, (x, y), 14.0, seed, 0.1) * [1, 1, 0, 0, 0, 0]
    )  # corners
    it = shape(points, f"line {k}", (float(goes), 0.0), inner=reach[0], outer=reach[1])
    return Entry(shape=it, mode=mode, inverted=inverted, opacity=opacity)


def again(was: Matte, now: Matte) -> list[int]:
    """The frames that were rendered again from what was kept, each held against the frame rendered anew."""
    touched = touched_since(was, now, FRAMES)
    for f, box in touched.items():
        done = render_again(Kept.of(was, render(was, f, depth="8")), now, f, box)
        anew = render(now, f, depth="8")
        assert done.alpha.tobytes() == anew.alpha.tobytes() and (done.samples, done.capped) == (anew.samples, anew.capped)
    return list(touched)


@settings(max_examples=120, deadline=None)
@given(st.lists(LINES, min_size=1, max_size=5), st.sampled_from(list(EDITS)), st.integers(0, 4), st.sampled_from([0.0, 180.0]))
def test_an_edited_frame_is_the_one_rendered_anew(lines, edit, which, angle):
    was = matte(*(line(k, *one) for k, one in enumerate(lines)), size=SIZE, angle=angle)
    changed = was.entries[which % len(lines)].shape
    again(was, was.with_shape(EDITS[edit](changed)))


def test_only_what_was_touched_is_rendered_and_what_reaches_farther_is_said():
    here, beside = (shape(blob(12, (x, 30.0), 10.0), name) for x, name in ((20.0, "kite"), (65.0, "tail")))
    was = matte(here, beside, size=SIZE)
    moved = was.with_shape(EDITS["place"](here))
    box = touched_since(was, moved, [3])[3]
    assert box[2] < 50 and again(was, moved) == FRAMES
    assert touched_since(was, was.with_shape(EDITS["nothing"](beside)), [3])[3][0] > 50
    assert again(was, was.with_shape(EDITS["live"](here))) == [3]  # on frame 4 it counts no more
    kept = replace(was, entries=(was.entries[0], replace(was.entries[1], mode="keep")))
    assert again(was, kept) == [] and again(was, replace(was, inverted=True)) == []
    assert again(kept, kept.with_shape(EDITS["place"](beside))) == []  # it blackens all that lies outside of it


def test_a_quicker_shape_has_the_whole_frame_taken_in_more_steps():
    slow, quick = (shape(blob(12, (x, 30.0), 10.0), name, (15.0, 0.0)) for x, name in ((15.0, "kite"), (70.0, "tail")))
    was = matte(slow, quick, size=SIZE, angle=180.0)
    now = was.with_shape(edits.place(quick, 3, (0.0, 40.0)))
    assert touched_since(was, now, [3])[3][0] > 45 and render(now, 3).samples > render(was, 3).samples
    assert again(was, now) == FRAMES


@settings(max_examples=150, deadline=None)
@given(
    st.lists(LINES, min_size=2, max_size=6), st.sampled_from([0.0, 180.0, 360.0]),
    st.integers(0, 80), st.integers(0, 60), st.integers(1, 40), st.integers(1, 20),
)  # fmt: skip
def test_a_box_of_a_stack_is_the_crop_of_the_whole_whatever_lies_elsewhere(lines, angle, x, y, across, down):
    it = matte(*(line(k, *one) for k, one in enumerate(lines)), size=SIZE, angle=angle)
    box = (x, y, x + across, y + down)
    for depth in ("float", "16"):
        whole, part = render(it, 3, depth=depth), render(it, 3, box=box, depth=depth)
        apart = np.abs(part.alpha.astype(np.float64) - whole.alpha[y : y + down, x : x + across])
        assert apart.max() <= (3e-7 if depth == "float" else 0)  # the last bits of a float, where lines of part opacity lie over all
        assert (part.samples, part.capped) == (whole.samples, whole.capped)


@settings(max_examples=60, deadline=None)
@given(st.lists(LINES, min_size=1, max_size=5), st.lists(st.tuples(st.sampled_from(list(EDITS)), st.integers(0, 4)), max_size=3))
def test_what_is_remembered_of_lines_is_what_they_are(lines, done):
    """A box of a matte while its shapes are edited one after the other, as one drags them."""
    it, box = (
        replace(matte(*(line(k, *one) for k, one in enumerate(lines)), size=SIZE, angle=180.0), shift=((1, 0.0), (9, 2.0))),
        (20, 10, 60, 50),
    )
    for edit, which in [("nothing", 0), *done]:
        it = it.with_shape(EDITS[edit](it.entries[which % len(lines)].shape))
        for frame in FRAMES:
            for shutter in (it.shutter, replace(it.shutter, angle=90.0), replace(it.shutter, cap=2)):
                now = replace(it, shutter=shutter)
                got, anew = (render(now, frame, box=box, depth="8", live=live) for live in (None, live_at(now, [frame])[frame]))
                assert got.alpha.tobytes() == anew.alpha.tobytes() and (got.samples, got.capped) == (anew.samples, anew.capped)


class Half:
    """Finds a half within a band, and something else once it was told to."""

    wait, value = False, 0.5

    def solved(self, it: Matte, at: int, frame: int) -> Solved:
        box = (30, 20, 60, 50)
        alpha = np.full((30, 30), self.value, np.float32)
        return Solved(box=box, alpha=alpha, cover=np.ones_like(alpha), unknown=alpha > 0, steady=True)


@settings(max_examples=40, deadline=None)
@given(
    st.lists(LINES, min_size=1, max_size=4), st.sampled_from(list(EDITS)), st.integers(0, 3), st.integers(0, 4), st.sampled_from([0.5, 0.8])
)
def test_what_is_found_in_the_picture_counts_as_touched(lines, edit, which, under, later):
    band = shape(np.array([[x, y, 0, 0, 0, 0] for x, y in ((30, 20), (60, 20), (60, 50), (30, 50))], float), "band")
    entries = [line(k, *one) for k, one in enumerate(lines)]
    entries.insert(under % (len(entries) + 1), Entry(shape=band, mode="solve"))
    was = replace(matte(band, size=SIZE), entries=tuple(entries))
    changed = entries[which % len(entries)].shape
    now, solver = was.with_shape(EDITS[edit](changed)) if changed is not band else was, Half()
    kept = {f: Kept.of(was, render(was, f, depth="8", fringes=solver)) for f in FRAMES}
    solver.value = later
    for f, box in touched_since(was, now, FRAMES).items():
        done, anew = render_again(kept[f], now, f, box, fringes=solver), render(now, f, depth="8", fringes=solver)
        assert np.abs(done.alpha.astype(int) - anew.alpha).max() <= 1 and (done.alpha != anew.alpha).mean() < 0.001
        assert (done.samples, done.fringe, done.found) == (anew.samples, anew.fringe, anew.found)


def test_what_is_found_as_before_is_not_rendered_again(monkeypatch):
    """An edit beside the band, then the same when something else is found."""
    band = shape(np.array([[x, y, 0, 0, 0, 0] for x, y in ((30, 20), (60, 20), (60, 50), (30, 50))], float), "band")
    low = shape(blob(12, (10.0, 60.0), 5.0), "low")
    was = replace(matte(low, size=SIZE), entries=(Entry(shape=low), Entry(shape=band, mode="solve")))
    now, solver = was.with_shape(EDITS["place"](low)), Half()
    kept = Kept.of(was, render(was, 3, depth="8", fringes=solver))
    touched = touched_since(was, now, [3])[3]
    drawn: list[object] = []
    monkeypatch.setattr("roto.matte.render.again.render", lambda *given, **how: (drawn.append(how.get("box")), render(*given, **how))[1])
    render_again(kept, now, 3, touched, fringes=solver)
    assert drawn == [touched]
    solver.value = 0.8
    assert render_again(kept, now, 3, touched, fringes=solver).alpha[30, 45] == 204
    assert len(drawn) == 3


@settings(max_examples=40, deadline=None)
@given(st.lists(LINES, min_size=2, max_size=4), st.integers(0, 4), st.sampled_from([0.0, 180.0]))
def test_beyond_what_is_found_a_matte_is_as_it_is_without(lines, under, angle):
    band = shape(np.array([[x, y, 0, 0, 0, 0] for x, y in ((30, 20), (60, 20), (60, 50), (30, 50))], float), "band")
    entries = [line(k, *one) for k, one in enumerate(lines)]
    without = replace(matte(band, size=SIZE, angle=angle), entries=tuple(entries))
    entries.insert(under % (len(entries) + 1), Entry(shape=band, mode="solve"))
    alpha, plain = render(replace(without, entries=tuple(entries)), 3, fringes=Half()).alpha, render(without, 3).alpha
    within = np.zeros(alpha.shape, bool)
    within[20:50, 30:60] = True
    assert np.array_equal(alpha[~within], plain[~within])
    if under % len(entries) == len(lines):  # on top
        assert np.allclose(alpha[within], 0.5, atol=1e-6)


def test_a_quick_look_takes_few_samples_and_still_shows_the_blur():
    def moving(way: float, inner: float = 0.0) -> Matte:
        """An outline that goes so many px while the shutter is open, at frame 6."""
        it = shape(blob(16, (150.0, 100.0), 40.0, 3), "kite", (20.0 * way, 0.0), inner=inner, outer=2 * inner)
        return matte(it, size=(400, 200), angle=180.0)

    caps = [rough_cap(moving(*one), 6, 8) for one in ((0.0,), (2.0,), (2.0, 2.0), (6.0, 2.0), (20.0,))]
    assert caps == [1, 2, 2, 3, 8]
    quick, exact, still = render(moving(2.0), 6, cap=2), render(moving(2.0), 6), render(replace(moving(2.0), shutter=Shutter(angle=0.0)), 6)
    off, without = (np.abs(one.alpha - exact.alpha) for one in (quick, still))
    assert exact.samples > quick.samples and off.max() <= 0.3 and off.sum() < 0.5 * without.sum()


def test_what_is_remembered_of_large_shapes_is_bounded_by_bytes():
    forget()
    for k in range(60):
        it = shape(blob(16, (40.0, 30.0), 14.0, k), f"traced {k}")
        many = Keys.build(range(1, 1301), np.repeat(it.form.values, 1300, axis=0))  # some megabytes
        render(matte(replace(it, form=many), size=SIZE), 3)
    shapes = {id(entry.shape): entry.shape.nbytes for entry, *_ in remembered._kept.values()}
    assert min(shapes.values()) > 1_000_000 and 0 < sum(shapes.values()) <= remembered.MOST
    forget()
