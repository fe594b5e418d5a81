"""Packages as they come in: a folder each, files that grow as they are sent, one small file that says how it stands."""

import json
import os
import re
import secrets
import threading
from pathlib import Path, PurePosixPath
from typing import Any

ID = re.compile(r"^[0-9a-f]{16}$")
PART = ".part"
RECEIVING, RECEIVED, ACCEPTED, RETURNED = "receiving", "received", "accepted", "returned"


class Wrong(Exception):
    """What the sender did wrong: a sentence and a status."""

    def __init__(self, says: str, status: int = 400) -> None:
        super().__init__(says)
        self.says, self.status = says, status


def plain(name: str) -> str:
    """A file's path within its package; Wrong for one that leads anywhere else."""
    path = PurePosixPath(name)
    odd = any(not c.isprintable() or c in '\\:*?"<>|' for c in name)
    if not name or odd or path.is_absolute() or len(path.parts) > 4 or any(p in ("..", ".") or p.startswith(".") for p in path.parts):
        raise Wrong(f"'{name[:60]}' is no name that is taken here.")
    return path.as_posix()


class Store:
    """All packages in a folder."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.lock = threading.RLock()
        folder.mkdir(parents=True, exist_ok=True)

    def home(self, key: str) -> Path:
        if not ID.match(key) or not (self.folder / key / "state.json").exists():
            raise Wrong("There is no such package.", 404)
        return self.folder / key

    def state(self, key: str) -> dict[str, Any]:
        return json.loads((self.home(key) / "state.json").read_text())

    def keep(self, key: str, state: dict[str, Any]) -> None:
        aside = self.folder / key / "state.json.part"
        aside.write_text(json.dumps(state, indent=1))
        os.replace(aside, self.folder / key / "state.json")

    def all(self) -> list[dict[str, Any]]:
        found = [json.loads(p.read_text()) for p in self.folder.glob("*/state.json")]
        return sorted(found, key=lambda s: s["begun"], reverse=True)

    def begin(self, name: str, mark: str, begun: str) -> tuple[dict[str, Any], bool]:
        """A package with that name and the hash of its manifest; the one that is there already when it was begun before."""
        with self.lock:
            for state in self.all():
                if (state["name"], state["mark"]) == (name, mark):
                    return state, False
            key = secrets.token_hex(8)
            (self.folder / key / "files").mkdir(parents=True)
            state = {"id": key, "name": name, "mark": mark, "state": RECEIVING, "notes": [], "wrong": [], "begun": begun, "answered": ""}
            self.keep(key, state)
            return state, True

    def path(self, key: str, name: str) -> Path:
        return self.home(key) / "files" / plain(name)

    def offset(self, key: str, name: str) -> int | None:
        """Bytes of a file that are here; None when it was not begun."""
        whole = self.path(key, name)
        part = whole.with_name(whole.name + PART)
        return whole.stat().st_size if whole.exists() else part.stat().st_size if part.exists() else None

    def create(self, key: str, name: str) -> None:
        whole = self.path(key, name)
        if not whole.exists():
            whole.parent.mkdir(parents=True, exist_ok=True)
            whole.with_name(whole.name + PART).touch()

    def append(self, key: str, name: str, offset: int, data: bytes, length: int) -> int:
        """Bytes at the end of a file; whole when it has all of them. Returns how many are here."""
        with self.lock:
            here = self.offset(key, name)
            if here is None:
                raise Wrong("This file was not begun.", 404)
            if here != offset:
                raise Wrong(f"{here} bytes are here, not {offset}.", 409)
            if here + len(data) > length:
                raise Wrong("More came than the file was said to have.")
            whole = self.path(key, name)
            part = whole.with_name(whole.name + PART)
            if not whole.exists():
                with part.open("ab") as file:
                    file.write(data)
                if here + len(data) == length:
                    os.replace(part, whole)
            return here + len(data)

    def names(self, key: str) -> list[str]:
        root = self.home(key) / "files"
        return sorted(p.relative_to(root).as_posix() for p in root.rglob("*") if p.is_file() and not p.name.endswith(PART))
