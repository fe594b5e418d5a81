"""Gesture groups of drawing and keying: freehand, dividing edge, changes of all keys, locks, copied keys, looking around."""

import uuid

import numpy as np
import pytest
from selenium.webdriver.common.keys import Keys

from jaythread.desk.edit import actions
from jaythread.desk.models import Shape
from jaythread.desk.view import serializers

from ..conftest import command
from .test_desk import core, desk, knot_at, press_at, shape  # noqa: F401 - fixtures

pytestmark = pytest.mark.django_db(transaction=True)


def newest(but):
    return Shape.objects.exclude(pk__in=but).get().to_core()


def test_a_freehand_loop_and_a_dividing_edge_become_shapes(desk, shape):  # noqa: F811
    turn = np.linspace(0, 2 * np.pi, 30)
    desk.press(Keys.SHIFT, "l")
    desk.drag(*((round(40 + 22 * np.cos(t), 2), round(30 + 18 * np.sin(t), 2)) for t in turn))
    desk.until(lambda: Shape.objects.count() == 2)
    desk.until(lambda: desk.css("#saved").text == "all saved")
    loop = newest([shape])
    places = loop.outlines(np.array([1001]))[0, :, :2]
    assert 3 <= len(places) <= 10 and loop.kinds.all()
    assert np.abs(np.hypot((places[:, 0] - 40) / 22, (places[:, 1] - 30) / 18) - 1).max() < 0.06
    desk.press(Keys.SHIFT, "e")
    desk.drag((10, 40), (50, 40))
    desk.until(lambda: Shape.objects.count() == 3)
    edge = newest([shape, loop.id])
    assert edge.kind == "dividing"
    desk.press("2")
    desk.until(lambda: desk.pixels("matte-layer", 5, 55)[0] == 255)  # below the edge, far from any other shape
    desk.until(lambda: desk.pixels("matte-layer", 75, 5)[:3] == [0, 0, 0])
    desk.press(Keys.CONTROL, "z")
    desk.until(lambda: Shape.objects.count() == 2)
    assert desk.complaints() == []


def test_a_change_of_all_keys_is_said_before_and_moves_them_all(desk, shape):  # noqa: F811
    before = core(shape).outlines(np.array([1001, 1005, 1008]))
    desk.press("a")
    desk.until(lambda: "ALL KEYS" in desk.css("#touch").text)
    desk.press("p")
    desk.figure("Frame", 1003)
    desk.frame_is(1003)
    desk.press(Keys.CONTROL, Keys.ARROW_DOWN)
    desk.until(lambda: core(shape).outlines(np.array([1001]))[0, 0, 1] == pytest.approx(before[0, 0, 1] + 1))
    assert np.allclose(core(shape).outlines(np.array([1001, 1005, 1008]))[:, :, :2], before[:, :, :2] + [0, 1], atol=1e-6)
    assert core(shape).place.frames.tolist() == [1001, 1005]
    desk.press("a")
    desk.until(lambda: "FROM 1003 ON" in desk.css("#touch").text)
    desk.press("a")
    desk.until(lambda: "will be keyed" in desk.css("#touch").text)


def test_a_locked_shape_stays_and_a_hidden_one_cannot_be_hit(desk, shape):  # noqa: F811
    before = core(shape).outlines(np.array([1001]))
    desk.press("l")
    desk.until(lambda: "is locked" in desk.css("#touch").text)
    desk.drag((10, 20), (15, 30))
    desk.press(Keys.CONTROL, Keys.ARROW_RIGHT)
    desk.press("l")
    desk.until(lambda: "will be keyed" in desk.css("#touch").text)
    assert np.array_equal(core(shape).outlines(np.array([1001])), before)
    desk.press(Keys.SHIFT, "o")
    desk.press(Keys.ESCAPE)
    desk.tap(10, 35)
    desk.until(lambda: "Nothing is chosen" in desk.css("#touch").text)


