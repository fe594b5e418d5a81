"""The web server: `python -m jaythread --port 8400`. Processes with some threads each; any number of them may run side by side.

Waitress takes requests in by itself, however slowly they come, and hands whole ones to the threads; it sends answers and files in the same
way. So a slow or half-sent request holds no thread. Python works in one thread of a process at a time, drawing aside: with several
processes on one port the machine's cores are all used.
"""

import argparse
import os
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import threading
from pathlib import Path
from types import FrameType

from waitress import create_server

CONNECTIONS = 2000
"""at a time, in each process"""
PATIENCE = 60
"""seconds for which a connection may be silent"""
LARGEST = 1 << 40
"""bytes of a request: a movie"""
BACKLOG = 1024


def main() -> None:
    parser = argparse.ArgumentParser(description="Run the web server.")
    parser.add_argument("--host", default="127.0.0.1")
    parser.add_argument("--port", type=int, default=8400)
    parser.add_argument("--threads", type=int, default=8, help="requests that a process works on at a time")
    parser.add_argument("--processes", type=int, default=1, help="processes that share the port; more than one want JAY_CACHE=database")
    parser.add_argument("--shared", type=int, nargs=2, help=argparse.SUPPRESS, metavar=("PORT", "PARENT"))
    asked = parser.parse_args()
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "jaythread.settings")
    if asked.shared:
        port, parent = asked.shared
        threading.Thread(target=_end_with, args=(parent,), daemon=True).start()
        serve(socket.socket(fileno=port), asked.threads)
        return
    with socket.socket() as shared:
        shared.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        shared.bind((asked.host, asked.port))
        if asked.processes <= 1:
            serve(shared, asked.threads)
        else:
            sys.exit(_side_by_side(shared, asked.threads, asked.processes))


def serve(port: socket.socket, threads: int) -> None:
    """Answer what comes to a port, until the process is told to end."""
    from django.conf import settings

    from jaythread.wsgi import application  # once it is known that there is something to do

    coming = settings.RUN / "tmp"  # on the disk that has room for plates
    coming.mkdir(parents=True, exist_ok=True)
    tempfile.tempdir = str(coming)
    create_server(
        application,
        sockets=[port],
        threads=threads,
        connection_limit=CONNECTIONS,
        channel_timeout=PATIENCE,
        cleanup_interval=10,
        max_request_body_size=LARGEST,
        asyncore_use_poll=True,
        clear_untrusted_proxy_headers=False,  # `front_door.BehindProxies` says who is believed
        ident=None,
        backlog=BACKLOG,
    ).run()


def _side_by_side(port: socket.socket, threads: int, count: int) -> int:
    """Several processes at one port. When one of them ends by itself all do: whoever started this starts it again."""
    from django.conf import settings

    own = dict(os.environ)
    if "PROMETHEUS_MULTIPROC_DIR" not in own:
        figures = Path(settings.RUN) / "figures" / str(port.getsockname()[1])  # what each has counted; see `metrics`
        shutil.rmtree(figures, ignore_errors=True)
        figures.mkdir(parents=True)
        own["PROMETHEUS_MULTIPROC_DIR"] = str(figures)
    port.listen(BACKLOG)
    watched, held = os.pipe()  # closed when this process ends, however it ends
    said = [sys.executable, "-m", "jaythread", "--threads", str(threads), "--shared", str(port.fileno()), str(watched)]
    running = [subprocess.Popen(said, env=own, pass_fds=(port.fileno(), watched)) for _ in range(count)]
    os.close(watched)

    asked: list[int] = []

    def end(number: int, _frame: FrameType | None) -> None:
        asked.append(number)
        for one in running:
            one.terminate()

    signal.signal(signal.SIGTERM, end)
    signal.signal(signal.SIGINT, end)
    os.wait()
    by_itself = not asked
    end(signal.SIGTERM, None)
    for one in running:
        one.wait()
    os.close(held)
    return int(by_itself)


def _end_with(parent: int) -> None:
    """End this process when the one that started it is gone."""
    os.read(parent, 1)
    os.kill(os.getpid(), signal.SIGTERM)


if __name__ == "__main__":
    main()
