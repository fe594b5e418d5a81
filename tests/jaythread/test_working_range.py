"""The frames that matter: all work goes by them unless told otherwise. Takes within a plate: nothing is followed over a cut."""

import uuid

import numpy as np
import pytest

from jaythread.delivery import actions as delivering
from jaythread.desk.analysis import fit
from jaythread.errors import Refused
from jaythread.plates import actions as plates
from roto.picture import cuts, stills

from ..conftest import FIRST, LAST, ask, carry_out, edited, picture, trace

pytestmark = pytest.mark.django_db


@pytest.fixture
def rafe(people):
    return people["rafe"]


def test_measuring_and_delivering_go_by_it(shot, rafe):
    trace(shot, rafe)
    edited(rafe, shot, do="working range", first=FIRST + 2, last=FIRST + 4)
    assert shot.working == (FIRST + 2, FIRST + 4)
    matte = shot.mattes.get()
    job = carry_out(ask(rafe, shot, "fit.measure", matte.pk))
    assert job.total == 3 and fit.state(rafe, shot.pk, matte.pk)["measured"] == 3
    made = delivering.ask(rafe, shot.pk, matte.pk)
    assert (made.first, made.last) == (FIRST + 2, FIRST + 4)
    assert delivering.ask(rafe, shot.pk, matte.pk, first=FIRST).first == FIRST  # told otherwise


def test_the_whole_shot_is_no_range_of_its_own_and_nonsense_is_refused(shot, rafe):
    edited(rafe, shot, do="working range", first=FIRST + 1)
    assert shot.working == (FIRST + 1, LAST)
    assert "whole shot" in edited(rafe, shot, do="working range").summary and shot.work_first is None
    for first, last in ((FIRST - 1, LAST), (FIRST, LAST + 1), (FIRST + 3, FIRST + 2)):
        with pytest.raises(Refused, match="working range"):
            edited(rafe, shot, do="working range", first=first, last=last)


@pytest.fixture
def two_takes(shot, production, rafe, tmp_path):
    """Another shot: the kite for four frames, then something else."""
    folder = tmp_path / "takes"
    folder.mkdir()
    for frame in range(FIRST, LAST + 1):
        shown = picture(frame)
        stills.write_picture(folder / f"TAKES.{frame}.png", shown if frame < FIRST + 4 else 255 - shown[::-1, ::-1])
    it = plates.bring_in_folder(rafe, production.pk, "TAKES", folder, sorted(p.name for p in folder.iterdir()))
    plates.decode(it.plates.get().pk)
    return it


def test_a_cut_is_found_and_nothing_is_followed_over_it(two_takes, rafe):
    shot = two_takes
    assert shot.plates.get().cuts == [FIRST + 4]
    track = str(uuid.uuid4())
    edited(rafe, shot, do="new track", track=track, name="tip", frame=FIRST, points=[(20, 30)], half=9, model="move")
    job = carry_out(ask(rafe, shot, "track.follow", track, frame=FIRST, to=LAST))
    assert job.done == 3 and f"cut between {FIRST + 3} and {FIRST + 4}" in job.message
    with pytest.raises(Refused, match="another take begins"):
        ask(rafe, shot, "track.follow", track, frame=FIRST + 3, to=LAST)


def _film(*, seed=0):
    """Twenty small pictures of a texture that drifts."""
    rng = np.random.default_rng(seed)
    wide = np.kron(rng.integers(40, 200, (3, 10)), np.ones((9, 9))).astype(np.uint8)
    return {f: wide[:, f : f + 48] for f in range(20)}


def test_a_flash_another_light_a_fast_pass_and_missing_frames_are_no_cuts():
    one, other = _film(), _film(seed=1)
    assert cuts.find(one) == []
    assert cuts.find({**one, 7: np.full((27, 48), 250, np.uint8)}) == []
    assert cuts.find({f: p if f < 9 else (p * 0.4).astype(np.uint8) for f, p in one.items()}) == []
    assert cuts.find({f: np.roll(p, 9 * f, axis=1) for f, p in one.items()}) == []
    taken = {f: p if f < 9 else other[f] for f, p in one.items()}
    assert cuts.find(taken) == [9]
    assert cuts.find({f: p for f, p in taken.items() if f != 9}) == []  # what lies in a gap is not known
