"""Long work: one runner for every kind. A kind made for these tests shows what all of them get."""

import re
import time
from dataclasses import replace
from datetime import timedelta

import pytest
from asgiref.sync import async_to_sync
from django.db import IntegrityError, OperationalError, connection
from django.test import Client
from django.utils import timezone
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob, ProcrastinateWorker
from pydantic import BaseModel, Field

from jaythread.environment import BASE
from jaythread.errors import NotAllowed, NotThere, Refused
from jaythread.jobs import actions, near, progress, tasks
from jaythread.jobs.models import Job, State
from jaythread.jobs.registry import KINDS, Kind, Prepared
from roto.errors import BadTrack

from ..conftest import ask, carry_out, lose_the_database

pytestmark = pytest.mark.django_db
BACKEND = "jaythread.accounts.session_store.People"


class Lengths(BaseModel):
    """How many steps; and which of them goes wrong."""

    steps: int = Field(5, ge=0, le=50)
    bad: int = -1


@pytest.fixture
def kind(monkeypatch):
    """Work that counts kites; `acts` says what happens beside it at a step, `ended` who was told at its end."""
    it = type("Counting", (), {"acts": {}, "ended": [], "seen": []})()

    def prepare(shot, subject, said):
        if subject == "sunk":
            raise Refused("That boat is sunk.")
        return Prepared(total=said.steps)

    def run(job, told):
        steps = job.settings["steps"]
        told.begin(steps)
        for step in range(1, steps + 1):
            it.acts.get(step, lambda: None)()
            if step == job.settings["bad"]:
                raise BadTrack("a kite is missing")
            it.seen.append(step)
            told.step(step)
        return f"Counted {steps} kites."

    it.kind = Kind(
        name="kites.count", may="trace", busy="These kites are being counted already.", settings=Lengths, prepare=prepare, run=run,
        ended=lambda job: it.ended.append(job.state), at_once=2,
    )  # fmt: skip
    monkeypatch.setitem(KINDS, "kites.count", it.kind)
    monkeypatch.setattr(progress, "TELL_EVERY", 0.0)
    return it


def queued(job) -> int:
    return ProcrastinateJob.objects.filter(task_name="jobs.carry_out", args__job_id=job.pk).count()


def test_work_waits_for_a_worker_and_ends_with_its_sentence(people, shot, kind):
    job = ask(people["rafe"], shot, "kites.count", "sky", steps=5)
    assert (job.state, job.total, queued(job), kind.seen) == (State.WAITING, 5, 1, [])
    done = carry_out(job)
    assert (done.state, done.done, done.percent, done.message) == (State.DONE, 5, 100, "Counted 5 kites.")
    assert kind.ended == [State.DONE]


def test_short_work_is_done_when_asking_returns_and_never_queued(people, shot, kind):
    job = ask(people["rafe"], shot, "kites.count", "sky", steps=2)
    assert (job.state, job.message, queued(job)) == (State.DONE, "Counted 2 kites.", 0)


def test_the_same_work_is_not_asked_for_twice_but_again_when_it_is_over(people, shot, kind):
    first = ask(people["rafe"], shot, "kites.count", "sky")
    with pytest.raises(Refused, match="being counted already"):
        ask(people["marta"], shot, "kites.count", "sky")
    other = ask(people["marta"], shot, "kites.count", "shore")
    carry_out(first)
    again = ask(people["marta"], shot, "kites.count", "sky")
    assert len({first.pk, other.pk, again.pk}) == 3
    assert actions.newest_of("kites.count", "sky") == again


def test_the_database_itself_keeps_work_single(people, shot, kind):
    ask(people["rafe"], shot, "kites.count", "sky")
    with pytest.raises(IntegrityError):
        Job.objects.create(kind="kites.count", subject="sky", shot=shot, user=people["rafe"])


def test_what_cannot_be_done_is_refused_and_leaves_nothing(people, shot, kind):
    for subject, settings, sentence in (("sunk", {}, "sunk"), ("sky", {"steps": 51}, "steps"), ("sky", {"steps": "many"}, "steps")):
        with pytest.raises(Refused, match=sentence):
            ask(people["rafe"], shot, "kites.count", subject, **settings)
    for name in ("kites.sell", "", "plate.decode"):  # the last one is known, but no page asks for it
        with pytest.raises(Refused, match="no work called"):
            ask(people["rafe"], shot, name, "sky")
    assert not Job.objects.filter(kind="kites.count").exists()


