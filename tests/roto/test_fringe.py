"""Fringes: alpha solved from the plate within a band, steadied, laid into the stack."""

import os
import subprocess
import sys
from dataclasses import replace

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pymatting import lkm_laplacian

from roto.__main__ import main
from roto.errors import NoFringe
from roto.exchange import document
from roto.matte.matting import fringe
from roto.matte.matting.laplacian import Laplacian, solve_alpha
from roto.matte.matting.temporal import cleaned, motion, solved_again, steadied
from roto.matte.render import render, render_each, touched_box
from roto.matte.stack import Entry, sentence
from roto.motion import edits

from .build import matte, rectangle, shape

SIZE = (120, 90)
GROUND, HAIR = np.array([0.25, 0.4, 0.7], np.float32), np.array([0.8, 0.6, 0.3], np.float32)


def hairy(frame, noise=0.01):
    """A plate (h, w, 3) and its true alpha: a block with hairs on its right side, moved on by 2 px a frame."""
    big = np.zeros((SIZE[1] * 8, SIZE[0] * 8), np.uint8)
    x = 28 + 2 * frame
    cv2.rectangle(big, (x * 8, 20 * 8), ((x + 20) * 8 - 1, 70 * 8), 255, -1)
    rng = np.random.default_rng(5)
    for y in range(22, 70, 5):
        cv2.line(big, ((x + 18) * 8, y * 8), ((x + 30) * 8, int((y + rng.normal(0, 4)) * 8)), 255, 9)
    alpha = cv2.resize(big, SIZE, interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    shade = np.linspace(0.8, 1.2, SIZE[0], dtype=np.float32)[None, :, None]
    picture = alpha[..., None] * HAIR + (1 - alpha[..., None]) * GROUND * shade
    picture += np.random.default_rng(frame).normal(0, noise, picture.shape).astype(np.float32)
    return np.clip(picture, 0, 1).astype(np.float32), alpha


@pytest.fixture
def stack():
    block = shape(rectangle(30, 20, 50, 70.125), "block", move=(20, 0))
    band = shape(rectangle(44, 12, 66, 78), "tufts", move=(20, 0), inner=2.0, outer=4.0)
    return matte(block, Entry(shape=band, mode="solve"), size=SIZE)


def solver(noise=0.01, **how):
    return fringe.Fringes(lambda f: hairy(f, noise)[0], lambda f: f"plate {f}", fringe.InMemory(), **how)


def test_the_operator_is_that_of_another_library():
    rng = np.random.default_rng(2)
    picture, alpha = rng.random((40, 36, 3)), rng.random((40, 36))
    theirs, diagonal = lkm_laplacian(picture, epsilon=1e-4, radius=5)
    ours = Laplacian(picture.astype(np.float32), 5, 1e-4)
    assert np.allclose(ours(alpha), theirs(alpha.ravel()).reshape(40, 36), atol=1e-6)
    assert np.allclose(ours.diagonal(), diagonal.reshape(40, 36), atol=1e-6)


@given(st.floats(0.1, 0.9), st.integers(20, 60))
def test_a_flat_mix_of_two_colours_is_solved(share, wide):
    alpha = np.zeros((40, wide + 40), np.float32)
    alpha[:, :20], alpha[:, 20:-20] = 1, np.linspace(share, 0, wide)
    picture = alpha[..., None] * HAIR + (1 - alpha[..., None]) * GROUND
    unknown = np.zeros(alpha.shape, bool)
    unknown[:, 20:-20] = True
    assert np.abs(solve_alpha(picture, np.where(unknown, 0, alpha), unknown) - alpha).max() < 0.04


def test_hairs_are_found_in_the_band_and_nothing_changes_outside_it(stack):
    done = render(stack, 4, fringes=solver()).alpha
    plain = render(replace(stack, entries=stack.entries[:1]), 4).alpha
    _, true = hairy(4)
    band = render(replace(stack, entries=(replace(stack.entries[1], mode="add"),)), 4).alpha > 0
    assert np.array_equal(done[~band], plain[~band])
    hairs = band & (plain < 0.5)
    assert np.abs(done - true)[hairs].mean() < 0.03 < 0.07 < np.abs(plain - true)[hairs].mean()


def test_a_box_is_the_crop_of_the_whole_and_threads_change_nothing(stack):
    keeps = solver()
    whole = render(stack, 4, fringes=keeps, depth="16").alpha
    assert np.array_equal(render(stack, 4, box=(50, 10, 80, 60), fringes=solver(), depth="16").alpha, whole[10:60, 50:80])
    each = list(render_each(stack, range(3, 6), lambda f, r: r.alpha.copy(), 2, "16", keeps))
    assert np.array_equal(each[1], whole)


@pytest.mark.parametrize("depth,half", [("float", 0.5), ("8", 128), ("16", 32768), ("shown", 128)])
def test_every_depth_says_the_same(stack, depth, half):
    keeps = solver()
    exact = render(stack, 4, fringes=keeps).alpha
    told = render(stack, 4, fringes=keeps, depth=depth).alpha
    assert np.allclose(told / (2.0 * half), exact, atol=0.5 / half + 0.01)
    if depth == "shown":
        assert np.array_equal(told == 0, exact == 0) and np.array_equal(told == 255, exact == 1)


def test_what_lies_above_combines_with_what_is_solved(stack):
    keeps = solver()
    solved = render(stack, 4, fringes=keeps).alpha.astype(float)
    soft = edits.soften(shape(rectangle(50, 10, 90, 45), "cutter"), 1, inner=3.0, outer=3.0)
    cutter = render(matte(soft, size=SIZE), 4).alpha
    for mode, want in (("cut", solved * (1 - cutter)), ("keep", solved * cutter), ("add", solved + cutter - solved * cutter)):
        above = replace(stack, entries=(*stack.entries, Entry(shape=soft, mode=mode)))
        assert np.abs(render(above, 4, fringes=keeps).alpha - want).max() < 1e-5
    inverted = render(replace(stack, inverted=True), 4, fringes=keeps).alpha
    assert np.abs(inverted - (1 - solved)).max() < 1e-6


def test_other_shapes_stay_as_they_are_within_the_band(stack):
    arm = shape(rectangle(62, 5, 72, 85), "arm")
    crossed = replace(stack, entries=(Entry(shape=arm), *stack.entries))
    done = render(crossed, 4, fringes=solver()).alpha
    assert np.array_equal(done[20:70, 62:72], np.ones((50, 10), np.float32))


def test_steadying_halves_the_flicker(stack):
    true = np.stack([hairy(f)[1] for f in range(12)])
    alone, steady = ([render(stack, f, fringes=solver(0.03, steady=how)).alpha for f in range(3, 9)] for how in (False, True))

    def flicker(found):
        found = np.stack(found)
        return np.abs(np.diff(found, axis=0) - np.diff(true[3:9], axis=0))[:, 20:70, 50:90].mean()

    assert flicker(steady) < 0.6 * flicker(alone)
    assert np.abs(np.stack(steady) - true[3:9]).mean() < 1.05 * np.abs(np.stack(alone) - true[3:9]).mean()


def test_what_the_frames_agree_on_is_known_when_a_frame_is_solved_once_more(stack):
    """The second turn asks less of the picture: hairs are as true as after one turn, and no haze is left where nothing is."""
    once, twice, haze = [], [], []
    for frame in range(3, 9):
        true = hairy(frame)[1]
        keeps = solver(0.03)
        done = keeps.solved(stack, 1, frame)
        x0, y0, x1, y1 = done.box
        true = true[y0:y1, x0:x1]
        shape, keys = stack.entries[1].shape, keeps.keys(stack, 1, range(1, 13))
        alone = {f: keeps.keep.get(keys[f]) for f in range(frame - 4, frame + 5) if f in keys}
        one = steadied(alone.pop(frame), [(it, motion(shape, f, frame)) for f, it in alone.items() if it is not None])
        for found, errors in ((cleaned(one), once), (done, twice)):
            errors.append(np.zeros(SIZE[::-1]))
            errors[-1][y0:y1, x0:x1] = np.where(done.unknown, found.alpha - true, 0)
        nothing = done.unknown & (cv2.dilate(true, np.ones((9, 9))) == 0)
        haze.append((np.abs(cleaned(one).alpha[nothing]).mean(), done.alpha[nothing].mean()))
    assert np.abs(twice).mean() < 1.05 * np.abs(once).mean()
    before, after = np.mean(haze, axis=0)
    assert after < 0.5 * before, (before, after)


def test_where_all_is_clear_nothing_is_solved_again(stack):
    alone = solver(steady=False).solved(stack, 1, 4)
    clear = replace(alone, alpha=(hairy(4)[1][alone.box[1] : alone.box[3], alone.box[0] : alone.box[2]] > 0.5).astype(np.float32))
    again = solved_again(alone, clear, np.zeros((SIZE[1], SIZE[0], 3), np.float32))
    assert np.array_equal(again.alpha, clear.alpha)  # a black picture would have told otherwise


def test_a_frame_counts_more_than_those_that_steady_it(stack):
    """Six frames say a little less of a place than this one does: it keeps a third of that, since it counts three times."""
    here = solver(steady=False).solved(stack, 1, 4)
    one, other = (replace(here, alpha=np.full_like(here.alpha, v)) for v in (0.52, 0.48))
    mixed = steadied(one, [(other, np.eye(2, 3))] * 6).alpha[here.unknown]
    assert mixed == pytest.approx(0.48 + 0.04 * 3 / 9, abs=0.005)


def test_a_plate_eight_frames_away_still_counts_and_one_beyond_does_not(stack):
    long = replace(stack, last=40)

    def named(changed):
        return fringe.Fringes(lambda f: hairy(f)[0], lambda f: f"plate {f}{' new' if f == changed else ''}", fringe.InMemory())

    as_it_was = named(None).whole_keys(long, 1, [20])[20]
    assert named(28).whole_keys(long, 1, [20])[20] != as_it_was != named(12).whole_keys(long, 1, [20])[20]
    assert named(29).whole_keys(long, 1, [20])[20] == as_it_was
    assert named(24).again_keys(long, 1, [20]) != named(None).again_keys(long, 1, [20]) == named(25).again_keys(long, 1, [20])


def test_a_short_shot_keeps_each_of_its_frames_apart(stack):
    short = replace(stack, first=3, last=6)
    keeps = solver()
    for frame in (4, 5, 4, 5):
        assert np.abs(render(short, frame, fringes=keeps).alpha - hairy(frame)[1]).mean() < 0.01


def test_the_key_follows_what_matters(stack):
    it = solver()
    key = it.key(stack, 1, 4)
    above = replace(stack, entries=(*stack.entries, stack.entries[0]))
    assert it.key(above, 1, 4) == key
    assert it.key(stack.with_shape(edits.soften(stack.entries[0].shape, 1, outer=1.0)), 1, 4) != key
    assert it.key(stack, 1, 5) != key
    other = fringe.Fringes(lambda f: hairy(f)[0], lambda f: f"new plate {f}", fringe.InMemory())
    assert other.key(stack, 1, 4) != key


def test_without_waiting_what_is_not_solved_is_left_out_and_told(stack):
    keep = fringe.InMemory()
    quick, slow, single = (fringe.Fringes(lambda f: hairy(f)[0], str, keep, **how) for how in ({"wait": False}, {}, {"steady": False}))
    plain = render(replace(stack, entries=stack.entries[:1]), 4).alpha
    left = render(stack, 4, fringes=quick)
    assert left.fringe == 3 and np.array_equal(left.alpha, plain)
    assert render(stack, 4, fringes=single).fringe == 2 == render(stack, 4, fringes=quick).fringe
    done = render(stack, 4, fringes=slow)
    assert done.fringe == 1 and np.array_equal(render(stack, 4, fringes=quick).alpha, done.alpha)
    with pytest.raises(NoFringe, match="solved from the plate"):
        render(stack, 4)


def test_the_hairs_keep_their_own_colour(stack):
    picture, _ = hairy(4, 0.002)
    solved = solver(0.002).solved(stack, 1, 4)
    colour = fringe.own_colour(picture, solved)
    thin = solved.unknown & (solved.alpha > 0.3) & (solved.alpha < 0.7)
    x0, y0, x1, y1 = solved.box
    carried = np.abs(picture[y0:y1, x0:x1] - HAIR)[thin].mean()
    assert thin.sum() > 50 and np.abs(colour - HAIR)[thin].mean() < 0.35 * carried


def test_a_fringe_travels_in_the_document_and_reads_in_the_sentence(stack):
    back = document.loads(document.dumps(stack))
    assert sentence(back) == "block adds, tufts is solved from the plate"
    assert np.array_equal(render(back, 4, fringes=solver()).alpha, render(stack, 4, fringes=solver()).alpha)


def test_a_change_below_touches_the_whole_band(stack):
    x0, y0, x1, y1 = touched_box(stack, [], 1)
    assert (x0, y0) <= (44, 12) and (x1, y1) >= (66, 78)


@pytest.fixture
def given(stack, tmp_path):
    """A document with a fringe and the plate's stills beside it."""
    (tmp_path / "plate").mkdir()
    for frame in range(1, 12):
        picture = np.rint(hairy(frame)[0][:, :, ::-1] * 255).astype(np.uint8)
        cv2.imwrite(str(tmp_path / "plate" / f"KITE_010.{frame:04d}.png"), picture)
    (tmp_path / "kite.json").write_text(document.dumps(stack))
    return tmp_path


def asked(given, *more):
    return main(["render", str(given / "kite.json"), str(given / "out"), "--frames", "4-5", "--workers", "2", *more])


def test_the_command_solves_from_a_folder_of_stills(given, stack):
    assert asked(given, "--plate", str(given / "plate")) == 0
    found = cv2.imread(str(given / "out" / "KITE_010_kite.0004.png"), cv2.IMREAD_UNCHANGED) / 65535
    wanted = render(stack, 4, fringes=solver()).alpha
    assert np.abs(found - wanted).mean() < 0.005  # the stills have 8 bits
    assert np.abs(found - hairy(4)[1]).mean() < 0.02


def test_the_command_solves_each_frame_of_two_fringes_once(given, stack, tmp_path, monkeypatch):
    other = replace(stack.entries[1], shape=replace(stack.entries[1].shape, id="more", name="more tufts"))
    (tmp_path / "two.json").write_text(document.dumps(replace(stack, entries=(*stack.entries, other), last=8)))
    solved, whole = [], fringe.solve
    monkeypatch.setattr(fringe, "solve", lambda band, picture: (solved.append(band.box), whole(band, picture))[1])
    folder, out = tmp_path / "plate", tmp_path / "both"
    assert main(["render", str(tmp_path / "two.json"), str(out), "--plate", str(folder)]) == 0
    assert len(list(out.iterdir())) == 8 and len(solved) == 2 * 8


def test_the_command_says_what_is_missing(given, capsys):
    assert asked(given) == 2
    assert "solved from the plate" in capsys.readouterr().err
    (given / "plate" / "KITE_010.0006.png").unlink()
    assert asked(given, "--plate", str(given / "plate")) == 2
    assert "no still of frame 6" in capsys.readouterr().err


def test_a_kept_frame_comes_back_as_it_was(stack):
    solved = solver().solved(stack, 1, 4)
    back = fringe.unpacked(fringe.packed(solved))
    assert back.box == solved.box and back.steady is solved.steady
    assert all(np.array_equal(getattr(back, n), getattr(solved, n)) for n in ("alpha", "cover", "unknown"))
    with pytest.raises((ValueError, OSError)):
        fringe.unpacked(b"something else")


def test_a_band_around_a_moving_shape_rides_with_it():
    subject = shape(rectangle(30, 20, 50, 70), "block", move=(20, 0), inner=3.0, outer=5.0)
    points, curves = fringe.band_of_reach(matte(subject, size=SIZE), subject, 6)
    band = fringe.made_band("b", "fuzz", subject, 6, points, curves)
    here, later = band.outlines(np.array([6, 11]))[:, :, :2]
    assert np.allclose(later - here, [10, 0], atol=1e-6) and np.allclose(here, points[:, :2], atol=1e-6)
    low, high = here.min(axis=0), here.max(axis=0)
    assert np.allclose([*low, *high], [35, 15, 65, 75], atol=1.5)  # five px around where the block is on frame 6


TWO_THREADS = """
import threading
import numpy as np
from roto.matte.matting.foreground import foreground
picture, alpha = np.random.default_rng(1).random((120, 160, 3)), np.random.default_rng(2).random((120, 160))
foreground(picture, alpha)  # compiled
threads = [threading.Thread(target=lambda: [foreground(picture, alpha) for _ in range(20)]) for _ in range(4)]
for t in threads: t.start()
for t in threads: t.join()
"""


def test_cut_outs_are_made_in_threads_whatever_the_machine_brings_along():
    """With numba's own pool of threads, which is all there is on a bare machine, two that enter it at once end the process."""
    done = subprocess.run([sys.executable, "-c", TWO_THREADS], env=os.environ | {"NUMBA_THREADING_LAYER": "workqueue"}, capture_output=True)
    assert done.returncode == 0, done.stderr.decode()[-500:]
