"""An afternoon's work, at random: whatever somebody does, each step can be taken back to the last bit, and done again."""

import random
import uuid

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from jaythread.desk.document import core_cache
from jaythread.desk.edit import actions
from jaythread.desk.exchange import documents
from jaythread.desk.models import Edit
from jaythread.errors import Refused
from roto.errors import RotoError
from roto.exchange import document
from roto.matte.render import render

from ..conftest import FIRST, LAST, command, trace
from .every_command import furnished

pytestmark = pytest.mark.django_db


def do(who, shot, **said):
    return actions.edit(who, shot.pk, uuid.uuid4(), None, command(**said))


def state(shot):
    shot.refresh_from_db()
    return [document.dumps(core_cache.matte(shot, m)) for m in shot.mattes.order_by("pk")], shot.shutter


def some_edit(luck: random.Random, shot) -> dict:
    """One thing that an artist may do now, mostly a sensible one."""
    matte = shot.mattes.order_by("pk").first()
    lines = list(matte.entries.all())
    frame = luck.randint(FIRST, LAST)
    new = [str(uuid.UUID(int=luck.getrandbits(128), version=4)) for _ in range(2)]
    x, y = luck.uniform(-20, 90), luck.uniform(-20, 60)
    corners = [[x, y, 0, 0, 0, 0], [x + 30, y, 0, 0, 3, 3], [x + 25, y + 20, -2, 1, 2, -1], [x, y + 24, 0, 0, 0, 0]]
    if not lines or luck.random() < 0.15:
        curves = [luck.random() < 0.5 for _ in corners]
        return {
            "do": "trace", "shape": new[0], "entry": new[1], "matte": str(matte.pk), "name": f"part {len(lines)}", "frame": frame,
            "points": corners, "curves": curves, "mode": luck.choice(["add", "cut", "keep"]),
        }  # fmt: skip
    line = luck.choice(lines)
    shape = {"shape": str(line.shape_id)}
    at = luck.randrange(3)
    return luck.choice(
        [
            {"do": "form", **shape, "frame": frame, "points": {at: corners[at]}},
            {"do": "form", **shape, "frame": frame, "points": {0: corners[1]}, "spread": "all"},
            {"do": "place", **shape, "frame": frame, "move": (x, y), "turn": luck.uniform(-400, 400), "size": luck.uniform(0.2, 3)},
            {"do": "soften", **shape, "frame": frame, "inner": luck.uniform(0, 9), "outer": luck.uniform(0, 9)},
            {"do": "soften", **shape, "frame": frame, "opacity": luck.random(), "shift": luck.uniform(-3, 3)},
            {"do": "soften", **shape, "frame": frame, "lens": luck.uniform(0, 5)},
            {"do": "appearance", **shape, "lens_kind": luck.choice(["bell", "disc"])},
            {"do": "reach", **shape, "frame": frame, "points": {at: (luck.uniform(0, 5), None)}},
            {"do": "add point", **shape, "segment": at, "t": luck.uniform(0.1, 0.9)},
            {"do": "remove points", **shape, "points": [at]},
            {"do": "point kind", **shape, "points": [at], "to": luck.choice(["corner", "curve"])},
            {"do": "key here", **shape, "channel": luck.choice(["form", "placement", "settings"]), "frame": frame},
            {"do": "key kind", **shape, "channel": "form", "frame": frame, "kind": luck.choice(["hold", "straight", "flowing"])},
            {"do": "live", **shape, "ranges": [sorted((luck.randint(FIRST, LAST), frame))]},
            {"do": "look", **shape, "name": f"renamed {at}", "colour": at, "blur": luck.random() < 0.5, "profile": "smooth"},
            {"do": "entry", "entry": str(line.pk), "mode": luck.choice(["add", "cut", "keep"]), "inverted": luck.random() < 0.5},
            {"do": "entry", "entry": str(line.pk), "order": luck.uniform(0, 9), "opacity": luck.random()},
            {"do": "duplicate", **shape, "twin": new[0], "entry": new[1], "matte": str(matte.pk)},
            {"do": "matte", "matte": str(matte.pk), "inverted": luck.random() < 0.5},
            {"do": "shift matte", "matte": str(matte.pk), "frame": frame, "shift": luck.uniform(-4, 4)},
            {"do": "soften matte", "matte": str(matte.pk), "frame": frame, "lens": luck.uniform(0, 4)},
            {"do": "matte", "matte": str(matte.pk), "lens_kind": luck.choice(["bell", "disc"])},
            {"do": "shutter", "angle": luck.choice([0, 90, 180.0, 360])},
            {"do": "remove", **shape},
        ]
    )


def refusal(act) -> str:
    """The sentence with which it was refused, or nothing."""
    try:
        act()
    except (Refused, RotoError) as refused:
        return refused.message
    return ""