def test_who_may_not_trace_asks_for_nothing_and_stops_nothing(people, shot, kind):
    with pytest.raises(NotAllowed):
        ask(people["noor"], shot, "kites.count", "sky")
    with pytest.raises(NotThere):
        ask(people["otto"], shot, "kites.count", "sky")
    job = ask(people["rafe"], shot, "kites.count", "sky")
    with pytest.raises(NotAllowed):
        actions.cancel(people["noor"], shot.pk, job.pk)
    job.refresh_from_db()
    assert not job.cancel


def test_work_that_waits_ends_at_once_when_it_is_cancelled(people, shot, kind):
    job = ask(people["rafe"], shot, "kites.count", "sky")
    actions.cancel(people["rafe"], shot.pk, job.pk)
    job.refresh_from_db()
    assert (job.state, kind.ended) == (State.CANCELLED, [State.CANCELLED])
    assert carry_out(job).state == State.CANCELLED and kind.seen == []
    assert ask(people["rafe"], shot, "kites.count", "sky").pk != job.pk


def test_work_under_way_stops_at_its_next_step_and_keeps_what_it_has(people, shot, kind):
    job = ask(people["rafe"], shot, "kites.count", "sky")
    kind.acts[3] = lambda: actions.cancel(people["rafe"], shot.pk, job.pk)
    done = carry_out(job)
    assert (done.state, done.done, kind.seen, kind.ended) == (State.CANCELLED, 3, [1, 2, 3], [State.CANCELLED])


def test_cancelling_what_is_over_or_never_was(people, shot, kind):
    job = carry_out(ask(people["rafe"], shot, "kites.count", "sky"))
    actions.cancel(people["rafe"], shot.pk, job.pk)
    job.refresh_from_db()
    assert job.state == State.DONE, "what is done stays done"
    with pytest.raises(NotThere):
        actions.cancel(people["rafe"], shot.pk, job.pk + 1000)


def test_what_goes_wrong_becomes_a_sentence(people, shot, kind):
    failed = carry_out(ask(people["rafe"], shot, "kites.count", "sky", bad=2))
    assert (failed.state, failed.message, failed.done) == (State.FAILED, "a kite is missing", 1)
    assert kind.ended == [State.FAILED]


def test_a_full_disk_is_said_without_the_paths_of_the_machine(people, shot, kind):
    def full():
        raise OSError(28, "No space left on device", "/srv/jaythread/plates/7")

    kind.acts[2] = full
    job = carry_out(ask(people["rafe"], shot, "kites.count", "beach"))
    assert job.state == State.FAILED and "No space left on device. Make room" in job.message and "/srv" not in job.message


def test_no_more_is_done_than_there_was_to_do(people, shot, kind):
    job = ask(people["rafe"], shot, "kites.count", "beach")
    told = progress.Progress(job)
    told.begin(2)
    for done in (1, 2, 3):
        told.step(done)
    job.refresh_from_db()
    assert (job.done, job.total, job.percent) == (3, 3, 100)


def test_the_time_that_is_left_goes_by_the_pace_of_the_last_seconds():
    pace = progress.Pace()
    assert pace.left(0, 100, 50.0) is None
    assert pace.left(10, 100, 51.0) is None, "a second says little"
    assert pace.left(20, 100, 54.0) == 16, "five a second, eighty to go"
    for k in range(1, 31):  # half as quick from here on
        left = pace.left(20 + k, 100, 54.0 + 2 * k)
    assert left == 100, "two seconds each, and fifty to go: how quick it was at first is forgotten"
    assert pace.left(104, 100, 120.0) == 0


@pytest.mark.parametrize(
    ("left", "words"),
    [(None, ""), (3, ""), (4, "about 5 s left"), (62, "about 60 s left"), (100, "about 2 min left"), (7300, "about 2 h left")],
)
def test_the_time_that_is_left_is_told_in_words_while_it_runs(left, words):
    assert Job(state=State.WORKING, left=left).rest == words
    assert Job(state=State.DONE, left=left).rest == ""


def test_a_fault_of_ours_is_logged_and_told_without_its_insides(people, shot, kind, caplog):
    job = ask(people["rafe"], shot, "kites.count", "sky")
    kind.acts[2] = lambda: 1 / 0
    with pytest.raises(ZeroDivisionError):
        actions.carry_out(job.pk)
    job.refresh_from_db()
    assert job.state == State.FAILED and "Nothing you saved is lost" in job.message and "division" not in job.message
    assert "kites.count failed" in caplog.text


