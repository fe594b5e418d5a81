"""Somebody without an account, with a link to a package: looks, writes a note, and keeps what was written when the link has run out."""

import pytest
from django.test import Client
from django.utils import timezone
from selenium.webdriver.common.by import By

from jaythread.delivery import actions as delivery
from jaythread.desk.models import Note
from jaythread.receiving import actions as receiving
from jaythread.receiving.models import Link

from ..conftest import trace

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def secret(shot, people):
    trace(shot, people["rafe"])
    it = delivery.ask(people["rafe"], shot.pk, shot.mattes.get().pk)
    delivery.deliver(it.pk)
    return receiving.make_link(people["rafe"], it.pk, "Lantern Post", 3)[1]


def write(artist, says: str, frame: int) -> None:
    artist.css("[name=says]").send_keys(says)
    artist.css("[name=number]").send_keys(str(frame))
    artist.click("Send")


def test_a_note_is_written_by_a_link_and_kept_for_them_when_it_has_run_out(artist, secret):
    artist.go(f"/package/{secret}")
    write(artist, "The tail has lost its last bow here.", 1004)
    artist.until(lambda: "Your note is with them." in artist.text)
    assert "1004 Lantern Post: The tail has lost its last bow here." in artist.text
    note = Note.objects.get()
    assert (note.frame, note.by, note.says) == (1004, "Lantern Post", "The tail has lost its last bow here.")
    Link.objects.update(until=timezone.now())
    write(artist, "The left spar wanders, too.", 1006)
    artist.until(lambda: "This link has run out" in artist.text)
    left = artist.browser.find_element(By.TAG_NAME, "textarea").get_attribute("value")
    assert left == "The left spar wanders, too." and Note.objects.count() == 1


@pytest.mark.parametrize("path", ["/productions/make", "/api/shots/1/jobs"])
def test_a_form_from_elsewhere_is_refused_in_words(path, people):
    elsewhere = Client(enforce_csrf_checks=True)
    elsewhere.force_login(people["rafe"], "jaythread.accounts.session_store.People")
    reply = elsewhere.post(path, {"name": "Taken"}, HTTP_ORIGIN="null")
    assert reply.status_code == 403 and "did not come from a page of this site" in reply.content.decode()
