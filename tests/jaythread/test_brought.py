"""Mattes from elsewhere: what is taken, what is refused, what stays."""

import cv2
import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from jaythread.brought import actions
from jaythread.brought.models import Brought, State
from jaythread.errors import NotAllowed, Refused
from jaythread.jobs import actions as jobs
from roto.errors import BadUpload

from ..conftest import FIRST, LAST, SIZE

pytestmark = pytest.mark.django_db


def still(frame, name="head.{:04d}.png", size=SIZE, value=None):
    pixels = np.zeros(size[::-1], np.uint16)
    pixels[10:40, 8 : 8 + frame % 50] = 65535 if value is None else value
    return SimpleUploadedFile(name.format(frame), cv2.imencode(".png", pixels)[1].tobytes())


def bring(people, shot, files, name="head", **more):
    row = actions.bring_in(people["rafe"], shot.pk, name, files, **more)
    jobs.carry_out(row.job.pk)
    return Brought.objects.get(pk=row.pk)


def test_a_sequence_is_read_as_it_is_and_its_source_goes(shot, people):
    row = bring(people, shot, [still(f) for f in range(FIRST, LAST + 1)])
    assert (row.state, row.first, row.last, row.notes) == (State.READY, FIRST, LAST, [])
    for frame in (FIRST, LAST):
        alpha = actions.alpha(row, frame)
        assert alpha.dtype == np.uint16 and alpha.sum(dtype=np.int64) == 65535 * 30 * (frame % 50)
    assert not (row.folder / "source").exists() and actions.alpha(row, LAST + 1) is None


def test_other_numbers_are_laid_on_the_shots_and_gaps_are_said(shot, people):
    """As many stills as the shot has frames, but numbered from 1: they begin with it. Fewer: somebody has to say where."""
    row = bring(people, shot, [still(k) for k in range(1, 9)])
    assert (row.first, row.last) == (FIRST, LAST) and "begins on 1001" in row.notes[0]
    assert actions.alpha(row, FIRST).sum(dtype=np.int64) == 65535 * 30
    with pytest.raises(Refused, match=r"frames are 1-3, the shot's 1001-1008"):
        bring(people, shot, [still(k) for k in range(1, 4)], name="few")
    some = bring(people, shot, [still(k) for k in (1, 2, 4)], name="few", begin=1006)
    assert (some.first, some.last) == (1006, LAST)
    assert some.notes[1:] == [
        "It has no frame 1008.",
        "1 of its frames lies beyond the shot and is left out.",
        "5 frames of the shot have none.",
    ]
    assert actions.alpha(some, 1008) is None and actions.alpha(some, 1007) is not None


@pytest.mark.parametrize(
    ("files", "says"),
    [
        ([still(f, size=(80, 60)) for f in range(FIRST, LAST + 1)], "80 x 60 pixels, the shot is 96 x 64"),
        ([], "Nothing was given"),
        ([SimpleUploadedFile("a.1001.png", b"")], "is empty"),
        ([SimpleUploadedFile("a.1001.png", b"no picture at all")], "not a picture|not what its name says"),
    ],
)
def test_what_does_not_fit_is_refused_and_nothing_is_stored(shot, people, files, says, settings):
    with pytest.raises((Refused, BadUpload), match=says):
        bring(people, shot, files)
    assert not Brought.objects.exists() and not list((settings.MEDIA_ROOT / "incoming").iterdir())


def test_a_still_that_breaks_off_ends_it_with_its_name_and_nothing_else_stays(shot, people):
    files = [still(f) for f in range(FIRST, LAST + 1)]
    row = actions.bring_in(people["rafe"], shot.pk, "head", files)
    broken = row.folder / "source" / "head.1004.png"
    broken.write_bytes(broken.read_bytes()[:60])
    jobs.carry_out(row.job.pk)
    row = Brought.objects.get(pk=row.pk)
    assert row.state == State.FAILED and "head.1004.png" in row.job.message and not row.folder.exists()


def test_a_name_is_taken_once_and_a_receiver_brings_nothing_in(shot, people):
    bring(people, shot, [still(f) for f in range(FIRST, LAST + 1)])
    with pytest.raises(Refused, match="a matte 'head' from elsewhere already"):
        bring(people, shot, [still(f) for f in range(FIRST, LAST + 1)])
    with pytest.raises(NotAllowed):
        actions.bring_in(people["noor"], shot.pk, "mine", [still(FIRST)])


def test_taken_away_it_is_gone_with_its_files(shot, people):
    row = bring(people, shot, [still(f) for f in range(FIRST, LAST + 1)])
    actions.remove(people["rafe"], shot.pk, row.pk)
    assert not Brought.objects.exists() and not row.folder.exists()
