"""Notes of people of the house: on a frame or a stretch, drawn, for somebody."""

import json

import pytest

from jaythread.desk.models import Note
from jaythread.desk.review import notes
from jaythread.errors import NotThere, Refused

from ..conftest import FIRST, LAST, edited

pytestmark = pytest.mark.django_db
ARROW = [[10.0, 10.0], [30.0, 20.0]]


@pytest.mark.parametrize("who", ["marta", "rafe", "noor"])
def test_every_member_may_write_one_and_all_are_told(shot, people, who):
    notes.add(people[who], shot.pk, "  softer \n here ", FIRST + 1, FIRST + 3, [ARROW, [[5, 5], [6, 6]]], "rafe")
    (told,) = notes.notes_of(people["rafe"], shot.pk)
    assert (told["text"], told["frame"], told["last"], told["by"], told["to"], told["state"]) == (
        "softer here",
        FIRST + 1,
        FIRST + 3,
        who,
        "rafe",
        "open",
    )
    assert told["strokes"][0] == ARROW and (told["x"], told["y"]) == (pytest.approx(12.75), pytest.approx(10.25))


def test_a_note_with_markup_is_text(shot, people):
    notes.add(people["marta"], shot.pk, "<img src=x onerror=alert(1)> & more", FIRST)
    assert notes.notes_of(people["rafe"], shot.pk)[0]["text"] == "<img src=x onerror=alert(1)> & more"


@pytest.mark.parametrize(
    "wrong,says",
    [
        ({"text": ""}, "1000"), ({"text": "x" * 100_000}, "1000"), ({"text": "a\x00b"}, "1000"), ({"frame": FIRST - 1}, "has frames"),
        ({"frame": LAST, "last": FIRST}, "has frames"), ({"last": LAST + 1}, "has frames"), ({"strokes": [[[float("nan"), 0]]]}, "strokes"),
        ({"strokes": [[[1e9, 0]]]}, "strokes"), ({"strokes": [ARROW] * 61}, "strokes"), ({"to": "otto"}, "not in this production"),
    ],
)  # fmt: skip
def test_what_cannot_be_a_note_is_a_sentence_and_nothing_is_kept(shot, people, wrong, says):
    with pytest.raises(Refused, match=says):
        notes.add(people["marta"], shot.pk, **({"text": "softer", "frame": FIRST} | wrong))
    assert not Note.objects.exists()


def test_strangers_write_none_and_nonsense_is_answered(shot, people, client):
    with pytest.raises(NotThere):
        notes.add(people["otto"], shot.pk, "hello", FIRST)
    client.force_login(people["noor"], backend="jaythread.accounts.session_store.People")
    for body in (
        {"text": "a", "frame": FIRST, "strokes": [[[1]]]},
        {"text": "a", "frame": 2**70},
        {"text": "a"},
        {"text": "x" * 300_000, "frame": 1},
    ):
        reply = client.post(f"/api/shots/{shot.pk}/notes", json.dumps(body), content_type="application/json")
        assert reply.status_code == 422 and reply.json()["message"]
    assert not Note.objects.exists()


def test_a_note_keeps_its_stretch_when_frames_are_numbered_anew(shot, people):
    notes.add(people["marta"], shot.pk, "softer", FIRST + 1, FIRST + 3)
    edited(people["rafe"], shot, do="shot picture", rate=(25, 1), pixel_aspect=1.0, first=101, along=True)
    note = Note.objects.get()
    assert (note.frame, note.last) == (102, 104)
