"""What concerns somebody: said to them once, on the page and by letter; and what changed since they were here."""

from datetime import date, timedelta

import pytest
from django.core import mail
from django.utils import timezone

from jaythread.bell import actions as bell
from jaythread.bell.models import Visit, Word
from jaythread.errors import Refused
from jaythread.review import board, way

from ..conftest import trace

pytestmark = pytest.mark.django_db
BACKEND = "jaythread.accounts.session_store.People"


def said(user):
    return [w.says for w in bell.words_of(user)]


@pytest.fixture
def matte(shot, people):
    trace(shot, people["rafe"])
    return shot.mattes.get()


def test_a_mattes_way_is_told_to_whom_it_concerns_and_not_to_who_went_it(shot, people, matte):
    rafe, marta = people["rafe"], people["marta"]
    board.assign(marta, shot.production_id, [matte.pk], "rafe", date(2027, 3, 1))
    way.go(rafe, shot.pk, matte.pk, "hand in")
    way.go(marta, shot.pk, matte.pk, "return", "the tail is cut")
    assert said(rafe) == ["marta returns KITE_010, kite: the tail is cut", "marta gives you KITE_010 kite, due 01 Mar."]
    assert said(marta) == ["rafe hands in KITE_010, kite."] and said(people["noor"]) == said(people["otto"]) == []


def test_the_head_counts_what_is_not_read_and_a_word_leads_to_its_page(shot, people, matte, client):
    rafe, marta = people["rafe"], people["marta"]
    way.go(rafe, shot.pk, matte.pk, "hand in")
    client.force_login(marta, BACKEND)
    assert b'<b class="figures now">1</b>' in client.get("/bell").content
    (word,) = bell.words_of(marta)
    assert client.post(f"/bell/{word.pk}/follow").url == f"/shots/{shot.pk}/mattes/{matte.pk}/look"
    assert bell.unread(marta) == 0
    client.force_login(rafe, BACKEND)
    assert client.post(f"/bell/{word.pk}/follow").status_code == 404


def test_whoever_left_a_production_hears_nothing_of_it_any_more(shot, people, matte):
    bell.tell([people["rafe"].pk, people["otto"].pk], shot.production, "something", "/")
    assert said(people["rafe"]) == ["something"] and said(people["otto"]) == []
    shot.production.memberships.filter(user=people["rafe"]).delete()
    assert said(people["rafe"]) == [] and bell.unread(people["rafe"]) == 0


def test_letters_go_to_those_with_an_address_once_and_not_about_what_was_read(shot, people, settings):
    rafe, marta = people["rafe"], people["marta"]
    with pytest.raises(Refused, match="no e-mail address"):
        bell.letters_to(rafe, "rafe at saltmarsh")
    bell.letters_to(rafe, "rafe@saltmarsh.example")
    settings.SITE = "https://jay.example"
    bell.tell([rafe.pk, marta.pk], shot.production, "one", "/a")
    bell.tell([rafe.pk], shot.production, "two", "/b")
    bell.tell([rafe.pk], shot.production, "read already", "/c")
    Word.objects.filter(says="read already").update(read=True)
    assert bell.mail() == 1 and bell.mail() == 0
    (letter,) = mail.outbox
    assert letter.to == ["rafe@saltmarsh.example"] and "2 things" in letter.subject
    assert "one\nhttps://jay.example/a" in letter.body and "two" in letter.body and "read already" not in letter.body


def test_a_mail_server_that_is_away_is_tried_again(shot, people, monkeypatch):
    bell.letters_to(people["rafe"], "rafe@saltmarsh.example")
    bell.tell([people["rafe"].pk], shot.production, "one", "/a")

    def away(*args):
        raise ConnectionRefusedError

    monkeypatch.setattr(bell, "send_mail", away)
    assert bell.mail() == 0 and not Word.objects.get().mailed
    monkeypatch.undo()
    assert bell.mail() == 1 and len(mail.outbox) == 1


def test_what_changed_since_somebody_was_here_is_marked_for_the_length_of_a_visit(shot, people, matte, client):
    client.force_login(people["marta"], BACKEND)
    where = f"/productions/{shot.production_id}/board"
    assert 'class="fresh"' not in client.get(where).content.decode()  # a first visit: nothing is new
    Visit.objects.update(last=timezone.now() - timedelta(hours=2))
    way.go(people["rafe"], shot.pk, matte.pk, "hand in")
    assert 'class="fresh"' in client.get(where).content.decode()
    assert 'class="fresh"' in client.get(where).content.decode()  # and stays while the page is looked at
    Visit.objects.update(last=timezone.now() - timedelta(minutes=31), before=timezone.now() - timedelta(hours=3))
    shot.edits.update(made=timezone.now() - timedelta(hours=1))
    type(matte.standing).objects.update(changed=timezone.now() - timedelta(hours=1))
    assert 'class="fresh"' not in client.get(where).content.decode()


def test_the_board_says_what_waits_what_was_packed_and_how_much_is_open(shot, people, matte, client):
    from jaythread.delivery import actions as delivery

    made = delivery.ask(people["rafe"], shot.pk, matte.pk)
    delivery.deliver(made.pk)
    client.force_login(people["marta"], BACKEND)
    page = client.get(f"/productions/{shot.production_id}/board").content.decode()
    assert f'href="/shots/{shot.pk}/deliveries">1</a>' in page and "delivered" in page and "Look at what waits" not in page
