"""The room that the picture has: the board as high as its threads, edges that can be dragged, the picture alone."""

from itertools import pairwise

import numpy as np
import pytest
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from jaythread.desk.models import Shape

from ..conftest import trace

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def desk(artist, shot, people):
    trace(shot, people["rafe"])
    artist.sign_in("rafe")
    artist.open_desk(shot.pk)
    yield artist
    artist.browser.execute_script("localStorage.removeItem('jaythread-room')")


def high(desk, selector: str) -> float:
    return desk.css(selector).rect["height"]


def test_a_board_opens_as_high_as_its_threads_need_and_then_stays_so(desk, shot, people):
    few = high(desk, "#board")
    assert few < 160
    for k in range(6):
        trace(shot, people["rafe"], name=f"sail {k}")
    desk.until(lambda: "sail 5" in desk.css(".names").text)
    assert high(desk, "#board") == few
    desk.browser.refresh()
    desk.until(lambda: desk.css("body").get_attribute("data-open") and high(desk, "#board") == 188)


def test_the_picture_alone_and_back(desk):
    stage = desk.css("#stage").rect
    desk.press(Keys.SHIFT, "u")
    desk.until(lambda: desk.css("#stage").rect["width"] == 1280 and desk.css("#stage").rect["height"] == 800 - 46)
    assert not desk.css("#board").is_displayed() and not desk.css(".panel").is_displayed()
    larger = desk.until(lambda: desk.view()[0] > 8 and desk.view()[0])
    desk.until(lambda: desk.css(".zoom .figures").text == f"{round(larger * 100)}%")
    desk.press(Keys.SHIFT, "u")
    desk.until(lambda: desk.css("#stage").rect == stage and desk.css("#board").is_displayed())


def test_edges_are_dragged_or_moved_by_keys_and_stay_so(desk):
    board, panel = high(desk, "#board"), desk.css(".panel").rect["width"]
    ActionChains(desk.browser).drag_and_drop_by_offset(desk.css(".edge.of-board"), 0, -80).perform()
    desk.until(lambda: abs(high(desk, "#board") - board - 80) < 6)
    edge = desk.css(".edge.of-panel")
    edge.send_keys(Keys.ARROW_LEFT, Keys.ARROW_LEFT)
    desk.until(lambda: desk.css(".panel").rect["width"] == panel + 32)
    desk.frame_is(1001)  # the arrows were the edge's
    desk.browser.refresh()
    desk.until(lambda: desk.css("body").get_attribute("data-open"))
    assert desk.css(".panel").rect["width"] == panel + 32 and abs(high(desk, "#board") - board - 80) < 6
    ActionChains(desk.browser).double_click(desk.css(".edge.of-board")).perform()
    desk.until(lambda: high(desk, "#board") == board)


def test_a_second_window_shows_the_picture_alone_in_step_with_the_first(desk, shot, people):
    browser, first = desk.browser, desk.browser.current_window_handle
    desk.press(Keys.SHIFT, "h")
    second = desk.until(lambda: next(h for h in browser.window_handles if h != first))
    try:
        browser.switch_to.window(second)
        desk.until(lambda: desk.css("body").get_attribute("data-open"))
        assert (
            not desk.css(".panel").is_displayed()
            and not desk.css("#board").is_displayed()
            and not desk.css(".desk > .strip").is_displayed()
        )
        desk.press("2")  # the matte here, the plate there
        browser.switch_to.window(first)
        desk.press(Keys.ARROW_RIGHT)
        desk.press("k")
        desk.saved()
        browser.switch_to.window(second)
        told = """
            const { view, document: it } = Alpine.$data(document.getElementById("desk")).desk.store;
            return [view.frame, view.mode, it.undo];
        """
        desk.until(lambda: browser.execute_script(told)[:2] == [1002, "matte"] and "keyed" in browser.execute_script(told)[2])
        desk.press(Keys.ARROW_RIGHT)
        browser.switch_to.window(first)
        desk.frame_is(1003)
        browser.switch_to.window(second)
        browser.get(desk.address + f"/shots/{shot.pk}/desk")  # an ordinary page goes its own way
        desk.until(lambda: desk.css("body").get_attribute("data-open"))
        desk.figure("Frame", 1006)
        browser.switch_to.window(first)
        assert browser.execute_async_script("setTimeout(() => arguments[0](document.getElementById('frame').value), 400)") == "1003"
        assert browser.execute_script(told)[1] == "plate"
    finally:
        browser.switch_to.window(second)
        browser.close()
        browser.switch_to.window(first)


def test_where_there_is_little_room_all_is_reached_by_scrolling_and_nothing_overlaps(desk):
    """1280 x 800 at 200 %."""
    sizes = {"width": 640, "height": 400, "deviceScaleFactor": 2, "mobile": False}
    desk.browser.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", sizes)
    try:
        desk.until(lambda: 600 < desk.css("#stage").rect["width"] <= 640)
        parts = [desk.css(s).rect for s in (".desk > .strip", "#stage", "#board", ".panel")]
        tops = [(p["y"], p["y"] + p["height"]) for p in parts]
        assert all(a[1] <= b[0] + 1 for a, b in pairwise(tops)) and all(p["x"] + p["width"] <= 641 for p in parts)
        reached = """
            const it = document.querySelector(arguments[0]);
            it.scrollIntoView({ block: "center", behavior: "instant" });
            const box = it.getBoundingClientRect();
            return it.contains(document.elementFromPoint(box.x + box.width / 2, box.y + box.height / 2));
        """
        for selector in ("#new-shape", "#undo", "#scope", "#frame", ".zoom button", ".steps button:last-child"):
            assert desk.browser.execute_script(reached, selector), selector
        wide = desk.browser.execute_script("return document.documentElement.scrollWidth")
        assert wide <= 640
    finally:
        desk.browser.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", {**sizes, "width": 1280, "height": 800, "deviceScaleFactor": 1})


def test_figures_typed_quicker_than_the_server_answers_are_what_the_shape_gets(desk, shot):
    """Each counts from where the shape is by then."""
    code = """
        const { desk } = Alpine.$data(document.getElementById("desk"));
        const real = window.fetch;
        window.fetch = (...asked) => new Promise((go) => setTimeout(go, asked[0].endsWith("/edits") ? 250 : 0)).then(() => real(...asked));
        desk.placeAt(() => ({ turn: 20 }));
        desk.placeAt(() => ({ x: 7 }));
        desk.store.view.go(1005);
        desk.placeAt(() => ({ turn: 35 }));
        desk.placeAt(() => ({ x: 9, size: 1.5 })).then(() => (window.fetch = real));
    """
    desk.browser.execute_script(code)
    desk.until(lambda: len(Shape.objects.get().to_core().place.frames) == 2)
    desk.saved()
    (_, (turn, _), _), (move, (later, _), (size, _)) = Shape.objects.get().to_core().place.values
    assert turn == pytest.approx(20) and later == pytest.approx(35) and move[0] == pytest.approx(9) and np.exp(size) == pytest.approx(1.5)
