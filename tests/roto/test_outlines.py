"""Outlines by themselves: flattened within a tolerance, their boundary, split, made small; against another library's geometry."""

import zipfile
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
import shapely
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from benchmarks.general import filled_area
from roto.curve import boundary as boundaries
from roto.curve.boundary import BOUNDS, WINDS, boundary, marked_edges
from roto.curve.flatten import MOST_SIDES, edge_counts, flatten, polygon
from roto.curve.split import cubic_at, split_segment
from roto.errors import BadKeys, BadUpload
from roto.matte import thumbnails
from roto.matte.render import render, touched_boxes
from roto.matte.stack import Entry
from roto.motion.live_ranges import is_live, tidy
from roto.picture import sequence

from .build import blob, matte, rectangle, shape

SEEDS = st.integers(0, 10_000)


@settings(max_examples=40, deadline=None)
@given(SEEDS, st.floats(0, 0.4), st.sampled_from([0.5, 0.05, 0.002]))
def test_sides_lie_within_the_tolerance_of_the_curve(seed, rough, tolerance):
    points = blob(9, (400.0, 300.0), 200.0, seed, rough)
    sides = shapely.LinearRing(polygon(points, tolerance))
    t = np.linspace(0, 1, 60)
    for i in range(9):
        assert shapely.distance(shapely.points(cubic_at(points[None], i, t)[0]), sides).max() <= tolerance * 1.0001


def test_finer_takes_more_sides_and_the_wildest_curve_an_end():
    points = blob(12, (50.0, 50.0), 30.0, 3)
    counts = [edge_counts(points[None], t).sum() for t in (0.5, 0.05, 0.005)]
    assert counts[0] < counts[1] < counts[2] < 40 * counts[0]
    wild = points.copy()
    wild[0, 4:] = 1e12
    assert edge_counts(wild[None], 0.002).max() == MOST_SIDES and np.isfinite(polygon(wild, 0.002)).all()
    two = np.stack([points, points + 1.0])
    vertices, starts = flatten(two, 0.01)
    assert np.array_equal(vertices[: starts[1]], polygon(points, 0.01)) and np.array_equal(vertices[starts[1] :], polygon(two[1], 0.01))


@settings(max_examples=60, deadline=None)
@given(SEEDS, st.integers(3, 14), st.floats(0, 1.2))
def test_the_boundary_is_that_of_the_filled_area(seed, n, cross):
    """As long as another library's, and every side of it lies on that one, with the area on the hand that is said."""
    rng = np.random.default_rng(seed)
    angle = np.sort(rng.uniform(0, 2 * np.pi, n))
    ring = 50 * np.stack([np.cos(angle), np.sin(angle)], axis=1) + cross * 40 * rng.standard_normal((n, 2))
    area = filled_area(ring)
    assume(area.area > 1)
    sides = boundary(ring)
    assert np.hypot(*(sides[:, 2:] - sides[:, :2]).T).sum() == pytest.approx(area.length, rel=1e-5)
    middles = (sides[:, :2] + sides[:, 2:]) / 2
    assert shapely.distance(shapely.points(middles), area.boundary).max() < 1e-6
    every, use, origin, spans, hands = marked_edges(ring)
    assert ((use & WINDS) != 0).sum() == n and (origin < n).all() and (spans >= 0).all() and (spans <= 1).all()
    for side, hand in zip(every[(use & BOUNDS) != 0], hands[(use & BOUNDS) != 0], strict=True):
        way = side[2:] - side[:2]
        if np.hypot(*way) > 0.01:
            inwards = hand * np.array([-way[1], way[0]]) / np.hypot(*way) * 1e-4
            assert area.contains(shapely.Point((side[:2] + side[2:]) / 2 + inwards))


def met(found):
    return sorted(zip(*(each.tolist() for each in found), strict=True))


