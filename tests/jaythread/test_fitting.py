"""The step Check: the fit of a matte measured, its weak frames listed, looked at, and mended by pulling points to the edge."""

import uuid
from math import erf

import numpy as np
import pytest

from jaythread.desk.analysis import fit
from jaythread.desk.document import core_cache
from jaythread.desk.edit import actions
from jaythread.desk.models import FrameFit, Shape
from jaythread.errors import Refused
from jaythread.jobs import actions as jobs
from jaythread.plates.models import Plate
from roto.picture import display
from roto.picture.stills import write_picture

from ..conftest import FIRST, LAST, ask, carry_out, command, trace

pytestmark = pytest.mark.django_db


@pytest.fixture
def rafe(people):
    return people["rafe"]


def do(who, shot, **said):
    return actions.edit(who, shot.pk, uuid.uuid4(), None, command(**said))


@pytest.fixture
def card(shot, rafe):
    """A bright card that moves 4 px to the right a frame, well traced; returns the shape's id."""
    for frame in range(FIRST, LAST + 1):
        picture = np.full((64, 96, 3), 60, np.uint8)
        left = 10 + 4 * (frame - FIRST)
        picture[15:45, left : left + 30] = 190
        write_picture(Plate.objects.get().still(frame), picture)
    shape = trace(shot, rafe, ((10, 15), (40, 15), (40, 45), (10, 45)), name="card")
    do(rafe, shot, do="place", shape=shape, frame=LAST, move=(28, 0))
    return shape


def measured(shot, rafe):
    matte = shot.mattes.get()
    carry_out(ask(rafe, shot, "fit.measure", matte.pk))
    return matte, fit.state(rafe, shot.pk, matte.pk)


def test_the_frame_that_is_off_is_listed_looked_at_and_listed_again_when_it_changes(shot, rafe, card):
    matte, told = measured(shot, rafe)
    assert told["measured"] == 8 and told["weakest"] == [] and max(off for off, _, _ in told["frames"].values()) < 0.3
    do(rafe, shot, do="place", shape=card, frame=1004, move=(0, 3))
    assert fit.state(rafe, shot.pk, matte.pk)["measured"] < 8  # those around it have changed
    matte, told = measured(shot, rafe)
    assert told["weakest"][0] == 1004 and told["frames"][1004][1] == card and told["frames"][1004][0] > 1
    fit.look_at(rafe, shot.pk, matte.pk, 1004, True)
    told = fit.state(rafe, shot.pk, matte.pk)
    assert told["frames"][1004][2] and 1004 not in told["weakest"]
    do(rafe, shot, do="place", shape=card, frame=1004, move=(0, 1))
    assert not fit.state(rafe, shot.pk, matte.pk)["frames"][1004][2]


def test_a_key_is_advised_where_it_helps_most(shot, rafe, card):
    do(rafe, shot, do="key kind", shape=card, channel="placement", frame=FIRST, kind="hold")
    _, told = measured(shot, rafe)
    assert told["key"]["shape"] == card and 1002 <= told["key"]["frame"] <= 1007 and told["key"]["off"] > 1


def test_what_is_off_is_marked_and_points_are_pulled_there(shot, rafe, card):
    do(rafe, shot, do="place", shape=card, frame=1004, move=(3, 2))
    matte = shot.mattes.get()
    here = fit.on_frame(rafe, shot.pk, matte.pk, 1004)
    _, y, dx, _, sure = np.array(here["marks"]).T
    sides = (y > 22) & (y < 42)
    assert here["known"][card] > 80 and dx[sides].mean() == pytest.approx(-3, abs=0.4) and sure.min() > 0
    read = fit.pull(rafe, shot.pk, card, 1004, [], 8)
    points = np.array([read["points"][i] for i in range(4)])[:, :2]
    assert points == pytest.approx(np.array([[22, 15], [52, 15], [52, 45], [22, 45]]), abs=0.5) and read["most"] < 5
    do(rafe, shot, do="form", shape=card, frame=1004, points={i: read["points"][i] for i in (0, 1)})
    now = core_cache.shapes([Shape.objects.get(pk=card)])[card].outlines(np.array([1004]))[0, :2, :2]
    assert now == pytest.approx(points[:2])


