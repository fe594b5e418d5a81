"""Many artists at one web server: each drags and edits once a second, as the page does, and waits for the picture of what it touched.

Starts a web server of its own on a database of its own; all artists are threads of this process, on loopback.
"""

import base64
import json
import os
import subprocess
import sys
import threading
import time
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from benchmarks.desk import Browser
from benchmarks.scenes import blob

Row = tuple[str, str, str]
SECONDS = 20.0
FIRST, LAST = 1001, 1072
SHAPES = 10
MOST = 40
"""artists, and shots of their own"""

MAKE = """
import django, uuid
django.setup()
from django.contrib.auth import get_user_model
from django.test import Client
from pydantic import TypeAdapter
from benchmarks.load import LAST, MOST, SHAPES, traced
from jaythread.desk.edit import actions, commands
from jaythread.productions import actions as productions
from jaythread.productions.models import Membership, Shot
people = get_user_model().objects
lead = people.create_user("marta", password=uuid.uuid4().hex)
production = productions.make_production(lead, "Saltmarsh")
read = TypeAdapter(commands.Command).validate_python
for k in range(MOST):
    user = people.create_user(f"artist{k}", password=uuid.uuid4().hex)
    Membership.objects.create(production=production, user=user, role="artist")
    shot = Shot.objects.create(production=production, name=f"KITE_{k:03d}", first=1001, last=LAST, width=1920, height=1080)
    matte = str(uuid.uuid4())
    actions.edit(user, shot.pk, uuid.uuid4(), None, read({"do": "new matte", "matte": matte, "name": "kite"}))
    shapes = []
    for n in range(SHAPES):
        shape = str(uuid.uuid4())
        whole = {"do": "together", "summary": f"traced shape {n}", "commands": traced(shape, matte, n, k)}
        actions.edit(user, shot.pk, uuid.uuid4(), None, read(whole))
        shapes.append(shape)
    client = Client()
    client.force_login(user)
    print("artist", user.pk, shot.pk, matte, client.cookies["sessionid"].value, ",".join(shapes))
"""


def traced(shape: str, matte: str, n: int, seed: int) -> list[dict[str, object]]:
    """What an artist did for one shape: traced, placed on the last frame, softened."""
    rng = np.random.default_rng([seed, n])
    points = blob((float(rng.uniform(300, 1600)), float(rng.uniform(250, 830))), float(rng.uniform(80, 200)), n)
    trace = {"do": "trace", "shape": shape, "entry": str(uuid.uuid4()), "matte": matte, "name": f"shape {n}", "frame": 1001}
    return [
        trace | {"points": points.tolist(), "curves": [True] * len(points)},
        {"do": "place", "shape": shape, "frame": LAST, "move": [300.0, 90.0]},
        {"do": "soften", "shape": shape, "frame": 1001, "inner": 2, "outer": 4},
    ]


