"""Accounts and who is in what: made, invited, closed; passwords, sessions, tokens; productions put away."""

import re
from datetime import timedelta

import pytest
from django.contrib.auth import get_user_model
from django.core import mail
from django.test import Client
from django.utils import timezone

from jaythread.accounts import guessing, people, sessions, tokens
from jaythread.accounts.models import SignedIn, Token
from jaythread.errors import NotAllowed, Refused
from jaythread.productions import actions, policies
from jaythread.productions.models import Membership

pytestmark = pytest.mark.django_db
PASSWORD = "four reeds in wind"


@pytest.fixture(name="people")
def with_keeper(people):
    people["marta"].is_superuser = True
    people["marta"].save()
    return people


def signed_in(who, password="saltmarsh", **more):
    client = Client(**more)
    assert client.post("/sign-in", {"username": who, "password": password}).status_code == 302, who
    return client


def is_in(client):
    return client.get("/me").status_code == 200


def link_in(page):
    return re.search(r"http://127\.0\.0\.1:8400(/password/[^\"\s]+)", page.content.decode())[1]


def set_password(client, link, password=PASSWORD):
    form = client.get(link, follow=True)
    return client.post(form.redirect_chain[-1][0], {"new_password1": password, "new_password2": password})


def test_somebody_new_is_invited_sets_a_password_and_is_at_work(people, production):
    lead = signed_in("marta")
    page = lead.post(
        f"/productions/{production.pk}/welcome", {"name": "ines", "address": "ines@saltmarsh.example", "role": "artist"}, follow=True
    )
    link = link_in(page)
    assert link in mail.outbox[0].body and mail.outbox[0].to == ["ines@saltmarsh.example"]
    assert link not in lead.get(f"/productions/{production.pk}").content.decode(), "it is shown once"
    ines = Client()
    assert "not been here yet" in lead.get(f"/productions/{production.pk}").content.decode()
    assert "too short" in set_password(ines, link, "short").content.decode()
    assert set_password(ines, link).status_code == 302 and ines.get(f"/productions/{production.pk}").status_code == 200
    assert "used up" in Client().get(link).content.decode()
    assert is_in(signed_in("ines", PASSWORD))


@pytest.mark.parametrize("name", ["", "two words", "rafe", "RAFE", "x" * 61, "a/b"])
def test_names_of_accounts_are_plain_and_used_once(people, production, name):
    with pytest.raises(Refused):
        actions.welcome(people["marta"], production.pk, name, "", "artist")
    assert get_user_model().objects.count() == 4 and production.memberships.count() == 3


def test_what_is_wrong_with_an_invitation_leaves_no_account(people, production):
    for address, role in (("no address", "artist"), ("", "captain")):
        with pytest.raises(Refused):
            actions.welcome(people["marta"], production.pk, "ines", address, role)
    assert not get_user_model().objects.filter(username="ines").exists()


def test_roles_are_changed_and_members_taken_out_by_a_lead_and_a_lead_stays(people, production):
    marta, rafe = people["marta"], people["rafe"]
    actions.invite(marta, production.pk, "rafe", "lead")
    assert policies.require(rafe, production.pk, "manage")
    actions.leave(rafe, production.pk, marta.pk)
    with pytest.raises(Refused, match="no lead"):
        actions.leave(rafe, production.pk, rafe.pk)
    with pytest.raises(NotAllowed):
        actions.leave(people["noor"], production.pk, rafe.pk)
    actions.leave(people["noor"], production.pk, people["noor"].pk)
    assert [m.user.username for m in Membership.objects.all()] == ["rafe"]


def test_a_closed_account_is_out_everywhere_and_comes_back_as_it_was(people, production):
    rafe, keeper = signed_in("rafe"), signed_in("marta")
    secret = tokens.make(people["rafe"], "nightly", False)
    script = {"headers": {"Authorization": f"Bearer {secret}"}}
    assert Client().get("/api/productions", **script).status_code == 200
    keeper.post(f"/people/{people['rafe'].pk}", {"what": "close"})
    assert not is_in(rafe) and Client().get("/api/productions", **script).status_code == 401
    assert Client().post("/sign-in", {"username": "rafe", "password": "saltmarsh"}).status_code == 200
    assert "account closed" in keeper.get(f"/productions/{production.pk}").content.decode()
    keeper.post(f"/people/{people['rafe'].pk}", {"what": "open"})
    assert is_in(signed_in("rafe")) and Client().get("/api/productions", **script).status_code == 200


