"""Following patches, on plates drawn by the tests; what tracks carry; keys made few."""

from dataclasses import replace

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from benchmarks.clips import Clip, turning
from roto.errors import BadKeys, BadTrack, NothingToFollow
from roto.matte.render import render
from roto.motion import edits, placement
from roto.motion.keys import Keys
from roto.track.align import AFFINE, MOVE, PERSPECTIVE, SIMILAR, mapped
from roto.track.edge_fit import places_at
from roto.track.follow import Follower, around_point
from roto.track.thin import baked, thin
from roto.track.track import Carrier, Track, carried, corrected, cut_off, followed, joined, laid, maps_between, smoothed, taken_at
from roto.track.trials import Trials, looked_at, off_by, picked

from .build import blob, corners, matte, rectangle, shape

CARD = np.array([[10.0, 10], [80, 10], [80, 60], [10, 60]])
SPOT = np.array([[45.3, 35.2]])


def off(clip, steps, spot):
    """px between where a spot of the card was followed to and where it is, for each step."""
    home = clip.at(0, spot)
    return np.array([np.hypot(*(mapped(s.map, home) - clip.at(s.frame, spot)).T).max() for s in steps])


def test_a_point_is_followed_through_turns_growth_grain_and_changing_light():
    clip = Clip(turning(), light=lambda f: 1 + 0.15 * f / 100)
    follower = Follower(clip.grey, 0, around_point(*clip.at(0, SPOT)[0], 18))
    steps = list(follower.follow(range(1, 101)))
    error = off(clip, steps, SPOT)
    assert len(steps) == 100 and np.sqrt((error**2).mean()) < 0.1 and error.max() < 0.4  # measured: 0.01 and 0.02


def boxed(points):
    """The box (x0, y0, x1, y1) around points."""
    return (*np.floor(points.min(axis=0)).astype(int).tolist(), *np.ceil(points.max(axis=0)).astype(int).tolist())


def test_a_plane_in_perspective_is_followed_past_what_goes_by_in_front():
    def way(frame):
        ends = np.array([[60, 40], [250, 50], [240, 190], [55, 200]]) + np.array([[30, 8], [30, -10], [40, 12], [10, 0]]) * frame / 40
        begin = np.array([[0, 0], [190, 0], [190, 150], [0, 150]], np.float32)
        return cv2.getPerspectiveTransform(begin, ends.astype(np.float32)).astype(float)

    def bar(frame):
        return ((frame - 14) * 45, 0, (frame - 14) * 45 + 60, 260) if 15 <= frame < 23 else None

    card = np.array([[12.0, 12], [178, 12], [178, 138], [12, 138]])
    clip = Clip(way, size=(360, 260), card=(190, 150), cover=bar)
    quad = clip.at(0, card)
    box = boxed(quad)
    mask = np.zeros((box[3] - box[1], box[2] - box[0]), np.uint8)
    cv2.fillPoly(mask, [np.rint(quad - box[:2]).astype(np.int32)], 1)
    steps = list(Follower(clip.grey, 0, box, mask > 0, model=PERSPECTIVE).follow(range(1, 41)))
    error = off(clip, steps, card)
    assert len(steps) == 40 and np.sqrt((error**2).mean()) < 0.05 and error[14:23].max() < 0.12


def test_backwards_and_onwards_from_a_frame_set_by_hand():
    clip = Clip(turning())
    follower = Follower(clip.grey, 0, around_point(*clip.at(0, SPOT)[0], 15))
    by_hand = np.eye(3)
    by_hand[:2, 2] = (clip.at(20, SPOT) - clip.at(0, SPOT))[0] + [3.0, -2.0]  # set a little off: kept as it is, and only a beginning
    steps = list(follower.follow(range(20, 25), known={20: by_hand}))
    assert np.array_equal(steps[0].map, by_hand) and off(clip, steps[1:], SPOT).max() < 0.2
    back = Clip(lambda f: turning()(30 + f))
    steps = list(Follower(back.grey, 0, around_point(*back.at(0, SPOT)[0], 15)).follow(range(-1, -11, -1)))
    assert off(back, steps, SPOT).max() < 0.1


