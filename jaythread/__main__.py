"""The web server: `python -m jaythread --port 8400`. One process with some threads; any number of them may run side by side.

Waitress takes requests in by itself, however slowly they come, and hands whole ones to the threads; it sends answers and files in the same
way. So a slow or half-sent request holds no thread.
"""

import argparse
import os
import tempfile

from waitress import create_server

CONNECTIONS = 2000
"""at a time"""
PATIENCE = 60
"""seconds for which a connection may be silent"""
LARGEST = 1 << 40
"""bytes of a request: a movie"""


def main() -> None:
    parser = argparse.ArgumentParser(description="Run the web server.")
    parser.add_argument("--host", default="127.0.0.1")
    parser.add_argument("--port", type=int, default=8400)
    parser.add_argument("--threads", type=int, default=8, help="requests that are worked on at a time")
    asked = parser.parse_args()
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "jaythread.settings")
    from django.conf import settings

    from jaythread.wsgi import application  # once it is known that there is something to do

    coming = settings.RUN / "tmp"  # on the disk that has room for plates
    coming.mkdir(parents=True, exist_ok=True)
    tempfile.tempdir = str(coming)
    server = create_server(
        application,
        host=asked.host,
        port=asked.port,
        threads=asked.threads,
        connection_limit=CONNECTIONS,
        channel_timeout=PATIENCE,
        cleanup_interval=10,
        max_request_body_size=LARGEST,
        asyncore_use_poll=True,
        clear_untrusted_proxy_headers=False,  # `front_door.BehindProxies` says who is believed
        ident=None,
        backlog=1024,
    )
    server.run()


if __name__ == "__main__":
    main()
