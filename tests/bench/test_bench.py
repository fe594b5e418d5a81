"""The receiving bench by itself: what it takes, what it refuses, what it shows."""

import hashlib
import io
import json

import numpy as np
import pytest
from PIL import Image

from bench import checking, grounds
from bench.app import create

TOKEN = {"Authorization": "Bearer secret"}


@pytest.fixture
def door(tmp_path):
    app = create(tmp_path / "bench", "secret")
    return app.test_client()


def png(pixels: np.ndarray) -> bytes:
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG")
    return out.getvalue()


def package(count: int = 3, **more) -> dict[str, bytes]:
    files = {}
    for k in range(1, count + 1):
        still = np.zeros((20, 30), np.uint8)
        still[5:15, 5 + k : 15 + k] = 255
        files[f"kite.{k:04d}.png"] = png(still)
    rows = [{"number": k, "frame": 1000 + k, "file": f"kite.{k:04d}.png", "change": "new"} for k in range(1, count + 1)]
    data = {
        "format": "matte package", "shot": "KITE_010", "matte": "kite", "numbers": [1, count], "size": [30, 20], "rate": "24",
        "kind": "PNG",
        "content": "the matte", "channels": ["Y"], "alpha": "none", "colour": "sRGB as displayed", "frames": rows,
        "files": [{"name": n, "kind": "matte", "bytes": len(b), "sha256": hashlib.sha256(b).hexdigest()} for n, b in files.items()], **more,
    }  # fmt: skip
    return {**files, "manifest.json": json.dumps(data).encode()}


def begin(door, files: dict[str, bytes], name: str = "KITE_010_kite_v1") -> str:
    mark = hashlib.sha256(files["manifest.json"]).hexdigest()
    return door.post("/api/packages", json={"name": name, "manifest": mark}, headers=TOKEN).get_json()["id"]


def put(door, key: str, name: str, data: bytes, at: int = 0, length: int | None = None):
    where = f"/api/packages/{key}/files/{name}"
    if at == 0:
        assert door.post(where, headers=TOKEN).status_code == 201
    how = {**TOKEN, "Upload-Offset": str(at), "Upload-Length": str(len(data) if length is None else length)}
    return door.patch(where, data=data, headers=how)


def sent(door, files: dict[str, bytes]) -> str:
    key = begin(door, files)
    for name, data in files.items():
        assert put(door, key, name, data).status_code == 204
    return key


def test_a_file_grows_piece_by_piece_and_nothing_is_taken_twice(door):
    files = package()
    key = begin(door, files)
    assert begin(door, files) == key  # the same package is the same package
    data = files["kite.0001.png"]
    where = f"/api/packages/{key}/files/kite.0001.png"
    assert door.head(where, headers=TOKEN).status_code == 404
    put(door, key, "kite.0001.png", data[:20], length=len(data))
    assert door.head(where, headers=TOKEN).headers["Upload-Offset"] == "20"
    assert put(door, key, "kite.0001.png", data[10:], at=10, length=len(data)).status_code == 409
    assert put(door, key, "kite.0001.png", data[20:], at=20, length=len(data)).status_code == 204
    assert put(door, key, "kite.0001.png", b"more", at=len(data), length=len(data)).status_code == 400


def test_a_whole_package_is_received_looked_at_and_answered(door):
    key = sent(door, package())
    assert door.post(f"/api/packages/{key}/close", headers=TOKEN).get_json()["state"] == "received"
    page = door.get(f"/packages/{key}").get_data(as_text=True)
    assert "all as the manifest says" in page and "0001" not in page.split("<aside>")[0].split("figures")[0]
    shown = np.asarray(Image.open(io.BytesIO(door.get(f"/packages/{key}/frames/0/black.jpg").data))).astype(int)
    assert np.abs(shown[10, 10] - grounds.SUBJECT * 255).max() < 8 and shown[10, 25].max() < 8
    door.post(f"/packages/{key}/answer", data={"answer": "return", "at": "1", "x": "12.5", "y": "9", "says": "it boils", "by": "noor"})
    said = door.get(f"/api/packages/{key}", headers=TOKEN).get_json()
    assert said["state"] == "returned"
    assert said["notes"] == [{"id": 1, "number": 2, "frame": 1002, "x": 12.5, "y": 9.0, "says": "it boils", "by": "noor"}]
    assert door.post(f"/packages/{key}/answer", data={"answer": "return", "says": " "}).status_code == 400
    door.post(f"/packages/{key}/answer", data={"answer": "accept"})
    assert door.get(f"/api/packages/{key}", headers=TOKEN).get_json()["state"] == "accepted"


