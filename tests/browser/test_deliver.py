"""From a recipe to a package that the other side has accepted, all through real pages on both sides; and the note in between."""

import urllib.request
import uuid

import cv2
import numpy as np
import pytest
from selenium.webdriver.common.by import By

from jaythread.delivery.models import Delivery
from jaythread.desk.edit import actions as desk
from roto.package import manifest

from ..conftest import command, trace

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def bench(standing_bench, tmp_path, monkeypatch):
    """The other side; the worker beside the page's server knows where it is, too."""
    said = {
        "JAY_BENCH": standing_bench[1],
        "JAY_BENCH_TOKEN": "secret",
        "JAY_BENCH_TOKEN_FILE": str(tmp_path / "none"),
        "JAY_BENCH_WAIT": "0.1",
    }
    for name, value in said.items():
        monkeypatch.setenv(name, value)
    return standing_bench[1]


def shown(artist, x, y):
    """A value of the picture in the player, at a place of the plate."""
    code = "return [...document.getElementById('shown').getContext('2d').getImageData(arguments[0], arguments[1], 1, 1).data]"
    return artist.browser.execute_script(code, x * 10, y * 10)


def plays_and_shows(artist):
    """The package's pictures on its own page: the matte, the subject over a ground, played, and all of them."""
    artist.until(lambda: shown(artist, 20, 30)[:3] == [255, 255, 255] and shown(artist, 80, 5)[:3] == [0, 0, 0])
    artist.choose("Ground", "violet")
    artist.until(lambda: shown(artist, 80, 5)[:3] == [125, 79, 150])
    assert shown(artist, 20, 30)[:3] != [125, 79, 150]  # the plate's own colour
    number = artist.css(".player b.figures").text
    artist.click("Play")
    artist.until(lambda: artist.css(".player b.figures").text != number)
    artist.click("Stop")
    artist.click("All on a sheet")
    artist.until(lambda: sum(i.get_property("naturalWidth") > 0 for i in artist.browser.find_elements(By.CSS_SELECTOR, ".sheet img")) == 8)
    artist.browser.execute_script("scrollTo({top: 0, behavior: 'instant'})")


