"""States of the past: looked at, held against now, brought back."""

import io
import random
import uuid

import numpy as np
import pytest
from PIL import Image

from jaythread.delivery import actions as delivery
from jaythread.desk.document import core_cache
from jaythread.desk.edit import actions
from jaythread.desk.edit.past import Past
from jaythread.desk.models import Shape, StackEntry
from jaythread.errors import Conflict, NotAllowed, NotThere, Refused, RotoError
from jaythread.review import past
from roto.exchange import document

from ..conftest import FIRST, LAST, command, edited, trace
from .every_command import ROWS, filled, furnished, state

pytestmark = pytest.mark.django_db
NOT_SHAPES = {"shot picture", "working range", "lock", "bring back", "new tryout", "tryout", "tryout line", "tryout key", "remove tryout"}


@pytest.fixture
def rafe(people):
    return people["rafe"]


@pytest.mark.parametrize("seed", range(4))
def test_any_state_brought_back_equals_the_rows_that_were(shot, rafe, seed):
    rng = random.Random(seed)
    ids = furnished(shot, rafe)
    stood = {}
    names = [name for name in ROWS if name not in NOT_SHAPES]
    for name in rng.sample(names, 14):
        shot.refresh_from_db()
        stood[shot.revision] = state(shot), {str(m.pk): document.dumps(core_cache.matte(shot, m)) for m in shot.mattes.all()}
        try:
            edited(rafe, shot, do=name, **filled(ROWS[name], ids | {"new": str(uuid.uuid4()), "new2": str(uuid.uuid4())}))
        except RotoError:
            continue  # what it was about has gone
    last = state(shot)
    for revision in rng.sample(sorted(stood), 4):
        was, mattes = stood[revision]
        past = Past(shot, revision)
        assert past.mattes().keys() == mattes.keys()
        for matte_id, seen in mattes.items():
            assert document.dumps(past.matte(matte_id)) == seen
        if state(shot) != was:
            edited(rafe, shot, do="bring back", revision=revision)
        assert state(shot) == was
    for _ in range(4):
        if state(shot) == last:
            break
        actions.undo(rafe, shot.pk, uuid.uuid4())
    assert state(shot) == last


def test_one_shape_comes_back_and_the_others_stay(shot, rafe):
    one, other = trace(shot, rafe), trace(shot, rafe, name="tail")
    shot.refresh_from_db()
    then = shot.revision
    was = Shape.objects.get(pk=one).to_core().outlines(np.array([FIRST, LAST]))
    for shape in (one, other):
        edited(rafe, shot, do="place", shape=shape, frame=LAST, move=(9, 4))
    moved = Shape.objects.get(pk=other).to_core().outlines(np.array([LAST]))
    edited(rafe, shot, do="bring back", revision=then, shape=one)
    assert np.array_equal(Shape.objects.get(pk=one).to_core().outlines(np.array([FIRST, LAST])), was)
    assert np.array_equal(Shape.objects.get(pk=other).to_core().outlines(np.array([LAST])), moved)
    edited(rafe, shot, do="remove", shape=one)
    made = edited(rafe, shot, do="bring back", revision=then, shape=one)
    assert StackEntry.objects.filter(shape=one).count() == 1 and "brought kite body back" in made.summary
    with pytest.raises(Refused, match="Nothing"):
        edited(rafe, shot, do="bring back", revision=then, shape=one)


def test_a_matte_comes_back_with_its_shapes_and_no_other_loses_any(shot, rafe):
    kite = trace(shot, rafe)
    matte, second = shot.mattes.get(), str(uuid.uuid4())
    edited(rafe, shot, do="new matte", matte=second, name="second")
    then = shot.revision
    late = trace(shot, rafe, name="patch")
    edited(rafe, shot, do="add line", entry=str(uuid.uuid4()), matte=second, shape=late, mode="add")
    edited(rafe, shot, do="place", shape=kite, frame=FIRST, move=(5, 0))
    edited(rafe, shot, do="matte", matte=str(matte.pk), name="kite 2", inverted=True)
    edited(rafe, shot, do="bring back", revision=then, matte=str(matte.pk))
    matte.refresh_from_db()
    assert (matte.name, matte.inverted) == ("kite", False) and [str(e.shape_id) for e in matte.entries.all()] == [kite]
    assert Shape.objects.get(pk=kite).to_core().outlines(np.array([FIRST]))[0, 0, 0] == 10
    assert StackEntry.objects.get(matte=second).shape_id == uuid.UUID(late)


