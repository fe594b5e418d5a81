"""Tryouts as they are begun, edited, shown, taken back, copied, and what they say of themselves."""

import re
import uuid
from concurrent.futures import ThreadPoolExecutor

import cv2
import numpy as np
import pytest
from django.test import Client

from jaythread.desk.edit import actions as desk
from jaythread.desk.models import Tryout
from jaythread.desk.view import serializers
from jaythread.errors import Conflict, NotThere, Refused
from jaythread.jobs import actions as jobs
from jaythread.plates import actions as plates
from jaythread.tryouts import actions, advice, ahead, pictures
from roto.errors import BadTryout
from roto.picture.stills import encode_picture
from roto.tryout import document
from roto.tryout.beginnings import BEGINNINGS

from ..conftest import FIRST, LAST, ask, carry_out, command, edited, trace, write_stills

pytestmark = pytest.mark.django_db
KITE = ((8, 18), (33, 18), (33, 43), (8, 43))  # around the little kite on the first frame


@pytest.fixture
def rafe(people):
    return people["rafe"]


@pytest.fixture
def traced(shot, rafe):
    trace(shot, rafe, points=KITE)
    edited(rafe, shot, do="place", shape=str(shot.shapes.get().pk), frame=LAST, move=(42, 0))
    return shot


@pytest.fixture
def other(production, people, tmp_path):
    """Another shot: twice as bright, its kite flies the other way."""
    stills = write_stills(tmp_path / "other", name="MILL_040.{:04d}.png")
    for path, frame in zip(stills, reversed(range(FIRST, LAST + 1)), strict=True):
        pixels = cv2.imread(str(tmp_path / "other" / f"MILL_040.{frame:04d}.png"))
        cv2.imwrite(str(path.with_suffix(".tmp.png")), np.clip(pixels.astype(int) * 2, 0, 255).astype(np.uint8))
    for path in stills:
        path.with_suffix(".tmp.png").rename(path)
    it = plates.bring_in_folder(people["rafe"], production.pk, "MILL_040", tmp_path / "other", [p.name for p in stills])
    plates.decode(it.plates.get().pk)
    return it


def begun(rafe, shot, key, frame=FIRST):
    made = actions.begin(rafe, shot.pk, uuid.uuid4(), key, None, frame)[1]
    shot.refresh_from_db()
    return made


def seen(shot, row, frame=FIRST, **more):
    row.refresh_from_db()
    return pictures.picture(shot, row, frame, None, **more).astype(int)


def plate(shot, frame=FIRST):
    return cv2.imread(str(shot.plates.get().still(frame)))[:, :, ::-1].astype(int)


@pytest.mark.parametrize("key", BEGINNINGS)
def test_each_beginning_is_ordinary_lines_and_makes_a_picture(traced, rafe, other, key):
    row = begun(rafe, traced, key, FIRST + 4)
    sentences = serializers.tryouts(traced)[0]["sentences"]
    assert len(sentences) == len(row.lines) and all(sentences)
    assert document.from_json(document.to_json(row.to_core())) == row.to_core()
    made = seen(traced, row, FIRST + 2)
    assert made.shape == (64, 96, 3) and np.abs(made - plate(traced, FIRST + 2)).max() > 20  # something is to be seen of it
    desk.undo(rafe, traced.pk, uuid.uuid4())
    assert not Tryout.objects.exists()


def test_words_stand_behind_and_their_change_moves_nothing_else(traced, rafe):
    row = begun(rafe, traced, "behind")
    words = next(line for line in row.lines if line["shows"]["kind"] == "words")
    was = seen(traced, row)
    edited(rafe, traced, do="tryout line", tryout=str(row.pk), line={**words, "shows": {**words["shows"], "text": "MILL"}})
    now = seen(traced, row)
    assert np.abs(now - was).max() > 100
    assert np.array_equal(now[20:40, 10:30], plate(traced)[20:40, 10:30])  # the kite stands before them
    same = np.abs(was - plate(traced)).max(axis=2) + np.abs(now - plate(traced)).max(axis=2) == 0
    assert same[50:].all() and same[:12].all()


