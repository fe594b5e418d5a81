"""Tracks as they are begun, followed, corrected, ridden on, taken back, and carried out and in as tables."""

import uuid

import cv2
import numpy as np
import pytest
from django.db import connection

from benchmarks.clips import texture
from jaythread.desk.document import core_cache
from jaythread.desk.edit import actions
from jaythread.desk.edit.commands import tracks
from jaythread.desk.exchange import documents, track_tables
from jaythread.desk.models import Shape, Track
from jaythread.desk.tracking import following, thinning
from jaythread.desk.view import serializers
from jaythread.errors import Conflict, Refused
from jaythread.jobs import actions as jobs
from jaythread.jobs.models import Job
from jaythread.plates.models import Plate
from roto.errors import BadGeometry, BadTrack
from roto.matte.render import render
from roto.picture.stills import write_picture

from ..conftest import FIRST, LAST, ask, carry_out, command, edited, trace

pytestmark = pytest.mark.django_db
TIP = (20.0, 18.0)
"""the middle of a patterned cloth on the first frame; it flies on by 6 px a frame"""


@pytest.fixture(autouse=True)
def cloth(shot):
    """Pictures of it, in place of the plate's."""
    pattern = (texture((30, 30), 5) * 255).astype(np.uint8)
    for frame in range(FIRST, LAST + 1):
        picture = np.full((64, 96, 3), 90, np.uint8)
        left = 5 + 6 * (frame - FIRST)
        picture[3:33, left : left + 30] = pattern[..., None]
        write_picture(Plate.objects.get().still(frame), picture)


@pytest.fixture
def rafe(people):
    return people["rafe"]


def do(who, shot, base=None, **said):
    return actions.edit(who, shot.pk, uuid.uuid4(), base, command(**said))


def begin(shot, rafe, **more):
    key = str(uuid.uuid4())
    do(rafe, shot, do="new track", track=key, name=more.pop("name", "tip"), frame=FIRST, **more)
    return key


def places(track, frames=range(FIRST, LAST + 1)):
    core = core_cache.track(Track.objects.get(pk=track))
    return core.points_at(np.array(frames, float), np.array(frames))[:, 0]


def outline(shape, frame):
    return core_cache.shapes([Shape.objects.get(pk=shape)])[shape].outlines(np.array([frame]))[0, :, :2]


@pytest.fixture
def tip(shot, rafe):
    """A point on the kite, followed to the end."""
    key = begin(shot, rafe, points=[TIP], half=9, model="move")
    run = ask(rafe, shot, "track.follow", key, frame=FIRST, to=LAST)
    carry_out(run)
    return key


def test_a_point_is_followed_and_taken_back_whole(shot, rafe, tip):
    along = np.array(TIP) + np.arange(8)[:, None] * [6, 0]
    assert np.abs(places(tip) - along).max() < 0.1
    run = Job.objects.get(kind="track.follow")
    assert (run.state, run.done, len(run.partial["path"])) == ("done", 7, 7)
    told = serializers.tracks(shot)[0]
    assert told["frames"] == list(range(FIRST, LAST + 1)) and told["manual"] == [FIRST] and min(told["confidence"]) > 0.9
    actions.undo(rafe, shot.pk, uuid.uuid4())
    assert serializers.tracks(shot)[0]["frames"] == [FIRST]
    actions.redo(rafe, shot.pk, uuid.uuid4())
    assert np.abs(places(tip) - along).max() < 0.1


def test_a_frame_is_followed_at_once_and_backwards_too(shot, rafe):
    key = str(uuid.uuid4())
    do(rafe, shot, do="new track", track=key, name="tip", frame=1005, points=[(44, 18)], half=9, model="move")
    run = ask(rafe, shot, "track.follow", key, frame=1005, to=1004)
    assert run.state == "done" and places(key, [1004])[0] == pytest.approx([38, 18], abs=0.1)
    ask(rafe, shot, "track.follow", key, frame=1004, to=1003)
    assert places(key, [1003])[0] == pytest.approx([32, 18], abs=0.1)


