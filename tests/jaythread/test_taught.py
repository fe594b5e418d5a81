"""Taught lines at the desk: frames finished, the line taught, its frames filled, delivered, edited and taken back."""

import io
import uuid
from dataclasses import replace

import numpy as np
import pytest
from django.db import connection
from PIL import Image

from jaythread.brought import actions as brought
from jaythread.delivery import actions as delivery
from jaythread.desk.edit import actions
from jaythread.desk.matting import fringes, teaching
from jaythread.desk.matting.lessons import Models, Unseen, folder
from jaythread.desk.models import Edit, StackEntry
from jaythread.errors import Refused
from jaythread.jobs import actions as jobs
from jaythread.jobs.models import Job
from roto.exchange import document
from roto.matte.render import render
from roto.matte.stack import sentence

from ..conftest import FIRST, LAST, ask, carry_out, command, picture
from .test_brought import still
from .test_fringes import core, delivered_holds_the_kite, kite, paint, rafe, subject  # noqa: F401 - fixtures

pytestmark = [pytest.mark.django_db, pytest.mark.usefixtures("small_trees")]
LESSONS = (FIRST, FIRST + 3, LAST)


@pytest.fixture
def line(shot, rafe, kite):  # noqa: F811
    """A taught line over the kite; half of the kite's own size is traced, the rest is to be learned."""
    _, entry = paint(shot, rafe, kite)
    edit(shot, rafe, do="entry", entry=str(entry), mode="teach")
    return entry


def edit(shot, who, **said):
    made = actions.edit(who, shot.pk, uuid.uuid4(), None, command(**said))
    shot.refresh_from_db()
    return made


def finish(shot, who, entry, kite, frame):  # noqa: F811
    """Bring the matte of one frame to what is true, by a shape that is live there alone, and finish it."""
    shape, x = str(uuid.uuid4()), 20 + 6 * (frame - FIRST)
    points = [[x + dx, 30 + dy, 0, 0, 0, 0] for dx, dy in ((0, -11), (11, 0), (0, 11), (-11, 0))]
    said = {"shape": shape, "entry": str(uuid.uuid4()), "matte": str(shot.mattes.get().pk), "name": f"whole {frame}"}
    edit(shot, who, do="trace", **said, frame=frame, points=points, curves=[False] * 4)
    edit(shot, who, do="live", shape=shape, ranges=[[frame, frame]])
    made = teaching.finish(who, shot.pk, entry, frame)
    shot.refresh_from_db()
    return made


@pytest.fixture
def taught(shot, rafe, kite, line):  # noqa: F811
    for frame in LESSONS:
        finish(shot, rafe, line, kite, frame)
    job = carry_out(ask(rafe, shot, "taught.teach", line))
    assert job.state == "done", job.message
    shot.refresh_from_db()
    return line


def whole(shot, frame):
    return render(core(shot), frame, fringes=fringes.ShotFringes(shot)).alpha


def test_frames_that_nobody_finished_are_filled_by_what_was_learned(shot, rafe, taught):  # noqa: F811
    for frame in range(FIRST, LAST + 1):
        there = subject(frame) & (picture(frame)[:, :, 0] == 180)
        alpha = whole(shot, frame)
        assert alpha[there].mean() > 0.9 and alpha[~subject(frame)].mean() < 0.02
    told = teaching.standing(rafe, shot.pk, taught)
    assert told["filled"] == list(range(FIRST, LAST + 1)) and told["taught"] and not told["new"]
    assert [one["frame"] for one in told["finished"]] == list(LESSONS) and not any(one["stale"] for one in told["finished"])
    seen = np.asarray(Image.open(io.BytesIO(teaching.unseen(rafe, shot.pk, taught, LESSONS[1]))))[:, :, 0] / 255.0
    third = seen.shape[1] // 3
    said, true = seen[:, third : 2 * third], seen[:, 2 * third :]
    assert np.abs(said - true).mean() < 0.2 and not np.array_equal(said, true) and all(one["unseen"] for one in told["finished"])
    assert told["unseen"] < 0.2 and told["next"] not in LESSONS and told["why"]
    assert "is taught by finished frames" in sentence(core(shot))


