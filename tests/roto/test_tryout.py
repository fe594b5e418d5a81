"""Tryouts by reasoning and by property: what is shown lies where it should, in linear light, and nothing else is touched."""

import json
from dataclasses import replace

import numpy as np
import OpenImageIO as oiio
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from roto.errors import BadTryout
from roto.motion import placement
from roto.motion.keys import Keys
from roto.picture import display
from roto.track.track import Track
from roto.tryout import compose, document, laying
from roto.tryout.compose import Film, Sources
from roto.tryout.model import Bars, Clip, Done, Flat, Key, Light, Line, Place, Shadow, Spot, Swing, Through, Words, channel_of
from roto.tryout.timing import clip_frame

SIZE = (48, 32)
RNG = np.random.default_rng(4)
PLATES = {f: RNG.random((32, 48, 3), np.float32) for f in range(1, 9)}


def alpha(frame):
    out = np.zeros((32, 48), np.float32)
    out[8:20, 10 + frame : 24 + frame] = 1
    return out


def sources(**more):
    films = {"": Film(frames=(1, 8), size=SIZE), "OTHER": Film(frames=(101, 104), size=(24, 16))}

    def picture(shot, frame, width):
        return PLATES[frame] if not shot else np.full((16, 24, 3), (frame - 100) / 10, np.float32)

    return Sources(films=films, picture=picture, matte=lambda shot, matte, frame, grow: alpha(frame), **more)


def tryout(*lines, **more):
    return document.Tryout(shot="KITE_010", name="t", size=SIZE, rate="24", frames=(1, 8), lines=lines, **more)


def line(shows=None, name="a", **more):
    return Line(id=name, shows=shows or Clip(), **more)


def made(*lines, frame=3, width=None, **more):
    return compose.compose(tryout(*lines), sources(**more), frame, width)


def at(*values, frame=1):
    return channel_of(Keys.build([frame], placement.values(*values)[None]))


def one(value, frame=1):
    return (Key(frame=frame, values=((value, 0.0),)),)


def test_the_plate_by_itself_is_the_plate_to_the_last_bit():
    assert np.array_equal(made(line()), PLATES[3])
    assert np.array_equal(made(line(), line(name="b", through=Through(matte="m"))), PLATES[3])  # a patch placed by nothing
    assert np.array_equal(made(line(place=Place(keys=at((0, 0))))), PLATES[3])


@settings(deadline=None, max_examples=25)
@given(st.integers(0, 10**6))
def test_laying_over_is_what_another_library_calls_over(seed):
    rng = np.random.default_rng(seed)
    below, above, cover = (rng.random((32, 48, k), np.float32) for k in (3, 3, 1))
    it = Sources(
        films={"": Film(frames=(1, 8), size=SIZE), "B": Film(frames=(1, 8), size=SIZE)},
        picture=lambda shot, frame, width: above if shot else below,
        matte=lambda *asked: cover[..., 0],
    )
    done = compose.compose(tryout(line(), line(Clip(shot="B"), name="b", through=Through(matte="m"))), it, 3)
    a, b = (oiio.ImageBuf(np.concatenate(p, axis=2)) for p in ((above * cover, cover), (below, np.ones_like(cover))))
    for buffer in (a, b):
        buffer.specmod().alpha_channel = 3
    assert np.abs(oiio.ImageBufAlgo.over(a, b).get_pixels()[..., :3] - done).max() < 1 / 255


def test_half_of_white_on_black_is_displayed_as_188():
    assert (compose.shown(made(line(Flat(colour="#ffffff"), done=Done(opacity=one(0.5))))) == 188).all()


def test_a_move_by_whole_pixels_copies_and_four_quarter_turns_come_back():
    moved = made(line(place=Place(keys=at((5, -3)))))
    assert np.array_equal(moved[:-3, 5:], PLATES[3][3:, :-5]) and not moved[:, :5].any()
    still = np.random.default_rng(1).random((32, 32, 3), np.float32)
    it = Sources(films={"": Film(frames=(1, 8), size=(32, 32))}, picture=lambda *asked: still, matte=lambda *asked: alpha(1))
    quarter = replace(tryout(line(place=Place(keys=at((0, 0), 90.0)))), size=(32, 32))
    for _ in range(4):
        still = compose.compose(quarter, it, 3)
    assert np.abs(still - np.random.default_rng(1).random((32, 32, 3), np.float32)).max() < 1 / 255


