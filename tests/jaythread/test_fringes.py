"""Fringes at the desk: painted, solved on demand and for all frames, kept, delivered."""

import io
import os
import time
import uuid
import zipfile

import numpy as np
import pytest
from PIL import Image

from jaythread.delivery import actions as delivery
from jaythread.delivery import packing
from jaythread.desk.document import core_cache
from jaythread.desk.edit import actions
from jaythread.desk.matting import fringes
from jaythread.desk.models import Shape, StackEntry
from jaythread.errors import Refused
from jaythread.jobs import actions as jobs
from jaythread.tryouts import actions as tryouts
from jaythread.tryouts import pictures as tryout_pictures
from roto.exchange import document
from roto.matte.render import render

from ..conftest import FIRST, LAST, ask, carry_out, command, picture, trace

pytestmark = pytest.mark.django_db
KITE = ((20, 24), (26, 30), (20, 36), (14, 30))
"""half as large as the kite of the plate: what lies around it is to be found by solving"""


@pytest.fixture
def rafe(people):
    return people["rafe"]


@pytest.fixture
def kite(shot, rafe):
    shape = trace(shot, rafe, KITE)
    by = LAST - FIRST
    actions.edit(rafe, shot.pk, uuid.uuid4(), None, command(do="place", shape=shape, frame=LAST, move=(6 * by, 0)))
    return shape


def paint(shot, rafe, kite, **more):
    """A fringe around the kite; its shape's id and its line's."""
    said = {"do": "fringe", "shape": str(uuid.uuid4()), "entry": str(uuid.uuid4()), "matte": str(shot.mattes.get().pk), "of": kite}
    said |= {"name": "frayed edge", "frame": FIRST, "path": [(20, 18), (32, 30), (20, 42), (8, 30), (20, 18)], "radius": 7} | more
    actions.edit(rafe, shot.pk, uuid.uuid4(), None, command(**said))
    shot.refresh_from_db()
    return said["shape"], uuid.UUID(said["entry"])


def core(shot):
    return core_cache.matte(shot, shot.mattes.get())


def subject(frame):
    """Where the plate's kite is, wholly."""
    x, y = np.meshgrid(np.arange(96), np.arange(64))
    return np.abs(x - 20 - 6 * (frame - FIRST)) + np.abs(y - 30) < 11


def test_a_painted_band_rides_with_its_shape_and_finds_the_edge(shot, rafe, kite):
    band, _ = paint(shot, rafe, kite)
    matte = core(shot)
    assert [(e.shape.name, e.mode) for e in matte.entries] == [("kite body", "add"), ("frayed edge", "solve")]
    outline = Shape.objects.get(pk=band).to_core().outlines(np.array([FIRST, LAST]))[:, :, :2]
    assert np.allclose(outline[1] - outline[0], [6 * (LAST - FIRST), 0], atol=1e-6)
    for frame in (FIRST, LAST - 1):
        alpha = render(matte, frame, fringes=fringes.ShotFringes(shot)).alpha
        there = subject(frame)
        assert alpha[there].mean() > 0.95 and alpha[~there].mean() < 0.01
    bare = render(document.loads(document.dumps(matte)), FIRST, fringes=fringes.ShotFringes(shot, wait=False))
    assert bare.fringe == 1  # it is kept, and found again by what it is made of


def test_the_band_may_be_the_soft_edge(shot, rafe, kite):
    actions.edit(rafe, shot.pk, uuid.uuid4(), None, command(do="soften", shape=kite, frame=FIRST, inner=2, outer=9))
    paint(shot, rafe, kite, path=None)
    alpha = render(core(shot), FIRST, fringes=fringes.ShotFringes(shot)).alpha
    assert alpha[subject(FIRST)].mean() > 0.95


@pytest.mark.parametrize("wrong,says", [({"of": "{new}"}, "not there"), ({"path": [(1e400, 2.0)]}, "brush")])
def test_what_cannot_become_a_fringe_is_refused(shot, rafe, kite, wrong, says):
    wrong = {k: str(uuid.uuid4()) if v == "{new}" else v for k, v in wrong.items()}
    with pytest.raises(Exception, match=says):
        paint(shot, rafe, kite, **wrong)
    assert Shape.objects.count() == 1


def test_undo_takes_the_fringe_away_and_redo_brings_it_back(shot, rafe, kite):
    paint(shot, rafe, kite)
    actions.undo(rafe, shot.pk, uuid.uuid4())
    assert not StackEntry.objects.filter(mode="solve").exists()
    actions.redo(rafe, shot.pk, uuid.uuid4())
    assert StackEntry.objects.get(mode="solve").shape.name == "frayed edge"


