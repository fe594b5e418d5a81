"""`python -m bench --port N --folder DIR`: the receiving bench, on loopback. The senders' token lies in the file DIR/token."""

import argparse
import secrets
from pathlib import Path

from gunicorn.app.base import BaseApplication

from bench.app import create


class Bench(BaseApplication):  # type: ignore[misc]  # gunicorn has no types
    """gunicorn, without a settings file: one process, some threads."""

    def __init__(self, port: int, folder: Path, token: str) -> None:
        self.port, self.made = port, create(folder / "packages", token)
        super().__init__()

    def load_config(self) -> None:
        for name, value in {"bind": f"127.0.0.1:{self.port}", "threads": 4, "workers": 1, "loglevel": "warning", "timeout": 120}.items():
            self.cfg.set(name, value)

    def load(self) -> object:
        return self.made


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
    Bench(given.port, given.folder, token.read_text().strip()).run()


if __name__ == "__main__":
    main()
