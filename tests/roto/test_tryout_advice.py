"""What a tryout says of itself, against pictures whose light and motion are known; names of frames; keying a line."""

from dataclasses import replace

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from roto.errors import BadTryout
from roto.tryout import advice, edits
from roto.tryout.beginnings import BEGINNINGS, Facts
from roto.tryout.compose import Film, Sources, compose
from roto.tryout.document import Tryout
from roto.tryout.frame_keys import Names, frame_key
from roto.tryout.model import Clip, Done, Flat, Key, Light, Line, Place, Shadow, Spot, Swing, Through, Words
from roto.tryout.sentences import sentence

SIZE = (96, 64)


def disc(x=48.0, y=32.0, radius=18.0):
    j, i = np.mgrid[:64, :96]
    return np.clip(radius + 0.5 - np.hypot(i + 0.5 - x, j + 0.5 - y), 0, 1).astype(np.float32)


@given(st.floats(-3, 3), st.floats(0.5, 2))
def test_light_is_told_in_stops_and_the_gain_evens_it_out(stops, red):
    ground = np.full((64, 96, 3), 0.2, np.float32) * np.array([1, 1, 1], np.float32)
    colour = ground[0, 0] * np.float32(2**stops) * np.array([red, 1, 1], np.float32)
    above = np.dstack([disc()[:, :, None] * colour, disc()])
    found = advice.light_gap(above, ground)
    luma = float(np.array([red * 0.2126, 0.7152, 0.0722]).sum())
    assert found.stops == pytest.approx(stops + np.log2(luma), abs=0.02)
    assert np.array(found.gain) * colour == pytest.approx(ground[0, 0], rel=0.02)
    assert found.off == (abs(found.stops) > 0.5 or max(abs(found.red), abs(found.blue)) > 0.08)


def test_where_too_little_of_an_edge_is_seen_nothing_is_said():
    above = np.dstack([np.ones((64, 96, 3), np.float32), np.ones((64, 96), np.float32)])
    assert advice.light_gap(above, np.zeros((64, 96, 3), np.float32)) is None


def test_gains_are_smoothed_and_a_steady_one_stays():
    steady = np.tile([2.0, 1.0, 0.5], (9, 1))
    assert advice.evened(steady) == pytest.approx(steady)
    jumps = steady.copy()
    jumps[4] *= 4
    assert 2 < advice.evened(jumps)[4, 0] < 6


@pytest.mark.parametrize(("x", "y"), [(3.0, 0.0), (-2.0, 1.0), (0.0, -4.0)])
def test_drift_is_the_way_the_picture_goes(x, y):
    big = cv2.GaussianBlur(np.random.default_rng(3).random((160, 220), np.float32), (0, 0), 2)
    one, other = big[40:120, 40:180], big[40 - int(y) : 120 - int(y), 40 - int(x) : 180 - int(x)]
    got = advice.drift(np.ascontiguousarray(one), np.ascontiguousarray(other))
    assert got[:2] == pytest.approx((x, y), abs=0.3) and got[2] > 0.3


@pytest.mark.parametrize(
    ("one", "other", "way"), [((4, 0), (-3, 0), "sides"), ((4, 0), (3, 0), ""), ((0, 3), (0, -2), "upright"), ((0.1, 0), (-9, 0), "")]
)
def test_pictures_that_run_against_each_other(one, other, way):
    assert advice.against(np.array(one), np.array(other)) == way


def test_a_matte_that_stops_short_of_the_border_leaves_a_gap():
    alpha = np.zeros((64, 96), np.float32)
    alpha[:, :40] = 1
    assert advice.cover(alpha).gaps == () and advice.cover(alpha).share == pytest.approx(40 / 96)
    alpha[-1] = 0
    assert advice.cover(alpha).gaps == ("bottom",)


def test_a_seam_that_the_passing_thing_does_not_cover_is_told_where():
    passed = np.zeros((96, 160), np.float32)
    passed[:, :70] = 1
    passing = np.zeros_like(passed)
    passing[40:, 65:150] = 1
    assert advice.seam(passed, passing).open_ == ("above",) and 0.6 < advice.seam(passed, passing).covered < 0.75
    passing[:] = 0
    passing[30:70, 65:150] = 1
    assert advice.seam(passed, passing).open_ == ("above", "below")
    assert advice.seam(passed.T, passing.T).open_ == ("left of", "right of")
    passing[:, 65:150] = 1
    assert advice.seam(passed, passing) == advice.Seam(covered=1.0, open_=())
    assert advice.seam(np.ones_like(passed), passing) is None