def test_the_small_pictures_are_read_when_asked(shot, rafe):
    key = begin(shot, rafe, points=[TIP], half=9, model="move")
    plate = Plate.objects.get()
    for frame in range(FIRST, LAST + 1):
        cv2.imwrite(str(plate.proxy(frame)), cv2.imread(str(plate.still(frame))), [cv2.IMWRITE_JPEG_QUALITY, 90])
        plate.still(frame).unlink()
    run = ask(rafe, shot, "track.follow", key, frame=FIRST, to=LAST, proxies=True)
    carry_out(run)
    assert np.abs(places(key) - np.array(TIP) - np.arange(8)[:, None] * [6, 0]).max() < 0.3
    run = ask(rafe, shot, "track.follow", key, frame=FIRST, to=LAST)
    carry_out(run)
    run.refresh_from_db()
    assert run.state == "failed" and "has no picture to read from" in run.message


def test_a_lost_point_stops_at_the_last_good_frame_and_says_why(shot, rafe):
    key = begin(shot, rafe, points=[TIP], half=9, model="move")
    blank = np.random.default_rng(1).integers(0, 255, (64, 96, 3)).astype(np.uint8)
    for frame in (1004, 1005):
        write_picture(Plate.objects.get().still(frame), blank)
    run = ask(rafe, shot, "track.follow", key, frame=FIRST, to=LAST)
    carry_out(run)
    run.refresh_from_db()
    assert "last good frame is 1003" in run.message and serializers.tracks(shot)[0]["frames"] == [1001, 1002, 1003]
    flat = begin(shot, rafe, points=[(80, 60)], half=5, name="ground")
    run = ask(rafe, shot, "track.follow", flat, frame=FIRST, to=LAST)
    carry_out(run)
    run.refresh_from_db()
    assert run.state == "failed" and "nothing to hold on to" in run.message


def test_what_is_set_by_hand_steers_and_stays(shot, rafe, tip):
    do(rafe, shot, do="correct track", track=tip, frame=1004, points={0: (40, 20)})
    ask(rafe, shot, "track.follow", tip, frame=1003, to=1005)
    found = places(tip)
    assert found[3].tolist() == [40, 20] and found[4] == pytest.approx([44, 18], abs=0.2)
    run = ask(rafe, shot, "track.follow", tip, frame=1005, to=LAST)
    jobs.cancel(rafe, shot.pk, run.pk)
    carry_out(run)
    run.refresh_from_db()
    assert run.state == "cancelled"


def test_shapes_ride_and_corrections_live_on_the_ride(shot, rafe, tip):
    shape = trace(shot, rafe, ((20, 18), (32, 30), (20, 42), (8, 30)))
    do(rafe, shot, do="carry", shape=shape, track=tip, frame=1003, how="move")
    assert outline(shape, 1003)[0] == pytest.approx([20, 18]) and outline(shape, 1006)[0] == pytest.approx([38, 18], abs=0.1)
    do(rafe, shot, do="form", shape=shape, frame=1006, points={0: [39, 17, 0, 0, 0, 0]})
    assert outline(shape, 1006)[0] == pytest.approx([39, 17])
    assert outline(shape, 1006)[1] - outline(shape, 1003)[1] == pytest.approx([18, 0], abs=0.1)
    done = do(rafe, shot, do="correct track", track=tip, frame=LAST, points={0: (70, 18)})
    told = serializers.after(done, done.shot, rafe)
    assert {s["id"] for s in told["shapes"]} == {shape} and told["shapes"][0]["carrier"] == {"track": tip, "how": "move", "byGroup": False}
    with pytest.raises(Refused, match="kite body rides on 'tip'"):
        do(rafe, shot, do="remove track", track=tip)
    was = outline(shape, 1005)
    do(rafe, shot, do="carry", shape=shape, frame=1005)
    assert outline(shape, 1005) == pytest.approx(was) and outline(shape, 1007)[1] == pytest.approx(was[1])
    actions.undo(rafe, shot.pk, uuid.uuid4())
    do(rafe, shot, do="bake", shape=shape, first=FIRST, last=LAST, tolerance=0.2)
    assert outline(shape, 1005) == pytest.approx(was, abs=0.2)
    do(rafe, shot, do="remove track", track=tip)
    assert not Track.objects.exists()


def test_a_track_that_somebody_else_has_changed_is_not_changed_over(shot, rafe, people, tip):
    known = Track.objects.get().revision
    do(people["marta"], shot, do="track look", track=tip, name="top")
    with pytest.raises(Conflict, match="'top' has been changed meanwhile"):
        do(rafe, shot, {tip: known}, do="correct track", track=tip, frame=1004, points={0: (40, 20)})


