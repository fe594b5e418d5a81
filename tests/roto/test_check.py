"""The check: what is read of a frame, how a matte goes with its picture, what is thought wrong with it."""

import json
from dataclasses import replace

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from roto.check import edges, findings, fringes, motion, neighbours, reading
from roto.check.findings import Seen
from roto.errors import BadPicture
from roto.matte.stack import Entry

from .build import matte as build_matte
from .build import rectangle
from .build import shape as build_shape

SIZE = (320, 200)
COUNT = 12


def disc(x, y, radius=40.0, soft=0.0, size=SIZE):
    """A disc's exact-looking coverage, uint8: distances to its rim over a pixel."""
    across, down = np.meshgrid(np.arange(size[0]) + 0.5, np.arange(size[1]) + 0.5)
    alpha = np.clip((radius - np.hypot(across - x, down - y)) / max(1.0, soft) + 0.5, 0, 1)
    return np.rint(alpha * 255).astype(np.uint8)


def mottled(seed, size=SIZE):
    rng = np.random.default_rng(seed)
    parts = [cv2.GaussianBlur(rng.standard_normal((size[1], size[0], 3)).astype(np.float32), (0, 0), s) * s for s in (2, 6)]
    return np.clip(0.5 + 0.35 * sum(parts), 0, 1)


class Shot:
    """A mottled disc that goes over mottled ground; its true mattes."""

    def __init__(self, way=(4.0, 1.5), soft=1.0):
        skin, ground = 0.45 + 0.5 * mottled(1, (700, 500)), 0.4 * mottled(2)
        self.mattes, self.plates = [], []
        for k in range(COUNT):
            x, y = 90 + way[0] * k, 80 + way[1] * k
            alpha = disc(x, y, soft=soft)
            worn = cv2.warpAffine(skin, np.array([[1, 0, x - 350], [0, 1, y - 250]]), SIZE, flags=cv2.INTER_LINEAR)
            cover = alpha[..., None] / 255
            self.mattes.append(alpha)
            self.plates.append(np.rint((worn * cover + ground * (1 - cover)) * 255).astype(np.uint8))

    def seen(self, mattes=None):
        mattes = mattes or self.mattes
        looks = [motion.ready(p, a) for p, a in zip(self.plates, mattes, strict=True)]
        around = [None, *looks, None]
        return [
            Seen(frame=1001 + k, reading=reading.read(a, self.plates[k]), moving=motion.moving(*around[k : k + 3]))
            for k, a in enumerate(mattes)
        ]

    def found(self, changed=None):
        mattes = [(changed or {}).get(1001 + k, a) for k, a in enumerate(self.mattes)]
        return findings.find(self.seen(mattes), 1001, 1000 + COUNT, SIZE[0])


@pytest.fixture(scope="module")
def shot():
    return Shot()


def shifted(alpha, x, y):
    return cv2.warpAffine(alpha, np.array([[1.0, 0, x], [0, 1, y]]), SIZE)


@given(st.floats(60, 250), st.floats(60, 140), st.floats(10, 45), st.sampled_from([0.0, 6.0, 12.0]))
def test_what_is_read_of_a_disc_is_what_it_is(x, y, radius, soft):
    told = reading.read(disc(x, y, radius, soft))
    assert told.area == pytest.approx(np.pi * radius**2 + np.pi * max(1.0, soft) ** 2 / 12, rel=0.01)
    assert (told.x, told.y) == (pytest.approx(x, abs=0.05), pytest.approx(y, abs=0.05))
    assert told.outline == pytest.approx(2 * np.pi * radius, rel=0.06)
    assert told.edge == pytest.approx(max(1.0, soft), rel=0.12 if soft else 0.25)  # a crisp one lies on pixels as it happens to
    assert (told.pieces, told.holes, told.spots, told.borders) == (1, 0, (), ())


