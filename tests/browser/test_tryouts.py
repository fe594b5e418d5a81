"""A tryout from a sentence to a picture that somebody receives: words behind, a point dragged while it is in use, a pass mirrored."""

import uuid

import numpy as np
import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from jaythread.desk.models import Shape, Tryout
from jaythread.jobs.models import Job
from jaythread.plates import actions as plates
from jaythread.tryouts import actions, ahead

from ..conftest import FIRST, LAST, SIZE, edited, picture, trace, write_stills

pytestmark = pytest.mark.django_db(transaction=True)
KITE = ((8, 18), (33, 18), (33, 43), (8, 43))


@pytest.fixture
def traced(shot, people):
    trace(shot, people["rafe"], points=KITE)
    edited(people["rafe"], shot, do="place", shape=str(shot.shapes.get().pk), frame=LAST, move=(42, 0))
    return shot


def drag(artist, start, stop) -> None:
    """A drag on the tryout's picture, in its px."""
    scale, x, y = map(float, artist.css(".picture").get_attribute("data-view").split())
    box = artist.css(".picture").rect
    chain = artist.chain()
    for k, (px, py) in enumerate((start, ((start[0] + stop[0]) / 2, (start[1] + stop[1]) / 2), stop)):
        chain.w3c_actions.pointer_action.move_to_location(round(box["x"] + px * scale + x), round(box["y"] + py * scale + y))
        if k == 0:
            chain.click_and_hold()
    chain.release().perform()


def shown(artist, x, y) -> list[int]:
    """A pixel of the tryout's picture on the screen."""
    script = (
        "const e = document.querySelector('.picture'), [s, x, y] = e.dataset.view.split(' ').map(Number), c = e.querySelector('canvas');"
        "return [...c.getContext('2d').getImageData((arguments[0] + 0.5) * s + x, (arguments[1] + 0.5) * s + y, 1, 1).data].slice(0, 3)"
    )
    return artist.browser.execute_script(script, x, y)


def line(artist, words: str) -> None:
    artist.until(lambda: next(e for e in artist.browser.find_elements(By.CSS_SELECTOR, "button.line") if words in e.text)).click()