def test_a_tryout_opens_on_the_frame_that_was_looked_at_and_asks_for_its_picture_at_once(traced, rafe):
    row, client = begun(rafe, traced, "behind"), Client()
    client.force_login(rafe)
    page = client.get(f"/shots/{traced.pk}/tryouts/{row.pk}?frame={LAST}").content.decode()
    early = re.findall(r'<link rel="preload" as="fetch" crossorigin="anonymous" href="([^"]+)">', page)
    assert early == re.findall(r'data-early="([^"]+)"', page)
    assert f"/frames/{LAST}?" in early[0]
    assert client.get(early[0].replace("&amp;", "&"))["Content-Type"] == "image/jpeg"
    for said, frame in ((str(LAST + 99), LAST), ("-7", FIRST), ("x", FIRST), ("", FIRST)):
        assert f'data-frame="{frame}"' in client.get(f"/shots/{traced.pk}/tryouts/{row.pk}", {"frame": said}).content.decode()


def test_a_key_is_set_taken_back_and_what_somebody_changed_meanwhile_is_not_overwritten(traced, rafe, people):
    row = begun(rafe, traced, "bars")
    bars, known = row.lines[1]["id"], {str(row.pk): row.revision}
    key = {"do": "tryout key", "tryout": str(row.pk), "line": bars, "channel": "opacity", "values": [[0.0, 0.0]]}
    edited(rafe, traced, **key, frame=LAST)
    edited(rafe, traced, **{**key, "values": [[1.0, 0.0]]}, frame=FIRST)
    assert seen(traced, row)[0].max() == 0 and np.array_equal(seen(traced, row, LAST)[0], plate(traced, LAST)[0])
    assert 0 < seen(traced, row, FIRST + 3)[0].mean() < plate(traced, FIRST + 3)[0].mean()
    with pytest.raises(Conflict, match="changed meanwhile"):
        desk.edit(people["marta"], traced.pk, uuid.uuid4(), known, command(**key, frame=FIRST))
    desk.undo(rafe, traced.pk, uuid.uuid4())
    assert np.array_equal(seen(traced, row)[0], plate(traced)[0])  # one key, of nothing, is left: it holds everywhere
    with pytest.raises(BadTryout, match="there is no key on 1004"):
        edited(rafe, traced, **{**key, "values": None}, frame=1004)
    with pytest.raises(NotThere, match="line of the tryout"):
        edited(rafe, traced, **{**key, "line": "nobody"}, frame=FIRST)


def test_points_are_dragged_and_the_picture_in_use_follows(traced, rafe):
    row = begun(rafe, traced, "baked")
    shape = str(traced.shapes.get().pk)
    draft = command(do="form", shape=shape, frame=FIRST, points={1: [60, 18, 0, 0, 0, 0]})
    assert np.array_equal(seen(traced, row, draft=draft)[20, 36:40], plate(traced)[20, 36:40])
    assert np.ptp(seen(traced, row)[20, 38:60], axis=0).max() == 0  # nothing is saved


def test_a_tryout_goes_to_another_shot_and_asks_for_its_matte(traced, rafe, other):
    row = begun(rafe, traced, "behind")
    with pytest.raises(Refused, match="MILL_040 has no matte yet"):
        actions.duplicate(rafe, traced.pk, row, other.pk, None)
    edited(rafe, other, do="new matte", matte=str(uuid.uuid4()), name="sails")
    there = actions.duplicate(rafe, traced.pk, row, other.pk, None)
    assert there.shot == other and there.lines[2]["through"]["matte"] == str(other.mattes.get().pk)
    assert actions.duplicate(rafe, traced.pk, row, None, None).name == f"{row.name} 2"


def test_a_matte_that_is_gone_is_said_and_nothing_else_is_lost(traced, rafe):
    row = begun(rafe, traced, "behind")
    edited(rafe, traced, do="remove matte", matte=str(traced.mattes.get().pk))
    with pytest.raises(BadTryout, match="not in KITE_010 any more"):
        seen(traced, row)
    assert len(row.lines) == 3 and "a matte that is gone" in serializers.tryouts(traced)[0]["sentences"][2]
    with pytest.raises(Refused, match="has none yet"):
        begun(rafe, traced, "behind")


def test_light_that_differs_is_said_and_evened_out(traced, rafe, other):
    row = begun(rafe, traced, "revealed")
    told = advice.of(traced, row)
    light = [one for one in told["says"] if one["what"] == "light"]
    assert light and "brighter than what lies below" in light[0]["says"] and told["light"][0]["off"]
    even = advice.even_out(traced, row, row.lines[1]["id"])
    edited(rafe, traced, do="tryout line", tryout=str(row.pk), line=even)
    row.refresh_from_db()
    assert max(abs(one["stops"]) for one in advice.of(traced, row)["light"]) < 0.5