def test_what_cannot_be_brought_back_is_a_sentence(shot, rafe, people):
    kite = trace(shot, rafe)
    shot.refresh_from_db()
    then, known = shot.revision, Shape.objects.get(pk=kite).revision
    edited(people["marta"], shot, do="place", shape=kite, frame=FIRST, move=(5, 0))
    with pytest.raises(Conflict, match="marta has changed"):
        actions.edit(rafe, shot.pk, uuid.uuid4(), {kite: known}, _said(revision=then, shape=kite))
    for wrong, says in (({"revision": shot.revision + 1}, "never stood"), ({"revision": 1, "shape": kite}, "not there then")):
        with pytest.raises((Refused, NotThere), match=says):
            edited(rafe, shot, do="bring back", **wrong)
    edited(rafe, shot, do="lock", shape=kite, locked=True)
    with pytest.raises(Refused, match="locked"):
        edited(rafe, shot, do="bring back", revision=then)
    edited(rafe, shot, do="lock", shape=kite, locked=False)
    edited(rafe, shot, do="shot picture", rate=(25, 1), pixel_aspect=1.0, first=101, along=True)
    with pytest.raises(Refused, match="numbered anew"):
        edited(rafe, shot, do="bring back", revision=then)


def _said(**more):
    return command(do="bring back", **more)


def test_a_matte_that_was_delivered_since_stays(shot, rafe):
    shot.refresh_from_db()
    then = shot.revision
    matte = str(uuid.uuid4())
    edited(rafe, shot, do="new matte", matte=matte, name="sent")
    edited(rafe, shot, do="add line", entry=str(uuid.uuid4()), matte=matte, shape=trace(shot, rafe), mode="add")
    delivery.ask(rafe, shot.pk, uuid.UUID(matte))
    edited(rafe, shot, do="bring back", revision=then)
    assert shot.mattes.filter(pk=matte).exists() and not Shape.objects.exists()


def test_what_stood_is_seen_beside_what_stands(shot, rafe):
    kite = trace(shot, rafe)
    shot.refresh_from_db()
    then, matte = shot.revision, shot.mattes.get().pk
    edited(rafe, shot, do="place", shape=kite, frame=LAST, move=(10, 0))
    edited(rafe, shot, do="key here", shape=kite, channel="form", frame=LAST)
    late = trace(shot, rafe, name="patch", points=((60, 40), (70, 40), (70, 50), (60, 50)), frame=FIRST)
    edited(rafe, shot, do="live", shape=late, ranges=[(LAST, LAST)])
    told = past.stood(rafe, shot.pk, then)
    assert [(s["name"], s["how"], s["there"]) for s in told["shapes"]] == [
        ("kite body", "changed since", True),
        ("patch", "there since", False),
    ]
    assert past.differing(rafe, shot.pk, then, matte)[-1] == LAST and past.differing(rafe, shot.pk, shot.revision, matte) == []
    seen = {}
    for way in past.WAYS:
        data, more, less = past.picture(rafe, shot.pk, then, matte, LAST, way)
        seen[way] = np.asarray(Image.open(io.BytesIO(data)).convert("RGB")).astype(int)
        assert (more, less) == (
            pytest.approx(10 * 30 + 100),
            pytest.approx(10 * 30),
        )  # its width of 30 is moved by 10, and a patch is there
    assert seen["then"][30, 12].tolist() == [255] * 3 and seen["now"][30, 12].tolist() == [0] * 3
    assert seen["difference"][30, 12, 0] > 200 > seen["difference"][30, 12, 2]  # less now
    assert seen["difference"][45, 65, 2] > 150 > seen["difference"][45, 65, 0]  # more now
    with pytest.raises(NotThere):
        past.picture(rafe, shot.pk, then, matte, LAST + 1, "then")
    with pytest.raises(NotThere):
        past.picture(rafe, shot.pk, then, uuid.uuid4(), LAST, "then")


def test_marks_name_states_and_the_line_goes_back_to_the_first(shot, rafe, people):
    kite = trace(shot, rafe)
    for x in range(past.PAGE + 3):
        edited(rafe, shot, do="place", shape=kite, frame=FIRST, move=(x % 2 or -1, 0))
    made = past.mark(rafe, shot.pk, "  first  pass ", 2)
    told = past.line(rafe, shot.pk)
    assert told["marks"] == [{"id": made.pk, "revision": 2, "name": "first pass", "by": "rafe"}] and told["more"]
    rest = past.line(rafe, shot.pk, told["edits"][-1]["revision"])
    numbers = [e["revision"] for e in [*told["edits"], *rest["edits"]]]
    assert numbers == list(range(shot.revision, 0, -1)) and not rest["more"]
    for name, says in (("first pass", "already"), ("", "60"), ("x" * 61, "60"), ("a\x07", "60")):
        with pytest.raises(Refused, match=says):
            past.mark(rafe, shot.pk, name)
    with pytest.raises(NotThere):
        past.mark(rafe, shot.pk, "later", shot.revision + 1)
    with pytest.raises(NotAllowed):
        past.mark(people["noor"], shot.pk, "mine")
    past.unmark(rafe, shot.pk, made.pk)
    assert past.line(rafe, shot.pk)["marks"] == []
    with pytest.raises(NotThere):
        past.unmark(rafe, shot.pk, made.pk)
