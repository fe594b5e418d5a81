"""Handing over: to a bench that behaves and one that does not, answers and notes, links for people without an account."""

import uuid
from datetime import timedelta

import pytest
from django.utils import timezone

from jaythread.bell import actions as bell
from jaythread.delivery import actions as delivery
from jaythread.desk.edit import actions as desk
from jaythread.desk.models import Note
from jaythread.desk.review import notes
from jaythread.errors import NotAllowed, NotThere, Refused
from jaythread.receiving import actions, transfer
from jaythread.receiving.models import Link, Sending
from jaythread.review import way

from ..conftest import command, trace

pytestmark = pytest.mark.django_db


@pytest.fixture
def bench(standing_bench, monkeypatch):
    """The other side; waits are only counted."""
    app, _ = standing_bench
    app.waited = []
    monkeypatch.setattr(actions, "later", lambda sending_id, seconds: app.waited.append(seconds))
    monkeypatch.setattr(transfer, "PIECE", 200)
    monkeypatch.setattr("bench.trouble.time.sleep", lambda seconds: None)
    return app


@pytest.fixture
def package(shot, people):
    trace(shot, people["rafe"])
    it = delivery.ask(people["rafe"], shot.pk, shot.mattes.get().pk)
    delivery.deliver(it.pk)
    it.refresh_from_db()
    return it


def handed(package, people) -> Sending:
    it = actions.send(people["rafe"], package.pk)
    for _ in range(60):  # each run ends: no worker sleeps while the other side is not well
        actions.carry_out(it.pk)
        it.refresh_from_db()
        if not it.under_way:
            break
    return it


def received(bench) -> dict[str, bytes]:
    store = bench.config["store"]
    (state,) = store.all()
    root = store.home(state["id"]) / "files"
    return {p.relative_to(root).as_posix(): p.read_bytes() for p in root.rglob("*") if p.is_file()}


def the_files(package) -> dict[str, bytes]:
    return {p.relative_to(package.package).as_posix(): p.read_bytes() for p in package.package.rglob("*") if p.is_file()}


def test_a_package_arrives_whole_and_counts_only_when_it_is_accepted(bench, package, people):
    it = handed(package, people)
    assert it.state == "received, not answered yet" and it.sent == it.total and received(bench) == the_files(package)
    with pytest.raises(Refused, match="handed over already"):
        actions.send(people["rafe"], package.pk)
    with bench.test_client() as door:
        door.post(f"/packages/{it.remote}/answer", data={"answer": "accept"})
    assert actions.look(it).state == "accepted" and way.state_of(package.matte) == "accepted"
    (step, *_) = package.matte.steps.all()
    assert (step.was, step.now, step.by, step.says) == ("delivered", "accepted", "the other side", "Package 1")
    actions.carry_out(it.pk)  # done again, nothing happens
    assert len(bench.config["store"].all()) == 1


@pytest.mark.parametrize(("kind", "times"), [("slow", 3), ("breaking off", 5), ("full", 3), ("losing a file", 1), ("losing a file", 2)])
def test_what_passes_is_waited_for_and_no_byte_is_sent_twice_that_arrived(bench, package, people, kind, times, monkeypatch):
    bench.config["trouble"].set(kind, times)
    out, whole = [], transfer.Point._piece

    def counted(self, where, at, length, data):
        whole(self, where, at, length, data)
        out.append((where, at, len(data)))

    monkeypatch.setattr(transfer.Point, "_piece", counted)
    it = handed(package, people)
    assert it.state == "received, not answered yet" and received(bench) == the_files(package)
    if kind in ("breaking off", "full"):
        assert bench.waited and bench.waited == sorted(bench.waited) and it.tries == times
    arrived = [(where, k) for where, at, size in out for k in range(at, at + size)]
    if kind != "losing a file":
        assert len(arrived) == len(set(arrived))