def work(luck: random.Random, shot, who, count: int) -> list:
    """So many edits that were taken; what makes no sense at the moment is refused with a sentence and changes nothing."""
    states = [state(shot)]
    while len(states) <= count:
        said = some_edit(luck, shot)
        why = refusal(lambda said=said: do(who, shot, **said))
        if why:
            assert len(why) > 10 and state(shot) == states[-1], said
        elif (now := state(shot)) != states[-1]:
            states.append(now)
        else:
            actions.undo(who, shot.pk, uuid.uuid4())  # it was so already: an act, but nothing to see
    return states


@pytest.mark.parametrize("seed", range(4))
def test_every_step_of_an_afternoon_is_taken_back_and_done_again(shot, people, seed):
    luck, rafe = random.Random(seed), people["rafe"]
    states = work(luck, shot, rafe, 14)
    for before in reversed(states[:-1]):
        actions.undo(rafe, shot.pk, uuid.uuid4())
        assert state(shot) == before
    for after in states[1:]:
        actions.redo(rafe, shot.pk, uuid.uuid4())
        assert state(shot) == after
    assert Edit.objects.filter(shot=shot, user=rafe, way="do").count() >= 14


@pytest.mark.parametrize("seed", range(2))
def test_what_came_of_it_travels_and_renders_as_it_does_here(shot, people, production, seed):
    """Out as a document and in again beside it: the same matte, pixel by pixel."""
    luck, rafe = random.Random(50 + seed), people["rafe"]
    work(luck, shot, rafe, 18)
    matte = core_cache.matte(shot, shot.mattes.order_by("pk").first())
    text = document.dumps(matte)
    back = document.loads(text)
    for frame in range(FIRST, LAST + 1, 2):
        assert np.array_equal(render(back, frame, depth="16").alpha, render(matte, frame, depth="16").alpha)
    taken, _ = documents.take_in(rafe, shot.pk, text.encode())
    again = core_cache.matte(shot, taken)
    for frame in range(FIRST, LAST + 1, 3):
        assert np.array_equal(render(again, frame, depth="16").alpha, render(matte, frame, depth="16").alpha)


def test_two_people_take_back_their_own_steps_and_never_the_others(shot, people):
    rafe, marta = people["rafe"], people["marta"]
    mine, theirs = trace(shot, rafe, name="mine"), trace(shot, marta, name="theirs")
    for k in range(3):
        do(rafe, shot, do="place", shape=mine, frame=FIRST + k, move=(k + 1, 0))
        do(marta, shot, do="place", shape=theirs, frame=FIRST + k, move=(0, k + 1))

    def moves(shape: str) -> list:
        core = next(e.shape for e in core_cache.matte(shot, shot.mattes.first()).entries if e.shape.id == shape)
        return core.place.values[:, 0].tolist()

    before = moves(theirs)
    for _ in range(3):
        actions.undo(rafe, shot.pk, uuid.uuid4())
        assert moves(theirs) == before
    assert len(moves(mine)) == 1
    actions.redo(rafe, shot.pk, uuid.uuid4())
    actions.undo(marta, shot.pk, uuid.uuid4())
    assert len(moves(theirs)) == len(before) - 1 and moves(mine)[0] == [1.0, 0.0]


def test_shapes_of_other_numbers_come_in_from_the_frame_that_is_said(shot, people, client):
    """Everything moves along: keys, live ranges, the track that a shape rides on; without a word nothing comes in."""
    ids = furnished(shot, people["rafe"])
    actions.edit(people["rafe"], shot.pk, uuid.uuid4(), None, command(do="live", shape=ids["tail"], ranges=[[FIRST + 1, FIRST + 3]]))
    _, text = documents.export_document(people["rafe"], shot.pk, uuid.UUID(ids["matte"]))
    theirs = document.dumps(document.loads(text, 1)).encode()  # the same, numbered from 1
    client.force_login(people["rafe"], backend="jaythread.accounts.session_store.People")

    def send(**more):
        return client.post(f"/api/shots/{shot.pk}/document", {"file": SimpleUploadedFile("a.json", theirs), "frame": "1001", **more})

    refused = send()
    assert refused.status_code == 422 and refused.json()["code"] == "other_numbers"
    assert "frames 1 to 8; this shot has 1001 to 1008" in refused.json()["message"] and shot.mattes.count() == 2
    said = send(begin="1001").json()
    assert "Its first frame is 1001 here." in said["report"]
    was, now = (core_cache.matte(shot, shot.mattes.get(pk=pk)) for pk in (ids["matte"], said["id"]))
    frames = np.arange(FIRST, LAST + 1)
    assert len(was.entries) == len(now.entries) > 5
    for a, b in zip(was.entries, now.entries, strict=True):
        assert a.shape.live == b.shape.live and np.array_equal(a.shape.form.frames, b.shape.form.frames)
        assert np.allclose(a.shape.outlines(frames), b.shape.outlines(frames))
    later = core_cache.matte(shot, shot.mattes.get(pk=send(begin="1003").json()["id"]))
    moved = next(e.shape for e in later.entries if e.shape.name.startswith("tail"))
    assert moved.live == ((FIRST + 3, FIRST + 5),)
