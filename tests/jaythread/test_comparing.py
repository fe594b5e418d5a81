"""Two states of a matte held against each other: now, a mark, a moment, a package, a matte from elsewhere."""

from fractions import Fraction

import cv2
import numpy as np
import pytest

from jaythread.comparing import actions, sides
from jaythread.delivery import actions as delivery
from jaythread.errors import NotThere
from jaythread.review import past
from roto.package.recipe import Recipe
from roto.picture.movie_writing import write_movie

from ..conftest import FIRST, LAST, edited, trace
from .test_brought import bring, still

pytestmark = pytest.mark.django_db


@pytest.fixture
def moved(shot, people):
    """A square of 30 x 30 px; a mark; then it was moved by 5 px to the right from 1005 on."""
    shape = trace(shot, people["rafe"], points=((10, 20), (40, 20), (40, 50), (10, 50)))
    edited(people["rafe"], shot, do="place", shape=shape, frame=1004, move=(0, 0))
    mark = past.mark(people["rafe"], shot.pk, "as traced")
    edited(people["rafe"], shot, do="place", shape=shape, frame=1005, move=(5, 0))
    edited(people["rafe"], shot, do="key kind", shape=shape, channel="placement", frame=1004, kind="hold")
    return shot, shot.mattes.get(), mark


def all_amounts(who, shot, matte, one, other):
    out, begin = [], None
    while True:
        told = actions.amounts(who, shot.pk, matte.pk, one, other, begin)
        out += told["frames"]
        begin = told["next"]
        if begin is None:
            return {row["frame"]: row for row in out}


def test_a_mark_against_now_says_which_frames_differ_and_by_how_much(moved, people):
    shot, matte, mark = moved
    rows = all_amounts(people["noor"], shot, matte, f"mark {mark.pk}", "now")
    assert list(rows) == list(range(FIRST, LAST + 1))
    assert {f for f, r in rows.items() if r["stands"] == "differs"} == {1005, 1006, 1007, 1008}
    assert rows[1008]["more"] == pytest.approx(150, abs=0.1) == rows[1008]["less"] and rows[1008]["worst"] == pytest.approx(1)
    assert rows[1008]["box"] == (10, 20, 45, 50)
    back = all_amounts(people["noor"], shot, matte, "now", f"after {mark.revision}")
    assert {f: (r["less"], r["more"]) for f, r in rows.items()} == {f: (r["more"], r["less"]) for f, r in back.items()}


def test_a_package_of_8_bits_is_the_same_as_what_it_was_made_from_and_differs_after_an_edit(moved, people):
    shot, matte, mark = moved
    for how in (Recipe(format="png8"), Recipe(content="inverted"), Recipe(format="exr16")):
        package = delivery.ask(people["rafe"], shot.pk, matte.pk, recipe=how)
        delivery.deliver(package.pk)
        rows = all_amounts(people["rafe"], shot, matte, f"package {package.pk}", "now")
        assert {r["stands"] for r in rows.values()} == {"same"}, how
    then = all_amounts(people["rafe"], shot, matte, f"package {package.pk}", f"mark {mark.pk}")
    assert {f for f, r in then.items() if r["stands"] == "differs"} == {1005, 1006, 1007, 1008}


@pytest.mark.parametrize("form", ["prores", "vp9", "ffv1", "h264"])
def test_a_movie_is_compared_by_its_own_pictures(moved, people, form):
    shot, matte, mark = moved
    package = delivery.ask(people["rafe"], shot.pk, matte.pk, recipe=Recipe(format=form, pattern="{shot}_{matte}_{version}"))
    delivery.deliver(package.pk)
    rows = all_amounts(people["rafe"], shot, matte, f"package {package.pk}", "now")
    assert {r["stands"] for r in rows.values()} == {"same"}, "what the format loses is no difference"
    then = all_amounts(people["rafe"], shot, matte, f"package {package.pk}", f"mark {mark.pk}")
    assert {f for f, r in then.items() if r["stands"] == "differs"} == {1005, 1006, 1007, 1008}


def test_of_a_movie_its_file_is_looked_at_and_not_what_it_was_made_from(moved, people):
    shot, matte, _ = moved
    package = delivery.ask(people["rafe"], shot.pk, matte.pk, recipe=Recipe(format="ffv1", pattern="{shot}_{matte}_{version}"))
    delivery.deliver(package.pk)
    (movie,) = package.package.glob("*.mkv")
    write_movie(movie, "ffv1", [np.zeros((shot.height, shot.width), np.uint16)] * (LAST - FIRST), Fraction(24))
    rows = all_amounts(people["rafe"], shot, matte, "now", f"package {package.pk}")
    assert rows.pop(LAST)["stands"] == "only one", "it has a frame less than it ought to"
    assert {r["stands"] for r in rows.values()} == {"differs"} and all(r["more"] == 0 < r["less"] for r in rows.values())
    with pytest.raises(NotThere, match="no frame 8"):
        actions.picture(people["rafe"], shot.pk, matte.pk, f"package {package.pk}", LAST)
    movie.unlink()
    with pytest.raises(NotThere, match="movie of this package is not there"):
        actions.picture(people["rafe"], shot.pk, matte.pk, f"package {package.pk}", LAST)