def test_a_key_is_copied_to_another_frame_and_a_shape_duplicated(desk, shape):  # noqa: F811
    x, y = knot_at(desk, 1005)
    press_at(desk, x, y - 9)
    desk.press("y")
    desk.figure("Frame", 1008)
    desk.frame_is(1008)
    desk.press("v")
    desk.until(lambda: core(shape).place.frames.tolist() == [1001, 1005, 1008])
    assert np.array_equal(core(shape).place.values[1], core(shape).place.values[2])
    desk.press(Keys.SHIFT, "d")
    desk.until(lambda: Shape.objects.count() == 2)
    twin = newest([shape])
    assert twin.name == "kite body 2" and np.array_equal(twin.form.values, core(shape).form.values)
    desk.until(lambda: desk.css("#saved").text == "all saved")
    desk.browser.execute_script("document.querySelector('.history button:last-of-type').click()")
    desk.until(lambda: "duplicated kite body" in desk.css("#done").text and "rafe" in desk.css("#done").text)


def test_looking_around_changes_nothing(desk, shape):  # noqa: F811
    view = desk.css("#stage").get_attribute("data-view")
    desk.press("r")
    desk.until(lambda: desk.css("#stage").get_attribute("data-view") != view)
    desk.press(Keys.SHIFT, "r")
    desk.until(lambda: desk.css("#stage").get_attribute("data-view") == view)
    desk.press(".")
    desk.frame_is(1006)
    desk.press("m")
    desk.press(",")
    desk.frame_is(1001)
    desk.browser.execute_script("""
      const slider = document.querySelector("[aria-label='exposure, stops']");
      slider.value = 1; slider.dispatchEvent(new Event("input"));
    """)
    desk.until(lambda: "url" in desk.browser.execute_script("return document.querySelector('.plate-layer').style.filter"))
    desk.until(lambda: "+1 stops" in desk.text)
    assert core(shape).form.frames.tolist() == [1001]
    assert desk.complaints() == []


def test_chosen_points_turn_about_their_middle_and_go_to_a_typed_place(desk, shape):  # noqa: F811
    before = core(shape).outlines(np.array([1001]))[0]
    desk.drag((5, 15), (45, 15), (45, 25), (5, 25))  # a loop around the upper two, at (10, 20) and (40, 20)
    desk.until(lambda: "2 of 5 points" in desk.css("#touch").text)
    x, y = desk.on_screen(25, 20)
    bead = (x + round(96 * np.cos(-0.6)), y + round(96 * np.sin(-0.6)))
    angle = -0.6 + np.pi / 2
    press_at(desk, *bead, (x + 90, y), (x + round(96 * np.cos(angle)), y + round(96 * np.sin(angle))))
    desk.until(lambda: abs(core(shape).outlines(np.array([1001]))[0, 0, 0] - 25) < 1.0)
    after = core(shape).outlines(np.array([1001]))[0]
    assert np.abs(after[:2, :2] - [[25, 5], [25, 35]]).max() < 1.0
    assert np.array_equal(after[2:], before[2:])
    desk.saved()
    desk.figure("x of the chosen points, px", 30)
    desk.until(lambda: abs(core(shape).outlines(np.array([1001]))[0, :2, 0].mean() - 30) < 0.02)


def test_what_somebody_else_does_arrives_by_itself(desk, shape, shot, people):  # noqa: F811
    actions.edit(people["marta"], shot.pk, uuid.uuid4(), None, command(do="look", shape=shape, name="marta's kite"))
    desk.until(lambda: "Meanwhile: marta renamed kite body" in desk.text)
    desk.until(lambda: "marta's kite" in desk.css(".stack").text)
    desk.press(Keys.CONTROL, Keys.ARROW_RIGHT)  # nothing is chosen of the form: no edit, no complaint
    assert desk.complaints() == []


def test_the_board_opens_to_channels_and_zooms(desk, shape):  # noqa: F811
    desk.drag((10, 20), (12, 22))
    desk.saved()
    desk.browser.execute_script("document.querySelector('.names .fold').click()")
    names = "return [...document.querySelectorAll('.names .channel')].map((e) => e.innerText.trim())"
    desk.until(lambda: desk.browser.execute_script(names) == ["form", "placement", "soft edge"])
    x, y = knot_at(desk, 1005, row=2)
    press_at(desk, x, y)
    desk.frame_is(1005)
    desk.until(lambda: "Key of the placement on 1005" in desk.text)
    desk.press(Keys.DELETE)
    desk.until(lambda: core(shape).place.frames.tolist() == [1001])


