"""Every command of the register: done, taken back, done again; under nonsense; in one act with others; refused, and nothing left of it."""

import json
import uuid
from dataclasses import replace
from unittest.mock import patch

import numpy as np
import pytest
from django.test import Client
from pydantic import TypeAdapter

from jaythread.desk.api.news_schemas import NewsOut
from jaythread.desk.api.schemas import DeskOut, EditedOut, PreviewOut
from jaythread.desk.document import core_cache
from jaythread.desk.edit import actions
from jaythread.desk.edit.commands import COMMANDS
from jaythread.desk.models import Edit, Shape, Track
from jaythread.errors import Refused
from roto.motion.group import group_of
from roto.motion.keys import Keys

from ..conftest import FIRST, command, trace
from .every_command import ROWS, filled, furnished, state

pytestmark = pytest.mark.django_db
BACKEND = "jaythread.accounts.session_store.People"
WRONG = [
    None, True, "", "x", "../../etc", "\x00", "k" * 100_000, -1, 0.5, 1e308, 10**30, float("nan"), float("inf"), [], {}, [None], [[1]],
    {"a": 1}, {"0": [0, 0]}, {"-1": [0, 0, 0, 0, 0, 0]}, {"0": [float("nan"), 0, 0, 0, 0, 0]}, [[FIRST, FIRST - 1]],
    "00000000-0000-4000-8000-000000000000",
]  # fmt: skip


@pytest.fixture
def rafe(people):
    return people["rafe"]


def forget():
    """What is in memory belongs to this test: others use the same ids at the same revisions."""
    for kept in (core_cache._shapes, core_cache._tracks, core_cache._mattes, core_cache._lines):
        kept.clear()


@pytest.fixture
def ids(shot, rafe):
    forget()
    return furnished(shot, rafe)


@pytest.fixture
def door(rafe):
    client = Client(raise_request_exception=False)
    client.force_login(rafe, backend=BACKEND)
    return client


def do(who, shot, base=None, **said):
    return actions.edit(who, shot.pk, uuid.uuid4(), base, command(**said))


def is_an_answer(reply) -> bool:
    """Whether it is a code and a sentence that somebody can do something with."""
    if not 400 <= reply.status_code < 500:
        return False
    said = reply.json()
    inside = ("Traceback", "site-packages", "django", "psycopg", "0x")
    return {"code", "message"} <= set(said) and len(said["message"]) > 8 and not any(word in said["message"] for word in inside)


def test_every_command_has_a_row():
    assert set(ROWS) == set(COMMANDS)


@pytest.mark.parametrize("name", ROWS)
def test_it_can_be_taken_back_and_done_again(shot, rafe, ids, name):
    before = state(shot)
    made = do(rafe, shot, do=name, **filled(ROWS[name], ids))
    after = state(shot)
    assert after != before and len(made.summary) > 5
    actions.undo(rafe, shot.pk, uuid.uuid4())
    assert state(shot) == before
    actions.redo(rafe, shot.pk, uuid.uuid4())
    assert state(shot) == after


@pytest.mark.parametrize("name", ROWS)
def test_what_is_in_memory_after_it_is_what_was_written(shot, rafe, ids, name):
    do(rafe, shot, do=name, **filled(ROWS[name], ids))
    kept = state(shot)
    forget()
    assert state(shot) == kept


@pytest.mark.parametrize("name", ROWS)
def test_each_of_its_fields_takes_nonsense_without_harm(door, shot, ids, name):
    path = f"/api/shots/{shot.pk}/edits"
    whole = {"do": name, **filled(ROWS[name], ids)}
    before, harm = state(shot), []
    for field in [f for f in whole if f != "do"]:
        for value in WRONG:
            reply = post(door, path, {"id": str(uuid.uuid4()), "command": {**whole, field: value}})
            if reply.status_code == 200:  # it made sense after all: it is one edit, and can be taken back
                post(door, f"/api/shots/{shot.pk}/undo", {"id": str(uuid.uuid4())})
                fine = True
            else:
                fine = is_an_answer(reply)
            harm += [] if fine else [(field, str(value)[:60], reply.status_code, reply.content[:90])]
        if state(shot) != before:
            harm.append((field, "left something behind"))
            break
    assert harm == []


def post(door, where, body):
    return door.post(where, json.dumps(body), content_type="application/json")


def as_its_type_says(kind, reply) -> bool:
    """Whether an answer holds what its type says, of the right kinds, and nothing else."""
    it = TypeAdapter(kind)
    return reply.status_code == 200 and json.loads(it.dump_json(it.validate_json(reply.content))) == reply.json()


@pytest.mark.parametrize("name", ROWS)
def test_what_is_answered_is_what_the_document_of_the_api_says(shot, ids, door, name):
    at = f"/api/shots/{shot.pk}"
    view = {"matte": str(shot.mattes.first().pk), "frame": FIRST}
    body = {"id": str(uuid.uuid4()), "command": {"do": name, **filled(ROWS[name], ids)}, "view": view}
    previewed = post(door, f"{at}/preview", body)
    assert as_its_type_says(PreviewOut, previewed) or is_an_answer(previewed)  # some cannot be looked at before
    assert as_its_type_says(EditedOut, post(door, f"{at}/edits", body))
    assert as_its_type_says(NewsOut, door.get(f"{at}/news?revision=0"))
    assert as_its_type_says(DeskOut, door.get(f"{at}/desk"))
    for turn in ("undo", "redo"):
        assert as_its_type_says(EditedOut, post(door, f"{at}/{turn}", {"id": str(uuid.uuid4())}))


