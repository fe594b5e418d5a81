"""Undo and redo show what they did: after each act the page holds what the server holds, and nothing traced is lost."""

import random

import pytest
from selenium.webdriver.common.keys import Keys

from jaythread.desk.models import Matte, Shape

from ..conftest import trace

pytestmark = pytest.mark.django_db(transaction=True)
ROWS = """
  const rows = (it, shapes) => ({
    revision: it.revision, undo: it.undo, redo: it.redo,
    shapes: shapes.map((s) => [s.id, s.name, s.revision, ...[s.form, s.placement].map((keys) => keys.map((k) => k.frame))]).sort(),
    mattes: it.mattes.map((m) => [m.id, m.name, m.stack.map((line) => [line.shape, line.mode])]),
  });
  const {desk} = Alpine.$data(document.getElementById("desk"));
"""
SEEN = ROWS + "return rows(desk.store.document, [...desk.store.document.shapes.values()]);"
TOLD = ROWS + "fetch(`/api/shots/${arguments[0]}/desk`).then((r) => r.json()).then((it) => arguments[1](rows(it, it.shapes)));"
NO_NEWS = "const {desk} = Alpine.$data(document.getElementById('desk')); clearTimeout(desk.news.timer); desk.news.ask = () => {};"


@pytest.fixture
def desk(artist, shot):
    artist.sign_in("rafe")
    artist.open_desk(shot.pk)
    return artist


def agree(desk, shot) -> None:
    """What the page holds is what the server holds."""
    desk.saved()
    told = desk.browser.execute_async_script(TOLD, shot.pk)
    desk.until(lambda: desk.browser.execute_script(SEEN) == told)


def ellipse(desk, start=(20, 15), end=(50, 45)) -> None:
    desk.press(Keys.SHIFT, "n")
    desk.drag(start, ((start[0] + end[0]) / 2, (start[1] + end[1]) / 2), end)
    desk.saved()


def test_the_first_shape_of_a_shot_comes_and_goes_and_comes(desk, shot):
    Matte.objects.all().delete()
    desk.browser.refresh()
    desk.until(lambda: desk.css("body").get_attribute("data-open"))
    ellipse(desk)
    for _ in range(2):
        desk.press(Keys.CONTROL, "z")
        desk.until(lambda: not Shape.objects.exists())
        agree(desk, shot)
        assert "Nothing is traced yet" in desk.text
        desk.press(Keys.CONTROL, Keys.SHIFT, "z")
        desk.until(Shape.objects.exists)
        agree(desk, shot)
        assert "shape 1" in desk.text and "Nothing is traced yet" not in desk.text
    ellipse(desk, (60, 15), (85, 40))
    agree(desk, shot)
    assert Shape.objects.count() == 2 and Matte.objects.get().entries.count() == 2


def test_what_was_traced_while_somebody_made_the_first_matte_is_kept(desk, shot):
    """The page believes that there is no matte; there is one by now, of the same name."""
    Matte.objects.all().delete()
    desk.browser.refresh()
    desk.until(lambda: desk.css("body").get_attribute("data-open"))
    desk.browser.execute_script(NO_NEWS)
    Matte.objects.create(shot=shot, name="main")
    ellipse(desk)
    agree(desk, shot)
    assert [e.shape.name for e in Matte.objects.get().entries.all()] == ["shape 1"]


@pytest.mark.parametrize("seed", [3, 8])
def test_any_way_through_a_desk_the_page_and_the_server_agree(desk, shot, people, seed):
    trace(shot, people["rafe"])
    desk.browser.refresh()
    desk.until(lambda: desk.css("body").get_attribute("data-open"))
    rng = random.Random(seed)
    corner = iter([(12, 12), (30, 20), (55, 10), (20, 35), (60, 30), (40, 25), (15, 40), (50, 40)])

    def another() -> None:
        x, y = next(corner)
        ellipse(desk, (x, y), (x + 18, y + 14))

    acts = {
        "an ellipse": another,
        "a nudge": lambda: (desk.press(Keys.CONTROL, "a"), desk.press(Keys.CONTROL, Keys.ARROW_RIGHT)),
        "another frame": lambda: desk.press(rng.choice([Keys.ARROW_RIGHT, Keys.ARROW_LEFT, Keys.END, Keys.HOME])),
        "placed": lambda: (desk.press("p"), desk.press(Keys.CONTROL, Keys.ARROW_DOWN), desk.press("t")),
        "a key": lambda: desk.press("k"),
        "twins": lambda: desk.press(Keys.SHIFT, "d"),
        "undo": lambda: desk.press(Keys.CONTROL, "z"),
        "redo": lambda: desk.press(Keys.CONTROL, Keys.SHIFT, "z"),
        "opened again": lambda: (desk.browser.refresh(), desk.until(lambda: desk.css("body").get_attribute("data-open"))),
    }
    names = ["undo", "redo", "undo", *acts]
    for name in ["an ellipse", "undo", "redo", *rng.choices(names, k=22)]:
        if name == "an ellipse" and Shape.objects.count() > 6:
            continue
        acts[name]()
        agree(desk, shot)


