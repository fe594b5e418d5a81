"""Edit to picture: a running server, full HD, 10 shapes with reach, 8 samples; what the way costs beyond the core's own time.

Starts a web server of its own on a database of its own; nothing of an installation is touched.
"""

import base64
import http.client
import json
import os
import subprocess
import sys
import time
import uuid

import numpy as np

from benchmarks.scenes import blob

EDITS = 60


class Browser:
    """A page's requests, with its cookies, over a kept-alive connection."""

    def __init__(self, port: str) -> None:
        self.connection = http.client.HTTPConnection("127.0.0.1", int(port))
        self.cookies: dict[str, str] = {}

    def send(self, path: str, body: object = None, form: str | None = None) -> bytes:
        headers = {"Cookie": "; ".join(f"{k}={v}" for k, v in self.cookies.items()), "X-CSRFToken": self.cookies.get("csrftoken", "")}
        data = form if form is not None else (json.dumps(body) if body is not None else None)
        headers["Content-Type"] = "application/json" if form is None else "application/x-www-form-urlencoded"
        self.connection.request("GET" if data is None else "POST", path, data, headers)
        reply = self.connection.getresponse()
        for cookie in reply.headers.get_all("Set-Cookie") or []:
            name, _, value = cookie.split(";")[0].partition("=")
            self.cookies[name] = value
        return reply.read()


def edit_to_picture() -> list[tuple[str, str, str]]:
    """Needs JAY_DB_PORT and JAY_RUN of a started cluster (`./benchmark` sees to it)."""
    env = {**os.environ, "JAY_DB": f"bench_{uuid.uuid4().hex[:8]}", "DJANGO_SETTINGS_MODULE": "jaythread.settings"}
    python = sys.executable
    subprocess.run([python, "ops/make_database.py"], env=env, check=True)
    subprocess.run([python, "manage.py", "migrate", "--verbosity", "0"], env=env, check=True)
    made = subprocess.run([python, "-c", MAKE_SHOT], env=env, check=True, capture_output=True, text=True).stdout.split()
    shot, matte = int(made[-2]), made[-1]
    port = subprocess.run([python, "ops/free_port.py"], check=True, capture_output=True, text=True).stdout.strip()
    server = subprocess.Popen([python, "-m", "jaythread", "--port", port], env=env)
    try:
        return measured(Browser(port), shot, matte)
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
            page.connection.close()
            time.sleep(0.1)
    page.send("/sign-in", form=f"username=rafe&password=saltmarsh&csrfmiddlewaretoken={page.cookies['csrftoken']}")
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
    page.send(f"/api/shots/{shot}/mattes/{matte}/picture", {"frame": 1001})  # the page is looking at the matte
    beyond, core = [], []
    known = {s["id"]: s["revision"] for s in json.loads(page.send(f"/api/shots/{shot}/desk"))["shapes"]}
    for k in range(EDITS):
        shape, points = shapes[k % 10]
        row = points[k % 40].copy()
        row[:2] += rng.normal(0, 4, 2)
        command = {"do": "form", "shape": shape, "frame": 1001, "points": {k % 40: row.tolist()}}
        body = {"id": str(uuid.uuid4()), "base": {shape: known[shape]}, "command": command, "view": {"matte": matte, "frame": 1001}}
        begin = time.perf_counter()
        answer = page.send(f"/api/shots/{shot}/edits", body)
        whole = (time.perf_counter() - begin) * 1000
        told = json.loads(answer)
        picture = told["picture"]
        known[shape] = told["shapes"][0]["revision"]
        assert base64.b64decode(picture["png"])[:4] == b"\x89PNG"
        own = picture["coreMs"]
        core.append(own)
        beyond.append(whole - own)
    text = f"p95 {np.percentile(beyond, 95):.1f} ms, median {np.median(beyond):.1f}; core p95 {np.percentile(core, 95):.1f} ms"
    return [("edit to picture, beyond the core", text, "p95 at most 25 ms")]