def test_a_clip_of_another_rate_or_length_is_said(traced, rafe, other):
    row = begun(rafe, traced, "revealed")
    type(other).objects.filter(pk=other.pk).update(rate_over=50, last=FIRST + 3)
    told = [one["says"] for one in advice.of(traced, row)["says"] if one["what"] == "clip"]
    assert "MILL_040 runs at 50 frames a second, this shot at 24: it is shown at its own pace." in told
    assert "MILL_040 has no picture for 1003: there it stands still." in told


def test_a_track_that_ends_within_the_range_is_said(traced, rafe):
    row, track = begun(rafe, traced, "behind"), str(uuid.uuid4())
    edited(rafe, traced, do="new track", track=track, name="tail", frame=FIRST, points=[[20, 30]])
    words = row.lines[1]
    edited(rafe, traced, do="tryout line", tryout=str(row.pk), line={**words, "place": {**words["place"], "track": track}})
    row.refresh_from_db()
    told = [one for one in advice.of(traced, row)["says"] if one["what"] == "track"]
    assert told[0]["frames"] == [FIRST + 1] and f"tail is followed on frames {FIRST} to {FIRST} only" in told[0]["says"]


def test_what_hides_too_little_or_nothing_is_said(traced, rafe):
    row = begun(rafe, traced, "hidden")
    line = row.lines[1]
    for done, says in (
        ({"blocks": 2}, "enough to know a face"),
        ({"blocks": 0, "blur": 2.0}, "can still be read"),
        ({"blocks": 0, "flat": "#202020"}, ""),
    ):
        edited(rafe, traced, do="tryout line", tryout=str(row.pk), line={**line, "done": {**line["done"], **done}})
        row.refresh_from_db()
        told = [one["says"] for one in advice.of(traced, row)["says"] if one["what"] == "hiding"]
        assert (says in told[0]) if says else not told
    edited(rafe, traced, do="live", shape=str(traced.shapes.get().pk), ranges=[(FIRST, FIRST + 3)])
    told = [one for one in advice.of(traced, row)["says"] if one["what"] == "hiding"]
    assert told[0]["frames"] == list(range(FIRST + 4, LAST + 1))


def test_a_pass_that_is_not_whole_and_gaps_at_the_border_are_said(shot, rafe, other):
    trace(shot, rafe, points=((-80, 1), (4, 1), (4, 63), (-80, 63)))  # drawn up to the border, not over it
    edited(rafe, shot, do="place", shape=str(shot.shapes.get().pk), frame=LAST, move=(84, 0))
    row = begun(rafe, shot, "revealed")
    told = [one["says"] for one in advice.of(shot, row)["says"] if one["what"] == "pass"]
    assert any("the last frame still shows" in says for says in told) and any("bottom, top of the picture" in says for says in told)


def test_a_seam_beside_what_passes_is_said(shot, rafe, other):
    """The hull passes low in the picture; what has been passed reaches from top to bottom, so its edge is seen above the hull."""
    trace(shot, rafe, points=((20, 40), (60, 40), (60, 80), (20, 80)), name="hull")
    passed = str(uuid.uuid4())
    edited(rafe, shot, do="new matte", matte=passed, name="passed")
    row = begun(rafe, shot, "revealed")
    box = [[x, y, 0, 0, 0, 0] for x, y in ((-90, -9), (40, -9), (40, 99), (-90, 99))]
    made = {"shape": str(uuid.uuid4()), "entry": str(uuid.uuid4()), "matte": passed, "mode": "add"}
    edited(rafe, shot, do="trace", **made, name="passed already", frame=FIRST, points=box, curves=[False] * 4)
    edited(rafe, shot, do="tryout line", tryout=str(row.pk), line={**row.lines[1], "through": {**row.lines[1]["through"], "matte": passed}})
    row.refresh_from_db()
    told = [one for one in advice.of(shot, row)["says"] if one["what"] == "seam"]
    assert len(told) == 1 and "seen above" in told[0]["says"] and FIRST in told[0]["frames"]


def test_bad_lines_are_plain_sentences_and_nothing_is_stored(traced, rafe):
    row = begun(rafe, traced, "behind")
    words = row.lines[1]
    for wrong, says in (
        ({"shows": {**words["shows"], "text": "x" * 10_000}}, "10000 signs"),
        ({"shows": {"kind": "clip", "speed": [{"frame": 1001, "values": [[-8, 0]]}]}}, "between 0.01 and 16"),
        ({"live": [9, 3]}, "ends before it begins"),
    ):
        with pytest.raises(BadTryout, match=says):
            edited(rafe, traced, do="tryout line", tryout=str(row.pk), line={**words, **wrong})
    assert Tryout.objects.get().lines == row.lines


