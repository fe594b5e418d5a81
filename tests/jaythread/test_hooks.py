"""Webhooks: other programs are told what happens, signed, and told again where they did not answer."""

import base64
import hashlib
import hmac
import json

import pytest
from procrastinate.contrib.django.models import ProcrastinateJob
from werkzeug.wrappers import Request, Response

from jaythread.delivery import actions as delivery
from jaythread.errors import NotAllowed, NotThere, Refused
from jaythread.hooks import actions as hooks
from jaythread.hooks.models import Call
from jaythread.review import way

from ..conftest import serving, trace

pytestmark = pytest.mark.django_db
ALL = list(hooks.EVENTS)


class Pipeline:
    """Another program of the house. answers: the status that it gives; heard: what it was sent."""

    def __init__(self):
        self.answers, self.heard = 204, []

    def __call__(self, environ, start):
        request = Request(environ)
        self.heard.append((dict(request.headers), request.get_data()))
        return Response(status=self.answers)(environ, start)


@pytest.fixture
def pipeline():
    it = Pipeline()
    with serving(it) as it.address:
        yield it


def waits():
    return list(ProcrastinateJob.objects.filter(task_name="hooks.call", status="todo").order_by("id"))


def tell():
    """Do what the queue has of it now, as a worker does."""
    for job in waits():
        hooks.call(job.args["call_id"])
        ProcrastinateJob.objects.filter(pk=job.pk).delete()


@pytest.fixture
def matte(shot, people):
    trace(shot, people["rafe"])
    return shot.mattes.get()


def test_a_program_is_told_and_can_prove_who_told_it(shot, people, matte, pipeline):
    _, secret = hooks.add(people["marta"], shot.production_id, pipeline.address, ALL)
    way.go(people["rafe"], shot.pk, matte.pk, "hand in")
    way.go(people["marta"], shot.pk, matte.pk, "return", "softer at the tail")
    tell()
    events = [json.loads(body) for _, body in pipeline.heard]
    assert [e["type"] for e in events] == ["matte.handed_in", "matte.returned"]
    assert events[1]["data"]["says"] == "softer at the tail" and events[1]["data"]["by"] == "marta"
    head, body = pipeline.heard[1]
    signed = f"{head['Webhook-Id']}.{head['Webhook-Timestamp']}.".encode() + body
    key = base64.b64decode(secret.removeprefix("whsec_"))
    assert head["Webhook-Signature"] == "v1," + base64.b64encode(hmac.new(key, signed, hashlib.sha256).digest()).decode()
    assert Call.objects.filter(done=True).count() == 2 and not waits()


def test_a_package_that_is_proved_is_told_and_what_nobody_asked_for_is_not(shot, people, matte, pipeline):
    hooks.add(people["marta"], shot.production_id, pipeline.address, ["package.proved"])
    way.go(people["rafe"], shot.pk, matte.pk, "hand in")
    it = delivery.ask(people["rafe"], shot.pk, matte.pk)
    delivery.deliver(it.pk)
    tell()
    told = [json.loads(body) for _, body in pipeline.heard]
    assert [(t["type"], t["data"]["delivery"], t["data"]["frames"]) for t in told] == [("package.proved", it.pk, 8)]


def test_who_does_not_answer_is_told_again_ever_later_and_given_up_in_the_end(shot, people, matte, pipeline):
    hooks.add(people["marta"], shot.production_id, pipeline.address, ALL)
    pipeline.answers = 503
    way.go(people["rafe"], shot.pk, matte.pk, "hand in")
    when = []
    for _ in hooks.LATER:
        tell()
        when.append(waits()[0].scheduled_at)
    assert when == sorted(when) and Call.objects.get().answer == 503
    same = {head["Webhook-Id"] for head, _ in pipeline.heard}
    tell()
    call = Call.objects.get()
    assert len(same) == 1 and not waits() and call.ended and not call.done and call.tries == len(hooks.LATER) + 1


@pytest.mark.parametrize("answers", [301, 404, 500])
def test_only_a_plain_yes_counts_and_nobody_is_followed_elsewhere(shot, people, matte, pipeline, answers):
    hooks.add(people["marta"], shot.production_id, pipeline.address, ALL)
    pipeline.answers = answers
    way.go(people["rafe"], shot.pk, matte.pk, "hand in")
    tell()
    assert len(pipeline.heard) == 1 and len(waits()) == 1


def test_a_program_that_is_away_is_no_harm(shot, people, matte):
    hooks.add(people["marta"], shot.production_id, "http://127.0.0.1:9/jay", ALL)
    way.go(people["rafe"], shot.pk, matte.pk, "hand in")
    tell()
    assert Call.objects.get().message == "No answer: ConnectionError." and len(waits()) == 1


def test_leads_name_addresses_and_take_them_away(shot, people, client):
    place = shot.production_id
    for address, events in (
        ("ftp://a.example", ALL),
        ("nowhere", ALL),
        ("https://a.example/x", []),
        (f"https://a.example/{'x' * 300}", ALL),
    ):
        with pytest.raises(Refused):
            hooks.add(people["marta"], place, address, events)
    with pytest.raises(NotAllowed):
        hooks.add(people["rafe"], place, "https://a.example", ALL)
    client.force_login(people["marta"], backend="jaythread.accounts.session_store.People")
    page = client.post(f"/productions/{place}/hooks", {"address": "https://a.example/jay", "event": ALL}, follow=True).content.decode()
    assert "whsec_" in page and "whsec_" not in client.get(f"/productions/{place}/hooks").content.decode()
    hook = shot.production.hooks.get()
    client.post(f"/productions/{place}/hooks/{hook.pk}/take-away")
    with pytest.raises(NotThere):
        hooks.take_away(people["marta"], place, hook.pk)