FACTS = Facts(size=SIZE, frames=(1, 8), frame=4, matte="m", box=(20, 10, 60, 50), other="B")


@pytest.fixture
def made_of():
    rng = np.random.default_rng(5)
    plates = {shot: {f: rng.random((64, 96, 3), np.float32) for f in range(1, 9)} for shot in ("", "B")}
    films = {name: Film(frames=(1, 8), size=SIZE) for name in plates}
    return Sources(films=films, picture=lambda shot, f, w: plates[shot][f], matte=lambda shot, m, f, grow: disc(30 + 4 * f, 32, 14 + grow))


NAMES = Names(picture=lambda shot, f: f"{shot} {f}", matte=lambda shot, m, f, grow: f"{shot} {m} {f} {grow}", graphic=str)


def of(*lines):
    return Tryout(shot="s", name="t", size=SIZE, rate="24", frames=(1, 8), lines=lines)


def one(value, frame=1):
    return Key(frame=frame, values=((value, 0.0),))


def changes():
    """An edit each, by what it does, of the second of two lines."""
    line = Line(id="b", shows=Clip(), through=Through(matte="m"), done=Done(opacity=(one(0.5), one(1.0, 4))), place=Place(pivot=(40, 30)))
    yield "later key", line, replace(line, done=Done(opacity=(one(0.5), one(1.0, 4), one(0.2, 8))))
    yield "live", line, replace(line, live=(1, 5))
    yield "soften", line, replace(line, through=Through(matte="m", soften=3))
    yield "name", line, replace(line, name="called otherwise")
    yield "clip held", line, replace(line, shows=Clip(hold=6))
    yield "speed", replace(line, shows=Clip(shot="B")), replace(line, shows=Clip(shot="B", speed=(one(1.0), one(2.0, 8))))
    yield "light", Line(id="b", shows=Light()), Line(id="b", shows=Light(one=Spot(at=(10, 10))))
    yield "shadow", line, replace(line, done=replace(line.done, shadow=Shadow()))


@pytest.mark.parametrize(("what", "old", "new"), list(changes()), ids=lambda v: v if isinstance(v, str) else "")
def test_a_frame_has_another_name_where_it_has_another_picture_and_only_there(made_of, what, old, new):
    ground = Line(id="a", shows=Clip())
    before, after = of(ground, old), of(ground, new)
    for frame in range(1, 9):
        same = np.array_equal(*(compose(it, made_of, frame) for it in (before, after)))
        assert (frame_key(before, made_of, NAMES, frame) == frame_key(after, made_of, NAMES, frame)) == same, (what, frame)


@pytest.mark.parametrize("key", BEGINNINGS)
def test_each_beginning_is_read_as_sentences_and_makes_the_same_picture_twice(made_of, key):
    it = of(*BEGINNINGS[key].make(FACTS))
    assert all(sentence(line, {"m": "kite"}) for line in it.lines)
    assert np.array_equal(compose(it, made_of, 3), compose(it, made_of, 3))


def test_a_correction_on_one_frame_leaves_keyed_frames_where_they_are():
    line = Line(id="a", shows=Words())
    for frame, x in ((1, 0.0), (5, 40.0), (8, 50.0)):
        line = edits.keyed(line, "place", frame, [[x, 0], [0, 0], [0, 0]])
    moved = edits.keyed(line, "place", 6, [[45.0, 9.0], [0, 0], [0, 0]])
    assert [k.frame for k in moved.place.keys] == [1, 5, 6, 8]
    assert [k.values[0][0] for k in moved.place.keys if k.frame != 6] == [0.0, 40.0, 50.0]
    assert [k.frame for k in edits.keyed(moved, "place", 6, None).place.keys] == [1, 5, 8]


def test_what_cannot_be_keyed_is_said():
    words = Line(id="a", shows=Words())
    swung = replace(words, place=Place(swing=Swing(hinge=((0, 0), (0, 9)))))
    assert edits.keyed(swung, "angle", 3, [[30.0, 0.0]]).place.swing.angle[0].values == ((30.0, 0.0),)
    for line, channel, values, says in (
        (words, "angle", [[1.0, 0.0]], "no hinge"),
        (words, "speed", [[1.0, 0.0]], "only a clip"),
        (words, "opacity", None, "no key on 3"),
        (words, "place", [[1.0, 0.0]], "3 rows"),
        (words, "smell", [[1.0, 0.0]], "choose one of"),
        (Line(id="a", shows=Flat()), "gain", [[float("nan"), 0.0]] * 3, "3 rows"),
    ):
        with pytest.raises(BadTryout, match=says):
            edits.keyed(line, channel, 3, values)
