"""Opening a desk: a short shot comes whole, a long one with its first frame and the rest as plain numbers."""

import base64
import json
import uuid

import numpy as np
import pytest

from jaythread.desk.edit import actions
from jaythread.desk.models import Shape
from jaythread.desk.view import serializers

from ..conftest import command, trace

pytestmark = pytest.mark.django_db


@pytest.mark.parametrize("lean", [False, True])
def test_outlines_are_the_cores_whichever_way_they_come(shot, people, monkeypatch, lean):
    if lean:
        monkeypatch.setattr(serializers, "LEAN", 10)
    shape = trace(shot, people["rafe"])
    trace(shot, people["rafe"], points=((1, 2), (30, 2), (30, 20)), name="patch")
    actions.edit(people["rafe"], shot.pk, uuid.uuid4(), None, command(do="place", shape=shape, frame=1005, move=(6, 0)))
    shot.refresh_from_db()
    frames = np.arange(1001, 1009)
    told = {s["id"]: s for s in serializers.desk(shot, people["rafe"], True)["shapes"]}
    raw = serializers.outlines(shot)
    end = raw.index(b"\n") + 1
    assert end % 4 == 0
    numbers = np.frombuffer(raw[end:], "<f4")
    at = 0
    for row, (identity, revision, count) in zip(Shape.objects.all(), json.loads(raw[:end]), strict=True):
        want = row.to_core().outlines(frames)
        assert (identity, revision, count) == (str(row.pk), row.revision, want.size)
        assert np.allclose(numbers[at : at + count].reshape(want.shape), want, atol=1e-3)
        at += count
        field, part = ("opening", want[:1]) if lean else ("outlines", want)
        assert told[identity]["outlines" if lean else "opening"] is None
        assert np.allclose(np.frombuffer(base64.b64decode(told[identity][field]), "<f4").reshape(part.shape), part, atol=1e-3)
    assert at == len(numbers)


def test_what_would_become_of_a_shape_is_shown_and_not_saved(shot, people):
    shape = trace(shot, people["rafe"])
    _, made = actions.preview(people["rafe"], shot.pk, command(do="place", shape=shape, frame=1005, move=(6, 0)))
    (would,), says = made.after, made.summary
    assert would.place.frames.tolist() == [1001, 1005] and "placed kite body" in says
    assert Shape.objects.get().to_core().place.frames.tolist() == [1001]


def test_what_others_did_since_a_revision(shot, people):
    shape = trace(shot, people["rafe"])
    shot.refresh_from_db()
    known = shot.revision
    assert serializers.since(shot, people["marta"], known) == {"revision": known}
    actions.edit(people["rafe"], shot.pk, uuid.uuid4(), None, command(do="look", shape=shape, name="sail"))
    shot.refresh_from_db()
    told = serializers.since(shot, people["marta"], known)
    assert [s["name"] for s in told["shapes"]] == ["sail"] and told["others"] == [{"who": "rafe", "summary": "renamed kite body to sail"}]
    assert serializers.since(shot, people["rafe"], known)["others"] == []
    actions.edit(people["rafe"], shot.pk, uuid.uuid4(), None, command(do="remove", shape=shape))
    shot.refresh_from_db()
    assert serializers.since(shot, people["marta"], known)["gone"] == [shape]
