"""Groups, locks and changes of several shapes at once, as they are stored, shown and taken back."""

import json
import uuid

import numpy as np
import pytest

from jaythread.desk.document import core_cache
from jaythread.desk.edit import actions
from jaythread.desk.exchange import documents
from jaythread.desk.models import Shape
from jaythread.desk.view import serializers
from jaythread.desk.view.pictures import laid_on, present
from jaythread.errors import Conflict, Refused
from jaythread.productions.models import Shot
from roto.errors import BadDocument, BadGeometry, BadKeys
from roto.exchange import document
from roto.matte.render import render
from roto.motion.group import groups_of

from ..conftest import command, trace

pytestmark = pytest.mark.django_db


@pytest.fixture
def rafe(people):
    return people["rafe"]


def do(who, shot, base=None, **said):
    return actions.edit(who, shot.pk, uuid.uuid4(), base, command(**said))


def outline(shape, frame):
    row = Shape.objects.get(pk=shape)
    return core_cache.shapes([row])[shape].outlines(np.array([frame]))[0, :, :2]


@pytest.fixture
def pair(shot, rafe):
    """Two traced shapes and the group that moves them: (arm, hand, group)."""
    arm, hand = trace(shot, rafe, name="arm"), trace(shot, rafe, ((60, 20), (80, 20), (80, 40)), name="hand")
    group = str(uuid.uuid4())
    do(rafe, shot, do="new group", shape=group, name="body", members=[arm, hand], frame=1001)
    return arm, hand, group


def test_a_group_moves_all_its_shapes_and_is_taken_back(shot, rafe, pair):
    arm, hand, group = pair
    was = [outline(s, 1005) for s in (arm, hand)]
    made = do(rafe, shot, do="place", shape=group, frame=1005, move=(10, 4))
    for before, shape in zip(was, (arm, hand), strict=True):
        assert outline(shape, 1005) == pytest.approx(before + np.array([10, 4]))
        assert outline(shape, 1001) == pytest.approx(before)
    told = serializers.after(made, made.shot, rafe)
    assert {s["id"] for s in told["shapes"]} == {arm, hand, group}  # the page hears of what was carried
    actions.undo(rafe, shot.pk, uuid.uuid4())
    assert outline(hand, 1005) == pytest.approx(was[1])


def test_points_of_a_carried_shape_go_where_they_are_put(shot, rafe, pair):
    arm, _, group = pair
    do(rafe, shot, do="place", shape=group, frame=1005, move=(10, 4), turn=33, size=1.3)
    do(rafe, shot, do="form", shape=arm, frame=1004, points={2: [70, 66, 0, 0, 0, 0]})
    assert outline(arm, 1004)[2] == pytest.approx([70, 66])


def test_a_group_that_goes_leaves_its_shapes_where_they_are(shot, rafe, pair):
    arm, _, group = pair
    do(rafe, shot, do="place", shape=group, frame=1007, move=(30, -8), turn=60)
    was = [outline(arm, f) for f in range(1001, 1009)]
    do(rafe, shot, do="remove", shape=group)
    assert not Shape.objects.filter(pk=group).exists()
    assert max(np.abs(outline(arm, f) - w).max() for f, w in zip(range(1001, 1009), was, strict=True)) < 0.06
    actions.undo(rafe, shot.pk, uuid.uuid4())
    assert all(outline(arm, f) == pytest.approx(w) for f, w in zip(range(1001, 1009), was, strict=True))


def test_leaving_a_group_and_a_draft_of_it(shot, rafe, pair):
    arm, hand, group = pair
    do(rafe, shot, do="ride", shape=arm)
    do(rafe, shot, do="place", shape=group, frame=1001, move=(10, 0))
    assert outline(arm, 1001)[0] == pytest.approx([10, 20]) and outline(hand, 1001)[0] == pytest.approx([70, 20])
    draft = command(do="place", shape=group, frame=1001, move=(5, 0))
    matte = laid_on(present(rafe, shot.pk, shot.mattes.first().pk)[1], draft)
    assert render(matte, 1001).alpha[25, 93] == 1  # right of where the hand is saved
    assert outline(hand, 1001)[0] == pytest.approx([70, 20])


def test_a_group_is_steadied_before_it_is_taken(shot, rafe, pair):
    arm, hand, group = pair
    for shape in (arm, hand):
        for frame in (1003, 1006):
            points = outline(shape, 1001) + np.array([4.0 * (frame - 1001), 0])
            do(rafe, shot, do="form", shape=shape, frame=frame, points={i: [*p, 0, 0, 0, 0] for i, p in enumerate(points)})
    _, made = actions.preview(rafe, shot.pk, command(do="steady", shape=group))
    shapes, says = made.after, made.summary
    assert {s.id for s in shapes} == {arm, hand, group} and "instead of 20.0" in says
    was = outline(hand, 1006)
    do(rafe, shot, do="steady", shape=group)
    assert outline(hand, 1006) == pytest.approx(was)
    assert core_cache.shapes([Shape.objects.get(pk=group)])[group].place.values[-1, 0].tolist() == pytest.approx([20, 0])


