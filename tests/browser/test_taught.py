"""A taught line through the page: two frames finished, taught, the advised one finished, taught on, a frame opened again, delivered."""

import io
import uuid
import zipfile

import numpy as np
import pytest
from PIL import Image
from selenium.webdriver.common.keys import Keys

from jaythread.delivery import actions as delivery
from jaythread.delivery import packing
from jaythread.desk.edit import actions
from jaythread.desk.models import StackEntry

from ..conftest import FIRST, LAST, command, picture, trace

pytestmark = pytest.mark.django_db(transaction=True)
KITE = ((20, 24), (26, 30), (20, 36), (14, 30))


def says(desk):
    return desk.css("#taught-says").text


def whole(shot, who, frame):
    """The true kite of one frame, as somebody traces it there."""
    x = 20 + 6 * (frame - FIRST)
    shape = trace(shot, who, ((x, 19), (x + 11, 30), (x, 41), (x - 11, 30)), name=f"whole {frame}")
    actions.edit(who, shot.pk, uuid.uuid4(), None, command(do="live", shape=shape, ranges=[[frame, frame]]))


@pytest.fixture
def desk(artist, shot, people, worker):
    rafe = people["rafe"]
    shape = trace(shot, rafe, KITE)
    actions.edit(rafe, shot.pk, uuid.uuid4(), None, command(do="place", shape=shape, frame=LAST, move=(6 * (LAST - FIRST), 0)))
    for frame in (FIRST, FIRST + 3, LAST):
        whole(shot, rafe, frame)
    said = {"do": "fringe", "shape": str(uuid.uuid4()), "entry": str(uuid.uuid4()), "matte": str(shot.mattes.get().pk), "of": shape}
    said |= {"name": "frayed edge", "frame": FIRST, "path": [(20, 18), (32, 30), (20, 42), (8, 30), (20, 18)], "radius": 7}
    actions.edit(rafe, shot.pk, uuid.uuid4(), None, command(**said))
    actions.edit(rafe, shot.pk, uuid.uuid4(), None, command(do="entry", entry=said["entry"], order=99))
    artist.sign_in("rafe")
    artist.open_desk(shot.pk)
    return artist


def test_frames_are_finished_teach_the_rest_and_are_delivered(desk, shot, people):
    desk.press("s")
    desk.tap(32, 20)  # nothing lies there but the band
    desk.css("#teach-instead").click()
    desk.until(lambda: StackEntry.objects.filter(mode="teach").exists())
    desk.saved()
    desk.css("#finish-frame").click()
    desk.until(lambda: "One more frame" in says(desk))
    desk.until(lambda: desk.css("#taught .pair").is_displayed())
    desk.css("#finish-next button").click()
    desk.until(lambda: desk.css("#finish-frame").is_displayed())
    for frame in (LAST, FIRST + 3):
        desk.figure("Frame", frame)
        desk.frame_is(frame)
        desk.css("#finish-frame").click()
        desk.until(lambda frame=frame: str(frame) in desk.css("#taught .weak").text)
    desk.css("#teach").click()
    desk.until(lambda: f"{LAST - FIRST + 1} frames are filled" in says(desk), 240)
    assert "had not seen" in says(desk)
    desk.until(lambda: desk.css("#unseen").is_displayed() and int(desk.css("#unseen").get_attribute("naturalWidth")) > 0)
    desk.figure("Frame", FIRST + 1)
    desk.press("2")
    desk.until(lambda: desk.pixels("matte-layer", 26 - 9, 30)[0] > 200)  # the traced shape reaches from 20 to 32 there
    desk.figure("Frame", LAST)
    desk.until(lambda: desk.css("#open-frame").is_displayed())
    desk.css("#open-frame").click()
    desk.until(lambda: "other frames than those" in says(desk))
    desk.press(Keys.CONTROL, "z")
    desk.until(lambda: "frames are filled" in says(desk))
    desk.css("#make-outline").click()
    desk.until(lambda: "frayed edge outline: " in desk.css("#outlined-says").text, 120)
    desk.until(lambda: StackEntry.objects.filter(shape__name="frayed edge outline", mode="add").exists())
    desk.press(Keys.CONTROL, "z")
    desk.until(lambda: not StackEntry.objects.filter(shape__name="frayed edge outline").exists())
    assert desk.complaints() == []
    it = delivery.ask(people["rafe"], shot.pk, shot.mattes.get().pk)
    desk.until(lambda: it.refresh_from_db() or it.state == "proved", 60)
    with zipfile.ZipFile(packing.zip_path(it)) as bag:
        names = sorted(n for n in bag.namelist() if n.startswith("KITE_010"))
        alpha = np.asarray(Image.open(io.BytesIO(bag.read(names[1])))) / 65535
    x, y = np.meshgrid(np.arange(96), np.arange(64))
    there = (np.abs(x - 26) + np.abs(y - 30) < 11) & (picture(FIRST + 1)[:, :, 0] == 180)
    assert alpha[there].mean() > 0.9
