"""Real worker processes on one delivery, one of them killed in the middle: all is made, nothing twice."""

import os
import signal
import subprocess
import sys
import time

import pytest

from jaythread.delivery import actions
from jaythread.delivery.models import Chunk, Delivery
from jaythread.jobs.models import Job
from roto.package.recipe import Recipe

from ..conftest import ask, trace

pytestmark = pytest.mark.django_db(transaction=True)
COMMAND = [sys.executable, "manage.py", "worker", "--polling", "0.1"]


@pytest.fixture
def started(settings):
    """Starts workers that notice quickly when one of them is gone."""
    env = lambda: {  # noqa: E731
        **os.environ, "JAY_DB": settings.DATABASES["default"]["NAME"], "JAY_FILES": str(settings.MEDIA_ROOT), "JAY_STALLED_AFTER": "2",
        "JAY_SWEEP_WHEN": "* * * * * */1", "JAY_HEARTBEAT": "0.5",
    }  # fmt: skip
    running = []

    def start():
        running.append(subprocess.Popen(COMMAND, env=env(), stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL))
        return running[-1]

    yield start
    for it in running:
        it.kill()
        it.wait()


def until(what, seconds=60.0):
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if found := what():
            return found
        time.sleep(0.02)
    raise AssertionError(f"waited {seconds} s in vain")


def test_a_worker_is_killed_and_another_takes_its_chunk_up(shot, people, started):
    trace(shot, people["rafe"])
    recipe = Recipe(content="straight", size="own", width=1920, height=1280)  # large enough to be killed in the middle
    it = actions.ask(people["rafe"], shot.pk, shot.mattes.get().pk, recipe, "large")
    first = started()
    there = lambda: {p.name: p.stat().st_mtime_ns for p in it.package.glob("*.png") if p.name[0] != "."}  # noqa: E731
    until(lambda: len(there()) >= 2)
    first.send_signal(signal.SIGKILL)
    first.wait()
    kept = there()
    assert 2 <= len(kept) < 8 and Chunk.objects.get().state == "working"
    started(), started()
    until(lambda: Delivery.objects.get(pk=it.pk).state not in ("waiting", "rendering", "reading back"))
    it.refresh_from_db()
    assert (it.state, it.wrong) == ("proved", []) and it.frames.filter(done=True).count() == 8
    assert {name: when for name, when in there().items() if name in kept} == kept


def test_a_check_goes_back_to_the_worker_that_has_the_frames_in_memory(shot, people, started):
    trace(shot, people["rafe"])
    matte, workers = shot.mattes.get(), [started(), started()]
    seen = []
    for _ in range(6):
        job = ask(people["rafe"], shot, "check.read", matte.pk)
        until(lambda pk=job.pk: not Job.objects.get(pk=pk).busy)
        job.refresh_from_db()
        assert job.state == "done"
        seen.append((job.worker, job.near))
    assert len(set(seen)) == 1 and seen[0][1].startswith("near."), "one of the two does it each time"

    for one in workers:
        one.kill()
        one.wait()
    job = ask(people["rafe"], shot, "check.read", matte.pk)
    started()
    until(lambda: not Job.objects.get(pk=job.pk).busy, 20.0)
    job.refresh_from_db()
    assert (job.state, job.worker == seen[0][0]) == ("done", False), "nobody waits for a worker that is gone"


def test_work_that_wants_too_much_memory_ends_with_a_sentence_and_the_worker_goes_on(shot, people, started, monkeypatch):
    monkeypatch.setenv("JAY_MEMORY", "600")
    trace(shot, people["rafe"])
    huge = actions.ask(people["rafe"], shot.pk, shot.mattes.get().pk, Recipe(size="own", width=16000, height=12000), "huge")
    started()
    state = lambda it: Delivery.objects.get(pk=it.pk).state  # noqa: E731
    until(lambda: state(huge) == "held up")
    assert "more memory" in Delivery.objects.get(pk=huge.pk).message
    small = actions.ask(people["rafe"], shot.pk, shot.mattes.get().pk)
    until(lambda: state(small) == "proved")
