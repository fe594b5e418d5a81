"""The tables that others read: modes of the stack, formats, and the names of what a frame depends on."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from roto.matte.frame_keys import FrameKeys, exposures, rows_of
from roto.matte.matting.fringe import Fringes, InMemory
from roto.matte.modes import AREA_RULES, COMBINES, MODES, ONE, SOLVE, ZERO
from roto.matte.render import render
from roto.matte.render.mixing import mix
from roto.matte.shutter import Shutter
from roto.matte.stack import Entry
from roto.package import cache_keys
from roto.package.formats import FORMATS
from roto.package.recipe import Recipe

from .build import blob, matte, rectangle, shape

SAIL, PATCH = shape(rectangle(20, 20, 80, 80), move=(8.0, 4.0)), shape(rectangle(40, 40, 60, 60), "patch")
FRAMES = [1, 4, 11]


def stack(mode="cut", **more):
    return matte(Entry(shape=SAIL), Entry(shape=PATCH, mode=mode), angle=180, **more)


@pytest.mark.parametrize("code", range(len(COMBINES)))
@given(below=st.floats(0, 1))
def test_the_rule_for_alpha_says_at_its_ends_what_the_rule_for_areas_says(code, below):
    for inside in (0, 1):
        rule = AREA_RULES[code, inside]
        wanted = {ZERO: 0.0, ONE: 1.0}.get(int(rule), below)
        assert mix(code, below, float(inside)) == pytest.approx(wanted, abs=1e-12)


@pytest.mark.parametrize("code", range(len(COMBINES)))
@given(a=st.floats(0, 1), b=st.floats(0, 1), t=st.floats(0, 1), u=st.floats(0, 1))
def test_every_mode_stays_within_0_and_1_and_is_linear_in_either_side(code, a, b, t, u):
    assert 0.0 <= mix(code, a, b) <= 1.0
    assert mix(code, t * a + (1 - t) * b, u) == pytest.approx(t * mix(code, a, u) + (1 - t) * mix(code, b, u), abs=1e-12)
    assert mix(code, u, t * a + (1 - t) * b) == pytest.approx(t * mix(code, u, a) + (1 - t) * mix(code, u, b), abs=1e-12)


def test_a_mode_that_grows_makes_no_matte_smaller_when_its_shape_does():
    wide = shape(rectangle(35, 35, 65, 65), "patch")
    for mode in COMBINES:
        small, large = (render(matte(Entry(shape=SAIL), Entry(shape=it, mode=mode.key)), 1).alpha for it in (PATCH, wide))
        assert (mode.grows * (large - small) >= -1e-6).all(), mode.key


def test_the_modes_number_themselves_and_say_what_they_do():
    assert [mode.code for mode in COMBINES] == list(range(len(COMBINES)))
    for mode in MODES.values():
        assert mode.offer and mode.sentence.count("{}") == 1
        assert bool(mode.in_svg) == bool(mode.offer_outside) == (mode.code is not None)


def test_what_formats_hold_fits_together():
    for key, kind in FORMATS.items():
        assert kind.key == key and kind.says and kind.ending.startswith(".")
        assert kind.movie or kind.reader, "every still is read back by somebody"
        assert not (kind.movie and kind.layers) and not (kind.mixes and kind.linear)
        assert kind.tolerance < 0.01 or kind.looks, "what is worked with is nearly exact"
        assert Recipe(format=key, content="matte", pattern="{shot}" if kind.movie else "{shot}.{frame}").kind is kind
    assert FORMATS["png16"].read_by(1) != FORMATS["png16"].read_by(4)
    assert FORMATS["tiff8"].read_by(1) == FORMATS["tiff8"].read_by(3) == "tifffile"


@given(width=st.integers(1, 4000), height=st.integers(1, 4000))
def test_a_file_is_padded_by_at_most_one_pixel_and_only_where_colour_is_kept_at_half_size(width, height):
    for kind in FORMATS.values():
        padded = kind.padded((width, height))
        assert all(side % 2 == 0 and 0 <= side - own <= 1 for side, own in zip(padded, (width, height), strict=True)) or not kind.even
        assert kind.even or padded == (width, height)


def test_frames_that_depend_on_the_same_have_the_same_name():
    one, two = FrameKeys("kite", {1: "a", 2: "a"}), FrameKeys("kite", {1: "a", 2: "b"})
    assert one.names()[1] == one.names()[2] == two.names()[1] != two.names()[2]
    one.mix([2], b"sail", [b"x"], [b"y"])
    assert one.names()[1] == two.names()[1] and one.names()[2] != one.names()[1]
    one.mix([1], b"sail", [b"x"], [b"y"])
    assert one.names()[1] == one.names()[2]
    one.mix_everywhere("cut")
    assert one.names()[1] == one.names()[2] != two.names()[1]


def test_a_frame_key_wants_one_item_of_each_part_a_frame():
    with pytest.raises(ValueError, match="zip"):
        FrameKeys("kite", {1: 0, 2: 0}).mix([1, 2], b"", [b"x"])
    with pytest.raises(KeyError):
        FrameKeys("kite", {1: 0}).mix([7], b"", [b"x"])
    assert rows_of(None, 3) == [b"", b"", b""]
    assert rows_of(np.arange(4).reshape(2, 2), 2) == [np.array(r).tobytes() for r in ([0, 1], [2, 3])]


def test_exposures_are_those_of_the_shutter():
    shutter = Shutter(angle=90)
    opens, closes = exposures(shutter, np.array([1, 5]))
    assert [(o, c) for o, c in zip(opens, closes, strict=True)] == [shutter.exposure(1), shutter.exposure(5)]
    np.testing.assert_allclose(closes - opens, 0.25)


CHANGES = {
    "an outline": lambda m: replace(m, entries=(Entry(shape=shape(rectangle(20, 20, 80, 81), move=(8.0, 4.0))), m.entries[1])),
    "a soft edge": lambda m: replace(m, entries=(replace(m.entries[0], shape=shape(rectangle(20, 20, 80, 80), outer=2.0)), m.entries[1])),
    "a mode": lambda m: replace(m, entries=(m.entries[0], replace(m.entries[1], mode="keep"))),
    "an opacity": lambda m: replace(m, entries=(m.entries[0], replace(m.entries[1], opacity=0.5))),
    "an order": lambda m: replace(m, entries=m.entries[::-1]),
    "the shutter": lambda m: replace(m, shutter=Shutter(angle=90)),
    "all turned round": lambda m: replace(m, inverted=True),
    "a line less": lambda m: replace(m, entries=m.entries[:1]),
    "a profile": lambda m: replace(m, entries=(replace(m.entries[0], shape=replace(SAIL, profile="smooth")), m.entries[1])),
}


@pytest.mark.parametrize("what", CHANGES)
def test_what_changes_the_picture_changes_the_name_of_each_frame(what):
    before, after = (cache_keys.matte_keys(m, FRAMES) for m in (stack(), CHANGES[what](stack())))
    assert all(before[f] != after[f] for f in FRAMES)


def test_what_changes_no_picture_changes_no_name():
    before = cache_keys.matte_keys(stack(), FRAMES)
    named = replace(SAIL, id="another", name="another")
    same = replace(stack(), name="kite again", entries=(Entry(shape=named), Entry(shape=PATCH, mode="cut")))
    assert cache_keys.matte_keys(same, FRAMES) == before
    asleep = Entry(shape=replace(shape(blob(), "gone"), live=((20, 30),)))
    assert cache_keys.matte_keys(replace(stack(), entries=(*stack().entries, asleep)), FRAMES) == before, "it is not live on these frames"


def test_a_fringe_depends_on_its_plate_and_on_what_lies_below_and_not_above():
    band = Entry(shape=shape(rectangle(70, 20, 100, 80), "tufts"), mode=SOLVE)
    over = Entry(shape=shape(rectangle(0, 0, 10, 10), "over"))

    def names(m, plate="1"):
        it = Fringes(lambda f: np.zeros((100, 120, 3), np.float32), lambda f: f"{plate} {f}", InMemory(), wait=False)
        return it.keys(m, 1, FRAMES)

    base = matte(Entry(shape=SAIL), band)
    assert names(base) == names(base) == names(replace(base, entries=(*base.entries, over)))
    assert names(base) != names(base, plate="2")
    moved = replace(base, entries=(Entry(shape=shape(rectangle(20, 20, 80, 80))), band))
    assert names(base)[1] == names(moved)[1] and names(base)[11] != names(moved)[11], "only where the outline lies elsewhere"
