"""Notes of a production as one list: what becomes of them, pictures in them, on paper, as a table, as markers, by a link."""

import csv
import io
from datetime import timedelta

import cv2
import numpy as np
import opentimelineio as otio
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.utils import timezone

from jaythread.bell import actions as bell
from jaythread.delivery import actions as delivery
from jaythread.desk.models import Note
from jaythread.desk.review import notes
from jaythread.errors import NotAllowed, NotThere, Refused
from jaythread.receiving import actions as receiving
from jaythread.receiving.models import Link
from jaythread.review import noted

from ..conftest import FIRST, SIZE, trace

pytestmark = pytest.mark.django_db
BACKEND = "jaythread.accounts.session_store.People"


@pytest.fixture
def marta(people):
    return people["marta"]


@pytest.fixture
def rafe(people):
    return people["rafe"]


def packaged(shot, rafe):
    made = delivery.ask(rafe, shot.pk, shot.mattes.first().pk)
    delivery.deliver(made.pk)
    return made


def test_what_is_done_is_done_by_somebody_and_in_the_next_package(shot, rafe, marta):
    trace(shot, rafe)
    packaged(shot, rafe)
    note = notes.add(marta, shot.pk, "softer", FIRST)
    trace(shot, rafe, name="patch")
    notes.settle(rafe, shot.pk, note.pk, "done")
    (told,) = notes.notes_of(marta, shot.pk)
    assert (told["state"], told["settled_by"], told["version"]) == ("done", "rafe", "")  # the package before has it not
    packaged(shot, rafe)
    assert notes.notes_of(marta, shot.pk)[0]["version"] == "kite 2" == noted.notes(marta, shot.production_id)[0].version
    notes.settle(rafe, shot.pk, note.pk, "open")
    assert (Note.objects.get().settled_by, Note.objects.get().settled_at) == ("", None)


def test_what_is_not_done_says_why_and_its_author_is_told(shot, rafe, marta, people):
    note = notes.add(marta, shot.pk, "softer", FIRST)
    for reason, says in (("", "few words"), ("x" * 301, "300"), ("a\x00", "300")):
        with pytest.raises(Refused, match=says):
            notes.settle(rafe, shot.pk, note.pk, "not done", reason)
    notes.settle(rafe, shot.pk, note.pk, "not done", "the plate is soft there")
    assert notes.notes_of(marta, shot.pk)[0]["reason"] == "the plate is soft there"
    assert [w.says for w in bell.words_of(marta)] == ["rafe does not do a note ('the plate is soft there') on KITE_010, frame 1001: softer"]
    with pytest.raises(NotAllowed):
        notes.settle(people["noor"], shot.pk, note.pk, "done")
    with pytest.raises(Refused):
        notes.settle(rafe, shot.pk, note.pk, "gone")


def test_a_note_for_somebody_is_told_to_them_and_an_answer_to_its_author(shot, rafe, marta):
    note = notes.add(marta, shot.pk, "softer", FIRST, to="rafe")
    notes.add(rafe, shot.pk, "for myself", FIRST, to="rafe")
    assert [w.says for w in bell.words_of(rafe)] == ["marta has a note for you on KITE_010, frame 1001: softer"]
    notes.answer(rafe, shot.pk, note.pk, "how much?")
    assert [w.says for w in bell.words_of(marta)] == ["rafe answers 'how much?' to a note on KITE_010, frame 1001: softer"]


def test_a_picture_is_put_into_a_note_once_by_its_author(shot, rafe, marta, client):
    note = notes.add(marta, shot.pk, "like this", FIRST)
    data = cv2.imencode(".jpg", np.full((900, 2000, 3), (40, 90, 200), np.uint8))[1].tobytes()
    with pytest.raises(Refused, match="not a picture"):
        notes.paste(marta, shot.pk, note.pk, b"\x89PNG no")
    with pytest.raises(Refused, match="whoever wrote it"):
        notes.paste(rafe, shot.pk, note.pk, data)
    client.force_login(marta, BACKEND)
    where = f"/api/shots/{shot.pk}/notes/{note.pk}/pasted"
    assert client.post(where, {"file": SimpleUploadedFile("a.jpg", data)}).status_code == 200
    assert client.post(where, {"file": SimpleUploadedFile("a.jpg", data)}).status_code == 422  # once
    kept = cv2.imdecode(np.frombuffer(b"".join(client.get(where)), np.uint8), cv2.IMREAD_COLOR)
    assert kept.shape == (576, 1280, 3) and np.abs(kept[100, 100].astype(int) - (40, 90, 200)).max() < 6
    shown = cv2.imdecode(np.frombuffer(noted.picture(rafe, shot.pk, note.pk), np.uint8), cv2.IMREAD_COLOR)
    assert shown.shape[0] == 320 and shown.shape[1] == 480 + round(1280 * 320 / 576)  # the frame, and the picture beside it


