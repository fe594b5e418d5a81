"""Five hosts that share a database and a store, and nothing else: two serve pages, three work, one of these vanishes from the network.
Each is in a network of its own where that is permitted, else a group of processes; see `machines`."""

import io
import os
import signal
import socket
import subprocess
import sys
import zipfile

import cv2
import numpy as np
import pytest
import requests
from django.contrib.auth import get_user_model
from django.contrib.auth.hashers import PBKDF2PasswordHasher
from django.db import connection

from jaythread import environment
from jaythread.delivery import actions as delivery
from jaythread.delivery.models import Chunk, Delivery
from jaythread.plates.models import Plate
from roto.package.recipe import Recipe

from ..conftest import edited, trace, write_stills
from .machines import Apart, Beside, permitted
from .test_workers import until

pytestmark = pytest.mark.django_db(transaction=True)
LONG = 24
"""frames: three chunks, one for each worker"""


@pytest.fixture
def host(settings, tmp_path, bucket):
    """Starts a process on a host of its own; what it has at hand lies in the folder of that name."""
    running, stands = {}, {}
    base = settings.DATABASES["default"]

    def at(name: str) -> Beside:
        if name not in stands:
            stands[name] = Apart(len(stands) + 1) if permitted() else Beside()
        return stands[name]

    def start(name: str, *words: str):
        own = tmp_path / name
        env = {**os.environ, "JAY_RUN": str(own / "run"), "JAY_FILES": str(own / "files"), "JAY_HOSTS": at(name).address}
        env["JAY_DB_URL"] = f"postgres://{base['USER']}@{at(name).way_to(int(base['PORT']))}/{base['NAME']}"
        store = at(name).way_to(int(bucket["at"].rpartition(":")[2]))
        env |= {"JAY_SECRET": "of-the-tests-alone", "JAY_STORE": f"s3://{bucket['bucket']}/{bucket['under']}"}
        env["JAY_STORE_AT"] = f"http://{store}"
        env |= {"JAY_STORE_REGION": bucket["region"], "JAY_STALLED_AFTER": "2", "JAY_HEARTBEAT": "0.5"}
        env |= {"JAY_SWEEP_WHEN": "* * * * * */1"}
        quiet = subprocess.DEVNULL
        command = [*at(name).words, sys.executable, *words]
        running[name] = subprocess.Popen(command, env=env, cwd=environment.BASE, stdout=quiet, stderr=quiet, start_new_session=True)
        return own / "files"

    def die(name: str, unnoticed: bool = False) -> None:
        if unnoticed:
            stands[name].vanish()
        os.killpg(running[name].pid, signal.SIGKILL)
        running.pop(name).wait()

    start.die, start.at = die, at
    yield start
    for name in list(running):
        die(name)
    for one in stands.values():
        one.close()
    until(alone)  # the database is taken away after this


def alone() -> bool:
    """Whether nobody else speaks to the database of the tests."""
    with connection.cursor() as cursor:
        others = "select count(*) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()"
        return cursor.execute(others).fetchone()[0] == 0


def serve(host, name: str) -> str:
    address = host.at(name).address
    with socket.socket() as one:
        one.bind(("127.0.0.1", 0))
        port = one.getsockname()[1]
    host(name, "-m", "jaythread", "--host", address, "--port", str(port))

    def answers():
        try:
            return requests.get(f"http://{address}:{port}/sign-in", timeout=60).ok
        except requests.RequestException:
            return False

    until(answers)
    return f"http://{address}:{port}"


def signed_in(at: str, name: str) -> requests.Session:
    page = requests.Session()
    page.get(f"{at}/sign-in")
    said = {"username": name, "password": "saltmarsh", "csrfmiddlewaretoken": page.cookies["csrftoken"]}
    assert page.post(f"{at}/sign-in", said, headers={"Referer": at}).url.endswith("/")
    return page


