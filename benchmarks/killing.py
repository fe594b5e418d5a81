"""Five artists edit while processes are killed at random: web, workers, the database; and the store of files stands still for some seconds.

Whoever edits sends an edit until it is answered, under the name that the page gave it, as the page does. In the end the journal must hold
each once and in order, and the state must be the one that undoing all and doing all again gives.
"""

import http.client
import json
import os
import random
import signal
import subprocess
import sys
import tempfile
import threading
import time
import uuid
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path

from benchmarks.desk import Browser

Row = tuple[str, str, str]
ARTISTS = 5
EDITS = int(os.environ.get("KILLING_EDITS", "2000"))
"""of each"""
KILLS = int(os.environ.get("KILLING_KILLS", "100"))
MIX = {"a web process": 6, "the web server": 2, "a worker": 6, "the database": 4, "the store": 2}
"""how often each is hit, of twenty"""
PACKAGE = 200
"""edits after which an artist asks for a package"""
STILL = (2.0, 6.0)
"""seconds for which the store stands still"""
STORE = """
import sys, time
from moto.server import ThreadedMotoServer
import logging
logging.getLogger("werkzeug").setLevel(logging.ERROR)
ThreadedMotoServer(ip_address="127.0.0.1", port=int(sys.argv[1]), verbose=False).start()
import boto3
boto3.client("s3", endpoint_url="http://127.0.0.1:" + sys.argv[1], region_name="us-east-1").create_bucket(Bucket="saltmarsh")
print("ready", flush=True)
time.sleep(1e9)
"""
MAKE = """
import django, uuid, os
from pathlib import Path
django.setup()
import cv2, numpy as np
from django.contrib.auth import get_user_model
from django.test import Client
from pydantic import TypeAdapter
from benchmarks.killing import ARTISTS
from jaythread.desk.edit import actions, commands
from jaythread.plates import actions as plates
from jaythread.productions import actions as productions
from jaythread.productions.models import Membership
people = get_user_model().objects
production = productions.make_production(people.create_user("marta", password=uuid.uuid4().hex), "Saltmarsh")
read = TypeAdapter(commands.Command).validate_python
for k in range(ARTISTS):
    user = people.create_user(f"artist{k}", password=uuid.uuid4().hex)
    Membership.objects.create(production=production, user=user, role="artist")
    folder = Path(os.environ["JAY_FILES"]) / f"given-{k}"
    folder.mkdir(parents=True)
    names = [f"KITE_{k:03d}.{1001 + n}.png" for n in range(24)]
    for name in names:
        cv2.imwrite(str(folder / name), np.full((180, 320, 3), 90, np.uint8))
    shot = plates.bring_in_folder(user, production.pk, f"KITE_{k:03d}", folder, names)
    plates.decode(shot.plates.get().pk)
    matte, shape = str(uuid.uuid4()), str(uuid.uuid4())
    actions.edit(user, shot.pk, uuid.uuid4(), None, read({"do": "new matte", "matte": matte, "name": "kite"}))
    trace = {"do": "trace", "shape": shape, "entry": str(uuid.uuid4()), "matte": matte, "name": "kite body", "frame": 1001}
    square = [[x, y, 0, 0, 0, 0] for x, y in ((40, 40), (120, 40), (120, 120), (40, 120))]
    made = actions.edit(user, shot.pk, uuid.uuid4(), None, read(trace | {"points": square, "curves": [False] * 4}))
    client = Client()
    client.force_login(user)
    print("artist", user.pk, shot.pk, shape, made.revision, client.cookies["sessionid"].value)
"""
HELD = """
import django, json, sys, uuid
django.setup()
from django.contrib.auth import get_user_model
from jaythread.delivery.models import Delivery
from jaythread.desk.edit import actions
from jaythread.desk.models import Edit, Shape
from jaythread.productions.models import Shot
told = {"lost": 0, "doubled": 0, "otherwise": 0, "unlike": 0}
def state(shot):
    return [repr(shape.to_core()) for shape in Shape.objects.filter(shot=shot).order_by("pk")]
for who, shot, begun, sent in json.loads(sys.stdin.read()):
    user = get_user_model().objects.get(pk=who)
    there = [str(pk) for pk in Edit.objects.filter(shot=shot, revision__gt=begun).order_by("revision").values_list("pk", flat=True)]
    told["lost"] += len(set(sent) - set(there))
    told["doubled"] += len(there) - len(set(there) & set(sent))
    told["otherwise"] += there != sent
    after = state(shot)
    for way in (actions.undo, actions.redo):
        for _ in sent:
            way(user, shot, uuid.uuid4())
        before = state(shot) if way is actions.undo else None
    told["unlike"] += state(shot) != after
print(json.dumps(told))
"""


