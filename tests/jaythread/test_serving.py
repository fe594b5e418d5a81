"""The web server for real: slow and half-sent requests are no harm to anybody else."""

import os
import signal
import socket
import subprocess
import sys
import time
import uuid
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import cv2
import numpy as np
import pytest
import requests
from django.contrib.auth import get_user_model
from django.contrib.auth.hashers import PBKDF2PasswordHasher

from jaythread import environment
from jaythread.desk.models import Edit, Shape

from ..conftest import FIRST, trace

pytestmark = pytest.mark.django_db(transaction=True)
SLOW = 200


@pytest.fixture
def serve(settings, tmp_path):
    """Starts a server in a process of its own; its port."""
    env = {**os.environ, "JAY_DB": settings.DATABASES["default"]["NAME"], "JAY_FILES": str(settings.MEDIA_ROOT), "JAY_RUN": str(tmp_path)}
    env |= {"JAY_SECRET": "of-the-tests-alone", "JAY_METRICS": "figures"}
    servers = []

    def start(*more):
        with socket.socket() as one:
            one.bind(("127.0.0.1", 0))
            port = one.getsockname()[1]
        servers.append(subprocess.Popen([sys.executable, "-m", "jaythread", "--port", str(port), *more], env=env, cwd=environment.BASE))
        end = time.monotonic() + 120
        while time.monotonic() < end:
            try:
                requests.get(f"http://127.0.0.1:{port}/sign-in", timeout=60)
                break
            except requests.RequestException:
                time.sleep(0.1)
        return port

    start.servers = servers
    yield start
    for server in servers:
        server.terminate()
        server.wait(10)


@pytest.fixture
def served(serve):
    return serve()


def test_two_hundred_slow_ones_hold_nobody_up(served):
    form = b"Content-Type: application/x-www-form-urlencoded\r\nContent-Length: 4000000\r\n\r\nusername=ra"
    head = b"POST /sign-in HTTP/1.1\r\nHost: 127.0.0.1\r\n" + form
    open_ = []
    for k in range(SLOW):
        one = socket.create_connection(("127.0.0.1", served))
        one.sendall(b"GET /sign-in HTTP/1.1\r\nHost: 127.0" if k % 2 else head)
        open_.append(one)
    for _ in range(20):  # more than there are threads
        assert requests.get(f"http://127.0.0.1:{served}/sign-in", timeout=60).status_code == 200
    open_[1].sendall(b".0.1\r\n\r\n")
    assert open_[1].recv(15) == b"HTTP/1.1 200 OK", "a slow one is answered when it is whole"
    for one in open_:
        one.close()
    assert requests.get(f"http://127.0.0.1:{served}/health", timeout=60).json()["database"]


def test_what_is_no_request_is_answered_and_closed(served):
    for sent in (b"hello\r\n\r\n", b"GET / HTTP/1.1\r\nContent-Length: -5\r\n\r\n", b"GET /" + b"x" * 300_000):
        with socket.create_connection(("127.0.0.1", served)) as one:
            one.settimeout(5)
            one.sendall(sent)
            assert one.recv(12).startswith((b"HTTP/1.0 4", b"HTTP/1.1 4"))
    assert requests.get(f"http://127.0.0.1:{served}/sign-in", timeout=60).status_code == 200


def children(pid):
    return [int(one) for one in Path(f"/proc/{pid}/task/{pid}/children").read_text().split()]


def gone(pids):
    return all(not Path(f"/proc/{pid}").exists() or "zombie" in Path(f"/proc/{pid}/status").read_text() for pid in pids)


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGKILL])
def test_processes_at_one_port_count_together_and_end_together(serve, number):
    port = serve("--processes", "2")
    both = children(serve.servers[0].pid)
    assert len(both) == 2
    page = f"http://127.0.0.1:{port}/sign-in"
    with ThreadPoolExecutor(8) as pool:
        assert {one.status_code for one in pool.map(lambda k: requests.get(page, timeout=60), range(40))} == {200}
    told = requests.get(f"http://127.0.0.1:{port}/metrics", headers={"Authorization": "Bearer figures"}, timeout=60).text
    counted = [float(line.rpartition(" ")[2]) for line in told.splitlines() if line.startswith("jay_answers_total") and "sign" in line]
    assert sum(counted) >= 40, "by both of them"
    serve.servers[0].send_signal(number)
    serve.servers[0].wait(10)
    until = time.monotonic() + 10
    while not gone(both) and time.monotonic() < until:
        time.sleep(0.05)
    assert gone(both)
    with pytest.raises(requests.ConnectionError):
        requests.get(page, timeout=60)


