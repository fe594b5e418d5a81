"""An outline made of a taught line where the picture has something to hold on to, and where other things stand in the same matte."""

import uuid
from dataclasses import replace

import numpy as np
import pytest

from jaythread.desk.document import core_cache
from jaythread.desk.matting import teaching
from jaythread.desk.matting.fringes import ShotFringes
from jaythread.desk.models import StackEntry, Track
from jaythread.desk.tracking import outlining
from roto.matte.render import render
from roto.matte.teaching.outline import Outlined
from roto.track.ride import own_carrier

from ..conftest import ask, carry_out, edited
from .test_drawing import FIRST, LAST, key, rafe, truth, woven  # noqa: F401 - fixtures

pytestmark = [pytest.mark.django_db, pytest.mark.usefixtures("small_trees")]


@pytest.fixture
def taught(woven, rafe, monkeypatch):  # noqa: F811
    """A taught line about the torso, which is traced truly on every frame; taught by the first and the last."""
    for frame in range(FIRST + 1, LAST + 1):
        key(rafe, woven, frame)
    shape, entry, matte = str(uuid.uuid4()), uuid.uuid4(), woven.mattes.get()
    wide = [[x, y, 0, 0, 0, 0] for x, y in ((30, 30), (185, 30), (185, 135), (30, 135))]
    said = {"do": "trace", "shape": shape, "entry": str(entry), "matte": str(matte.pk), "name": "edge", "frame": FIRST, "mode": "add"}
    edited(rafe, woven, **said, points=wide, curves=[False] * 4)
    edited(rafe, woven, do="soften", shape=shape, frame=FIRST, inner=0, outer=60)
    edited(rafe, woven, do="entry", entry=str(entry), mode="teach")
    woven.refresh_from_db()
    alone = replace(core_cache.matte(woven, matte), entries=core_cache.matte(woven, matte).entries[:1])
    with monkeypatch.context() as patch:  # as if each had been corrected until it was right
        patch.setattr(teaching, "render", lambda _, frame, **more: render(alone, frame, depth="16"))
        for frame in (FIRST, LAST):
            teaching.finish(rafe, woven.pk, entry, frame)
    woven.refresh_from_db()
    job = carry_out(ask(rafe, woven, "taught.teach", entry))
    assert job.state == "done", job.message
    woven.refresh_from_db()
    return entry


def made_of(shot, who, entry):
    job = carry_out(ask(who, shot, "taught.outline", entry))
    assert job.state == "done", job.message
    shot.refresh_from_db()
    return core_cache.matte(shot, shot.mattes.get()).entries[-1].shape, job.message


def off(shape, frame):
    """px between what was traced and the nearest place of an outline, on the mean."""
    true = truth(frame)
    sides = np.concatenate([np.linspace(a, b, 8, endpoint=False) for a, b in zip(true, np.roll(true, -1, axis=0), strict=True)])
    line = shape.outlines(np.array([frame]))[0]
    places = np.concatenate([_curve(line[k], line[(k + 1) % len(line)]) for k in range(len(line))])
    return float(np.hypot(*(sides[:, None] - places[None]).transpose(2, 0, 1)).min(axis=1).mean())


def _curve(a, b):
    t = np.linspace(0, 1, 40)[:, None]
    c = [a[:2], a[:2] + a[4:], b[:2] + b[2:4], b[:2]]
    return (1 - t) ** 3 * c[0] + 3 * (1 - t) ** 2 * t * c[1] + 3 * (1 - t) * t**2 * c[2] + t**3 * c[3]


def test_where_few_keys_are_off_the_picture_draws_between_them(woven, rafe, taught, monkeypatch):  # noqa: F811
    monkeypatch.setattr(outlining, "OFF_ENOUGH", 0.1)
    monkeypatch.setattr(Outlined, "keys_wanted", lambda self, keyed, most: list(keyed))
    shape, message = made_of(woven, rafe, taught)
    assert own_carrier(shape) is not None and "drawn by the picture between them" in message and Track.objects.count() == 1
    assert shape.form.frames.tolist() == [FIRST, LAST] and len(shape.kinds) <= 14
    assert max(off(shape, frame) for frame in range(FIRST, LAST + 1)) < 0.6


def test_other_things_of_the_matte_are_not_in_it(woven, rafe, taught):  # noqa: F811
    said = {"shape": str(uuid.uuid4()), "entry": str(uuid.uuid4()), "matte": str(woven.mattes.get().pk), "name": "pole", "mode": "add"}
    points = [[x, y, 0, 0, 0, 0] for x, y in ((80, 0), (100, 0), (100, 70), (80, 70))]
    edited(rafe, woven, do="trace", frame=FIRST, points=points, curves=[False] * 4, **said)
    woven.refresh_from_db()
    if teaching.standing(rafe, woven.pk, taught)["left"]:
        assert carry_out(ask(rafe, woven, "taught.teach", taught)).state == "done"
    shape, message = made_of(woven, rafe, taught)
    top = min(shape.outlines(np.array([FIRST]))[0][:, 1])
    assert "is off by" in message and top > truth(FIRST)[:, 1].min() - 3  # the pole stands out of it by 50 px
    assert StackEntry.objects.filter(shape__name=shape.name, mode="add").count() == 1
    whole = render(core_cache.matte(woven, woven.mattes.get()), FIRST, fringes=ShotFringes(woven)).alpha
    assert whole[20, 90] == 1  # it stands in the matte as before