def test_work_of_a_killed_worker_is_done_when_it_is_carried_out_again(people, shot, kind):
    job = ask(people["rafe"], shot, "kites.count", "sky", steps=4)
    kind.acts[3] = lambda: (_ for _ in ()).throw(SystemExit())
    with pytest.raises(SystemExit):
        actions.carry_out(job.pk)
    job.refresh_from_db()
    assert job.state == State.WORKING, "as a killed worker leaves it"
    kind.acts.clear()
    assert carry_out(job).state == State.DONE


def test_what_the_queue_has_forgotten_is_queued_again_once(people, shot, kind):
    job = ask(people["rafe"], shot, "kites.count", "sky")
    long_ago = timezone.now() - actions.LOST_AFTER - timedelta(seconds=1)
    Job.objects.filter(pk=job.pk).update(changed=long_ago)
    assert actions.requeue_lost() == 0, "it stands in the queue"
    ProcrastinateJob.objects.filter(args__job_id=job.pk).delete()
    assert actions.requeue_lost() == 1 and queued(job) == 1
    assert actions.requeue_lost() == 0
    Job.objects.filter(pk=job.pk).update(changed=timezone.now())
    ProcrastinateJob.objects.filter(args__job_id=job.pk).delete()
    assert actions.requeue_lost() == 0, "one that told of itself just now is not lost"


@pytest.mark.django_db(transaction=True)
def test_work_that_loses_the_database_on_the_way_does_not_fail_but_is_taken_up_again(people, shot, kind):
    job = ask(people["rafe"], shot, "kites.count", "sky")
    kind.acts[3] = lose_the_database
    with pytest.raises(OperationalError):
        actions.carry_out(job.pk)
    connection.close()
    job.refresh_from_db()
    assert (job.state, job.message, kind.ended) == (State.WORKING, "", [])
    kind.acts.clear()
    Job.objects.filter(pk=job.pk).update(changed=timezone.now() - actions.LOST_AFTER - timedelta(seconds=1))
    ProcrastinateJob.objects.filter(args__job_id=job.pk).delete()  # the queue has done with what raised
    assert actions.requeue_lost() == 1
    assert carry_out(job).state == State.DONE


def test_work_whose_kind_is_gone_is_left_alone(people, shot, kind, monkeypatch):
    job = ask(people["rafe"], shot, "kites.count", "sky")
    monkeypatch.delitem(KINDS, "kites.count")
    assert carry_out(job).state == State.WAITING
    with pytest.raises(NotThere):
        actions.cancel(people["rafe"], shot.pk, job.pk)


def test_reports_are_spaced_out_but_the_last_one_is_written(people, shot, kind, monkeypatch):
    monkeypatch.setattr(progress, "TELL_EVERY", 60.0)
    job = ask(people["rafe"], shot, "kites.count", "sky", steps=5)
    written = []
    kind.acts.update({k: lambda: written.append(Job.objects.get(pk=job.pk).done) for k in (2, 3, 4, 5)})
    assert carry_out(job).done == 5
    assert written == [0, 0, 0, 0]


def test_of_each_kind_and_subject_the_newest_is_told_and_what_changed_since(people, shot, kind):
    old = carry_out(ask(people["rafe"], shot, "kites.count", "sky"))
    new = ask(people["rafe"], shot, "kites.count", "sky")
    other = carry_out(ask(people["rafe"], shot, "kites.count", "shore"))
    told = {job.pk for job in actions.newest(shot) if job.kind == "kites.count"}
    assert told == {new.pk, other.pk} and old.pk not in told
    moment = timezone.now()
    time.sleep(0.01)
    carry_out(new)
    assert [job.pk for job in actions.newest(shot, moment)] == [new.pk]


def test_over_the_api(people, shot, kind):
    client = Client()
    client.force_login(people["rafe"], backend=BACKEND)
    path = f"/api/shots/{shot.pk}/jobs"
    body = {"kind": "kites.count", "subject": "sky", "settings": {"steps": 4}}
    job = client.post(path, body, content_type="application/json").json()
    assert (job["state"], job["total"], job["percent"], job["settings"]["steps"]) == ("waiting", 4, 0, 4)
    assert client.post(path, body, content_type="application/json").json()["message"] == "These kites are being counted already."
    assert [j["id"] for j in client.get(path).json()["jobs"] if j["kind"] == "kites.count"] == [job["id"]]
    assert job["id"] in [j["id"] for j in client.get(f"/api/productions/{shot.production_id}/jobs").json()["jobs"]]
    assert client.post(f"{path}/{job['id']}/cancel").json()["id"] == job["id"]
    assert client.get(path).json()["jobs"][0]["state"] == "cancelled"