def test_a_swing_by_nothing_is_the_picture_by_90_nothing_and_its_hinge_stays():
    swing = Swing(hinge=((0, 0), (0, 32)), view=50)
    turned = [made(line(place=Place(swing=replace(swing, angle=one(a))))) for a in (0.0, 90.0, 40.0)]
    assert np.array_equal(turned[0], PLATES[3]) and not turned[1].any()
    white = made(line(Flat(colour="#ffffff"), place=Place(swing=replace(swing, angle=one(60.0)))))[..., 0]
    columns = np.flatnonzero(white[16] > 0.5)
    assert columns[0] == 0 and 10 < columns[-1] < 16  # half as wide, and smaller since it is farther from the eye
    far = white[:, columns[-1] - 1] > 0.5
    assert white[:, 0].sum() > 30 and 16 < far.sum() < 22  # and smaller at its free end


def test_corners_go_where_they_are_pulled():
    pull = (Key(frame=1, values=((6.0, 4.0), (0.0, 0.0), (0.0, 0.0), (0.0, 0.0))),)
    white = made(line(Flat(colour="#ffffff"), place=Place(corners=pull)))[..., 0]
    assert white[0, 0] == 0 and white[2, 3] < 0.5 and white[8, 10] > 0.9 and white[30, 46] > 0.9


def test_what_moves_is_blurred_over_the_exposure():
    keys = channel_of(Keys.build([1, 8], [placement.values((0, 0)), placement.values((140, 0))], kinds=[1, 1]))
    thin = Line(id="a", shows=Bars(proportion=48 / 30, colour="#ffffff"), place=Place(keys=keys, blur=True))
    soft, hard = made(thin, frame=2), made(replace(thin, place=replace(thin.place, blur=False)), frame=2)
    assert len(np.unique(hard[0].round(3))) <= 3 and len(np.unique(soft[0].round(3))) > 6
    assert np.array_equal(made(replace(thin, place=Place(blur=True))), made(replace(thin, place=Place())))


def test_a_matte_goes_along_or_stays_and_serves_twice_with_other_edges():
    shift = Place(keys=at((6, 0)))
    stays = made(line(place=shift, through=Through(matte="m")))
    goes = made(line(place=shift, through=Through(matte="m", along=True)))
    assert [np.flatnonzero(p[12].any(axis=1))[0] for p in (stays, goes)] == [13, 19]
    soft = made(line(Flat(colour="#ffffff"), through=Through(matte="m", soften=6)))[12, :, 0]
    assert 0.3 < soft[13] < 0.7 and 0 < soft[10] < 0.3
    assert made(line(through=Through(matte="m", outside=True)))[12, 20].max() == 0
    later = made(line(through=Through(matte="m", later=2)))
    assert np.flatnonzero(later[12].any(axis=1))[0] == 15


def test_a_frozen_cut_out_has_the_matte_of_its_own_frame():
    frozen = made(line(Clip(hold=6), through=Through(matte="m", along=True)))
    assert np.array_equal(frozen[8:20, 16:30], PLATES[6][8:20, 16:30]) and not frozen[:, :16].any()


def test_a_shadow_falls_on_what_lies_below_only():
    ground, thing = line(Flat(colour="#808080")), line(Flat(colour="#ffffff"), name="b", through=Through(matte="m"))
    plain, cast = made(ground, thing), made(ground, replace(thing, done=Done(shadow=Shadow(turn=90, away=4, blur=0, strength=1))))
    assert np.array_equal(cast[8:20, 13:27], plain[8:20, 13:27])
    assert not cast[21:23, 14:26].any() and np.array_equal(cast[:8], plain[:8])


def test_blocks_are_means_of_what_they_cover_and_a_flat_colour_leaves_nothing():
    done = made(line(done=Done(blocks=8)))
    assert np.abs(done[:8, :8] - PLATES[3][:8, :8].mean(axis=(0, 1))).max() < 1e-5 and (done[:8, :8] == done[0, 0]).all()
    flat = made(line(done=Done(flat="#336699")))
    assert (compose.shown(flat) == (0x33, 0x66, 0x99)).all()