def test_a_host_that_dies_in_the_middle_of_a_delivery_takes_nothing_with_it(production, people, host, tmp_path, settings):
    get_user_model().objects.update(password=PBKDF2PasswordHasher().encode("saltmarsh", "salt", 1000))  # as the servers know it
    settings.MEDIA_ROOT = tmp_path / "the-tests-own"
    webs = [serve(host, name) for name in ("web-1", "web-2")]
    workers = {name: host(name, "manage.py", "worker", "--polling", "0.1") for name in ("worker-1", "worker-2", "worker-3")}

    page = signed_in(webs[0], "rafe")
    stills = write_stills(tmp_path / "given", last=1000 + LONG)
    files = [("files", (path.name, path.read_bytes())) for path in stills]
    said = {"name": "KITE_010", "csrfmiddlewaretoken": page.cookies["csrftoken"]}
    reply = page.post(f"{webs[0]}/productions/{production.pk}/bring-in", said, files=files, headers={"Referer": webs[0]})
    assert reply.ok, reply.text
    plate = Plate.objects.get()
    until(lambda: Plate.objects.get().state == "ready")
    seen = page.get(f"{webs[1]}/plates/{plate.pk}/full/1020.png", cookies=page.cookies.get_dict())
    assert np.array_equal(cv2.imdecode(np.frombuffer(seen.content, np.uint8), 1), cv2.imread(str(stills[19])))

    shot = plate.shot
    edited(people["rafe"], shot, do="new matte", matte="00000000-0000-4000-8000-000000000001", name="kite")
    shape = trace(shot, people["rafe"])
    edited(people["rafe"], shot, do="place", shape=shape, frame=1024, move=(28, 0))
    recipe = Recipe(content="straight", size="own", width=1440, height=960)  # large enough to be killed in the middle
    asked = delivery.ask(people["rafe"], shot.pk, shot.mattes.get().pk, recipe, "large")
    made = lambda name: [p for p in workers[name].glob(f"deliveries/{asked.pk}/package/*.png") if p.name[0] != "."]  # noqa: E731
    victim = until(lambda: next((name for name in workers if len(made(name)) >= 2), None))
    host.die(victim, unnoticed=True)
    assert Chunk.objects.filter(delivery=asked, state="working").exists()
    until(lambda: Delivery.objects.get(pk=asked.pk).state not in ("waiting", "rendering", "reading back"))
    asked.refresh_from_db()
    assert (asked.state, asked.wrong) == ("proved", []) and asked.frames.filter(done=True).count() == LONG

    other = signed_in(webs[1], "noor")
    fetched = other.get(f"{webs[1]}/deliveries/{asked.pk}/fetch")
    with zipfile.ZipFile(io.BytesIO(fetched.content)) as bag:
        assert bag.testzip() is None
        alphas = [
            cv2.imdecode(np.frombuffer(bag.read(f"KITE_010_kite.{f}.png"), np.uint8), cv2.IMREAD_UNCHANGED)[:, :, 3]
            for f in range(1001, 1025)
        ]
    # 30 x 30 px of 96 x 64, fifteen times as large on each side, on every frame
    covered = [float(alpha.astype(float).sum()) / 65535 for alpha in alphas]
    assert all(abs(area - 900 * 225) < 0.02 * 900 * 225 for area in covered), covered
    middle = lambda alpha: (alpha.astype(float).sum(axis=0) @ np.arange(1440)) / alpha.astype(float).sum()  # noqa: E731
    assert abs((middle(alphas[-1]) - middle(alphas[0])) / 15 - 28) < 0.5


def test_the_database_notices_that_a_machine_has_vanished():
    names = ["tcp_keepalives_count", "tcp_keepalives_idle", "tcp_user_timeout"]
    with connection.cursor() as cursor:
        said = cursor.execute("select setting from pg_settings where name = any(%s) order by name", [names]).fetchall()
    assert said == [("2",), ("10",), ("10000",)], "tries, seconds, milliseconds"


@pytest.mark.skipif(not permitted(), reason="networks of their own are not permitted here")
@pytest.mark.parametrize("under_way", [b"", b"an answer"], ids=["idle", "answering"])
def test_what_a_vanished_machine_held_is_let_go(under_way):
    """Else a lock of its session would stop the others, whatever the database does."""
    machine = Apart(200)
    try:
        with socket.create_server(("127.0.0.1", 0)) as door:
            gate, port = machine.way_to(door.getsockname()[1]).split(":")
            speaks = f"import socket, time; one = socket.create_connection(({gate!r}, {port})); one.send(b'hello'); time.sleep(60)"
            other = subprocess.Popen([*machine.words, sys.executable, "-c", speaks])
            with door.accept()[0] as one:
                assert one.recv(16) == b"hello"
                machine.vanish()
                one.sendall(under_way)
                one.settimeout(20)
                assert one.recv(16) == b"", "the end of what it said"
            other.kill()
            other.wait()
    finally:
        machine.close()