@pytest.mark.parametrize(("kind", "says"), [("refusing", "refuses"), ("full", "no room"), ("losing a file", "never arrive whole")])
def test_what_does_not_pass_is_said_and_nothing_counts_as_delivered(bench, package, people, kind, says):
    bench.config["trouble"].set(kind, 1000)
    it = handed(package, people)
    assert it.state == "failed" and says in it.message
    bench.config["trouble"].set("none", 0)
    again = handed(package, people)
    assert (
        again.state == "received, not answered yet" and again.remote in (it.remote, again.remote) and len(bench.config["store"].all()) == 1
    )


def test_an_answer_waits_while_the_other_side_is_silent(bench, package, people, shot, settings):
    note = Note.objects.create(shot=shot, frame=1004, says="soft here", by="noor", ref="00" * 8 + ":1")
    notes.answer(people["rafe"], shot.pk, note.pk, "mended")
    there, settings.BENCH = settings.BENCH, "http://127.0.0.1:9"
    assert actions.send_answers() == 0 and not note.answers.get().sent
    settings.BENCH = there  # their note is not there (any more): nothing is tried for ever
    assert actions.send_answers() == 1 and note.answers.get().sent
    with pytest.raises(Refused, match="Write an answer"):
        notes.answer(people["rafe"], shot.pk, note.pk, "  ")


def test_silence_is_tried_for_a_while_and_then_said(bench, package, people, settings):
    settings.BENCH = "http://127.0.0.1:9"
    it = handed(package, people)
    assert it.state == "failed" and "does not answer" in it.message and len(bench.waited) == actions.TRIES - 1
    assert bench.waited[1] == 2 * bench.waited[0]


def test_sending_stops_when_asked(bench, package, people, monkeypatch):
    whole = transfer.Point._piece

    def stopped(self, *rest):
        whole(self, *rest)
        if Sending.objects.get().sent > 1000:
            actions.cancel(people["rafe"], Sending.objects.get().pk)

    monkeypatch.setattr(transfer.Point, "_piece", stopped)
    it = handed(package, people)
    assert it.state == "cancelled" and 0 < it.sent < it.total
    monkeypatch.setattr(transfer.Point, "_piece", whole)
    assert handed(package, people).state == "received, not answered yet"
    with pytest.raises(Refused, match="no longer"):
        actions.cancel(people["rafe"], it.pk)


def test_a_note_comes_back_to_its_frame_and_place_once(bench, package, people, client, shot):
    it = handed(package, people)
    with bench.test_client() as door:
        door.post(
            f"/packages/{it.remote}/answer", data={"answer": "return", "at": "3", "x": "40", "y": "20.5", "says": "soft here", "by": "noor"}
        )
    actions.look_all()
    actions.look_all()
    note = Note.objects.get()
    assert (note.frame, note.x, note.y, note.says, note.by, note.package) == (1004, 40.0, 20.5, "soft here", "noor", "kite version 1")
    it.refresh_from_db()
    assert it.state == "returned with notes" and way.state_of(package.matte) == "returned"
    assert package.matte.steps.first().says == "Package 1, with 1 note"
    assert "the other side returns KITE_010, kite: Package 1, with 1 note" in [w.says for w in bell.words_of(people["marta"])]
    client.force_login(people["rafe"], backend="jaythread.accounts.session_store.People")
    assert client.get(f"/api/shots/{shot.pk}/news?revision=0").json()["notes"][0]["text"] == "soft here"
    assert b"1 note" in client.get(f"/productions/{shot.production_id}").content
    assert b"soft here" in client.get(f"/deliveries/{package.pk}/hand-over").content
    client.post(f"/deliveries/{package.pk}/notes/{note.pk}/answer", {"says": "mended, 12 px tighter"})
    assert b"being sent" in client.get(f"/deliveries/{package.pk}").content
    assert actions.send_answers() == 1 and actions.send_answers() == 0
    assert b"mended, 12 px tighter" in client.get(f"/deliveries/{package.pk}").content
    with bench.test_client() as door:
        assert b"mended, 12 px tighter" in door.get(f"/packages/{it.remote}").data
    told = client.get(f"/api/shots/{shot.pk}/news?revision=0").json()["notes"][0]["answers"]
    assert told == [{"by": "rafe", "text": "mended, 12 px tighter"}]
    client.post(f"/api/shots/{shot.pk}/notes/{note.pk}/state", {"state": "done"}, content_type="application/json")
    assert Note.objects.get().state == "done" and b"1 note" not in client.get(f"/productions/{shot.production_id}").content


