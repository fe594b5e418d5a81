"""Pages say what to do next: to who is new, to who has nothing yet, to who typed something wrong."""

import io
import json
import logging
import re
import uuid
import zipfile
from html import unescape

import cv2
import numpy as np
import pytest
from django.core.cache import cache
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import OperationalError, connections
from django.db.backends.base.base import BaseDatabaseWrapper
from django.test import Client

from jaythread import logs
from jaythread.desk.edit import actions as desk
from jaythread.jobs.models import Job
from jaythread.plates import actions as plates
from jaythread.plates.models import Plate, Shot
from jaythread.productions.models import Membership, Production

from ..conftest import FIRST, command, trace

pytestmark = pytest.mark.django_db
BACKEND = "jaythread.accounts.session_store.People"


@pytest.fixture
def as_(client, people):
    def sign_in(who: str):
        client.force_login(people[who], backend=BACKEND)
        return client

    return sign_in


def words(response) -> str:
    """What a page says, without its tags."""
    return re.sub(r"\s+", " ", unescape(re.sub(r"<script.*?</script>|<[^>]+>", " ", response.content.decode(), flags=re.S)))


def still(value: int = 90, size: tuple[int, int] = (64, 48)) -> bytes:
    return cv2.imencode(".png", np.full((*size[::-1], 3), value, np.uint8))[1].tobytes()


def test_who_is_new_is_told_how_to_begin_and_can(as_):
    page = as_("otto").get("/")
    assert "You are in no production yet" in words(page) and "otto" in words(page)
    made = as_("otto").post("/productions/make", {"name": " Saltmarsh nights "}, follow=True)
    assert made.status_code == 200 and "No shot here yet. Bring in a movie or numbered stills" in words(made)
    assert Membership.objects.get(user__username="otto").role == "lead" and Production.objects.get().name == "Saltmarsh nights"


@pytest.mark.parametrize(
    ("name", "says"),
    [
        ("", "Give the production a name"), ("  ", "Give the production"), ("saltmarsh", "already"), ("x" * 81, "at most 80 characters"),
        ("sail\u202egnp", "Give the production a name"), ("bell\a", "holds a sign that is no text"),
    ],
)  # fmt: skip
def test_a_name_that_cannot_be_is_said_and_nothing_is_made(as_, production, name, says):
    page = as_("otto").post("/productions/make", {"name": name}, follow=True)
    assert page.status_code in (200, 422) and says in words(page) and Production.objects.count() == 1


@pytest.mark.parametrize(
    ("account", "role", "says"),
    [
        ("otto", "artist", "otto is now artist here"),
        (" otto ", "receiver", "otto is now receiver here"),
        ("ottto", "artist", "There is no account 'ottto'. Check the spelling"),
        ("otto", "king", "There is no role 'king'"),
        ("marta", "artist", "There would be no lead here"),
    ],
)
def test_inviting_answers_in_a_sentence(as_, production, account, role, says):
    page = as_("marta").post(f"/productions/{production.pk}/invite", {"account": account, "role": role}, follow=True)
    assert says in words(page)
    taken = says.startswith("otto is now")
    assert Membership.objects.filter(user__username="otto").count() == int(taken)
    assert Membership.objects.get(user__username="marta").role == "lead"


def test_each_role_sees_on_a_production_what_it_may_do(as_, production, shot):
    seen = {who: words(as_(who).get(f"/productions/{production.pk}")) for who in ("marta", "rafe", "noor")}
    assert all("KITE_010" in text and "ready" in text for text in seen.values())
    assert [("Bring in a shot" in seen[w]) for w in ("marta", "rafe", "noor")] == [True, True, False]
    assert as_("otto").get(f"/productions/{production.pk}").status_code == 404  # not told that it exists


