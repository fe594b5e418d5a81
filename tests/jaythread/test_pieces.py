"""Files that come in pieces, by the open protocol: begun, broken off, gone on with, taken once they are whole."""

import base64
import uuid
from datetime import timedelta

import pytest
from django.core.files.storage import default_storage
from django.utils import timezone

from jaythread.errors import Conflict, NoRoom
from jaythread.plates import uploads
from jaythread.plates.models import Plate, Upload
from jaythread.productions.models import Shot
from jaythread.productions.policies import may

from ..conftest import write_stills

pytestmark = pytest.mark.django_db
TUS = {"Tus-Resumable": "1.0.0"}


@pytest.fixture
def rafe(client, people, production):
    client.force_login(people["rafe"], backend="jaythread.accounts.session_store.People")
    return client


def begin(client, name, length, **heads):
    meta = f"filename {base64.b64encode(name.encode()).decode()},kind cGljdHVyZQ=="
    return client.post("/uploads", headers={**TUS, "Upload-Length": str(length), "Upload-Metadata": meta, **heads})


def piece(client, where, offset, data, kind="application/offset+octet-stream"):
    return client.generic("PATCH", where, data, content_type=kind, headers={**TUS, "Upload-Offset": str(offset)})


def at(client, where):
    return int(client.head(where, headers=TUS)["Upload-Offset"])


def sent(client, path, size=700):
    """A file sent in pieces of so many bytes; its id."""
    data = path.read_bytes()
    where = begin(client, path.name, len(data))["Location"]
    for k in range(0, len(data), size):
        assert piece(client, where, k, data[k : k + size])["Upload-Offset"] == str(min(k + size, len(data)))
    return where.rsplit("/", 1)[1]


def test_stills_that_came_in_pieces_become_a_shot_to_the_last_byte(rafe, production, tmp_path):
    paths = write_stills(tmp_path / "given")
    ids = [sent(rafe, path) for path in paths]
    reply = rafe.post(f"/productions/{production.pk}/bring-in", {"upload": ids, "name": "KITE_011"})
    assert reply.status_code == 302 and Shot.objects.get().name == "KITE_011"
    source = Plate.objects.get().folder / "source"
    assert {p.name: p.read_bytes() for p in source.iterdir()} == {p.name: p.read_bytes() for p in paths}
    assert not Upload.objects.exists() and not [*(default_storage_path() / "pieces").iterdir()]


def default_storage_path():
    from pathlib import Path

    return Path(default_storage.path("incoming"))


def test_what_broke_off_goes_on_where_it_was_and_only_there(rafe):
    where = begin(rafe, "plate.mov", 10)["Location"]
    assert at(rafe, where) == 0
    assert piece(rafe, where, 0, b"abcd").status_code == 204 and at(rafe, where) == 4
    for wrong in (0, 3, 5, 10):
        assert piece(rafe, where, wrong, b"xy").status_code == 409
    assert at(rafe, where) == 4 and piece(rafe, where, 4, b"efghij").status_code == 204
    assert Upload.objects.get().path.read_bytes() == b"abcdefghij"


def test_a_piece_that_breaks_off_in_the_middle_keeps_what_came(people, production):
    it = uploads.begin(people["rafe"], "plate.mov", 10)
    parts = [b"abc", ConnectionResetError()]

    def read(size):
        part = parts.pop(0)
        if isinstance(part, Exception):
            raise part
        return part

    with pytest.raises(ConnectionResetError):
        uploads.go_on(people["rafe"], it.pk, 0, read)
    assert it.offset == 3
    with pytest.raises(Conflict):
        uploads.go_on(people["rafe"], it.pk, 0, lambda size: b"")


def test_more_than_was_said_is_not_taken(rafe):
    where = begin(rafe, "plate.mov", 4)["Location"]
    assert piece(rafe, where, 0, b"abcdefgh").status_code == 422 and at(rafe, where) == 4
    assert Upload.objects.get().path.read_bytes() == b"abcd"


