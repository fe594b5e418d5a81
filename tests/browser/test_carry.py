"""The picture carries the shapes: a point is followed, a shape rides on it, is corrected on top, and its keys are made few."""

import numpy as np
import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from benchmarks.clips import texture
from jaythread.desk.models import FormKey, Shape, Track
from jaythread.desk.scene import core_shapes, core_track
from jaythread.plates.models import Plate
from roto.picture.stills import write_picture

from .test_desk import desk, shape  # noqa: F401 - fixtures

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def cloth(shot):
    """A patterned cloth that goes 6 px to the right a frame, in place of the plate's pictures."""
    pattern = (texture((30, 30), 5) * 255).astype(np.uint8)
    for frame in range(1001, 1009):
        picture = np.full((64, 96, 3), 90, np.uint8)
        left = 5 + 6 * (frame - 1001)
        picture[3:33, left : left + 30] = pattern[..., None]
        write_picture(Plate.objects.get().still(frame), picture)


def outline(which, frame):
    return core_shapes([Shape.objects.get(pk=which)])[which].outlines(np.array([frame]))[0, :, :2]


def test_a_point_is_followed_a_shape_rides_and_is_corrected(cloth, worker, desk, shape):  # noqa: F811
    desk.press(Keys.SHIFT, "p")
    desk.press(Keys.SHIFT, "k")
    desk.tap(20, 18)
    desk.until(lambda: Track.objects.exists())
    desk.saved()
    desk.browser.execute_script("document.querySelector('#carry ~ section details.fold-out').open = true")
    desk.figure("half the width of the patch, px", 9)
    desk.until(lambda: Track.objects.get().data["patch"]["half"] == 9)
    desk.saved()
    desk.click("One on")
    desk.frame_is(1002)
    desk.click("All on")
    desk.until(lambda: len(Track.objects.get().data["frames"]) == 8)
    desk.until(lambda: "Followed" in desk.css("#follow-says").text)
    way = core_track(Track.objects.get()).points.values[:, 0]
    assert np.abs(way - way[0] - np.arange(8)[:, None] * [6, 0]).max() < 0.1
    was = outline(shape, 1006)
    desk.choose("The track it rides on", "point")
    desk.until(lambda: Shape.objects.get(pk=shape).carrier)
    desk.saved()
    along = was + np.array([24, 0])  # four frames on from where it was taken along
    assert outline(shape, 1006) == pytest.approx(along, abs=0.1)
    desk.press("t")
    desk.figure("Frame", 1006)
    desk.frame_is(1006)
    corner = outline(shape, 1006)[1]
    moved = desk.drag(tuple(corner), (corner[0] + 6, corner[1] - 5))
    desk.until(lambda: outline(shape, 1006)[1] == pytest.approx(corner + np.array(moved), abs=0.1))
    assert outline(shape, 1006)[3] == pytest.approx(along[3], abs=0.1)
    desk.saved()
    desk.press(Keys.SHIFT, "p")
    desk.figure("how far an outline may be off, px", 0.3)
    desk.click("Bake, thinned")
    desk.until(lambda: "carried by nothing" in desk.text)
    held = outline(shape, 1007)
    desk.click("Take it")
    desk.until(lambda: Shape.objects.get(pk=shape).carrier is None)
    assert np.abs(outline(shape, 1007) - held).max() < 0.31 and FormKey.objects.filter(shape=shape).count() < 8
    assert desk.complaints() == []


def test_a_track_is_laid_and_corrected_by_hand_and_the_view_is_held_on_it(cloth, desk):  # noqa: F811
    desk.press(Keys.SHIFT, "p")
    desk.click("Lay one by hand")
    desk.tap(70, 40)
    desk.until(lambda: Track.objects.exists())
    desk.saved()
    desk.press(Keys.END)
    desk.frame_is(1008)
    dx, dy = desk.drag((70, 40), (60, 50))
    desk.until(lambda: 1008 in Track.objects.get().data["hand"])
    points = core_track(Track.objects.get()).points.values[:, 0]
    assert points[1] - points[0] == pytest.approx([dx, dy], abs=0.2)
    desk.saved()
    before = desk.view()
    desk.press(Keys.SHIFT, "v")
    desk.press(Keys.HOME)
    desk.frame_is(1001)
    desk.until(lambda: desk.view()[1] != before[1])
    assert np.array(desk.view()[1:]) - before[1:] == pytest.approx(np.array([dx, dy]) * before[0], abs=1.0)
    desk.click("Remove")
    desk.until(lambda: not Track.objects.exists())
    assert len(desk.browser.find_elements(By.CSS_SELECTOR, ".tracks li")) == 0
    assert desk.complaints() == []