def test_the_last_keeper_stays_one_and_others_are_made(people):
    marta, rafe = people["marta"], people["rafe"]
    for act in (lambda: people_close(marta), lambda: people_let(marta, False)):
        with pytest.raises(Refused, match="only keeper"):
            act()
    keeper = signed_in("marta")
    page = keeper.post(f"/people/{rafe.pk}", {"what": "keeper"}, follow=True)
    assert "rafe is a keeper now" in page.content.decode() and signed_in("rafe").get("/people").status_code == 200
    page = keeper.post("/people/new", {"name": "ines"}, follow=True)
    ines = get_user_model().objects.get(username="ines")
    assert set_password(Client(), link_in(page)).status_code == 302
    assert link_in(keeper.post(f"/people/{ines.pk}", {"what": "link"}, follow=True))
    assert "nothing like that" in keeper.post(f"/people/{ines.pk}", {"what": "bury"}, follow=True).content.decode()
    assert keeper.post("/people/99999", {"what": "close"}).status_code == 404


def people_close(who):
    return people.close(who, who.pk)


def people_let(who, keeps):
    return people.let_keep(who, who.pk, keeps)


def test_a_forgotten_password_is_set_anew_by_letter_and_ends_what_was_signed_in(people, settings):
    client, old = Client(), signed_in("rafe")
    assert "sends no letters" in client.get("/forgotten").content.decode()
    settings.EMAIL_HOST = "mail.saltmarsh.example"
    get_user_model().objects.filter(username="rafe").update(email="rafe@saltmarsh.example")
    pages = [
        client.post("/forgotten", {"email": who}, follow=True).content.decode()
        for who in ("rafe@saltmarsh.example", "nobody@saltmarsh.example")
    ]
    assert all("is on its way" in page for page in pages) and len(mail.outbox) == 1
    link = re.search(r"/password/\S+", mail.outbox[0].body)[0]
    assert set_password(client, link).status_code == 302 and is_in(client) and not is_in(old)
    again = Client(REMOTE_ADDR="10.0.0.9").post("/forgotten", {"email": "Rafe@saltmarsh.example"}, follow=True)
    assert "is on its way" in again.content.decode() and len(mail.outbox) == 1, "nobody's letter box is filled"


def test_a_password_is_changed_by_who_knows_it_and_other_browsers_are_out(people):
    here, there = signed_in("rafe"), signed_in("rafe")
    wrong = here.post("/me/password", {"old_password": "guess", "new_password1": PASSWORD, "new_password2": PASSWORD})
    assert wrong.status_code == 200 and is_in(there)
    here.post("/me/password", {"old_password": "saltmarsh", "new_password1": PASSWORD, "new_password2": PASSWORD})
    assert is_in(here) and not is_in(there) and is_in(signed_in("rafe", PASSWORD))


def test_one_sees_where_one_is_signed_in_and_ends_it(people):
    agent = "Mozilla/5.0 (X11; Linux x86_64; rv:128.0) Gecko/20100101 Firefox/128.0"
    here, there = signed_in("rafe"), signed_in("rafe", HTTP_USER_AGENT=agent, REMOTE_ADDR="10.0.0.7")
    third, other = signed_in("rafe"), signed_in("otto")
    page = here.get("/me").content.decode()
    assert "Firefox on Linux" in page and "10.0.0.7" in page and "this one" in page
    row = SignedIn.objects.get(address="10.0.0.7")
    assert other.post("/me/sessions/end", {"which": row.pk}).status_code == 404 and is_in(there)
    here.post("/me/sessions/end", {"which": row.pk})
    assert not is_in(there) and is_in(third)
    here.post("/me/sessions/end", {})
    assert is_in(here) and not is_in(third) and is_in(other)
    here.post("/sign-out")
    assert SignedIn.objects.filter(user=people["rafe"]).count() == 0, "what is over is not listed"