def test_what_is_not_whole_is_not_taken_and_stays(rafe, production, tmp_path):
    (path,) = write_stills(tmp_path / "given", 1001, 1001)
    where = begin(rafe, path.name, path.stat().st_size)["Location"]
    piece(rafe, where, 0, path.read_bytes()[:100])
    said = {"upload": [where.rsplit("/", 1)[1]]}
    page = rafe.post(f"/productions/{production.pk}/bring-in", said).content.decode()
    assert "not all there yet: 100 of" in page and not Shot.objects.exists() and at(rafe, where) == 100
    for odd in ("no id", str(uuid.uuid4())):
        assert rafe.post(f"/productions/{production.pk}/bring-in", {"upload": [odd]}).status_code in (200, 404)


def test_a_file_that_is_no_plate_is_told_and_stays_to_be_looked_at(rafe, production, tmp_path):
    (tmp_path / "kite.mov").write_bytes(b"no movie at all" * 50)
    page = rafe.post(f"/productions/{production.pk}/bring-in", {"upload": [sent(rafe, tmp_path / "kite.mov")]}).content.decode()
    assert "Not taken" in page and Upload.objects.get().offset == 750


def test_nobody_elses_file_is_there_and_receivers_bring_nothing_in(rafe, people, production):
    where = begin(rafe, "plate.mov", 10)["Location"]
    for who, status in (("marta", 404), ("otto", 404)):
        rafe.force_login(people[who], backend="jaythread.accounts.session_store.People")
        assert rafe.head(where, headers=TUS).status_code == status == piece(rafe, where, 0, b"ab").status_code
    for who in ("otto", "noor"):
        rafe.force_login(people[who], backend="jaythread.accounts.session_store.People")
        assert begin(rafe, "plate.mov", 10).status_code == 403
    assert not may(production.memberships.get(user=people["noor"]), "bring in") and Upload.objects.count() == 1


@pytest.mark.parametrize(
    ("heads", "status"),
    [
        ({"Tus-Resumable": "0.2.2"}, 412),
        ({"Upload-Length": "-1"}, 422),
        ({"Upload-Length": "0"}, 422),
        ({"Upload-Length": "many"}, 422),
        ({"Upload-Length": "9" * 16}, 422),
        ({"Upload-Metadata": "filename ***"}, 422),
        ({"Upload-Metadata": ""}, 422),
        ({"Upload-Metadata": "filename " + base64.b64encode(b"\x07bell").decode()}, 422),
    ],
)
def test_what_is_announced_oddly_is_refused(rafe, heads, status):
    assert begin(rafe, "plate.mov", 10, **heads).status_code == status and not Upload.objects.exists()


def test_the_protocol_says_what_it_knows_and_takes_a_file_back(rafe):
    told = rafe.options("/uploads")
    assert (told["Tus-Version"], told["Tus-Extension"]) == ("1.0.0", "creation,termination")
    where = begin(rafe, "plate.mov", 10)["Location"]
    assert piece(rafe, where, 0, b"abc", kind="text/plain").status_code == 415
    assert rafe.delete(where, headers=TUS).status_code == 204 and rafe.head(where, headers=TUS).status_code == 404
    assert rafe.head(where).status_code == 412


def test_room_is_looked_for_before_anything_comes(people, production, monkeypatch):
    monkeypatch.setattr("jaythread.room.free", lambda: 300 << 20)
    with pytest.raises(NoRoom):
        uploads.begin(people["rafe"], "plate.mov", 100 << 20)
    assert not Upload.objects.exists()


def test_what_nobody_takes_goes_after_a_week(people, production):
    old, new = (uploads.begin(people["rafe"], name, 10) for name in ("old.mov", "new.mov"))
    Upload.objects.filter(pk=old.pk).update(made=timezone.now() - uploads.KEPT - timedelta(hours=1))
    assert uploads.clear_out() == 1 and Upload.objects.get() == new and not old.path.exists() and new.path.exists()