def test_a_shot_comes_in_through_the_page_from_stills_or_a_zip(as_, production):
    files = [SimpleUploadedFile(f"MILL_040.{n}.png", still(n % 200)) for n in (1003, 1001, 1002)]
    bag = io.BytesIO()
    with zipfile.ZipFile(bag, "w") as into:
        for n in (7, 8):
            into.writestr(f"takes/FERRY.{n:03d}.png", still(n))
    for name, given, first, last in (
        ("MILL_040", files, 1001, 1003),
        ("FERRY_020", [SimpleUploadedFile("ferry.zip", bag.getvalue())], 7, 8),
    ):
        page = as_("rafe").post(f"/productions/{production.pk}/bring-in", {"name": name, "files": given}, follow=True)
        assert page.status_code == 200 and name in words(page)
        shot = Shot.objects.get(name=name)
        plates.decode(shot.plates.get().pk)
        assert (shot.first, shot.last, shot.width, shot.height) == (first, last, 64, 48)
        assert "Open the desk" in words(as_("rafe").get(f"/productions/{production.pk}"))


@pytest.mark.parametrize(
    ("name", "files", "says"),
    [
        ("MILL_040", [], "Not taken"),
        ("MILL_040", [("notes.txt", b"a kite")], "Not taken"),
        ("MILL_040", [("a.0001.png", still()), ("a.0002.png", still(size=(60, 48)))], "Not taken"),
        ("MILL_040", [("a.0001.png", b"")], "empty"),
        ("x" * 61, [("a.0001.png", still())], "at most 60 characters"),
        ("MILL_040", [("a.zip", b"PK\3\4 but no more")], "Not taken"),
    ],
    ids=["nothing", "a text", "two sizes", "an empty file", "a long name", "half a zip"],
)
def test_what_cannot_come_in_is_said_and_leaves_no_shot(as_, production, name, files, says):
    given = [SimpleUploadedFile(n, data) for n, data in files]
    page = as_("rafe").post(f"/productions/{production.pk}/bring-in", {"name": name, "files": given}, follow=True)
    assert says in words(page) and not Shot.objects.exists() and not Plate.objects.exists()


def test_a_shot_without_a_name_is_named_after_its_files(as_, production):
    as_("rafe").post(f"/productions/{production.pk}/bring-in", {"name": "", "files": [SimpleUploadedFile("MILL_040.0001.png", still())]})
    assert Shot.objects.get().name.startswith("MILL_040")


def test_the_desk_waits_for_a_plate_that_is_being_decoded_and_says_why_one_failed(as_, production, shot):
    plate = shot.plates.get()
    Plate.objects.filter(pk=plate.pk).update(state="working")
    assert "is being decoded" in words(as_("rafe").get(f"/shots/{shot.pk}/desk")).lower()
    Plate.objects.filter(pk=plate.pk).update(state="failed")
    Job.objects.update(message="KITE_010.1003.png breaks off before its last line.")
    page = words(as_("rafe").get(f"/shots/{shot.pk}/desk"))
    assert "could not be taken in: KITE_010.1003.png breaks off" in page and "Back to the shots" in page


def test_a_shot_without_a_matte_says_so_where_one_would_deliver(as_, production, people, shot):
    matte = shot.mattes.get()
    desk.edit(people["rafe"], shot.pk, uuid.uuid4(), None, command(do="remove matte", matte=str(matte.pk)))
    assert "no matte yet. Trace a shape first" in words(as_("rafe").get(f"/shots/{shot.pk}/deliveries"))
    assert "no matte yet" in words(as_("rafe").get(f"/productions/{production.pk}"))


def test_pictures_of_a_plate_come_small_and_whole_and_frames_that_are_not_there_are_not_found(as_, shot):
    plate = shot.plates.get()
    small = as_("rafe").get(f"/plates/{plate.pk}/proxy/{FIRST}.jpg")
    whole = as_("rafe").get(f"/plates/{plate.pk}/full/{FIRST}.png")
    data = [b"".join(r.streaming_content) if r.streaming else r.content for r in (small, whole)]
    pictures = [cv2.imdecode(np.frombuffer(d, np.uint8), cv2.IMREAD_UNCHANGED) for d in data]
    assert small["Content-Type"] == "image/jpeg" and whole["Content-Type"] == "image/png"
    assert pictures[1].shape[1::-1] == (shot.width, shot.height) and "immutable" in whole["Cache-Control"]
    assert np.abs(cv2.resize(pictures[1], pictures[0].shape[1::-1]).astype(int) - pictures[0]).mean() < 6
    assert as_("rafe").get(f"/plates/{plate.pk}/full/{FIRST - 1}.png").status_code == 404


