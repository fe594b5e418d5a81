"""A fringe through the page: painted, seen at once, solved for all frames by a task, in the cut-out in its own colour."""

import uuid

import pytest
from selenium.webdriver.common.keys import Keys

from jaythread.desk.edit import actions
from jaythread.desk.models import StackEntry

from ..conftest import FIRST, LAST, command, trace

pytestmark = pytest.mark.django_db(transaction=True)
KITE = ((20, 24), (26, 30), (20, 36), (14, 30))


@pytest.fixture
def desk(artist, shot, people, worker):
    shape = trace(shot, people["rafe"], KITE)
    actions.edit(people["rafe"], shot.pk, uuid.uuid4(), None, command(do="place", shape=shape, frame=LAST, move=(6 * (LAST - FIRST), 0)))
    artist.sign_in("rafe")
    artist.open_desk(shot.pk)
    return artist


def test_a_fringe_is_painted_solved_and_compared(desk):
    desk.press("2")
    desk.until(lambda: desk.pixels("matte-layer", 20, 30)[0] == 255)
    assert desk.pixels("matte-layer", 11, 30)[0] == 0  # the kite of the plate reaches from 8 to 32, the traced shape from 14 to 26
    desk.press(Keys.SHIFT, "b")
    desk.until(lambda: "Paint over the hair or fuzz of kite body" in desk.css("#touch").text)
    desk.figure("radius of the brush, px", 7)
    desk.drag((20, 18), (32, 30), (20, 42), (8, 30), (20, 18))
    desk.until(lambda: StackEntry.objects.filter(mode="solve").exists())
    desk.open_stack()
    desk.until(lambda: "fringe is solved from the plate" in desk.css("#sentence").text)
    desk.until(lambda: desk.pixels("matte-layer", 11, 30)[0] > 200, 40)
    assert desk.pixels("matte-layer", 20, 50)[0] == 0
    desk.until(lambda: "solved from this frame alone" in desk.css("#fringe-says").text)
    desk.css("#solve-all").click()
    desk.until(lambda: "8 frames are solved and steadied" in desk.css("#fringe-says").text, 60)
    desk.until(lambda: "This frame: steadied" in desk.css("#fringe-says").text)
    desk.figure("Frame", 1005)
    desk.frame_is(1005)
    desk.until(lambda: desk.pixels("matte-layer", 35, 30)[0] > 200)
    desk.figure("how deep it solves into the solid, px", 3)
    desk.until(lambda: "0 frames are solved" in desk.css("#fringe-says").text)
    desk.saved()
    desk.press("4")
    desk.until(lambda: desk.pixels("matte-layer", 44, 30)[3] == 255)
    red, green, _, _ = desk.pixels("matte-layer", 44, 30)
    assert red > 120 > green  # the kite's own red
    desk.press(Keys.CONTROL, "z")
    desk.press(Keys.CONTROL, "z")
    desk.until(lambda: not StackEntry.objects.filter(mode="solve").exists())
    assert desk.complaints() == []


def test_the_soft_edge_becomes_the_band(desk):
    desk.press("s")
    desk.figure("outer reach, px", 9)
    desk.saved()
    desk.click("Solve its soft edge")
    desk.until(lambda: StackEntry.objects.filter(mode="solve").exists())
    desk.press("2")
    desk.until(lambda: desk.pixels("matte-layer", 11, 30)[0] > 200, 40)
    assert desk.complaints() == []
