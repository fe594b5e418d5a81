"""The check of a matte: read as a job, only what changed again, findings that are answered or put right."""

import io
import uuid

import numpy as np
import pytest
from PIL import Image

from jaythread.delivery import actions as delivery
from jaythread.desk.edit import actions as desk
from jaythread.errors import NotAllowed, NotThere, Refused
from jaythread.jobs import actions as jobs
from jaythread.review import actions
from jaythread.review.models import Finding, FrameCheck

from ..conftest import FIRST, LAST, ask, carry_out, command, edited, trace

pytestmark = pytest.mark.django_db
KITE = ((20, 18), (32, 30), (20, 42), (8, 30))
ALL = list(range(FIRST, LAST + 1))


@pytest.fixture
def rafe(people):
    return people["rafe"]


@pytest.fixture
def kite(shot, rafe):
    """The kite of the plate, traced; its shape's id."""
    shape = trace(shot, rafe, KITE)
    edited(rafe, shot, do="place", shape=shape, frame=LAST, move=(6 * (LAST - FIRST), 0))
    return shape


def checked(shot, rafe, matte=None):
    """Have what changed looked at; how many steps it took, and the state."""
    matte = matte or shot.mattes.get()
    run = carry_out(ask(rafe, shot, "check.read", matte.pk))
    assert run.state == "done", run.message
    shot.refresh_from_db()
    return run.total, actions.state(rafe, shot.pk, matte.pk)


def kinds(state, how="open"):
    return [(f["what"], f["first"], f["last"]) for f in state["findings"] if f["state"] == how]


def away(rafe, shot, kite, first, last):
    """The kite is not live there."""
    edited(rafe, shot, do="live", shape=kite, ranges=[(FIRST, first - 1), (last + 1, LAST)])


def test_every_frame_is_read_and_a_true_matte_has_no_findings(shot, rafe, kite):
    before = actions.state(rafe, shot.pk, shot.mattes.get().pk)
    assert before["fresh"] == [] and not before["complete"] and before["findings"] == []
    _, state = checked(shot, rafe)
    assert state["fresh"] == ALL and state["complete"] and kinds(state) == []
    area, x, speed = (np.array(state["curves"][name], float) for name in ("area", "x", "speed"))
    assert np.allclose(area, 288, rtol=0.03) and np.allclose(x, 20 + 6 * np.arange(8), atol=0.1)
    assert np.isnan(speed[0]) and np.allclose(speed[1:], 6, atol=0.1)


def test_a_hole_in_its_live_ranges_is_found_and_put_right_by_its_button(shot, rafe, kite):
    away(rafe, shot, kite, FIRST + 3, FIRST + 4)
    _, state = checked(shot, rafe)
    assert kinds(state) == [("gone", FIRST + 3, FIRST + 4)]
    (one,) = state["findings"]
    assert "gone on 1004-1005" in one["says"] and one["mend"]
    (act,) = one["acts"]
    assert act["says"] == "Let kite body be live there"
    desk.edit(rafe, shot.pk, uuid.uuid4(), None, command(**act["command"]))
    _, state = checked(shot, rafe)
    assert kinds(state) == [] and kinds(state, "put right") == [("gone", FIRST + 3, FIRST + 4)]
    desk.undo(rafe, shot.pk, uuid.uuid4())
    _, state = checked(shot, rafe)
    assert kinds(state) == [("gone", FIRST + 3, FIRST + 4)]


def test_an_edit_has_its_own_frames_read_again_only(shot, rafe, kite):
    checked(shot, rafe)
    kept = dict(FrameCheck.objects.values_list("frame", "key"))
    assert checked(shot, rafe)[0] == 0
    edited(rafe, shot, do="live", shape=kite, ranges=[(FIRST, LAST - 1)])
    state = actions.state(rafe, shot.pk, shot.mattes.get().pk)
    assert state["fresh"] == ALL[:-2]  # the last frame, and the one that has it for a neighbour
    steps, state = checked(shot, rafe)
    now = dict(FrameCheck.objects.values_list("frame", "key"))
    assert steps <= 3 and [f for f in ALL if now[f] != kept[f]] == ALL[-2:] and state["complete"]
    edited(rafe, shot, do="look", shape=kite, name="kite sail")
    assert checked(shot, rafe)[0] == 0  # a name changes nothing


