"""Let the picture draw between keys: as a job, one edit to take back, corrections kept, and what is said where it cannot be."""

import uuid

import cv2
import numpy as np
import pytest

from jaythread.desk.document import core_cache
from jaythread.desk.edit import actions as desk
from jaythread.desk.models import Shape, Track
from jaythread.errors import Refused
from jaythread.plates import actions as plates
from jaythread.productions.models import Shot
from roto.errors import BadTrack
from roto.exchange import document
from roto.track.track import BEND

from ..conftest import ask, carry_out, command, edited, trace
from ..roto.bodies import swaying

pytestmark = pytest.mark.django_db
FIRST = 1001
BODY = swaying()
LAST = FIRST + BODY.frames - 1


def truth(frame, every=4):
    return BODY.truth(frame - FIRST)[::every]


@pytest.fixture
def woven(people, production, tmp_path) -> Shot:
    """A shot of something textured that turns and bulges, an outline traced on its first frame."""
    return weave(people, production, tmp_path / "woven")


def weave(people, production, folder, spoil=lambda k, shown: shown) -> Shot:
    folder.mkdir()
    for k in range(BODY.frames):
        shown = spoil(k, BODY.picture(k))
        cv2.imwrite(str(folder / f"FERRY_020.{FIRST + k}.png"), shown[:, :, ::-1])
    names = sorted(p.name for p in folder.iterdir())
    it = plates.bring_in_folder(people["rafe"], production.pk, "FERRY_020", folder, names)
    plates.decode(it.plates.get().pk)
    desk.edit(people["rafe"], it.pk, uuid.uuid4(), None, command(do="new matte", matte=str(uuid.uuid4()), name="torso"))
    it.refresh_from_db()
    shape = str(uuid.uuid4())
    said = command(
        do="trace", shape=shape, entry=str(uuid.uuid4()), matte=str(it.mattes.get().pk), name="torso", frame=FIRST, mode="add",
        points=[[x, y, 0, 0, 0, 0] for x, y in truth(FIRST)], curves=[False] * 12,
    )  # fmt: skip
    desk.edit(people["rafe"], it.pk, uuid.uuid4(), None, said)
    it.refresh_from_db()
    return it


@pytest.fixture
def rafe(people):
    return people["rafe"]


def key(who, shot, frame, places=None):
    places = truth(frame) if places is None else places
    points = {k: [x, y, 0, 0, 0, 0] for k, (x, y) in enumerate(places)}
    edited(who, shot, do="form", shape=str(shot.shapes.get().pk), frame=frame, points=points)


def outline(shot, frame):
    return core_cache.shapes([Shape.objects.get(shot=shot)])[str(shot.shapes.get().pk)].outlines(np.array([frame]))[0, :, :2]


def off(shot, frame):
    return float(np.hypot(*(outline(shot, frame) - truth(frame)).T).max())


def draw(who, shot, **settings):
    return carry_out(ask(who, shot, "shape.draw", shot.shapes.get().pk, **settings))


def test_frames_that_are_hard_to_draw_by_are_told_before_and_nothing_changes(people, production, tmp_path):
    spoilt = {3: lambda shown: cv2.GaussianBlur(shown, (0, 0), 7), 5: lambda shown: shown * 0}
    shot, rafe = weave(people, production, tmp_path / "woven", lambda k, shown: spoilt.get(k, lambda it: it)(shown)), people["rafe"]
    key(rafe, shot, LAST)
    shot.refresh_from_db()
    before = shot.revision
    job = carry_out(ask(rafe, shot, "shape.foresee", shot.shapes.get().pk, frame=FIRST))
    assert job.state == "done" and job.done == job.total == BODY.frames
    assert job.partial["hard"] == [[FIRST + 3, "blurred"], [FIRST + 5, "nothing to hold on to"]]
    assert job.message == f"Hard frames: {FIRST + 3} (blurred); {FIRST + 5} (nothing to hold on to). Key them by hand first (K)."
    key(rafe, shot, FIRST + 3)
    key(rafe, shot, FIRST + 5)
    job = carry_out(ask(rafe, shot, "shape.foresee", shot.shapes.get().pk, frame=FIRST))
    assert job.message == "Looked at 9 frames: each shows enough of the inside to draw by." and job.partial["hard"] == []
    shot.refresh_from_db()
    assert shot.revision == before + 2  # the two keys


