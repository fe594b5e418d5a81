"""Other hands than a mouse: a pen with pressure and an eraser, two fingers, and the keyboard alone."""

import uuid

import numpy as np
import pytest
from selenium.webdriver.common.keys import Keys

from jaythread.desk.edit import actions
from jaythread.desk.models import Shape

from ..conftest import FIRST, command
from .test_desk import core, desk, shape  # noqa: F401 - fixtures

pytestmark = pytest.mark.django_db(transaction=True)
SEND = """
const stage = document.getElementById("stage"), box = stage.getBoundingClientRect();
stage.setPointerCapture = () => {};
const [kind, events] = arguments;
for (const [type, id, x, y, more] of events)
{
  const said = { pointerId: id, pointerType: kind, clientX: x, clientY: y, bubbles: true, cancelable: true, button: 0, ...more };
  stage.dispatchEvent(new PointerEvent(type, said));
}
"""


def send(desk, kind, *events):  # noqa: F811
    """Pointer events of a kind at places of the plate: (type, pointer, x, y, more)."""
    desk.browser.execute_script(SEND, kind, [[e[0], e[1], *desk.on_screen(e[2], e[3]), e[4] if len(e) > 4 else {}] for e in events])


def test_two_fingers_pan_and_zoom_and_what_the_first_began_is_dropped(desk, shape):  # noqa: F811
    scale, x, _ = desk.view()
    before = core(shape).outlines(np.array([FIRST]))
    send(desk, "touch", ("pointerdown", 1, 10, 20), ("pointerdown", 2, 30, 20))  # the first is on a point
    send(desk, "touch", ("pointermove", 1, 0, 20), ("pointermove", 2, 40, 20), ("pointerup", 1, 0, 20), ("pointerup", 2, 40, 20))
    desk.until(lambda: desk.view()[0] == pytest.approx(2 * scale, rel=0.05))
    now = desk.view()
    assert 20 * now[0] + now[1] == pytest.approx(20 * scale + x, abs=3)  # what was between them stays there
    desk.saved()
    assert np.array_equal(core(shape).outlines(np.array([FIRST])), before)


def test_the_eraser_end_takes_back(desk, shape):  # noqa: F811
    points = core(shape).form.parts
    send(desk, "pen", ("pointerdown", 3, 60, 35, {"button": 5, "buttons": 32}), ("pointerup", 3, 60, 35))
    desk.until(lambda: core(shape).form.parts == points - 1)
    desk.press("n")
    for x, y in ((70, 10), (80, 10), (80, 20)):
        send(desk, "pen", ("pointerdown", 3, x, y, {"pressure": 0.5}), ("pointerup", 3, x, y))
    send(desk, "pen", ("pointerdown", 3, 50, 50, {"button": 5, "buttons": 32}), ("pointerup", 3, 50, 50))
    send(desk, "pen", ("pointerdown", 3, 90, 30, {"pressure": 0.5}), ("pointerup", 3, 90, 30))
    desk.press(Keys.ENTER)
    desk.until(lambda: Shape.objects.count() == 2)
    made = Shape.objects.exclude(pk=shape).get().to_core().outlines(np.array([FIRST]))[0, :, :2]
    assert np.abs(made - [(70, 10), (80, 10), (90, 30)]).max() < 0.6


def test_keys_are_picked_and_moved_without_a_mouse(desk, shape):  # noqa: F811
    form, place = (keys.frames.tolist() for keys in (core(shape).form, core(shape).place))
    assert len(place) > 1
    frame = place[-1]
    desk.figure("Frame", FIRST)
    desk.frame_is(FIRST)
    desk.browser.execute_script("document.activeElement.blur()")
    while int(desk.css("#frame").get_attribute("value")) != frame:
        was = desk.css("#frame").get_attribute("value")
        desk.press(Keys.SHIFT, Keys.ARROW_RIGHT)
        desk.until(lambda was=was: desk.css("#frame").get_attribute("value") != was)
    desk.press(Keys.CONTROL, ".")
    desk.until(lambda: core(shape).place.frames[-1] == frame + 1)
    desk.frame_is(frame + 1)
    desk.saved()
    desk.press(Keys.CONTROL, ",")
    desk.until(lambda: core(shape).place.frames.tolist() == place and core(shape).form.frames.tolist() == form)
    desk.press("]")  # and points along the outline, moved by the arrows
    before = core(shape).outlines(np.array([frame]))[0, 0, 0]
    desk.press(Keys.CONTROL, Keys.ARROW_RIGHT)
    desk.until(lambda: core(shape).outlines(np.array([frame]))[0, 0, 0] == pytest.approx(before + 1))


def test_steps_are_steps_in_a_name_and_what_is_typed_stays(desk, shot, people, shape):  # noqa: F811
    name = desk.label("Name of the shape")
    name.click()
    desk.press(Keys.ARROW_RIGHT)
    desk.frame_is(FIRST + 1)
    name.send_keys(Keys.END, "x", Keys.ARROW_LEFT, "y")  # from the first letter on the arrows are the text's
    desk.frame_is(FIRST + 7)  # End was a step, to the last frame
    assert name.get_attribute("value").endswith("yx")
    actions.edit(people["marta"], shot.pk, uuid.uuid4(), None, command(do="place", shape=shape, frame=FIRST, move=(0, 3)))
    desk.until(lambda: desk.browser.execute_script("return document.querySelector('#toldBy, body').innerText.includes('marta')"))
    assert name.get_attribute("value").endswith("yx")  # the page has heard of it, and has written nothing into the field
    name.send_keys(Keys.ENTER)
    desk.until(lambda: Shape.objects.get(pk=shape).name.endswith("yx"))