@pytest.fixture
def warm(kind, monkeypatch):
    """The same work, of which a worker remembers things; and the worker that did it last, with nothing in hand."""
    monkeypatch.setitem(KINDS, "kites.count", replace(kind.kind, warm=True))
    queue_says("insert into procrastinate_workers default values")
    worker = ProcrastinateWorker.objects.order_by("-pk")[0]
    return worker, {"worker": worker.pk, "near": "near.mill"}


def queue_says(words: str, *given: object) -> None:
    """Change the queue's own tables, which Django only reads."""
    with connection.cursor() as cursor:
        cursor.execute(words, given)


def standing(job) -> dict[str, bool]:
    """The queues that a job stands in, and whether it waits there."""
    return {row.queue_name: row.scheduled_at is not None for row in ProcrastinateJob.objects.filter(args__job_id=job.pk)}


def test_warm_work_goes_to_who_did_it_before_and_to_anybody_a_little_later(people, shot, kind, warm):
    first = ask(people["rafe"], shot, "kites.count", "sky")
    assert standing(first) == {"jobs": False}
    actions.carry_out(first.pk, by=warm[1])
    again, other = ask(people["rafe"], shot, "kites.count", "sky"), ask(people["rafe"], shot, "kites.count", "sea")
    assert standing(again) == {"near.mill": False, "jobs": True}
    assert standing(other) == {"jobs": False}, "of the sea nobody remembers anything"

    actions.carry_out(again.pk, again=False, by=warm[1])
    seen = list(kind.seen)
    actions.carry_out(again.pk, again=False)
    assert kind.seen == seen, "who comes to it second leaves it alone"
    assert near.drop_left() == 1 and standing(again) == {"jobs": True}


def test_warm_work_does_not_wait_for_a_worker_that_is_gone_or_busy(people, shot, warm):
    worker, by = warm
    actions.carry_out(ask(people["rafe"], shot, "kites.count", "sky").pk, by=by)
    other = ask(people["rafe"], shot, "kites.count", "sea")
    queue_says("update procrastinate_jobs set status = 'doing', worker_id = %s where args->>'job_id' = %s", worker.pk, str(other.pk))
    busy = ask(people["rafe"], shot, "kites.count", "sky")
    assert standing(busy) == {"jobs": False}
    queue_says("update procrastinate_jobs set status = 'succeeded'")
    actions.carry_out(busy.pk, by=by)
    queue_says("update procrastinate_workers set last_heartbeat = now() - interval '2 minutes'")
    assert standing(ask(people["rafe"], shot, "kites.count", "sky")) == {"jobs": False}


def test_work_that_was_lost_in_the_middle_is_begun_again(people, shot, kind):
    job = ask(people["rafe"], shot, "kites.count", "sky")
    Job.objects.filter(pk=job.pk).update(state=State.WORKING, changed=timezone.now() - timedelta(minutes=2))
    queue_says("delete from procrastinate_jobs")
    assert actions.requeue_lost() == 1
    actions.carry_out(job.pk, again=False)
    assert kind.seen == [1, 2, 3, 4, 5]


@pytest.mark.django_db(transaction=True)
def test_what_stalled_in_a_workers_own_queue_is_taken_up_by_others(people, shot, kind, warm):
    worker, by = warm
    actions.carry_out(ask(people["rafe"], shot, "kites.count", "sky").pk, by=by)
    again = ask(people["rafe"], shot, "kites.count", "sky")
    queue_says("update procrastinate_jobs set status = 'doing', worker_id = %s where queue_name = 'near.mill'", worker.pk)
    queue_says("update procrastinate_workers set last_heartbeat = now() - interval '2 minutes'")
    Job.objects.filter(pk=again.pk).update(state=State.WORKING)
    async_to_sync(tasks.sweep.func)(None, 0)
    rows = ProcrastinateJob.objects.filter(args__job_id=again.pk, queue_name="jobs", status="todo", attempts=1)
    assert rows.count() == 1, "it stands where all look, as a further try"
    assert not ProcrastinateJob.objects.filter(queue_name__startswith="near.", args__job_id=again.pk).exists()


def test_whatever_is_queued_by_name_is_a_task():
    sources = "".join(path.read_text() for path in (BASE / "jaythread").rglob("*.py"))
    named = set(re.findall(r'configure_task\(\s*"([\w.]+)"', sources)) | set(re.findall(r'\bqueue\("([\w.]+)"', sources))
    assert len(named) >= 8 and named <= set(app.tasks)