def test_whoever_is_not_signed_in_is_led_to_the_door_and_back(client, production, shot):
    for path in ("/", f"/productions/{production.pk}", f"/shots/{shot.pk}/desk", f"/shots/{shot.pk}/deliveries"):
        answer = client.get(path)
        assert answer.status_code == 302 and answer["Location"].startswith("/sign-in?next=")
    page = client.post(f"/sign-in?next=/shots/{shot.pk}/deliveries", {"username": "rafe", "password": "saltmarsh"}, follow=True)
    assert page.redirect_chain[-1][0] == f"/shots/{shot.pk}/deliveries"
    assert "KITE_010" in words(page)


def test_a_wrong_password_says_so_without_telling_which_half_was_wrong(client, people):
    one = words(client.post("/sign-in", {"username": "rafe", "password": "no"}))
    two = words(client.post("/sign-in", {"username": "nobody", "password": "saltmarsh"}))
    assert one.replace("rafe", "") == two.replace("nobody", "") and "password" in one.lower()


def test_a_shot_that_holds_work_is_not_removed(as_, production, people, shot):
    plate = shot.plates.get()
    trace(shot, people["rafe"])
    as_("rafe").post(f"/plates/{plate.pk}/cancel", {"remove": "1"})
    assert Shot.objects.filter(pk=shot.pk).exists()  # it holds work


def test_a_page_of_somebody_else_saves_nothing_and_who_works_stays_signed_in(as_, people, shot):
    client = as_("rafe")
    edits = f"/api/shots/{shot.pk}/edits"

    def edit(page_of: str):
        body = {"id": str(uuid.uuid4()), "command": {"do": "shutter", "angle": 90}}
        return client.post(edits, json.dumps(body), content_type="application/json", headers={"X-Signed-As": page_of})

    theirs = edit(str(people["marta"].pk))
    assert (theirs.status_code, theirs.json()["code"]) == (401, "other_person")
    assert edit(str(people["rafe"].pk)).status_code == edit("").status_code == 200
    told = Client().post(edits, "{}", content_type="application/json")
    assert (told.status_code, told.json()["message"]) == (401, "You are signed out.")
    session = client.session
    session["renewed"] = "2026-01-01"
    session.set_expiry(60)
    session.save()
    assert "sessionid" in client.get("/").cookies and "sessionid" not in client.get("/").cookies  # once a day


def test_without_the_database_a_page_still_says_what_is_the_matter(people, client, monkeypatch):
    def gone(*_, **__):
        raise OperationalError("the connection is lost")

    client.force_login(people["rafe"], backend=BACKEND)
    client.raise_request_exception = False
    monkeypatch.setattr(BaseDatabaseWrapper, "cursor", gone)
    cache.clear()
    page, told = client.get("/"), client.get("/api/shots/1/desk")
    assert (page.status_code, told.status_code) == (500, 500) and "Nothing you saved is lost" in words(page)
    assert told.json()["code"] == "went_wrong"  # it is there, and refuses
    monkeypatch.setattr(type(connections["default"]), "is_usable", lambda _: False)
    page, told = client.get("/"), client.get("/api/shots/1/desk")
    assert (page.status_code, told.status_code) == (503, 503) and "The database does not answer" in words(page)
    assert told.json()["code"] == "database_away"


def test_an_outage_is_written_by_the_minute(monkeypatch):
    now = [100.0]
    monkeypatch.setattr(logs.time, "monotonic", lambda: now[0])
    sparing = logs.Sparing()

    def written(level=logging.ERROR, what="no connection to %s"):
        record = logging.LogRecord("jaythread.requests", level, "", 1, what, ("the database",), None)
        return record.getMessage() if sparing.filter(record) else None

    assert [written() for _ in range(50)] == ["no connection to the database"] + [None] * 49
    assert written(what="another thing with %s") and written(logging.WARNING) and written(logging.WARNING)
    now[0] += 61
    assert written() == "(49 more like it) no connection to the database"