def test_a_group_rides_and_a_shape_with_a_carrier_of_its_own_does_not_follow_it(shot, rafe, tip):
    arm, hand = trace(shot, rafe, name="arm"), trace(shot, rafe, ((60, 20), (80, 20), (80, 40)), name="hand")
    group = str(uuid.uuid4())
    do(rafe, shot, do="new group", shape=group, name="body", members=[arm, hand], frame=FIRST)
    do(rafe, shot, do="carry", shape=group, track=tip, frame=FIRST)
    assert outline(hand, 1004)[0] == pytest.approx([78, 20], abs=0.1)
    do(rafe, shot, do="carry", shape=hand, frame=1004)
    assert outline(hand, 1004)[0] == pytest.approx([78, 20], abs=0.1) and outline(hand, 1006)[0] == pytest.approx([78, 20], abs=0.1)
    do(rafe, shot, do="carry", shape=hand, track="group", frame=1004)
    assert outline(hand, 1006)[0] == pytest.approx([90, 20], abs=0.1)
    do(rafe, shot, do="ride", shape=arm)  # out of the group it stays where it was, on every frame
    assert outline(arm, 1006)[0] == pytest.approx([40, 20], abs=0.1)
    do(rafe, shot, do="remove", shape=group)
    assert outline(hand, 1006)[0] == pytest.approx([90, 20], abs=0.1)


def test_a_plane_is_followed_by_the_picture_inside_a_shape(shot, rafe):
    shape = trace(shot, rafe, ((6, 4), (34, 4), (34, 32), (6, 32)))
    key = begin(shot, rafe, shape=shape, name="kite")
    run = ask(rafe, shot, "track.follow", key, frame=FIRST, to=1005)
    carry_out(run)
    run.refresh_from_db()
    core = core_cache.track(Track.objects.get(pk=key))
    assert run.state == "done" and core.points.parts == 4
    assert (core.points_at(1005.0, 1005)[0] - core.points_at(1001.0, 1001)[0]).mean(axis=0) == pytest.approx([24, 0], abs=0.1)
    ticks = np.array(following.holds(rafe, shot.pk, uuid.UUID(key), 1005)["ticks"])
    assert len(ticks) > 4 and np.abs(ticks[:, 2:4]).max() < 0.2
    do(rafe, shot, do="correct track", track=key, frame=1005, points=dict(enumerate(core.points_at(1005.0, 1005)[0] + [2, 0])))
    ticks = np.array(following.holds(rafe, shot.pk, uuid.UUID(key), 1005)["ticks"])
    assert np.median(ticks[:, 2]) == pytest.approx(-2, abs=0.2)  # the picture lies where it was
    with pytest.raises(Refused, match="closed shape"):
        begin(shot, rafe, shape=str(uuid.uuid4()))


def test_the_document_carries_tracks_so_a_delivery_is_what_the_desk_shows(shot, rafe, tip):
    shape = trace(shot, rafe, ((20, 18), (32, 30), (20, 42), (8, 30)))
    do(rafe, shot, do="carry", shape=shape, track=tip, frame=FIRST)
    matte = shot.mattes.get()
    shot.refresh_from_db()
    want = render(core_cache.matte(shot, matte), 1006).alpha
    assert want[30, 50] == 1
    _, text = documents.export_document(rafe, shot.pk, matte.pk)
    again = documents.import_document(rafe, shot.pk, text.encode())
    shot.refresh_from_db()
    assert np.array_equal(render(core_cache.matte(shot, again), 1006).alpha, want)
    assert sorted(shot.tracks.values_list("name", flat=True)) == ["tip", "tip 2"]


def test_a_track_goes_out_as_a_table_and_comes_back(shot, rafe, tip):
    name, text = track_tables.export_table(rafe, shot.pk, uuid.UUID(tip))
    assert name == "KITE_010_tip.track.csv" and text.splitlines()[0] == "frame,point,x,y,sure,by_hand" and len(text.splitlines()) == 9
    again = track_tables.import_table(rafe, shot.pk, "tip", text.encode())
    assert np.array_equal(places(str(again.pk)), places(tip)) and again.name == "tip 2"
    for wrong, says in (
        (b"a,b", "first line"),
        (b"frame,x,y\n1,2", "Line 2"),
        (b"frame,x,y\n1,nan,2", "Line 2"),
        (b"frame,point,x,y\n1,0,1,1\n1,1,5,5\n2,0,1,1", "same points"),
        (b"\xff\xfe\x00", "not text"),
        (b"frame,x,y\n", "same points"),
    ):
        with pytest.raises((Refused, BadTrack), match=says):
            track_tables.import_table(rafe, shot.pk, "tip", wrong)
    assert shot.tracks.count() == 2


