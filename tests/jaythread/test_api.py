"""The api under wrong input: always an answer with a code and a sentence, never a half-done edit, never a trace of the machine."""

import json
import uuid

import pytest
from django.test import Client

from jaythread.desk.document import core_cache
from roto.exchange import document

from ..conftest import FIRST, trace

pytestmark = pytest.mark.django_db
BACKEND = "django.contrib.auth.backends.ModelBackend"
WRONG = [
    None, True, "", "x", "../../etc", "\x00", "k" * 100_000, -1, 0.5, 1e308, 10**30, float("nan"), float("inf"), [], {}, [None], [[1]],
    {"a": 1},
    {"0": [0, 0]}, {"-1": [0, 0, 0, 0, 0, 0]}, {"0": [float("nan"), 0, 0, 0, 0, 0]}, [[FIRST, FIRST - 1]],
    "00000000-0000-4000-8000-000000000000",
]  # fmt: skip
EDITS = {
    "trace": {
        "name": "sail",
        "frame": FIRST,
        "points": [[0, 0, 0, 0, 0, 0], [9, 0, 0, 0, 0, 0], [9, 9, 0, 0, 0, 0]],
        "curves": [False] * 3,
    },
    "freehand": {"name": "sail", "frame": FIRST, "path": [[0, 0], [30, 0], [30, 30], [0, 30]], "tolerance": 1.0},
    "form": {"frame": FIRST, "points": {"0": [11, 21, 0, 0, 0, 0]}, "spread": "here"},
    "place": {"frame": FIRST, "move": [3, 4], "turn": 5.0, "size": 1.1, "about": [20, 30]},
    "soften": {"frame": FIRST, "inner": 1.0, "outer": 2.0, "shift": 0.5, "opacity": 0.5},
    "reach": {"frame": FIRST, "points": {"0": [1.0, 2.0]}},
    "look": {"name": "kite", "colour": 2, "profile": "smooth", "blur": True},
    "add point": {"segment": 1, "t": 0.5},
    "remove points": {"points": [1]},
    "point kind": {"points": [0], "to": "curve"},
    "live": {"ranges": [[FIRST, FIRST + 2]]},
    "key here": {"channel": "form", "frame": FIRST + 1},
    "move key": {"channel": "form", "frame": FIRST, "to": FIRST + 3},
    "thin keys": {"tolerance": 0.5},
    "bake": {"first": FIRST, "last": FIRST + 3, "tolerance": 0.5},
    "shutter": {"angle": 90, "phase": -10},
    "new track": {"name": "nail", "frame": FIRST, "points": [[20, 20]], "half": 5.0, "search": 5.0},
    "new group": {"name": "all", "frame": FIRST, "colour": 1},
}


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


def is_an_answer(reply) -> bool:
    """Whether it is a code and a sentence that somebody can do something with."""
    if not 400 <= reply.status_code < 500:
        return False
    said = reply.json()
    inside = ("Traceback", "site-packages", "django", "psycopg", "0x")
    return {"code", "message"} <= set(said) and len(said["message"]) > 8 and not any(word in said["message"] for word in inside)


def new() -> str:
    return str(uuid.uuid4())


@pytest.mark.parametrize("do", EDITS)
def test_each_field_of_an_edit_takes_nonsense_without_harm(door, shot, people, do):
    shape, matte = trace(shot, people["rafe"]), str(shot.mattes.first().pk)
    ids = {"shape": shape}
    if do in ("trace", "freehand"):
        ids = {"shape": new(), "entry": new(), "matte": matte}
    if do == "new track":
        ids = {"track": new()}
    if do == "new group":
        ids = {"shape": new(), "members": [shape]}
    whole = {"do": do, **EDITS[do], **({} if do == "shutter" else ids)}
    path = f"/api/shots/{shot.pk}/edits"
    harm = []
    for field in [f for f in whole if f != "do"]:
        for value in WRONG:
            before = state(shot)
            reply = post(door, path, {"id": new(), "command": {**whole, field: value}})
            if reply.status_code == 200:  # it made sense after all: it is one edit, and can be taken back
                post(door, f"/api/shots/{shot.pk}/undo", {"id": new()})
                fine = state(shot)[::2] == before[::2]
            else:
                fine = is_an_answer(reply) and state(shot) == before
            harm += [] if fine else [(field, str(value)[:60], reply.status_code, reply.content[:90])]
    assert harm == []


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
