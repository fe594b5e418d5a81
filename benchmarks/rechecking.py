"""An edit on one key, and how long its check takes: twelve shapes in full HD over a plate with texture, by workers like anybody's.

Times are the job's own, from being asked for to its end. Starts workers of its own on a database of its own.
"""

import json
import os
import signal
import statistics
import subprocess
import sys
import tempfile
import uuid

Row = tuple[str, str, str]
LONG, EVERY = 72, 8
"""frames; frames from key to key: an edit on one touches those up to the keys beside it"""
TRIES = 12
WORKERS = 2
MAKE = """
import django, json, os, time, uuid
from pathlib import Path
django.setup()
import cv2, numpy as np
from django.contrib.auth import get_user_model
from pydantic import TypeAdapter
from benchmarks.clips import texture
from benchmarks.rechecking import EVERY, LONG, TRIES
from benchmarks.scenes import FIGURE, blob
from jaythread.desk.edit import actions, commands
from jaythread.jobs import actions as jobs
from jaythread.jobs.models import Job
from jaythread.plates import actions as plates
from jaythread.productions import actions as productions
user = get_user_model().objects.create_user("rafe", password=uuid.uuid4().hex)
production = productions.make_production(user, "Saltmarsh")
folder = Path(os.environ["JAY_FILES"]) / "given"
folder.mkdir(parents=True)
ground = np.dstack([texture((2200, 1260), 40 + k, 2.5) for k in range(3)])
names = [f"MAKER.{1001 + k}.png" for k in range(LONG)]
for k, name in enumerate(names):
    still = (ground[2 * k : 1080 + 2 * k, 3 * k : 1920 + 3 * k] * 255).astype(np.uint8)
    cv2.imwrite(str(folder / name), still, [cv2.IMWRITE_PNG_COMPRESSION, 1])
shot = plates.bring_in_folder(user, production.pk, "MAKER", folder, names)
plates.decode(shot.plates.get().pk)
read = TypeAdapter(commands.Command).validate_python
def do(**said):
    return actions.edit(user, shot.pk, uuid.uuid4(), None, read(said))
matte, chance, shapes = str(uuid.uuid4()), np.random.default_rng(5), []
do(do="new matte", matte=matte, name="maker")
for k, (name, x, y, across, down) in enumerate(FIGURE):
    points = blob((0.0, 0.0), 0.6, k) * np.array([across, down] * 3)
    points[:, :2] += np.array([860.0, 500.0]) + 0.6 * np.array([x, y])
    shapes.append(str(uuid.uuid4()))
    parts = [{"do": "trace", "shape": shapes[-1], "entry": str(uuid.uuid4()), "matte": matte, "name": name, "frame": 1001,
              "points": points.tolist(), "curves": [True] * len(points)}]
    for frame in range(1001 + EVERY, 1001 + LONG, EVERY):
        move = [3.0 * EVERY + float(chance.uniform(-20, 20)), 2.0 * EVERY]
        parts.append({"do": "place", "shape": shapes[-1], "frame": frame, "move": move})
    parts.append({"do": "soften", "shape": shapes[-1], "frame": 1001, "inner": 2.0, "outer": 4.0})
    do(do="together", summary=f"traced {name}", commands=parts)
def checked():
    job = jobs.ask(user, shot.pk, "check.read", matte)
    while Job.objects.get(pk=job.pk).busy:
        time.sleep(0.1)
    job.refresh_from_db()
    assert job.state == "done", job.message
    return (job.changed - job.made).total_seconds(), job.total
checked()
took = []
for k in range(TRIES + 2):
    shape = shapes[(0, 5)[k % 2]]
    do(do="place", shape=shape, frame=1001 + 2 * EVERY, move=[2.0 if k % 4 < 2 else -2.0, 0.0])
    took.append(checked())
print(json.dumps(took[2:]))
"""


def rechecking() -> list[Row]:
    """Needs JAY_DB_PORT and JAY_RUN of a started cluster (`./benchmark` sees to it)."""
    with tempfile.TemporaryDirectory() as name:
        env = {**os.environ, "JAY_DB": f"recheck_{uuid.uuid4().hex[:8]}", "DJANGO_SETTINGS_MODULE": "jaythread.settings", "JAY_FILES": name}
        subprocess.run([sys.executable, "ops/make_database.py"], env=env, check=True)
        subprocess.run([sys.executable, "manage.py", "migrate", "--verbosity", "0"], env=env, check=True)
        worker = [sys.executable, "manage.py", "worker"]
        running = [subprocess.Popen(worker, env=env, stdout=subprocess.DEVNULL, start_new_session=True) for _ in range(WORKERS)]
        try:
            told = subprocess.run([sys.executable, "-c", MAKE], env=env, check=True, stdout=subprocess.PIPE, text=True).stdout
        finally:
            for one in running:
                os.killpg(one.pid, signal.SIGKILL)
                one.wait()
            subprocess.run([sys.executable, "ops/drop_database.py"], env=env, check=True)
    took, frames = zip(*json.loads(told.splitlines()[-1]), strict=True)
    each = f"{statistics.median(took):.2f} s, at most {max(took):.2f} s of {len(took)}, {max(frames)} frames and edges"
    return [("check: an edit on one key of twelve shapes, full HD, checked again", each, "under 1 s")]