PACKAGES = """
import django, json, sys, time
django.setup()
from django.core.management import call_command, CommandError
from jaythread.delivery.models import Delivery
BUSY = ("waiting", "rendering", "reading back", "held up")
end = time.monotonic() + 180
while time.monotonic() < end and Delivery.objects.filter(state__in=BUSY).exists():
    time.sleep(0.5)
told = {}
for it in Delivery.objects.all():
    told[it.state] = told.get(it.state, 0) + 1
    if it.state == "proved":
        try:
            call_command("verify", it.pk, stdout=open("/dev/null", "w"))
        except CommandError:
            told["wrong"] = told.get("wrong", 0) + 1
print(json.dumps(told))
"""


@dataclass
class Artist:
    """One who edits. sent: the names of the edits, in order. asked: how often each had to be sent."""

    user: int
    shot: int
    shape: str
    begun: int
    session: str
    sent: list[str] = field(default_factory=list)
    asked: int = 0

    def work(self, port: str) -> None:
        """Place, turn and size on frames all over the shot, one after the other."""
        chance = random.Random(self.shot)
        for _ in range(EDITS):
            size = chance.choice((1.01, 0.99))
            how = chance.choice(({"move": [chance.uniform(-3, 3), 1.5]}, {"turn": chance.uniform(-9, 9)}, {"size": size}))
            command = {"do": "place", "shape": self.shape, "frame": 1001 + chance.randrange(24)} | how
            name = str(uuid.uuid4())
            self._until_taken(port, f"/api/shots/{self.shot}/edits", {"id": name, "command": command})
            self.sent.append(name)
            if len(self.sent) % PACKAGE == 0:
                self._until_taken(port, f"/api/shots/{self.shot}/deliveries", {"mattes": ["kite"]})

    def _until_taken(self, port: str, path: str, body: dict[str, object]) -> None:
        while True:
            self.asked += 1
            with suppress(OSError, http.client.HTTPException, ValueError):
                page = self._page(port)
                answer = json.loads(page.send(path, body))
                if "revision" in answer or "deliveries" in answer or isinstance(answer, list):
                    return
                if answer.get("code") not in ("went_wrong", "database_away", "conflict"):
                    raise RuntimeError(f"An edit was refused: {answer}")
            self._browser = None
            time.sleep(0.1)

    _browser: Browser | None = None

    def _page(self, port: str) -> Browser:
        if self._browser is None:
            self._browser = Browser(port)
            self._browser.send("/sign-in")  # for the token against forgery
            self._browser.cookies["sessionid"] = self.session
        return self._browser


class House:
    """Everything that runs, and the ways in which it is hit."""

    def __init__(self, env: dict[str, str], port: str) -> None:
        self.env, self.port = env, port
        self.store = self._python("-c", STORE, env["JAY_STORE_AT"].rpartition(":")[2], out=subprocess.PIPE)
        assert self.store.stdout is not None
        self.store.stdout.readline()
        self.web: subprocess.Popen[bytes] | None = None
        self.workers: list[subprocess.Popen[bytes]] = []

    def open(self) -> None:
        """Web processes and workers are started."""
        self.web = self._python("-m", "jaythread", "--port", self.port, "--processes", "2")
        self.workers = [self._worker() for _ in range(2)]

    def _python(self, *words: str, out: int = subprocess.DEVNULL) -> subprocess.Popen[bytes]:
        return subprocess.Popen([sys.executable, *words], env=self.env, stdout=out, stderr=subprocess.DEVNULL, start_new_session=True)

    def _worker(self) -> subprocess.Popen[bytes]:
        return self._python("manage.py", "worker", "--polling", "0.5")

    def hit(self, what: str, chance: random.Random) -> None:
        """Kill one, and start it again as whatever watches over it would."""
        if what == "the web server":
            self._gone(self.web)
            self.web = self._python("-m", "jaythread", "--port", self.port, "--processes", "2")
        elif what == "a web process":
            assert self.web is not None
            with suppress(ProcessLookupError, IndexError):
                os.kill(chance.choice(self._children()), signal.SIGKILL)
            self.web.wait(30)  # where one ends all do, so that they are started again
            self.web = self._python("-m", "jaythread", "--port", self.port, "--processes", "2")
        elif what == "a worker":
            self._gone(self.workers.pop(chance.randrange(len(self.workers))))
            self.workers.append(self._worker())
        elif what == "the database":
            self._database()
        else:
            self.store.send_signal(signal.SIGSTOP)
            time.sleep(chance.uniform(*STILL))
            self.store.send_signal(signal.SIGCONT)

    def _children(self) -> list[int]:
        assert self.web is not None
        return [int(pid) for pid in Path(f"/proc/{self.web.pid}/task/{self.web.pid}/children").read_text().split()]

    def _database(self) -> None:
        home = Path(self.env["JAY_RUN"]) / "postgres"
        os.kill(int((home.resolve() / "postmaster.pid").read_text().splitlines()[0]), signal.SIGKILL)
        again = 'source ops/setup.sh; postgres_again "$JAY_RUN/postgres" "$JAY_RUN/postgres.log"'
        for _ in range(60):  # what it left behind has to end first
            time.sleep(0.5)
            if subprocess.run(["bash", "-c", again], env=self.env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL).returncode == 0:
                return
        raise SystemExit("The database does not start again.")

    @staticmethod
    def _gone(it: subprocess.Popen[bytes] | None) -> None:
        if it is not None:
            with suppress(ProcessLookupError):
                os.killpg(it.pid, signal.SIGKILL)
            it.wait()

    def close(self) -> None:
        """Nothing is left running."""
        for it in (self.web, *self.workers, self.store):
            self._gone(it)


