"""A matte's way between artist, lead and receiver; whose it is; the board of a production."""

import uuid
from datetime import date

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext

from jaythread.delivery import actions as delivery
from jaythread.desk.models import Note
from jaythread.errors import NotAllowed, NotThere, Refused
from jaythread.productions import actions as productions
from jaythread.productions.models import Shot
from jaythread.review import board, way
from jaythread.review.models import Finding, Standing, Step

from ..conftest import FIRST, edited, trace

pytestmark = pytest.mark.django_db


@pytest.fixture
def matte(shot):
    return shot.mattes.get()


def state(people, shot, matte, who="rafe"):
    return way.told(people[who], shot.pk, matte.pk)


def test_a_matte_goes_from_the_first_point_to_acceptance(shot, people, matte):
    rafe, marta, noor = people["rafe"], people["marta"], people["noor"]
    assert state(people, shot, matte)["state"] == "not begun"
    kite = trace(shot, rafe)
    assert state(people, shot, matte)["state"] == "in work" and state(people, shot, matte)["may"] == ["hand in"]
    way.go(rafe, shot.pk, matte.pk, "hand in")
    assert state(people, shot, matte, "marta")["may"] == ["take back", "approve", "return"]
    with pytest.raises(Refused, match="Say what"):
        way.go(marta, shot.pk, matte.pk, "return")
    way.go(marta, shot.pk, matte.pk, "return", "the left edge is soft")
    edited(rafe, shot, do="soften", shape=kite, frame=FIRST, outer=2)
    way.go(rafe, shot.pk, matte.pk, "hand in")
    way.go(marta, shot.pk, matte.pk, "approve")
    assert not state(people, shot, matte)["changed"]
    it = delivery.ask(rafe, shot.pk, matte.pk)
    delivery.deliver(it.pk)
    assert state(people, shot, matte)["state"] == "delivered"
    assert state(people, shot, matte, "noor")["may"] == ["accept", "send back"] and state(people, shot, matte)["may"] == []
    way.go(noor, shot.pk, matte.pk, "accept")
    told = state(people, shot, matte)
    assert [s["now"] for s in told["steps"]] == ["accepted", "delivered", "approved", "to look at", "returned", "to look at"]
    assert told["steps"][4]["says"] == "the left edge is soft" and told["steps"][4]["by"] == "marta"


@pytest.mark.parametrize(
    "change",
    [
        lambda kite, line, new: {"do": "place", "shape": kite, "frame": FIRST, "move": (1, 0)},
        lambda kite, line, new: {"do": "entry", "entry": line, "opacity": 0.5},
        lambda kite, line, new: {"do": "drop line", "entry": line},
    ],
)
def test_what_is_changed_after_approval_is_said_and_what_is_not_is_not(shot, people, matte, change):
    kite = trace(shot, people["rafe"])
    edited(people["rafe"], shot, do="new matte", matte=(other := str(uuid.uuid4())), name="hand")
    late = trace(shot, people["rafe"], name="late")
    edited(people["rafe"], shot, do="drop line", entry=str(matte.entries.get(shape=late).pk))
    way.go(people["marta"], shot.pk, matte.pk, "approve")
    shot.refresh_from_db()
    edited(people["rafe"], shot, do="add line", entry=str(uuid.uuid4()), matte=other, shape=late, mode="add")
    edited(people["rafe"], shot, do="place", shape=late, frame=FIRST, move=(1, 0))
    assert not state(people, shot, matte)["changed"]
    edited(people["rafe"], shot, **change(kite, str(matte.entries.get(shape=kite).pk), uuid.uuid4()))
    assert state(people, shot, matte)["changed"]


@pytest.mark.parametrize(
    "who,step,error",
    [("rafe", "approve", NotAllowed), ("noor", "hand in", NotAllowed), ("rafe", "accept", NotAllowed), ("otto", "hand in", NotThere),
     ("marta", "accept", Refused), ("marta", "take back", Refused), ("marta", "away", Refused)],
)  # fmt: skip
def test_nobody_takes_a_step_that_is_not_theirs_or_not_next(shot, people, matte, who, step, error):
    trace(shot, people["rafe"])
    with pytest.raises(error):
        way.go(people[who], shot.pk, matte.pk, step, "because")
    assert not Step.objects.exists() and not Standing.objects.exists()