@pytest.mark.parametrize(
    "said",
    [
        {"do": "new track", "track": "x", "name": "a", "frame": FIRST},
        {"do": "new track", "track": str(uuid.uuid4()), "name": "a", "frame": FIRST, "shape": "x"},
        {"do": "new track", "track": str(uuid.uuid4()), "name": "a", "frame": FIRST, "holds_out": ["x"]},
        {"do": "remove track", "track": "x"},
        {"do": "smooth track", "track": "x", "frames": 2},
        {"do": "join tracks", "track": str(uuid.uuid4()), "name": "a", "tracks": ["x", "y"], "frame": FIRST},
    ],
)
def test_what_is_no_id_is_refused(shot, rafe, said):
    with pytest.raises(Refused, match="'x' is not an id"):
        do(rafe, shot, **said)


def test_points_are_joined_smoothed_and_cut(shot, rafe, tip):
    low = begin(shot, rafe, points=[(20, 25)], half=9, model="move", name="low")
    carry_out(ask(rafe, shot, "track.follow", low, frame=FIRST, to=LAST))
    both = str(uuid.uuid4())
    do(rafe, shot, do="join tracks", track=both, name="both", tracks=[tip, low], frame=FIRST)
    assert core_cache.track(Track.objects.get(pk=both)).hows == ["move", "similar"]
    _, made = actions.preview(rafe, shot.pk, command(do="smooth track", track=both, frames=2))
    says = made.summary
    assert len(serializers.preview(shot, made)["paths"]) == 1 and "its points move by 0.0" in says
    says = do(rafe, shot, do="smooth track", track=both, frames=2).summary
    assert "its points move by 0.0" in says
    do(rafe, shot, do="cut track", track=both, first=1001, last=1004)
    assert serializers.tracks(shot)[0]["frames"] == [1001, 1002, 1003, 1004]
    with pytest.raises(Refused, match="laid by hand"):
        ask(rafe, shot, "track.follow", both, frame=FIRST, to=LAST)


def test_what_a_page_was_shown_of_thinning_is_what_it_takes_and_is_worked_out_once(people, shot, monkeypatch):
    shape = trace(shot, people["rafe"])
    for frame in range(FIRST + 1, LAST + 1):
        edited(people["rafe"], shot, do="form", shape=shape, frame=frame, points={"0": [10 + 2 * (frame - FIRST), 20, 0, 0, 0, 0]})
    worked, whole = [], tracks.thin
    monkeypatch.setattr(tracks, "thin", lambda shape, tolerance: (worked.append(shape), whole(shape, tolerance))[1])
    said = command(do="thin keys", shape=shape, tolerance=0.5)
    _, shown = actions.preview(people["rafe"], shot.pk, said)
    made = actions.edit(people["rafe"], shot.pk, uuid.uuid4(), None, said)
    assert len(worked) == 1 and made.summary == shown.summary and "keys instead of" in made.summary
    edited(people["rafe"], shot, do="form", shape=shape, frame=FIRST + 3, points={"0": [50, 50, 0, 0, 0, 0]})
    actions.preview(people["rafe"], shot.pk, said)
    assert len(worked) == 2  # another shape by now


@pytest.fixture
def keyed(rafe, shot):
    """A shape of which one point goes evenly, set on every frame."""
    shape = trace(shot, rafe)
    for frame in range(FIRST + 1, LAST + 1):
        edited(rafe, shot, do="form", shape=shape, frame=frame, points={"0": [10 + 2 * (frame - FIRST), 20, 0, 0, 0, 0]})
    return shape


def form_keys(shape):
    return Shape.objects.get(pk=shape).form_keys.count()


def test_keys_are_thinned_as_a_job_that_ends_in_one_edit(rafe, shot, keyed):
    before, many = places_of(keyed), form_keys(keyed)
    done = carry_out(ask(rafe, shot, "shape.thin", keyed, tolerance=0.3))
    assert done.state == "done" and f"keys instead of {many + 1}" in done.message and form_keys(keyed) < 5
    assert np.abs(places_of(keyed) - before).max() <= 0.3
    shot.refresh_from_db()
    newest = shot.edits.last()
    assert newest.summary.startswith("thinned") and newest.user == rafe
    actions.undo(rafe, shot.pk, uuid.uuid4())
    assert form_keys(keyed) == many and np.array_equal(places_of(keyed), before)


