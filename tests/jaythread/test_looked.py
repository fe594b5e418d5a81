"""Looking at a matte: its pictures, what was found and noted, what waits beside it, and how it goes on."""

import uuid
from datetime import date

import cv2
import numpy as np
import pytest

from jaythread.desk.review import notes
from jaythread.errors import NotAllowed, NotThere
from jaythread.review import board, looked, way
from jaythread.review.models import Finding

from ..conftest import FIRST, edited, trace

pytestmark = pytest.mark.django_db


@pytest.fixture
def three(shot, people):
    """Three mattes that wait, handed in one after the other; the last one is due."""
    rafe = people["rafe"]
    trace(shot, rafe)
    for name in ("hand", "hat"):
        edited(rafe, shot, do="new matte", matte=str(uuid.uuid4()), name=name)
    rows = [shot.mattes.get(name=name) for name in ("kite", "hand", "hat")]
    for row in rows:
        way.go(rafe, shot.pk, row.pk, "hand in")
    board.assign(people["marta"], shot.production_id, [rows[2].pk], "rafe", date(2027, 3, 1))
    return shot, rows


def test_what_is_due_comes_first_and_each_step_leads_to_the_next_that_waits(three, people):
    shot, (kite, hand, hat) = three
    marta = people["marta"]
    assert [m.name for m in way.waiting(marta, shot.production_id)] == ["hat", "kite", "hand"]
    went = looked.go(marta, shot.pk, hat.pk, "approve", "")
    assert went == {"state": "approved", "next": f"/shots/{shot.pk}/mattes/{kite.pk}/look"}
    went = looked.go(marta, shot.pk, kite.pk, "return", "the tail is cut")
    assert went == {"state": "returned", "next": f"/shots/{shot.pk}/mattes/{hand.pk}/look"}
    assert looked.go(marta, shot.pk, hand.pk, "approve", "") == {"state": "approved", "next": ""}
    assert way.waiting(marta, shot.production_id) == []


def test_all_is_told_that_is_open_and_what_one_may_do(three, people):
    shot, (kite, *_) = three
    Finding.objects.create(matte=kite, what="gone", first=FIRST, last=FIRST, amount=1, harm=10, says="It is gone.", key="k")
    Finding.objects.create(matte=kite, what="hole", first=FIRST, last=FIRST, amount=1, harm=6, says="It was.", key="k", state="put right")
    done = notes.add(people["marta"], shot.pk, "was so", FIRST)
    notes.settle(people["rafe"], shot.pk, done.pk, "done")
    notes.add(people["marta"], shot.pk, "softer", FIRST, strokes=[[[1, 1], [5, 5]]])
    told = looked.told(people["marta"], shot.pk, kite.pk)
    assert [f["says"] for f in told["findings"]] == ["It is gone."] and [n["text"] for n in told["notes"]] == ["softer"]
    assert set(told["may"]) == {"take back", "approve", "return"} and [r["name"] for r in told["rest"]] == [
        "KITE_010, hat",
        "KITE_010, hand",
    ]
    assert looked.told(people["noor"], shot.pk, kite.pk)["may"] == []
    with pytest.raises(NotAllowed):
        looked.go(people["rafe"], shot.pk, kite.pk, "approve", "")
    with pytest.raises(NotThere):
        looked.told(people["otto"], shot.pk, kite.pk)


def test_the_picture_is_the_matte_as_it_is_now(three, people):
    shot, (kite, *_) = three
    shown = cv2.imdecode(np.frombuffer(looked.picture(people["noor"], shot.pk, kite.pk, FIRST), np.uint8), cv2.IMREAD_GRAYSCALE)
    assert shown.shape == (64, 96) and shown[35, 25] == 255 and shown[5, 5] == 0
    with pytest.raises(NotThere):
        looked.picture(people["noor"], shot.pk, kite.pk, 99)


def test_the_first_that_waits_is_opened_and_the_board_where_none_does(three, people, client):
    shot, rows = three
    client.force_login(people["marta"], "jaythread.accounts.session_store.People")
    where = f"/productions/{shot.production_id}/look"
    assert client.get(where).url == f"/shots/{shot.pk}/mattes/{rows[2].pk}/look"
    assert b"Look at what waits (3)" in client.get(f"/productions/{shot.production_id}/board").content
    for row in rows:
        way.go(people["marta"], shot.pk, row.pk, "approve")
    assert b"Nothing waits" in client.get(where, follow=True).content