@settings(max_examples=200, deadline=None)
@given(SEEDS, st.integers(1, 40), st.sampled_from(["anywhere", "on few places", "one step after the other"]))
def test_sides_that_meet_are_the_same_by_chains_and_from_the_top_down(seed, n, how):
    """Also flat sides, points on each other, and sides that lie on one another."""
    rng = np.random.default_rng(seed)
    ring = {
        "anywhere": lambda: rng.uniform(0, 100, (n, 2)),
        "on few places": lambda: rng.integers(0, 5, (n, 2)).astype(float),
        "one step after the other": lambda: np.cumsum(rng.standard_normal((n, 2)), axis=0),
    }[how]()
    sides = np.concatenate([ring, np.roll(ring, -1, axis=0)], axis=1)
    assert met(boundaries._crossings(sides)) == met(boundaries._crossings_in_order(sides))


def test_an_outline_of_very_many_chains_has_its_boundary_too():
    angle = np.linspace(0, 2 * np.pi, 301)[:-1]
    star = (40 + 12 * (np.arange(300) % 2) + 9 * np.sin(7 * angle))[:, None] * np.stack([np.cos(angle), np.sin(angle)], axis=1)
    star[150] = -star[150]  # one ray through the middle: it crosses the other side
    sides = boundary(star)
    assert len(boundaries._chains(np.concatenate([star, np.roll(star, -1, axis=0)], axis=1))[0]) > boundaries.MOST_CHAINS
    assert np.hypot(*(sides[:, 2:] - sides[:, :2]).T).sum() == pytest.approx(filled_area(star).length, rel=1e-6)


@settings(max_examples=60, deadline=None)
@given(SEEDS, st.floats(0.01, 0.99))
def test_a_split_cubic_is_the_same_curve_in_two_parts(seed, t):
    rng = np.random.default_rng(seed)
    p, q = rng.uniform(-500, 500, (2, 1, 6))
    first, middle, last = split_segment(p, q, t)
    whole, parts = np.stack([p, q], axis=1), np.stack([first, middle, last], axis=1)
    u = np.linspace(0, 1, 9)
    assert cubic_at(parts, 0, u) == pytest.approx(cubic_at(whole, 0, u * t), abs=1e-9)
    assert cubic_at(parts, 1, u) == pytest.approx(cubic_at(whole, 0, t + u * (1 - t)), abs=1e-9)


@given(st.lists(st.tuples(st.integers(-30, 30), st.integers(0, 12)), max_size=8), st.integers(-40, 60))
def test_tidied_ranges_hold_the_same_frames_and_never_touch(given_, frame):
    ranges = [(a, a + long) for a, long in given_]
    found = tidy(ranges)
    assert all(b[0] > a[1] + 1 for a, b in pairwise(found)) and tidy(found) == found
    assert is_live(found, frame) == (not ranges or any(a <= frame <= b for a, b in ranges))


def test_a_range_that_ends_before_it_starts_is_refused():
    with pytest.raises(BadKeys, match="ends before it starts"):
        tidy([(1, 5), (9, 8)])


@settings(max_examples=40, deadline=None)
@given(SEEDS, st.floats(-200, 200), st.floats(-200, 200), st.floats(0, 12), st.sampled_from([0.0, 180.0]))
def test_nothing_of_a_matte_lies_outside_the_box_it_is_said_to_touch(seed, dx, dy, outer, angle):
    it = shape(blob(10, (60, 50), 25.0, seed), "sail", (dx, dy), outer=outer, inner=1.0)
    whole = matte(it, angle=angle)
    frames = [1, 4, 11]
    for frame, (x0, y0, x1, y1) in touched_boxes(whole, [it], frames).items():
        alpha = render(whole, frame).alpha.copy()
        if x1 > x0 and y1 > y0:
            alpha[y0:y1, x0:x1] = 0
        assert not alpha.any()


