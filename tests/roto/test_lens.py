"""Lens softness: held against closed forms and against blurring a much finer picture by other libraries."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.ndimage import gaussian_filter

from roto.matte.render import Kept, render, render_again, render_each, touched_since
from roto.matte.stack import Entry
from roto.motion.group import make_group
from roto.motion.keys import Keys
from roto.motion.shape import settings_values
from roto.track.ride import go_over
from tests.roto.build import bell_along, blob, corners, matte, rectangle, shape

BOX = (31.3, 22.6, 80.9, 71.2)


def alpha(it, frame=1, **how):
    return render(it, frame, **how).alpha


@pytest.mark.parametrize("sigma", [0.6, 1.0, 2.0, 4.0, 11.0])
def test_a_bell_softens_sides_and_corners_as_its_closed_form_says(sigma):
    got = alpha(matte(shape(rectangle(*BOX), lens=sigma)))
    want = np.outer(bell_along(BOX[1], BOX[3], sigma, 100), bell_along(BOX[0], BOX[2], sigma, 120))
    near = (want > 0.001) & (want < 0.999)
    assert np.abs(got - want).max() < 0.0015
    assert np.abs(got - want)[near].mean() < 0.0008
    corner = got[22, 31]
    assert corner == pytest.approx(0.25, abs=0.12), "a corner keeps a quarter, not a half"


def outline(points: np.ndarray) -> np.ndarray:
    """A closed curve as many short sides, by de Casteljau's construction."""
    t = np.linspace(0, 1, 64, endpoint=False)[:, None]
    after = np.roll(points, -1, axis=0)
    rows = []
    for a, b in zip(points, after, strict=True):
        p = [a[:2], a[:2] + a[4:], b[:2] + b[2:4], b[:2]]
        rows.append((1 - t) ** 3 * p[0] + 3 * t * (1 - t) ** 2 * p[1] + 3 * t * t * (1 - t) * p[2] + t**3 * p[3])
    return np.concatenate(rows)


def finely(points: np.ndarray, size: tuple[int, int], times: int) -> np.ndarray:
    """The area within an outline on a picture that is so many times as fine."""
    ends = outline(points) * times - 0.5
    turns = np.zeros((size[1] * times, size[0] * times), np.int64)
    for (x0, y0), (x1, y1) in zip(ends, np.roll(ends, -1, axis=0), strict=True):
        rows = np.arange(*sorted((int(np.ceil(y0)), int(np.ceil(y1)))))
        x = np.ceil(x0 + (rows - y0) * (x1 - x0) / (y1 - y0 or 1.0)).astype(int)
        np.add.at(turns, (rows, x), 1)
    return turns.cumsum(axis=1) % 2.0


