"""The api under wrong input: always an answer with a code and a sentence, never a half-done edit, never a trace of the machine."""

import json
import uuid

import pytest
from django.test import Client

from jaythread.desk.document import core_cache
from roto.exchange import document

from ..conftest import FIRST, trace
from .test_every_command import is_an_answer

pytestmark = pytest.mark.django_db
BACKEND = "django.contrib.auth.backends.ModelBackend"


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
