"""The web server for real: slow and half-sent requests are no harm to anybody else."""

import os
import socket
import subprocess
import sys
import time

import pytest
import requests

from jaythread import environment

pytestmark = pytest.mark.django_db(transaction=True)
SLOW = 200


@pytest.fixture
def served(settings, tmp_path):
    """The address of a server in a process of its own."""
    with socket.socket() as one:
        one.bind(("127.0.0.1", 0))
        port = one.getsockname()[1]
    env = {**os.environ, "JAY_DB": settings.DATABASES["default"]["NAME"], "JAY_FILES": str(settings.MEDIA_ROOT), "JAY_RUN": str(tmp_path)}
    server = subprocess.Popen([sys.executable, "-m", "jaythread", "--port", str(port)], env=env, cwd=environment.BASE)
    end = time.monotonic() + 60
    while time.monotonic() < end:
        try:
            requests.get(f"http://127.0.0.1:{port}/sign-in", timeout=10)
            break
        except requests.ConnectionError:
            time.sleep(0.1)
    yield port
    server.terminate()
    server.wait(10)


def test_two_hundred_slow_ones_hold_nobody_up(served):
    form = b"Content-Type: application/x-www-form-urlencoded\r\nContent-Length: 4000000\r\n\r\nusername=ra"
    head = b"POST /sign-in HTTP/1.1\r\nHost: 127.0.0.1\r\n" + form
    open_ = []
    for k in range(SLOW):
        one = socket.create_connection(("127.0.0.1", served))
        one.sendall(b"GET /sign-in HTTP/1.1\r\nHost: 127.0" if k % 2 else head)
        open_.append(one)
    for _ in range(20):  # more than there are threads
        assert requests.get(f"http://127.0.0.1:{served}/sign-in", timeout=5).status_code == 200
    open_[1].sendall(b".0.1\r\n\r\n")
    assert open_[1].recv(15) == b"HTTP/1.1 200 OK", "a slow one is answered when it is whole"
    for one in open_:
        one.close()
    assert requests.get(f"http://127.0.0.1:{served}/health", timeout=5).json()["database"]


def test_what_is_no_request_is_answered_and_closed(served):
    for sent in (b"hello\r\n\r\n", b"GET / HTTP/1.1\r\nContent-Length: -5\r\n\r\n", b"GET /" + b"x" * 300_000):
        with socket.create_connection(("127.0.0.1", served)) as one:
            one.settimeout(5)
            one.sendall(sent)
            assert one.recv(12).startswith((b"HTTP/1.0 4", b"HTTP/1.1 4"))
    assert requests.get(f"http://127.0.0.1:{served}/sign-in", timeout=5).status_code == 200