def made_ahead(rafe, shot, row, begin=FIRST, width=64):
    job = carry_out(ask(rafe, shot, "tryout.ahead", row.pk, begin=begin, width=width))
    assert job.state == "done", job.message
    return {path.name: path.stat().st_mtime_ns for path in (ahead.folder_of(shot) / str(row.pk)).iterdir()}


def test_pictures_made_ahead_are_those_that_are_made_when_asked(traced, rafe):
    row = begun(rafe, traced, "behind")
    files = made_ahead(rafe, traced, row)
    assert len(files) == LAST - FIRST + 1
    for frame in (FIRST, LAST):
        assert ahead.kept(traced, row, frame, 64) == encode_picture(pictures.picture(traced, row, frame, 64), ".jpg")
    assert ahead.kept(traced, row, FIRST, 65) is None
    client = Client()
    client.force_login(rafe, "jaythread.accounts.session_store.People")
    served = client.get(f"/api/shots/{traced.pk}/tryouts/{row.pk}/frames/{LAST}?width=64")
    assert served.content == ahead.kept(traced, row, LAST, 64)
    body = {"kind": "tryout.ahead", "subject": str(row.pk), "settings": {"begin": FIRST, "width": 600}}
    replies = [client.post(f"/api/shots/{traced.pk}/jobs", body, content_type="application/json") for _ in range(2)]
    assert [reply.status_code for reply in replies] == [200, 422]  # by which the page knows that it may join


def test_after_an_edit_only_its_own_frames_are_made_again_and_old_ones_go(traced, rafe):
    row = begun(rafe, traced, "behind")
    was = made_ahead(rafe, traced, row)
    assert made_ahead(rafe, traced, row, begin=LAST) == was, "all was there"
    edited(rafe, traced, do="live", shape=str(traced.shapes.get().pk), ranges=[[FIRST, LAST - 1]])
    traced.refresh_from_db()
    now = made_ahead(rafe, traced, row)
    assert len(now) == len(was) and len(set(now) - set(was)) == 1
    assert all(now[name] == was[name] for name in set(now) & set(was))
    lines = [line for line in row.lines if line["through"] is None]
    edited(rafe, traced, do="tryout", tryout=str(row.pk), lines=lines)
    row.refresh_from_db()
    traced.refresh_from_db()
    assert not set(made_ahead(rafe, traced, row)) & set(now)


def test_a_small_size_comes_first_and_what_is_made_stays_when_it_is_stopped(traced, rafe, monkeypatch):
    row = begun(rafe, traced, "behind")
    job = ask(rafe, traced, "tryout.ahead", row.pk, begin=FIRST + 2, width=600)
    assert job.total == 2 * (LAST - FIRST + 1)
    made, own = [], ahead._compose

    def composed(tryout, sources, frame, path, width):
        own(tryout, sources, frame, path, width)
        made.append((frame, width))
        if len(made) == 3:
            jobs.cancel(rafe, traced.pk, job.pk)

    monkeypatch.setattr(ahead, "AT_ONCE", 0)  # one after the other
    monkeypatch.setattr(ahead, "_ahead", lambda pool, tryout, sources, wanted: (Done(composed(tryout, sources, *one)) for one in wanted))
    monkeypatch.setattr("jaythread.jobs.progress.TELL_EVERY", 0.0)
    monkeypatch.setattr(ahead, "ThreadPoolExecutor", lambda count: ThreadPoolExecutor(1))
    assert carry_out(job).state == "cancelled"
    assert made == [(FIRST + 2, 480), (FIRST + 3, 480), (FIRST + 4, 480)]
    assert ahead.kept(traced, row, FIRST + 4, 480) and not ahead.kept(traced, row, FIRST + 5, 480)


class Done:
    """What is over already."""

    def __init__(self, what) -> None:
        self.result = lambda: what


def test_what_cannot_be_made_ahead_is_said(traced, rafe):
    row = begun(rafe, traced, "behind")
    with pytest.raises(NotThere):
        ask(rafe, traced, "tryout.ahead", uuid.uuid4(), begin=FIRST)
    with pytest.raises(Refused, match="width"):
        ask(rafe, traced, "tryout.ahead", row.pk, begin=FIRST, width=3)
    job = ask(rafe, traced, "tryout.ahead", row.pk, begin=FIRST, width=64)
    edited(rafe, traced, do="remove matte", matte=str(traced.mattes.get().pk))
    done = carry_out(job)
    assert done.state == "failed" and "is not in KITE_010 any more" in done.message