def test_a_matte_made_small_shows_line_by_line_what_it_comes_to():
    door = Entry(shape=shape(rectangle(40, 30, 80, 70), "door"), mode="cut")
    whole = matte(shape(rectangle(20, 10, 100, 90), "house", outer=4.0), door)
    first, second = (render(m, 1).alpha for m in thumbnails.so_far(whole, 60))
    assert first.shape == second.shape == (50, 60)
    fine = render(whole, 1).alpha.reshape(50, 2, 60, 2).mean(axis=(1, 3))
    assert np.abs(second - fine).max() < 0.05 and np.abs(second - fine).mean() < 0.002
    assert first[25, 30] == 1 and second[25, 30] == 0 and first[25, 12] == second[25, 12] > 0


@settings(max_examples=30, deadline=None)
@given(st.lists(st.integers(0, 5000), min_size=1, max_size=30, unique=True), st.integers(3, 6), st.randoms())
def test_stills_stand_in_order_whatever_order_they_come_in(numbers, digits, luck):
    names = [f"MILL_040.{n:0{digits}d}.png" for n in numbers]
    luck.shuffle(names)
    found = sequence.arrange(names)
    assert list(found.files) == sorted(numbers) and (found.first, found.last) == (min(numbers), max(numbers))
    missing = {f for a, b in found.gaps for f in range(a, b + 1)}
    assert missing == set(range(found.first, found.last + 1)) - set(numbers)


def _zip(path, *members: tuple[str, bytes], more=None):
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as bag:
        for name, data in members:
            info = zipfile.ZipInfo(name)
            info.external_attr = more or 0
            info.compress_type = zipfile.ZIP_DEFLATED
            bag.writestr(info, data)
    return path


@pytest.mark.parametrize(
    ("members", "more", "says"),
    [
        ([("../a.0001.png", b"x")], None, "leads outside"),
        ([("/etc/a.0001.png", b"x")], None, "leads outside"),
        ([("C:\\a.0001.png", b"x")], None, "leads outside"),
        ([("a.0001.png", b"/etc/passwd")], 0o120777 << 16, "holds a link"),
        ([("one/a.0001.png", b"x"), ("two/a.0001.png", b"y")], None, "same name in different folders"),
        ([("a.0001.png", b"x"), ("b.0001.png", b"y")], None, "both frame 1|mixed"),
        ([("a.0001.png", bytes(80 << 20))], None, "cannot be right"),
        ([("readme.txt", b"x")], None, "not a still"),
    ],
    ids=["up", "root", "drive", "link", "twice", "two sequences", "bomb", "text"],
)
def test_a_hostile_zip_is_refused_and_nothing_of_it_is_unpacked(tmp_path, members, more, says):
    into = tmp_path / "into"
    into.mkdir()
    with pytest.raises(BadUpload, match=says):
        sequence.unpack(_zip(tmp_path / "a.zip", *members, more=more), into)
    assert list(into.iterdir()) == [] and {p.name for p in tmp_path.iterdir()} == {"a.zip", "into"}


def test_folders_and_what_systems_leave_in_a_zip_do_not_matter(tmp_path):
    path = _zip(
        tmp_path / "a.zip", ("takes/MILL.0002.png", b"two"), ("takes/MILL.0001.png", b"one"), ("__MACOSX/takes/._MILL.0001.png", b"?")
    )
    names = sequence.unpack(path, tmp_path)
    assert sorted(names) == ["MILL.0001.png", "MILL.0002.png"] and (tmp_path / "MILL.0002.png").read_bytes() == b"two"


def test_a_shape_keeps_its_matte_whichever_way_it_was_drawn_and_wherever_it_begins():
    points = blob(14, (60, 50), 30.0, 4)
    turned = np.roll(points, 5, axis=0)
    back = points[::-1][:, [0, 1, 4, 5, 2, 3]]
    wanted = render(matte(shape(points, inner=2.0, outer=3.0)), 1).alpha
    for other in (turned, back):
        assert np.abs(render(matte(replace(shape(other, inner=2.0, outer=3.0))), 1).alpha - wanted).max() < 2e-4
