"""The machines of a house in the tests: each in a network of its own where that is permitted (root, with iproute2), else a group of
processes beside the others."""

import contextlib
import os
import shutil
import socket
import socketserver
import subprocess
import sys
import threading
from functools import cache


def _ip(*words: str) -> bool:
    return subprocess.run(["ip", *words], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, check=False).returncode == 0


@cache
def permitted() -> bool:
    """Whether networks can be made here, with lines between them, and processes put into them."""
    if os.geteuid() != 0 or shutil.which("ip") is None:
        return False
    try:
        one = Apart(250)
    except NotPermitted:
        return False
    try:
        listens = "import socket, sys; socket.create_server((sys.argv[1], 0))"
        return (
            subprocess.run([*one.words, sys.executable, "-c", listens, one.address], stderr=subprocess.DEVNULL, check=False).returncode == 0
        )
    finally:
        one.close()


class NotPermitted(Exception):
    """A network could not be made."""


WATCHED = {socket.TCP_KEEPIDLE: 2, socket.TCP_KEEPINTVL: 1, socket.TCP_KEEPCNT: 2, socket.TCP_USER_TIMEOUT: 4000}
"""how a line notices that its other end has vanished, as the database does where it is spoken to without one: the first three while nothing
is under way, the last (ms) while an answer is; a session that holds locks would keep them else"""


class _Line(socketserver.ThreadingTCPServer):
    """What comes to a port goes on to another one, which listens on loopback alone."""

    daemon_threads, allow_reuse_address = True, True

    def __init__(self, address: str, to: int) -> None:
        super().__init__((address, 0), _Both)
        self.to = to
        self.ends: list[socket.socket] = []
        threading.Thread(target=self.serve_forever, daemon=True).start()


class _Both(socketserver.BaseRequestHandler):
    def handle(self) -> None:
        for option, value in WATCHED.items():
            self.request.setsockopt(socket.IPPROTO_TCP, option, value)
        self.request.setsockopt(socket.SOL_SOCKET, socket.SO_KEEPALIVE, 1)
        with socket.create_connection(("127.0.0.1", self.server.to)) as other:  # type: ignore[attr-defined]
            self.server.ends += [self.request, other]  # type: ignore[attr-defined]
            back = threading.Thread(target=_pumped, args=(other, self.request), daemon=True)
            back.start()
            _pumped(self.request, other)
            back.join()


def _pumped(one: socket.socket, other: socket.socket) -> None:
    with contextlib.suppress(OSError):
        while data := one.recv(1 << 16):
            other.sendall(data)
    with contextlib.suppress(OSError):
        other.shutdown(socket.SHUT_WR)


class Beside:
    """A machine that is none: its processes run beside all others."""

    address = "127.0.0.1"
    words: tuple[str, ...] = ()

    def way_to(self, port: int) -> str:
        """Where a port of the tests' own machine is reached from there."""
        return f"127.0.0.1:{port}"

    def vanish(self) -> None:
        """Nothing that it sends arrives any more, nor that it is going."""

    def close(self) -> None:
        """Take it away."""


class Apart(Beside):
    """A machine in a network of its own, with one line to the tests' machine. number: 1 to 250, of the tests that run."""

    def __init__(self, number: int) -> None:
        self._name = f"jay-{os.getpid()}-{number}"
        self._near, far = f"jay{os.getpid() % 100000}n{number}", f"jay{os.getpid() % 100000}f{number}"
        self._gate, self.address = f"10.231.{number}.1", f"10.231.{number}.2"
        self.words = ("ip", "netns", "exec", self._name)
        self._lines: list[_Line] = []
        done = (
            _ip("netns", "add", self._name),
            _ip("link", "add", self._near, "type", "veth", "peer", "name", far, "netns", self._name),
            _ip("addr", "add", f"{self._gate}/30", "dev", self._near), _ip("link", "set", self._near, "up"),
            _ip("-n", self._name, "addr", "add", f"{self.address}/30", "dev", far), _ip("-n", self._name, "link", "set", far, "up"),
            _ip("-n", self._name, "link", "set", "lo", "up"),
        )  # fmt: skip
        if not all(done):
            self.close()
            raise NotPermitted

    def way_to(self, port: int) -> str:
        line = _Line(self._gate, port)
        self._lines.append(line)
        return f"{self._gate}:{line.server_address[1]}"

    def vanish(self) -> None:
        assert _ip("link", "set", self._near, "down")

    def close(self) -> None:
        for line in self._lines:
            line.shutdown()
            line.server_close()
            for one in line.ends:
                with contextlib.suppress(OSError):
                    one.shutdown(socket.SHUT_RDWR)
        _ip("link", "del", self._near)
        _ip("netns", "del", self._name)