def test_where_the_picture_shows_nothing_it_is_unknown_and_says_so(shot, rafe):
    for frame in range(FIRST, LAST + 1):
        write_picture(Plate.objects.get().still(frame), np.full((64, 96, 3), 90, np.uint8))
    shape = trace(shot, rafe)
    _, told = measured(shot, rafe)
    assert told["measured"] == 8 and all(off is None for off, _, _ in told["frames"].values())
    with pytest.raises(Refused, match="shows no edge"):
        fit.pull(rafe, shot.pk, shape, FIRST, [], 8)


def test_measuring_stops_when_asked_and_goes_on_with_what_is_missing(shot, rafe, card):
    matte = shot.mattes.get()
    run = ask(rafe, shot, "fit.measure", matte.pk)
    with pytest.raises(Refused, match="already"):
        ask(rafe, shot, "fit.measure", matte.pk)
    jobs.cancel(rafe, shot.pk, run.pk)
    carry_out(run)
    assert not FrameFit.objects.exists()
    measured(shot, rafe)
    kept = dict(FrameFit.objects.values_list("frame", "pk"))
    do(rafe, shot, do="live", shape=card, ranges=[(FIRST, 1006)])
    run = ask(rafe, shot, "fit.measure", matte.pk)
    carry_out(run)
    run.refresh_from_db()
    assert (run.done, run.total) == (2, 2) and dict(FrameFit.objects.values_list("frame", "pk")) == kept


def soft_discs(light):
    """A bright disc of 22 px radius about (48, 32) on a dark ground, its edge as soft as of a lens, mixed in light or as displayed."""
    y, x = np.mgrid[0:64, 0:96] + 0.5
    alpha = np.array([0.5 + 0.5 * erf(v / (2**0.5 * 1.5)) for v in (22 - np.hypot(x - 48, y - 32)).ravel()]).reshape(64, 96)[..., None]
    front, back = np.array([0.75, 0.7, 0.6]), np.array([0.06, 0.08, 0.1])
    into, out_of = (display.light, display.shown) if light else (np.asarray, np.asarray)
    mixed = out_of(alpha * into(front) + (1 - alpha) * into(back))
    for frame in range(FIRST, LAST + 1):
        grain = np.random.default_rng(frame).normal(0, 0.004, mixed.shape)
        write_picture(Plate.objects.get().still(frame), np.rint(np.clip(mixed + grain, 0, 1) * 255).astype(np.uint8))


@pytest.mark.parametrize("light", [True, False])
def test_an_outline_on_a_soft_edge_stays_however_the_plate_was_mixed(shot, rafe, light):
    soft_discs(light)
    turn = np.arange(8) / 8 * 2 * np.pi
    out, along = np.stack([np.cos(turn), np.sin(turn)], axis=1), np.stack([-np.sin(turn), np.cos(turn)], axis=1)
    handle = 22 * 4 / 3 * np.tan(np.pi / 16) * along
    points = np.concatenate([(48, 32) + 22 * out, -handle, handle], axis=1).tolist()
    shape, matte = str(uuid.uuid4()), str(shot.mattes.get().pk)
    said = {"do": "trace", "shape": shape, "entry": str(uuid.uuid4()), "matte": matte, "name": "disc", "frame": FIRST}
    do(rafe, shot, **said, points=points, curves=[True] * 8)
    assert fit.pull(rafe, shot.pk, shape, 1003, [], 8)["most"] < 0.35  # by the edge itself
    _, told = measured(shot, rafe)
    assert Plate.objects.get().mixed == ("light" if light else "display") and told["measured"] == 8
    assert max(off for off, _, _ in told["frames"].values()) < 0.3
    assert fit.pull(rafe, shot.pk, shape, 1005, [], 8)["most"] < 0.35
    Plate.objects.update(
        mixed="display" if light else "light"
    )  # so far off it would be the other way, and what was measured counts no more
    assert fit.pull(rafe, shot.pk, shape, 1005, [], 8)["mean"] > 0.4
    assert fit.state(rafe, shot.pk, shot.mattes.get().pk)["measured"] == 0