def test_a_document_carries_groups(shot, rafe, pair):
    arm, hand, group = pair
    do(rafe, shot, do="place", shape=group, frame=1005, move=(10, 4), turn=20)
    _, text = documents.export_document(rafe, shot.pk, shot.mattes.first().pk)
    again = documents.import_document(rafe, shot.pk, text.encode())
    shot.refresh_from_db()
    twins = [e.shape for e in core_cache.matte(shot, again).entries]
    assert twins[0].outlines(np.array([1004]))[0, :, :2] == pytest.approx(outline(arm, 1004))
    assert len({ride.group.id for t in twins for ride in t.rides} - {group}) == 1
    assert document.loads(text).entries[1].shape.outlines(np.array([1004]))[0, :, :2] == pytest.approx(outline(hand, 1004))


def test_groups_move_in_groups_are_stored_exported_and_taken_apart(shot, rafe, pair):
    arm, hand, body = pair
    tail, kite = trace(shot, rafe, ((20, 60), (40, 60), (40, 80)), name="tail"), str(uuid.uuid4())
    do(rafe, shot, do="place", shape=body, frame=1005, move=(10, 4), turn=40)
    was = outline(arm, 1005)
    do(rafe, shot, do="new group", shape=kite, name="all", members=[body, tail], frame=1001)
    assert outline(arm, 1005) == pytest.approx(was)
    made = do(rafe, shot, do="place", shape=kite, frame=1001, move=(3, -2))
    assert {s["id"] for s in serializers.after(made, made.shot, rafe)["shapes"]} == {arm, hand, body, tail, kite}
    assert outline(arm, 1005) == pytest.approx(was + np.array([3, -2]))
    with pytest.raises(BadGeometry, match="rides on it"):
        do(rafe, shot, do="ride", shape=kite, group=body)
    matte = shot.mattes.get()
    _, text = documents.export_document(rafe, shot.pk, matte.pk)
    again = documents.import_document(rafe, shot.pk, text.encode())
    shot.refresh_from_db()
    twin = next(e.shape for e in core_cache.matte(shot, again).entries if e.shape.name == "arm")
    assert twin.outlines(np.array([1005]))[0, :, :2] == pytest.approx(outline(arm, 1005))
    assert len(groups_of(twin)) == 2 and not {g.id for g in groups_of(twin)} & {body, kite}
    do(rafe, shot, do="add line", entry=str(uuid.uuid4()), matte=str(matte.pk), shape=kite)
    assert serializers.mattes(shot)[0]["sentence"] == "all (arm adds, hand adds, tail adds) adds"
    with pytest.raises(Refused, match="all count as one already"):
        do(rafe, shot, do="add line", entry=str(uuid.uuid4()), matte=str(matte.pk), shape=body)
    do(rafe, shot, do="ride", shape=body)
    do(rafe, shot, do="add line", entry=str(uuid.uuid4()), matte=str(matte.pk), shape=body)
    with pytest.raises(Refused, match="count as one each"):
        do(rafe, shot, do="ride", shape=body, group=kite)
    actions.undo(rafe, shot.pk, uuid.uuid4())
    actions.undo(rafe, shot.pk, uuid.uuid4())
    do(rafe, shot, do="remove", shape=body)  # what it carried goes on with what it rode on
    assert str(Shape.objects.get(pk=arm).group_id) == kite and outline(arm, 1005) == pytest.approx(was + np.array([3, -2]), abs=0.06)


def test_groups_that_stand_in_each_other_are_refused_in_a_document(shot, rafe, pair):
    _, text = documents.export_document(rafe, shot.pk, shot.mattes.first().pk)
    doc = json.loads(text)
    doc["groups"][0]["group"] = doc["groups"][0]["id"]
    with pytest.raises(BadDocument, match="rides on what rides on it"):
        document.from_json(doc)
    doc["groups"][0]["group"] = "nobody"
    with pytest.raises(BadDocument, match="no group 'nobody'"):
        document.from_json(doc)


def test_a_locked_shape_refuses_changes_until_it_is_unlocked(shot, rafe):
    shape = trace(shot, rafe)
    do(rafe, shot, do="lock", shape=shape, locked=True)
    for said in ({"do": "place", "frame": 1001, "move": (1, 0)}, {"do": "remove"}):
        with pytest.raises(Refused, match="locked"):
            do(rafe, shot, shape=shape, **said)
    actions.undo(rafe, shot.pk, uuid.uuid4())
    do(rafe, shot, do="place", shape=shape, frame=1001, move=(1, 0))
    assert outline(shape, 1001)[0, 0] == 11


