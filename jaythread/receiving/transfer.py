"""Talking to a receiver's transfer point: plain HTTP, a token, files that are taken up where they broke off (after tus 1.0)."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from urllib.parse import quote

import requests

from roto.errors import RotoError

PIECE = 4 << 20
"""bytes sent at once"""
PATIENCE = (5.0, 60.0)
"""seconds until somebody must have taken the connection, and answered"""


class NotNow(RotoError):
    """The receiver's transfer point does not answer. It is tried again."""

    code = "transfer.not_now"


class NotTaken(RotoError):
    """The receiver's transfer point refuses the package."""

    code = "transfer.refused"


def _says(reply: requests.Response) -> str:
    try:
        return " ".join(str(line) for line in reply.json()["wrong"])[:300]
    except (ValueError, KeyError, TypeError):
        return f"status {reply.status_code}"


@dataclass
class Point:
    """A transfer point. NotNow for what may pass (silence, breaking off, no room), NotTaken for what will not."""

    address: str
    token: str
    session: requests.Session = field(default_factory=requests.Session)

    def _ask(self, method: str, path: str, fine: tuple[int, ...], **more: Any) -> requests.Response:
        headers = {"Authorization": f"Bearer {self.token}", **more.pop("headers", {})}
        try:
            reply = self.session.request(method, self.address + path, headers=headers, timeout=PATIENCE, allow_redirects=False, **more)
        except requests.RequestException as error:
            raise NotNow("The receiver's transfer point does not answer.") from error
        if reply.status_code in fine:
            return reply
        if reply.status_code in (401, 403):
            raise NotTaken(f"The receiver's transfer point refuses: {_says(reply)} Ask them, then hand the package over again.")
        if reply.status_code == 507:
            raise NotNow("The receiver's transfer point has no room for more.")
        if reply.status_code >= 500 or reply.status_code in (408, 425, 429):
            raise NotNow(f"The receiver's transfer point is in trouble: {_says(reply)}")
        raise NotTaken(f"The receiver's transfer point does not take this: {_says(reply)}")

    def begin(self, name: str, mark: str) -> str:
        """The package's id over there; the same as before when it was begun already."""
        return str(self._ask("POST", "/api/packages", (200, 201), json={"name": name, "manifest": mark}).json()["id"])

    def stands(self, key: str) -> dict[str, Any]:
        """How a package stands over there."""
        return dict(self._ask("GET", f"/api/packages/{key}", (200,)).json())

    def answer(self, key: str, note: int, text: str, by: str) -> None:
        """An answer to one of their notes."""
        self._ask("POST", f"/api/packages/{key}/notes/{note}/answers", (201,), json={"says": text, "by": by})

    def offset(self, key: str, name: str) -> int | None:
        """Bytes of a file that are there; None when it was not begun."""
        reply = self._ask("HEAD", f"/api/packages/{key}/files/{quote(name)}", (200, 404))
        return int(reply.headers["Upload-Offset"]) if reply.status_code == 200 else None

    def send(self, key: str, name: str, path: Path, told: Callable[[int], None]) -> int:
        """Send what is missing of a file; returns how many bytes went out. told: after each piece, how many."""
        length, out = path.stat().st_size, 0
        where = f"/api/packages/{key}/files/{quote(name)}"
        here = self.offset(key, name)
        if here is None:
            self._ask("POST", where, (201,), headers={"Upload-Length": str(length)})
            here = 0
            if length == 0:
                self._piece(where, 0, length, b"")
        told(here)
        for at, data in _pieces(path, here):
            self._piece(where, at, length, data)
            out += len(data)
            told(len(data))
        return out

    def _piece(self, where: str, at: int, length: int, data: bytes) -> None:
        headers = {"Upload-Offset": str(at), "Upload-Length": str(length), "Content-Type": "application/offset+octet-stream"}
        self._ask("PATCH", where, (204,), headers=headers, data=data)

    def close(self, key: str) -> list[str]:
        """All is sent: which files they want again; none when they have the package whole. NotTaken when something else is wrong."""
        reply = self._ask("POST", f"/api/packages/{key}/close", (200, 422))
        said = reply.json()
        if reply.status_code == 422 and not said.get("again"):
            raise NotTaken(f"The receiver finds the package wrong: {' '.join(said['wrong'])[:300]}")
        return list(said.get("again", []))


def _pieces(path: Path, at: int) -> Iterator[tuple[int, bytes]]:
    with path.open("rb") as file:
        file.seek(at)
        while data := file.read(PIECE):
            yield at, data
            at += len(data)