def test_words_behind_are_changed_moved_keyed_and_seen_while_a_point_is_dragged(artist, traced):
    artist.sign_in("rafe")
    artist.go(f"/shots/{traced.pk}/tryouts")
    artist.until(lambda: artist.css('img[data-key="behind"]')).click()
    line(artist, "the words")
    row = Tryout.objects.get()

    # the words change, and nothing else does
    words = artist.until(lambda: artist.label("The words"))
    words.send_keys(Keys.CONTROL + "a")
    words.send_keys("MILL")
    artist.label("Size of the words, px").click()
    artist.until(lambda: Tryout.objects.get().lines[1]["shows"]["text"] == "MILL")
    assert row.lines[2] == Tryout.objects.get().lines[2]

    # they are dragged on one frame and on another: two keys, and back with one undo. It opened on the frame that was looked at.
    assert artist.css(".time input").get_attribute("value") == str((FIRST + LAST) // 2)
    artist.css(".trying .time [aria-label='Frame']").send_keys(Keys.HOME)
    artist.until(lambda: artist.css(".time input").get_attribute("value") == str(FIRST))
    drag(artist, (70, 34), (70, 20))
    artist.until(lambda: len(Tryout.objects.get().lines[1]["place"]["keys"]) == 1)
    artist.until(lambda: artist.css(".strip [role=status]").text == "")  # what was keyed has come back
    artist.css(".trying .time [aria-label='Frame']").send_keys(Keys.END)
    artist.until(lambda: artist.css(".time input").get_attribute("value") == str(LAST))
    drag(artist, (20, 20), (40, 20))
    artist.until(lambda: [k["frame"] for k in Tryout.objects.get().lines[1]["place"]["keys"]] == [FIRST, LAST])
    moved = np.array([k["values"][0] for k in Tryout.objects.get().lines[1]["place"]["keys"]])
    assert moved == pytest.approx(np.array([[0, -14], [20, -14]]), abs=0.6)
    artist.click("Undo")
    artist.until(lambda: len(Tryout.objects.get().lines[1]["place"]["keys"]) == 1)

    # the same on the desk, while a point of the matte is dragged: the plate comes up where the outline goes
    artist.open_desk(traced.pk)
    artist.press("8")
    artist.until(
        lambda: (
            artist.shows("matte-layer", [246, 239, 224], 64, 20, (1, 0), 16)
            or artist.shows("matte-layer", [246, 239, 224], 60, 22, (1, 0), 20)
        )
    )
    shape = Shape.objects.get()
    artist.drag((33, 18), (80, 8))
    artist.until(lambda: shape.to_core().outlines(np.array([FIRST]))[0, 1, 0] > 75)
    artist.saved()
    assert not artist.complaints()


def test_a_pass_to_a_second_clip_that_runs_against_it_is_mirrored(artist, shot, people, production, tmp_path):
    stills = write_stills(tmp_path / "other", name="MILL_040.{:04d}.png")
    for k in range(4):  # the same pictures in the other order: what flies to the right there flies to the left
        one, other = stills[k].read_bytes(), stills[7 - k].read_bytes()
        stills[k].write_bytes(other)
        stills[7 - k].write_bytes(one)
    it = plates.bring_in_folder(people["rafe"], production.pk, "MILL_040", tmp_path / "other", [p.name for p in stills])
    plates.decode(it.plates.get().pk)
    trace(shot, people["rafe"], points=((-120, -10), (0, -10), (0, 74), (-120, 74)))
    edited(people["rafe"], shot, do="place", shape=str(shot.shapes.get().pk), frame=LAST, move=(110, 0))
    artist.sign_in("rafe")
    artist.go(f"/shots/{shot.pk}/tryouts")
    artist.until(lambda: artist.css('img[data-key="revealed"]')).click()
    line(artist, "MILL_040 through kite")
    artist.click("Placed")
    artist.choose("Mirrored", "left to right")
    artist.until(lambda: Tryout.objects.get().lines[1]["place"]["mirror"] == "sides")
    artist.css(".time input").send_keys(Keys.END)
    wanted = picture(FIRST)[30, SIZE[0] - 1 - 75]  # what the other clip shows last is what this one shows first, mirrored
    artist.until(lambda: np.abs(np.array(shown(artist, 75, 30)) - wanted).max() < 12)

    # what somebody else does to it meanwhile is seen here without asking
    marta = people["marta"]
    edited(marta, shot, do="tryout", tryout=str(Tryout.objects.get().pk), name="over to the mill")
    artist.until(lambda: artist.label("Name of the tryout").get_attribute("value") == "over to the mill")

    # a copy asks which matte of the other shot it is seen through
    for name in ("sails", "tower"):
        edited(marta, it, do="new matte", matte=str(uuid.uuid4()), name=name)
    artist.browser.refresh()
    artist.choose("Copy the tryout to", "MILL_040")
    artist.choose("The matte there", "tower")
    artist.click("Copy it")
    artist.until(lambda: Tryout.objects.filter(shot=it).exists())
    assert Tryout.objects.get(shot=it).lines[1]["through"]["matte"] == str(it.mattes.get(name="tower").pk)
    assert not artist.complaints()


def test_it_is_played_from_pictures_that_a_worker_makes_ahead(artist, traced, people, worker):
    made = actions.begin(people["rafe"], traced.pk, uuid.uuid4(), "behind", None, FIRST)[1]
    artist.sign_in("rafe")
    artist.go(f"/shots/{traced.pk}/tryouts/{made.pk}")
    artist.until(lambda: shown(artist, 20, 30))
    artist.click("Play")
    job = artist.until(lambda: Job.objects.filter(kind="tryout.ahead", state="done").first(), 40)
    assert (job.subject, job.done) == (str(made.pk), job.total)
    files = list((ahead.folder_of(traced) / str(made.pk)).iterdir())
    assert len(files) == job.total, "a picture of each size for each frame"
    frames = set()
    artist.until(lambda: frames.add(artist.css(".time input").get_attribute("value")) or len(frames) == LAST - FIRST + 1)
    artist.until(lambda: artist.css(".time .made").get_attribute("aria-valuenow") == "1.000")
    artist.click("Stop")
    artist.until(lambda: artist.css(".time button").text == "Play")
    assert Job.objects.filter(kind="tryout.ahead").count() == 1 and artist.complaints() == []
