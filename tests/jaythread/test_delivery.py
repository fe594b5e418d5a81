"""Deliveries: what lies in the package, how it is proved, what happens when it is stopped or damaged."""

import io
import json
import uuid
import zipfile

import cv2
import numpy as np
import pytest
from django.utils import timezone

from jaythread.delivery import actions
from jaythread.delivery.models import Delivery
from jaythread.desk import actions as desk
from jaythread.errors import Refused
from roto.package import proof

from ..conftest import command, trace

pytestmark = pytest.mark.django_db


@pytest.fixture
def asked(shot, people):
    shape = trace(shot, people["rafe"], points=((10, 20), (40, 20), (40, 50), (10, 50)))
    desk.edit(people["rafe"], shot.pk, uuid.uuid4(), None, command(do="place", shape=shape, frame=1008, move=(28, 0)))
    return actions.ask(people["rafe"], shot.pk, shot.mattes.get().pk)


def test_the_package_holds_what_was_drawn(client, people, asked):
    actions.deliver(asked.pk)
    asked.refresh_from_db()
    assert (asked.state, asked.wrong) == ("proved", [])
    client.force_login(people["noor"], backend="django.contrib.auth.backends.ModelBackend")
    reply = client.get(f"/deliveries/{asked.pk}/fetch")
    with zipfile.ZipFile(io.BytesIO(b"".join(reply.streaming_content))) as bag:
        assert sorted(bag.namelist()) == sorted([*[f"KITE_010_kite.{f}.png" for f in range(1001, 1009)], "manifest.json"])
        manifest = json.loads(bag.read("manifest.json"))
        pixels = cv2.imdecode(np.frombuffer(bag.read("KITE_010_kite.1008.png"), np.uint8), cv2.IMREAD_UNCHANGED)
        first = manifest["files"][0]
        import hashlib

        assert hashlib.sha256(bag.read(first["name"])).hexdigest() == first["sha256"] and len(bag.read(first["name"])) == first["bytes"]
    assert {k: manifest[k] for k in ("shot", "matte", "range", "size", "rate", "revision")} == {
        "shot": "KITE_010", "matte": "kite", "range": [1001, 1008], "size": [96, 64], "rate": "24", "revision": asked.revision,
    }  # fmt: skip
    assert manifest["shutter"]["angle"] == 180 and [f["frame"] for f in manifest["files"]] == list(range(1001, 1009))
    assert pixels.dtype == np.uint16 and pixels.shape == (64, 96)
    # the square stands at x 38..68 and moves 4 px a frame: its edges are ramps of 2 px (half a frame's shutter)
    assert (pixels[20:50, 40:66] == 65535).all() and pixels[:19].max() == pixels[:, 70:].max() == 0
    assert np.abs(pixels[30, 37:39].astype(float) / 65535 - [0.25, 0.75]).max() < 0.02


def test_later_edits_do_not_reach_a_delivery_and_the_same_state_gives_the_same_bytes(shot, people, asked):
    shape = asked.matte.entries.get().shape_id
    actions.deliver(asked.pk)
    again = actions.ask(people["rafe"], shot.pk, asked.matte_id)
    desk.edit(people["rafe"], shot.pk, uuid.uuid4(), None, command(do="remove", shape=str(shape)))
    actions.deliver(again.pk)
    again.refresh_from_db()
    assert again.state == "proved" and again.version == 2
    one, two = (actions.zip_path(d).read_bytes() for d in (asked, again))
    assert one == two
    with pytest.raises(Refused, match="no shape yet"):
        actions.ask(people["rafe"], shot.pk, asked.matte_id)


def damage(folder, name):
    path = folder / "KITE_010_kite.1004.png"
    if name == "one byte":
        data = bytearray(path.read_bytes())
        data[-20] ^= 1
        path.write_bytes(data)
    elif name == "cut short":
        path.write_bytes(path.read_bytes()[:100])
    elif name == "missing":
        path.unlink()
    elif name == "one too many":
        (folder / "KITE_010_kite.1009.png").write_bytes(path.read_bytes())
    else:
        cv2.imwrite(
            str(path),
            {"8-bit": np.zeros((64, 96), np.uint8), "size": np.zeros((64, 95), np.uint16), "black": np.zeros((64, 96), np.uint16)}[name],
        )
        if name != "hash":
            manifest = json.loads((folder / "manifest.json").read_text())
            row = next(f for f in manifest["files"] if f["name"] == path.name)
            row["bytes"], row["sha256"] = path.stat().st_size, proof.digest(path)
            (folder / "manifest.json").write_text(json.dumps(manifest))


@pytest.mark.parametrize("name", ["one byte", "cut short", "missing", "one too many", "8-bit", "size", "black"])
def test_a_damaged_file_makes_it_fail_by_name(asked, monkeypatch, name):
    whole = actions.read_back

    def after_damage(delivery, core, folder, fringes):
        damage(folder, name)
        return whole(delivery, core, folder, fringes)

    monkeypatch.setattr(actions, "read_back", after_damage)
    if name == "black":
        monkeypatch.setattr(proof, "sampled", lambda first, last: tuple(range(first, last + 1)))
    actions.deliver(asked.pk)
    asked.refresh_from_db()
    assert asked.state == "failed" and len(asked.wrong) == 1
    assert ("KITE_010_kite.1009.png" if name == "one too many" else "KITE_010_kite.1004.png") in asked.wrong[0]
    assert not asked.folder.exists()


def test_cancel_stops_between_chunks_and_leaves_no_files(people, asked, monkeypatch):
    monkeypatch.setattr(actions, "CHUNK", 2)
    seen = []

    def stop_at_the_second(delivery):
        seen.append(delivery.frames.filter(done=True).count())
        if len(seen) == 2:
            actions.cancel(people["rafe"], delivery.pk)
        if Delivery.objects.get(pk=delivery.pk).cancel:
            raise actions.Cancelled()

    monkeypatch.setattr(actions, "_asked_to_stop", stop_at_the_second)
    actions.deliver(asked.pk)
    asked.refresh_from_db()
    assert asked.state == "cancelled" and seen == [0, 2] and not asked.folder.exists()
    with pytest.raises(Refused):
        actions.cancel(people["rafe"], asked.pk)


def test_a_killed_worker_loses_no_finished_frame(asked, monkeypatch):
    monkeypatch.setattr(actions, "CHUNK", 2)
    whole, calls = actions.write_matte, []

    def killed(path, alpha, depth):
        if path.name.endswith("1005.png"):
            raise KeyboardInterrupt
        whole(path, alpha, depth)

    monkeypatch.setattr(actions, "write_matte", killed)
    with pytest.raises(KeyboardInterrupt):
        actions.deliver(asked.pk)
    done = set(asked.frames.filter(done=True).values_list("name", flat=True))
    assert len(done) == 4
    monkeypatch.setattr(actions, "write_matte", lambda path, alpha, depth: (calls.append(path.name), whole(path, alpha, depth)))
    actions.deliver(asked.pk)
    asked.refresh_from_db()
    assert asked.state == "proved" and asked.ended <= timezone.now() and not done & set(calls)


def test_the_list_of_deliveries_follows_by_itself_while_one_is_under_way(shot, people, client):
    trace(shot, people["rafe"])
    client.force_login(people["rafe"])
    asked = actions.ask(people["rafe"], shot.pk, shot.mattes.get().pk)
    page = f"/shots/{shot.pk}/deliveries"
    assert 'http-equiv="refresh"' in client.get(page).content.decode()
    actions.deliver(asked.pk)
    done = client.get(page).content.decode()
    assert 'http-equiv="refresh"' not in done and "proved" in done