def test_what_carries_a_shape_is_put_into_few_keys(rafe, shot):
    key, shape = begin(shot, rafe, points=[TIP], half=9, model="move"), trace(shot, rafe)
    carry_out(ask(rafe, shot, "track.follow", key, frame=FIRST, to=LAST))
    do(rafe, shot, do="carry", shape=shape, track=key, frame=FIRST)
    before = places_of(shape)
    done = carry_out(ask(rafe, shot, "shape.thin", shape, tolerance=0.3, baked=True))
    assert done.state == "done" and Shape.objects.get(pk=shape).carrier is None
    assert np.abs(places_of(shape) - before).max() <= 0.3 and form_keys(shape) < 5


def places_of(shape):
    return core_cache.shapes([Shape.objects.get(pk=shape)])[shape].outlines(np.arange(FIRST, LAST + 1))


@pytest.mark.parametrize("what", ["changed", "stopped", "locked"])
def test_a_shape_that_is_changed_or_let_be_while_it_is_thinned_stays_as_it_is(rafe, shot, keyed, what, monkeypatch):
    job = ask(rafe, shot, "shape.thin", keyed)
    whole = thinning.thin

    def meanwhile(shape, tolerance, on_way):
        if what == "changed":
            edited(rafe, shot, do="form", shape=keyed, frame=FIRST + 2, points={"0": [50, 50, 0, 0, 0, 0]})
        elif what == "locked":
            Shape.objects.filter(pk=keyed).update(locked=True)
        else:
            jobs.cancel(rafe, shot.pk, job.pk)
            monkeypatch.setattr("jaythread.jobs.progress.TELL_EVERY", 0.0)
        return whole(shape, tolerance, on_way=on_way)

    monkeypatch.setattr(thinning, "thin", meanwhile)
    many, done = form_keys(keyed), carry_out(job)
    says = {"changed": "was changed while", "locked": "is locked", "stopped": ""}[what]
    assert done.state == ("cancelled" if what == "stopped" else "failed") and says in done.message and form_keys(keyed) == many


def test_what_cannot_be_thinned_is_said_when_it_is_asked_for(rafe, shot, keyed):
    with pytest.raises(Refused, match="tolerance"):
        ask(rafe, shot, "shape.thin", keyed, tolerance=0)
    Shape.objects.filter(pk=keyed).update(locked=True)
    with pytest.raises(Refused, match="Unlock it first"):
        ask(rafe, shot, "shape.thin", keyed)
    Shape.objects.filter(pk=keyed).update(locked=False, kind="dividing")
    with pytest.raises(Refused, match="Only closed"):
        ask(rafe, shot, "shape.thin", keyed)


@pytest.mark.parametrize("said", [{"do": "thin keys", "tolerance": 0.4}, {"do": "bake", "first": FIRST, "last": LAST, "tolerance": 0.4}])
def test_what_takes_long_is_worked_out_before_the_shot_is_locked(people, shot, monkeypatch, said):
    shape = trace(shot, people["rafe"])
    for frame in range(FIRST + 1, LAST + 1):
        edited(people["rafe"], shot, do="form", shape=shape, frame=frame, points={"0": [10 + 2 * (frame - FIRST), 20, 0, 0, 0, 0]})
    locked, whole = [], tracks.thin
    monkeypatch.setattr(tracks, "thin", lambda *given: (locked.append(len(connection.savepoint_ids)), whole(*given))[1])
    before = len(connection.savepoint_ids)
    made = actions.edit(people["rafe"], shot.pk, uuid.uuid4(), None, command(**said, shape=shape))
    assert locked == [before] and "keys" in made.summary


def test_numbers_beyond_all_use_are_refused_with_a_sentence_and_nothing_is_stored(people, shot):
    shape = trace(shot, people["rafe"])
    before = Shape.objects.get(pk=shape).to_core().outlines([FIRST])
    for said, why in (
        ({"do": "place", "move": (1e9, 0)}, "makes no sense"),
        ({"do": "form", "points": {"0": [1e300, 20, 0, 0, 0, 0]}}, "beyond any place that makes sense"),
    ):
        with pytest.raises(BadGeometry, match=why):
            edited(people["rafe"], shot, shape=shape, frame=FIRST, **said)
    assert (Shape.objects.get(pk=shape).to_core().outlines([FIRST]) == before).all()