@given(st.integers(-50, 50), st.integers(-25, 30))
def test_where_a_matte_lies_changes_nothing_but_its_place(x, y):
    alpha = disc(150, 100)
    alpha[95:99, 145:150] = 0
    alpha[30:33, 200:204] = 255
    here, there = reading.read(alpha), reading.read(shifted(alpha, x, y))
    assert (there.area, there.outline, there.edge) == pytest.approx((here.area, here.outline, here.edge))
    assert (there.x - here.x, there.y - here.y) == pytest.approx((x, y), abs=1e-6)
    moved = [(s.what, s.size, tuple(np.subtract(s.box, (x, y, x, y)))) for s in there.spots]
    assert moved == [(s.what, s.size, s.box) for s in here.spots] and {s.what for s in here.spots} == {"hole", "piece"}


def test_small_pieces_and_holes_are_told_with_their_places():
    alpha = disc(150, 100)
    alpha[95:98, 140:145] = 0
    alpha[20:24, 60:66] = 255
    told = reading.read(alpha)
    assert (told.pieces, told.holes) == (2, 1)
    assert {(s.what, s.box, s.size) for s in told.spots} == {("hole", (140, 95, 145, 98), 15), ("piece", (60, 20, 66, 24), 24)}


def test_a_gap_at_the_border_is_one_where_the_picture_goes_on():
    alpha = np.zeros(SIZE[::-1], np.uint8)
    alpha[60:140, 100:316] = 255
    same = np.full((*SIZE[::-1], 3), 120, np.uint8)
    other = same.copy()
    other[:, 316:] = 20
    for picture, gaps in ((None, 1), (same, 1), (other, 0)):
        found = [s for s in reading.read(alpha, picture).spots if s.what == "right"]
        assert len(found) == gaps and all(s.box == (316, 60, 320, 140) and s.size == 4 for s in found)
    alpha[60:140, 316:] = 255
    told = reading.read(alpha, same)
    assert told.spots == () and told.borders == ("right",)


@pytest.mark.parametrize("value,what", [(5, "almost 0"), (249, "almost 1")])
def test_an_even_veil_is_dirt_and_a_soft_edge_is_none(value, what):
    clean = disc(150, 100, 60, soft=40.0)
    assert reading.read(clean).spots == ()
    dirty = clean.copy()
    x, y = (20, 20) if value < 128 else (140, 90)
    dirty[y : y + 24, x : x + 24] = value
    (spot,) = reading.read(dirty).spots
    assert spot.what == what and abs(spot.box[0] - x) <= 2 and abs(spot.box[3] - y - 24) <= 2


def test_no_matte_and_no_bytes():
    assert reading.read(np.zeros((40, 60), np.uint8)).empty
    for bad in (np.zeros((4, 4), np.float32), np.zeros((4, 4, 3), np.uint8), np.zeros((0, 3), np.uint8)):
        with pytest.raises(BadPicture):
            reading.read(bad)


def test_a_true_matte_goes_with_its_picture_and_nothing_is_found(shot):
    for one in shot.seen()[1:-1]:
        assert one.moving.alone < 0.15 and one.moving.before.left < 0.35
        assert one.moving.before.way == pytest.approx(np.hypot(4, 1.5), abs=0.4) and one.moving.before.same > 0.95
    assert shot.found() == []


def test_how_far_a_frame_stands_away_is_told_in_px(shot):
    k = 5
    mattes = [shifted(a, 3, 0) if i == k else a for i, a in enumerate(shot.mattes)]
    moving = shot.seen(mattes)[k].moving
    assert 0.4 * 3 * 2 / np.pi < moving.alone < 1.1 * 3 * 2 / np.pi  # 2 / pi: the mean of what a shift is across a round outline
    assert moving.by == pytest.approx(3, abs=1.2)


