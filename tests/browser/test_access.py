"""What people who do not see well, or use no mouse, meet: axe finds nothing serious on any page, by day and at dusk."""

from pathlib import Path

import pytest
from selenium.webdriver.common.keys import Keys

from ..conftest import trace

pytestmark = pytest.mark.django_db(transaction=True)
AXE = Path(__file__).parents[2] / "node_modules/axe-core/axe.min.js"
RUN = """
  const done = arguments[arguments.length - 1];
  axe.run(document, {resultTypes: ["violations"]}).then(({violations}) => done(violations
    .filter((v) => ["serious", "critical"].includes(v.impact))
    .map((v) => `${v.id}: ${v.help}: ${v.nodes.slice(0, 4).map((n) => n.html.slice(0, 160)).join(" | ")}`)));
"""
SURFACES = ("day", "dusk")


def found(artist) -> list[str]:
    artist.browser.execute_script(AXE.read_text())
    return artist.browser.execute_async_script(RUN)


@pytest.mark.parametrize("surface", SURFACES)
def test_axe_finds_nothing_serious_on_the_desk(artist, shot, people, surface):
    trace(shot, people["rafe"])
    artist.sign_in("rafe")
    artist.open_desk(shot.pk)
    if surface == "dusk":
        artist.click("dusk")
        artist.until(lambda: artist.css("html").get_attribute("data-surface") == "dusk")
        artist.until(lambda: artist.css("body").get_attribute("data-open"))
    wrong = {}
    for name, keys in {"trace": "t", "place": "p", "soften": "s", "carry": "P", "check": "S"}.items():
        artist.press(*([Keys.SHIFT, keys.lower()] if keys.isupper() else [keys]))
        artist.until(lambda name=name: artist.css(".steps .on").text.lower() == name)
        wrong[name] = found(artist)
    artist.press("?")
    artist.until(lambda: artist.css("dialog[open]"))
    wrong["keys"] = found(artist)
    assert {k: v for k, v in wrong.items() if v} == {}


@pytest.mark.parametrize("surface", SURFACES)
def test_axe_finds_nothing_serious_on_the_other_pages(artist, shot, people, surface):
    trace(shot, people["rafe"])
    artist.go("/sign-in")
    wrong = {"sign in": found(artist)}
    artist.sign_in("rafe")
    if surface == "dusk":
        artist.go("/")
        artist.click("Dusk")
        artist.until(lambda: artist.css("html").get_attribute("data-surface") == "dusk")
    production = shot.production_id
    for path in ("/", f"/productions/{production}", f"/shots/{shot.pk}/deliveries", f"/productions/{production}/recipes"):
        artist.go(path)
        wrong[path] = found(artist)
    assert {k: v for k, v in wrong.items() if v} == {}


@pytest.mark.parametrize("surface", SURFACES)
def test_axe_finds_nothing_serious_on_the_pages_of_leads_and_keepers(artist, shot, people, surface):
    type(people["marta"]).objects.filter(username="marta").update(is_superuser=True)
    wrong = {}
    artist.go("/forgotten")
    wrong["forgotten"] = found(artist)
    artist.sign_in("marta")
    if surface == "dusk":
        artist.go("/")
        artist.click("Dusk")
        artist.until(lambda: artist.css("html").get_attribute("data-surface") == "dusk")
    production = f"/productions/{shot.production_id}"
    for path in ("/me", "/me/password", "/people", f"{production}/hooks", production):
        artist.go(path)
        artist.browser.execute_script("document.querySelectorAll('details').forEach((d) => (d.open = true))")
        wrong[path] = found(artist)
    assert {k: v for k, v in wrong.items() if v} == {}


def test_the_focus_can_be_seen_on_plain_buttons(artist, shot):
    artist.sign_in("rafe")
    artist.open_desk(shot.pk)
    seen = set()
    for _ in range(25):
        artist.press(Keys.TAB)
        seen.add(
            artist.browser.execute_script(
                "const e = document.activeElement, s = getComputedStyle(e);"
                "return `${e.tagName} ${s.outlineStyle} ${parseFloat(s.outlineWidth) > 1}`"
            )
        )
    assert seen and all(one.endswith("solid true") for one in seen if not one.startswith("BODY")), seen
