"""Shapes that move as one: what a group's placement does to its members, and what joining, leaving and steadying leave where it was."""

from dataclasses import replace

import numpy as np
import pytest

from roto.errors import BadGeometry
from roto.motion import edits, interpolate, placement
from roto.motion.group import Riding, group_of, groups_of, let_ride, make_group, steady_group
from roto.motion.keys import Keys
from roto.track.ride import carrier_of, go_over, own_carrier, under, with_carrier
from roto.track.track import Carrier, Track

from .build import blob, rectangle, shape

EVERY = np.arange(1, 31)


def turning(group, degrees=70.0, move=(25.0, -12.0), size=1.4):
    """A group that turns, moves and grows on uneven keys."""
    keys = [placement.values(), placement.values(move, degrees / 3, 1.1), placement.values((2 * move[0], move[1]), degrees, size)]
    return replace(group, place=Keys.build([1, 9, 30], keys))


def limb(seed=1):
    rng = np.random.default_rng(seed)
    place = Keys.build([1, 12, 25], [placement.values((3 * k, k), 15.0 * k, 1 + 0.1 * k) for k in range(3)])
    it = shape(blob(8, radius=20, seed=seed), name=f"limb {seed}", place=place)
    return edits.move_points(it, 14, {2: it.outlines(np.array([14]))[0, 2] + rng.normal(0, 3, 6)})


def away(one, other, frames=EVERY):
    return np.hypot(*(one.outlines(frames)[:, :, :2] - other.outlines(frames)[:, :, :2]).transpose(2, 0, 1)).max()


def test_members_follow_the_group_as_one_stiff_thing():
    arm, hand = shape(rectangle(0, 0, 40, 10), name="arm"), shape(blob(8, (50, 5), 8), name="hand")
    group = turning(make_group("body", "body", 1, [arm, hand]))
    riders = [let_ride(s, None) for s in (arm, hand)]
    riders = [replace(s, rides=(Riding(group),)) for s in riders]
    still = np.concatenate([s.outlines(EVERY[:1])[0, :, :2] for s in riders])
    for frame in (9, 17, 30):
        now = np.concatenate([s.outlines(np.array([frame]))[0, :, :2] for s in riders])
        gaps = [np.hypot(*(p[:, None] - p[None]).transpose(2, 0, 1)) for p in (still, now)]
        ratio = gaps[1][gaps[0] > 1] / gaps[0][gaps[0] > 1]
        assert np.ptp(ratio) < 1e-9  # every distance grows by the same
    assert ratio[0] == pytest.approx(1.4)


def test_a_group_at_rest_takes_a_shape_in_without_a_new_key():
    it = limb()
    rider = let_ride(it, make_group("g", "body", 3, [it]))
    assert rider.place is it.place and away(it, rider) == 0


def test_between_groups_that_stand_still_the_keys_stay_the_same_ones():
    it = limb()
    posed = replace(make_group("g", "body", 1, [it]), place=Keys.build([1], [placement.values((30, 9), 400.0, 0.7)]))
    rider = let_ride(it, posed)
    assert rider.place.frames.tolist() == it.place.frames.tolist()
    assert away(it, rider) < 1e-9
    assert away(it, let_ride(rider, None)) < 1e-9


@pytest.mark.parametrize(("seed", "degrees"), [(0, 30), (1, 200), (2, 800)])
def test_joining_and_leaving_a_moving_group_leaves_every_frame_where_it_was(seed, degrees):
    it = limb(seed)
    group = turning(make_group("g", "body", 1, [it]), degrees)
    rider = let_ride(it, group)
    assert group_of(rider) is group
    assert away(it, rider) <= 0.05
    assert away(rider, let_ride(rider, None)) <= 0.05
    assert degrees > 30 or len(rider.place.frames) < 15  # not one a frame where that is not needed


def test_points_and_placement_are_edited_in_plate_pixels_while_riding():
    it = shape(rectangle(0, 0, 40, 10))
    rider = replace(it, rides=(Riding(turning(make_group("g", "body", 1, [it]))),))
    was = rider.outlines(np.array([20]))[0]
    now = edits.move_points(rider, 20, {1: was[1] + [5, 3, 0, 0, 0, 0]}).outlines(np.array([20]))[0]
    assert now - was == pytest.approx(np.eye(4, 1, -1) * [5, 3, 0, 0, 0, 0], abs=1e-9)
    placed = edits.place(rider, 20, move=(7, -2)).outlines(np.array([20]))[0]
    assert placed[:, :2] - was[:, :2] == pytest.approx(np.tile([7, -2], (4, 1)), abs=1e-9)
    turned = edits.place(rider, 20, turn=90, about=tuple(was[0, :2])).outlines(np.array([20]))[0]
    assert turned[0, :2] == pytest.approx(was[0, :2], abs=1e-9)
    assert (turned[1, :2] - was[0, :2]) @ (was[1, :2] - was[0, :2]) == pytest.approx(0, abs=1e-6)


