"""What the house says while something that it stands on fails, and whether it is over when that is over: a disk that is full, a store that
answers 503, a clock that is two days off, a network that is cut between the house and its database.

Each row: what was done, what artists and deliveries were told meanwhile, and how it was when it was over.
"""

import contextlib
import os
import select
import shutil
import socket
import subprocess
import sys
import tempfile
import threading
import time
import uuid
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import requests

from benchmarks.killing import MAKE, STORE

Row = tuple[str, str, str]
LONG = float(os.environ.get("FAULTS_SECONDS", "60"))
"""for which the store and the database are away"""
PATIENCE = 240.0
"""seconds for which it is waited for anything"""
DISK = 48
"""MB of the disk that is filled"""
OFF = 2 * 24 * 3600
"""seconds by which a clock is off"""
CLOCK = "import sys, time, time_machine; time_machine.travel(time.time() + float(sys.argv.pop(1)), tick=True).start(); "
WEB = "import runpy; sys.argv[0] = 'jaythread'; runpy.run_module('jaythread', run_name='__main__', alter_sys=True)"
MANAGE = "import runpy; sys.argv[0] = 'manage.py'; runpy.run_path('manage.py', run_name='__main__')"


class Line(threading.Thread):
    """A line to a port of this machine, through which everything goes as long as it is `well`. Else it is cut, or answers 503 by itself."""

    def __init__(self, port: int) -> None:
        super().__init__(daemon=True)
        self.to, self.well, self.answers = port, True, False
        self._lines: list[socket.socket] = []
        self._door = socket.create_server(("127.0.0.1", 0))
        self.port = int(self._door.getsockname()[1])
        self.start()

    def run(self) -> None:
        """Take in whoever comes."""
        while True:
            one, _ = self._door.accept()
            threading.Thread(target=self._serve, args=(one,), daemon=True).start()

    def break_off(self, *, answers: bool) -> None:
        """From now on nothing goes through, nor what was under way. answers: with 503, as a store does that is unwell."""
        self.well, self.answers = False, answers
        for one in self._lines:
            with contextlib.suppress(OSError):
                one.shutdown(socket.SHUT_RDWR)

    def _serve(self, one: socket.socket) -> None:
        with one:
            if not self.well:
                if self.answers:
                    with contextlib.suppress(OSError):
                        one.recv(1 << 16)
                        one.sendall(b"HTTP/1.1 503 Slow Down\r\nContent-Length: 0\r\nConnection: close\r\n\r\n")
                return
            with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", self.to)) as other:
                self._lines += [one, other]
                while True:
                    for ready in select.select([one, other], [], [])[0]:
                        data = ready.recv(1 << 16)
                        if not data:
                            return
                        (other if ready is one else one).sendall(data)


