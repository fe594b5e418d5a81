"""Questions that are put into SQL once: they answer what Django's own would, and who asks is looked up by them."""

import uuid

import pytest
from django.contrib.auth import BACKEND_SESSION_KEY
from django.db.models import F
from django.test import Client

from jaythread.desk.models import Matte
from jaythread.prepared import Prepared
from jaythread.productions.models import Membership, Shot

pytestmark = pytest.mark.django_db


def fields_of(row):
    return {field.attname: getattr(row, field.attname) for field in row._meta.concrete_fields}


def test_rows_are_those_of_the_query(shot, people, django_assert_num_queries):
    Matte.objects.create(shot=shot, name="hat", shift=[[1001, 0.5]])

    def by_name(name, shot_id):
        return Matte.objects.filter(name=name, shot_id=shot_id).select_related("shot").annotate(house=F("shot__production__name"))

    asked = Prepared(by_name, "some name", 1_000_001)
    for name in ("hat", "kite", "none", "hat"):
        with django_assert_num_queries(1):
            found = asked(name, shot.pk)
        with django_assert_num_queries(0):
            joined = [(fields_of(one.shot), one.house) for one in found]
        wanted = by_name(name, shot.pk)
        assert [fields_of(one) for one in found] == [fields_of(one) for one in wanted]
        assert joined == [(fields_of(one.shot), one.house) for one in wanted]
    assert asked.first("hat", shot.pk).shift == [[1001, 0.5]] and asked.first("hat", shot.pk + 1) is None
    found[0].name = "cap"
    found[0].save()
    assert Matte.objects.get(pk=found[0].pk).name == "cap" and asked("hat", shot.pk) == []


def test_a_value_that_the_query_leaves_out_is_noticed(shot):
    with pytest.raises(AssertionError):
        Prepared(lambda name, other: Shot.objects.filter(name=name), "some name", "another")("KITE_010", "MILL_040")


def test_who_asks_costs_two_questions_and_is_answered_as_it_is_now(client, people, shot, django_assert_num_queries):
    client.force_login(people["rafe"])
    address = f"/api/shots/{shot.pk}/mattes/{shot.mattes.get().pk}/picture"
    asked = {"data": {"frame": 1001, "box": [0, 0, 8, 8]}, "content_type": "application/json"}
    assert client.post(address, **asked).status_code == 200
    with django_assert_num_queries(3):  # the session, its person, the shot with what they may do
        assert client.post(address, **asked).status_code == 200
    Membership.objects.filter(user=people["rafe"]).delete()
    assert client.post(address, **asked).status_code == 404
    assert client.get("/me").status_code == 200
    people["rafe"].is_active = False
    people["rafe"].save()
    assert client.get("/me").status_code == 302


def test_a_session_from_before_goes_on_and_one_that_is_over_does_not(client, people):
    client.force_login(people["rafe"])
    kept = client.session
    kept[BACKEND_SESSION_KEY] = "django.contrib.auth.backends.ModelBackend"
    kept.save()
    assert client.get("/me").status_code == 200
    kept.set_expiry(-5)
    kept.save()
    assert client.get("/me").status_code == 302
    stranger = Client()
    stranger.cookies["sessionid"] = uuid.uuid4().hex
    assert stranger.get("/me").status_code == 302
