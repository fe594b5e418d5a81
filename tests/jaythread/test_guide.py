"""The guide as pages: each step of the desk has one, all words are found, pictures are there."""

import re

import pytest
from django.test import Client

from jaythread.guide.sections import PICTURES, found, sections

pytestmark = pytest.mark.django_db


def test_each_step_of_the_desk_has_a_page_with_a_picture(people):
    client = Client()
    client.force_login(people["rafe"], backend="jaythread.accounts.session_store.People")
    for step in ("trace", "place", "soften", "carry", "check", "the-stack"):
        page = client.get(f"/guide/{step}").content.decode()
        assert sections()[step].title in page and "**" not in sections()[step].html
        for name in re.findall(r"/guide/pictures/([\w-]+)\.png", page):
            assert client.get(f"/guide/pictures/{name}.png")["Content-Type"] == "image/png" and (PICTURES / f"{name}.png").exists()
    assert client.get("/guide/nowhere").status_code == 404 and client.get("/guide/pictures/settings.png").status_code == 404


def test_pages_are_found_by_all_of_the_words(people):
    assert {s.slug for s in found("outer reach")} >= {"soften"} and found("outer reach nonsense") == []
    client = Client()
    client.force_login(people["rafe"], backend="jaythread.accounts.session_store.People")
    told = client.get("/guide/search?words=working range").json()["pages"]
    assert {"title": "The working range", "url": "/guide/the-working-range"} in told
    assert "No page has all of these words" in client.get("/guide?words=xyzzy").content.decode()