class House:
    """A web server and a worker with a database and a folder of their own, and five shots with an artist each."""

    def __init__(self, env: dict[str, str], off: float = 0.0) -> None:
        self.env, self.off, self.running = env, off, list[subprocess.Popen[bytes]]()
        self.log = tempfile.TemporaryFile()  # noqa: SIM115 - as long as the house stands
        self.closed, self.restarts = False, 0

    def __enter__(self) -> "House":
        self._run("ops/make_database.py")
        self._run("manage.py", "migrate", "--verbosity", "0")
        made = [line.split()[1:] for line in self._run("-c", MAKE).splitlines() if line.startswith("artist ")]
        _, self.shot, self.shape, _, session = made[0]
        self.page = requests.Session()
        self.ats = [f"http://127.0.0.1:{port}" for port in self._open()]
        for at in self.ats:
            self.at = at
            self.until(lambda: self.page.get(f"{self.at}/sign-in", timeout=5).ok)
        self.page.cookies.set("sessionid", session)
        threading.Thread(target=self._watch, daemon=True).start()
        return self

    def _open(self) -> list[str]:
        """A web server and a worker of each clock; the ports."""
        ports = []
        for off in [self.off, -self.off] if self.off else [0.0]:
            ports.append(self._run("ops/free_port.py").strip())
            self._start(off, WEB, "--port", ports[-1], "--processes", "2" if not off else "1")
            self._start(off, MANAGE, "worker", "--polling", "0.5")
        return ports

    def _start(self, off: float, what: str, *words: str) -> None:
        begin = CLOCK if off else "import sys; sys.argv.pop(1); "
        command = [sys.executable, "-c", begin + what, str(off), *words]
        self.running.append(self._begin(command))

    def _begin(self, command: list[str]) -> subprocess.Popen[bytes]:
        return subprocess.Popen(command, env=self.env, stdout=self.log, stderr=self.log, start_new_session=True)

    def _watch(self) -> None:
        """Start again what has ended, as whatever watches over it does."""
        while not self.closed:
            time.sleep(1)
            for k, one in enumerate(self.running):
                if one.poll() is not None and not self.closed:
                    self.restarts += 1
                    self.running[k] = self._begin(list(map(str, one.args)))  # type: ignore[arg-type]

    def _run(self, *words: str) -> str:
        env = {k: v for k, v in self.env.items() if k != "JAY_DB_URL"}  # by no line that is broken off
        return subprocess.run([sys.executable, *words], env=env, check=True, capture_output=True, text=True).stdout

    def __exit__(self, *_: object) -> None:
        self.closed = True
        for one in self.running:
            with contextlib.suppress(ProcessLookupError):
                os.killpg(one.pid, 9)
            one.wait()
        self._run("ops/drop_database.py")

    def until(self, holds: Callable[[], Any]) -> Any:
        """Wait until something holds; what it is."""
        end = time.monotonic() + PATIENCE
        while time.monotonic() < end:
            with contextlib.suppress(requests.RequestException):
                if found := holds():
                    return found
            time.sleep(0.25)
        self.log.seek(max(0, self.log.tell() - 4000))
        raise SystemExit("The house did not come to what was waited for. " + self.log.read().decode(errors="replace"))

    def ask(self, path: str, body: Any = None, **more: Any) -> requests.Response:
        """What the house answers, one web server after the other."""
        self.at = self.ats[(self.ats.index(self.at) + 1) % len(self.ats)]
        if body is None and not more:
            return self.page.get(self.at + path, timeout=60)
        headers = {"X-CSRFToken": str(self.page.cookies.get("csrftoken", "")), "Referer": self.at}
        return self.page.post(self.at + path, json=body, headers=headers, timeout=60, allow_redirects=False, **more)

    def edit(self) -> tuple[int, str]:
        """One edit: the answer's number, and what it says where it is none of an edit."""
        command = {"do": "place", "shape": self.shape, "frame": 1001, "move": [1.0, 0.0]}
        reply = self.ask(f"/api/shots/{self.shot}/edits", {"id": str(uuid.uuid4()), "command": command})
        return reply.status_code, "" if reply.ok else str(reply.json()["message"])

    def deliver(self, recipe: str = "") -> int:
        """A delivery is asked for; its number."""
        body: dict[str, object] = {"mattes": ["kite"]} | ({"recipe": recipe} if recipe else {})
        return int(self.ask(f"/api/shots/{self.shot}/deliveries", body).json()[0]["id"])

    def stands(self, delivery: int) -> dict[str, Any]:
        """How a delivery stands."""
        return dict(self.ask(f"/api/deliveries/{delivery}").json())

    def comes_to(self, delivery: int, *states: str) -> dict[str, Any]:
        """Wait until a delivery is in one of these states."""
        return dict(self.until(lambda: it if (it := self.stands(delivery)).get("state") in states else None))

    def unharmed(self, delivery: int) -> bool:
        """Whether its package, fetched anew, is whole, and proved once more by another process."""
        fetched = self.ask(f"/api/deliveries/{delivery}/package")
        self._run("manage.py", "verify", str(delivery))
        return fetched.ok and fetched.content[:2] == b"PK"


@contextlib.contextmanager
def _disk(folder: Path) -> Iterator[bool]:
    """A small disk at a folder; whether this machine lets one be made."""
    made = subprocess.run(["mount", "-t", "tmpfs", "-o", f"size={DISK}m", "none", str(folder)], capture_output=True).returncode == 0
    try:
        yield made
    finally:
        if made:
            subprocess.run(["umount", "-l", str(folder)], check=True)


def _env(folder: Path) -> dict[str, str]:
    return {
        **os.environ, "JAY_DB": f"faults_{uuid.uuid4().hex[:8]}", "DJANGO_SETTINGS_MODULE": "jaythread.settings",
        "JAY_FILES": str(folder), "JAY_STALLED_AFTER": "5", "JAY_SWEEP_WHEN": "* * * * * */2", "JAY_HEARTBEAT": "1",
        "JAY_SECRET": uuid.uuid4().hex * 2,
    }  # fmt: skip


def full_disk() -> Iterator[Row]:
    """The files' disk is filled while a delivery is asked for, and room is made again."""
    with tempfile.TemporaryDirectory() as name, _disk(Path(name)) as made:
        if not made:
            yield "a full disk", "not tried: this machine does not let a small one be made", ""
            return
        with House(_env(Path(name))) as house:
            ballast = Path(name) / "ballast"
            with contextlib.suppress(OSError), ballast.open("wb") as file:
                while True:
                    file.write(b"\0" * 4096)
            asked = house.deliver()
            held = house.comes_to(asked, "held up", "failed", "proved")
            edit, _ = house.edit()
            still = {"file": ("sign.png", b"\x89PNG" + b"\0" * 400_000)}
            graphic = house.ask(f"/api/shots/{house.shot}/graphics", files=still)
            ballast.unlink()
            house.ask(f"/deliveries/{asked}/go-on", {})
            over = house.comes_to(asked, "proved", "failed")
            told = f"delivery {held['state']}: '{held['message']}'; edits {edit}; a graphic {graphic.status_code}: {graphic.text[:200]}"
            yield "a full disk", f"{told}; after room was made and go on: {over['state']}, whole: {house.unharmed(asked)}", "proved, whole"