def test_a_finished_frame_stays_until_it_is_opened_again_and_an_edit_makes_it_stale(shot, rafe, kite, taught):  # noqa: F811
    before = whole(shot, LAST)
    edit(shot, rafe, do="soften", shape=kite, frame=FIRST, outer=2)
    told = teaching.standing(rafe, shot.pk, taught)
    assert {one["frame"] for one in told["finished"] if one["stale"]} == set(LESSONS) and told["filled"] == [] and told["new"]
    actions.undo(rafe, shot.pk, uuid.uuid4())
    shot.refresh_from_db()
    assert np.array_equal(whole(shot, LAST), before)
    teaching.open_again(rafe, shot.pk, taught, LAST)
    shot.refresh_from_db()
    assert [one["frame"] for one in teaching.standing(rafe, shot.pk, taught)["finished"]] == list(LESSONS[:-1])
    actions.undo(rafe, shot.pk, uuid.uuid4())
    shot.refresh_from_db()
    assert np.array_equal(whole(shot, LAST), before)
    assert [e.summary for e in Edit.objects.filter(shot=shot, summary__startswith="finished")] == [
        f"finished frame {f} of frayed edge" for f in LESSONS
    ]


def test_with_other_numbers_finished_frames_go_along(shot, rafe, kite, taught):  # noqa: F811
    before = whole(shot, LAST)
    edit(shot, rafe, do="shot picture", first=101, along=True)
    told = teaching.standing(rafe, shot.pk, taught)
    assert [(one["frame"], one["stale"]) for one in told["finished"]] == [(f - FIRST + 101, False) for f in LESSONS]
    assert len(told["filled"]) == LAST - FIRST + 1 and told["left"] == 0 and not told["new"]
    assert np.array_equal(whole(shot, LAST - FIRST + 101), before)


def test_stopped_and_asked_again_it_comes_to_the_same(shot, rafe, kite, line, monkeypatch):  # noqa: F811
    for frame in LESSONS[:2]:
        finish(shot, rafe, line, kite, frame)
    job = ask(rafe, shot, "taught.teach", line)
    jobs.cancel(rafe, shot.pk, job.pk)
    assert carry_out(job).state == "cancelled" and StackEntry.objects.get(pk=line).source.get("model") is None
    with monkeypatch.context() as patch:  # stopped when something is learned, but not all
        patch.setattr(Unseen, "put", lambda self, file, png: Job.objects.filter(pk=job.pk).update(cancel=True))
        patch.setattr("jaythread.jobs.progress.TELL_EVERY", 0)
        job = ask(rafe, shot, "taught.teach", line)
        assert carry_out(job).state == "cancelled"
    assert [*folder(shot.pk).glob("*.half0.part")]
    assert carry_out(ask(rafe, shot, "taught.teach", line)).state == "done"
    assert not [*folder(shot.pk).glob("*.part")]
    name = StackEntry.objects.get(pk=line).source["model"]
    file = folder(shot.pk) / f"{name}.npz"
    once = file.read_bytes()
    file.unlink()  # a worker was lost before it was kept
    shot.refresh_from_db()
    assert carry_out(ask(rafe, shot, "taught.teach", line)).state == "done"
    assert file.read_bytes() == once and Models(shot.pk).get(name) is not None
    assert Edit.objects.filter(shot=shot, summary__startswith="taught").count() == 1


@pytest.fixture
def three_workers():
    """Three that beat, and one that has been silent for a minute."""
    with connection.cursor() as cursor:
        cursor.execute("INSERT INTO procrastinate_workers (last_heartbeat) SELECT now() FROM generate_series(1, 3)")
        cursor.execute("INSERT INTO procrastinate_workers (last_heartbeat) VALUES (now() - interval '1 minute')")


def test_every_worker_has_a_share_and_no_frame_is_filled_twice(shot, rafe, kite, line, three_workers, monkeypatch):  # noqa: F811
    for frame in LESSONS[:2]:
        finish(shot, rafe, line, kite, frame)
    filled, solved = [], fringes.ShotFringes.solved
    job = ask(rafe, shot, "taught.teach", line)

    def fill(self, matte, at, frame):
        if not filled:
            helpers.extend(Job.objects.filter(kind="taught.fill").order_by("subject"))
            for helper in helpers:
                filled.append([])
                carry_out(helper)
        if frame not in self.standing(matte, at):
            filled[-1].append(frame)
        return solved(self, matte, at, frame)

    helpers = []
    monkeypatch.setattr(teaching, "SHARE", 1)
    monkeypatch.setattr(fringes.ShotFringes, "solved", fill)
    assert carry_out(job).state == "done"
    assert [helper.subject.split()[1:] for helper in helpers] == [["1", "3"], ["2", "3"]]
    made = [f for one in filled for f in one]
    assert len(made) == len({*made}) >= LAST - FIRST and filled[0][0] > FIRST + 2
    assert teaching.standing(rafe, shot.pk, line)["filled"] == list(range(FIRST, LAST + 1))