def test_where_one_process_ends_by_itself_all_do_so_that_they_are_started_again(serve):
    serve("--processes", "2")
    both = children(serve.servers[0].pid)
    os.kill(both[0], signal.SIGKILL)
    assert serve.servers[0].wait(10) == 1 and gone(both)


class Page:
    """Somebody at their desk, whose requests go to whichever process is named."""

    def __init__(self, shot, port, who="rafe"):
        self.shot, self.session = shot, requests.Session()
        usual = PBKDF2PasswordHasher().encode("saltmarsh", "tests", 1000)  # tests hash otherwise, which servers do not know
        get_user_model().objects.filter(username=who).update(password=usual)
        form = self.session.get(f"http://127.0.0.1:{port}/sign-in", timeout=60).text
        said = {
            "username": who,
            "password": "saltmarsh",
            "csrfmiddlewaretoken": form.split('csrfmiddlewaretoken" value="')[1].split('"')[0],
        }
        assert self.post(port, "/sign-in", data=said).url.endswith("/")

    def post(self, port, address, **more):
        head = {"X-CSRFToken": self.session.cookies["csrftoken"], "Referer": f"http://127.0.0.1:{port}"}
        return self.session.post(f"http://127.0.0.1:{port}{address}", headers=head, timeout=30, **more)

    def edit(self, port, **command):
        return self.post(port, f"/api/shots/{self.shot}/edits", json={"id": str(uuid.uuid4()), "command": command})

    def covered(self, port, matte):
        """The pixels of a frame that the matte covers, as its picture says."""
        told = self.post(port, f"/api/shots/{self.shot}/mattes/{matte}/picture", json={"frame": FIRST})
        grey = cv2.imdecode(np.frombuffer(told.content, np.uint8), cv2.IMREAD_UNCHANGED)
        return float((grey if grey.ndim == 2 else grey[:, :, -1]).sum() / 255)


def test_two_web_processes_are_one_house(shot, people, serve):
    one, other = serve(), serve()
    shape, matte = trace(shot, people["rafe"]), shot.mattes.get().pk
    page = Page(shot.pk, one)
    assert [page.covered(port, matte) for port in (one, other)] == [900.0, 900.0]
    for k, port in enumerate((one, other, one, other, one)):  # each has in memory what it saw last
        done = page.edit(port, do="place", shape=shape, frame=FIRST, move=(30, 0))
        assert done.status_code == 200
        elsewhere = other if port == one else one
        wanted = max(0.0, min(96.0, 70.0 + 30 * k) - min(96.0, 40.0 + 30 * k)) * 30
        assert page.covered(elsewhere, matte) == page.covered(port, matte) == pytest.approx(wanted, abs=0.5)
    for port in (other, one):
        assert page.post(port, f"/api/shots/{shot.pk}/undo", json={"id": str(uuid.uuid4())}).status_code == 200
    sizes = {
        port: page.session.get(f"http://127.0.0.1:{port}/api/shots/{shot.pk}/desk", timeout=30).json()["shapes"] for port in (one, other)
    }
    assert sizes[one] == sizes[other]
    page.post(one, "/sign-out")
    assert page.session.get(f"http://127.0.0.1:{other}/api/shots/{shot.pk}/desk", timeout=30).status_code == 401


def test_the_same_edit_sent_to_both_is_done_once(shot, people, serve):
    ports, shape = (serve(), serve()), trace(shot, people["rafe"])
    page = Page(shot.pk, ports[0])
    body = {"id": str(uuid.uuid4()), "command": {"do": "place", "shape": shape, "frame": FIRST, "move": (5, 0)}}
    with ThreadPoolExecutor(8) as pool:
        answers = list(pool.map(lambda k: page.post(ports[k % 2], f"/api/shots/{shot.pk}/edits", json=body).status_code, range(8)))
    assert set(answers) == {200} and Edit.objects.filter(shot=shot, pk=body["id"]).count() == 1
    (x, _), *_ = Shape.objects.get(pk=shape).to_core().outlines(np.array([FIRST]))[0][:, :2]
    assert x == 15
