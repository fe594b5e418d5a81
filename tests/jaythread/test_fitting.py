"""The step Check: the fit of a matte measured, its weak frames listed, looked at, and mended by pulling points to the edge."""

import uuid

import numpy as np
import pytest

from jaythread.desk.analysis import fit
from jaythread.desk.document import core_cache
from jaythread.desk.edit import actions
from jaythread.desk.models import FrameFit, Shape
from jaythread.errors import Refused
from jaythread.jobs import actions as jobs
from jaythread.plates.models import Plate
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
