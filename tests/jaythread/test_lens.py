"""Lens softness as it is stored, taken back, brought back from the past, and named for what was made of it."""

import json
import uuid

import pytest

from jaythread.desk.document import core_cache
from jaythread.desk.edit import actions
from jaythread.desk.edit.past import Past
from jaythread.desk.exchange import documents
from jaythread.desk.view import serializers
from jaythread.errors import Refused
from roto.errors import BadDocument, BadGeometry
from roto.exchange import document
from roto.matte.render import render
from roto.package.cache_keys import matte_keys

from ..conftest import FIRST, command, trace

pytestmark = pytest.mark.django_db


@pytest.fixture
def rafe(people):
    return people["rafe"]


def do(rafe, shot, **said):
    return actions.edit(rafe, shot.pk, uuid.uuid4(), None, command(**said))


def core(shot):
    shot.refresh_from_db()
    return core_cache.matte(shot, shot.mattes.get())


def corner(shot, frame=FIRST):
    """Alpha of the pixel within the corner of what was traced, at (10, 20)."""
    return float(render(core(shot), frame).alpha[20, 10])


def test_a_shape_is_softened_by_its_lens_and_the_corner_shows_it(shot, rafe):
    shape = trace(shot, rafe)
    hard = document.dumps(core(shot))
    do(rafe, shot, do="soften", shape=shape, frame=FIRST, lens=2.0)
    bell = corner(shot)
    assert bell == pytest.approx(0.34, abs=0.03), "a little more than the quarter that a corner keeps"
    do(rafe, shot, do="appearance", shape=shape, lens_kind="disc")
    assert corner(shot) != pytest.approx(bell, abs=0.02)
    soft = document.dumps(core(shot))
    assert document.dumps(document.loads(soft)) == soft
    assert document.loads(soft).entries[0].shape.lens_kind == "disc"
    (sent,) = serializers.shapes(shot)
    assert sent["lensKind"] == "disc" and sent["soft"][0][4] == 2.0
    for _ in range(2):
        actions.undo(rafe, shot.pk, uuid.uuid4())
    assert document.dumps(core(shot)) == hard
    for _ in range(2):
        actions.redo(rafe, shot.pk, uuid.uuid4())
    assert document.dumps(core(shot)) == soft


def test_what_was_read_of_a_lens_takes_the_place_of_all_reach(shot, rafe):
    shape = trace(shot, rafe)
    do(rafe, shot, do="soften", shape=shape, frame=FIRST, inner=1.0, outer=2.0)
    do(rafe, shot, do="reach", shape=shape, frame=FIRST, points={0: [0.0, 6.0]})
    do(rafe, shot, do="appearance", shape=shape, lens_kind="disc")
    do(rafe, shot, do="soften as lens", shape=shape, frame=FIRST + 3, sigma=0.8, shift=0.2)
    now = core(shot).entries[0].shape
    assert now.reach is None and now.lens_kind == "bell"
    assert now.settings_at(FIRST)[0] == now.settings_at(FIRST + 3)[0] == (0.0, 0.0, 0.2, 1.0, 0.8), "the same everywhere, as the reach was"
    do(rafe, shot, do="soften", shape=shape, frame=FIRST + 5, lens=2.0)
    do(rafe, shot, do="soften as lens", shape=shape, frame=FIRST + 3, sigma=1.5, shift=0.2)
    now = core(shot).entries[0].shape
    assert [now.settings_at(f)[0][4] for f in (FIRST + 3, FIRST + 5)] == [1.5, 2.0], "once it is keyed, a key more"


def test_the_whole_matte_is_softened_by_keys(shot, rafe):
    trace(shot, rafe)
    matte = str(shot.mattes.get().pk)
    do(rafe, shot, do="soften matte", matte=matte, frame=FIRST, lens=0.0)
    do(rafe, shot, do="soften matte", matte=matte, frame=FIRST + 4, lens=3.0)
    do(rafe, shot, do="matte", matte=matte, lens_kind="disc")
    now = core(shot)
    assert now.lens == ((FIRST, 0.0), (FIRST + 4, 3.0)) and now.lens_kind == "disc"
    assert corner(shot) == 1.0 and corner(shot, FIRST + 4) < 0.5
    assert document.loads(document.dumps(now)).lens == now.lens
    (sent,) = serializers.mattes(shot)
    assert sent["lenses"][0] == 0.0 and sent["lenses"][4] == 3.0 and sent["lensKind"] == "disc"
    then = shot.revision
    copy = str(uuid.uuid4())
    do(rafe, shot, do="copy matte", matte=copy, of=matte, name="twin")
    assert shot.mattes.get(pk=copy).lens == [[FIRST, 0.0], [FIRST + 4, 3.0]]
    do(rafe, shot, do="remove matte", matte=copy)
    do(rafe, shot, do="soften matte", matte=matte, frame=FIRST + 4)
    assert core(shot).lens == ((FIRST, 0.0),)
    with pytest.raises(Refused, match="lens softness of kite has no key on"):
        do(rafe, shot, do="soften matte", matte=matte, frame=FIRST + 1)
    assert document.dumps(Past(shot, then).matte(matte)) == document.dumps(now)
    actions.undo(rafe, shot.pk, uuid.uuid4())
    assert core(shot).lens == now.lens


def test_frames_that_are_softened_have_names_of_their_own_and_others_keep_theirs(shot, rafe):
    shape = trace(shot, rafe)
    frames = range(FIRST, FIRST + 6)
    hard = matte_keys(core(shot), frames)
    do(rafe, shot, do="soften", shape=shape, frame=FIRST, lens=0.0)
    assert matte_keys(core(shot), frames) == hard, "no softness is what it was before there was any"
    do(rafe, shot, do="soften", shape=shape, frame=FIRST + 5, lens=2.0)
    bell = matte_keys(core(shot), frames)
    assert bell[FIRST] != hard[FIRST] or bell[FIRST + 5] != hard[FIRST + 5]
    do(rafe, shot, do="appearance", shape=shape, lens_kind="disc")
    assert matte_keys(core(shot), frames)[FIRST + 5] != bell[FIRST + 5]


@pytest.mark.parametrize("lens", [-0.5, 101.0, float("nan")])
def test_softness_out_of_bounds_is_refused_and_nothing_is_written(shot, rafe, lens):
    shape, matte = trace(shot, rafe), str(shot.mattes.get().pk)
    before = document.dumps(core(shot))
    with pytest.raises((BadGeometry, Refused), match="between 0 and 100"):
        do(rafe, shot, do="soften", shape=shape, frame=FIRST, lens=lens)
    with pytest.raises(ValueError):
        command(do="soften matte", matte=matte, frame=FIRST, lens=lens)
    assert document.dumps(core(shot)) == before


def test_a_document_says_where_its_softness_is_wrong(shot, rafe):
    trace(shot, rafe)
    said = json.loads(document.dumps(core(shot)))
    said["shapes"][0]["settings"][0]["values"][1] = [0.0, 400.0]
    with pytest.raises(BadDocument, match="lens softness of 'kite body' on frame"):
        document.from_json(said)
    said["shapes"][0]["settings"][0]["values"][1] = [0.0, 4.0]
    said["lens"] = {"of": "star", "keys": [[FIRST, 1.0]]}
    with pytest.raises(BadDocument, match=r"lens\.of"):
        document.from_json(said)
    said["lens"]["of"] = "disc"
    assert documents.import_document(rafe, shot.pk, json.dumps(said).encode()).lens == [[FIRST, 1.0]]
