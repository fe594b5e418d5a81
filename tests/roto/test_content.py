"""What delivered pictures show: colours, sizes and channels, by the rules that a receiver goes by."""

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from roto.errors import BadPicture, BadRecipe, RotoError
from roto.matte.render import render
from roto.package import compose
from roto.package.compose import Sources
from roto.package.recipe import Recipe
from roto.picture import display

from .packing import ARM, HIGH, KITE, WIDE, plate

SOURCES = Sources(mattes=(KITE,), plate=plate)


def straight(of: Sources = SOURCES, key: str = "png16") -> np.ndarray:
    return compose.picture(of, Recipe(format=key, content="straight"), 3)


def test_a_cut_out_keeps_the_plates_colours_where_it_is_solid_and_alpha_is_the_matte():
    made, alpha = straight(), render(KITE, 3).alpha
    assert made.shape == (HIGH, WIDE, 4) and np.array_equal(made[:, :, 3], alpha)
    solid = alpha == 1
    assert np.abs(made[:, :, :3] - plate(3) / np.float32(255))[solid].max() < 1e-6
    far = cv2.dilate((alpha > 0).astype(np.uint8), np.ones((11, 11), np.uint8)) == 0
    assert not made[far].any()  # nothing hides where a receiver would not look


@pytest.mark.parametrize("key", ["png16", "exr16"])
def test_premultiplied_is_straight_times_alpha_and_lies_the_same_over_any_ground(key):
    one = straight(key=key)
    two = compose.picture(SOURCES, Recipe(format=key, content="premultiplied"), 3)
    assert np.abs(two[:, :, :3] - one[:, :, :3] * one[:, :, 3:]).max() < 1e-6 and np.array_equal(one[:, :, 3], two[:, :, 3])


def test_over_a_colour_is_the_cut_out_laid_on_it():
    how = Recipe(format="png8", content="over", colour=(0.2, 0.4, 0.8))
    made, cut = compose.picture(SOURCES, how, 3), straight()
    ground = np.array([0.2, 0.4, 0.8])
    wanted = cut[:, :, :3] * cut[:, :, 3:] + ground * (1 - cut[:, :, 3:])
    assert made.shape == (HIGH, WIDE, 3) and np.abs(made - wanted).max() < 2 / 255


def test_float_files_hold_linear_light_and_the_others_what_is_displayed():
    light, shown = straight(key="exr16"), straight()
    solid = render(KITE, 3).alpha == 1
    assert np.abs(display.light(shown[:, :, :3]) - light[:, :, :3])[solid].max() < 1e-5


def test_packed_and_named_mattes_are_each_by_themselves():
    both = Sources(mattes=(KITE, ARM))
    kite, arm = (render(m, 3).alpha for m in (KITE, ARM))
    packed = compose.picture(both, Recipe(format="png16", content="packed"), 3)
    assert compose.channels(both, Recipe(format="png16", content="packed")) == ("R", "G", "B")
    assert np.array_equal(packed[:, :, 0], kite) and np.array_equal(packed[:, :, 1], arm) and not packed[:, :, 2].any()
    layers = compose.picture(both, Recipe(format="exr16", content="layers"), 3)
    assert compose.channels(both, Recipe(format="exr16", content="layers")) == ("kite.Y", "arm.Y")
    assert np.array_equal(layers[:, :, 0], kite) and np.array_equal(layers[:, :, 1], arm)


def test_what_cannot_be_made_of_these_is_refused_by_its_field():
    five = Sources(mattes=(KITE, ARM, KITE, ARM, KITE))
    for of, how, field, says in (
        (five, Recipe(content="packed"), "mattes", "leave 1 out"),
        (Sources(mattes=(KITE, ARM)), Recipe(), "mattes", "delivers one matte"),
        (Sources(mattes=(KITE, KITE)), Recipe(format="exr16", content="layers"), "mattes", "same channel name"),
        (Sources(mattes=(KITE,)), Recipe(content="straight"), "content", "plate's picture"),
    ):
        with pytest.raises(BadRecipe, match=f"{field}: .*{says}"):
            compose.check(of, how)


def test_a_plate_that_is_missing_or_of_another_size_is_said_by_its_frame():
    with pytest.raises(BadPicture, match=r"Frame 3 .*missing"):
        compose.plate_of(Sources(mattes=(KITE,)), 3, False)
    with pytest.raises(BadPicture, match=r"Frame 3 .*40 x 30 pixels instead of 96 x 64"):
        compose.plate_of(Sources(mattes=(KITE,), plate=lambda frame: np.zeros((30, 40, 3), np.uint8)), 3, False)


@settings(max_examples=30, deadline=None)
@given(st.integers(8, 200), st.integers(8, 200), st.sampled_from(["straight", "premultiplied"]))
def test_a_cut_out_of_another_size_draws_in_no_foreign_colour(wide, high, what):
    """The subject is one flat colour over a ground of another: whatever the size, no pixel of the cut-out is of the ground's."""

    def two(frame: int) -> np.ndarray:
        alpha = render(KITE, frame).alpha[:, :, None]
        return np.rint(255 * (alpha * [0.9, 0.5, 0.1] + (1 - alpha) * [0.1, 0.3, 0.9])).astype(np.uint8)

    how = Recipe(format="png16", content=what, size="own", width=wide, height=high)
    made = compose.picture(Sources(mattes=(KITE,), plate=two), how, 3)
    assert made.shape == (high, wide, 4) and made.min() >= 0 and made[:, :, 3].max() <= 1
    seen = made[:, :, 3] > 0.25
    colour = made[:, :, :3] / (1 if what == "straight" else np.maximum(made[:, :, 3:], 1e-6))
    assert seen.any() and np.abs(colour[seen] - [0.9, 0.5, 0.1]).max() < 0.12


@settings(max_examples=60, deadline=None)
@given(arrays(np.float32, 24, elements=st.floats(0, 1, width=32)))
def test_displayed_and_linear_are_each_others_inverse_and_rise(values):
    assert np.abs(display.light(display.shown(values)) - values).max() < 1e-5
    in_order = np.sort(values)
    assert (np.diff(display.shown(in_order)) >= 0).all() and (np.diff(display.light(in_order)) >= 0).all()


@pytest.mark.parametrize("space", display.SPACES)
def test_what_is_seen_does_not_depend_on_how_deep_the_file_is(space):
    """The same picture as bytes, as 16 bits and as float is the same on the screen, within a step."""
    deep = (np.arange(256, dtype=np.uint16) * 257)[None, :, None].repeat(3, axis=2)
    shallow, floats = (deep // 257).astype(np.uint8), deep.astype(np.float32) / 65535
    screens = [display.to_screen(p, space).astype(int) for p in (shallow, deep, floats)]
    assert np.abs(screens[0] - screens[1]).max() <= 1 and np.abs(screens[1] - screens[2]).max() <= 1
    assert np.abs(display.to_shown(deep, space) * 255 - screens[1]).max() <= 0.51
    assert (np.diff(screens[1][0, :, 0]) >= 0).all() and screens[1].min() == 0 and screens[1].max() == 255


def test_what_is_not_a_number_in_a_float_plate_becomes_black_and_no_space_is_guessed_at():
    odd = np.array([[[np.nan, np.inf, -np.inf]]], np.float32)
    assert display.to_screen(odd, "linear").tolist() == [[[0, 255, 0]]]
    assert np.isfinite(display.to_light(odd, "linear")).all()
    with pytest.raises(RotoError, match="no colour space 'sepia'"):
        display.to_screen(odd, "sepia")
