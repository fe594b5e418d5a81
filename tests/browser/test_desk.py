"""The desk by gesture groups: points, keys on the thread board, live ranges, playing, lost connections, two people on one shape."""

import uuid

import numpy as np
import pytest
from selenium.webdriver.common.keys import Keys

from jaythread.desk.edit import actions
from jaythread.desk.models import Edit, Shape
from jaythread.tryouts import actions as tryouts

from ..conftest import command, picture, trace

pytestmark = pytest.mark.django_db(transaction=True)
CORNERS = ((10, 20), (40, 20), (60, 35), (40, 50), (10, 50))


def core(shape):
    return Shape.objects.get(pk=shape).to_core()


@pytest.fixture
def shape(shot, people):
    it = trace(shot, people["rafe"], points=CORNERS)
    actions.edit(people["rafe"], shot.pk, uuid.uuid4(), None, command(do="place", shape=it, frame=1005, move=(6, 0)))
    return it


@pytest.fixture
def desk(artist, shot, shape):
    artist.sign_in("rafe")
    artist.open_desk(shot.pk)
    return artist


def knot_at(desk, frame: int, row: int = 0) -> tuple[int, int]:
    """Where a frame's place on a thread is on the screen."""
    box = desk.css(".threads").rect
    return round(box["x"] + 16 + (frame - 1001) / 7 * (box["width"] - 32)), round(box["y"] + row * 31 + 19)


def press_at(desk, x: int, y: int, *stops: tuple[int, int], hold: str | None = None) -> None:
    chain = desk.chain()
    chain.w3c_actions.pointer_action.move_to_location(x, y)
    if hold:
        chain.key_down(hold)
    chain.click_and_hold()
    for stop in stops:
        chain.w3c_actions.pointer_action.move_to_location(*stop)
    chain.release()
    if hold:
        chain.key_up(hold)
    chain.perform()


@pytest.mark.parametrize("page", ["desk", "tryouts"])
def test_all_that_a_page_comes_to_is_asked_for_at_once_and_only_once(desk, shot, people, page):
    if page == "tryouts":
        made = tryouts.begin(people["rafe"], shot.pk, uuid.uuid4(), "behind", None, 1001)[1]
        desk.go(f"/shots/{shot.pk}/tryouts/{made.pk}")
        desk.until(lambda: desk.browser.find_elements("css selector", "button.line"))
    asked, early, first = desk.browser.execute_script(
        "const asked = performance.getEntriesByType('resource').map((e) => new URL(e.name).pathname);"
        "const linked = (kind) => [...document.querySelectorAll(`link[rel=${kind}]`)].map((e) => new URL(e.href).pathname);"
        "return [asked, linked('modulepreload'), linked('preload')]"
    )
    scripts = {path for path in asked if path.endswith(".js") and "/vendor/" not in path}
    assert scripts == set(early) and f"/static/{'tryouts/tryout' if page == 'tryouts' else 'desk/main'}.js" in scripts
    assert len(first) == 1 and asked.count(first[0]) == 1


def test_points_are_chosen_changed_and_removed(desk, shape):
    desk.drag((5, 15), (45, 15), (45, 55), (35, 55), (35, 25), (5, 25))  # a loop around the upper two and the lower right one
    desk.until(lambda: "3 of 5 points" in desk.css("#touch").text)
    desk.press("i")
    desk.until(lambda: "2 of 5 points" in desk.css("#touch").text)
    desk.press(Keys.ESCAPE)
    desk.press("]")
    desk.until(lambda: "1 of 5 points" in desk.css("#touch").text)
    desk.press(Keys.SHIFT, "a")
    desk.until(lambda: "3 of 5 points" in desk.css("#touch").text)
    desk.press(Keys.ESCAPE)
    desk.tap(60, 35)
    desk.until(lambda: "1 of 5 points" in desk.css("#touch").text)
    desk.press("c")
    desk.until(lambda: core(shape).kinds.tolist() == [0, 0, 1, 0, 0])
    desk.press(Keys.CONTROL, Keys.ARROW_RIGHT)
    desk.until(lambda: core(shape).outlines(np.array([1001]))[0, 2, 0] == pytest.approx(61, abs=1e-4))
    desk.tap(*(core(shape).outlines(np.array([1001]))[0, 4, :2]))
    desk.until(lambda: "1 of 5 points" in desk.css("#touch").text)
    desk.press(Keys.DELETE)
    desk.until(lambda: core(shape).form.parts == 4)
    desk.until(lambda: "px on average" in desk.text)  # how far the outline moved is said
    desk.press(Keys.CONTROL, "z")
    desk.until(lambda: core(shape).form.parts == 5)
    place = (25.0, 20.0)
    chain = desk.at(desk.chain(), *place)
    chain.double_click().perform()
    desk.until(lambda: core(shape).form.parts == 6)
    assert desk.complaints() == []


