"""A newer plate comes in by the page; what differs is followed there, frame by frame, and goes on at the desk."""

import pytest
from selenium.webdriver.common.keys import Keys

from roto.picture import stills

from ..conftest import FIRST, write_stills
from .test_access import found

pytestmark = pytest.mark.django_db(transaction=True)


def shown(artist):
    """The picture that is up, once it is there: its address and its width."""
    image = artist.css(".changes .picture img")
    there = "const i = arguments[0]; return i.complete && i.naturalWidth ? i.src : ''"
    return artist.until(lambda: artist.browser.execute_script(there, image))


def test_what_differs_is_seen_frame_by_frame(artist, shot, people, tmp_path, worker):
    paths = write_stills(tmp_path / "newer")
    pixels = stills.read(paths[4]).copy()
    pixels[30:50, 60:90] = 250
    stills.write_picture(paths[4], pixels)
    artist.sign_in("rafe")
    artist.go(f"/plates/{shot.plates.get().pk}")
    artist.css("#files").send_keys("\n".join(map(str, paths)))
    artist.css("form[enctype] button").click()
    artist.until(lambda: shot.plates.count() == 2)
    artist.until(lambda: shot.plates.first().version == 2 and shot.plates.first().changes)
    plate = shot.plates.first()
    artist.until(lambda: "/productions/" in artist.browser.current_url)  # the answer to the form is there
    artist.go(f"/plates/{plate.pk}")
    artist.until(lambda: artist.css(f"a[href='/plates/{plate.pk}/changes']")).click()
    artist.until(lambda: f"1 of 8 frames differs: {FIRST + 4}" in artist.text and "of the picture differs" in artist.text)
    assert f"/changes/{FIRST + 4}.png" in shown(artist) and len(artist.browser.find_elements("css selector", ".changes .slide i")) == 1
    artist.press("1")
    artist.until(lambda: f"/plates/{shot.plates.last().pk}/proxy/{FIRST + 4}.jpg" in shown(artist))
    artist.press(Keys.ARROW_RIGHT)
    artist.until(lambda: f"/proxy/{FIRST + 5}.jpg" in shown(artist) and "nothing differs on it" in artist.text)
    artist.press("2")
    artist.until(lambda: f"/plates/{plate.pk}/proxy/{FIRST + 5}.jpg" in shown(artist))
    assert found(artist) == []
    assert f"desk?frame={FIRST + 5}" in artist.css(".changes .tools a").get_attribute("href")