def test_coming_back_finds_the_desk_and_the_deliver_page_as_they_were_left(desk, shot, people):
    shape = trace(shot, people["rafe"])
    trace(shot, people["rafe"], ((60, 20), (80, 20), (80, 50), (60, 50)), name="sail")
    desk.browser.refresh()
    desk.until(lambda: desk.css("body").get_attribute("data-open"))
    for _ in range(3):
        desk.press(Keys.ARROW_RIGHT)
    desk.press("s")
    desk.press("3")
    desk.browser.execute_script("Alpine.$data(document.getElementById('desk')).desk.store.selection.choose(arguments[0], [1, 2])", shape)
    desk.wheel(40, 30, -240)
    view = desk.view()
    desk.click("Deliver")
    field = desk.until(lambda: desk.label("First frame"))
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("1003", Keys.TAB)
    desk.choose("For whom: the recipe", "editor")
    desk.until(lambda: "KITE_010_kite_001.mov" in desk.css(".follows").text)
    desk.browser.back()
    desk.until(lambda: desk.css("body").get_attribute("data-open"))
    desk.frame_is(1004)
    desk.until(lambda: desk.view() == pytest.approx(view))
    assert desk.css(".steps .on").text == "Soften" and desk.css(".views .on").text == "tint"
    assert "2 of 4 points of kite body" in desk.css("#touch").text
    desk.click("Deliver")
    desk.until(lambda: desk.label("First frame").get_attribute("value") == "1003")
    assert desk.label("For whom: the recipe").get_attribute("value") == "starter:editor"


def test_delete_takes_what_was_chosen_last_and_asks_before_points_go_from_all_keys(desk, shot, people):
    shape = trace(shot, people["rafe"])
    desk.browser.refresh()
    desk.until(lambda: desk.css("body").get_attribute("data-open"))
    desk.press(Keys.CONTROL, "a")
    desk.press(Keys.END)
    desk.press(Keys.CONTROL, Keys.ARROW_RIGHT)  # a second form key
    desk.saved()
    form = lambda: Shape.objects.get(pk=shape).to_core().form  # noqa: E731
    desk.until(lambda: form().frames.tolist() == [1001, 1008])
    desk.press(Keys.HOME)
    desk.press(Keys.SHIFT, Keys.ARROW_RIGHT)  # jumps to the key: it is picked now, though points are chosen
    desk.frame_is(1008)
    desk.press(Keys.DELETE)
    desk.until(lambda: form().frames.tolist() == [1001])
    assert form().parts == 4
    desk.press(Keys.CONTROL, "z")
    desk.until(lambda: form().frames.tolist() == [1001, 1008])
    desk.browser.execute_script("Alpine.$data(document.getElementById('desk')).desk.store.selection.choose(arguments[0], [1])", shape)
    desk.press(Keys.DELETE)
    asked = desk.until(lambda: desk.browser.switch_to.alert)
    assert "every frame" in asked.text and "2 keys" in asked.text
    asked.dismiss()
    assert form().parts == 4
    desk.press(Keys.DELETE)
    desk.until(lambda: desk.browser.switch_to.alert).accept()
    desk.until(lambda: form().parts == 3)


def test_duplicate_and_remove_act_on_all_that_is_chosen(desk, shot, people):
    one = trace(shot, people["rafe"])
    other = trace(shot, people["rafe"], ((60, 20), (80, 20), (80, 50), (60, 50)), name="sail")
    desk.browser.refresh()
    desk.until(lambda: desk.css("body").get_attribute("data-open"))
    choose = """
        const {selection} = Alpine.$data(document.getElementById("desk")).desk.store;
        selection.choosePoints(new Map([...arguments].map((id) => [id, new Set()])));
    """
    desk.browser.execute_script(choose, one, other)
    desk.press(Keys.SHIFT, "d")
    desk.until(lambda: Shape.objects.count() == 4)
    agree(desk, shot)
    desk.until(lambda: "2 shapes" in desk.css("#touch").text)
    desk.click("Remove")
    desk.until(lambda: Shape.objects.count() == 2)
    assert {str(s.pk) for s in Shape.objects.all()} == {one, other}
    agree(desk, shot)