def test_two_who_press_the_same_are_told(shot, people, matte):
    trace(shot, people["rafe"])
    way.go(people["marta"], shot.pk, matte.pk, "approve")
    with pytest.raises(Refused, match="quicker"):
        way.go(people["marta"], shot.pk, matte.pk, "approve")
    with pytest.raises(Refused, match="600"):
        way.go(people["marta"], shot.pk, matte.pk, "return", "x" * 601)


def test_mattes_are_given_to_those_who_trace(shot, people, matte):
    marta = people["marta"]
    assert board.assign(marta, shot.production_id, [matte.pk], "rafe", date(2027, 3, 1)) == 1
    told = state(people, shot, matte)
    assert (told["assigned"], told["due"]) == ("rafe", "2027-03-01")
    for name in ("noor", "otto", "nobody at all"):
        with pytest.raises(Refused, match="does not trace"):
            board.assign(marta, shot.production_id, [matte.pk], name)
    with pytest.raises(NotAllowed):
        board.assign(people["rafe"], shot.production_id, [matte.pk], "rafe")
    with pytest.raises(Refused, match="one matte"):
        board.assign(marta, shot.production_id, [uuid.uuid4()], "rafe")
    board.assign(marta, shot.production_id, [matte.pk], "")
    assert state(people, shot, matte)["assigned"] == ""


def test_the_board_shows_sorts_and_filters(shot, people, matte, client):
    rafe, marta = people["rafe"], people["marta"]
    trace(shot, rafe)
    for name in ("hand", "hat"):
        edited(rafe, shot, do="new matte", matte=str(uuid.uuid4()), name=name)
    hat = shot.mattes.get(name="hat")
    Finding.objects.create(matte=hat, what="gone", first=FIRST, last=FIRST, amount=1, harm=10, says="It is gone.", key="k")
    Finding.objects.create(matte=hat, what="gone", first=FIRST, last=FIRST, amount=1, harm=10, says="It was.", key="k", state="meant so")
    Note.objects.create(shot=shot, frame=FIRST, says="softer", by="noor")
    board.assign(marta, shot.production_id, [m.pk for m in shot.mattes.all()], "rafe")
    way.go(marta, shot.pk, hat.pk, "approve")
    way.go(marta, shot.pk, hat.pk, "return", "higher")

    def names(**asked):
        return [(m.name, m.stands) for m in board.chosen(board.board(rafe, shot.production_id), **asked)]

    assert names() == [("hand", "not begun"), ("hat", "returned"), ("kite", "in work")]
    assert (
        names(who="rafe")[0] == ("hat", "returned")
        and names(who="nobody") == []
        and names(words="ha", state="returned") == [("hat", "returned")]
    )
    assert [(m.found, m.notes_open) for m in board.chosen(board.board(rafe, shot.production_id), order="findings")] == [
        (1, 1),
        (0, 1),
        (0, 1),
    ]
    assert board.counts(board.board(rafe, shot.production_id))["returned"] == 1
    with pytest.raises(NotThere):
        board.board(people["otto"], shot.production_id)
    client.force_login(marta, backend="jaythread.accounts.session_store.People")
    page = client.get(f"/productions/{shot.production_id}/board?state=returned").content.decode()
    assert "hat" in page and "1 found" in page and ">kite<" not in page
    reply = client.post(f"/productions/{shot.production_id}/assign", {"matte": [str(hat.pk)], "who": "rafe", "due": "soon"}, follow=True)
    assert "year, month and day" in reply.content.decode()


def test_the_board_asks_as_many_questions_for_forty_shots_as_for_one(shot, people, client):
    client.force_login(people["marta"], backend="jaythread.accounts.session_store.People")
    where = f"/productions/{shot.production_id}/board"
    client.get(where)
    with CaptureQueriesContext(connection) as few:
        client.get(where)
    for k in range(40):
        it = Shot.objects.create(production=shot.production, name=f"DUNE_{k:03}", first=1, last=9, width=96, height=64)
        it.mattes.create(name="dune")
    with CaptureQueriesContext(connection) as many:
        client.get(where)
    assert len(many) <= len(few) + 1


def test_somebody_who_left_keeps_no_matte_from_being_looked_at(shot, people, matte):
    productions.invite(people["marta"], shot.production_id, "otto", "artist")
    board.assign(people["marta"], shot.production_id, [matte.pk], "otto")
    shot.production.memberships.filter(user=people["otto"]).delete()
    assert state(people, shot, matte)["assigned"] == "otto" and board.chosen(board.board(people["rafe"], shot.production_id), who="otto")