def test_what_the_other_side_says_is_not_believed_blindly(package, people):
    it = Sending.objects.create(delivery=package, user=people["rafe"], state=Sending.State.RECEIVED, remote="x")
    rows = [
        {"id": 1},
        {"id": "b", "frame": 1001, "says": "?"},
        {"id": 2, "frame": "no", "says": ""},
        {"id": 3, "frame": 1001, "says": "a" * 5000},
        {"id": 4, "frame": 1001, "says": "there", "x": float("nan"), "y": 3},
        {"id": 5, "frame": 1001, "says": "there", "x": 3, "y": float("inf")},
        {"id": 6, "frame": 10**30, "says": "then"},
        {"id": 7, "frame": float("inf"), "says": "then"},
        7,
    ]
    actions.take_answer(it, {"state": "whatever", "notes": rows})
    assert it.state == Sending.State.RECEIVED and [len(n.says) for n in Note.objects.all()] == [1000]


def test_what_is_odd_goes_to_nobody_before_it_is_looked_at(shot, people, package):
    shape = str(package.matte.entries.get().shape_id)
    desk.edit(people["rafe"], shot.pk, uuid.uuid4(), None, command(do="live", shape=shape, ranges=[[1001, 1003], [1005, 1008]]))
    it = delivery.ask(people["rafe"], shot.pk, package.matte_id)
    delivery.deliver(it.pk)
    for act in (lambda: actions.send(people["rafe"], it.pk), lambda: actions.make_link(people["rafe"], it.pk, "noor", 3)):
        with pytest.raises(Refused, match="odd"):
            act()
    delivery.accept(people["rafe"], it.pk)
    assert actions.make_link(people["rafe"], it.pk, "noor", 3)[0].says == "noor"


def test_a_link_leads_to_that_package_alone_for_its_time_and_until_it_is_taken_back(client, package, people, shot):
    link, secret = actions.make_link(people["rafe"], package.pk, "a grader", 3)
    assert secret not in str(Link.objects.values_list().get())
    page = client.get(f"/package/{secret}")
    assert b"a grader" in page.content and b"KITE_010" in page.content and page["Cache-Control"] == "private, no-store"
    whole = b"".join(client.get(f"/package/{secret}/package").streaming_content)
    assert whole[:2] == b"PK" and Link.objects.get().fetched == 1
    assert b"".join(client.get(f"/package/{secret}/sheet").streaming_content)[:4] == b"\x89PNG"
    assert client.get(f"/package/{secret}/..%2fmanifest.json").status_code == 404
    assert client.get(f"/deliveries/{package.pk}/fetch").status_code == 302 and client.get("/package/guess").status_code == 404
    Link.objects.update(until=timezone.now() - timedelta(seconds=1))
    assert client.get(f"/package/{secret}").status_code == 404
    Link.objects.update(until=timezone.now() + timedelta(days=1))
    with pytest.raises(NotAllowed):
        actions.revoke(people["noor"], link.pk)
    with pytest.raises(NotThere):
        actions.revoke(people["otto"], link.pk)
    actions.revoke(people["rafe"], link.pk)
    assert client.get(f"/package/{secret}").status_code == 404 == client.get(f"/package/{secret}/package").status_code
    for says, days in (("", 3), ("noor", 0), ("noor", 61)):
        with pytest.raises(Refused):
            actions.make_link(people["rafe"], package.pk, says, days)


def test_no_worker_sleeps_while_the_other_side_is_away_and_stopping_is_said_at_once(bench, package, people, settings):
    settings.BENCH = "http://127.0.0.1:9"
    it = actions.send(people["rafe"], package.pk)
    actions.carry_out(it.pk)
    it.refresh_from_db()
    assert it.under_way and bench.waited == [settings.BENCH_WAIT] and "Trying again in" in it.message
    actions.cancel(people["rafe"], it.pk)
    assert bench.waited[-1] == 0  # it is looked at now, not when its turn would come
    actions.carry_out(it.pk)
    it.refresh_from_db()
    assert it.state == "cancelled"