def coarse(fine: np.ndarray, times: int) -> np.ndarray:
    return fine.reshape(fine.shape[0] // times, times, -1, times).mean(axis=(1, 3))


@pytest.mark.parametrize(("sigma", "times"), [(1.2, 32), (3.0, 12)])
def test_a_bell_softens_a_curve_as_another_library_blurs_a_finer_picture(sigma, times):
    points = blob(12, seed=4)
    want = coarse(gaussian_filter(finely(points, (120, 100), times), sigma * times, truncate=5), times)
    assert np.abs(alpha(matte(shape(points, lens=sigma))) - want).max() < 0.002


@pytest.mark.parametrize("radius", [1.5, 4.0, 9.0, 17.0])
def test_a_disc_softens_a_straight_side_as_its_segment_says(radius):
    got = alpha(matte(shape(rectangle(-500, -500, 60.3, 600), lens=radius, lens_kind="disc")))[50]
    u = np.clip((60.3 - (np.arange(120 * 200) + 0.5) / 200) / radius, -1, 1)
    want = (0.5 + (u * np.sqrt(1 - u * u) + np.arcsin(u)) / np.pi).reshape(120, 200).mean(axis=1)
    assert np.abs(got - want).max() < 0.0015


def test_a_disc_softens_a_corner_as_a_disc_on_a_finer_picture():
    points, radius, times = corners((30, 20), (90, 35), (55, 80)), 5.0, 8
    y, x = np.mgrid[-48:49, -48:49]
    disc = (np.hypot(x, y) <= radius * times).astype(np.float64)
    fine = finely(points, (120, 100), times)
    want = np.fft.irfft2(np.fft.rfft2(fine) * np.fft.rfft2(np.roll(np.pad(disc, ((0, 703), (0, 863))), (-48, -48), (0, 1))), fine.shape)
    got = alpha(matte(shape(points, lens=radius, lens_kind="disc")))
    assert np.abs(got - coarse(want / disc.sum(), times)).max() < 0.006  # what the finer picture leaves open at its sides


def test_little_softness_is_none_and_all_that_is_deep_inside_is_whole():
    sharp, little = (alpha(matte(shape(rectangle(*BOX), lens=px))) for px in (0.0, 0.01))
    assert (sharp == little).all()
    soft = alpha(matte(shape(rectangle(*BOX), lens=2.0)))
    assert (soft[40:54, 50:62] == 1.0).all() and (soft[:, :18] == 0.0).all()
    shown = render(matte(shape(rectangle(*BOX), lens=2.0)), 1, depth="shown").alpha
    assert (shown[40:54, 50:62] == 255).all()


@settings(max_examples=40)
@given(
    st.tuples(st.integers(0, 90), st.integers(0, 70)), st.integers(1, 40), st.sampled_from(["bell", "disc"]), st.floats(0.3, 6),
    st.sampled_from([0.0, 180.0]), st.floats(0, 5),
)  # fmt: skip
def test_any_box_has_the_bytes_of_the_whole_frame(at, wide, kind, size, angle, whole):
    it = matte(
        shape(blob(9, seed=3), lens=size, lens_kind=kind, move=(40, 10)), Entry(shape=shape(rectangle(*BOX), "hem"), mode="cut"),
        angle=angle, lens=((1, whole),), lens_kind=kind,
    )  # fmt: skip
    box = (*at, min(120, at[0] + wide), min(100, at[1] + wide))
    for depth in ("float", "8"):
        part, all_ = render(it, 3, box=box, depth=depth), render(it, 3, depth=depth, threads=2)
        assert part.alpha.tobytes() == all_.alpha[box[1] : box[3], box[0] : box[2]].tobytes()
        assert part.samples == all_.samples


@pytest.mark.parametrize("how", ["line", "whole"])
@pytest.mark.parametrize("kind", ["bell", "disc"])
def test_what_lies_past_the_border_counts(how, kind):
    def at(away, size):
        points = blob(12, centre=(2.0 + away, 40.0 + away))
        line = shape(points, lens=5.0, lens_kind=kind) if how == "line" else shape(points)
        whole = {} if how == "line" else {"lens": ((1, 5.0),), "lens_kind": kind}
        return alpha(matte(line, size=size, **whole))

    assert np.abs(at(0, (120, 100)) - at(64, (300, 300))[64:164, 64:184]).max() < 1e-5


def test_motion_blur_is_the_mean_of_what_is_softened_at_moments():
    it = matte(shape(blob(9, seed=3), lens=2.0, move=(50, 0)), angle=180.0)
    moments = it.shutter.moments(6, 200)
    still = [alpha(matte(shape(blob(9, centre=(60 + 5 * (t - 1), 50), seed=3), lens=2.0))) for t in moments]
    assert np.abs(alpha(it, 6) - np.mean(still, axis=0)).max() < 0.004


def laid(mode, below, own):
    return {"add": below + own - below * own, "cut": below * (1 - own), "keep": below * own}[mode]


@pytest.mark.parametrize("mode", ["add", "cut", "keep"])
@pytest.mark.parametrize("inverted", [False, True])
def test_a_softened_line_combines_by_its_mode_between_others(mode, inverted):
    sail, patch = shape(blob(12)), shape(rectangle(50, 0, 70, 99), "patch")
    hem = shape(rectangle(20, 40, 100, 60), "hem", lens=3.0, opacity=0.7)
    got = alpha(matte(sail, Entry(shape=hem, mode=mode, inverted=inverted), Entry(shape=patch, mode="cut")))
    own = alpha(matte(shape(rectangle(20, 40, 100, 60), "hem", lens=3.0)))
    own = 1 - own if inverted else own
    own = 1 - 0.7 * (1 - own) if mode == "keep" else 0.7 * own
    want = laid("cut", laid(mode, alpha(matte(sail)), own), alpha(matte(patch)))
    assert np.abs(got - want).max() < 1e-5


def of_a_hand(lens, **more):
    palm, hole = shape(rectangle(30, 30, 90, 70), "palm", lens=lens), shape(rectangle(50, 40, 70, 60), "hole")
    hand = make_group("hand", "hand", 1, [palm, hole])
    palm, hole = (go_over(it, hand) for it in (palm, hole))
    ground = shape(rectangle(0, 0, 120, 50), "ground")
    return alpha(matte(ground, palm, Entry(shape=hole, mode="cut"), Entry(shape=hand, mode="cut", opacity=0.5), **more))


def test_a_group_is_made_up_first_and_laid_on_then():
    palm, hole, ground = rectangle(30, 30, 90, 70), rectangle(50, 40, 70, 60), rectangle(0, 0, 120, 50)
    own = laid("cut", alpha(matte(shape(palm, lens=2.0))), alpha(matte(shape(hole))))
    assert np.abs(of_a_hand(2.0) - laid("cut", alpha(matte(shape(ground))), 0.5 * own)).max() < 1e-5


@pytest.mark.parametrize("px", [2.0, -3.0])
def test_next_to_no_softness_leaves_a_group_and_the_shift_of_a_matte_as_they_are(px):
    grown = {"shift": ((1, px),)}
    assert np.abs(of_a_hand(0.06, **grown) - of_a_hand(0.0, **grown)).max() < 0.03


def test_the_whole_is_softened_without_a_seam():
    left, right = shape(rectangle(20, 20, 60, 80), "left"), shape(rectangle(60, 20, 100, 80), "right")
    one = alpha(matte(shape(rectangle(20, 20, 100, 80)), lens=((1, 3.0),)))
    assert np.abs(alpha(matte(left, right, lens=((1, 3.0),))) - one).max() < 1e-5
    each = [replace(it, settings=Keys.build([1], settings_values(lens=3.0)[None])) for it in (left, right)]
    assert alpha(matte(*each))[50, 59:61].max() < 0.8, "each by itself leaves one"
    assert alpha(matte(left, right, lens=((1, 3.0),), inverted=True)) == pytest.approx(1 - one, abs=1e-5)


def test_softness_is_keyed_and_grows_with_the_shapes_of_a_larger_picture():
    keyed = Keys.build([1, 11], np.stack([settings_values(), settings_values(lens=4.0)]))
    it = replace(shape(rectangle(*BOX)), settings=keyed)
    assert [s[4] for s in it.settings_at(np.array([1, 6, 11]))] == pytest.approx([0.0, 2.0, 4.0], abs=0.3)
    wide = [(np.diff(alpha(matte(it), f)[50]) > 0.001).sum() for f in (1, 6, 11)]
    assert wide[0] <= 2 < wide[1] < wide[2]
    each = list(render_each(matte(it), range(1, 12), lambda f, done: done.alpha.copy(), 2, "8"))
    assert all((mine == alpha(matte(it), f, depth="8")).all() for f, mine in zip(range(1, 12), each, strict=True))


@pytest.mark.parametrize("kind", ["bell", "disc"])
def test_a_frame_rendered_again_is_what_it_is_rendered_anew(kind):
    sail, hem = shape(blob(12), lens=3.0, lens_kind=kind, move=(30, 0)), shape(rectangle(20, 40, 100, 60), "hem")
    was = matte(sail, hem, angle=180.0, lens=((1, 1.0), (9, 2.0)))
    moved = matte(shape(blob(12, seed=5), lens=3.5, lens_kind=kind, move=(30, 0)), hem, angle=180.0, lens=was.lens)
    again = matte(shape(blob(12, seed=5), lens=3.0, lens_kind=kind, move=(30, 0)), hem, angle=180.0, lens=was.lens)
    kept = Kept.of(was, render(was, 4, depth="8"))
    assert touched_since(was, replace(moved, entries=(moved.entries[0], was.entries[1])), [4]) == {}
    now = replace(again, entries=(again.entries[0], was.entries[1]))
    ((frame, box),) = touched_since(was, now, [4]).items()
    assert render_again(kept, now, frame, box).alpha.tobytes() == render(now, 4, depth="8").alpha.tobytes()
