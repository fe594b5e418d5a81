"""The bench's two doors: one for senders (tokens, resumable uploads), one for the people who look at what came."""

import hmac
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from flask import Flask, Response, abort, jsonify, redirect, render_template, request, url_for

from bench import checking, grounds
from bench.store import ACCEPTED, RECEIVED, RECEIVING, RETURNED, Store, Wrong
from bench.trouble import KINDS, Trouble

PIECE = 8 << 20
"""bytes that are taken at once"""
LONGEST = 1000
"""characters of a note"""


def create(folder: Path, token: str) -> Flask:
    """The bench over a folder of packages; senders show the token."""
    app = Flask(__name__)
    app.config["MAX_CONTENT_LENGTH"] = PIECE + 65536
    store, trouble = Store(folder), Trouble()
    app.config["store"], app.config["trouble"] = store, trouble

    def sender() -> None:
        said = request.headers.get("Authorization", "")
        if not hmac.compare_digest(said.encode(), f"Bearer {token}".encode()):
            raise Wrong("This token is not known here.", 401)
        if trouble.strikes("refusing"):
            raise Wrong("This sender may not deliver here.", 403)

    @app.errorhandler(Wrong)
    def wrong(error: Wrong) -> tuple[Response, int]:
        return jsonify({"wrong": [error.says]}), error.status

    @app.before_request
    def same_house() -> None:
        """Forms are taken from the bench's own pages only."""
        origin = request.headers.get("Origin")
        if request.method == "POST" and origin and origin.split("//")[-1] != request.host:
            abort(403)

    _senders(app, store, trouble, sender)
    _files(app, store, trouble, sender)
    _people(app, store, trouble)
    return app


def _now() -> str:
    return datetime.now(UTC).isoformat(timespec="seconds")