def _run(env: dict[str, str], *words: str, said: str = "") -> str:
    return subprocess.run([sys.executable, *words], env=env, check=True, capture_output=True, text=True, input=said).stdout


def edits() -> Iterator[Row]:
    """Needs JAY_DB_PORT and JAY_RUN of a started cluster (`./benchmark` sees to it)."""
    free = lambda: _run(dict(os.environ), "ops/free_port.py").strip()  # noqa: E731
    with tempfile.TemporaryDirectory() as name:
        env = {
            **os.environ, "JAY_DB": f"killing_{uuid.uuid4().hex[:8]}", "DJANGO_SETTINGS_MODULE": "jaythread.settings", "JAY_FILES": name,
            "JAY_STALLED_AFTER": "3", "JAY_SWEEP_WHEN": "* * * * * */2", "JAY_HEARTBEAT": "0.5", "JAY_SECRET": uuid.uuid4().hex * 2,
            "JAY_STORE": "s3://saltmarsh/house", "JAY_STORE_AT": f"http://127.0.0.1:{free()}", "JAY_STORE_REGION": "us-east-1",
            "AWS_ACCESS_KEY_ID": "saltmarsh", "AWS_SECRET_ACCESS_KEY": "saltmarsh",
        }  # fmt: skip
        _run(env, "ops/make_database.py")
        _run(env, "manage.py", "migrate", "--verbosity", "0")
        house = House(env, free())
        try:
            made = [line.split()[1:] for line in _run(env, "-c", MAKE).splitlines() if line.startswith("artist ")]
            artists = [Artist(int(u), int(s), shape, int(begun), own) for u, s, shape, begun, own in made]
            house.open()
            yield from _hit(env, house, artists)
        finally:
            house.close()
            _run(env, "ops/drop_database.py")


def _hit(env: dict[str, str], house: House, artists: list[Artist]) -> Iterator[Row]:
    chance, begin, hits = random.Random(100), time.monotonic(), Counter[str]()
    pages = [threading.Thread(target=one.work, args=(house.port,)) for one in artists]
    for page in pages:
        page.start()
    done: Callable[[], int] = lambda: sum(len(one.sent) for one in artists)  # noqa: E731
    at = 1
    while any(page.is_alive() for page in pages):
        time.sleep(0.2)
        if at <= KILLS and done() >= at * ARTISTS * EDITS // (KILLS + 1):  # spread over the edits, not over time
            what = chance.choice([name for name, often in MIX.items() for _ in range(often)])
            house.hit(what, chance)
            hits[what] += 1
            at += 1
    took = time.monotonic() - begin
    packages = json.loads(_run(env, "-c", PACKAGES))
    found = json.loads(_run(env, "-c", HELD, said=json.dumps([[a.user, a.shot, a.begun, a.sent] for a in artists])))
    by = ", ".join(f"{count} of {what}" for what, count in sorted(hits.items()))
    again = sum(one.asked for one in artists) - done()
    wrong = ", ".join(f"{count} {what}" for what, count in found.items())
    yield (
        f"{done()} edits by {len(artists)} artists over {sum(hits.values())} kills -9 ({by}; the store stood still)",
        f"{wrong}; {again} were sent again, {took:.0f} s",
        "0 lost, 0 doubled, 0 otherwise, 0 unlike",
    )
    states = ", ".join(f"{count} {state}" for state, count in sorted(packages.items()))
    yield "packages asked for meanwhile, read back once more by another process", states, "all proved, none wrong"
