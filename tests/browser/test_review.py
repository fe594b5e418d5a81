"""What looks wrong is found, gone to and put right; a state of the past is brought back."""

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from jaythread.desk.models import Note, Shape
from jaythread.review.models import Finding, Mark

from ..conftest import FIRST, LAST, edited, trace

pytestmark = pytest.mark.django_db(transaction=True)
KITE = ((20, 18), (32, 30), (20, 42), (8, 30))


@pytest.fixture
def kite(shot, people):
    """The kite of the plate, traced; it is not live on 1004 and 1005."""
    shape = trace(shot, people["rafe"], KITE)
    edited(people["rafe"], shot, do="place", shape=shape, frame=LAST, move=(6 * (LAST - FIRST), 0))
    edited(people["rafe"], shot, do="live", shape=shape, ranges=[(FIRST, 1003), (1006, LAST)])
    return shape


def button(artist, words: str):
    return artist.until(
        lambda: next(e for e in artist.browser.find_elements(By.CSS_SELECTOR, "button") if e.is_displayed() and words in e.text)
    )


def test_a_gap_in_time_is_found_gone_to_and_put_right_in_two_clicks(kite, shot, worker, artist):
    artist.sign_in("rafe")
    artist.open_desk(shot.pk)
    artist.press(Keys.SHIFT, Keys.PAGE_DOWN)
    artist.until(lambda: "were not looked at yet" in artist.text)
    artist.css("#read-frames").click()
    artist.until(lambda: "The matte is gone on 1004-1005." in artist.text)
    artist.press(Keys.SHIFT, Keys.PAGE_DOWN)
    artist.frame_is(1004)
    artist.click("The check sheet")
    artist.until(lambda: len(artist.browser.find_elements(By.CSS_SELECTOR, ".tiles li.found")) == 2)
    tiles = artist.browser.find_elements(By.CSS_SELECTOR, ".tiles li")
    assert [t.text.split()[0] for t in tiles] == [str(f) for f in range(FIRST, LAST + 1)]
    button(artist, "The matte is gone").click()
    button(artist, "Let kite body be live there").click()
    artist.until(lambda: "Nothing is thought wrong" in artist.text)
    assert Shape.objects.get(pk=kite).to_core().live == ((FIRST, LAST),)
    assert [f.state for f in Finding.objects.all()] == ["put right"]


def test_what_is_meant_so_is_answered_by_keys_and_words(kite, shot, worker, artist):
    artist.sign_in("rafe")
    artist.go(f"/shots/{shot.pk}/mattes/{shot.mattes.get().pk}/check")
    artist.until(lambda: "The matte is gone on 1004-1005." in artist.text)
    artist.press(".")
    field = artist.until(lambda: artist.css("form.acts input"))
    field.send_keys("a gust takes it away", Keys.ENTER)
    artist.until(lambda: "Show 1 answered" in artist.text)
    button(artist, "Show 1 answered").click()
    artist.until(lambda: "meant so, says rafe: a gust takes it away" in artist.text)
    artist.press(Keys.ARROW_RIGHT)
    artist.press(Keys.ARROW_RIGHT)
    artist.until(lambda: artist.css(".tiles li.here").text.startswith(str(FIRST + 5)))
    artist.press("4")
    artist.until(lambda: artist.css(".tiles li.here img").get_attribute("src").split("?")[0].endswith("/plate"))
    artist.press(Keys.ESCAPE)
    artist.press(Keys.ENTER)
    artist.until(lambda: f"frame={FIRST + 5}" in artist.browser.current_url)


def test_a_state_of_the_past_is_looked_at_marked_and_brought_back(kite, shot, people, artist):
    then = shot.revision
    edited(people["rafe"], shot, do="place", shape=kite, frame=FIRST, move=(9, 0))
    artist.sign_in("rafe")
    artist.go(f"/shots/{shot.pk}/past")
    moments = artist.until(lambda: e if len(e := artist.browser.find_elements(By.CSS_SELECTOR, ".line li > button")) == then + 2 else None)
    moments[2].click()
    artist.until(lambda: "frames differ" in artist.text and "kite body changed since" in artist.text)
    artist.until(lambda: artist.css(".picture img").get_attribute("src").startswith("blob:") and "px" in artist.text)
    artist.css("form.naming input").send_keys("before the move", Keys.ENTER)
    artist.until(lambda: "before the move" in artist.css(".line ol").text)
    assert Mark.objects.get().revision == then
    button(artist, "Bring it back").click()
    artist.until(lambda: "Done: brought kite body back" in artist.text and "No shape has changed since then." in artist.text)
    assert Shape.objects.get(pk=kite).to_core().outlines([FIRST])[0, 0, :2].tolist() == [20, 18]
    button(artist, "Undo").click()
    artist.until(lambda: "kite body changed since" in artist.text)
    assert Shape.objects.get(pk=kite).to_core().outlines([FIRST])[0, 0, :2].tolist() == [29, 18]


def test_a_lead_draws_a_note_and_the_artist_goes_to_it(kite, shot, artist):
    artist.sign_in("marta")
    artist.open_desk(shot.pk)
    artist.press(Keys.SHIFT, "s")
    artist.until(lambda: artist.css(".notes summary").is_displayed())
    artist.css(".notes summary").click()
    button(artist, "Write a note on this frame").click()
    artist.drag((30, 20), (60, 40))
    artist.css(".notes textarea").send_keys("the corner is cut off")
    button(artist, "Note it").click()
    artist.until(lambda: "the corner is cut off" in artist.css(".notes ol").text)
    note = Note.objects.get()
    assert note.by == "marta" and note.frame == FIRST
    assert [note.strokes[0][0], note.strokes[0][-1]] == [pytest.approx([30, 20], abs=1), pytest.approx([60, 40], abs=1)]
    artist.press(Keys.END)
    artist.frame_is(LAST)
    artist.press(Keys.SHIFT, Keys.PAGE_UP)
    artist.frame_is(FIRST)
    artist.until(lambda: artist.shows("outline-layer", [184, 116, 26], 45, 30, (0, 1), 40))