def test_all_frames_are_solved_by_a_task_and_an_edit_makes_its_frames_stale(shot, rafe, kite):
    band, entry = paint(shot, rafe, kite)
    run = ask(rafe, shot, "fringe.solve", entry)
    with pytest.raises(Refused, match="already"):
        ask(rafe, shot, "fringe.solve", entry)
    carry_out(run)
    frames = list(range(FIRST, LAST + 1))
    assert run.state == "done" and run.done == len(frames) and fringes.solved_frames(rafe, shot.pk, entry) == frames
    actions.edit(rafe, shot.pk, uuid.uuid4(), None, command(do="look", shape=band, name="frays"))
    assert fringes.solved_frames(rafe, shot.pk, entry) == frames  # a name changes nothing
    actions.edit(rafe, shot.pk, uuid.uuid4(), None, command(do="soften", shape=kite, frame=FIRST, outer=1))
    assert fringes.solved_frames(rafe, shot.pk, entry) == []


def test_a_task_stops_when_asked_and_says_what_is_missing(shot, rafe, kite):
    _, entry = paint(shot, rafe, kite)
    run = ask(rafe, shot, "fringe.solve", entry)
    jobs.cancel(rafe, shot.pk, run.pk)
    carry_out(run)
    assert run.state == "cancelled"
    shot.plates.get().still(FIRST + 1).unlink()
    run = ask(rafe, shot, "fringe.solve", entry)
    carry_out(run)
    run.refresh_from_db()
    assert run.state == "failed" and f"Frame {FIRST + 1} has no picture" in run.message


def test_the_page_is_told_how_a_fringe_stands(shot, rafe, kite, client):
    _, entry = paint(shot, rafe, kite)
    client.force_login(rafe)
    place = f"/api/shots/{shot.pk}/mattes/{shot.mattes.get().pk}"

    def ask(**more):
        reply = client.post(f"{place}/picture", {"frame": FIRST, **more}, content_type="application/json")
        return reply["X-Fringe"], np.asarray(Image.open(io.BytesIO(reply.content)))

    said, left_out = ask()
    assert said == "not solved" and left_out[30, 11] == 0  # the kite reaches from 8 to 32 there, the traced shape from 14 to 26
    said, solved = ask(solve=True)
    assert said == "by itself" and solved[30, 11] > 200
    pieces = client.get(f"{place}/colours/{FIRST}").json()["pieces"]
    assert len(pieces) == 1 and pieces[0]["box"][0] < 11
    assert len(client.get(f"{place}/so-far/{FIRST}").json()["pictures"]) == 2
    assert client.get(f"/api/shots/{shot.pk}/fringes/{entry}").json() == {"frames": []}


def delivered_holds_the_kite(shot, rafe):
    """Deliver the matte; every frame of the package covers the kite of the plate."""
    it = delivery.ask(rafe, shot.pk, shot.mattes.get().pk)
    delivery.deliver(it.pk)
    it.refresh_from_db()
    assert it.state == "proved", it.wrong
    with zipfile.ZipFile(packing.zip_path(it)) as bag:
        names = sorted(n for n in bag.namelist() if n.startswith("KITE_010"))
        for frame, name in enumerate(names, FIRST):
            alpha = np.asarray(Image.open(io.BytesIO(bag.read(name)))) / 65535
            assert alpha[subject(frame) & (picture(frame)[:, :, 0] == 180)].mean() > 0.9


def test_a_delivery_holds_the_solved_fringe_on_every_frame(shot, rafe, kite):
    paint(shot, rafe, kite)
    delivered_holds_the_kite(shot, rafe)


def test_old_solved_frames_that_nothing_asks_for_are_cleared_out(shot, rafe, kite, settings):
    _, entry = paint(shot, rafe, kite)
    folder = settings.MEDIA_ROOT / "fringes" / str(shot.pk)
    folder.mkdir(parents=True)
    for name, days in (("old", 9), ("new", 1)):
        (folder / f"{name}.npz").write_bytes(b"solved once")
        then = time.time() - 86400 * days
        os.utime(folder / f"{name}.npz", (then, then))
    carry_out(ask(rafe, shot, "fringe.solve", entry))
    left = {p.stem for p in folder.iterdir()}
    assert "old" not in left and "new" in left
    assert len(fringes.solved_frames(rafe, shot.pk, entry)) == LAST - FIRST + 1 and fringes.clear_out(shot) == 0


def test_a_tryout_at_rest_is_seen_with_its_fringes_solved(shot, rafe, kite):
    paint(shot, rafe, kite)
    row = tryouts.begin(rafe, shot.pk, uuid.uuid4(), "baked", None, FIRST + 1)[1]
    shot.refresh_from_db()
    frame, ground = FIRST + 3, np.array([0x8A, 0x8F, 0x93])
    made = tryout_pictures.picture(shot, row, frame, None).astype(int)
    away = np.abs(made - ground).max(axis=2)
    there = subject(frame)
    bare = render(core(shot), FIRST, fringes=fringes.ShotFringes(shot, wait=False)).alpha[subject(FIRST)]
    assert (bare == 0).mean() > 0.35  # much of the kite is found by solving only
    assert (away[there] > 20).mean() > 0.95 and away[~there].mean() < 2
