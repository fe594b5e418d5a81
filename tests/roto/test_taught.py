"""Taught lines: what finished frames teach, and what becomes of the others."""

import sys
from dataclasses import replace
from fractions import Fraction

import numpy as np
import pytest

from roto.errors import Cancelled, NoSource
from roto.matte.matting.fringe import Fringes, InMemory
from roto.matte.matting.from_files import FromFiles
from roto.matte.modes import BRING, TEACH
from roto.matte.render import render
from roto.matte.shutter import Shutter
from roto.matte.stack import Entry, Finished, Matte, Source
from roto.matte.teaching import advice, model, pairs, trees
from roto.matte.teaching.lessons import Lesson, NothingToLearn
from roto.matte.teaching.taught import Taught
from roto.motion import edits
from roto.motion.edits import trace
from roto.package.cache_keys import matte_keys

SIZE = (160, 120)
FRAMES = range(1, 13)
LESSONS = (1, 4, 8, 12)


def square(x, y, half):
    return [
        [x - half, y - half, 0, 0, 0, 0],
        [x + half, y - half, 0, 0, 0, 0],
        [x + half, y + half, 0, 0, 0, 0],
        [x - half, y + half, 0, 0, 0, 0],
    ]


def moving(name, half, by=3):
    return edits.place(trace(name, name, 1, square(60, 60, half), [False] * 4), 12, move=(by * 11, 0))