def test_gain_exposure_and_added_light():
    gain = (Key(frame=1, values=((2.0, 0.0), (1.0, 0.0), (0.0, 0.0))),)
    done = made(line(done=Done(gain=gain, exposure=-1.0)))
    assert done == pytest.approx(PLATES[3] * np.array([1, 0.5, 0], np.float32))
    both = made(line(), line(name="b", done=Done(added=True)))
    assert both == pytest.approx(2 * PLATES[3])
    grey = made(line(done=Done(saturation=0.0)))
    assert np.ptp(grey, axis=2).max() < 1e-6


def test_live_ranges_and_fades():
    it = line(Flat(colour="#ffffff"), live=(3, 6), fade=1)
    assert [float(made(it, frame=f)[0, 0, 0]) for f in range(2, 8)] == pytest.approx([0, 0.5, 1, 1, 0.5, 0])


def test_words_change_and_nothing_else_moves():
    place = Place(keys=at((0, -6)))
    one_, other = (made(line(), line(Words(text=t, size=10, outline=1), name="w", place=place)) for t in ("Mill", "Mole"))
    assert not np.array_equal(one_, other) and np.array_equal(one_[18:], other[18:]) and np.array_equal(one_[18:], PLATES[3][18:])
    assert compose.shown(one_)[4:18].max(axis=(0, 1)).min() > 200  # the face is there, light
    large = made(line(Words(text="I", size=10), place=Place(keys=at((0, 0), 0.0, 2.0))))
    whole = made(line(Words(text="I", size=20)))
    assert np.abs(large - whole).max() < 0.35 and abs(large.sum() / whole.sum() - 1) < 0.1  # drawn anew when larger


def test_bars_leave_the_proportion_by_area():
    left = 1 - made(line(Bars(proportion=2.0, colour="#ffffff")))[:, :, 0]
    assert left.sum() == pytest.approx(48 * 24) and (left == left[:, :1]).all()
    leaning = 1 - made(line(Bars(proportion=2.0, turn=5, colour="#ffffff")))[:, :, 0]
    assert leaning.sum() == pytest.approx(48 * 24 / np.cos(np.radians(5)), rel=0.002)


def test_light_runs_between_tracked_points_and_behind_what_is_kept_out():
    points = Keys.build([1, 8], np.array([[[8.0, 12.0], [40.0, 12.0]], [[8.0, 26.0], [40.0, 26.0]]]))
    track = Track(id="t", name="t", home=1, points=points, confidence=np.ones(2))
    band = Light(one=Spot(track="t"), other=Spot(track="t", point=1), core=1.5, glow=0, taper=0, colour="#ffffff")
    lit = made(line(band, done=Done(added=True)), frame=1, tracks={"t": track})[:, :, 0]
    assert lit[11:13, 10:38].min() > 0.9 and lit[:9].max() == 0
    later = made(line(band), frame=8, tracks={"t": track})[:, :, 0]
    assert later[25:27, 12:36].min() > 0.9
    behind = made(line(band, through=Through(matte="m", outside=True)), frame=1, tracks={"t": track})[:, :, 0]
    assert behind[12, 15] == 0 and behind[12, 32] > 0.9
    riding = made(line(place=Place(track="t", how="move")), frame=8, tracks={"t": track})
    assert np.array_equal(riding[14:], PLATES[8][:-14])


@pytest.mark.parametrize(
    ("clip", "shown"),
    [
        (Clip(shot="O"), [101, 102, 103, 104, 104, 104]),
        (Clip(shot="O", beyond="loop"), [101, 102, 103, 104, 101, 102]),
        (Clip(shot="O", beyond="end"), [101, 102, 103, 104, None, None]),
        (Clip(shot="O", reversed=True), [104, 103, 102, 101, 101, 101]),
        (Clip(shot="O", begin=3), [101, 101, 101, 102, 103, 104]),
        (Clip(shot="O", speed=one(0.5)), [101, 101, 102, 102, 103, 103]),
        (Clip(shot="O", speed=one(2.0), beyond="loop"), [101, 103, 101, 103, 101, 103]),
        (Clip(shot="O", hold=900), [104] * 6),
        (Clip(shot="O", speed=(*one(1.0), *one(0.01, 3))), [101, 102, 102, 102, 102, 102]),
    ],
)
def test_which_frame_of_a_clip_is_shown(clip, shown):
    assert [clip_frame(clip, f, (101, 104), 1) for f in range(1, 7)] == shown


