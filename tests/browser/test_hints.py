"""An outline found by painted strokes through the page: taken as a new shape, and one that corrects it on another frame."""

import cv2
import numpy as np
import pytest
from selenium.webdriver.common.keys import Keys

from jaythread.desk.document import core_cache
from jaythread.desk.models import Shape
from jaythread.plates import actions as plates
from jaythread.productions.models import Shot
from roto.matte.render import render

from ..conftest import FIRST

pytestmark = pytest.mark.django_db(transaction=True)


def outline(frame):
    row = Shape.objects.get()
    return core_cache.shapes([row])[str(row.pk)].outlines(np.array([frame]))[0, :, :2]


def kite_box(frame):
    """Where the tests' plate has its kite: 25 px square, 6 px to the right a frame."""
    low = np.array([8.0 + 6 * (frame - FIRST), 18.0])
    return low, low + 25


def test_a_hole_that_is_painted_in_becomes_a_shape_that_cuts(artist, production, people, tmp_path):
    folder = tmp_path / "given"
    folder.mkdir()
    picture = np.full((180, 240, 3), (90, 110, 80), np.uint8)
    cv2.circle(picture, (120, 90), 70, (190, 90, 70), -1)
    cv2.circle(picture, (120, 90), 25, (90, 110, 80), -1)
    cv2.imwrite(str(folder / "KITE_020.1001.png"), picture[:, :, ::-1])
    shot = plates.bring_in_folder(people["rafe"], production.pk, "KITE_020", folder, ["KITE_020.1001.png"])
    plates.decode(shot.plates.get().pk)
    artist.sign_in("rafe")
    artist.open_desk(shot.pk)
    artist.click("Find by hints")
    artist.drag((70, 80), (72, 100))
    holes = "return Alpine.$data(document.getElementById('desk')).desk.ways.hints.holes.length"
    artist.drag((117, 89), (123, 91), hold=Keys.SHIFT)
    artist.until(lambda: artist.browser.execute_script(holes) == 1)
    artist.press(Keys.ENTER)
    artist.until(lambda: Shape.objects.count() == 2)
    artist.saved()
    matte = core_cache.matte(Shot.objects.get(pk=shot.pk), shot.mattes.get())
    assert [entry.mode for entry in matte.entries] == ["add", "cut"]
    alpha = render(matte, 1001).alpha
    assert alpha[90, 120] < 0.01 and alpha[90, 70] > 0.99 and alpha[5, 5] == 0
    assert abs(float(alpha.sum()) - np.pi * (70**2 - 25**2)) < 0.04 * np.pi * 70**2 and not artist.complaints()


def test_a_stroke_finds_the_kite_and_another_corrects_it_on_a_later_frame(artist, shot):
    low, high = kite_box(FIRST)
    middle = (low + high) / 2
    artist.sign_in("rafe")
    artist.open_desk(shot.pk)
    artist.click("Find by hints")
    artist.drag((float(middle[0]) - 4, float(middle[1])), (float(middle[0]) + 4, float(middle[1]) + 2))
    found = "return Alpine.$data(document.getElementById('desk')).desk.ways.hints.found.length"
    artist.until(lambda: artist.browser.execute_script(found) > 20)
    artist.press(Keys.BACKSPACE)
    artist.until(lambda: artist.browser.execute_script(found) == 0)
    artist.drag((float(middle[0]) - 4, float(middle[1])), (float(middle[0]) + 4, float(middle[1]) + 2))
    artist.until(lambda: artist.browser.execute_script(found) > 20)
    artist.press(Keys.ENTER)
    artist.until(lambda: Shape.objects.exists())
    artist.saved()
    there = outline(FIRST)
    assert np.abs(there.min(axis=0) - low).max() < 4 and np.abs(there.max(axis=0) - high).max() < 4 and len(there) < 30

    for _ in range(5):
        artist.press(Keys.ARROW_RIGHT)
    artist.frame_is(FIRST + 5)
    low, high = kite_box(FIRST + 5)
    middle = (low + high) / 2
    artist.click("Find by hints")
    artist.drag((float(middle[0]) - 4, float(middle[1])), (float(middle[0]) + 4, float(middle[1]) + 2))
    artist.until(lambda: artist.browser.execute_script(found) > 20)
    artist.click(f"Correct {Shape.objects.get().name} here")
    artist.until(lambda: np.abs(outline(FIRST + 5).mean(axis=0) - middle).max() < 4)
    artist.saved()
    assert Shape.objects.count() == 1 and not artist.complaints()