def test_the_picture_of_a_note_shows_what_was_drawn(shot, rafe, marta):
    drawn = notes.add(marta, shot.pk, "here", FIRST, strokes=[[[60, 50], [90, 50]]])
    plain = notes.add(marta, shot.pk, "all of it", FIRST)
    with_it, without = (
        cv2.imdecode(np.frombuffer(noted.picture(rafe, shot.pk, n.pk), np.uint8), cv2.IMREAD_COLOR)[..., ::-1].astype(int)
        for n in (drawn, plain)
    )
    y, x = round(50 * 480 / SIZE[0]), round(75 * 480 / SIZE[0])
    assert with_it[y, x, 0] > with_it[y, x, 2] + 80 and np.abs(with_it - without)[y, x].max() > 60  # ochre
    assert np.abs(with_it - without)[20:60, 20:60].max() < 12
    with pytest.raises(NotThere):
        noted.picture(rafe, shot.pk, 10**9)


def test_the_table_is_read_by_another_library_and_no_cell_is_a_formula(shot, rafe, marta, client):
    one = notes.add(marta, shot.pk, '=HYPERLINK("x"), "quoted"', FIRST + 1, FIRST + 3, [[[10, 10], [20, 10]]], "rafe")
    notes.answer(rafe, shot.pk, one.pk, "mended")
    notes.add(rafe, shot.pk, "softer", FIRST)
    client.force_login(marta, BACKEND)
    reply = client.get(f"/productions/{shot.production_id}/notes.csv")
    rows = list(csv.DictReader(io.StringIO(reply.content.decode())))
    assert [r["note"] for r in rows] == ["softer", '\'=HYPERLINK("x"), "quoted"']
    assert (rows[1]["first frame"], rows[1]["last frame"], rows[1]["x"], rows[1]["to"], rows[1]["answers"]) == (
        "1002",
        "1004",
        "15.0",
        "rafe",
        "rafe: mended",
    )
    only = client.get(f"/productions/{shot.production_id}/notes.csv?words=MENDED&state=open").content.decode()
    assert len(only.splitlines()) == 2


def test_open_notes_are_markers_that_an_editor_opens(shot, rafe, marta, client):
    notes.add(marta, shot.pk, "softer", FIRST + 1, FIRST + 3)
    done = notes.add(marta, shot.pk, "was so", FIRST)
    notes.settle(rafe, shot.pk, done.pk, "done")
    client.force_login(marta, BACKEND)
    line = otio.adapters.read_from_string(client.get(f"/shots/{shot.pk}/notes.otio").content.decode(), "otio_json")
    (marker,) = line.tracks[0][0].markers
    assert (marker.name, marker.marked_range.start_time.value, marker.marked_range.duration.value) == ("softer", FIRST + 1, 3)


def test_the_page_lists_settles_and_prints(shot, rafe, marta, client):
    note = notes.add(marta, shot.pk, "<b>softer</b>", FIRST, to="rafe")
    notes.add(marta, shot.pk, "for all", FIRST)
    client.force_login(rafe, BACKEND)
    where = f"/productions/{shot.production_id}/notes"
    page = client.get(f"{where}?to=rafe").content.decode()
    assert "&lt;b&gt;softer&lt;/b&gt;" in page and "for all" not in page
    back = client.post(f"/shots/{shot.pk}/notes/{note.pk}/settle", {"state": "not done", "reason": "meant so", "back": "to=rafe"})
    assert back.url == f"{where}?to=rafe#note-{note.pk}" and Note.objects.get(pk=note.pk).reason == "meant so"
    assert "no-paper" in client.get(f"{where}?paper=1").content.decode()


@pytest.fixture
def link(shot, rafe):
    trace(shot, rafe)
    made, secret = receiving.make_link(rafe, packaged(shot, rafe).pk, "the grader", 3)
    return made, f"/package/{secret}"


def test_whoever_has_a_link_writes_a_note_on_a_frame_of_the_package(shot, rafe, marta, link, client):
    _, where = link
    assert client.post(f"{where}/note", {"says": "softer at the tail", "number": "1003", "by": ""}).status_code == 302
    note = Note.objects.get()
    assert (note.frame, note.by, note.package) == (1003, "the grader", "kite version 1")
    assert "the grader has a note on KITE_010, package 1: softer at the tail" in [w.says for w in bell.words_of(marta)]
    assert b"softer at the tail" in client.get(where).content
    for body, says in (
        ({"says": "a", "number": "77"}, "1001 to 1008"),
        ({"says": " ", "number": "1003"}, "1000 characters"),
        ({"says": "a", "number": "²"}, "1001 to"),
    ):
        refused = client.post(f"{where}/note", body)
        assert refused.status_code == 422 and says in refused.content.decode()
    assert Note.objects.count() == 1


def test_what_somebody_wrote_while_their_link_ran_out_is_given_back(shot, link, client):
    made, where = link
    client.get(where)
    Link.objects.filter(pk=made.pk).update(until=timezone.now() - timedelta(seconds=1))
    reply = client.post(f"{where}/note", {"says": "a long thought\nabout <the tail>", "number": "1003"})
    assert reply.status_code == 410 and "a long thought\nabout &lt;the tail&gt;" in reply.content.decode()
    assert reply["Cache-Control"] == "private, no-store" and not Note.objects.exists()
    assert client.get(where).status_code == 404
