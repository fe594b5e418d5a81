"""News: one question for all that may have changed at a shot. And clips: other plates laid under the cut-out."""

import uuid
from datetime import timedelta
from fractions import Fraction

import pytest
from django.test import Client
from django.utils import timezone

from jaythread.desk.edit import actions as edits
from jaythread.desk.models import Note, Presence
from jaythread.desk.view import news
from jaythread.plates import actions as plates
from roto.picture.clip import Clip

from ..conftest import FIRST, LAST, ask, carry_out, command, trace, write_stills

pytestmark = pytest.mark.django_db
BACKEND = "jaythread.accounts.session_store.People"


@pytest.fixture
def page(people, shot):
    """Asks as somebody's page does, and remembers the moment and the revision as it does."""

    class Page:
        def __init__(self, who):
            self.client, self.moment = Client(), None
            self.client.force_login(people[who], backend=BACKEND)
            shot.refresh_from_db()
            self.revision = shot.revision

        def news(self):
            said = {"revision": self.revision} | ({"moment": self.moment} if self.moment else {})
            told = self.client.get(f"/api/shots/{shot.pk}/news", said).json()
            self.moment, self.revision = told["moment"], told["edits"].get("revision", self.revision)
            return told

    return Page


def test_where_nothing_happened_nothing_is_told(page):
    rafe = page("rafe")
    rafe.news()
    told = rafe.news()
    assert not told["edits"].get("shapes") and told["notes"] == [] and told["here"] == []


def test_an_edit_of_another_is_told_once_with_who_and_what(people, shot, page):
    marta = page("marta")
    marta.news()
    shape = trace(shot, people["rafe"], name="sail")
    told = marta.news()["edits"]
    assert [s["id"] for s in told["shapes"]] == [shape]
    assert [(o["who"], o["summary"].startswith("traced sail")) for o in told["others"]] == [("rafe", True)]
    assert not marta.news()["edits"].get("shapes")


def test_what_is_gone_is_told_as_gone(people, shot, page):
    shape = trace(shot, people["rafe"])
    marta = page("marta")
    edits.edit(people["rafe"], shot.pk, uuid.uuid4(), None, command(do="remove", shape=shape))
    told = marta.news()["edits"]
    assert told["gone"] == [shape] and not [s for s in told["shapes"] if s["id"] == shape]


def test_one_s_own_edits_are_told_to_one_s_other_page_but_not_as_another_s(people, shot, page):
    rafe = page("rafe")
    shape = trace(shot, people["rafe"])
    told = rafe.news()["edits"]
    assert [s["id"] for s in told["shapes"]] == [shape] and told["others"] == []


def test_jobs_are_all_told_first_and_then_those_that_changed(people, shot, page):
    trace(shot, people["rafe"])
    matte = shot.mattes.first().pk
    job = ask(people["rafe"], shot, "fit.measure", matte)
    marta = page("marta")
    assert job.pk in [j["id"] for j in marta.news()["jobs"]]
    marta.moment = (timezone.now() + timedelta(seconds=2)).isoformat()  # as if some time had passed
    assert marta.news()["jobs"] == []
    carry_out(job)
    told = [j for j in marta.news()["jobs"] if j["kind"] == "fit.measure"]
    assert [(j["id"], j["state"], j["done"]) for j in told] == [(job.pk, "done", LAST - FIRST + 1)]


def test_a_moment_that_is_none_tells_everything_instead_of_failing(people, shot, page):
    trace(shot, people["rafe"])
    job = ask(people["rafe"], shot, "fit.measure", shot.mattes.first().pk)
    marta = page("marta")
    marta.moment = "yesterday"
    assert job.pk in [j["id"] for j in marta.news()["jobs"]]


def test_who_else_is_here_and_who_has_gone(people, shot, page, monkeypatch):
    rafe, noor = page("rafe"), page("noor")
    assert rafe.news()["here"] == []
    assert noor.news()["here"] == ["rafe"]
    assert rafe.news()["here"] == ["noor"]
    Presence.objects.filter(user=people["noor"]).update(seen=timezone.now() - news.HERE_FOR - timedelta(seconds=1))
    assert rafe.news()["here"] == []
    assert noor.news()["here"] == ["rafe"] and rafe.news()["here"] == ["noor"], "back again"


def test_being_here_is_not_written_down_at_every_question(people, shot, page, django_assert_max_num_queries):
    rafe = page("rafe")
    rafe.news()
    seen = Presence.objects.get(user=people["rafe"]).seen
    rafe.news()
    assert Presence.objects.get(user=people["rafe"]).seen == seen
    with django_assert_max_num_queries(14):
        rafe.news()


def test_notes_come_with_the_news_and_change_with_them(people, shot, page):
    rafe = page("rafe")
    note = Note.objects.create(shot=shot, frame=FIRST + 1, says="soft here", by="noor")
    assert [(n["frame"], n["text"], n["state"]) for n in rafe.news()["notes"]] == [(FIRST + 1, "soft here", "open")]
    Note.objects.filter(pk=note.pk).update(state="done")
    assert [n["state"] for n in rafe.news()["notes"]] == ["done"]


def test_a_clip_runs_beside_the_shot_from_any_frame_and_backwards(people, shot, production, tmp_path):
    stills = write_stills(tmp_path / "sky", 1, 4, name="SKY_002.{:04d}.png")
    other = plates.bring_in_folder(people["rafe"], production.pk, "SKY_002", tmp_path / "sky", [p.name for p in stills])
    plate = other.plates.get()
    client = Client()
    client.force_login(people["noor"], backend=BACKEND)
    path = f"/api/shots/{shot.pk}/clips/{plate.pk}"
    assert client.get(path).status_code == 404, "it is not decoded yet"
    plates.decode(plate.pk)
    count = LAST - FIRST + 1
    plain = client.get(path).json()["frames"]
    assert len(plain) == count and plain[:4] == [1, 2, 3, 4] and set(plain) == {1, 2, 3, 4}
    assert client.get(path, {"begin": 3}).json()["frames"][0] == 3
    assert client.get(path, {"reverse": "true"}).json()["frames"][:4] == [4, 3, 2, 1]
    assert client.get(f"/api/shots/{shot.pk}/clips/{shot.plates.get().pk}").status_code == 404, "one's own plate is no clip"


def test_a_clip_of_another_rate_keeps_its_own_time():
    clip = Clip(first=1, last=100, rate=Fraction(50))
    assert clip.frames(6, Fraction(25)) == [1, 3, 5, 7, 9, 11]
    slow = Clip(first=1, last=100, rate=Fraction(12))
    assert slow.frames(6, Fraction(24)) == [1, 1, 2, 2, 3, 3]