def test_a_clip_of_another_rate_is_seen_at_its_own_pace():
    assert [clip_frame(Clip(shot="O"), f, (101, 120), 1, pace=2.0) for f in range(1, 5)] == [101, 103, 105, 107]
    assert [clip_frame(Clip(shot="O"), f, (101, 120), 1, pace=0.5) for f in range(1, 5)] == [101, 101, 102, 102]
    films = {"": Film(frames=(1, 8), size=SIZE), "OTHER": Film(frames=(101, 104), size=SIZE, rate=48.0)}
    it = Sources(films=films, picture=lambda shot, frame, width: np.full((32, 48, 3), frame / 200, np.float32), matte=None)
    assert compose.compose(tryout(line(Clip(shot="OTHER"))), it, 2)[0, 0, 0] == pytest.approx(103 / 200)


def test_what_is_displayed_is_the_curve():
    light = np.concatenate([np.linspace(-0.1, 1.2, 5000), np.geomspace(1e-6, 1, 5000)]).astype(np.float32).reshape(100, -1)
    assert np.abs(laying.shown(light) - np.clip(display.shown(np.clip(light, 0, 1)), 0, 1)).max() < 1e-6


@pytest.mark.parametrize("depth,top", [("8", 255), ("16", 65535)])
def test_numbers_are_rounded_to_the_nearest_and_what_is_no_number_is_black(depth, top):
    light = np.concatenate([np.random.default_rng(5).random(20_000) ** 3, [-1.0, 0.0, 1.0, 7.0, np.nan, -np.inf, np.inf]]).astype(
        np.float32
    )
    made = laying.numbers(light, depth).astype(float)
    assert np.abs(made[:-7] - display.shown(light[:-7].astype(float)) * top).max() < 0.5 + 1e-6 * top
    assert made[-7:].tolist() == [0, 0, top, top, 0, 0, top]


LAID = {
    "a patch": line(Flat(colour="#c08040"), through=Through(matte="m")),
    "its outside": line(Flat(colour="#205080"), through=Through(matte="m", outside=True), done=Done(opacity=one(0.3))),
    "a shadow": line(Clip(), place=Place(keys=at((9, 5))), through=Through(matte="m"), done=Done(shadow=Shadow(away=3, blur=4))),
    "light": line(Flat(colour="#ffffff"), through=Through(matte="m"), done=Done(added=True, opacity=one(0.2))),
    "the plate, moved": line(Clip(), place=Place(keys=at((30, -20)))),
    "nothing": line(Flat(colour="#ffffff"), done=Done(opacity=one(0.0))),
}  # fmt: skip


@settings(deadline=None, max_examples=60)
@given(st.lists(st.sampled_from(list(LAID)), max_size=3), st.booleans(), st.sampled_from(["8", "16"]), st.integers(1, 8))
def test_what_nothing_lies_on_goes_out_as_it_came_and_the_rest_is_the_rounded_light(which, below, depth, frame):
    codes = np.random.default_rng(frame).integers(0, 256, (32, 48, 3)).astype(np.uint8)
    light = display.light(np.arange(256) / 255.0).astype(np.float32)[codes]
    it = replace(sources(), picture=lambda *asked: light, codes=lambda shot, frame: codes)
    lines = [*([line(name="below")] if below else []), *(replace(LAID[name], id=f"{k}") for k, name in enumerate(which))]
    made = compose.in_numbers(tryout(*lines), it, frame, depth)
    assert np.array_equal(made, laying.numbers(compose.compose(tryout(*lines), it, frame), depth))
    if below and set(which) <= {"a patch", "nothing", "light"}:
        assert np.array_equal(made[:, :10], codes[:, :10] if depth == "8" else codes[:, :10].astype(np.uint16) * 257)
    assert np.array_equal(light, display.light(np.arange(256) / 255.0).astype(np.float32)[codes])  # the clip itself stays as it is


def test_another_size_is_fitted_filled_or_left():
    small = {fit: made(line(Clip(shot="OTHER", fit=fit)))[:, :, 0] for fit in ("fit", "fill", "own")}
    assert (small["own"] > 0.05).sum() == 24 * 16 and (small["fit"] > 0.05).all() and np.allclose(small["fill"], 0.3, atol=0.01)


