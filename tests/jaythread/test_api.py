"""The api under wrong input: always an answer with a code and a sentence, never a half-done edit, never a trace of the machine."""

import json
import logging
import uuid

import pytest
from django.test import Client
from django.utils import timezone

from jaythread import environment, logs
from jaythread.desk.document import core_cache
from jaythread.desk.view import news
from jaythread.productions import policies
from jaythread.productions.models import Membership, Production
from ops import api_document
from roto.exchange import document

from ..conftest import FIRST, trace
from .test_every_command import is_an_answer

pytestmark = pytest.mark.django_db
BACKEND = "jaythread.accounts.session_store.People"


@pytest.fixture
def door(people):
    client = Client(raise_request_exception=False)
    client.force_login(people["rafe"], backend=BACKEND)
    return client


def post(door, path: str, body: object):
    text = body if isinstance(body, (str, bytes)) else json.dumps(body)
    return door.post(path, text, content_type="application/json")


def state(shot):
    shot.refresh_from_db()
    return [document.dumps(core_cache.matte(shot, m)) for m in shot.mattes.all()], shot.revision, shot.tracks.count()


def new() -> str:
    return str(uuid.uuid4())


@pytest.mark.parametrize(
    "body",
    [
        "",
        "{",
        "[]",
        "null",
        '"kite"',
        "{}",
        '{"id": 5}',
        b"\xff\xfe",
        "[" * 20_000,
        '{"id": "x", "command": {"do": "fly"}}',
        '{"command": {}}',
    ],
    ids=lambda body: repr(body[:12]),
)
@pytest.mark.parametrize("path", ["edits", "undo", "preview"])
def test_what_is_no_edit_at_all_is_answered(door, shot, body, path):
    before = state(shot)
    assert is_an_answer(post(door, f"/api/shots/{shot.pk}/{path}", body))
    assert state(shot) == before


@pytest.mark.parametrize("path", ["desk", "outlines", "edits", "news?revision=0"])
@pytest.mark.parametrize("number", ["0", "999999", "99999999999999999999", "-1", "kite", "1;drop"])
def test_a_shot_that_is_none_is_not_found(door, path, number):
    reply = door.get(f"/api/shots/{number}/{path}")
    assert reply.status_code in (404, 422), (reply.status_code, reply.content[:200])
    assert b"Traceback" not in reply.content


def test_a_picture_of_nonsense_is_refused_and_one_far_outside_is_empty(door, shot, people):
    trace(shot, people["rafe"])
    matte = shot.mattes.first().pk
    path = f"/api/shots/{shot.pk}/mattes/{matte}/picture"
    for body in (
        {},
        {"frame": "x"},
        {"frame": FIRST, "box": [1]},
        {"frame": FIRST, "box": [0, 0, "a", 1]},
        {"frame": FIRST, "draft": {"do": "no"}},
    ):
        assert is_an_answer(post(door, path, body)), body
    for box in ([0, 0, 0, 0], [50, 50, 10, 10], [-900, -900, -800, -800], [10**9, 10**9, 10**9 + 5, 10**9 + 5]):
        assert post(door, path, {"frame": FIRST, "box": box}).status_code < 500
    assert post(door, path, {"frame": FIRST + 10_000}).status_code < 500


def test_the_api_says_of_itself_what_is_pinned():
    """What others have built on: a change of it is meant, and shows in the same commit."""
    assert api_document.document() == api_document.TARGET.read_text(), "if it is meant: python ops/api_document.py"
    assert api_document.tryout_schema() == api_document.SCHEMA.read_text(), "if it is meant: python ops/api_document.py"


def test_every_answer_of_the_api_has_a_schema_but_for_files_and_pictures():
    bare = set()
    for path, methods in json.loads(api_document.TARGET.read_text())["paths"].items():
        for said in methods.values():
            if not any("content" in reply for code, reply in said["responses"].items() if code.startswith("2")):
                bare.add(path.rpartition("/")[2])
    assert bare == {"document", "svg", "table", "picture", "outlines", "{frame}", "{way}", "side", "difference", "pasted", "package"}


def test_an_answer_and_its_log_lines_bear_the_same_id(door, shot, caplog, monkeypatch):
    def broken(*_args, **_kwargs):
        raise RuntimeError("the sea came in")

    monkeypatch.setattr(news, "since", broken)
    reply = door.get(f"/api/shots/{shot.pk}/news?revision=0")
    assert reply.status_code == 500 and "sea" not in reply.content.decode()
    mark = reply["X-Request-Id"]
    assert len(mark) == 12 and reply.status_code == 500
    assert door.get("/surfaces")["X-Request-Id"] != mark


def test_what_is_wrong_with_the_settings_of_a_machine_is_said_by_name():
    with pytest.raises(SystemExit, match="JAY_DB_PORT is 'north'"):
        environment.read({"JAY_DB_PORT": "north"})
    with pytest.raises(SystemExit, match=r"JAY_BENCH_WAIT is '-1'.*JAY_LOG is 'LOUD'"):
        environment.read({"JAY_LOG": "LOUD", "JAY_BENCH_WAIT": "-1"})
    read = environment.read({"JAY_HOSTS": "desk.saltmarsh.example, 127.0.0.1", "JAY_DB_PORT": ""})
    assert read.hosts == ["desk.saltmarsh.example", "127.0.0.1"] and read.db_port == 54330


def test_a_slow_answer_and_a_failed_one_are_logged_a_quick_one_is_not(door, shot, caplog, monkeypatch):
    monkeypatch.setattr(logs, "SLOW", 3600.0)
    door.get(f"/api/shots/{shot.pk}/desk")
    assert "jaythread.requests" not in {r.name for r in caplog.records}
    monkeypatch.setattr(logs, "SLOW", 0.0)
    door.get(f"/api/shots/{shot.pk}/desk")
    slow = [r for r in caplog.records if r.name == "jaythread.requests"]
    assert [r.levelname for r in slow] == ["WARNING"] and f"GET /api/shots/{shot.pk}/desk 200" in slow[0].getMessage()


def test_a_line_of_the_log_outside_of_a_request_bears_a_dash():
    record = logging.makeLogRecord({"msg": "a worker says"})
    assert logs.WithRequest().filter(record) and record.request_id == "-"
    assert logs.config("INFO")["root"]["level"] == "INFO"


EVERYBODY, TRACERS = {"receiver", "artist", "lead"}, {"artist", "lead"}
ROLES = {
    "look": EVERYBODY,
    "fetch": EVERYBODY,
    "trace": TRACERS,
    "deliver": TRACERS,
    "bring in": TRACERS,
    "manage": {"lead"},
    "note": EVERYBODY,
    "hand in": TRACERS,
    "approve": {"lead"},
    "accept": {"receiver", "lead"},
    "archive": {"lead"},
}


@pytest.mark.parametrize("what", ROLES)
def test_what_each_role_includes(what):
    def who(place):
        return {role for role in ("receiver", "artist", "lead") if policies.may(Membership(role=role, production=place), what)}

    assert who(Production()) == ROLES[what] and set(policies.MAY) == set(ROLES)
    assert who(Production(archived=timezone.now())) == (ROLES[what] if what in ("look", "fetch", "archive") else set())
