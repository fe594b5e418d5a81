"""Edits: saved one by one, taken back by whoever made them, never over somebody else's."""

import json
import uuid

import numpy as np
import pytest

from jaythread.desk.document import core_cache
from jaythread.desk.edit import actions
from jaythread.desk.exchange import documents
from jaythread.desk.models import Edit, Shape
from jaythread.errors import Conflict, NotAllowed, NotThere, Refused
from roto.errors import BadDocument
from roto.exchange import document
from roto.matte.render import render

from ..conftest import FIRST, command, trace

pytestmark = pytest.mark.django_db


def do(who, shot, base=None, **said):
    return actions.edit(who, shot.pk, uuid.uuid4(), base, command(**said))


def matte_now(shot):
    shot.refresh_from_db()
    return core_cache.matte(shot, shot.mattes.first())


def state(shot):
    """Everything that an undo must bring back, to the last bit."""
    from roto.exchange import document

    shot.refresh_from_db()
    return [document.dumps(core_cache.matte(shot, m)) for m in shot.mattes.all()], shot.shutter


def alpha(shot, frame):
    return render(matte_now(shot), frame).alpha


@pytest.fixture
def rafe(people):
    return people["rafe"]


def test_a_move_on_another_frame_keys_itself_and_frames_between_follow(shot, rafe):
    shape = trace(shot, rafe)
    do(rafe, shot, do="place", shape=shape, frame=1005, move=(20, 0))
    do(rafe, shot, do="form", shape=shape, frame=1005, points={0: [30, 14, 0, 0, 0, 0]})
    core = matte_now(shot).entries[0].shape
    assert core.place.frames.tolist() == core.form.frames.tolist() == [1001, 1005]
    assert core.form.held[1].tolist() == [True, False, False, False]
    assert core.outlines(np.array([1005]))[0, :, :2].tolist() == [[30, 14], [60, 20], [60, 50], [30, 50]]
    assert alpha(shot, 1001).sum() == 900 and alpha(shot, 1001)[30, 25] == 1
    assert alpha(shot, 1003)[30, 15] == 0  # on its way
    assert core.outlines(np.array([1001]))[0, 0, :2].tolist() == [10, 20]  # the frame that one is not looking at stays


def test_undo_goes_all_the_way_back_and_again(shot, rafe):
    shape = trace(shot, rafe)
    for frame in (1003, 1005, 1005):
        do(rafe, shot, do="place", shape=shape, frame=frame, move=(1, 0))
    end = state(shot)
    for _ in range(4):
        actions.undo(rafe, shot.pk, uuid.uuid4())
    assert not Shape.objects.filter(shot=shot).exists()
    for _ in range(4):
        actions.redo(rafe, shot.pk, uuid.uuid4())
    assert state(shot) == end
    with pytest.raises(Refused, match="nothing of yours to redo"):
        actions.redo(rafe, shot.pk, uuid.uuid4())


def test_a_fresh_change_after_an_undo_ends_the_redo(shot, rafe):
    shape = trace(shot, rafe)
    do(rafe, shot, do="place", shape=shape, frame=1003, move=(1, 0))
    actions.undo(rafe, shot.pk, uuid.uuid4())
    do(rafe, shot, do="place", shape=shape, frame=1004, move=(1, 0))
    with pytest.raises(Refused):
        actions.redo(rafe, shot.pk, uuid.uuid4())


def test_sending_an_edit_again_does_it_once(shot, rafe):
    shape = trace(shot, rafe)
    edit_id, said = uuid.uuid4(), command(do="place", shape=shape, frame=1003, move=(5, 0))
    first = actions.edit(rafe, shot.pk, edit_id, None, said)
    again = actions.edit(rafe, shot.pk, edit_id, None, said)
    assert first == again and Edit.objects.filter(shot=shot).count() == 3
    assert matte_now(shot).entries[0].shape.outlines(np.array([1003]))[0, 0, 0] == 15


def test_an_edit_on_an_older_state_is_refused_by_name(shot, rafe, people):
    shape = trace(shot, rafe)
    known = Shape.objects.get(pk=shape).revision
    do(people["marta"], shot, base={shape: known}, do="place", shape=shape, frame=1003, move=(5, 0))
    with pytest.raises(Conflict, match="marta has changed 'kite body'"):
        do(rafe, shot, base={shape: known}, do="place", shape=shape, frame=1003, move=(7, 0))
    assert matte_now(shot).entries[0].shape.outlines(np.array([1003]))[0, 0, 0] == 15


def test_undo_is_refused_with_the_name_when_somebody_else_changed_the_same_key(shot, rafe, people):
    shape = trace(shot, rafe)
    do(rafe, shot, do="place", shape=shape, frame=1003, move=(5, 0))
    do(people["marta"], shot, do="soften", shape=shape, frame=1003, outer=2)
    actions.undo(rafe, shot.pk, uuid.uuid4())  # another key: nothing stands in the way
    actions.redo(rafe, shot.pk, uuid.uuid4())
    do(people["marta"], shot, do="place", shape=shape, frame=1003, move=(1, 0))
    with pytest.raises(Conflict, match="marta"):
        actions.undo(rafe, shot.pk, uuid.uuid4())