def test_a_package_of_composed_pictures_is_compared_by_its_shapes_and_says_so(moved, people):
    shot, matte, mark = moved
    package = delivery.ask(people["rafe"], shot.pk, matte.pk, recipe=Recipe(format="png8", content="over", colour=(0.2, 0.4, 0.6)))
    delivery.deliver(package.pk)
    told = actions.amounts(people["rafe"], shot.pk, matte.pk, f"package {package.pk}", f"mark {mark.pk}", None)
    assert told["one"] == f"package {package.version} (its shapes)"
    assert {r["frame"] for r in told["frames"] if r["stands"] == "differs"} == {1005, 1006, 1007, 1008}


def test_a_package_of_some_frames_has_the_others_on_one_side_only(moved, people):
    shot, matte, _ = moved
    package = delivery.ask(people["rafe"], shot.pk, matte.pk, first=1003, last=1006)
    delivery.deliver(package.pk)
    rows = all_amounts(people["rafe"], shot, matte, f"package {package.pk}", "now")
    assert {f for f, r in rows.items() if r["stands"] == "only other"} == {1001, 1002, 1007, 1008}
    with pytest.raises(NotThere):
        actions.picture(people["rafe"], shot.pk, matte.pk, f"package {package.pk}", 1001)


def test_a_matte_from_elsewhere_is_held_against_ours(moved, people):
    shot, matte, _ = moved
    files = []
    for frame in range(FIRST, LAST + 1):
        pixels = np.zeros((64, 96), np.uint16)
        pixels[20:50, 10:42] = 65535
        files.append(still(frame))
        files[-1].file.seek(0)
        files[-1].file.write(cv2.imencode(".png", pixels)[1].tobytes())
        files[-1].file.seek(0)
    row = bring(people, shot, files)
    rows = all_amounts(people["rafe"], shot, matte, "now", f"brought {row.pk}")
    assert rows[FIRST]["more"] == pytest.approx(60, abs=0.1) and rows[FIRST]["less"] == 0
    assert [c["id"] for c in sides.choices(shot, matte)][-1] == f"brought {row.pk}"


def test_pictures_and_outlines_are_of_the_frame_and_of_the_part_that_is_asked_for(moved, people):
    shot, matte, mark = moved
    shown = cv2.imdecode(
        np.frombuffer(actions.difference(people["noor"], shot.pk, matte.pk, f"mark {mark.pk}", "now", 1008), np.uint8), cv2.IMREAD_COLOR
    )
    assert shown.shape == (64, 96, 3) and np.ptp(shown[30, 30]) == 0 and shown[30, 30, 0] > 100  # both
    assert shown[30, 43, 0] > shown[30, 43, 2] + 100 and shown[30, 12, 2] > shown[30, 12, 0] + 100  # more now; less now
    part = cv2.imdecode(np.frombuffer(actions.picture(people["noor"], shot.pk, matte.pk, "now", 1008, "40,18,10,8"), np.uint8), 0)
    assert part.shape == (8, 10) and part[5, 2] == 255 and part[5, 8] == 0 and part[0, 2] == 0
    lines = actions.outlines(people["noor"], shot.pk, matte.pk, f"mark {mark.pk}", "now", 1008)
    xs = [[float(p.split()[0]) for p in lines[k][1:-1].split("L")] for k in ("one", "other")]
    assert [min(x) for x in xs] == pytest.approx([10, 15], abs=0.3) and [max(x) for x in xs] == pytest.approx([40, 45], abs=0.3)


@pytest.mark.parametrize(
    "said", ["", "then", "mark", "mark x", "mark 99999999", "after 999", "package 1", "brought 1", "now 1", "after -1", "mark ²"]
)
def test_what_there_is_not_is_said_so(moved, people, said):
    shot, matte, _ = moved
    with pytest.raises(NotThere):
        actions.amounts(people["rafe"], shot.pk, matte.pk, said, "now", None)


def test_the_page_offers_what_there_is_and_takes_a_matte_in(moved, people, client):
    shot, matte, _ = moved
    client.force_login(people["rafe"], "jaythread.accounts.session_store.People")
    told = client.get(f"/api/shots/{shot.pk}/mattes/{matte.pk}/sides").json()
    assert [s["says"] for s in told["sides"]] == ["now", "mark 'as traced'"] and told["frames"] == [FIRST, LAST]
    page = f"/shots/{shot.pk}/mattes/{matte.pk}/brought"
    refused = client.post(page, {"files": [still(FIRST, size=(10, 10))], "name": "x"}, follow=True)
    assert "10 x 10 pixels, the shot is 96 x 64" in refused.content.decode()
    assert "as a number" in client.post(page, {"files": [still(FIRST)], "begin": "soon"}, follow=True).content.decode()
    taken = client.post(page, {"files": [still(f) for f in range(FIRST, LAST + 1)], "name": "other"})
    assert taken.status_code == 302 and "brought" in taken.url and shot.brought.get().name == "other"


def test_curves_of_another_state_are_told_frame_by_frame(moved, people):
    shot, matte, mark = moved
    told = actions.curves(people["noor"], shot.pk, matte.pk, f"mark {mark.pk}", None)
    assert (told["says"], told["next"]) == ("mark 'as traced'", None)
    assert [r["frame"] for r in told["frames"]] == list(range(FIRST, LAST + 1))
    assert all(r["area"] == pytest.approx(900, abs=1) and r["x"] == pytest.approx(25, abs=0.1) and r["pieces"] == 1 for r in told["frames"])
    now = actions.curves(people["noor"], shot.pk, matte.pk, "now", 1007)["frames"]
    assert [(r["frame"], round(r["x"])) for r in now] == [(1007, 30), (1008, 30)]