def test_what_is_meant_so_stays_answered_until_what_it_was_measured_on_changes(shot, rafe, kite):
    away(rafe, shot, kite, FIRST + 3, FIRST + 3)
    _, state = checked(shot, rafe)
    (one,) = state["findings"]
    with pytest.raises(Refused, match="few words"):
        actions.answer(rafe, shot.pk, one["id"], True, "  ")
    actions.answer(rafe, shot.pk, one["id"], True, "a gust takes it")
    edited(rafe, shot, do="live", shape=kite, ranges=[(FIRST, FIRST + 2), (FIRST + 4, LAST - 1)])
    _, state = checked(shot, rafe)
    assert ("gone", FIRST + 3, FIRST + 3) in kinds(state, "meant so")
    told = next(f for f in state["findings"] if f["state"] == "meant so")
    assert (told["by"], told["reason"], told["acts"]) == ("rafe", "a gust takes it", [])
    away(rafe, shot, kite, FIRST + 3, FIRST + 4)
    _, state = checked(shot, rafe)
    assert kinds(state) == [("gone", FIRST + 3, FIRST + 4)] and not kinds(state, "meant so")


def test_two_people_answer_the_same(shot, rafe, people, kite):
    away(rafe, shot, kite, FIRST + 3, FIRST + 3)
    one = checked(shot, rafe)[1]["findings"][0]["id"]
    actions.answer(rafe, shot.pk, one, True, "a gust takes it")
    with pytest.raises(Refused, match="rafe has answered this already: a gust takes it"):
        actions.answer(people["marta"], shot.pk, one, True, "I think so too")
    assert actions.answer(people["marta"], shot.pk, one, False, "").state == "open"
    assert actions.answer(people["marta"], shot.pk, one, True, "it is behind the dune").user == people["marta"]


def test_bad_answers_are_sentences_and_change_nothing(shot, rafe, people, kite):
    away(rafe, shot, kite, FIRST + 3, FIRST + 3)
    one = checked(shot, rafe)[1]["findings"][0]["id"]
    for reason in ("x" * 301, "a\x00b"):
        with pytest.raises(Refused, match="300"):
            actions.answer(rafe, shot.pk, one, True, reason)
    with pytest.raises(NotThere):
        actions.answer(rafe, shot.pk, one + 99, True, "no")
    with pytest.raises(NotAllowed):
        actions.answer(people["noor"], shot.pk, one, True, "no")
    with pytest.raises(NotAllowed):
        jobs.ask(people["noor"], shot.pk, "check.read", str(shot.mattes.get().pk))
    edited(rafe, shot, do="live", shape=kite, ranges=[(FIRST, LAST)])
    checked(shot, rafe)
    with pytest.raises(Refused, match="put right"):
        actions.answer(rafe, shot.pk, one, True, "too late")
    assert Finding.objects.get(pk=one).state == "put right"


def test_a_key_that_stands_away_is_named_and_taken_away(shot, rafe, kite):
    edited(rafe, shot, do="form", shape=kite, frame=FIRST + 4, points={k: [x + 24 + 9, y, 0, 0, 0, 0] for k, (x, y) in enumerate(KITE)})
    edited(rafe, shot, do="form", shape=kite, frame=FIRST + 3, points={k: [x, y, 0, 0, 0, 0] for k, (x, y) in enumerate(KITE)})
    edited(rafe, shot, do="form", shape=kite, frame=FIRST + 5, points={k: [x, y, 0, 0, 0, 0] for k, (x, y) in enumerate(KITE)})
    _, state = checked(shot, rafe)
    found = next(f for f in state["findings"] if f["what"] in ("stray", "boil", "jump"))
    assert found["first"] <= FIRST + 4 <= found["last"] + 1
    for one in (f for f in state["findings"] if f["what"] == "stray" and f["first"] == FIRST + 4):
        assert one["acts"][0]["command"]["do"] == "drop key"


