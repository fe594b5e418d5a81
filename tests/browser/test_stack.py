"""The stack, ways to look, and what is read from the plate."""

import numpy as np
import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from jaythread.desk.models import Matte, Shape, StackEntry

from .test_desk import core, desk, shape  # noqa: F401 - fixtures
from .test_together import hand  # noqa: F401 - fixtures

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def two(artist, shot, shape, hand):  # noqa: F811
    artist.sign_in("rafe")
    artist.open_desk(shot.pk)
    return artist


def order(shot):
    return [e.shape.name for e in StackEntry.objects.filter(matte__shot=shot).order_by("order")]


def test_each_line_has_a_picture_and_can_be_dragged(two, shot):
    shown = "return [...document.querySelectorAll('.stack img')].map((i) => i.src.length)"
    two.until(lambda: len([n for n in two.browser.execute_script(shown) if n > 100]) == 2)
    lines = two.browser.find_elements(By.CSS_SELECTOR, ".stack .name")
    chain = two.chain().click_and_hold(lines[0])
    chain.move_to_element(lines[1]).move_by_offset(0, 3).release().perform()
    two.until(lambda: order(shot) == ["hand", "kite body"])
    two.saved()
    two.open_stack()
    two.choose("How kite body combines", "cuts its outside")
    two.until(lambda: StackEntry.objects.get(shape__name="kite body").inverted)
    two.until(lambda: "cuts" in two.css("#sentence").text and "outside of kite body" in two.css("#sentence").text)
    assert two.complaints() == []


def test_a_shape_serves_in_a_second_matte(two, shot, monkeypatch):
    two.browser.execute_script("window.prompt = () => 'arm'; document.querySelector('.panel details.more').open = true")
    two.click("New matte")
    two.until(lambda: shot.mattes.filter(name="arm").exists())
    two.saved()
    two.until(lambda: "Nothing is traced yet" in two.css("#touch").text)  # none of the other matte
    two.open_stack()
    two.until(lambda: two.label("Put a shape of the shot into this matte").is_displayed())
    two.choose("Put a shape of the shot into this matte", "hand")
    two.until(lambda: StackEntry.objects.filter(matte__name="arm", shape__name="hand").exists())
    two.until(lambda: two.css(".stack").text.startswith("hand"))
    two.css(".stack .name").click()
    two.click("Take out of this matte")
    two.until(lambda: not StackEntry.objects.filter(matte__name="arm").exists())
    assert StackEntry.objects.filter(shape__name="hand").exists()
    two.saved()
    assert two.complaints() == []


def test_softness_is_offered_and_taken(desk, shape):  # noqa: F811
    desk.press("s")
    desk.click("Read softness from the plate")
    desk.until(lambda: "The plate's edge is known on" in desk.text and "Would be" in desk.text)
    assert core(shape).reach is None
    desk.click("Take it")
    desk.until(lambda: core(shape).reach is not None)


def test_levels_wipe_and_a_look_without_the_soft_edge(desk, shape):  # noqa: F811
    desk.press("s")
    desk.figure("outer reach, px", 8)
    desk.saved()
    desk.press("5")
    desk.until(lambda: desk.pixels("matte-layer", 20, 35)[:3] == [255, 255, 255])
    assert desk.pixels("matte-layer", 6, 35)[:3] == [184, 116, 26] and desk.pixels("matte-layer", 75, 5)[:3] == [0, 0, 0]
    desk.press("2")
    desk.until(lambda: 0 < desk.pixels("matte-layer", 6, 35)[0] < 255)
    chain = desk.chain().key_down(";").perform()
    desk.until(lambda: desk.pixels("matte-layer", 6, 35)[0] == 0)
    chain = desk.chain().key_up(";")
    chain.perform()
    desk.until(lambda: 0 < desk.pixels("matte-layer", 6, 35)[0] < 255)
    assert np.allclose(core(shape).settings_at(1001)[0][:2], (0, 8))
    desk.at(desk.chain(), 30, 30).key_down("\\").perform()
    desk.until(lambda: "inset" in desk.css(".matte-layer").get_attribute("style"))
    desk.chain().key_up("\\").perform()
    desk.until(lambda: "inset" not in desk.css(".matte-layer").get_attribute("style"))
    desk.press(Keys.SHIFT, "i")
    desk.at(desk.chain(), 20, 35).perform()
    desk.at(desk.chain(), 20, 36).perform()
    desk.until(lambda: "matte 1.000" in desk.css(".under").text)
    assert desk.complaints() == []


def test_an_own_profile_is_bent_and_the_whole_edge_shifted(desk, shape):  # noqa: F811
    desk.press("s")
    desk.press("2")
    desk.figure("outer reach, px", 10)
    desk.saved()
    desk.choose("profile", "own curve")
    desk.until(lambda: Shape.objects.get(pk=shape).profile == "own 33 67")
    desk.saved()
    box = desk.css("#profile-plot").rect
    chain = desk.chain()
    for x, y in ((40, 40), (40, 20), (40, 6)):
        chain.w3c_actions.pointer_action.move_to_location(round(box["x"] + 3 + x * (box["width"] - 8) / 116), round(box["y"] + 3 + y))
        if y == 40:
            chain.click_and_hold()
    chain.release().perform()
    desk.until(lambda: Shape.objects.get(pk=shape).profile.startswith("own 9") or Shape.objects.get(pk=shape).profile.startswith("own 100"))
    desk.figure("height of the inner handle, percent", 100)
    desk.until(lambda: Shape.objects.get(pk=shape).profile.endswith(" 100"))
    desk.saved()
    desk.open_stack()
    desk.figure("edge shift of the whole matte, px", 3)
    desk.until(lambda: Matte.objects.get().shift == [[1001, 3.0]])
    desk.saved()
    desk.click("Take this key away")
    desk.until(lambda: Matte.objects.get().shift == [])
    assert desk.complaints() == []


def test_an_edge_is_softened_as_a_lens_does_of_a_shape_and_of_the_whole_matte(desk, shape):  # noqa: F811
    desk.press("s")
    desk.press("2")
    desk.until(lambda: desk.pixels("matte-layer", 8, 35)[0] == 0)
    desk.figure("lens softness, px", 3)
    desk.until(lambda: 0 < desk.pixels("matte-layer", 8, 35)[0] < 128)
    assert core(shape).settings_at(1001)[0][4] == 3.0
    desk.choose("what its lens softness is of", "disc: px of radius")
    desk.until(lambda: Shape.objects.get(pk=shape).lens_kind == "disc")
    desk.saved()
    desk.until(lambda: desk.pixels("matte-layer", 5, 35)[0] == 0)
    desk.figure("lens softness, px", 0)
    desk.saved()
    desk.open_stack()
    desk.figure("lens softness of the whole matte, px", 2)
    desk.until(lambda: Matte.objects.get().lens == [[1001, 2.0]])
    desk.until(lambda: 0 < desk.pixels("matte-layer", 8, 35)[0] < 128)
    desk.choose("what the lens softness of the whole matte is of", "disc: px of radius")
    desk.until(lambda: Matte.objects.get().lens_kind == "disc")
    desk.saved()
    desk.click("Take this key of the lens away")
    desk.until(lambda: Matte.objects.get().lens == [])
    desk.saved()
    desk.until(lambda: desk.pixels("matte-layer", 8, 35)[0] == 0)
    assert desk.complaints() == []