FAULTS = {
    "gone": lambda m: {1005: m[4] * 0, 1006: m[5] * 0},
    "late": lambda m: {1001: m[0] * 0, 1002: m[1] * 0},
    "early": lambda m: {1012: m[11] * 0},
    "jump": lambda m: {1001 + k: shifted(m[k], 6, 0) for k in range(6, COUNT)},
    "stray": lambda m: {1006: shifted(m[5], 0, 4)},
    "boil": lambda m: {1001 + k: shifted(m[k], 2.5 * (-1) ** k, 1.5 * (-1) ** (k // 2)) for k in range(3, 9)},
    "frozen": lambda m: {1007: m[5], 1008: m[5]},
    "hole": lambda m: {1005: np.where(disc(106, 86, 3) > 127, 0, m[4]).astype(np.uint8)},
    "piece": lambda m: {1005: np.maximum(m[4], disc(250, 160, 3))},
}
AT = {"gone": (1005, 1006), "late": (1001, 1002), "early": (1012, 1012), "jump": (1007, 1007), "stray": (1006, 1006),
      "frozen": (1007, 1008), "hole": (1005, 1005), "piece": (1005, 1005)}  # fmt: skip


@pytest.mark.parametrize("kind", FAULTS)
def test_a_planted_fault_is_found_where_it_is(shot, kind):
    found = shot.found(FAULTS[kind](shot.mattes))
    one = next(f for f in found if f.what == kind)
    first, last = AT.get(kind, (one.first, one.last))
    assert (one.first, one.last) == (first, last)
    assert str(first) in one.says and (kind != "boil" or (one.first >= 1003 and one.last <= 1010))
    if one.box is not None:
        assert 0 <= one.box[0] < one.box[2] <= SIZE[0] + 3 and 0 <= one.box[1] < one.box[3] <= SIZE[1] + 3


def test_the_worst_comes_first_and_good_frames_are_left_alone(shot):
    changed = FAULTS["gone"](shot.mattes) | FAULTS["piece"]([None] * 4 + [shot.mattes[8]] * 8)
    changed[1009] = np.maximum(shot.mattes[8], disc(250, 160, 3))
    changed[1005] = shot.mattes[4] * 0
    found = shot.found(changed)
    assert [f.what for f in found][:2] == ["gone", "piece"] and [f.harm for f in found] == sorted((f.harm for f in found), reverse=True)
    assert {f.first for f in found} <= {1005, 1009}


def test_a_matte_that_never_moves_is_meant_to_stand(shot):
    still = {1001 + k: disc(120, 90, 60) for k in range(COUNT)}
    assert not [f for f in shot.found(still) if f.what == "frozen"]


def test_nothing_at_all_is_one_finding(shot):
    none = {1001 + k: shot.mattes[0] * 0 for k in range(COUNT)}
    (one,) = shot.found(none)
    assert one.what == "gone" and (one.first, one.last) == (1001, 1012)
    assert findings.find([], 1, 5) == []
    some = [one for one in shot.seen([m * 0 for m in shot.mattes]) if one.frame < 1006]
    assert findings.find(some, 1001, 1012, SIZE[0]) == []  # the others were not read yet: nothing is known of them


@pytest.mark.parametrize("matte,plate,what", [(1.0, 9.0, "harder"), (9.0, 1.0, "softer"), (4.0, 4.0, None)])
def test_an_edge_is_held_against_the_plates(matte, plate, what):
    it = Shot(way=(0.5, 0.2), soft=plate)
    mattes = Shot(way=(0.5, 0.2), soft=matte).mattes
    seen = it.seen(mattes)
    for k in (2, 6, 10):
        looks = [motion.ready(it.plates[j], mattes[j]) for j in (k, k + 1)] if k < 11 else [motion.ready(it.plates[k], mattes[k]), None]
        told = edges.compare(mattes[k], it.plates[k], *looks)
        assert told.matte - told.plate == pytest.approx(matte - plate, abs=2.5)  # a wide ramp is read as a bell a little wider yet
        assert edges.Edges.from_json(json.loads(json.dumps(told.to_json()))).plate == pytest.approx(told.plate, abs=0.01)
        seen[k] = replace(seen[k], edges=told)
    found = [f for f in findings.find(seen, 1001, 1012, SIZE[0]) if f.what in ("harder", "softer", "blur", "no blur")]
    assert [f.what for f in found] == ([what] if what else [])
    assert not what or (found[0].first, found[0].last) == (1003, 1011)


@given(st.floats(0, 6.28), st.sampled_from([-3.0, -1.5, 0.0, 1.5, 3.0]))
def test_halves_complete_each_other_and_what_is_between_is_told(angle, by):
    across, down = np.meshgrid(np.arange(SIZE[0]) + 0.5 - 150, np.arange(SIZE[1]) + 0.5 - 100)
    away = across * np.cos(angle) + down * np.sin(angle)
    whole = disc(150, 100, 70)
    one, other = (np.rint(whole * np.clip(0.5 + side * away - by / 2, 0, 1)).astype(np.uint8) for side in (-1, 1))
    met = neighbours.meet(one, other)
    assert met is not None and met.line == pytest.approx(140, rel=0.25)
    near = 0.3 + 0.25 * abs(by)  # the line itself is known to a quarter
    assert met.seam / met.line == pytest.approx(max(by, 0), abs=near) and met.overlap / met.line == pytest.approx(max(-by, 0), abs=near)
    assert neighbours.Meeting.from_json(json.loads(json.dumps(met.to_json()))).box == met.box


def test_what_lies_apart_or_within_does_not_belong_together():
    assert neighbours.meet(disc(60, 60, 30), disc(240, 150, 30)) is None
    assert neighbours.meet(disc(150, 100, 60), disc(150, 100, 30)) is None
    assert neighbours.meet(disc(150, 100, 60), np.zeros(SIZE[::-1], np.uint8)) is None


def test_what_was_read_comes_back_from_json(shot):
    for one in shot.seen(FAULTS["stray"](shot.mattes) and [*shot.mattes[:5], shifted(shot.mattes[5], 0, 4), *shot.mattes[6:]]):
        again = reading.Reading.from_json(json.loads(json.dumps(one.reading.to_json())))
        assert (again.box, again.pieces, again.spots) == (one.reading.box, one.reading.pieces, one.reading.spots)
        moved = motion.Moving.from_json(json.loads(json.dumps(one.moving.to_json())))
        assert moved.alone == pytest.approx(one.moving.alone, abs=1e-3) and (moved.before is None) == (one.moving.before is None)


def test_over_a_cut_nothing_is_compared(shot):
    look = motion.ready(shot.plates[3], shot.mattes[3])
    alone = motion.moving(None, look, None)
    assert alone.before is None and alone.after is None and alone.alone == 0


@pytest.mark.parametrize(("band", "share"), [((44, 60), 0.0), ((90, 118), 1.0), ((46, 118), 0.6)])
def test_a_fringe_without_solid_matte_near_has_too_little_to_be_solved_from(band, share):
    """A block of 20 px beside which a band lies; at 480 px of width what is farther than 29 px tells nothing."""
    block = build_shape(rectangle(30, 20, 50, 70.125), "block")
    tufts = build_shape(rectangle(band[0], 22, band[1], 68), "tufts", inner=2.0, outer=4.0)
    stack = build_matte(block, Entry(shape=tufts, mode="solve"), size=(480, 90))
    told = fringes.starved(stack, stack.first)
    assert told == pytest.approx(share, abs=0.1) and (told > 0.3) == (share > 0)
    seen = [Seen(frame=k, reading=reading.read(disc(60, 60, 30)), fringe="solved and steadied", starved=told) for k in range(3)]
    found = [f for f in findings.find(seen, 0, 2) if f.what == "starved"]
    assert [(f.first, f.last) for f in found] == ([(0, 2)] if share else [])
    assert not share or f"{100 * told:.0f} % of its band" in found[0].says
    assert fringes.starved(build_matte(block, size=(120, 90)), 1) == 0