def test_steadying_a_group_takes_out_what_all_share_and_leaves_keyed_outlines():
    frames = [1, 8, 15, 22]
    led = turning(make_group("t", "truth", 1, [limb(1)]), degrees=120)

    def retraced(seed):
        """As traced anew on each key: the shared motion is in its form, and something of its own."""
        points = np.concatenate([led_at(blob(8, radius=20, seed=seed), f) for f in frames])
        points[2, 3, :2] += 2.0
        it = shape(points[0], name=f"limb {seed}")
        return replace(it, form=Keys.build(frames, points))

    def led_at(points, frame):
        return placement.apply(led.maps_at(frame, frame), points[None])

    members = [replace(retraced(seed), rides=()) for seed in (1, 2)]
    group = make_group("g", "body", 1, members)
    members = [let_ride(m, group) for m in members]
    new, done, said = steady_group(group, members)
    for was, now in zip(members, done, strict=True):
        assert away(was, now, np.array(frames)) < 1e-6
        assert group_of(now) is new
    assert said.before > 20 and said.after < 4
    assert interpolate.evaluate(new.place, 22, 22)[0, placement.TURN, 0] == pytest.approx(
        interpolate.evaluate(led.place, 22, 22)[0, placement.TURN, 0], abs=5
    )


@pytest.mark.parametrize("degrees", [40, 400])
def test_a_group_joins_and_leaves_a_moving_group_and_what_it_carries_stays(degrees):
    finger = limb(3)
    hand = turning(make_group("h", "hand", 1, [finger]), 90.0, (4.0, 9.0), 0.8)
    arm = turning(make_group("a", "arm", 1, [finger]), degrees)
    finger = let_ride(finger, hand)
    inner = go_over(hand, arm)
    joined = under(finger, inner)
    assert [g.id for g in groups_of(joined)] == ["h", "a"]
    assert away(finger, joined) <= 0.05
    further = under(joined, replace(arm, place=placement.at_rest(1)))  # the arm stands still: only the hand's own way is left
    was = placement.apply(placement.inverse(arm.maps_at(EVERY, EVERY)), joined.outlines(EVERY))
    assert np.abs(further.outlines(EVERY) - was)[:, :, :2].max() < 1e-6
    assert away(under(joined, go_over(inner, None)), finger) <= 0.08  # once on, once off
    assert away(let_ride(joined, arm), finger) <= 0.1  # out of the hand, still on the arm


def test_what_the_outer_group_rides_on_carries_all_within_it():
    finger = limb(3)
    hand, arm = (make_group(name, name, 1, [finger]) for name in ("hand", "arm"))
    ways = Track(id="t", name="t", home=1, points=Keys.build([1, 30], np.array([[[0.0, 0.0]], [[58.0, 29.0]]])), confidence=np.ones(2))
    arm = with_carrier(arm, Carrier(track=ways))
    inner = go_over(hand, arm)
    assert own_carrier(inner).track is None  # it stays where it was
    riding = with_carrier(inner, None)
    assert carrier_of(under(let_ride(finger, hand), riding)).track is ways


def test_a_group_does_not_ride_on_itself_nor_too_deep():
    group = make_group("g", "body", 1, [limb()])
    outer = make_group("o", "outer", 1, [limb()])
    for within in (group, let_ride(outer, group)):
        with pytest.raises(BadGeometry, match="cannot ride on what rides on it"):
            let_ride(group, within)
    with pytest.raises(BadGeometry, match="no group"):
        let_ride(group, limb())
    for k in range(15):
        group = go_over(make_group(f"{k}", "more", 1, [limb()]), group)
    go_over(limb(), group)
    with pytest.raises(BadGeometry, match="deep"):
        go_over(limb(), go_over(make_group("last", "more", 1, [limb()]), group))
    with pytest.raises(BadGeometry, match="needs shapes"):
        make_group("g", "body", 1, [])
