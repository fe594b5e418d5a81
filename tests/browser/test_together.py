"""Several at once: shapes in a group, keys picked in numbers; and a person's own keys."""

import numpy as np
import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from jaythread.desk.document.core_cache import shapes as core_shapes
from jaythread.desk.models import Shape

from ..conftest import trace
from .test_desk import core, desk, knot_at, press_at, shape  # noqa: F401 - fixtures

pytestmark = pytest.mark.django_db(transaction=True)
HAND = ((62, 12), (76, 12), (76, 26))


def outline(which, frame):
    """With what carries it."""
    return core_shapes([Shape.objects.get(pk=which)])[which].outlines(np.array([frame]))[0, :, :2]


@pytest.fixture
def hand(shot, people, shape):  # noqa: F811
    """Made before the desk opens."""
    return trace(shot, people["rafe"], HAND, name="hand")


@pytest.fixture
def two(artist, shot, shape, hand):  # noqa: F811
    artist.sign_in("rafe")
    artist.open_desk(shot.pk)
    names = artist.browser.find_elements(By.CSS_SELECTOR, ".stack .name")
    names[0].click()
    artist.chain().key_down(Keys.SHIFT).click(names[1]).key_up(Keys.SHIFT).perform()
    return artist


def test_a_group_is_made_moved_steadied_and_left(two, shape, hand):  # noqa: F811
    two.press(Keys.SHIFT, "t")
    two.until(lambda: "placement of group 1" in two.text.replace("Placement", "placement") and "Carries" in two.text)
    two.figure("Frame", 1004)
    two.frame_is(1004)
    was = [outline(s, 1004) for s in (shape, hand)]
    dx, dy = two.drag((50, 30), (58, 40))
    two.until(lambda: outline(hand, 1004) == pytest.approx(was[1] + np.array([dx, dy]), abs=0.01))
    assert outline(shape, 1004) == pytest.approx(was[0] + np.array([dx, dy]), abs=0.01)
    two.saved()
    two.press("2")
    inside = outline(hand, 1004)[1] + [-2, 3]
    two.until(lambda: two.pixels("matte-layer", *inside)[0] == 255)
    two.browser.execute_script("document.querySelector('.surgery').open = true")
    two.click("Steady the form")
    two.until(lambda: "Would be: steadied group 1" in two.text)
    two.click("Leave it")
    names = two.browser.find_elements(By.CSS_SELECTOR, ".stack .name")
    names[1].click()
    was = [outline(hand, f) for f in range(1001, 1009)]
    two.choose("The group it moves with", "nothing: by itself")
    two.until(lambda: Shape.objects.get(pk=hand).group_id is None)
    assert max(np.abs(outline(hand, f) - w).max() for f, w in zip(range(1001, 1009), was, strict=True)) < 0.06
    assert two.complaints() == []


def test_a_double_click_on_a_shape_takes_hold_of_its_group(two, hand):
    two.press(Keys.SHIFT, "t")
    two.until(lambda: "Carries" in two.text)
    two.css(".stack .name").click()
    two.until(lambda: "Carries" not in two.text)
    two.at(two.chain(), 76, 20).double_click().perform()
    two.until(lambda: "Carries hand, kite body" in two.text)
    two.press("l")
    two.until(lambda: "is locked" in two.css("#touch").text)


def test_keys_are_picked_in_a_box_moved_stretched_and_copied(desk, shape):  # noqa: F811
    for frame in (1002, 1003):
        desk.figure("Frame", frame)
        desk.frame_is(frame)
        desk.press("k")
        desk.until(lambda frame=frame: frame in core(shape).form.frames)
        desk.saved()
    (left, y), (right, _) = knot_at(desk, 1002), knot_at(desk, 1003)
    press_at(desk, left - 12, y - 14, (left, y), (right + 12, y + 5), hold=Keys.SHIFT)
    desk.until(lambda: "4 keys, the last of" in desk.text)  # form and placement, on both frames
    press_at(desk, right, y, (right + 30, y), (knot_at(desk, 1004)[0], y))
    desk.until(lambda: core(shape).form.frames.tolist() == [1001, 1003, 1004])
    desk.until(lambda: core(shape).place.frames.tolist() == [1001, 1003, 1004, 1005])
    press_at(desk, knot_at(desk, 1004)[0], y, (right + 60, y), (knot_at(desk, 1007)[0], y), hold=Keys.ALT)
    desk.until(lambda: core(shape).form.frames.tolist() == [1001, 1003, 1007])
    desk.saved()
    desk.press("y")
    desk.figure("Frame", 1004)
    desk.frame_is(1004)
    desk.press("v")
    desk.until(lambda: core(shape).form.frames.tolist() == [1001, 1003, 1004, 1007, 1008])
    desk.press(Keys.CONTROL, "z")
    desk.until(lambda: core(shape).form.frames.tolist() == [1001, 1003, 1007])
    assert desk.complaints() == []


def test_a_key_is_changed_for_oneself_alone(desk, shot, shape):  # noqa: F811
    def keep(says: str, key: str) -> None:
        desk.press("?")
        desk.until(lambda: desk.label(f"Change the key: {says}").is_displayed())
        desk.browser.execute_script("arguments[0].click()", desk.label(f"Change the key: {says}"))
        desk.press(key)

    keep("One frame on", "g")
    desk.until(lambda: "G is taken: Play, or stop" in desk.text)
    desk.press("9")
    desk.until(lambda: "Kept for you" in desk.text)
    desk.click("Close")
    desk.press("9")
    desk.frame_is(1002)
    desk.open_desk(shot.pk)
    desk.frame_is(1002)
    desk.press("9")
    desk.frame_is(1003)
    desk.press(Keys.ARROW_RIGHT)  # no longer a key
    desk.frame_is(1003)
    desk.sign_in_again("marta")
    desk.open_desk(shot.pk)
    desk.press(Keys.ARROW_RIGHT)
    desk.frame_is(1002)
    desk.press("9")
    desk.frame_is(1002)
    assert desk.complaints() == []


def test_the_shapes_of_a_group_are_combined_as_one(two, shot, shape, hand):  # noqa: F811
    two.press(Keys.SHIFT, "t")
    two.until(lambda: "Carries" in two.text)
    two.saved()
    two.press("t")
    two.press("2")
    inside = outline(hand, 1001).mean(axis=0)
    two.until(lambda: two.pixels("matte-layer", *inside)[0] == 255)
    two.click("Combine its shapes as one")
    two.until(lambda: len(two.browser.find_elements(By.CSS_SELECTOR, ".stack li.inner")) == 2)
    two.choose("How group 1 combines", "adds its outside")
    two.until(lambda: two.pixels("matte-layer", *inside)[0] == 0 and two.pixels("matte-layer", 2, 2)[0] == 255)
    two.figure("opacity of the group, percent", 40)
    two.until(lambda: two.pixels("matte-layer", 2, 2)[0] == 102)
    two.saved()
    two.open_stack()
    names = two.browser.find_elements(By.CSS_SELECTOR, ".stack .name")
    two.chain().click_and_hold(names[0]).move_to_element(names[1]).move_by_offset(0, 3).release().perform()
    two.until(lambda: "(hand adds, kite body adds)" in two.css("#sentence").text)
    two.click("Combine them one by one")
    two.until(lambda: two.pixels("matte-layer", *inside)[0] == 255)
    assert two.complaints() == []