def store_unwell() -> Iterator[Row]:
    """The store answers 503 while packages are asked for and fetched."""
    with tempfile.TemporaryDirectory() as name:
        port = subprocess.run([sys.executable, "ops/free_port.py"], check=True, capture_output=True, text=True).stdout.strip()
        line = Line(int(port))
        keys = {"AWS_ACCESS_KEY_ID": "saltmarsh", "AWS_SECRET_ACCESS_KEY": "saltmarsh", "JAY_STORE_REGION": "us-east-1"}
        env = _env(Path(name)) | keys | {"JAY_STORE": "s3://saltmarsh/house", "JAY_STORE_AT": f"http://127.0.0.1:{line.port}"}
        store = subprocess.Popen([sys.executable, "-c", STORE, port], env=env, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
        assert store.stdout is not None
        store.stdout.readline()
        try:
            with House(env) as house:
                before = house.deliver()
                house.comes_to(before, "proved")
                shutil.rmtree(Path(name) / "deliveries", ignore_errors=True)  # nothing of it is at hand
                line.break_off(answers=True)
                begun = time.monotonic()
                fetched = house.ask(f"/api/deliveries/{before}/package")
                asked = house.deliver()
                held = house.comes_to(asked, "held up", "failed", "proved")
                edit, _ = house.edit()
                time.sleep(max(0.0, LONG - (time.monotonic() - begun)))
                line.well = True
                over = house.comes_to(asked, "proved", "failed")
                told = f"fetching {fetched.status_code}: '{fetched.json()['message']}'; delivery {held['state']}: '{held['message']}'"
                whole = house.unharmed(before) and house.unharmed(asked)
                told += f"; edits {edit}; after: {over['state']} by itself, whole: {whole}"
                yield f"a store that answers 503 for {LONG:.0f} s", told, "proved, whole"
        finally:
            store.kill()
            store.wait()


def cut_network() -> Iterator[Row]:
    """The line between the house and its database is cut in the middle of a delivery, and joined again."""
    with tempfile.TemporaryDirectory() as name:
        line = Line(int(os.environ["JAY_DB_PORT"]))
        env = _env(Path(name))
        env["JAY_DB_URL"] = f"postgres://jay@127.0.0.1:{line.port}/{env['JAY_DB']}"
        with House(env) as house:
            house.edit()
            asked = house.deliver()
            line.break_off(answers=False)
            begun, said, slowest = time.monotonic(), dict[tuple[int, str], int](), 0.0
            while time.monotonic() - begun < LONG:
                at = time.monotonic()
                with contextlib.suppress(requests.RequestException):
                    answer = house.edit()
                    said[answer] = said.get(answer, 0) + 1
                slowest = max(slowest, time.monotonic() - at)
                time.sleep(0.5)
            line.well = True
            house.until(lambda: house.edit()[0] == 200)
            back = time.monotonic() - begun - LONG
            over = house.comes_to(asked, "proved", "failed")
            told = ", ".join(f"{count} x {status}: '{words}'" for (status, words), count in said.items())
            told += f" (slowest {slowest:.1f} s); {house.restarts} processes ended and were started again"
            told += f"; after: edits taken within {back:.1f} s, delivery {over['state']} by itself"
            yield f"the database's line cut for {LONG:.0f} s", f"{told}, whole: {house.unharmed(asked)}", "503 in words; proved, whole"


def wrong_clock() -> Iterator[Row]:
    """A web server and a worker whose clocks are two days late, beside such as are two days early."""
    with tempfile.TemporaryDirectory() as name, House(_env(Path(name)), off=OFF) as house:
        edits = [house.edit()[0] for _ in range(5)]
        asked = [house.deliver() for _ in range(2)]
        over = [house.comes_to(one, "proved", "failed")["state"] for one in asked]
        told = f"edits {', '.join(map(str, edits))}; deliveries {', '.join(over)}"
        yield "clocks two days early and two days late", f"{told}, whole: {all(map(house.unharmed, asked))}", "200; proved, whole"


def faults() -> Iterator[Row]:
    """Needs JAY_DB_PORT and JAY_RUN of a started cluster (`./benchmark` sees to it)."""
    yield from full_disk()
    yield from store_unwell()
    yield from cut_network()
    yield from wrong_clock()