@pytest.mark.parametrize("of", [1, 2, 3, 5])
def test_shares_are_stretches_of_their_own_and_each_ends_with_what_is_left(of):
    frames = sorted(range(1001, 1013), key=lambda f: (abs(f - 1006), f))
    orders = [teaching._shared(frames, k, of) for k in range(of)]
    assert all(sorted(one) == sorted(frames) for one in orders)
    first = [one[: len(frames) // of] for one in orders]
    assert len({f for one in first for f in one}) == len(frames) // of * of
    assert all(max(one) - min(one) < len(frames) // of + 1 for one in first)


def test_others_help_only_while_it_is_taught(shot, rafe, taught):  # noqa: F811
    helper = Job.objects.get(kind="taught.fill", subject=f"{taught} 1 2")
    edit(shot, rafe, do="place", shape=str(StackEntry.objects.get(pk=taught).shape_id), frame=FIRST, move=(0.5, 0))
    assert teaching.standing(rafe, shot.pk, taught)["filled"] == []
    assert carry_out(helper).state == "done" and teaching.standing(rafe, shot.pk, taught)["filled"] == []  # nobody teaches any more
    made = Job.objects.create(kind="taught.teach", subject=str(taught), shot=shot, user=rafe, state="working")
    helper = jobs.start(rafe, shot, teaching.HELPING, f"{taught} 1 2")
    assert carry_out(helper).state == "done" and len(teaching.standing(rafe, shot.pk, taught)["filled"]) == LAST - FIRST + 1
    made.delete()


def test_two_that_fill_at_once_lose_nothing_of_what_is_doubtful(shot):
    one, other = Models(shot.pk), Models(shot.pk)
    one.doubt("m", "first", 0.25)
    other.doubt("m", "second", 0.125)
    one.doubt("m", "third", 0.5)
    assert other.doubts("m") == {"first": 0.25, "second": 0.125, "third": 0.5} and other.doubts("none") == {}
    (own,) = folder(shot.pk).glob("m.*.doubts")
    own.write_text("first 0.250000\nsec")  # a worker was killed while it wrote
    own.with_name("m.other.doubts").write_text("fourth 0.125000\n")  # another machine
    assert one.doubts("m") == {"first": 0.25, "fourth": 0.125}


def test_what_cannot_teach_is_said(shot, rafe, kite, line):  # noqa: F811
    with pytest.raises(Refused, match="No frame is finished yet"):
        ask(rafe, shot, "taught.teach", line)
    teaching.finish(rafe, shot.pk, line, FIRST)
    with pytest.raises(Refused, match="One frame is finished"):
        ask(rafe, shot, "taught.teach", line)
    for frame in (FIRST - 1, LAST + 1):
        with pytest.raises(Refused, match="not live on frame"):
            teaching.finish(rafe, shot.pk, line, frame)
    with pytest.raises(Refused, match="is not finished"):
        teaching.open_again(rafe, shot.pk, line, FIRST + 1)
    group = str(uuid.uuid4())
    edit(shot, rafe, do="new group", shape=group, name="all", members=[kite], frame=FIRST, colour=1)
    with pytest.raises(Refused, match="A group cannot"):
        edit(shot, rafe, do="add line", entry=str(uuid.uuid4()), matte=str(shot.mattes.get().pk), shape=group, mode="teach")


def test_a_pair_that_lies_on_another_frame_is_said(shot, rafe, kite, line):  # noqa: F811
    finish(shot, rafe, line, kite, FIRST + 2)
    row = StackEntry.objects.get(pk=line)
    row.source["finished"][0]["frame"] = FIRST + 4  # as if its files were numbered wrongly
    row.save()
    (one,) = teaching.standing(rafe, shot.pk, line)["finished"]
    assert one["frame"] == FIRST + 4 and one["better_on"] == FIRST + 2


def test_the_page_sees_pairs_and_is_not_troubled_by_a_line_that_was_not_taught(shot, rafe, kite, line, client):  # noqa: F811
    client.force_login(rafe)
    place = f"/api/shots/{shot.pk}"
    reply = client.post(f"{place}/mattes/{shot.mattes.get().pk}/picture", {"frame": FIRST, "solve": True}, content_type="application/json")
    assert reply.status_code == 200
    assert client.get(f"{place}/taught/{line}/pair/{FIRST}").status_code == 404
    said = {"frame": FIRST, "finished": True}
    assert client.post(f"{place}/taught/{line}/finish", said, content_type="application/json").status_code == 200
    shown = np.asarray(Image.open(io.BytesIO(client.get(f"{place}/taught/{line}/pair/{FIRST}").content)))
    third = shown.shape[1] // 3
    assert shown.shape[1] == 3 * third and (shown[:, third : 2 * third] == 255).any()
    assert client.get(f"{place}/taught/{line}").json()["finished"] == [
        {"frame": FIRST, "stale": False, "better_on": None, "off": None, "unseen": False}
    ]


def test_a_delivery_holds_the_taught_line_and_waits_for_it_to_be_taught(shot, rafe, kite, taught):  # noqa: F811
    delivered_holds_the_kite(shot, rafe)
    frozen = core(shot)
    assert document.loads(document.dumps(frozen)).entries[1].source == frozen.entries[1].source
    edit(shot, rafe, do="entry", entry=str(taught), mode="solve")
    edit(shot, rafe, do="entry", entry=str(taught), mode="teach")
    row = StackEntry.objects.get(pk=taught)
    row.source = {}
    row.save()
    it = delivery.ask(rafe, shot.pk, shot.mattes.get().pk)
    delivery.deliver(it.pk)
    it.refresh_from_db()
    assert it.state == "failed" and "not taught yet" in str(it.wrong) + it.message


def test_a_matte_from_elsewhere_is_a_line_and_is_corrected_here(shot, rafe, kite):  # noqa: F811
    row = brought.bring_in(rafe, shot.pk, "their roto", [still(frame) for frame in range(FIRST, LAST + 1)])
    carry_out(row.job)
    row.refresh_from_db()
    said = {"do": "bring line", "shape": str(uuid.uuid4()), "entry": str(uuid.uuid4()), "matte": str(shot.mattes.get().pk)}
    edit(shot, rafe, **said, brought=row.pk, name="their roto")
    assert [(e.shape.name, e.mode) for e in core(shot).entries] == [("their roto", "bring"), ("kite body", "add")]
    theirs = brought.alpha(row, FIRST + 1).astype(np.float32) / 65535
    alone = render(replace(core(shot), entries=core(shot).entries[1:]), FIRST + 1).alpha
    assert np.allclose(whole(shot, FIRST + 1), theirs + alone - theirs * alone, atol=1e-4) and theirs.max() == alone.max() == 1
    before = whole(shot, FIRST + 1)
    edit(shot, rafe, do="shot picture", first=101, along=True)
    assert np.array_equal(whole(shot, 102), before) and (whole(shot, 103) != before).any()
    row.refresh_from_db()
    assert np.array_equal(brought.alpha(row, 102), np.rint(theirs * 65535))
    actions.undo(rafe, shot.pk, uuid.uuid4())
    shot.refresh_from_db()
    assert np.array_equal(whole(shot, FIRST + 1), before)
    with pytest.raises(Refused, match="a line of the matte kite"):
        brought.remove(rafe, shot.pk, row.pk)
    with pytest.raises(Refused, match="not read yet"):
        edit(shot, rafe, **said | {"shape": str(uuid.uuid4()), "entry": str(uuid.uuid4())}, brought=99, name="theirs")


def test_an_outline_is_made_of_what_was_taught(shot, rafe, kite, taught):  # noqa: F811
    before = {frame: whole(shot, frame) > 0.5 for frame in range(FIRST, LAST + 1)}
    job = carry_out(ask(rafe, shot, "taught.outline", taught))
    assert job.state == "done", job.message
    shot.refresh_from_db()
    top = core(shot).entries[-1]
    assert top.shape.name == "frayed edge outline" and top.mode == "add" and set(LESSONS) <= set(top.shape.form.frames.tolist())
    assert "frayed edge outline" in job.message and "px on the worst frame" in job.message
    made = replace(core(shot), entries=(top,))
    for frame, was in before.items():
        alpha = render(made, frame).alpha > 0.5
        assert (alpha & was).sum() > 0.9 * (alpha | was).sum()
    assert Edit.objects.filter(shot=shot, summary__startswith="made frayed edge outline: ").count() == 1
    actions.undo(rafe, shot.pk, uuid.uuid4())
    shot.refresh_from_db()
    assert core(shot).entries[-1].shape.name != "frayed edge outline" and not shot.tracks.exists()


def test_an_outline_waits_until_something_is_taught(shot, rafe, kite, line):  # noqa: F811
    with pytest.raises(Refused, match="not filled yet"):
        ask(rafe, shot, "taught.outline", line)