def threshold(frame, grain=0.01):
    """A plate of blotches that drift, and its truth: all that is light is covered."""
    rng = np.random.default_rng(5)
    blotches = np.kron(rng.uniform(0.1, 0.9, (SIZE[1] // 4 + 1, SIZE[0] // 4 + 1)), np.ones((4, 4)))[: SIZE[1], : SIZE[0]]
    grey = np.roll(blotches, 2 * frame, axis=1)
    noise = np.random.default_rng(frame).normal(0, grain, grey.shape)
    return np.repeat((grey + noise)[:, :, None], 3, axis=2).astype(np.float32), (grey > 0.5).astype(np.float32)


def lines(model_name="", finished=LESSONS, above=()):
    source = Source(model=model_name, finished=tuple(Finished(frame=f, file=str(f), drawn="") for f in finished))
    band = edits.soften(moving("band", 30), 1, inner=0, outer=50)
    entries = (Entry(shape=moving("core", 8)), Entry(shape=band, mode=TEACH, source=source), *above)
    return Matte(shot="s", name="m", size=SIZE, rate=Fraction(24), first=1, last=12, shutter=Shutter(angle=0.0), entries=entries)


def asked(models=None, wait=True):
    fringes = Fringes(lambda f: threshold(f)[0], str, InMemory(), wait=wait)
    models = {} if models is None else models
    fringes.others = {TEACH: Taught(fringes, models.get, lambda file: threshold(int(file))[1])}
    return fringes, fringes.others[TEACH]


@pytest.fixture(scope="module", autouse=True)
def small_trees():
    """What is taught here is drawn so that few leaves are enough."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("roto.matte.teaching.trees.LEAVES", 12)
        yield


@pytest.fixture(scope="module")
def learned():
    """A matte, taught."""
    matte = lines()
    _, line = asked()
    found = model.teach([line.lesson(matte, 1, f) for f in LESSONS])
    return lines("x"), {"x": found}


def test_a_threshold_of_the_plate_is_learned(learned):
    matte, models = learned
    fringes, line = asked(models)
    for frame in (2, 6, 10):
        found = line.solved(matte, 1, frame)
        x0, y0, x1, y1 = found.box
        truth = threshold(frame)[1][y0:y1, x0:x1]
        assert np.abs(found.alpha - truth)[found.unknown].mean() < 0.02
        whole = render(matte, frame, fringes=fringes).alpha
        assert np.array_equal(whole[:20], np.zeros((20, SIZE[0])))  # nothing happens outside the band


def test_a_threshold_of_a_plate_without_grain_is_learned_exactly(monkeypatch):
    own = threshold
    monkeypatch.setattr(sys.modules[__name__], "threshold", lambda frame, grain=0.0: own(frame, grain))
    _, line = asked()
    found = model.teach([line.lesson(lines(), 1, f) for f in LESSONS])
    _, line = asked({"x": found})
    for frame in (2, 6, 10):
        one = line.solved(lines("x"), 1, frame)
        x0, y0, x1, y1 = one.box
        assert np.array_equal(one.alpha[one.unknown], own(frame)[1][y0:y1, x0:x1][one.unknown])


def test_what_is_clear_is_said_to_be_clear_to_the_last_bit_and_what_is_covered_covered(learned):
    matte, models = learned
    _, line = asked(models)
    found = line.solved(matte, 1, 6)
    x0, y0, x1, y1 = found.box
    truth = threshold(6)[1][y0:y1, x0:x1]
    plain = replace(models["x"], levels=(0.0, 1.0))
    _, other = asked({"x": plain})
    veiled = other.solved(matte, 1, 6)
    for value in (0, 1):
        there = found.unknown & (truth == value)
        assert (found.alpha[there] == value).mean() > 0.8 > (veiled.alpha[there] == value).mean()


def test_the_same_lessons_teach_the_same_and_come_back_from_their_file(learned):
    matte, models = learned
    _, line = asked()
    again = model.teach([line.lesson(matte, 1, f) for f in LESSONS])
    assert model.packed(again) == model.packed(models["x"])
    back = model.unpacked(model.packed(again))
    rows = np.random.default_rng(0).uniform(-1, 1, (500, 63)).astype(np.float32)
    assert np.array_equal(back.whole.alpha(rows), again.whole.alpha(rows))
    assert back.unseen == again.unseen and back.steady == again.steady and len(back.halves) == 2


def test_our_walk_says_what_the_library_says():
    rng = np.random.default_rng(3)
    rows = rng.uniform(-1, 1, (3000, 5)).astype(np.float32)
    alpha = (rows[:, 0] > rows[:, 1] ** 2).astype(np.float32)
    edges = trees.edges_of(rows)
    ours = trees.taught(trees.Told(looked=rows, bins=trees.binned(rows, edges), edges=edges, alpha=alpha), 100)
    from sklearn.ensemble import HistGradientBoostingRegressor
    from threadpoolctl import threadpool_limits

    theirs = HistGradientBoostingRegressor(
        max_iter=100, max_leaf_nodes=trees.LEAVES, learning_rate=trees.RATE, min_samples_leaf=trees.LEAST, early_stopping=False
    )
    with threadpool_limits(1, "openmp"):
        theirs.fit(rows, alpha)
    assert np.abs(ours.alpha(rows) - np.clip(theirs.predict(rows), 0, 1)).mean() < 0.02
    assert np.abs(ours.alpha(rows) - alpha).mean() < 0.04


def test_it_is_told_how_it_goes_and_may_be_stopped():
    _, line = asked()
    lessons = [line.lesson(lines(), 1, f) for f in LESSONS]
    told = []
    model.teach(lessons[:2], lambda done, total, off, seen: told.append((done, total, off)))
    assert [done for done, _, _ in told] == sorted(done for done, _, _ in told) and told[-1][0] == told[-1][1]
    assert all(off is not None and off < 0.1 for _, _, off in told)

    def stop(done, total, off, seen):
        raise Cancelled

    with pytest.raises(Cancelled):
        model.teach(lessons, stop)


def test_teaching_that_was_stopped_goes_on_and_comes_to_the_same(learned):
    _, models = learned
    _, line = asked()
    lessons = [line.lesson(lines(), 1, f) for f in LESSONS]
    kept, grown = model.InMind(), []

    def stop(done, total, off, seen):
        if len(kept) == 3:  # both halves and the first lot of the whole
            raise Cancelled

    with pytest.raises(Cancelled):
        model.teach(lessons, stop, kept)
    had = {name: len(some.roots) for name, some in kept.items()}
    assert had["half0"] == had["half1"] == model.HALF and had["whole"] in (trees.AT_ONCE, trees.MOST)
    put = kept.put
    kept.put = lambda name, some: (grown.append((name, len(some.roots))), put(name, some))
    again = model.teach(lessons, kept=kept)
    assert all(name == "whole" and count > had["whole"] for name, count in grown), "what there was did not grow again"
    assert model.packed(again) == model.packed(models["x"])


def test_a_frame_is_what_it_was_when_finished_to_the_last_bit(learned):
    _, models = learned
    fringes, line = asked(models)
    over = Entry(shape=edits.soften(moving("over", 14), 1, inner=3, outer=3), mode="cut", opacity=0.6)
    matte = lines("x", finished=(), above=(over,))
    before = render(matte, 6, depth="16", fringes=fringes).alpha
    kept = before.astype(np.float32) / np.float32(65535)
    line.finished = {"6": kept}.get
    one = Finished(frame=6, file="6", drawn=line.drawn(matte, 1, [6])[6])
    done = replace(matte, entries=(matte.entries[0], replace(matte.entries[1], source=matte.entries[1].source.with_finished(one)), over))
    other = replace(done, entries=(*done.entries[:1], replace(done.entries[1], source=replace(done.entries[1].source, model="")), over))
    for now in (done, other):  # whatever is taught later
        assert np.array_equal(render(now, 6, depth="16", fringes=fringes).alpha, before)
        assert np.array_equal(render(now, 6, depth="16", box=(40, 40, 90, 80), fringes=fringes).alpha, before[40:80, 40:90])
    assert line.stale(done, 1) == []
    edited = replace(done, entries=(*done.entries[:2], replace(over, opacity=1.0)))
    assert line.stale(edited, 1) == [6]
    assert not np.array_equal(render(edited, 6, depth="16", fringes=fringes).alpha, before)  # the edit is seen


def test_names_follow_what_matters(learned):
    matte, models = learned
    _, line = asked(models)
    keys = line.whole_keys(matte, 1, [1, 5, 6, 7, 12])
    source = matte.entries[1].source
    finished = replace(
        matte, entries=(matte.entries[0], replace(matte.entries[1], source=source.with_finished(Finished(frame=6, file="new", drawn=""))))
    )
    changed = line.whole_keys(finished, 1, [1, 5, 6, 7, 12])
    assert {f for f in keys if keys[f] != changed[f]} == {5, 6, 7}  # it, and those that it steadies
    assert line.model_name(finished, 1) != line.model_name(matte, 1) == line.model_name(lines("another"), 1)


def test_without_a_model_a_delivery_says_so_and_the_desk_leaves_it_out():
    fringes, _ = asked()
    matte = lines(finished=())
    with pytest.raises(NoSource, match="'band' is not taught yet"):
        render(matte, 3, fringes=fringes)
    looking, _ = asked(wait=False)
    left = render(matte, 3, fringes=looking)
    assert left.fringe == 3 and np.array_equal(left.alpha, render(replace(matte, entries=matte.entries[:1]), 3).alpha)


@pytest.mark.parametrize("value", [0.0, 1.0])
def test_frames_without_an_edge_teach_nothing(value):
    size = (60, 70)
    flat, everywhere, alpha = np.zeros(size, np.float32), np.ones(size, bool), np.full(size, value, np.float32)
    pictures = {f: threshold(f)[0][: size[0], : size[1]] for f in (1, 5)}
    lessons = [Lesson(frame=f, picture=p, below=flat, unknown=everywhere, alpha=alpha) for f, p in pictures.items()]
    with pytest.raises(NothingToLearn):
        model.teach(lessons)
    with pytest.raises(NothingToLearn):
        model.teach([])


def test_pairs_in_a_wrong_order_are_found():
    pictures = {f: threshold(f)[0] for f in range(3, 10)}
    for shown, right in ((6, None), (4, 4), (9, 9)):
        assert pairs.better_on(threshold(shown)[1], 6, pictures) == right
    assert pairs.better_on(np.zeros(SIZE[::-1], np.float32), 6, pictures) is None


def test_advice_looks_for_what_is_not_like_the_finished_ones():
    plain = np.full((40, 60, 3), 0.4, np.float32)
    bright = np.full((40, 60, 3), 0.8, np.float32)
    box = np.array([[0, 0], [20, 0], [20, 20], [0, 20]], float)
    frames = {f: advice.described(box + np.array([10, 5]), plain, 1.0) for f in range(1, 21)}
    frames[15] = advice.described(box + np.array([10, 5]), bright, 1.0)
    assert advice.differs_most(frames, [1]) == (15, "it stands before another ground")
    frames[9] = advice.described(2 * box, plain, 1.0)
    assert advice.differs_most(frames, [1, 15])[0] == 9
    assert advice.differs_most(frames, []) is not None
    assert advice.differs_most({1: frames[1]}, [1]) is None
    assert advice.least_sure({4: 0.1, 5: 0.9, 9: 0.3}, [6]) == 9


def test_a_matte_from_files_is_laid_in_and_corrected_by_what_lies_above():
    fringes = Fringes(lambda f: threshold(f)[0], str, InMemory())
    files = {3: threshold(3)[1]}
    fringes.others = {BRING: FromFiles(fringes, lambda name, number: files.get(number) if name == "7" else None, lambda name, f: f)}
    everywhere = trace("all", "from elsewhere", 1, square(80, 60, 300), [False] * 4)
    cut = Entry(shape=moving("core", 8), mode="cut")
    matte = replace(lines(), entries=(Entry(shape=everywhere, mode=BRING, source=Source(files="7")), cut))
    alpha = render(matte, 3, fringes=fringes).alpha
    hole = render(replace(matte, entries=(replace(cut, mode="add"),)), 3).alpha
    assert np.allclose(alpha, files[3] * (1 - hole), atol=1e-6)
    with pytest.raises(NoSource, match="no file of frame 4"):
        render(matte, 4, fringes=fringes)
    still = replace(matte, entries=matte.entries[:1])
    names = matte_keys(still, [3, 4, 5], fringes)
    assert len({*names.values()}) == 3  # each frame has a file of its own, though the shape stands still
    fringes.others = {BRING: FromFiles(fringes, lambda name, number: files.get(number), lambda name, frame: frame - 100)}
    assert np.array_equal(render(still, 103, fringes=fringes).alpha, files[3]) and matte_keys(still, [103], fringes)[103] == names[3]
