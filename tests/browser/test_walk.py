"""One artist, one afternoon, one matte: from two bare accounts to a proved package, all through the real page."""

import io
import json
import urllib.request
import zipfile

import numpy as np
import pytest
from PIL import Image
from selenium.webdriver.common.keys import Keys
from shapely.geometry import Polygon, box

from jaythread.desk.models import Shape
from jaythread.productions.models import Shot

from ..conftest import write_stills

SIZE = (320, 180)
pytestmark = pytest.mark.django_db(transaction=True)


def test_from_a_plate_to_a_proved_package(artist, people, worker, tmp_path):
    # 1. a production and its people
    artist.sign_in_by_hand("marta")
    artist.label("Name of the production").send_keys("Saltmarsh")
    artist.click("Make production")
    artist.until(lambda: "No shot here yet" in artist.text)
    artist.label("Account to invite").send_keys("rafe")
    artist.click("Invite")
    artist.until(lambda: "rafe is now artist here" in artist.text)
    path = artist.browser.current_url.removeprefix(artist.address)
    artist.click("Sign out")
    artist.sign_in_by_hand("otto")
    assert "Saltmarsh" not in artist.text
    artist.go(path)
    assert "not yours to see" in artist.text
    assert "404" in artist.complaints()[0]
    artist.click("Sign out")
    artist.sign_in_by_hand("rafe")
    artist.click("Saltmarsh")

    # 2. a plate comes in
    stills = write_stills(tmp_path / "given", size=SIZE)
    artist.click("Bring in a shot")
    artist.css("#files").send_keys("\n".join(map(str, stills)))
    artist.css("#name").send_keys("KITE_010")
    artist.css("form .btn-primary").click()

    # 3. the desk opens by itself: stepping wherever the focus is, zooming at the pointer
    artist.until(lambda: artist.css("body").get_attribute("data-open"), 60)
    assert "1001-1008" in artist.text.replace("\n", "") and "Trace a new shape" in artist.css("#next").text
    artist.view()
    artist.press("s")
    artist.until(lambda: artist.label("shutter angle, degrees").is_displayed())
    artist.label("shutter angle, degrees").click()
    for _ in range(3):
        artist.press(Keys.ARROW_RIGHT)
    artist.frame_is(1004)
    artist.press(Keys.HOME)
    artist.frame_is(1001)
    artist.wheel(100, 80, -240)
    scale, _, _ = artist.view()
    assert scale > 3  # 320 px over the stage, and closer still: the picture is the full-size one with square pixels
    artist.until(lambda: artist.pixels("plate-layer", 60, 33)[:3] == [120, 123, 120])
    artist.press("f")
    artist.until(lambda: artist.view()[0] < 3.2)

    # 4. a shape: corners and a curve, one point outside the picture
    corners = [(40, 30), (200, -9), (190, 120), (50, 130)]
    artist.press("n")
    put = [artist.tap(*corners[0]), artist.tap(*corners[1]), artist.tap(*corners[2])]
    artist.drag(corners[3], (40, 120), (30, 115))
    put.append(artist.on_plate(*corners[3]))
    artist.tap(*corners[0])
    artist.saved()
    shape = Shape.objects.get()
    core = shape.to_core()
    assert np.allclose(core.outlines(np.array([1001]))[0, :, :2], put, atol=0.01)
    assert core.kinds.tolist() == [0, 0, 0, 1]
    artist.until(lambda: "Step on with the right arrow" in artist.css("#next").text)

    artist.press(Keys.END)
    artist.until(lambda: "makes a key on this frame" in artist.css("#next").text)
    artist.press("p")
    moved = artist.drag((120, 60), (140, 62), (155, 66))
    artist.saved()
    for _ in range(3):
        artist.press(Keys.ARROW_LEFT)
    artist.press("t")
    middle = Shape.objects.get().to_core().outlines(np.array([1005]))[0, 2, :2]
    pulled = artist.drag(tuple(middle), tuple(middle + 5), (middle[0] + 12, middle[1] + 9))
    artist.saved()
    core = Shape.objects.get().to_core()
    assert core.place.frames.tolist() == [1001, 1008] and core.form.frames.tolist() == [1001, 1005]
    assert core.form.held[1].tolist() == [False, False, True, False]
    assert np.allclose(core.outlines(np.array([1008]))[0, 0, :2], np.array(put[0]) + moved, atol=0.01)
    assert np.allclose(core.outlines(np.array([1005]))[0, 2, :2], middle + pulled, atol=0.01)

    artist.press(Keys.CONTROL, "z")
    artist.until(lambda: Shape.objects.get().to_core().form.frames.tolist() == [1001])
    artist.press(Keys.CONTROL, Keys.SHIFT, "z")
    artist.until(lambda: Shape.objects.get().to_core().form.frames.tolist() == [1001, 1005])
    artist.browser.refresh()
    artist.until(lambda: artist.css("body").get_attribute("data-open"))
    assert "shape 1" in artist.text and artist.label("Frame").get_attribute("value") == "1005"  # as it was left
    artist.press(Keys.HOME)
    artist.press(Keys.ESCAPE)  # the point that was chosen is let go

    # 5. soft edge, a second shape that cuts, the shutter, the views
    artist.press("s")
    artist.figure("inner reach, px", 2)
    artist.figure("outer reach, px", 4)
    artist.choose("profile", "smooth")
    artist.figure("shutter angle, degrees", 90)
    artist.press("n")
    hole = [artist.tap(x, y) for x, y in [(80, 50), (120, 50), (120, 90), (80, 90)]]
    artist.press(Keys.ENTER)
    artist.saved()
    artist.press("s")
    artist.figure("lens softness, px", 1)
    artist.saved()
    artist.choose("How shape 2 combines", "cuts")
    artist.open_stack()
    artist.until(lambda: "shape 1 adds, shape 2 cuts" in artist.text)
    artist.click("Fold the stack")
    artist.click("I know")  # from here on nobody is told what comes next
    artist.until(lambda: not artist.css("#next").is_displayed())
    artist.press("2")
    artist.until(lambda: artist.pixels("matte-layer", 60, 60)[0] == 255)
    artist.until(lambda: artist.pixels("matte-layer", 100, 70)[0] == 0)
    artist.press("3")
    artist.until(lambda: artist.pixels("matte-layer", 60, 60)[3] > 100)
    assert artist.pixels("matte-layer", 100, 70)[3] == 0
    before = artist.pixels("matte-layer", 130, 70)[3]
    artist.press("t")
    chain = artist.at(artist.chain(), *hole[1]).click_and_hold()  # while the outline is dragged, the core already draws it
    artist.at(chain, 150, 45)
    artist.at(chain, 160, 40).perform()
    artist.until(lambda: artist.pixels("matte-layer", 130, 62)[3] == 0 and before > 100)
    artist.chain().release().perform()
    artist.saved()
    artist.press(Keys.CONTROL, "z")
    artist.saved()
    assert artist.complaints() == []

    # 6. the delivery
    artist.click("Deliver")
    artist.choose("For whom: the recipe", "compositor, stills of 16 bits")
    artist.until(lambda: "8 frames, numbered 1001 to 1008" in artist.text and "KITE_010_main.1001.png" in artist.text)
    artist.css("#ask .btn-primary").click()
    artist.until(lambda: artist.css("#state").text == "proved", 60)
    link = artist.css("#fetch").get_attribute("href")
    session = artist.browser.get_cookie("sessionid")["value"]
    with urllib.request.urlopen(urllib.request.Request(link, headers={"Cookie": f"sessionid={session}"})) as reply:
        bag = zipfile.ZipFile(io.BytesIO(reply.read()))
    manifest = json.loads(bag.read("manifest.json"))
    shot = Shot.objects.get()
    assert [f["name"] for f in manifest["files"] if f["kind"] == "matte"] == [f"KITE_010_main.{f}.png" for f in range(1001, 1009)]
    assert manifest["size"] == [320, 180] and manifest["shutter"]["angle"] == 90 and manifest["revision"] == shot.revision
    with Image.open(io.BytesIO(bag.read("KITE_010_main.1001.png"))) as still:
        pixels = np.asarray(still, dtype=float) / 65535
    # what was drawn, by another geometry library: well inside the body and outside the hole is white, the hole and beyond are black
    body = Polygon(put).buffer(-16).difference(Polygon(hole).buffer(5))
    outside = Polygon(put).buffer(16)
    for y in range(2, 178, 7):
        for x in range(2, 318, 7):
            here = box(x, y, x + 1, y + 1)
            if body.contains(here):
                assert pixels[y, x] == 1
            elif Polygon(hole).buffer(-5).contains(here) or not outside.intersects(here):
                assert pixels[y, x] == 0
    side = pixels[70, round(hole[0][0]) - 8 : round(hole[0][0]) + 8]  # of the hole: softened by a lens of one pixel
    assert 4 <= ((side > 0.001) & (side < 0.999)).sum() <= 9 and (np.diff(side) <= 0).all()
    edge = pixels[70, 20:76]  # across the left side, which runs nearly upright: inner reach 2, outer 4, so six pixels of grey
    assert 5 <= ((edge > 0) & (edge < 1)).sum() <= 8 and (np.diff(edge) >= 0).all()
