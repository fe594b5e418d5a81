"""A lead looks at what waits: notes are drawn, mattes returned and approved by keys; two states of a matte are compared."""

import uuid

import cv2
import numpy as np
import OpenImageIO as oiio
import pytest
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from jaythread.brought.models import Brought
from jaythread.delivery.models import Delivery
from jaythread.desk.models import Note
from jaythread.review import past, way

from ..conftest import FIRST, LAST, edited, trace

pytestmark = pytest.mark.django_db(transaction=True)
KITE = ((20, 18), (32, 30), (20, 42), (8, 30))


@pytest.fixture
def kite(shot, people):
    shape = trace(shot, people["rafe"], KITE)
    edited(people["rafe"], shot, do="place", shape=shape, frame=LAST, move=(6 * (LAST - FIRST), 0))
    return shape


def drawn(artist):
    """What the looking page shows: frame, way, ground."""
    return artist.css(".looking").get_attribute("data-drawn")


def pixel(artist, x: float, y: float) -> list[int]:
    """The colour of the looking page's picture at a place of the plate of 96 px."""
    return artist.browser.execute_script(
        "const c = document.querySelector('.looking canvas'), k = c.width / 96;"
        "return [...c.getContext('2d').getImageData(Math.round(arguments[0] * k), Math.round(arguments[1] * k), 1, 1).data.slice(0, 3)]",
        x,
        y,
    )


def test_a_matte_is_returned_with_a_drawn_note_mended_approved_and_delivered(kite, shot, people, worker, artist):
    matte = shot.mattes.get()
    way.go(people["rafe"], shot.pk, matte.pk, "hand in")
    artist.sign_in("marta")
    artist.go(f"/productions/{shot.production_id}/board")
    artist.click("Look at what waits (1)")
    artist.until(lambda: drawn(artist) == f"{FIRST} cut-out #808080")
    assert abs(pixel(artist, 20, 30)[0] - 180) < 25 and pixel(artist, 60, 50) == [128, 128, 128]  # the kite, over grey
    artist.press("1")
    artist.until(
        lambda: drawn(artist) == f"{FIRST} matte #808080" and pixel(artist, 20, 30) == [255] * 3 and pixel(artist, 60, 50) == [0] * 3
    )
    artist.press(Keys.ARROW_RIGHT)
    artist.until(lambda: drawn(artist) == f"{FIRST + 1} matte #808080")
    canvas = artist.css(".looking canvas")
    ActionChains(artist.browser).move_to_element_with_offset(canvas, -60, 20).click_and_hold().move_by_offset(30, 12).move_by_offset(
        40, -6
    ).release().perform()
    artist.until(lambda: artist.browser.switch_to.active_element.get_attribute("aria-label") == "A note on this frame")
    artist.browser.switch_to.active_element.send_keys("the tail is cut off", Keys.ENTER)
    artist.until(lambda: Note.objects.filter(says="the tail is cut off", frame=FIRST + 1).exists())
    note = Note.objects.get()
    assert len(note.strokes) == 1 and len(note.strokes[0]) >= 3 and note.by == "marta"
    artist.until(lambda: "the tail is cut off" in artist.css(".items").text)
    artist.press("-")
    artist.until(lambda: artist.browser.switch_to.active_element.get_attribute("value") == "See the note.")
    artist.browser.switch_to.active_element.send_keys(Keys.ENTER)
    artist.until(lambda: way.state_of(matte) == "returned")

    artist.sign_in_again("rafe")
    artist.go("/bell")
    artist.click("marta returns KITE_010, kite: See the note.")
    artist.until(lambda: "kite: returned" in artist.text)
    artist.go(f"/shots/{shot.pk}/desk?frame={FIRST + 1}&step=check")
    artist.until(lambda: artist.css("body").get_attribute("data-open"))
    artist.css("details.notes summary").click()
    row = artist.until(
        lambda: next(e for e in artist.browser.find_elements(By.CSS_SELECTOR, ".notes ol li") if "the tail is cut off" in e.text)
    )
    picture = row.find_element(By.CSS_SELECTOR, "img.note-picture")
    artist.until(lambda: int(picture.get_attribute("naturalWidth")) == 480)
    row.find_element(By.CSS_SELECTOR, '[aria-label="Your answer to this note"]').send_keys("it is drawn now", Keys.ENTER)
    artist.until(lambda: "rafe: it is drawn now" in artist.css(".notes ol").text)
    artist.css(".notes ol li .check input").click()
    artist.until(lambda: Note.objects.get().state == "done" and "done, rafe, for the next package" in artist.css(".notes ol").text)
    artist.go(f"/shots/{shot.pk}/mattes/{matte.pk}/way")
    artist.click("Hand in")
    artist.until(lambda: way.state_of(matte) == "to look at")

    artist.sign_in_again("marta")
    artist.go(f"/productions/{shot.production_id}/look")
    artist.until(lambda: (drawn(artist) or "").startswith(str(FIRST)))
    artist.press("+")
    artist.until(lambda: way.state_of(matte) == "approved")
    artist.go(f"/shots/{shot.pk}/deliveries")
    artist.click("Deliver")
    artist.until(lambda: Delivery.objects.filter(state="proved").exists() and way.state_of(matte) == "delivered", 40)
    made = Delivery.objects.get()
    sent = oiio.ImageBuf(str(made.package / made.frames.get(frame=FIRST + 1).name)).get_pixels(oiio.FLOAT)
    assert sent[30, 26, -1] == 1 and sent[60, 90, -1] == 0
    assert artist.complaints() == []


