"""What the picture draws between keys: sheets against known motion, keys kept, stretches redone by themselves, and where it stops."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from roto.errors import BadTrack, NothingToFollow
from roto.motion import edits
from roto.picture import display
from roto.track import between, ride, sheet, smear
from roto.track.bend import Bender
from roto.track.between import Drawing
from roto.track.looking import levels_of
from roto.track.sheet import Lattice
from roto.track.track import BEND

from .bodies import SIZE, swaying

TABLE = display.light(np.arange(256) / 255.0).astype(np.float32)


def pictures(body, instead=None):
    """Its frames in linear light, made once; instead: by frame, another picture."""
    made = {f: TABLE[body.picture(f)] for f in range(body.frames)} | (instead or {})
    return lambda frame: made[frame]


def bender(body, picture, frame=0, **more):
    outline = body.truth(frame)
    return Bender(picture, frame, between.inside(outline, SIZE), outline, **more)


def drawn(body, picture, keys, spoilt=None, known=None):
    outlines = {k: body.truth(k) + (spoilt or {}).get(k, 0.0) for k in keys}
    making = lambda f: Bender(picture, f, between.inside(outlines[f], SIZE), outlines[f])  # noqa: E731
    return Drawing(bender=making, outlines=outlines, home=keys[0], lattice=making(keys[0]).lattice, known=dict(known or {}))


def off(places, body, frame):
    return np.hypot(*(places - body.truth(frame)).T)


@pytest.fixture(scope="module")
def body():
    return swaying()


@pytest.fixture(scope="module")
def picture(body):
    return pictures(body)


LATTICE = Lattice.around(np.array([20.0, 10.0]), np.array([140.0, 90.0]), 20.0)


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10_000), st.floats(-1.2, 1.2), st.floats(0.6, 1.6))
def test_an_affine_movement_of_its_points_is_that_of_the_sheet_and_bends_nothing(seed, turn, size):
    linear = size * np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    control = LATTICE.rest() @ linear.T + [7.0, -3.0]
    places = np.random.default_rng(seed).uniform(-20, 180, (1, 40, 2))
    there, slopes = sheet.bent(LATTICE, control[None], places)
    assert there == pytest.approx(places @ linear.T + [7.0, -3.0], abs=1e-9)
    assert slopes[0] == pytest.approx(np.broadcast_to(linear, (40, 2, 2)), abs=1e-9)
    assert np.abs(sheet.bending(LATTICE) @ control).max() < 1e-9


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10_000))
def test_points_with_their_tangents_come_back_from_a_bent_sheet(seed):
    rng = np.random.default_rng(seed)
    control = (LATTICE.rest() + rng.normal(0, 2.0, (LATTICE.parts, 2)))[None]
    points = rng.uniform(20, 90, (1, 12, 6))
    there = sheet.carried(LATTICE, control, points)
    assert sheet.uncarried(LATTICE, control, there) == pytest.approx(points, abs=1e-7)
    ahead = sheet.bent(LATTICE, control, points[:, :, :2] + 1e-5 * points[:, :, 4:6])[0]
    assert (ahead - there[:, :, :2]) / 1e-5 == pytest.approx(there[:, :, 4:6], abs=1e-2)  # a tangent is where a small step leads


def test_a_folded_sheet_is_said():
    control = LATTICE.rest()
    control[:, 0] = 80 - np.abs(control[:, 0] - 80)
    with pytest.raises(BadTrack, match="folded over"):
        sheet.unbent(LATTICE, control[None], np.array([[[150.0, 50.0]]]))


def test_from_one_key_the_outline_follows_what_turns_and_bulges(body, picture):
    it = bender(body, picture)
    found = list(it.follow(range(1, body.frames)))
    assert [d.frame for d in found] == list(range(1, body.frames))
    for done in found:
        assert off(it.places(done.control), body, done.frame).mean() < 0.3
    assert all(d.likeness > 0.97 for d in found)


def swift(shutter, frames=15, speed=26.0):
    """Goes to and fro, still on its first frame and quick in the middle, and bulges while it does."""

    def way(moment, places):
        gone = np.sin(np.pi * moment / (frames - 1)) ** 2
        moved = places + np.stack([3 * gone * np.exp(-((places[:, 0] / 25) ** 2)), 5 * gone * np.sin(places[:, 0] / 20)], axis=1)
        return moved + np.array([55 + speed * (frames - 1) / np.pi * gone, 70 + 20 * gone])

    return swaying(frames, way=way, shutter=shutter)


@pytest.mark.parametrize("shutter", [0.0, 0.25, 0.5])
def test_motion_blur_is_laid_on_the_key_where_it_is_compared_and_how_long_is_exposed_shows(shutter):
    body = swift(shutter)
    it = bender(body, pictures(body))
    away = [off(it.places(done.control), body, done.frame).mean() for done in it.follow(range(1, body.frames))]
    assert len(away) == body.frames - 1 and max(away) < 1 and np.mean(away) < 0.4 and away[-1] < 0.1  # 77 px if blur is left as it is
    assert it.exposure.exposed == shutter


def test_a_key_that_is_smeared_itself_is_followed_to_where_the_picture_is_sharp():
    body = swift(0.5)
    it = bender(body, pictures(body), 4)
    away = [off(it.places(done.control), body, done.frame).mean() for done in it.follow(range(5, body.frames))]
    assert len(away) == 10 and max(away) < 0.8 and np.mean(away) < 0.5


vectors = st.tuples(st.floats(-20, 20), st.floats(-20, 20)).map(np.array)


@given(vectors, vectors)
def test_what_is_laid_on_makes_both_equally_smeared_and_no_more_than_needed(key, frame):
    (on_key,), (on_frame,) = smear.between(key[None], frame[None])
    of = lambda *ways: sum(np.outer(one, one) for one in ways)  # noqa: E731
    assert np.allclose(of(key, on_key), of(frame, on_frame), atol=1e-6)
    assert abs(on_key @ on_frame) < 1e-6 and np.hypot(*on_key) <= np.hypot(*frame) + 1e-6


def test_a_smear_quiets_grain_by_as_much_as_is_said():
    grain = np.random.default_rng(3).normal(0, 1, (400, 400, 3)).astype(np.float32)
    (level,) = levels_of(grain, (0, 0), 1)
    places = np.stack(np.meshgrid(np.arange(20, 380, 7) + 0.5, np.arange(20, 380, 7) + 0.5), axis=2).reshape(-1, 2)
    plain = level.colours[..., :3].var()
    for long in (0.0, 3.0, 9.0):
        along = np.repeat([[0.6 * long, 0.8 * long]], len(places), axis=0)
        said = smear.quieter(np.array([long]))[0]
        assert smear._averaged(level, places, along).var() / plain == pytest.approx(said, rel=0.25)


def test_a_still_picture_gives_a_still_outline_and_the_same_twice(body, picture):
    still = lambda frame: picture(0)  # noqa: E731
    runs = [list(bender(body, still).follow(range(1, 5))) for _ in range(2)]
    it = bender(body, still)
    for one, other in zip(*runs, strict=True):
        assert np.array_equal(one.control, other.control)
        assert np.abs(it.places(one.control) - body.truth(0)).max() < 0.01


@pytest.mark.parametrize(
    ("spoil", "says"),
    [
        (lambda made: made[::-1, ::-1] * 0.9, "lost"),  # another picture: a cut
        (lambda made: made * 0, "lost"),
        (lambda made: np.full_like(made, 0.4), "lost"),
    ],
)
def test_it_stops_and_says_so_where_the_picture_is_another_one(body, picture, spoil, says):
    other = pictures(body, {f: spoil(picture(f)).astype(np.float32) for f in range(4, body.frames)})
    drawing = drawn(body, other, [0])
    drawing.onwards(0, body.frames - 1)
    assert sorted(drawing.known) == [0, 1, 2, 3]
    assert says in drawing.why and drawing.why.endswith("The last good frame is 3.")


def test_it_stops_where_the_subject_leaves_the_picture():
    body = swaying(13, way=lambda moment, places: places + np.array([150 + 9.0 * moment, 80]))
    drawing = drawn(body, pictures(body), [0])
    drawing.onwards(0, 12)
    assert "left the picture" in drawing.why and 2 < max(drawing.known) < 12


def test_a_flat_inside_is_said_before_anything_is_drawn(body):
    flat = swaying(contrast=0.0, grain=0.004)
    with pytest.raises(NothingToFollow, match="too little to hold on to"):
        bender(flat, pictures(flat))


def test_between_two_keys_both_are_kept_and_the_way_is_the_pictures(body, picture):
    last = body.frames - 1
    drawing = drawn(body, picture, [0, last])
    between.stretches(drawing, [(0, last)])
    assert np.array_equal(drawing.known[0].control, drawing.lattice.rest())
    for frame in range(body.frames):
        places = sheet.bent(drawing.lattice, drawing.known[frame].control[None], body.truth(0)[None])[0][0]
        assert off(places, body, frame).max() < 0.6
    straight = 0.5 * (body.truth(0) + body.truth(last))
    assert off(straight, body, last // 2).max() > 0.9  # what plain in-betweening would give


def test_a_key_that_was_corrected_redoes_its_stretches_and_leaves_the_others_bytes(body, picture):
    drawing = drawn(body, picture, [0, 4, 8])
    between.stretches(drawing, [(0, 4), (4, 8)])
    before = {f: one.control.copy() for f, one in drawing.known.items()}
    again = drawn(body, picture, [0, 2, 4, 8], spoilt={2: 1.0}, known=drawing.known)
    between.stretches(again, [(0, 2), (2, 4)])
    assert all(np.array_equal(before[f], again.known[f].control) for f in (0, 2, 4, 5, 6, 7, 8))
    assert not np.array_equal(before[1], again.known[1].control)


def test_it_goes_on_from_a_key_that_nothing_was_drawn_to(body, picture):
    drawing = drawn(body, picture, [0, 2, 6])
    between.stretches(drawing, [(0, 2), (6, 8)])
    there = sheet.unbent(drawing.lattice, drawing.known[6].control[None], body.truth(6)[None])[0]
    assert off(drawing._on(drawing.known[8].control, there), body, 8).mean() < 0.4 and 4 not in drawing.known


def test_keys_that_no_picture_bends_into_each_other_are_said_and_what_else_was_drawn_stays(body, picture):
    drawing = drawn(body, picture, [0, 2, 6])
    drawing.outlines[6] = drawing.outlines[6][::-1]
    between.stretches(drawing, [(0, 2), (2, 6)])
    assert sorted(drawing.known) == [0, 1, 2] and drawing.why.startswith("The outlines of two keys are too unlike")


def test_a_side_that_is_much_less_sure_counts_less():
    one, other = (LATTICE.rest() + shift for shift in (0.0, 1.0))
    shares = lambda off: [share for share, _, _ in between._weighed([(0.5, one, 0.2), (0.5, other, off)])]  # noqa: E731
    assert shares(0.7) == [0.5, 0.5]
    assert shares(8.0) == [0.5, pytest.approx(0.05)] and shares(np.inf) == [0.5, 0.0]
    assert [share for share, _, _ in between._weighed([(1.0, one, np.inf)])] == [1.0]


def test_where_a_key_helps_most_is_the_middle_of_what_is_off_most():
    known = {f: between.Sure(control=LATTICE.rest(), off=off) for f, off in enumerate([0, 0.6, 0.7, 0.6, 0, 0.9, 2.0, 0.2, 0, 0.3, 0])}
    assert between.where_next(known, [0, 4, 8, 10], 3) == [6, 2]  # the last stretch is sure
    assert between.where_next({}, [4]) == []


def test_it_says_where_it_is_less_sure_and_a_pass_before_it_is_bridged(body, picture):
    spoilt = {}
    for frame in (4, 5):
        spoilt[frame] = picture(frame).copy()
        spoilt[frame][:, 30:220] = 0.3
    it = drawn(body, pictures(body, spoilt), [0])
    it.onwards(0, 8)
    assert max(it.known) == 8 and not np.isfinite(it.known[4].off) and it.known[7].off < 3
    assert between.confidence(it.known[4].off) == 0
    places = it._on(it.known[8].control, body.truth(0))
    assert off(places, body, 8).mean() < 0.5


def test_a_shape_takes_it_up_with_its_keys_where_they_are_and_lays_it_down_by_baking(body, picture):
    outline = body.truth(0)[::4]
    points = np.concatenate([outline, np.zeros((12, 4))], axis=1)
    shape = edits.trace("s", "body", 0, points, [True] * 12)
    there = shape.outlines(np.array([0]))[0]
    there[:, :2] = body.truth(8)[::4]
    shape = shape.with_form_key(8, there, np.ones(12, bool))
    outlines = dict(zip((0, 8), between.along(shape.outlines(np.array([0, 8])), 96), strict=True))
    making = lambda f: Bender(picture, f, between.inside(outlines[f], SIZE), outlines[f])  # noqa: E731
    drawing = Drawing(bender=making, outlines=outlines, home=0, lattice=making(0).lattice)
    between.stretches(drawing, [(0, 8)])
    track = between.as_track(drawing, "t", "body drawn")
    riding = ride.take_up(shape, track)
    keys = np.array([0, 8])
    assert riding.outlines(keys) == pytest.approx(shape.outlines(keys), abs=1e-7)
    assert off(riding.outlines(np.array([4]))[0][:, :2], swaying(outline=body.outline[::4]), 4).max() < 0.6
    moved = riding.outlines(np.array([4]))[0]
    moved[3, :2] += [2.0, -1.0]
    corrected = riding.with_form_key(4, moved, np.arange(12) == 3)
    assert corrected.outlines(np.array([4]))[0, 3, :2] == pytest.approx(moved[3, :2], abs=1e-6)
    again = ride.take_up(corrected, track)
    assert np.array_equal(again.form.values, corrected.form.values)
    with pytest.raises(BadTrack, match="baking"):
        ride.carry(riding, None, "move", 4)


def test_what_the_picture_draws_carries_other_shapes_with_their_reach_as_well(body, picture):
    drawing = drawn(body, picture, [0])
    drawing.onwards(0, 8)
    track = between.as_track(drawing, "t", "body drawn")
    middle = body.truth(0).mean(axis=0)
    spot = middle + 10 * np.array([[-1.0, -1], [1, -1], [1, 1], [-1, 1]])
    patch = edits.trace("p", "patch", 0, np.concatenate([spot, np.zeros((4, 4))], axis=1), [False] * 4)
    riding = ride.carry(patch, track, BEND, 0)
    there = riding.outlines(np.array([0, 8]))[:, :, :2]
    assert there[0] == pytest.approx(spot, abs=1e-7)
    true = body.way(8.0, spot - np.array([90.0, 80.0]))  # on frame 0 the body lies as it is given
    assert np.hypot(*(there[1] - true).T).max() < 0.5
