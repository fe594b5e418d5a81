"""`python -m bench --port N --folder DIR`: the receiving bench, on loopback. The senders' token lies in the file DIR/token."""

import argparse
import secrets
from pathlib import Path

from waitress import serve

from bench.app import create

LARGEST = 1 << 40
"""bytes of a request"""


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m bench", description=__doc__)
    parser.add_argument("--port", type=int, default=8401)
    parser.add_argument("--folder", type=Path, required=True)
    given = parser.parse_args()
    given.folder.mkdir(parents=True, exist_ok=True)
    token = given.folder / "token"
    if not token.exists():
        token.touch(mode=0o600)
        token.write_text(secrets.token_urlsafe(24))
    app = create(given.folder / "packages", token.read_text().strip())
    serve(app, host="127.0.0.1", port=given.port, threads=4, max_request_body_size=LARGEST, ident=None, _quiet=True)


if __name__ == "__main__":
    main()