def test_a_leap_is_found_by_searching_and_a_lost_target_says_so():
    def way(frame):
        return turning(speed=(0, 0), turn=0)(0) @ np.array([[1, 0, 26.0 * (frame >= 3)], [0, 1, 12.0 * (frame >= 3)], [0, 0, 1]])

    leap = Clip(way)
    steps = list(Follower(leap.grey, 0, around_point(*leap.at(0, SPOT)[0], 12), model=MOVE, search=40).follow(range(1, 6)))
    assert off(leap, steps, SPOT).max() < 0.1
    gone = Clip(turning(), cover=lambda f: (0, 0, 320, 240) if f >= 4 else None)
    steps = list(Follower(gone.grey, 0, around_point(*gone.at(0, SPOT)[0], 15)).follow(range(1, 10)))
    assert [s.frame for s in steps if s.map is not None] == [1, 2, 3] and "lost" in steps[-1].why
    leaves = Clip(turning(speed=(-14, 0)))
    steps = list(Follower(leaves.grey, 0, around_point(*leaves.at(0, SPOT)[0], 15)).follow(range(1, 20)))
    assert "left the picture" in steps[-1].why and steps[-1].frame > 5


def tiles(seed, period, size=(480, 360)):
    """A picture whose cells repeat, moved about: frame to picture and true way (px)."""
    rng = np.random.default_rng(seed)
    cell = cv2.GaussianBlur(np.tile(rng.normal(0, 1, (period, period)), (3, 3)), (0, 0), 1.2)[period : 2 * period, period : 2 * period]
    big = np.tile(cell, (1000 // period + 1, 1000 // period + 1)).astype(np.float32)
    big = np.clip(0.5 + 0.15 * big / big.std(), 0, 1)
    speed = rng.uniform(-0.45, 0.45, 2) * period
    steps = speed + np.cumsum(np.vstack([[0.0, 0.0], rng.normal(0, 0.6, (10, 2))]), axis=0)
    ways = np.vstack([[0.0, 0.0], np.cumsum(steps, axis=0)])

    def grey(frame):
        shift = np.array([[1, 0, -200 + ways[frame, 0]], [0, 1, -200 + ways[frame, 1]]])
        return cv2.warpAffine(big, shift, size, flags=cv2.INTER_CUBIC) + rng.normal(0, 0.01, size[::-1]).astype(np.float32)

    return grey, ways


def test_what_repeats_never_leads_to_another_copy_without_a_word():
    """Eighty tries (the benchmark has two hundred): cells of 16 to 40 px, the patch hardly larger than one. It moves by less than half a
    cell a frame: beyond that nobody could tell."""
    stopped, held, at = 0, 0, np.array([[240.0, 180.0]])
    for seed in range(80):
        grey, ways = tiles(seed, (16, 24, 32, 40)[seed % 4])
        for step in Follower(grey, 0, around_point(240, 180, 16), model=MOVE).follow(range(1, 6)):
            if step.map is None:
                assert "look just like" in step.why or "lost" in step.why
                stopped += 1
                break
            assert np.abs(mapped(step.map, at) - at - ways[step.frame]).max() < 1, (seed, step)
            held += 1
    assert stopped < 80 and held >= 16


def test_once_its_movement_is_known_it_is_followed_over_what_repeats():
    grey, ways = tiles(3, 24)
    known = {}
    for frame in (1, 2):
        known[frame] = np.eye(3)
        known[frame][:2, 2] = ways[frame]
    at = np.array([[240.0, 180.0]])
    steps = list(Follower(grey, 0, around_point(240, 180, 16), model=MOVE).follow(range(1, 9), known=known))
    assert len(steps) == 8 and all(np.abs(mapped(s.map, at) - at - ways[s.frame]).max() < 0.2 for s in steps)
    assert all(0.55 < s.confidence < 1 for s in steps[2:])  # less sure than of a patch that is the only one


def test_where_there_is_nothing_to_hold_on_to_it_says_so():
    flat = np.full((80, 100), 0.5, np.float32) + np.random.default_rng(1).normal(0, 1e-7, (80, 100)).astype(np.float32)
    edge = np.where(np.arange(100) < 50, 0.2, 0.8).astype(np.float32)[None].repeat(80, axis=0)
    for picture in (flat, edge):
        with pytest.raises(NothingToFollow, match="nothing to hold on to"):
            Follower(lambda f, picture=picture: picture, 0, around_point(50, 40, 12))
    with pytest.raises(NothingToFollow, match="outside the picture"):
        Follower(lambda f: edge, 0, around_point(300, 40, 12))


def test_what_is_held_out_does_not_lead_astray():
    """A bar that stands still in front of a moving card: it covers most of the patch."""
    still = (70.0, 0.0, 118.0, 240.0)
    clip = Clip(turning(speed=(1.5, 0.5), turn=0), cover=lambda f: still)
    hidden = np.zeros((240, 320), bool)
    hidden[:, 70:118] = True
    quad = clip.at(0, CARD)
    box = (*np.floor(quad.min(axis=0)).astype(int).tolist(), *np.ceil(quad.max(axis=0)).astype(int).tolist())
    steps = list(Follower(clip.grey, 0, box, model=AFFINE, held_out=lambda f: hidden).follow(range(1, 12)))
    assert len(steps) == 11 and off(clip, steps, CARD).max() < 0.25


quads = st.lists(st.tuples(st.floats(-40, 40), st.floats(-40, 40)), min_size=4, max_size=4)


@given(quads, st.sampled_from([MOVE, SIMILAR, AFFINE, PERSPECTIVE]))
def test_maps_take_the_points_where_they_are(bumps, how):
    home = np.array([[0.0, 0], [200, 0], [210, 180], [-10, 160]])
    there = home + np.array(bumps) * (0.5 if how == PERSPECTIVE else 1.0) + [30, -12]
    count = {MOVE: 1, SIMILAR: 2, AFFINE: 3, PERSPECTIVE: 4}[how]
    made = maps_between(home[:count], there[None, :count], how)[0]
    assert np.abs(mapped(made, home[:count]) - there[:count]).max() < 1e-6
    points = blob(6, (90, 80), 40)[None]
    back = carried(np.linalg.inv(made)[None], carried(made[None], points))
    assert np.abs(back - points).max() < 1e-6


def swinging():
    frames = np.arange(1, 31)
    home = np.array([[40.0, 40], [140, 45], [135, 120], [38, 118]])
    move = np.stack([3 * (frames - 1.0), 20 * np.sin(frames / 7) - 20 * np.sin(1 / 7)], axis=1)
    bend = np.array([[0, 0], [1, 0.2], [0.6, 0.4], [0.1, 0.1]])[None] * (frames - 1.0)[:, None, None] * 0.4
    values = home[None] + move[:, None] + bend
    return Track(id="t", name="card", home=1, points=Keys.build(frames, values), confidence=np.ones(30), manual=frozenset([1]))


@pytest.mark.parametrize("how", [MOVE, SIMILAR, AFFINE, PERSPECTIVE])
def test_a_carried_shape_goes_along_and_a_correction_rides_on_top(how):
    track = swinging()
    rider = replace(shape(blob(8, (90, 80), 25)), rides=(Carrier(track=track, how=how),))
    at = rider.outlines(np.array([1, 20]))
    assert np.abs(at[0] - shape(blob(8, (90, 80), 25)).outlines(np.array([1]))[0]).max() < 1e-9
    expected = mapped(track.maps_at(20.0, 20, how)[0], at[0, :, :2])
    assert np.abs(at[1, :, :2] - expected).max() < 1e-9
    moved = at[1, 2] + [4, 3, 0, 0, 0, 0]
    fixed = edits.move_points(edits.key_here(rider, "form", 1), 20, {2: moved})
    assert np.abs(fixed.outlines(np.array([20]))[0, 2] - moved).max() < 1e-9
    others = np.delete(fixed.outlines(np.array([12]))[0], 2, axis=0) - np.delete(rider.outlines(np.array([12]))[0], 2, axis=0)
    assert np.abs(others).max() < 1e-9  # the ride is not lost
    within = np.hypot(*(fixed.outlines(np.array([27]))[0, 2, :2] - rider.outlines(np.array([27]))[0, 2, :2]))
    assert 3 < within < 8  # and the correction stays


def test_perspective_acts_on_what_is_drawn_and_not_on_tangents():
    """A curved outline of few points, tilted strongly: its picture is that of the outline's own places, each taken along."""
    tilt = np.array([[1, 0, 0], [0, 1, 0], [0.003, 0.001, 1]])
    bend = blob(5, (60, 50), 32, rough=0.05)
    it = shape(bend)
    few = replace(it, rides=(Carrier(track=None, before=tilt),))
    along = np.linspace(0, 1, 60, endpoint=False)
    places, _ = places_at(bend, np.repeat(np.arange(5), 60), np.tile(along, 5))
    many = shape(corners(*map(tuple, mapped(tilt, places))), "many")
    one, other = (render(matte(s), 1).alpha for s in (few, many))
    assert np.abs(one - other).max() < 0.02
    plain = replace(shape(carried(tilt[None], bend[None])[0]), id="plain")
    assert np.abs(render(matte(plain), 1).alpha - other).max() > 0.03  # as it would be by points and tangents alone


def test_going_over_to_another_carrier_keeps_the_picture_on_the_frame():
    track, other = swinging(), laid("u", "spot", 9, [[10.0, 10]])
    other = corrected(other, 25, {0: (60.0, 22.0)})
    it = replace(shape(blob(8, (90, 80), 25)), rides=(Carrier(track=track, how=PERSPECTIVE),))
    was = it.outlines(np.array([17]))
    for next_one, how in ((other, MOVE), (None, MOVE), (track, SIMILAR)):
        it = replace(it, rides=(taken_at(it.rides[0], next_one, how, 17),))
        assert np.abs(it.outlines(np.array([17])) - was).max() < 1e-6
    still = replace(it, rides=(taken_at(it.rides[0], None, MOVE, 17),))
    assert np.abs(still.outlines(np.array([3])) - was).max() < 1e-6


def test_corrections_of_a_track_spread_to_what_was_set_by_hand():
    track = swinging()
    was = track.points.values.copy()
    once = corrected(track, 15, {2: (200.0, 150.0)})
    assert once.points_at(15.0, 15)[0, 2].tolist() == [200.0, 150.0] and once.manual == {1, 15}
    moved = once.points.values - was
    assert np.abs(moved[:, [0, 1, 3]]).max() < 1e-9 and np.abs(moved[0]).max() == 0
    share = np.linalg.norm(moved[:, 2], axis=1)
    assert (np.diff(share[:15]) >= -1e-9).all() and np.ptp(share[14:]) < 1e-9  # rises to it, and stays beyond
    twice = corrected(once, 25, {2: (230.0, 150.0)})
    assert twice.points_at(15.0, 15)[0, 2].tolist() == [200.0, 150.0]
    maps = [np.array([[1, 0, f], [0, 1, 0], [0, 0, 1.0]]) for f in (14, 15, 16)]
    again = followed(twice, [14, 15, 16], maps, [0.9, 0.8, 0.7], 1)
    assert again.points_at(15.0, 15)[0, 2].tolist() == [200.0, 150.0]  # never overwritten
    assert again.points_at(14.0, 14)[0, 0, 0] == was[0, 0, 0] + 14 and again.confidence[13] == 0.9


def test_tracks_are_laid_by_hand_joined_cut_and_smoothed():
    one, two = (corrected(laid(n, n, 1, [p]), 21, {0: q}) for n, p, q in (("a", (10.0, 10), (50.0, 10)), ("b", (10.0, 60), (90.0, 60))))
    both = joined("c", "both", [one, two], 1)
    assert both.hows == [MOVE, SIMILAR]
    turn = both.maps_at(21.0, 21, SIMILAR)[0]
    assert np.degrees(np.arctan2(turn[1, 0], turn[0, 0])) == pytest.approx(-np.degrees(np.arctan2(40, 50)))
    with pytest.raises(BadTrack, match="too few"):
        both.maps_at(1.0, 1, PERSPECTIVE)
    with pytest.raises(BadTrack, match="share"):
        joined("c", "both", [one, two], 50)
    rng = np.random.default_rng(1)
    track = swinging()
    shaken = replace(track, points=replace(track.points, values=track.points.values + rng.normal(0, 0.5, track.points.values.shape)))
    calm = smoothed(shaken, 2.0)
    inner = slice(4, -4)
    left, was = (np.abs(one.points.values - track.points.values)[inner].mean() for one in (calm, shaken))
    assert left < 0.7 * was
    assert np.array_equal(calm.points.values[0], shaken.points.values[0])  # set by hand
    assert cut_off(track, 5, 9).points.frames.tolist() == [1, 5, 6, 7, 8, 9]


def plank(frames=48):
    turns = ((0, 0, 0), (60, 10, 50), (150, -5, 140), (230, 20, 200))
    place = Keys.build([1, 14, 30, frames], [placement.values((x, y), t, 1.0) for x, y, t in turns])
    return shape(rectangle(40, 100, 160, 120), "plank", place=place)


@pytest.mark.parametrize("tolerance", [0.2, 0.5, 2.0])
def test_thinned_keys_keep_every_frame_within_the_tolerance(tolerance):
    frames = np.arange(1, 49)
    dense = baked(plank(), frames)
    assert np.abs(dense.outlines(frames) - plank().outlines(frames)).max() < 1e-9
    done = thin(dense, tolerance)
    apart = off_by(done.shape, looked_at(dense.outlines(frames)), frames)
    assert apart.max() <= tolerance and done.worst == pytest.approx(apart.max()) and done.before == 49
    assert done.after <= 12 and done.after == len(done.shape.form.frames) + len(done.shape.place.frames)


@pytest.mark.parametrize(("seed", "rides"), [(1, False), (2, False), (3, True)])
def test_a_trial_looks_only_where_something_changes_and_says_what_a_whole_look_says(seed, rides):
    """Keys taken out, shifted and put in at random: what is off by a look at the near frames is off by a look at all."""
    rng = np.random.default_rng(seed)
    frames = np.arange(1, 61)
    values = np.repeat(blob(7, (100, 90), 40)[None], 60, axis=0)
    values[:, :, :2] += np.cumsum(rng.normal(0, 2, (60, 7, 2)), axis=0)
    place = Keys.build(frames, rng.normal(0, 0.05, (60, 3, 2)).cumsum(axis=0) * [[20, 20], [5, 2], [1, 0.5]])
    curved = np.where(np.arange(7) % 3 > 0, 1, 0).astype(np.int8)
    base = replace(shape(blob(7)), kinds=curved, form=Keys.build(frames, values), place=place, pivot=(60.0, 50.0))
    if rides:
        base = replace(base, rides=(Carrier(track=swinging(), how=PERSPECTIVE),))
    wanted, every, kinds = looked_at(base.outlines(frames)), [int(f) for f in frames], {21: 1, 40: 0}

    def whole(on):
        return off_by(replace(base, form=picked(base.form, on[0], kinds), place=picked(base.place, on[1], kinds)), wanted, frames)

    def some():
        return sorted({1, 60, *rng.choice(every, 22, replace=False).tolist()})

    def other(keys):
        return sorted({1, 60, *(set(keys) ^ set(rng.choice(every, int(rng.integers(0, 4))).tolist()))})

    trials = Trials(base, frames, wanted, kinds, (some(), some()))
    for _ in range(40):
        on = (other(trials.on[0]), other(trials.on[1]))
        worst = whole(on).max()
        assert trials.worst(on) == pytest.approx(worst, abs=1e-9)
        limit = float(rng.uniform(0.5, 1.5)) * worst
        assert (trials.worst(on, limit) > limit) == (worst > limit)
        if rng.random() < 0.5:
            trials.take(on)
            assert trials.off == pytest.approx(whole(on), abs=1e-9)


def test_thinning_needs_fewer_keys_where_it_rides_and_keeps_holds():
    track = swinging()
    it = replace(shape(blob(8, (90, 80), 25)), rides=(Carrier(track=track, how=PERSPECTIVE),))
    frames = np.arange(1, 31)
    assert thin(baked(it, frames), 0.1).after <= 3  # within its ride it stands still
    free = baked(it, frames, free=True)
    assert free.rides == () and np.abs(free.outlines(frames) - it.outlines(frames)).max() < 1e-9
    assert thin(free, 0.5).after > 4
    holds = edits.key_kind(edits.place(edits.place(shape(blob(8)), 10, (30, 0)), 20, (0, 30)), "placement", 10, "hold")
    done = thin(holds, 0.3).shape
    assert off_by(done, looked_at(holds.outlines(frames[:20])), frames[:20]).max() <= 0.3
    with pytest.raises(BadKeys, match="nothing to thin"):
        thin(shape(blob(8)), 0.5)
