"""A hundred times kill -9 over deliveries of 200 frames, on databases and folders of their own: nothing is lost, wrong, or made twice."""

import os
import random
import signal
import subprocess
import sys
import tempfile
import time
import uuid
from collections.abc import Iterator
from pathlib import Path

KILLS, FRAMES, WORKERS = int(os.environ.get("KILLS", "100")), 200, 2
"""kills over as many deliveries as they take; frames of each of these"""
MAKE = """
import django, uuid, os
from pathlib import Path
django.setup()
import cv2, numpy as np
from django.contrib.auth import get_user_model
from benchmarks.kills import FRAMES
from jaythread.delivery import actions
from jaythread.desk.edit import actions as desk
from jaythread.desk.edit import commands
from jaythread.plates import actions as plates
from jaythread.productions import actions as productions
from pydantic import TypeAdapter
user = get_user_model().objects.create_user("rafe", password="saltmarsh")
production = productions.make_production(user, "Saltmarsh")
folder = Path(os.environ["JAY_FILES"]) / "given"
folder.mkdir(parents=True)
names = [f"KITE_010.{1000 + k}.png" for k in range(1, FRAMES + 1)]
for name in names:
    cv2.imwrite(str(folder / name), np.full((1080, 1920, 3), 90, np.uint8), [cv2.IMWRITE_PNG_COMPRESSION, 1])
shot = plates.bring_in_folder(user, production.pk, "KITE_010", folder, names)
plates.decode(shot.plates.get().pk)
def do(**said):
    desk.edit(user, shot.pk, uuid.uuid4(), None, TypeAdapter(commands.Command).validate_python(said))
matte = str(uuid.uuid4())
do(do="new matte", matte=matte, name="kite")
for k in range(12):
    x, y = 300 + 110 * k, 300 + 40 * (k % 5)
    shape = str(uuid.uuid4())
    points = [[x, y, 0, 0, 0, 0], [x + 200, y, 0, 0, 0, 0], [x + 200, y + 300, 0, 0, 0, 0], [x, y + 300, 0, 0, 0, 0]]
    do(do="trace", shape=shape, entry=str(uuid.uuid4()), matte=matte, name=f"part {k}", frame=1001, points=points, curves=[False] * 4)
    do(do="place", shape=shape, frame=1200, move=(60, -40), turn=20)
    do(do="soften", shape=shape, frame=1001, outer=6)
from roto.package.recipe import Recipe
it = actions.ask(user, shot.pk, uuid.UUID(matte), Recipe(format="exr16", content="straight"), "kills")
print(it.pk)
"""
WATCH = """
import django, sys
django.setup()
from jaythread.delivery.models import Chunk, Delivery
it = Delivery.objects.get(pk=int(sys.argv[1]))
print(it.state, it.frames.filter(done=True).count(), it.package)
for line in it.wrong:
    print(line)
"""


def _start(env: dict[str, str]) -> subprocess.Popen[bytes]:
    command = [sys.executable, "manage.py", "worker", "--polling", "0.2"]
    return subprocess.Popen(command, env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True)


def _files(folder: Path) -> dict[str, int]:
    """When every picture that is in place was written, ns."""
    return {p.name: p.stat().st_mtime_ns for p in folder.glob("*.exr") if not p.name.startswith(".")} if folder.exists() else {}


def hundred() -> Iterator[tuple[str, str, str]]:
    """Needs JAY_DB_PORT and JAY_RUN of a started cluster (`./benchmark` sees to it)."""
    chance, told, kills, begin = random.Random(30), list[tuple[str, int]](), 0, time.monotonic()
    while kills < KILLS:
        state, some, twice = _one(chance, KILLS - kills)
        kills += some
        told.append((state, twice))
    states = f"{sum(state == f'proved {FRAMES}' for state, _ in told)} of {len(told)} proved with all of {FRAMES} frames"
    twice = f"{sum(twice for _, twice in told)} files written a second time, {time.monotonic() - begin:.0f} s"
    yield f"kill -9 of a worker at random, {kills} times over {len(told)} deliveries", f"{states}, {twice}", "all proved, 0 written again"


def _one(chance: random.Random, most: int) -> tuple[str, int, int]:
    """One delivery: how it ended with how many frames made, how often a worker was killed, how many files were written twice."""
    with tempfile.TemporaryDirectory() as name:
        env = {
            **os.environ, "JAY_DB": f"kills_{uuid.uuid4().hex[:8]}", "DJANGO_SETTINGS_MODULE": "jaythread.settings", "JAY_FILES": name,
            "JAY_STALLED_AFTER": "2", "JAY_SWEEP_WHEN": "* * * * * */2", "JAY_HEARTBEAT": "0.5",
        }  # fmt: skip
        subprocess.run([sys.executable, "ops/make_database.py"], env=env, check=True)
        subprocess.run([sys.executable, "manage.py", "migrate", "--verbosity", "0"], env=env, check=True)
        try:
            made = subprocess.run([sys.executable, "-c", MAKE], env=env, check=True, capture_output=True, text=True).stdout.split()
            return _killed(env, int(made[-1]), Path(name), chance, most)
        finally:
            subprocess.run([sys.executable, "ops/drop_database.py"], env=env, check=True)


def _killed(env: dict[str, str], delivery: int, files: Path, chance: random.Random, most: int) -> tuple[str, int, int]:
    folder = files / "deliveries" / str(delivery) / "package"
    running = [_start(env) for _ in range(WORKERS)]
    kills, twice, seen = 0, set(), {}
    begin = time.monotonic()
    try:
        while True:
            time.sleep(chance.uniform(0.8, 2.2))
            now = _files(folder)
            twice |= {k for k, t in seen.items() if now.get(k) != t}
            seen |= now
            if kills < most and len(now) < FRAMES:
                it = running.pop(chance.randrange(len(running)))
                os.killpg(it.pid, signal.SIGKILL)
                it.wait()
                kills += 1
                running.append(_start(env))
            told = subprocess.run([sys.executable, "-c", WATCH, str(delivery)], env=env, check=True, capture_output=True, text=True).stdout
            state = told.split("\n")[0]
            if state.startswith(("proved", "failed", "held", "cancelled")) or time.monotonic() - begin > 900:
                break
    finally:
        for it in running:
            os.killpg(it.pid, signal.SIGKILL)
            it.wait()
    now = _files(folder)
    twice |= {k for k, t in seen.items() if now.get(k) != t}
    return " ".join(state.split()[:-1]), kills, len(twice)