@pytest.mark.parametrize(
    ("agent", "says"),
    [
        (
            "Mozilla/5.0 (Macintosh; Intel Mac OS X 14_5) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/17.5 Safari/605.1.15",
            "Safari on macOS",
        ),
        (
            "Mozilla/5.0 (Windows NT 10.0; Win64; x64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/126.0 Safari/537.36",
            "Chromium or Chrome on Windows",
        ),
        ("curl/8.5", "a browser"),
        ("", "a browser"),
    ],
)
def test_browsers_are_told_in_words(agent, says):
    assert sessions.in_words(agent) == says


def test_a_script_is_let_in_by_its_token_and_only_as_far(people, shot, client):
    page = signed_in("rafe")
    secret = re.search(r'value="(jay_[^"]+)"', page.post("/me/tokens", {"name": "nightly"}, follow=True).content.decode())[1]
    assert secret not in page.get("/me").content.decode() and not Token.objects.filter(digest=secret).exists()
    look = {"headers": {"Authorization": f"Bearer {secret}"}, "content_type": "application/json"}
    assert client.get("/api/productions", **look).json()[0] | {"id": 0} == {
        "id": 0,
        "name": "Saltmarsh",
        "role": "artist",
        "archived": None,
    }
    shots = client.get(f"/api/productions/{shot.production_id}/shots", **look).json()
    assert shots[0]["mattes"] == ["kite"] and shots[0]["size"] == [96, 64] and shots[0]["rate"] == "24"
    note = (f"/api/shots/{shot.pk}/notes", {"text": "softer", "frame": 1001})
    refused = client.post(*note, **look)
    assert refused.status_code == 403 and "may look only" in refused.json()["message"] and not shot.notes.exists()
    work = {**look, "headers": {"Authorization": f"Bearer {tokens.make(people['rafe'], 'notes', True)}"}}
    assert client.post(*note, **work).status_code == 200 and shot.notes.get().by == "rafe"
    assert Token.objects.get(name="notes").used is not None
    tokens.take_back(people["rafe"], Token.objects.get(name="notes").pk)
    gone = client.post(*note, **work)
    assert gone.status_code == 401 and gone.json()["code"] == "token_unknown" and shot.notes.count() == 1


def test_guessing_at_tokens_is_slowed(people, client):
    def guess(k):
        return client.get("/api/productions", headers={"Authorization": f"Bearer jay_{k}"}).status_code

    assert [guess(k) for k in range(guessing.FROM_ONE)] == [401] * guessing.FROM_ONE and guess("more") == 429


def test_a_token_wants_a_name_and_there_are_not_too_many(people):
    with pytest.raises(Refused, match="name"):
        tokens.make(people["rafe"], " ", False)
    for k in range(tokens.MOST):
        tokens.make(people["rafe"], f"script {k}", False)
    with pytest.raises(Refused, match="Take one back"):
        tokens.make(people["rafe"], "one more", False)


def test_an_archived_production_is_looked_at_and_fetched_only(people, production, shot):
    marta = people["marta"]
    with pytest.raises(NotAllowed):
        actions.archive(people["rafe"], production.pk, True)
    actions.archive(marta, production.pk, True)
    for who in (marta, people["rafe"]):
        assert policies.shot_for(who, shot.pk, "look")
        with pytest.raises(NotAllowed, match="archived"):
            policies.shot_for(who, shot.pk, "trace")
    with pytest.raises(NotAllowed, match="receiver"):
        policies.shot_for(people["noor"], shot.pk, "trace")
    page = signed_in("marta").get("/").content.decode()
    assert page.index("Archived") < page.index(">Saltmarsh<")
    assert "Bring a shot in" not in signed_in("rafe").get(f"/productions/{production.pk}").content.decode()
    actions.archive(marta, production.pk, False)
    assert policies.shot_for(people["rafe"], shot.pk, "trace")


def test_a_session_whose_time_is_over_is_not_listed(people):
    client = signed_in("rafe")
    SignedIn.objects.get(user=people["rafe"]).session.__class__.objects.update(expire_date=timezone.now() - timedelta(days=1))
    assert sessions.of(people["rafe"]) == [] and not is_in(client)