def test_two_commands_on_one_track_do_not_conflict_with_each_other(shot, rafe, ids):
    known = Track.objects.get(pk=ids["path"]).revision
    parts = [{"do": "correct track", "track": ids["path"], "frame": FIRST + k, "points": {0: (50, 50)}} for k in (1, 2)]
    do(rafe, shot, base={ids["path"]: known}, do="together", summary="set two", commands=parts)
    core = core_cache.track(Track.objects.get(pk=ids["path"]))
    assert core.points_at([FIRST + 1.0, FIRST + 2.0], [FIRST + 1, FIRST + 2])[:, 0].tolist() == [[50, 50], [50, 50]]


def test_what_an_edit_has_made_is_known_to_the_rest_of_it_and_afterwards(shot, rafe, ids):
    """A shape traced and grouped in one act rides on its group, in memory as in the database."""
    shape, group = str(uuid.uuid4()), str(uuid.uuid4())
    row = {**filled(ROWS["trace"], ids), "do": "trace", "shape": shape}
    grouped = {"do": "new group", "shape": group, "name": "rigging", "members": [shape, ids["body"]], "frame": FIRST}
    moved = {"do": "place", "shape": group, "frame": FIRST, "move": (7, 0)}
    do(rafe, shot, do="together", summary="traced and grouped", commands=[row, grouped, moved])
    found = core_cache.shape(Shape.objects.get(pk=shape))
    assert group_of(found) is not None and group_of(found).id == group
    assert found.outlines([FIRST])[0, 0, 0] == pytest.approx(7)
    kept = state(shot)
    forget()
    assert state(shot) == kept


def test_of_a_refused_edit_nothing_stays_in_memory(shot, rafe, ids):
    """Placed, duplicated, then a line that is not there: all of it is refused. The next edit stands on what is saved."""
    do(rafe, shot, do="place", shape=ids["body"], frame=FIRST, move=(10, 0))
    parts = [
        {"do": "place", "shape": ids["body"], "frame": FIRST, "move": (1000, 0)},
        {"do": "duplicate", **filled(ROWS["duplicate"], ids)},
        {"do": "carry", "shape": ids["tail"], "frame": FIRST, "track": ids["path"], "how": "move"},
        {"do": "drop line", "entry": str(uuid.uuid4())},
    ]
    before = state(shot)
    with pytest.raises(Exception, match="not there any more"):
        do(rafe, shot, do="together", summary="too much", commands=parts)
    assert state(shot) == before
    do(rafe, shot, do="place", shape=ids["body"], frame=FIRST, move=(1, 0))
    assert core_cache.shape(Shape.objects.get(pk=ids["body"])).outlines([FIRST])[0, 0, 0] == pytest.approx(21)


def test_memory_holds_the_newest_revisions_and_no_more_than_its_bytes(shot, rafe, ids):
    core = core_cache.shape(Shape.objects.get(pk=ids["body"]))
    many = replace(core, form=Keys.build(range(2000), np.zeros((2000, core.form.parts, 6))))
    each = many.nbytes
    for revision in range(1, 2 + core_cache.SHAPES // each):
        core_cache.remember({"many": many}, revision)
    assert core_cache.known("many", revision) is many and core_cache.known("many", 1) is None
    huge = replace(core, form=Keys.build([0, 1], np.zeros((2, core.form.parts, 6))), name="huge")
    with patch.object(type(core), "nbytes", core_cache.SHAPES):
        core_cache.remember({"huge": huge}, 1)
    assert core_cache.known("huge", 1) is None and core_cache.known("many", revision) is many


def test_an_edit_that_fails_at_the_very_end_leaves_no_stale_shape(shot, rafe, ids):
    with patch("jaythread.desk.edit.journal.write_entry", side_effect=Refused("The journal is full.")), pytest.raises(Refused):
        do(rafe, shot, do="place", shape=ids["body"], frame=FIRST, move=(500, 0))
    do(rafe, shot, do="place", shape=ids["body"], frame=FIRST, move=(1, 0))
    assert core_cache.shape(Shape.objects.get(pk=ids["body"])).outlines([FIRST])[0, 0, 0] == pytest.approx(11)


def test_a_page_of_before_still_says_what_it_means(shot, rafe):
    """Edits that an older page has kept in its browser: the words have changed since, what they mean has not."""
    shape = trace(shot, rafe)
    parts = [
        {"do": "place", "shape": shape, "frame": FIRST, "move": (3, 0), "spread": "all"},
        {"do": "look", "shape": shape, "name": "sail"},
    ]
    do(rafe, shot, do="together", says="moved and named", commands=parts)
    assert Edit.objects.order_by("-revision")[0].summary == "moved and named" and Shape.objects.get(pk=shape).name == "sail"