def test_two_mattes_that_leave_a_seam_are_told_of_each_other(shot, rafe):
    trace(shot, rafe, ((10, 10), (30, 10), (30, 50), (10, 50)))
    other = str(uuid.uuid4())
    edited(rafe, shot, do="new matte", matte=other, name="mast")
    said = {"do": "trace", "shape": str(uuid.uuid4()), "entry": str(uuid.uuid4()), "matte": other, "name": "mast", "frame": FIRST}
    corners = ((32, 10), (50, 10), (50, 50), (32, 50))
    edited(rafe, shot, **said, points=[[x, y, 0, 0, 0, 0] for x, y in corners], curves=[False] * 4)
    _, state = checked(shot, rafe, shot.mattes.get(name="kite"))
    seam = next(f for f in state["findings"] if f["what"] == "seam")
    assert "mast" in seam["says"] and 29 <= seam["box"][0] <= 31 and 31 <= seam["box"][2] <= 33
    edited(
        rafe,
        shot,
        do="form",
        shape=said["shape"],
        frame=FIRST,
        points={k: [x - 2 * (x < 40), y, 0, 0, 0, 0] for k, (x, y) in enumerate(corners)},
    )
    assert not shot.mattes.get(name="kite").findings.filter(what="seam", state="put right").exists()
    _, state = checked(shot, rafe, shot.mattes.get(name="kite"))  # the other matte was changed, and this one is looked at again for it
    assert not [f for f in state["findings"] if f["what"] == "seam" and f["state"] == "open"]


@pytest.mark.parametrize("way", actions.WAYS)
def test_small_pictures_are_pictures(shot, rafe, kite, way, client):
    checked(shot, rafe)
    client.force_login(rafe, backend="jaythread.accounts.session_store.People")
    reply = client.get(f"/shots/{shot.pk}/mattes/{shot.mattes.get().pk}/check/{FIRST + 1}/{way}")
    made = np.asarray(Image.open(io.BytesIO(reply.content)).convert("RGB")).astype(int)
    assert made.shape == (64, 96, 3)
    inside, outside = made[30, 26], made[55, 80]
    plate = np.array([180, 60, 50])
    wanted = {
        "matte": (255, 0),
        "plate": (plate, None),
        "cut-out": (plate, 128),
        "tint": (plate * 0.45 + np.array(actions.TINT) * 0.55, None),
    }
    assert np.abs(inside - wanted[way][0]).max() < 30
    assert wanted[way][1] is None or np.abs(outside - wanted[way][1]).max() < 12
    assert client.get(f"/shots/{shot.pk}/mattes/{shot.mattes.get().pk}/check/{LAST + 50}/{way}").status_code == 404
    assert client.get(f"/shots/{shot.pk}/mattes/{shot.mattes.get().pk}/check/{FIRST}/elsewhere").status_code == 404


def test_a_check_that_is_stopped_keeps_what_it_read(shot, rafe, kite):
    run = ask(rafe, shot, "check.read", shot.mattes.get().pk)
    jobs.cancel(rafe, shot.pk, run.pk)
    assert carry_out(run).state == "cancelled"
    assert checked(shot, rafe)[1]["complete"]


def test_a_package_asks_about_what_the_check_found_and_takes_answers_over(shot, rafe, kite):
    away(rafe, shot, kite, FIRST + 3, FIRST + 3)
    edited(rafe, shot, do="live", shape=kite, ranges=[(FIRST, FIRST + 1), (FIRST + 4, LAST)])
    checked(shot, rafe)
    matte = shot.mattes.get()
    stray = Finding.objects.create(matte=matte, what="stray", first=LAST, last=LAST, amount=4, harm=8.3, says="It stands away.", key="k")
    Finding.objects.create(matte=matte, what="dirt", first=FIRST, last=FIRST, amount=4, harm=4.3, says="A veil.", key="k")
    actions.answer(rafe, shot.pk, stray.pk, True, "it shakes there")
    it = delivery.ask(rafe, shot.pk, matte.pk)
    delivery.deliver(it.pk)
    it.refresh_from_db()
    assert it.state == "proved"
    told = {row["frame"]: row for row in it.odd}
    assert told[LAST]["accepted"] and told[LAST]["says"] == "It stands away (rafe: it shakes there)."
    assert FIRST not in told and [row["frame"] for row in it.open_odd] and FIRST + 2 in {row["frame"] for row in it.open_odd}
    edited(rafe, shot, do="place", shape=kite, frame=FIRST, move=(2, 0))
    assert actions.grave(matte, FIRST, LAST) == []  # the matte has changed since: nothing is claimed of it
