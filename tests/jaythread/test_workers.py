"""Real worker processes on one delivery, one of them killed in the middle: all is made, nothing twice."""

import os
import signal
import subprocess
import sys
import time

import pytest

from jaythread.delivery import actions
from jaythread.delivery.models import Chunk, Delivery
from roto.package.recipe import Recipe

from ..conftest import trace

pytestmark = pytest.mark.django_db(transaction=True)
COMMAND = [sys.executable, "manage.py", "procrastinate", "worker", "--concurrency", "1", "--fetch-job-polling-interval", "0.1"]


@pytest.fixture
def started(settings):
    """Starts workers that notice quickly when one of them is gone."""
    env = {
        **os.environ, "JAY_DB": settings.DATABASES["default"]["NAME"], "JAY_FILES": str(settings.MEDIA_ROOT), "JAY_STALLED_AFTER": "2",
        "JAY_SWEEP_WHEN": "* * * * * */1", "JAY_HEARTBEAT": "0.5",
    }  # fmt: skip
    running = []

    def start():
        running.append(subprocess.Popen(COMMAND, env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL))
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