def test_from_a_recipe_to_an_accepted_package_with_a_note_in_between(bench, shot, people, artist, worker):
    shape = trace(shot, people["rafe"], name="sail")
    artist.sign_in("rafe")

    # a recipe: what follows from its settings is said while they change, and it is saved
    artist.go(f"/shots/{shot.pk}/deliveries")
    artist.choose("For whom: the recipe", "compositor, stills of 16 bits")
    artist.css("#settings summary").click()

    def field(name):
        return artist.css(f"#ask [name={name}]")

    artist.until(lambda: field("pattern").is_displayed())
    field("pattern").clear()
    field("pattern").send_keys("../{shot}.{frame}")
    artist.until(lambda: "may not hold /" in artist.css(".follows").text)
    assert not artist.css("#ask .btn-primary").is_enabled()
    field("pattern").clear()
    field("pattern").send_keys("{shot}_{matte}_v{version}.{frame}")
    field("start").send_keys("1")
    artist.until(lambda: "KITE_010_kite_v001.0001.png" in artist.css(".follows").text and "numbered 1 to 8" in artist.css(".follows").text)
    field("recipe_name").send_keys("Grading")
    field("says").send_keys("for noor's house")
    artist.click("Save the recipe")
    artist.until(lambda: "The recipe 'Grading' is saved as version 1" in artist.text)

    # the package
    artist.until(lambda: "KITE_010_kite_v001.0001.png" in artist.css(".follows").text)  # a saved recipe stands first
    artist.css("#ask .btn-primary").click()
    artist.until(lambda: artist.css("#state").text == "proved", 60)
    assert "Grading 1: the matte, PNG, 16 bits" in artist.text and "read back by another library" in artist.text
    plays_and_shows(artist)

    # handed over, returned with a note on a place
    artist.click("Hand over")
    artist.click("Send the package")
    artist.until(lambda: artist.css("#sending-state").text == "received, not answered yet", 60)
    artist.browser.get(bench)
    artist.browser.find_element(By.PARTIAL_LINK_TEXT, "KITE_010_kite_v1").click()
    artist.until(lambda: artist.css("#picture img").get_property("naturalWidth") == 96)
    artist.css("#next").click()
    artist.css("#picture img").click()  # in its middle
    artist.css("textarea[name=says]").send_keys("This corner should be cut.")
    artist.css("input[name=by]").send_keys("noor")
    artist.browser.find_element(By.XPATH, "//button[@value='return']").click()
    artist.until(lambda: "returned" in artist.css("h1").text)

    # it comes to the desk, on its frame; the shape is mended there and the note marked as done
    artist.go(f"/deliveries/{Delivery.objects.get().pk}/hand-over")
    artist.until(lambda: "This corner should be cut." in artist.text, 30)
    artist.click("frame 1002")
    artist.until(lambda: artist.css("body").get_attribute("data-open"))
    artist.frame_is(1002)
    artist.css(".notes summary").click()
    artist.until(lambda: "This corner should be cut." in artist.css(".notes ol").text)
    ring = lambda px: artist.pixels("outline-layer", 48 + px / artist.view()[0], 32 + px / artist.view()[0])[3]  # noqa: E731
    artist.until(lambda: max(ring(px) for px in (12, 12.5, 13, 13.5, 14, 14.5)) > 200)
    artist.css(".notes li input[type=checkbox]").click()
    artist.until(lambda: "off" in artist.css(".notes li").get_attribute("class"))
    assert artist.complaints() == []
    desk.edit(people["rafe"], shot.pk, uuid.uuid4(), None, command(do="live", shape=shape, ranges=[[1001, 1006]]))

    # the second package: only what changed is made; the empty end is asked about, answered for, accepted
    artist.go(f"/shots/{shot.pk}/deliveries")
    artist.until(lambda: "numbered 1 to 8" in artist.css(".follows").text)
    artist.css("#ask .btn-primary").click()
    artist.until(lambda: artist.css("#state").text == "proved", 60)
    assert "The range ends without any matte: frames 1007-1008." in artist.text and "2 changed, 6 same" in artist.text
    artist.click("Hand over")
    assert not artist.browser.find_element(By.XPATH, "//button[normalize-space()='Send the package']").is_enabled()
    artist.browser.back()
    artist.click("It is meant so")
    artist.until(lambda: "looked at, meant so" in artist.text)
    artist.click("version 1")
    artist.until(lambda: "2 of 8 frames differ" in artist.text)
    artist.browser.back()
    artist.click("Hand over")
    artist.click("Send the package")
    artist.until(lambda: artist.css("#sending-state").text == "received, not answered yet", 60)
    artist.browser.get(bench)
    artist.browser.find_element(By.PARTIAL_LINK_TEXT, "KITE_010_kite_v2").click()
    artist.until(lambda: "2 of 8 since the last" in artist.text)
    artist.click("Accept the package")
    artist.until(lambda: "accepted" in artist.css("h1").text)
    second = Delivery.objects.get(version=2)
    artist.go(f"/deliveries/{second.pk}/hand-over")
    artist.until(lambda: artist.css("#sending-state").text == "accepted", 30)
    data = manifest.load(second.package)
    assert [r["change"] for r in data["frames"]] == ["same"] * 6 + ["changed"] * 2
    still = cv2.imread(str(second.package / "KITE_010_kite_v002.0003.png"), cv2.IMREAD_UNCHANGED)
    assert still.dtype == np.uint16 and still[30, 20] == 65535 and still[5, 5] == 0


def test_shapes_drawn_elsewhere_come_in_with_a_report(shot, people, artist, tmp_path):
    trace(shot, people["rafe"], name="sail")
    drawing = tmp_path / "prop.svg"
    drawing.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 192 128"><title>prop</title>'
        '<path id="blade" d="M20 20h60v60h-60zM40 40v20h20v-20z"/><text>no</text></svg>'
    )
    artist.sign_in("rafe")
    artist.open_desk(shot.pk)
    for _ in range(2):
        artist.press("\ue014")
    artist.frame_is(1003)
    artist.css('input[type="file"][accept*="svg"]').send_keys(str(drawing))
    artist.until(lambda: "Left out: 1 'text'" in artist.text and "Keyed on frame 1003" in artist.text)
    artist.open_stack()
    artist.until(lambda: "blade adds, blade 2 cuts" in artist.text)
    artist.press("2")
    artist.until(lambda: artist.pixels("matte-layer", 15, 15)[0] == 255 and artist.pixels("matte-layer", 25, 25)[0] == 0)
    link = artist.browser.execute_script("return [...document.querySelectorAll('a[download]')].map((a) => a.href)")
    session = artist.browser.get_cookie("sessionid")["value"]
    svg = next(a for a in link if a.endswith("frame=1003"))
    with urllib.request.urlopen(urllib.request.Request(svg, headers={"Cookie": f"sessionid={session}"})) as reply:
        assert b"blade 2" in reply.read()
    assert artist.complaints() == []