def test_looking_ahead_names_what_lies_over_it_and_looks_only_at_what_that_leaves(woven, rafe):
    (x0, y0), (x1, y1) = truth(FIRST).min(axis=0), truth(FIRST).max(axis=0)
    over = str(uuid.uuid4())
    middle, corners = (x0 + x1) / 2, [(x0 - 5, y0 - 5), (x1 + 60, y0 - 5), (x1 + 60, y1 + 25), (x0 - 5, y1 + 25)]

    def trace_over(name, places):
        points = [[x, y, 0, 0, 0, 0] for x, y in places]
        edited(
            rafe, woven, do="trace", shape=over, entry=str(uuid.uuid4()), matte=str(woven.mattes.get().pk), name=name, frame=FIRST,
            mode="add", points=points, curves=[False] * 4,
        )  # fmt: skip

    torso = woven.shapes.get().pk
    trace_over("hand", [(middle, y0), (x1, y0), (x1, y1), (middle, y1)])
    said = carry_out(ask(rafe, woven, "shape.foresee", torso, frame=FIRST))
    assert said.message.endswith(" On a key hand lies over it: name below what passes in front.") and said.partial["hard"] == []
    points = {k: [x, y, 0, 0, 0, 0] for k, (x, y) in enumerate(corners)}
    edited(rafe, woven, do="form", shape=over, frame=LAST, points=points)
    said = carry_out(ask(rafe, woven, "shape.foresee", torso, frame=FIRST, in_front=[over]))
    assert "over it" not in said.message and "nothing to hold on to" in said.message


def test_between_two_keys_and_all_of_it_is_one_edit(woven, rafe):
    key(rafe, woven, LAST)
    middle = FIRST + 4
    before = off(woven, middle)
    job = draw(rafe, woven, frame=FIRST)
    assert job.state == "done" and not job.message
    woven.refresh_from_db()
    assert off(woven, middle) < 0.7 < before and off(woven, FIRST) < 1e-5 and off(woven, LAST) < 1e-5
    track = Track.objects.get()
    assert track.name == "torso drawn" and track.to_core().hows == [BEND] and set(track.data["hand"]) == {FIRST, LAST}
    assert 0.1 < min(track.data["sure"]) < 0.8
    desk.undo(rafe, woven.pk, uuid.uuid4())
    assert not Track.objects.exists() and off(woven, middle) == pytest.approx(before)
    desk.redo(rafe, woven.pk, uuid.uuid4())
    assert off(woven, middle) < 0.7


def test_from_one_key_on_and_a_correction_is_kept_while_the_stretches_beside_it_are_drawn_again(woven, rafe):
    job = draw(rafe, woven, frame=FIRST, to=LAST)
    assert job.state == "done" and off(woven, LAST) < 1.5
    woven.refresh_from_db()
    corrected = truth(FIRST + 5) + 0.8
    key(rafe, woven, FIRST + 5, corrected)
    assert np.abs(outline(woven, FIRST + 5) - corrected).max() < 1e-5
    draw(rafe, woven, frame=FIRST + 5, beside=True)
    woven.refresh_from_db()
    assert np.abs(outline(woven, FIRST + 5) - corrected).max() < 1e-5
    assert off(woven, FIRST + 2) < 1.0 and Track.objects.get().data["hand"] == [FIRST, FIRST + 5]
    # it travels in the shape document, and comes back the same
    matte = core_cache.matte(woven, woven.mattes.get())
    again = document.loads(document.dumps(matte))
    frames = np.arange(FIRST, LAST + 1)
    assert np.array_equal(again.entries[0].shape.outlines(frames), matte.entries[0].shape.outlines(frames))
    # and is laid down by baking
    edited(rafe, woven, do="bake", shape=str(woven.shapes.get().pk), first=FIRST, last=LAST, tolerance=0.3)
    assert off(woven, FIRST + 3) < 1.3
    edited(rafe, woven, do="remove track", track=str(Track.objects.get().pk))