def test_keys_are_picked_moved_and_taken_away_on_the_thread_board(desk, shape):
    x, y = knot_at(desk, 1005)
    press_at(desk, x, y - 9, (x + 30, y - 9), (knot_at(desk, 1007)[0], y - 9))
    desk.until(lambda: core(shape).place.frames.tolist() == [1001, 1007])
    desk.frame_is(1007)
    desk.choose("What follows this key", "holds until the next")
    desk.until(lambda: core(shape).place.kinds.tolist() == [2, 0])
    press_at(desk, knot_at(desk, 1004)[0], y + 60)
    desk.frame_is(1004)
    desk.press("k")
    desk.until(lambda: core(shape).form.frames.tolist() == [1001, 1004])
    press_at(desk, knot_at(desk, 1007)[0], y - 9)
    desk.press(Keys.DELETE)
    desk.until(lambda: core(shape).place.frames.tolist() == [1001, 1004])


def test_live_ranges_start_and_end_here(desk, shape):
    desk.press("2")
    desk.until(lambda: desk.pixels("matte-layer", 20, 30)[0] == 255)
    for key, frame, want in (("q", 1003, ((1003, 1008),)), ("w", 1006, ((1003, 1006),))):
        desk.figure("Frame", frame)
        desk.frame_is(frame)
        desk.press(key)
        desk.until(lambda want=want: core(shape).live == want)
    desk.until(lambda: desk.pixels("matte-layer", 25, 30)[0] == 255)
    desk.press(Keys.ARROW_RIGHT)
    desk.until(lambda: desk.pixels("matte-layer", 25, 30)[:3] == [0, 0, 0])


def test_playing_goes_round_and_comes_back(desk):
    desk.figure("Frame", 1003)
    desk.press("b")
    desk.figure("Frame", 1006)
    desk.press("e")
    desk.figure("Frame", 1004)
    code = "window.seen = new Set(); setInterval(() => seen.add(+document.querySelector('#frame').value), 4)"
    desk.browser.execute_script(code)
    desk.press("h")
    desk.until(lambda: "playing" in desk.text)
    desk.until(lambda: set(desk.browser.execute_script("return [...seen]")) == {1003, 1004, 1005, 1006})
    desk.press("g")
    desk.frame_is(1004)


def test_without_a_connection_nothing_is_lost(desk, shape):
    core_before = core(shape)
    desk.at(desk.chain(), 60, 35).click_and_hold().perform()
    desk.at(desk.chain(), 64, 38).perform()
    desk.offline(True)  # the hand is still down
    desk.at(desk.chain(), 68, 40).release().perform()
    moved = np.array(desk.on_plate(68, 40)) - desk.on_plate(60, 35)
    desk.until(lambda: "unsaved" in desk.css("#saved").text)
    desk.press(Keys.ARROW_RIGHT)
    desk.frame_is(1002)
    again = np.array(desk.drag(tuple(core_before.outlines(np.array([1002]))[0, 0, :2]), (9, 18), (8, 16)))
    assert Edit.objects.count() == 3
    desk.offline(False)
    desk.saved()
    it = core(shape)
    assert it.form.frames.tolist() == [1001, 1002]
    assert it.outlines(np.array([1001]))[0, 2, :2] == pytest.approx([60 + moved[0], 35 + moved[1]], abs=0.01)
    assert it.form.held[1].tolist() == [True, False, False, False, False]
    was = core_before.outlines(np.array([1002]))[0, 0, :2]
    assert it.outlines(np.array([1002]))[0, 0, :2] == pytest.approx(was + again, abs=0.01)


def test_somebody_else_on_the_same_shape_is_named_and_neither_is_overwritten(desk, shot, shape, people):
    actions.edit(people["marta"], shot.pk, uuid.uuid4(), None, command(do="place", shape=shape, frame=1001, move=(0, 3)))
    desk.drag((60, 35), (64, 38), (70, 40))
    desk.until(lambda: "marta has changed 'kite body' meanwhile" in desk.text)
    desk.until(lambda: "Your version of this shape is kept aside" in desk.text)
    assert core(shape).form.frames.tolist() == [1001]
    assert core(shape).outlines(np.array([1001]))[0, 2, :2] == pytest.approx([60, 38])
    desk.browser.refresh()  # kept over a reload
    desk.until(lambda: "Your version of this shape is kept aside" in desk.text)
    desk.click("Take mine")
    desk.saved()
    desk.until(lambda: core(shape).outlines(np.array([1001]))[0, 2, 0] > 65)


