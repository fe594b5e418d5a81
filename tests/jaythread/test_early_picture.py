"""The picture that comes with an edit's answer: begun before the edit is saved, and always that of what was saved."""

import base64
import io
import json
import uuid
from itertools import cycle

import numpy as np
import pytest
from PIL import Image

from jaythread.desk.analysis import fit
from jaythread.desk.document import core_cache
from jaythread.desk.models import Shape
from jaythread.desk.view import prerender
from roto.matte.render import render
from roto.motion import edits

from ..conftest import trace

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def page(client, shot, people):
    """Sends edits as the page does, with the revisions that it knows."""
    arm, hand = trace(shot, people["rafe"]), trace(shot, people["rafe"], ((50, 10), (80, 10), (80, 40)), name="hand")
    client.force_login(people["rafe"], backend="jaythread.accounts.session_store.People")
    matte = str(shot.mattes.get().pk)
    known = {str(s.pk): s.revision for s in Shape.objects.all()}
    words = cycle(("view", "look"))

    def send(shape, base=known, viewed=1001, **said):
        word = next(words)  # "look" is what older pages called it
        body = {"id": str(uuid.uuid4()), "base": {shape: base[shape]}, word: {"matte": matte, "frame": viewed}}
        reply = client.post(f"/api/shots/{shot.pk}/edits", json.dumps({**body, "command": {"shape": shape, **said}}), "application/json")
        if reply.status_code == 200:
            known.update({s["id"]: s["revision"] for s in reply.json()["shapes"]})
        return reply

    client.post(f"/api/shots/{shot.pk}/mattes/{matte}/picture", json.dumps({"frame": 1001}), "application/json")
    return send, arm, hand, known, client


def assert_is_present(shot, reply, frame=1001):
    told = reply.json()["picture"]
    x0, y0, x1, y1 = told["box"]
    shown = np.array(Image.open(io.BytesIO(base64.b64decode(told["png"]))))
    shot.refresh_from_db()
    fresh = render(core_cache.matte(shot, shot.mattes.get()), frame, depth="shown").alpha
    assert (shown == fresh[y0:y1, x0:x1]).all() and shown.any()


def test_it_is_that_of_what_was_saved_one_edit_after_the_other(shot, page):
    send, arm, hand, *_ = page
    for k, shape in enumerate((arm, hand, arm, arm, hand)):
        assert_is_present(shot, send(shape, do="place", frame=1001, move=(3 + k, 1)))


def test_a_guess_on_what_is_no_longer_so_is_thrown_away(shot, page, people):
    send, arm, hand, known, client = page
    assert_is_present(shot, send(arm, do="place", frame=1001, move=(3, 1)))
    stale = dict(known)
    client.force_login(people["marta"], backend="jaythread.accounts.session_store.People")
    assert send(hand, do="place", frame=1001, move=(-9, 4)).status_code == 200
    client.force_login(people["rafe"], backend="jaythread.accounts.session_store.People")
    assert_is_present(shot, send(arm, base=stale, do="place", frame=1001, move=(2, 2)))  # another shape: right, on the present matte
    refused = send(hand, base=stale, do="place", frame=1001, move=(5, 5))
    assert refused.status_code == 409 and "picture" not in refused.json()