def test_a_smaller_picture_is_the_same_picture_smaller():
    lines = (
        line(Flat(colour="#203040", to="#e0d0c0", turn=30)),
        line(Bars(proportion=2.0, turn=5), name="b", place=Place(keys=at((4, 2), 10.0, 0.8)), done=Done(shadow=Shadow(away=6, blur=4))),
    )
    whole, half = made(*lines), made(*lines, width=24)
    assert half.shape == (16, 24, 3)
    assert np.abs(whole.reshape(16, 2, 24, 2, 3).mean(axis=(1, 3)) - half).mean() < 0.02


@settings(deadline=None, max_examples=30)
@given(st.floats(-400, 400), st.floats(-400, 400), st.floats(-720, 720), st.floats(0.05, 20), st.floats(-400, 400))
def test_any_placing_is_finite_and_never_brighter_than_what_is_shown(x, y, turn, size, swing):
    place = Place(keys=at((x, y), turn, size), swing=Swing(hinge=((3, 4), (40, 20)), angle=one(swing)), blur=True)
    done = made(line(Flat(colour="#ffffff"), place=place))
    assert np.isfinite(done).all() and done.min() >= 0 and done.max() <= 1.001


def test_a_document_comes_back_and_says_what_is_wrong():
    it = tryout(
        line(Words(text="a\nb"), through=Through(matte="m"), live=(2, 4)),
        line(Light(), name="l", place=Place(keys=at((1, 2), 3.0), swing=Swing(hinge=((0, 0), (1, 9)), angle=one(4.0)))),
        line(Bars(), name="s", done=Done(shadow=Shadow())),
    )
    assert document.from_json(document.to_json(it)) == it
    wrong = [
        (("lines", 0, "shows", "text"), "x" * 10_000, "lines.0.shows.text: has 10000 signs|500"),
        (("lines", 0, "shows", "kind"), "hologram", "lines.0.shows"),
        (("lines", 0, "live"), [9, 2], "ends before it begins"),
        (("lines", 0, "through", "grow"), 1e9, "grow: must be a number between"),
        (("lines", 1, "place", "swing", "hinge"), [[0, 0], [0, 0]], "a pixel apart"),
        (("lines", 1, "id"), "a", "same id"),
        (("lines", 1, "secret"), 1, "secret: is not a field"),
        (("rate",), "fast", "fraction"),
    ]
    for path, value, says in wrong:
        data = json.loads(json.dumps(document.to_json(it)))
        inner = data
        for step in path[:-1]:
            inner = inner[step]
        inner[path[-1]] = value
        with pytest.raises(BadTryout, match=says):
            document.from_json(data)
    for speed in (0.0, -8.0):
        with pytest.raises(BadTryout, match=r"speed: must be a number between 0\.01 and 16"):
            Clip(speed=one(speed))


def test_what_is_missing_is_said():
    for bad, says in ((line(Clip(shot="GONE")), "GONE is not here"), (line(place=Place(track="t")), "track that a line rides on")):
        with pytest.raises(BadTryout, match=says):
            made(bad)
    assert display.light(np.float32(0.5)) == pytest.approx(0.214, abs=1e-3)


@pytest.mark.parametrize("name", ["behind", "shaded", "faint", "outside", "softened", "alone"])
def test_a_clip_over_itself_is_laid_only_where_something_lies_between(name):
    """The same is composed with the clip below placed by nothing, which is not seen to be the same clip."""
    flat = line(Flat(colour="#80ff20"), "b", place=Place(keys=at((15, 5))))
    middle = {"shaded": [replace(flat, done=Done(shadow=Shadow(away=6, blur=3)))], "alone": []}.get(name, [flat])
    through = Through(matte="m", outside=name == "outside", soften=3.0 if name == "softened" else 0.0)
    top = line(name="c", through=through, done=Done(opacity=one(0.5)) if name == "faint" else Done())
    asked: list[object] = []

    def part(shot, matte, frame, grow, box):
        asked.append(box)
        out = np.zeros(SIZE[::-1], np.float32)
        where = np.s_[box[1] : box[3], box[0] : box[2]]
        out[where] = alpha(frame)[where]
        return out

    got = made(line(), *middle, top, part=part)
    plain = made(line(place=Place(keys=at((0, 0)))), *middle, top, part=part)
    assert np.abs(got - plain).max() < 1e-6 and (name == "alone" or np.abs(got - PLATES[3]).max() > 0.1)
    assert asked == ([] if name in ("alone", "softened") else [asked[0]])
    if name == "behind":
        assert asked == [(14, 4, *SIZE)]  # with a pixel around