def test_undo_takes_a_correction_back_with_what_was_drawn_again_because_of_it(woven, rafe):
    draw(rafe, woven, frame=FIRST, to=LAST)
    before = [outline(woven, FIRST + k) for k in (2, 5)]
    corrected = truth(FIRST + 5) + 3.0
    key(rafe, woven, FIRST + 5, corrected)
    own = woven.edits.latest("revision")
    key(rafe, woven, FIRST + 8)  # meanwhile, as is this
    edited(rafe, woven, do="rename track", track=str(Track.objects.get().pk), name="cloth")
    draw(rafe, woven, frame=FIRST + 5, beside=True, follows=str(own.pk))
    drawn = [outline(woven, FIRST + k) for k in (2, 5)]
    assert np.abs(drawn[0] - before[0]).max() > 0.05 and np.abs(drawn[1] - corrected).max() < 1e-5

    def undone():
        desk.undo(rafe, woven.pk, uuid.uuid4())
        return [outline(woven, FIRST + k) for k in (2, 5)]

    assert np.abs(undone()[1] - corrected).max() < 1e-5 and Track.objects.get().name == "torso drawn"
    assert woven.edits.get(follows=own).reversed, "it has changed the same track since"
    undone()
    assert {k.frame for k in woven.shapes.get().form_keys.all()} == {FIRST, FIRST + 5}
    draw(rafe, woven, frame=FIRST + 5, beside=True, follows=str(own.pk))
    assert np.abs(outline(woven, FIRST + 2) - before[0]).max() > 0.05
    assert np.allclose(undone(), before, atol=1e-6), "one press, as it was before the correction"
    desk.redo(rafe, woven.pk, uuid.uuid4())
    again = [outline(woven, FIRST + k) for k in (2, 5)]
    assert np.abs(again[1] - corrected).max() < 1e-5 and np.abs(again[0] - before[0]).max() > 0.05
    assert np.allclose(undone(), before, atol=1e-6)


def test_from_a_later_key_on_the_earlier_stretches_stay_as_they_were(woven, rafe):
    key(rafe, woven, FIRST + 4)
    before = outline(woven, FIRST + 2)
    draw(rafe, woven, frame=FIRST + 4, to=LAST)
    woven.refresh_from_db()
    assert off(woven, LAST) < 1.5 and off(woven, FIRST + 4) < 1e-5 and off(woven, FIRST) < 1e-5
    assert np.abs(outline(woven, FIRST + 2) - before).max() < 1e-5
    assert Track.objects.get().data["home"] == FIRST + 4


def test_cancelled_it_writes_what_it_has_or_nothing(woven, rafe):
    job = ask(rafe, woven, "shape.draw", woven.shapes.get().pk, frame=FIRST, to=LAST)
    type(job).objects.filter(pk=job.pk).update(cancel=True)
    assert carry_out(job).state == "cancelled" and not Track.objects.exists()


def test_what_cannot_be_drawn_is_said(woven, rafe, people, shot):
    shape = woven.shapes.get().pk
    with pytest.raises(Refused, match="It has one key: draw from it on"):
        ask(rafe, woven, "shape.draw", shape, frame=FIRST)
    with pytest.raises(Refused, match="no key on frame 1004"):
        ask(rafe, woven, "shape.draw", shape, frame=1004, to=LAST)
    with pytest.raises(Refused, match="nothing to draw"):
        ask(rafe, woven, "shape.draw", shape, frame=FIRST, to=FIRST)
    edited(rafe, woven, do="lock", shape=str(shape), locked=True)
    with pytest.raises(Refused, match="is locked"):
        ask(rafe, woven, "shape.draw", shape, frame=FIRST, to=LAST)
    outside = trace(shot, rafe, points=((-80, 2), (-40, 2), (-40, 40), (-80, 40)))
    job = carry_out(ask(rafe, shot, "shape.draw", outside, frame=FIRST, to=FIRST + 3))
    assert job.state == "failed" and "lies outside the picture" in job.message


def test_the_corner_of_a_drawn_track_is_not_set_by_hand(woven, rafe):
    draw(rafe, woven, frame=FIRST, to=FIRST + 3)
    woven.refresh_from_db()
    with pytest.raises(BadTrack, match="Correct the outline itself"):
        edited(rafe, woven, do="correct track", track=str(Track.objects.get().pk), frame=FIRST, points={0: [1, 1]})