def _senders(app: Flask, store: Store, trouble: Trouble, sender: Any) -> None:
    @app.post("/api/packages")
    def begin() -> tuple[Response, int]:
        sender()
        said = request.get_json(silent=True) or {}
        name, mark = str(said.get("name", ""))[:160].strip(), str(said.get("manifest", ""))
        if not name or len(mark) != 64:
            raise Wrong("Say the package's name and the SHA-256 of its manifest.")
        state, new = store.begin(name, mark, _now())
        return jsonify(state), 201 if new else 200

    @app.get("/api/packages/<key>")
    def stands(key: str) -> Response:
        sender()
        return jsonify(store.state(key))

    @app.post("/api/packages/<key>/notes/<int:number>/answers")
    def answered(key: str, number: int) -> tuple[Response, int]:
        sender()
        said = request.get_json(silent=True) or {}
        text, by = str(said.get("says", "")).strip()[:LONGEST], str(said.get("by", "")).strip()[:60] or "the sender"
        with store.lock:
            state = store.state(key)
            note = next((n for n in state["notes"] if n["id"] == number), None)
            if note is None or not text:
                raise Wrong("There is no such note, or nothing is answered.", 404)
            rows = note.setdefault("answers", [])
            if not any((row["says"], row["by"]) == (text, by) for row in rows):  # sent twice, it is one answer
                rows.append({"says": text, "by": by, "made": _now()})
            store.keep(key, state)
        return jsonify(note), 201

    @app.post("/api/packages/<key>/close")
    def close(key: str) -> tuple[Response, int]:
        sender()
        state = store.state(key)
        if state["state"] == RECEIVING:
            if trouble.strikes("losing a file"):
                lost = [n for n in store.names(key) if n.endswith(checking.STILLS + checking.MOVIES)]
                store.path(key, lost[len(lost) // 2]).unlink()
            wrong, again = checking.check(store.home(key) / "files", store.names(key))
            for name in again:
                store.path(key, name).unlink(missing_ok=True)
            state["wrong"] = wrong
            state["state"] = RECEIVED if not wrong else RECEIVING
            store.keep(key, state)
            if wrong:
                return jsonify({**state, "again": again}), 422
        return jsonify(state), 200


def _files(app: Flask, store: Store, trouble: Trouble, sender: Any) -> None:
    @app.route("/api/packages/<key>/files/<path:name>", methods=["HEAD"])
    def offset(key: str, name: str) -> Response:
        sender()
        here = store.offset(key, name)
        if here is None:
            raise Wrong("This file was not begun.", 404)
        return Response(headers={"Upload-Offset": str(here), "Cache-Control": "no-store"})

    @app.post("/api/packages/<key>/files/<path:name>")
    def create_file(key: str, name: str) -> Response:
        sender()
        if store.state(key)["state"] != RECEIVING:
            raise Wrong("This package is closed.", 409)
        store.create(key, name)
        return Response(status=201, headers={"Upload-Offset": str(store.offset(key, name) or 0)})

    @app.route("/api/packages/<key>/files/<path:name>", methods=["PATCH"])
    def piece(key: str, name: str) -> Response:
        sender()
        if trouble.strikes("full"):
            raise Wrong("There is no room for more.", 507)
        trouble.strikes("slow")
        try:
            at, length = int(request.headers["Upload-Offset"]), int(request.headers["Upload-Length"])
        except (KeyError, ValueError) as error:
            raise Wrong("Say Upload-Offset and Upload-Length.") from error
        data = request.get_data()
        if trouble.strikes("breaking off"):
            store.append(key, name, at, data[: len(data) // 2], length)
            raise Wrong("Something broke off.", 502)
        here = store.append(key, name, at, data, length)
        return Response(status=204, headers={"Upload-Offset": str(here)})


def _people(app: Flask, store: Store, trouble: Trouble) -> None:
    @app.get("/")
    def packages() -> str:
        return render_template("packages.html", packages=store.all(), kinds=KINDS, trouble=trouble)

    @app.post("/trouble")
    def misbehave() -> Any:
        times = request.form.get("times", "1")
        trouble.set(request.form.get("kind", "none"), int(times) if times.isdigit() else 1)
        return redirect(url_for("packages"))

    @app.get("/packages/<key>")
    def package(key: str) -> str:
        state = store.state(key)
        data = checking.manifest(store.home(key) / "files")
        whole = state["state"] != RECEIVING and bool(data)
        return render_template("package.html", state=state, data=data, whole=whole, grounds=grounds.GROUNDS, names=store.names(key))

    @app.get("/packages/<key>/frames/<int:at>/<name>.jpg")
    def picture(key: str, at: int, name: str) -> Response:
        folder = store.home(key) / "files"
        data = checking.manifest(folder)
        if store.state(key)["state"] == RECEIVING or not data or at >= len(data["frames"]) or name not in grounds.GROUNDS:
            raise Wrong("There is no such picture.", 404)
        return Response(grounds.laid(folder, data, at, name), mimetype="image/jpeg")

    @app.post("/packages/<key>/answer")
    def answer(key: str) -> Any:
        said = request.form
        with store.lock:
            state = store.state(key)
            if state["state"] == RECEIVING:
                raise Wrong("This package is not whole yet.", 409)
            if said.get("answer") == "accept":
                state["state"] = ACCEPTED
            else:
                state["notes"].append(_note(said, checking.manifest(store.home(key) / "files"), len(state["notes"])))
                state["state"] = RETURNED
            state["answered"] = _now()
            store.keep(key, state)
        return redirect(url_for("package", key=key))


def _note(said: Any, data: dict[str, Any], count: int) -> dict[str, Any]:
    """A note from a form. Wrong when it says nothing or nowhere."""
    text = said.get("says", "").strip()[:LONGEST]
    if not text:
        raise Wrong("Write what is to be changed, then return the package.")
    try:
        row = data["frames"][int(said.get("at", "0"))]
        x, y = (float(said[k]) if said.get(k) else None for k in ("x", "y"))
    except (ValueError, IndexError, KeyError) as error:
        raise Wrong("The note is on no frame of this package.") from error
    by = said.get("by", "").strip()[:60] or "the receiver"
    return {"id": count + 1, "number": row["number"], "frame": row["frame"], "x": x, "y": y, "says": text, "by": by}