@dataclass
class Artist:
    """One page: where it is, how long its answers took, and drawing alone, ms. violent: px that its shapes jump from key to key. shared:
    whether others edit the same shapes: then it does not say on which revision it does, since it does not ask for news.

    known: what it knows of each shape, by its id: revision, and outlines (frames, points, 6)."""

    shot: int
    matte: str
    session: str
    shapes: list[str]
    violent: float = 0.0
    shared: bool = False
    known: dict[str, tuple[int, np.ndarray]] = field(default_factory=dict)
    waits: list[float] = field(default_factory=list)
    core: list[float] = field(default_factory=list)
    empty: int = 0

    def work(self, port: str, begin: float, until: float) -> None:
        """Drag for half a second, let go, and again; a second's rhythm, whatever the answers take."""
        page = Browser(port)
        page.send("/sign-in")  # for the token against forgery
        page.cookies["sessionid"] = self.session
        rng = np.random.default_rng(self.shot)
        if not self.known:
            self._take(json.loads(page.send(f"/api/shots/{self.shot}/desk")))
        turn = 0
        while (now := begin + turn) < until:
            shape, frame = self.shapes[turn % len(self.shapes)], FIRST + 7 * (turn % 10)
            by = [float(v) for v in (rng.normal(0, 3, 2) if not self.violent else rng.choice([-1, 1], 2) * self.violent)]
            command = {"do": "place", "shape": shape, "frame": frame, "move": by}
            base = None if self.shared else {shape: self.known[shape][0]}
            for at, path, body in (
                (now, f"/api/shots/{self.shot}/mattes/{self.matte}/picture",
                 {"frame": frame, "box": self._touched(shape, frame, by), "draft": command, "quick": True}),
                (now + 0.5, f"/api/shots/{self.shot}/edits",
                 {"id": str(uuid.uuid4()), "base": base, "command": command, "view": {"matte": self.matte, "frame": frame}}),
            ):  # fmt: skip
                time.sleep(max(0.0, at - time.perf_counter()))
                sent = time.perf_counter()
                answer = page.send(path, body)
                self.waits.append((time.perf_counter() - sent) * 1000)
                if path.endswith("edits"):
                    told = json.loads(answer)
                    self._take(told)
                    picture = told.get("picture")
                    self.empty += not picture
                    self.core += [picture["coreMs"]] if picture else []
            turn += 1

    def _take(self, told: dict[str, Any]) -> None:
        """Keep what an answer says of shapes."""
        for one in told.get("shapes", []):
            numbers = np.frombuffer(base64.b64decode(one["outlines"]), "<f4")
            self.known[one["id"]] = one["revision"], numbers.reshape(LAST - FIRST + 1, -1, 6)

    def _touched(self, shape: str, frame: int, by: list[float]) -> list[int]:
        """The box that a page asks for while it drags a shape: where it was and where it is, its reach, and how far it goes in a frame."""
        outlines, at = self.known[shape][1], frame - FIRST
        boxes = [np.concatenate([p.min(axis=0), p.max(axis=0)]) for p in (outlines[k, :, :2] for k in range(max(0, at - 1), at + 2))]
        here = boxes[min(at, 1)]
        pad = REACH + max(float(np.abs(one - here).max()) for one in boxes) + MARGIN
        pad += float(np.abs(outlines[at, :, 2:]).max())  # its tangents reach no farther
        low = np.minimum(here[:2], here[:2] + by) - pad
        high = np.maximum(here[2:], here[2:] + by) + pad
        return [*np.maximum(np.floor(low), 0).astype(int).tolist(), *np.minimum(np.ceil(high), SIZE).astype(int).tolist()]


SIZE = (1920, 1080)
REACH, MARGIN = 4, 4
"""px: of the shapes; and what a page asks for beyond"""


@contextmanager
def serving() -> Iterator[tuple[str, int, list[Artist], dict[str, str]]]:
    """A server's port and its process, every artist, and the settings it runs with. Needs JAY_DB_PORT and JAY_RUN of a started cluster."""
    env = {**os.environ, "JAY_DB": f"load_{uuid.uuid4().hex[:8]}", "DJANGO_SETTINGS_MODULE": "jaythread.settings"}
    env["JAY_SECRET"] = uuid.uuid4().hex * 2
    python = sys.executable
    subprocess.run([python, "ops/make_database.py"], env=env, check=True)
    subprocess.run([python, "manage.py", "migrate", "--verbosity", "0"], env=env, check=True)
    made = subprocess.run([python, "-c", MAKE], env=env, check=True, capture_output=True, text=True).stdout.splitlines()
    port = subprocess.run([python, "ops/free_port.py"], check=True, capture_output=True, text=True).stdout.strip()
    server = subprocess.Popen(
        [python, "-m", "jaythread", "--port", port, "--processes", str(os.cpu_count() or 1)], env=env, stderr=subprocess.DEVNULL
    )
    try:
        rows = [line.split()[2:] for line in made if line.startswith("artist ")]
        yield port, server.pid, [Artist(shot=int(k), matte=matte, session=own, shapes=some.split(",")) for k, matte, own, some in rows], env
    finally:
        server.terminate()
        server.wait(20)
        subprocess.run([python, "ops/drop_database.py"], env=env, check=True)