def test_ten_that_wait_are_looked_at_by_keys_alone(kite, shot, people, artist):
    for k in range(9):
        edited(people["rafe"], shot, do="new matte", matte=str(uuid.uuid4()), name=f"dune {k}")
    rows = list(shot.mattes.all())
    for row in rows:
        way.go(people["rafe"], shot.pk, row.pk, "hand in")
    artist.sign_in("marta")
    artist.go(f"/productions/{shot.production_id}/look")
    before = ""
    for k in range(10):
        here = artist.until(
            lambda before=before: artist.browser.current_url if artist.browser.current_url != before and drawn(artist) else None
        )
        artist.press(" ")
        artist.until(lambda: drawn(artist) and not drawn(artist).startswith(str(FIRST)))  # it plays
        artist.press(" ")
        if k % 3 == 2:
            artist.press("-")
            artist.until(lambda: artist.browser.switch_to.active_element.get_attribute("aria-label") == "What is to be changed")
            artist.browser.switch_to.active_element.send_keys("softer", Keys.ENTER)
        else:
            artist.press("+")
        before = here
    artist.until(lambda: not way.waiting(people["marta"], shot.production_id))
    states = [way.state_of(row).value for row in rows]
    assert states.count("approved") == 7 and states.count("returned") == 3


def test_two_states_are_compared_and_a_matte_from_elsewhere_is_held_against_ours(kite, shot, people, worker, artist, tmp_path):
    mark = past.mark(people["rafe"], shot.pk, "as traced")
    edited(people["rafe"], shot, do="place", shape=kite, frame=LAST, move=(6 * (LAST - FIRST) + 12, 0))
    matte = shot.mattes.get()
    artist.sign_in("rafe")
    artist.go(f"/shots/{shot.pk}/mattes/{matte.pk}/compare")
    artist.until(lambda: f"of {LAST - FIRST + 1} frames differ" in artist.text)
    first = artist.until(lambda: artist.css(".differing li button").text)
    assert "+" in first and mark.name in artist.css(".chosen").text
    artist.css(".differing li button").click()
    artist.until(lambda: artist.css(".compare .picture").get_attribute("data-frame") == first.split()[0])
    artist.press("5")
    paths = artist.until(lambda: [e.get_attribute("d") for e in artist.browser.find_elements(By.CSS_SELECTOR, "path.one, path.other")])
    artist.until(lambda: all(e.get_attribute("d") for e in artist.browser.find_elements(By.CSS_SELECTOR, "path.one, path.other")))
    assert len(paths) == 2
    artist.press("4")
    artist.until(
        lambda: (
            len(
                [
                    e
                    for e in artist.browser.find_elements(By.CSS_SELECTOR, "svg image")
                    if (e.get_attribute("href") or "").startswith("blob:")
                ]
            )
            == 2
        )
    )
    for frame in range(FIRST, LAST + 1):
        pixels = np.zeros((64, 96), np.uint8)
        pixels[20:40, 10:30] = 255
        cv2.imwrite(str(tmp_path / f"theirs.{frame}.png"), pixels)
    artist.click("bring a matte in")
    artist.css('[aria-label="Files"]').send_keys("\n".join(str(p) for p in sorted(tmp_path.glob("theirs.*.png"))))
    artist.css('[aria-label="Its name"]').send_keys("theirs")
    artist.click("Bring it in")
    artist.until(lambda: Brought.objects.filter(state="ready").exists())
    artist.until(lambda: f"{LAST - FIRST + 1} of {LAST - FIRST + 1} frames differ" in artist.text)
    assert artist.complaints() == []
