"""Where is the next weak frame? Measured, gone to, mended by pulling points to the edge, and marked as looked at."""

import uuid

import numpy as np
import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from jaythread.desk.document.core_cache import shapes as core_shapes
from jaythread.desk.edit import actions
from jaythread.desk.models import FrameFit, Shape
from jaythread.plates.models import Plate
from roto.picture.stills import write_picture

from ..conftest import command, trace

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def card(shot, people):
    """A bright card that moves 4 px to the right a frame, traced well but on 1004."""
    for frame in range(1001, 1009):
        picture = np.full((64, 96, 3), 60, np.uint8)
        left = 10 + 4 * (frame - 1001)
        picture[15:45, left : left + 30] = 190
        write_picture(Plate.objects.get().still(frame), picture)
    shape = trace(shot, people["rafe"], ((10, 15), (40, 15), (40, 45), (10, 45)), name="card")
    at = np.zeros(2)
    for frame in range(1002, 1009):
        there = np.array([4.0 * (frame - 1001), 0.0]) + ([3, 3] if frame == 1004 else [0, 0])
        move, at = tuple(there - at), there
        actions.edit(people["rafe"], shot.pk, uuid.uuid4(), None, command(do="place", shape=shape, frame=frame, move=move))
    for frame in (1003, 1005):  # what is mended between them stays between them
        actions.edit(people["rafe"], shot.pk, uuid.uuid4(), None, command(do="key here", shape=shape, channel="form", frame=frame))
    return shape


def corners(which, frame):
    return core_shapes([Shape.objects.get(pk=which)])[which].outlines(np.array([frame]))[0, :, :2]


def test_the_weakest_frame_is_found_mended_and_looked_at(card, shot, worker, artist):
    artist.sign_in("rafe")
    artist.open_desk(shot.pk)
    artist.press(Keys.SHIFT, "s")
    artist.until(lambda: "Not measured yet" in artist.text)
    artist.css("#measure").click()
    artist.until(lambda: "Off by 1 px or more" in artist.css("#fit-says").text)
    first = artist.css(".weak li").text.split()[0]
    artist.press(Keys.SHIFT, "q")
    artist.frame_is(int(first))
    assert first == "1004"
    artist.until(lambda: "shows the edge of card" in artist.text)
    corner = corners(card, 1004)[2]
    ochre = [184, 116, 26]
    artist.until(lambda: artist.shows("outline-layer", ochre, corner[0] - 1.5, 28.5, (0, 1), 40))
    artist.css("#pull").click()
    artist.until(lambda: "points would move by" in artist.text)
    assert corners(card, 1004) == pytest.approx(np.array([[25, 18], [55, 18], [55, 48], [25, 48]]))  # nothing is taken unseen
    artist.click("Take it")
    artist.until(lambda: corners(card, 1004) == pytest.approx(np.array([[22, 15], [52, 15], [52, 45], [22, 45]]), abs=0.6))
    artist.saved()
    artist.until(lambda: artist.css("#measure").text == "Measure what has changed")
    artist.css("#measure").click()
    artist.until(lambda: artist.css("#fit-says").text == "Every frame is within a pixel, or was looked at.")
    artist.press(Keys.SHIFT, "w")
    artist.until(lambda: FrameFit.objects.get(frame=1004).looked)
    artist.until(lambda: artist.css("[aria-pressed='true'][title^='Shift + W']").is_displayed())
    artist.until(lambda: artist.browser.find_elements(By.CSS_SELECTOR, ".weak li") == [])
    assert artist.complaints() == []