def test_letting_go_draws_nothing_where_the_drag_has_shown_the_very_same(shot, page, monkeypatch):
    send, arm, hand, _, client = page
    drawn: list[str] = []
    monkeypatch.setattr(prerender, "render", lambda *args, **how: drawn.append("anew") or render(*args, **how))
    address = f"/api/shots/{shot.pk}/mattes/{shot.mattes.get().pk}/picture"

    def dragged(shape, **said):
        body = {"frame": 1001, "box": (0, 0, shot.width, shot.height), "quick": True, "draft": {"shape": shape, **said}}
        return client.post(address, json.dumps(body), "application/json").headers["X-Samples"]

    for shape in (arm, hand, arm):
        dragged(shape, do="place", frame=1001, move=(9, 9))
        dragged(shape, do="place", frame=1001, move=(3, 2))
        assert_is_present(shot, send(shape, do="place", frame=1001, move=(3, 2)))
    assert not drawn
    dragged(arm, do="place", frame=1001, move=(3, 2))
    assert_is_present(shot, send(arm, do="place", frame=1001, move=(3, 3)))
    dragged(arm, do="place", frame=1001, move=(3, 2))
    assert_is_present(shot, send(hand, do="place", frame=1001, move=(1, 1)))
    assert_is_present(shot, send(arm, do="place", frame=1001, move=(3, 2)))  # on what the hand has become
    assert len(drawn) == 3
    send(arm, do="place", frame=1002, move=(90, 0))  # so quick that a drag shows it in fewer samples
    assert dragged(arm, do="place", frame=1001, move=(1, 0)).endswith("+")
    assert_is_present(shot, send(arm, do="place", frame=1001, move=(1, 0)))
    assert len(drawn) == 5


def test_a_frame_that_somebody_looked_at_is_shown_as_it_stays(shot, page, people):
    send, arm, *_ = page
    send(arm, do="place", frame=1004, move=(9, 0))
    send(arm, do="place", frame=1008, move=(0, 9))
    fit.look_at(people["rafe"], shot.pk, shot.mattes.get().pk, 1003, True)
    assert_is_present(shot, send(arm, viewed=1003, do="place", frame=1008, move=(0, 25)), 1003)


def test_who_may_only_look_gets_no_picture_of_an_edit(page, people):
    send, arm, _, _, client = page
    client.force_login(people["noor"], backend="jaythread.accounts.session_store.People")
    reply = send(arm, do="place", frame=1001, move=(3, 1))
    assert reply.status_code == 403 and "picture" not in reply.json()


def test_a_change_of_the_stack_brings_no_picture_since_the_matte_in_memory_has_another(shot, page):
    send, arm, *_ = page
    matte = str(shot.mattes.get().pk)
    reply = send(arm, do="duplicate", twin=str(uuid.uuid4()), entry=str(uuid.uuid4()), matte=matte)
    assert reply.status_code == 200 and reply.json()["picture"] is None


def test_it_comes_too_where_another_process_answered_the_edit_before(shot, page):
    send, arm, hand, *_ = page
    assert_is_present(shot, send(arm, do="place", frame=1001, move=(3, 1)))
    for kept in (core_cache._mattes, core_cache._shapes):  # as it is in a process that has not seen that edit
        kept.clear()
    assert_is_present(shot, send(hand, do="place", frame=1001, move=(2, 2)))
    core_cache._mattes.clear()
    assert_is_present(shot, send(arm, do="place", frame=1001, move=(1, 1)))


def test_lines_that_are_as_they_were_are_the_same_ones(shot, page):
    send, arm, hand, *_ = page

    def lines():
        return {e.shape.id: e for e in core_cache.matte(shot, shot.mattes.get()).entries}

    before = lines()
    send(arm, do="place", frame=1001, move=(3, 1))
    after = lines()
    assert after[hand] is before[hand] and after[arm] is not before[arm] and after[arm].shape is not before[arm].shape


def test_what_was_dragged_is_worked_out_once_until_the_shape_is_another(shot, page, monkeypatch):
    send, arm, *_, client = page
    asked, place = [], edits.place
    monkeypatch.setattr(edits, "place", lambda it, frame, move, *more, **how: asked.append(move) or place(it, frame, move, *more, **how))
    draft = {"shape": arm, "do": "place", "frame": 1001, "move": (3, 2)}
    body = {"frame": 1001, "box": (0, 0, shot.width, shot.height), "quick": True, "draft": draft}
    for _ in range(2):
        client.post(f"/api/shots/{shot.pk}/mattes/{shot.mattes.get().pk}/picture", json.dumps(body), "application/json")
        assert_is_present(shot, send(**draft))
    assert asked == [(3, 2), (3, 2)]  # the second time from where it lies by then