def test_steadying_the_form_is_shown_before_it_is_taken(desk, shape):  # noqa: F811
    desk.press(Keys.CONTROL, "a")
    desk.figure("Frame", 1004)
    desk.frame_is(1004)
    desk.press(Keys.CONTROL, Keys.ARROW_RIGHT)  # all points move: a move that hides in the form
    desk.until(lambda: core(shape).form.frames.tolist() == [1001, 1004])
    desk.saved()
    before = core(shape).outlines(np.array([1001, 1004, 1005]))
    desk.browser.execute_script("document.querySelector('.surgery').open = true")
    desk.click("Steady the form")
    desk.until(lambda: "Would be: steadied the form of kite body" in desk.text)
    assert core(shape).place.frames.tolist() == [1001, 1005]
    desk.click("Take it")
    desk.until(lambda: core(shape).place.frames.tolist() == [1001, 1004, 1005])
    assert np.allclose(core(shape).outlines(np.array([1001, 1004, 1005])), before, atol=1e-4)
    desk.until(lambda: "Would be" not in desk.text)
    assert desk.complaints() == []


def test_a_long_shot_opens_with_its_first_frame_and_the_rest_follows(artist, shot, shape, monkeypatch):  # noqa: F811
    monkeypatch.setattr(serializers, "LEAN", 10)
    artist.sign_in("rafe")
    artist.open_desk(shot.pk)
    artist.until(lambda: artist.pixels("outline-layer", 9.5, 35)[3] > 200)
    artist.figure("Frame", 1005)
    artist.until(lambda: artist.pixels("outline-layer", 15.5, 35)[3] > 200)  # moved by 6 px there
    artist.drag((16, 20), (16, 26))
    artist.until(lambda: core(shape).form.frames.tolist() == [1001, 1005])
    assert artist.complaints() == []


def test_an_outline_is_opened_again_and_carried_on(desk, shape):  # noqa: F811
    desk.press(Keys.SHIFT, "c")
    desk.tap(4, 35)  # between the last point (10, 50) and the first (10, 20)
    desk.tap(10, 20)
    desk.until(lambda: core(shape).form.parts == 6)
    points = core(shape).outlines(np.array([1001]))[0, :, :2]
    assert np.abs(points - [[10, 20], [40, 20], [60, 35], [40, 50], [10, 50], [4, 35]]).max() < 0.3
    assert core(shape).place.frames.tolist() == [1001, 1005]
    desk.saved()
    desk.press(Keys.CONTROL, "z")
    desk.until(lambda: core(shape).form.parts == 5)
    assert desk.complaints() == []


def test_the_soft_edge_is_dragged_at_a_point_and_as_a_whole(desk, shape):  # noqa: F811
    desk.press("s")
    desk.press("2")
    desk.until(lambda: desk.pixels("matte-layer", 20, 30)[0] == 255)
    desk.drag((60, 35), (66, 35), (72, 35))  # from the point at the right outwards
    desk.until(lambda: core(shape).reach is not None)
    desk.until(lambda: "the soft edge at 1 of 5 points" in desk.css("#touch").text)
    desk.saved()
    reach = core(shape).reaches_at(1001)[0]
    assert reach[2, 1] == pytest.approx(12, abs=1) and np.delete(reach, 2, axis=0).max() == 0
    desk.until(lambda: 0 < desk.pixels("matte-layer", 64, 34)[0] < 255)
    assert desk.pixels("matte-layer", 5, 35)[0] == 0  # the other side is as hard as it was
    desk.tap(30, 12)  # on nothing: the whole shape again
    desk.until(lambda: "the soft edge of" in desk.css("#touch").text)
    desk.figure("outer reach, px", 6)
    desk.until(lambda: core(shape).reaches_at(1001)[0, 2, 1] == pytest.approx(6))
    desk.saved()
    desk.click("One reach for all points")
    desk.until(lambda: core(shape).reach is None)
    desk.saved()
    desk.press(Keys.CONTROL, "z")
    desk.until(lambda: core(shape).reach is not None)
    assert desk.complaints() == []
