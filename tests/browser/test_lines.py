"""The everyday ways of an outline: redrawn by a stroke, mirrored, brought into line, found by its name; mattes together and elsewhere."""

import uuid

import numpy as np
import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from jaythread.desk.edit import actions
from jaythread.desk.models import Shape
from jaythread.plates import actions as plates
from jaythread.productions.models import Shot

from ..conftest import FIRST, command, trace, write_stills
from .test_desk import core, desk, shape  # noqa: F401 - fixtures
from .test_gestures import knot_at

pytestmark = pytest.mark.django_db(transaction=True)


def places(which, frame=FIRST):
    return core(which).outlines(np.array([frame]))[0, :, :2]


def choose_points(desk, shape, *points):  # noqa: F811
    code = "Alpine.$data(document.getElementById('desk')).desk.store.selection.choose(arguments[0], arguments[1])"
    desk.browser.execute_script(code, shape, list(points))


def test_an_outline_is_redrawn_by_a_stroke_all_of_it_or_a_stretch(desk, shape):  # noqa: F811
    before = places(shape)
    high = before.max(axis=0)
    desk.press(Keys.SHIFT, "y")
    desk.until(lambda: "follows the stroke on this frame" in desk.css("#touch").text)
    along = np.linspace(0, np.pi, 12)
    desk.drag(*((round(25 - 13 * np.cos(t), 2), round(high[1] + 6 * np.sin(t), 2)) for t in along))
    desk.until(lambda: core(shape).form.values[:, :, 2:].any())
    desk.saved()
    assert np.allclose(places(shape)[:3], before[:3])
    desk.press(Keys.SHIFT, "y")
    turn = np.linspace(0.7, 0.7 + 2 * np.pi, 40)
    desk.drag(*((round(45 + 20 * np.cos(t), 2), round(32 + 16 * np.sin(t), 2)) for t in turn))
    desk.until(lambda: np.abs(np.hypot((places(shape)[:, 0] - 45) / 20, (places(shape)[:, 1] - 32) / 16) - 1).max() < 0.12)
    assert len(places(shape)) == len(before) and desk.complaints() == []


def test_a_shape_is_mirrored_with_its_keys_and_its_points_brought_level(desk, shape):  # noqa: F811
    before = places(shape)
    desk.click("More of kite body")
    desk.click("To the other side")
    desk.until(lambda: np.allclose(places(shape), before * [-1, 1] + [96, 0]))
    desk.saved()
    choose_points(desk, shape, 0, 2)
    desk.click("Level")
    desk.until(lambda: places(shape)[0, 1] == places(shape)[2, 1])
    desk.saved()
    desk.press("p")
    desk.figure("height alone, percent", 50)
    desk.until(lambda: np.isclose(np.ptp(places(shape)[:, 1]), np.ptp(core(shape).form.values[0, :, 1]) / 2))
    assert desk.complaints() == []


def test_new_keys_are_of_the_kind_that_a_person_likes_and_later_keys_come_along(desk, shape, people):  # noqa: F811
    desk.choose("What follows the keys that you make", "hold")
    desk.figure("Frame", FIRST + 3)
    choose_points(desk, shape, 0)
    desk.press(Keys.CONTROL, Keys.ARROW_RIGHT)
    desk.until(lambda: core(shape).form.index(FIRST + 3) is not None)
    desk.saved()
    form = core(shape).form
    assert form.kinds[form.index(FIRST + 3)] == 0
    desk.browser.refresh()
    desk.until(lambda: desk.css("body").get_attribute("data-open"))
    desk.until(lambda: desk.css("#key-kind").get_attribute("value") == "hold")
    x, y = knot_at(desk, FIRST + 3)
    chain = desk.chain().key_down(Keys.CONTROL)
    chain.w3c_actions.pointer_action.move_to_location(x, y)
    chain.click_and_hold()
    chain.w3c_actions.pointer_action.move_to_location(knot_at(desk, FIRST + 4)[0], y)
    chain.release().key_up(Keys.CONTROL).perform()
    desk.until(lambda: core(shape).form.frames.tolist() == [f if f < FIRST + 3 else f + 1 for f in form.frames.tolist()])


@pytest.fixture
def second(production, people, tmp_path):
    """Another shot of the production, numbered from 1."""
    stills = write_stills(tmp_path / "more", 1, 8, name="MILL_040.{:04d}.png")
    it = plates.bring_in_folder(people["rafe"], production.pk, "MILL_040", tmp_path / "more", [p.name for p in stills])
    plates.decode(it.plates.get().pk)
    return it


def test_mattes_are_seen_together_and_one_goes_to_another_shot(second, desk, shot, shape, people):  # noqa: F811
    arm = str(uuid.uuid4())
    rafe = people["rafe"]
    actions.edit(rafe, shot.pk, uuid.uuid4(), None, command(do="new matte", matte=arm, name="arm"))
    entry = str(uuid.uuid4())
    said = {"do": "trace", "shape": str(uuid.uuid4()), "entry": entry, "matte": arm, "name": "arm", "frame": FIRST, "mode": "add"}
    points = [[70, 8, 0, 0, 0, 0], [92, 8, 0, 0, 0, 0], [92, 24, 0, 0, 0, 0]]
    actions.edit(rafe, shot.pk, uuid.uuid4(), None, command(**said, points=points, curves=[False] * 3))
    desk.until(lambda: "arm" in desk.label("Matte").text)
    desk.press("7")
    first, other = places(shape).mean(axis=0), (88, 12)
    desk.until(lambda: desk.pixels("matte-layer", *first)[3] > 90 and desk.pixels("matte-layer", *other)[3] > 90)
    assert desk.pixels("matte-layer", *first)[:3] != desk.pixels("matte-layer", *other)[:3] and desk.pixels("matte-layer", 90, 60)[3] == 0
    desk.browser.execute_script("document.querySelector('.panel details.more').open = true")
    desk.click("Copy it to another shot")
    desk.css("#matte-begin").send_keys("3")
    desk.click("Copy it there")
    desk.until(lambda: "MILL_040 has the matte kite now" in desk.text)
    taken = Shape.objects.get(shot=Shot.objects.get(pk=second.pk)).to_core()
    assert taken.form.frames[0] == 3 and np.allclose(taken.outlines(np.array([3]))[0, :, :2], places(shape))
    assert desk.complaints() == []


def test_a_shape_is_found_by_its_name_and_a_group_folds_on_the_board(desk, shot, shape, people):  # noqa: F811
    members = [trace(shot, people["rafe"], name=f"sail {k}") for k in range(5)]
    group = {"do": "new group", "shape": str(uuid.uuid4()), "name": "sails", "members": members, "frame": FIRST}
    actions.edit(people["rafe"], shot.pk, uuid.uuid4(), None, command(**group))
    desk.until(lambda: "sail 4" in desk.css(".names").text and "sails (group)" in desk.css(".names").text)
    desk.press("/")
    desk.until(lambda: desk.css("#find").is_displayed())
    desk.css("#find").send_keys("l 3", Keys.ENTER)
    desk.until(lambda: desk.label("Name of the shape").get_attribute("value") == "sail 3")
    desk.click("More of sail 3")
    desk.click("its group")
    desk.until(lambda: "5 shapes" in desk.css("#touch").text)
    fold = next(
        b for b in desk.browser.find_elements(By.CSS_SELECTOR, ".names .fold") if "shapes of sails" in b.get_attribute("aria-label")
    )
    fold.click()
    desk.until(lambda: "sails (group)" in desk.css(".names").text and "sail 2" not in desk.css(".names").text)
