"""The frames that matter, set on the ruler by two keys and by dragging; what goes by them."""

import pytest
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from ..conftest import FIRST, LAST, trace

pytestmark = pytest.mark.django_db(transaction=True)
SIDE = 16
"""px left and right of the range on the ruler"""


@pytest.fixture
def desk(artist, shot, people):
    trace(shot, people["rafe"])
    artist.sign_in("rafe")
    artist.open_desk(shot.pk)
    return artist


def working(shot):
    shot.refresh_from_db()
    return shot.working


def on_ruler(desk, frame):
    box = desk.css(".ruler").rect
    return round(box["x"] + SIDE + (frame - FIRST) / (LAST - FIRST) * (box["width"] - 2 * SIDE)), round(box["y"])


def test_two_keys_set_it_and_home_end_and_playing_go_by_it(desk, shot):
    desk.figure("Frame", FIRST + 2)
    desk.press("(")
    desk.figure("Frame", FIRST + 5)
    desk.press(")")
    desk.until(lambda: working(shot) == (FIRST + 2, FIRST + 5))
    desk.press(Keys.HOME)
    desk.frame_is(FIRST + 2)
    desk.press(Keys.HOME)  # once more: all of the shot
    desk.frame_is(FIRST)
    desk.press(Keys.END)
    desk.frame_is(FIRST + 5)
    seen = desk.browser.execute_async_script("""
        const { player, store } = Alpine.$data(document.getElementById("desk")).desk; const seen = new Set();
        store.addEventListener("frame", () => seen.add(store.view.frame));
        player.toggle(1);
        setTimeout(() => { player.stop(); arguments[0]([...seen]); }, 4000);
    """)
    assert set(seen) == set(range(FIRST + 2, FIRST + 6))
    desk.press(Keys.CONTROL, "z")
    desk.until(lambda: working(shot) == (FIRST + 2, LAST))
    desk.go(f"/shots/{shot.pk}/deliveries")
    assert (desk.css("[name=first]").get_attribute("value"), desk.css("[name=last]").get_attribute("value")) == (str(FIRST + 2), str(LAST))


def test_its_ends_are_dragged_on_the_ruler_and_what_lies_outside_is_pale(desk, shot):
    (x, y), (to, _) = on_ruler(desk, FIRST), on_ruler(desk, FIRST + 3)
    before = pale(desk, FIRST + 1)
    chain = ActionChains(desk.browser, duration=30)
    chain.w3c_actions.pointer_action.move_to_location(x, y + 6)
    chain.click_and_hold()
    chain.w3c_actions.pointer_action.move_to_location(to, y + 6)
    chain.release().perform()
    desk.until(lambda: working(shot) == (FIRST + 3, LAST))
    desk.frame_is(FIRST + 3)
    desk.until(lambda: pale(desk, FIRST + 1) != before)


def pale(desk, frame):
    """The colour of the shape's thread on a frame."""
    x, _ = on_ruler(desk, frame)
    code = "const c = document.querySelector('canvas.threads'); return [...c.getContext('2d').getImageData(arguments[0], 19, 1, 1).data]"
    return desk.browser.execute_script(code, int(x - desk.css("canvas.threads").rect["x"]))