def together(port: str, artists: list[Artist], seconds: float = SECONDS) -> np.ndarray:
    """How long all answers took, ms, once the first few seconds are over."""
    begin = time.perf_counter() + 0.5
    rng = np.random.default_rng(len(artists))
    pages = [threading.Thread(target=one.work, args=(port, begin + float(rng.uniform(0, 1)), begin + seconds)) for one in artists]
    for page in pages:
        page.start()
    for page in pages:
        page.join()
    return np.concatenate([one.waits[4:] for one in artists])


def fresh(everybody: list[Artist], count: int) -> list[Artist]:
    """Some of them, with nothing waited for yet."""
    return [Artist(shot=one.shot, matte=one.matte, session=one.session, shapes=one.shapes, known=one.known) for one in everybody[:count]]


def warm(port: str, everybody: list[Artist]) -> None:
    """Wait until a server is there, its compiled code is loaded, and shots are in its memory."""
    for _ in range(100):
        try:
            Browser(port).send("/sign-in")
            break
        except OSError:
            time.sleep(0.1)
    together(port, fresh(everybody, MOST), 6.0)


EDITS = 10_000
"""after which it is looked how much memory a web process has"""


def edit_on(port: str, artist: Artist, count: int) -> None:
    """So many edits one after the other, as quickly as they are answered."""
    page = Browser(port)
    page.send("/sign-in")
    page.cookies["sessionid"] = artist.session
    rng = np.random.default_rng(artist.shot)
    for turn in range(count):
        by = [float(v) for v in rng.normal(0, 3, 2)]
        command = {"do": "place", "shape": artist.shapes[turn % len(artist.shapes)], "frame": 1001 + turn % 70, "move": by}
        view = {"matte": artist.matte, "frame": 1001 + turn % 70}
        answer = json.loads(page.send(f"/api/shots/{artist.shot}/edits", {"id": str(uuid.uuid4()), "command": command, "view": view}))
        assert "revision" in answer, answer


def memory(port: str, server: int, artists: list[Artist]) -> Row:
    """What the largest web process has in memory after many edits in many shots."""
    pages = [threading.Thread(target=edit_on, args=(port, one, EDITS // len(artists))) for one in artists]
    for page in pages:
        page.start()
    for page in pages:
        page.join()
    both = Path(f"/proc/{server}/task/{server}/children").read_text().split() or [str(server)]
    held = [next(line for line in Path(f"/proc/{pid}/status").read_text().splitlines() if line.startswith("VmRSS")) for pid in both]
    most = max(int(line.split()[1]) for line in held) / 1024
    return f"memory of the larger of {len(both)} web processes after {EDITS} edits in {len(artists)} shots", f"{most:.0f} MB", "600 MB"


def at_rest() -> Iterator[Row]:
    """The memory alone."""
    with serving() as (port, server, everybody, _):
        warm(port, everybody[:4])
        yield memory(port, server, fresh(everybody, 20))


def load() -> Iterator[Row]:
    """Artists in shots of their own, in two shared shots, and beside four whose shapes jump."""
    with serving() as (port, _, everybody, _):
        warm(port, everybody)
        for count, wanted in ((10, ""), (20, "150 ms"), (40, "300 ms")):
            yield _told(f"{count} artists", together(port, artists := fresh(everybody, count)), artists, wanted)
        shared = fresh(everybody, 20)
        for k, one in enumerate(shared):
            its = everybody[k % 2]
            one.shot, one.matte, one.shapes, one.known, one.shared = its.shot, its.matte, its.shapes, its.known, True
        yield _told("20 artists in two shots", together(port, shared), shared, "150 ms")
        beside = fresh(everybody, 20)
        for one in beside[:4]:
            one.violent = 150.0
        together(port, beside)
        yield _told(
            "16 artists beside 4 whose shapes jump by 150 px", np.concatenate([one.waits[4:] for one in beside[4:]]), beside, "150 ms"
        )


def _told(who: str, waits: np.ndarray, artists: list[Artist], wanted: str) -> Row:
    empty = sum(one.empty for one in artists)
    none = f", {empty} answers without a picture" if empty else ""
    return f"load: {who}, p95", f"{np.percentile(waits, 95):.0f} ms (median {np.median(waits):.0f}, {len(waits)} answers{none})", wanted
