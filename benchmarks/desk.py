"""Edit to picture: a running server, full HD, 10 shapes with reach, 8 samples; what the way costs beyond the core's own time.

Starts a web server of its own on a database of its own; nothing of an installation is touched.
"""

import http.cookiejar
import json
import os
import subprocess
import sys
import time
import urllib.request
import uuid
from pathlib import Path

import numpy as np

from benchmarks.scenes import blob

EDITS = 60


class Browser:
    """A page's requests, with its cookies, over one kept-alive connection at a time."""

    def __init__(self, address: str) -> None:
        self.address = address
        self.jar = http.cookiejar.CookieJar()
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.jar))

    def token(self) -> str:
        return next((str(c.value) for c in self.jar if c.name == "csrftoken"), "")

    def send(self, path: str, body: object = None, form: bytes | None = None) -> tuple[bytes, dict[str, str]]:
        data = form if form is not None else (json.dumps(body).encode() if body is not None else None)
        headers = {"X-CSRFToken": self.token(), "Referer": self.address}
        if form is None and data is not None:
            headers["Content-Type"] = "application/json"
        with self.opener.open(urllib.request.Request(self.address + path, data, headers)) as reply:
            return reply.read(), dict(reply.headers)


def edit_to_picture() -> list[tuple[str, str, str]]:
    """Needs JAY_DB_PORT and JAY_RUN of a started cluster (`./benchmark` sees to it)."""
    env = {**os.environ, "JAY_DB": f"bench_{uuid.uuid4().hex[:8]}", "DJANGO_SETTINGS_MODULE": "jaythread.settings"}
    python = sys.executable
    subprocess.run([python, "ops/make_database.py"], env=env, check=True)
    subprocess.run([python, "manage.py", "migrate", "--verbosity", "0"], env=env, check=True)
    made = subprocess.run([python, "-c", MAKE_SHOT], env=env, check=True, capture_output=True, text=True).stdout.split()
    shot, matte = int(made[-2]), made[-1]
    port = subprocess.run([python, "ops/free_port.py"], check=True, capture_output=True, text=True).stdout.strip()
    gunicorn = Path(python).with_name("gunicorn")
    command = [str(gunicorn), "jaythread.wsgi", "--bind", f"127.0.0.1:{port}", "--workers", "1", "--threads", "8", "--log-level", "warning"]
    server = subprocess.Popen(command, env=env)
    try:
        return measured(Browser(f"http://127.0.0.1:{port}"), shot, matte)
    finally:
        server.terminate()
        server.wait(20)
        subprocess.run([python, "ops/drop_database.py"], env=env, check=True)


MAKE_SHOT = """
import django; django.setup()
from django.contrib.auth import get_user_model
from jaythread.productions.models import Production, Membership, Shot
from jaythread.desk.models import Matte
user = get_user_model().objects.create_user("rafe", password="saltmarsh")
production = Production.objects.create(name="Saltmarsh")
Membership.objects.create(production=production, user=user, role="artist")
shot = Shot.objects.create(production=production, name="KITE_010", first=1001, last=1072, width=1920, height=1080)
print(shot.pk, Matte.objects.create(shot=shot, name="kite").pk)
"""


def measured(page: Browser, shot: int, matte: str) -> list[tuple[str, str, str]]:
    for _ in range(100):
        try:
            page.send("/sign-in")
            break
        except OSError:
            time.sleep(0.1)
    page.send("/sign-in", form=f"username=rafe&password=saltmarsh&csrfmiddlewaretoken={page.token()}".encode())
    rng = np.random.default_rng(2)
    shapes = []
    for k in range(10):
        points = blob((float(rng.uniform(300, 1600)), float(rng.uniform(250, 830))), float(rng.uniform(80, 200)), k)
        shape = str(uuid.uuid4())
        trace = {"do": "trace", "shape": shape, "entry": str(uuid.uuid4()), "matte": matte, "name": f"shape {k}", "frame": 1001}
        trace |= {"points": points.tolist(), "curves": [True] * len(points)}
        edits = [
            trace,
            {"do": "place", "shape": shape, "frame": 1072, "move": [300.0, 90.0]},
            {"do": "soften", "shape": shape, "frame": 1001, "inner": 2, "outer": 4},
        ]
        for command in edits:
            page.send(f"/api/shots/{shot}/edits", {"id": str(uuid.uuid4()), "command": command})
        shapes.append((shape, points))
    beyond, core, answers = [], [], []
    for k in range(EDITS):
        shape, points = shapes[k % 10]
        row = points[k % 40].copy()
        row[:2] += rng.normal(0, 4, 2)
        command = {"do": "form", "shape": shape, "frame": 1001, "points": {k % 40: row.tolist()}}
        low, high = points[:, :2].min(axis=0) - 30, points[:, :2].max(axis=0) + 30
        box = [int(low[0]), int(low[1]), int(high[0]), int(high[1])]
        body = {"id": str(uuid.uuid4()), "command": command, "picture": {"matte": matte, "frame": 1001, "box": box, "quick": True}}
        begin = time.perf_counter()
        _, _ = page.send(f"/api/shots/{shot}/edits", {"id": body["id"], "command": command})
        answers.append((time.perf_counter() - begin) * 1000)
        _, headers = page.send(f"/api/shots/{shot}/mattes/{matte}/picture", body["picture"])
        whole = (time.perf_counter() - begin) * 1000
        own = float(headers["X-Core-Ms"])
        core.append(own)
        beyond.append(whole - own)
    text = f"p95 {np.percentile(beyond, 95):.1f} ms, median {np.median(beyond):.1f}; core p95 {np.percentile(core, 95):.1f} ms; edit's answer p95 {np.percentile(answers, 95):.1f}"
    return [("edit to picture, beyond the core", text, "p95 at most 25 ms")]