def test_shapes_of_different_ages_change_together_unless_one_is_older_than_it_was(shot, rafe, people):
    arm, hand = trace(shot, rafe), trace(shot, rafe, name="hand")
    do(rafe, shot, do="place", shape=arm, frame=1003, move=(1, 0))
    known = {str(s.pk): s.revision for s in shot.shapes.all()}
    moves = [{"do": "place", "shape": s, "frame": 1003, "move": (5, 0)} for s in (arm, hand)]
    do(people["marta"], shot, do="place", shape=hand, frame=1005, move=(9, 9))
    with pytest.raises(Conflict, match="marta has changed 'hand'"):
        do(rafe, shot, base=known, do="together", says="moved both", commands=moves)
    assert outline(arm, 1003)[0, 0] == 11  # nothing by half
    known = {str(s.pk): s.revision for s in Shape.objects.filter(shot=shot)}
    do(rafe, shot, base=known, do="together", says="moved both", commands=moves)
    assert outline(arm, 1003)[0, 0] == 16


def test_a_shape_is_copied_to_another_shot_at_the_same_distance_from_its_start(shot, rafe, pair, production):
    arm, _, group = pair
    do(rafe, shot, do="place", shape=group, frame=1005, move=(10, 4))
    do(rafe, shot, do="live", shape=arm, ranges=[(1002, 1006)])
    other = Shot.objects.create(production=production, name="MILL_040", first=1, last=8, width=64, height=64)
    matte = documents.copy_to(rafe, shot.pk, arm, other.pk)
    twin = matte.entries.get().shape
    assert (twin.name, twin.group, matte.name) == ("arm", None, "main")
    assert outline(str(twin.pk), 5) == pytest.approx(outline(arm, 1005))
    assert [(r.first, r.last) for r in twin.live_ranges.all()] == [(2, 6)]
    other.refresh_from_db()
    actions.undo(rafe, other.pk, uuid.uuid4())
    assert not other.shapes.exists() and not other.mattes.exists()


def test_picked_keys_are_brought_to_other_frames_all_or_none(shot, rafe):
    shape = trace(shot, rafe)
    for frame in (1003, 1005):
        do(rafe, shot, do="place", shape=shape, frame=frame, move=(1, 0))
    do(rafe, shot, do="retime keys", shape=shape, channel="placement", moves={1003: 1004, 1005: 1008})
    place = core_cache.shapes([Shape.objects.get(pk=shape)])[shape].place
    assert place.frames.tolist() == [1001, 1004, 1008] and place.values[:, 0, 0].tolist() == [0, 1, 2]
    with pytest.raises(BadKeys, match="fall on one frame"):
        do(rafe, shot, do="retime keys", shape=shape, channel="placement", moves={1004: 1008})


def names_of(shot):
    return [line["shape"] for line in serializers.mattes(shot)[0]["stack"]]


def test_the_shapes_of_a_group_count_as_one_and_then_one_by_one_again(shot, rafe, pair):
    arm, hand, group = pair
    matte = shot.mattes.get()
    block = trace(shot, rafe, name="block")
    do(rafe, shot, do="add line", entry=str(uuid.uuid4()), matte=str(matte.pk), shape=group, mode="cut")
    assert names_of(shot) == [arm, hand, group, block]
    line = matte.entries.get(shape=group)
    do(rafe, shot, do="entry", entry=str(line.pk), order=99.0, opacity=0.5)
    assert names_of(shot) == [block, arm, hand, group]
    assert [bool(one["within"]) for one in serializers.mattes(shot)[0]["stack"]] == [False, True, True, False]
    assert serializers.mattes(shot)[0]["sentence"] == "block adds, body (arm adds, hand adds) cuts"
    shot.refresh_from_db()
    assert render(core_cache.matte(shot, matte), 1001).alpha[25, 12] == 0.5
    draft = command(do="place", shape=group, frame=1001, move=(0, 30))
    assert render(laid_on(present(rafe, shot.pk, matte.pk)[1], draft), 1001).alpha[25, 12] == 1
    with pytest.raises(Refused, match="count as one"):
        do(rafe, shot, do="add line", entry=str(uuid.uuid4()), matte=str(matte.pk), shape=group)
    with pytest.raises(Refused, match="cannot be a fringe"):
        do(rafe, shot, do="entry", entry=str(line.pk), mode="solve")
    _, text = documents.export_document(rafe, shot.pk, matte.pk)
    again = documents.import_document(rafe, shot.pk, text.encode())
    shot.refresh_from_db()
    assert np.array_equal(*(render(core_cache.matte(shot, m), 1001).alpha for m in (matte, again)))
    actions.undo(rafe, shot.pk, uuid.uuid4())
    do(rafe, shot, do="drop line", entry=str(line.pk))
    assert names_of(shot)[:2] == [arm, hand]
    do(rafe, shot, do="remove", shape=hand)
    do(rafe, shot, do="remove", shape=arm)
    with pytest.raises(Refused, match="put them in first"):
        do(rafe, shot, do="add line", entry=str(uuid.uuid4()), matte=str(matte.pk), shape=group)