def test_ready_made_outlines_their_order_and_the_cut_out(desk, shape):
    desk.press(Keys.SHIFT, "n")
    desk.drag((70, 10), (80, 20), (90, 30))
    desk.until(lambda: Shape.objects.count() == 2)
    round_one = Shape.objects.exclude(pk=shape).get()
    a, b = np.array(desk.on_plate(70, 10)), np.array(desk.on_plate(90, 30))
    want = [[(a[0] + b[0]) / 2, a[1]], [b[0], (a[1] + b[1]) / 2]]
    assert np.allclose(core(round_one.pk).outlines(np.array([1001]))[0, :2, :2], want, atol=0.01)
    assert core(round_one.pk).kinds.all()
    desk.press(Keys.SHIFT, "m")
    desk.drag((70, 40), (90, 60))
    desk.until(lambda: Shape.objects.count() == 3)
    desk.saved()
    desk.press(Keys.SHIFT, Keys.ARROW_DOWN)
    desk.until(lambda: [e.shape.name for e in round_one.shot.mattes.get().entries.all()] == ["kite body", "shape 3", "shape 2"])
    desk.press("4")
    desk.until(lambda: desk.pixels("matte-layer", 80, 50)[3] == 255 and desk.pixels("matte-layer", 5, 5)[3] == 0)
    assert desk.pixels("matte-layer", 80, 50)[:3] == desk_picture(80, 50)
    desk.choose("Ground of the cut-out", "on white")
    desk.until(lambda: desk.pixels("plate-layer", 5, 5)[:3] == [255, 255, 255])


def desk_picture(x, y):
    """The plate's own colour there."""
    return picture(1001)[y, x].tolist()


def test_a_held_key_shows_the_frame_before(desk):
    desk.figure("Frame", 1004)
    desk.chain().key_down("d").perform()
    desk.frame_is(1003)
    desk.chain().key_up("d").perform()
    desk.frame_is(1004)


def test_escape_and_backspace_while_tracing(desk, shape):
    desk.press("n")
    for x, y in ((70, 10), (90, 10), (90, 30)):
        desk.tap(x, y)
    desk.press(Keys.BACKSPACE)
    desk.tap(88, 34)
    desk.press(Keys.ENTER)
    desk.until(lambda: Shape.objects.count() == 2)
    assert core(Shape.objects.exclude(pk=shape).get().pk).form.parts == 3
    desk.press("n")
    desk.tap(70, 50)
    desk.press(Keys.ESCAPE)
    desk.press(Keys.ESCAPE)
    desk.until(lambda: "Click for a corner" not in desk.css("#touch").text)
    assert Shape.objects.count() == 2


def test_two_browsers_on_one_shape(desk, another, shot, shape):
    another.sign_in("marta")
    another.open_desk(shot.pk)
    desk.offline(True)
    desk.drag((10, 50), (6, 54))
    desk.until(lambda: "unsaved" in desk.css("#saved").text)
    another.drag((60, 35), (64, 38), (70, 40))
    another.until(lambda: core(shape).outlines(np.array([1001]))[0, 2, 0] > 65)
    desk.offline(False)
    desk.until(lambda: "marta has changed 'kite body' meanwhile" in desk.text)
    assert core(shape).outlines(np.array([1001]))[0, 4, :2] == pytest.approx([10, 50])
    desk.click("Take mine")
    desk.saved()
    places = core(shape).outlines(np.array([1001]))[0, :, :2]
    assert places[2, 0] > 65 and places[4, 0] < 8  # both are there
    another.until(lambda: "Meanwhile: rafe moved" in another.text)


def test_what_is_done_while_signed_out_is_sent_by_the_same_person(desk, shape):
    browser, page = desk.browser, desk.browser.current_window_handle
    browser.execute_script("""const csrf = document.cookie.match(/csrftoken=(\\w+)/)[1];
        fetch("/sign-out", { method: "POST", headers: { "X-CSRFToken": csrf } })""")
    desk.until(lambda: browser.get_cookie("sessionid") is None)
    desk.drag((10, 50), (6, 54))
    desk.until(lambda: desk.css("#saved").text == "unsaved: signed out")
    assert "is kept in this browser" in desk.text and core(shape).outlines(np.array([1001]))[0, 4, 0] == pytest.approx(10)
    desk.sign_in("marta")
    desk.until(lambda: "Somebody else is signed in" in desk.text)
    assert core(shape).outlines(np.array([1001]))[0, 4, 0] == pytest.approx(10)
    browser.delete_cookie("sessionid")
    browser.switch_to.new_window("tab")
    desk.sign_in_by_hand("rafe")
    browser.close()
    browser.switch_to.window(page)
    desk.saved()
    assert core(shape).outlines(np.array([1001]))[0, 4, 0] < 8 and Edit.objects.latest("revision").user.username == "rafe"