@pytest.mark.parametrize(
    ("said", "why"),
    [
        ({"do": "form", "frame": 1001, "points": {9: [0, 0, 0, 0, 0, 0]}}, "no point 9"),
        ({"do": "form", "frame": 1001, "points": {0: [float("nan"), 0, 0, 0, 0, 0]}}, "beyond any place"),
        ({"do": "form", "frame": 1001, "points": {0: [1e9, 0, 0, 0, 0, 0]}}, "beyond any place"),
        ({"do": "place", "frame": 1001, "size": 0}, "makes no sense"),
        ({"do": "drop key", "channel": "form", "frame": 1001}, "last key"),
        ({"do": "drop key", "channel": "form", "frame": 1002}, "no key on frame 1002"),
        ({"do": "soften", "frame": 1001, "inner": -1}, "between"),
        ({"do": "live", "ranges": [(1005, 1002)]}, "ends before"),
        ({"do": "remove points", "points": [0, 1]}, "three points left"),
        ({"do": "remove points", "points": [7]}, "no point 7"),
        ({"do": "move key", "channel": "form", "frame": 1003, "to": 1004}, "no key on frame 1003"),
    ],
)
def test_what_makes_no_sense_is_refused_and_changes_nothing(shot, rafe, said, why):
    from roto.errors import RotoError

    shape = trace(shot, rafe)
    before = state(shot)
    with pytest.raises(RotoError, match=why):
        do(rafe, shot, shape=shape, **said)
    assert state(shot) == before and shot.revision == 2


def test_strangers_see_nothing_and_receivers_change_nothing(shot, rafe, people):
    shape = trace(shot, rafe)
    with pytest.raises(NotThere):
        do(people["otto"], shot, do="place", shape=shape, frame=1001, move=(1, 0))
    with pytest.raises(NotAllowed):
        do(people["noor"], shot, do="place", shape=shape, frame=1001, move=(1, 0))


def test_the_shape_document_leaves_and_comes_back_without_loss(shot, rafe):
    shape = trace(shot, rafe, points=((10, 20), (40.123456789, 20), (40, 50)))
    trace(shot, rafe, points=((15, 25), (20, 25), (20, 30)), mode="cut", name="patch")
    do(rafe, shot, do="form", shape=shape, frame=1004, points={1: [45, 18, -1, 0, 2, 1 / 3]})
    do(rafe, shot, do="soften", shape=shape, frame=1002, inner=1, outer=3)
    do(rafe, shot, do="live", shape=shape, ranges=[(1002, 1007)])
    _, text = documents.export_document(rafe, shot.pk, shot.mattes.first().pk)
    taken = documents.import_document(rafe, shot.pk, text.encode())
    assert taken.name == "kite 2"
    _, again = documents.export_document(rafe, shot.pk, taken.pk)
    one, two = json.loads(text), json.loads(again)
    names = {s["id"]: f"#{i}" for doc in (one, two) for i, s in enumerate(doc["shapes"])}

    def plain(doc):
        out = json.dumps({**doc, "matte": ""})
        for old, new in names.items():
            out = out.replace(old, new)
        return out

    assert plain(one) == plain(two)
    actions.undo(rafe, shot.pk, uuid.uuid4())
    assert shot.mattes.count() == 1


def test_a_bad_document_says_where_and_leaves_nothing(shot, rafe):
    trace(shot, rafe)
    _, text = documents.export_document(rafe, shot.pk, shot.mattes.first().pk)
    bad = json.loads(text)
    bad["shapes"][0]["form"][0]["values"][2] = [1, 2]
    with pytest.raises(BadDocument, match=r"document.shapes\[0\].form\[0\].values"):
        documents.import_document(rafe, shot.pk, json.dumps(bad).encode())
    assert shot.mattes.count() == 1


def test_a_delivered_matte_stays(shot, rafe):
    from jaythread.delivery import actions as delivery

    trace(shot, rafe)
    delivery.ask(rafe, shot.pk, shot.mattes.first().pk)
    with pytest.raises(Refused, match="delivered"):
        do(rafe, shot, do="remove matte", matte=str(shot.mattes.first().pk))
    assert shot.mattes.count() == 1


def test_the_edge_of_a_whole_matte_is_shifted_by_keys_and_taken_back(shot, rafe):
    trace(shot, rafe)
    matte = shot.mattes.get()
    for frame, px in ((FIRST, 0.0), (FIRST + 4, 2.0)):
        actions.edit(rafe, shot.pk, uuid.uuid4(), None, command(do="shift matte", matte=str(matte.pk), frame=frame, shift=px))
    shot.refresh_from_db()
    core = core_cache.matte(shot, shot.mattes.get())
    assert core.shift == ((FIRST, 0.0), (FIRST + 4, 2.0))
    assert document.loads(document.dumps(core)).shift == core.shift
    assert render(core, FIRST + 4).alpha[35, 9] == 1 and render(core, FIRST).alpha[35, 9] == 0
    copy = str(uuid.uuid4())
    actions.edit(rafe, shot.pk, uuid.uuid4(), None, command(do="copy matte", matte=copy, of=str(matte.pk), name="twin"))
    assert shot.mattes.get(pk=copy).shift == [[FIRST, 0.0], [FIRST + 4, 2.0]]
    with pytest.raises(Refused, match="no key on"):
        actions.edit(rafe, shot.pk, uuid.uuid4(), None, command(do="shift matte", matte=str(matte.pk), frame=FIRST + 1))
    actions.edit(rafe, shot.pk, uuid.uuid4(), None, command(do="shift matte", matte=str(matte.pk), frame=FIRST + 4))
    actions.undo(rafe, shot.pk, uuid.uuid4())
    assert shot.mattes.get(pk=matte.pk).shift == [[FIRST, 0.0], [FIRST + 4, 2.0]]