def _gone(files):
    del files["kite.0002.png"]


def _other(files):
    files["kite.0002.png"] = files["kite.0001.png"]


def _more(files):
    files["kite.0009.png"] = files["kite.0001.png"]


def _gap(files):
    data = json.loads(files["manifest.json"])
    data["frames"].pop(1)
    files["manifest.json"] = json.dumps(data).encode()


def _size(files):
    files.update(package(size=[31, 20]))


def _none(files):
    files["manifest.json"] = b"{}"


@pytest.mark.parametrize(
    ("harm", "says", "again"),
    [
        (_gone, "kite.0002.png is missing", ["kite.0002.png"]),
        (_other, "kite.0002.png is not what the manifest says", ["kite.0002.png"]),
        (_more, "kite.0009.png is not in the manifest", []),
        (_gap, "without a gap", []),
        (_size, "30 x 20, not 31 x 20", []),
        (_none, "no manifest", ["manifest.json"]),
    ],
)
def test_it_finds_by_itself_what_is_wrong(door, harm, says, again):
    files = package()
    harm(files)
    key = sent(door, files)
    reply = door.post(f"/api/packages/{key}/close", headers=TOKEN)
    assert reply.status_code == 422 and says in " ".join(reply.get_json()["wrong"]) and reply.get_json()["again"] == again
    assert door.get(f"/packages/{key}/frames/0/black.jpg").status_code == 404  # nobody looks at half a package
    assert door.post(f"/packages/{key}/answer", data={"answer": "accept"}).status_code == 409


@pytest.mark.parametrize("name", ["..%2f..%2fx", ".hidden", "a/../../b", "a%00b", "a:b", "x/y/z/u/v/w", "con%0ax"])
def test_hostile_names_lead_nowhere(door, tmp_path, name):
    key = begin(door, package())
    reply = door.post(f"/api/packages/{key}/files/{name}", headers=TOKEN)
    assert reply.status_code in (400, 404, 308, 405)
    assert [p.name for p in (tmp_path / "bench").rglob("*") if p.is_file()] == ["state.json"]


def test_without_the_token_there_is_nothing_and_forms_are_its_own(door):
    assert door.post("/api/packages", json={"name": "x", "manifest": "0" * 64}).status_code == 401
    assert door.get("/api/packages/0123456789abcdef", headers={"Authorization": "Bearer no"}).status_code == 401
    assert door.post("/trouble", data={"kind": "full"}, headers={"Origin": "http://elsewhere"}).status_code == 403


@pytest.mark.parametrize(("kind", "code"), [("full", 507), ("breaking off", 502), ("refusing", 403)])
def test_it_misbehaves_when_it_is_told_to_and_only_so_often(door, kind, code):
    key = begin(door, package())
    door.post("/trouble", data={"kind": kind, "times": "1"})
    where, how = f"/api/packages/{key}/files/manifest.json", {**TOKEN, "Upload-Offset": "0", "Upload-Length": "4"}
    first = door.post(where, headers=TOKEN)
    replies = [first] if kind == "refusing" else [door.patch(where, data=b"abcd", headers=how)]
    assert replies[0].status_code == code
    assert "all is well" in door.get("/").get_data(as_text=True)
    assert (
        door.head(where, headers=TOKEN).headers.get("Upload-Offset", "none") == {"breaking off": "2", "full": "0", "refusing": "none"}[kind]
    )


def test_a_cut_out_lies_over_the_ground_as_its_alpha_says(tmp_path):
    still = np.zeros((20, 30, 4), np.uint8)
    still[5:15, 5:15] = (200, 100, 50, 255)
    still[5:15, 15:25] = (200, 100, 50, 128)
    (tmp_path / "a.png").write_bytes(png(still))
    data = {"frames": [{"file": "a.png"}], "alpha": "straight", "channels": list("RGBA"), "colour": "sRGB as displayed"}
    shown = np.asarray(Image.open(io.BytesIO(grounds.laid(tmp_path, data, 0, "white")))).astype(int)
    for x, alpha in ((10, 1.0), (20, 128 / 255), (2, 0.0)):
        assert np.abs(shown[10, x] - (alpha * np.array([200, 100, 50]) + (1 - alpha) * 255)).max() < 14
    assert checking.size_of(tmp_path / "a.png") == (30, 20)
