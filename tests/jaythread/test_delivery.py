"""Deliveries: what lies in the package, how it is made and stopped and taken up again, what is taken over, who gets it."""

import base64
import io
import json
import uuid
import zipfile

import cv2
import numpy as np
import pytest
from django.db import connection
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob

from jaythread.delivery import actions, making, packing, recipes, sent
from jaythread.delivery.models import Chunk, DeliveredFrame, Delivery
from jaythread.desk.edit import actions as desk
from jaythread.errors import DatabaseAway, NotAllowed, NotThere, Refused
from roto.errors import BadRecipe, NotWritten
from roto.package import make, manifest, proof
from roto.package.recipe import Recipe

from ..conftest import command, lose_the_database, trace

pytestmark = pytest.mark.django_db
BACKEND = "jaythread.accounts.session_store.People"


@pytest.fixture
def asked(shot, people):
    shape = trace(shot, people["rafe"], points=((10, 20), (40, 20), (40, 50), (10, 50)))
    desk.edit(people["rafe"], shot.pk, uuid.uuid4(), None, command(do="place", shape=shape, frame=1008, move=(28, 0)))
    return actions.ask(people["rafe"], shot.pk, shot.mattes.get().pk)


def again(delivery, people, **how):
    """Another delivery of the same matte, made."""
    more = actions.ask(people["rafe"], delivery.matte.shot_id, delivery.matte_id, **how)
    actions.deliver(more.pk)
    more.refresh_from_db()
    return more


def files_of(delivery) -> dict[str, bytes]:
    with zipfile.ZipFile(packing.zip_path(delivery)) as bag:
        return {name: bag.read(name) for name in bag.namelist()}


def test_the_package_holds_what_was_drawn(client, people, asked):
    actions.deliver(asked.pk)
    asked.refresh_from_db()
    assert (asked.state, asked.wrong, asked.odd) == ("proved", [], [])
    client.force_login(people["noor"], backend=BACKEND)
    reply = client.get(f"/deliveries/{asked.pk}/fetch")
    with zipfile.ZipFile(io.BytesIO(b"".join(reply.streaming_content))) as bag:
        stills = [f"KITE_010_kite.{f}.png" for f in range(1001, 1009)]
        beside = ["contact-sheet.png", "manifest.json", "receipt.json", "shapes/KITE_010_kite.shapes.json", "summary.txt"]
        assert sorted(bag.namelist()) == sorted([*stills, *beside])
        data = json.loads(bag.read("manifest.json"))
        pixels = cv2.imdecode(np.frombuffer(bag.read("KITE_010_kite.1008.png"), np.uint8), cv2.IMREAD_UNCHANGED)
        assert "8 new" in bag.read("summary.txt").decode() and json.loads(bag.read("receipt.json"))["proved"]
    assert {k: data[k] for k in ("shot", "matte", "range", "size", "rate", "revision", "package")} == {
        "shot": "KITE_010", "matte": "kite", "range": [1001, 1008], "size": [96, 64], "rate": "24", "revision": asked.revision,
        "package": 1,
    }  # fmt: skip
    assert data["shutter"]["angle"] == 180 and [f["frame"] for f in data["frames"]] == list(range(1001, 1009))
    assert pixels.dtype == np.uint16 and pixels.shape == (64, 96)
    # the square stands at x 38..68 and moves 4 px a frame: its edges are ramps of 2 px (half a frame's shutter)
    assert (pixels[20:50, 40:66] == 65535).all() and pixels[:19].max() == pixels[:, 70:].max() == 0
    assert np.abs(pixels[30, 37:39].astype(float) / 65535 - [0.25, 0.75]).max() < 0.02


def test_later_edits_do_not_reach_a_delivery_and_the_same_state_gives_the_same_bytes(shot, people, asked):
    shape = asked.matte.entries.get().shape_id
    actions.deliver(asked.pk)
    more = actions.ask(people["rafe"], shot.pk, asked.matte_id)
    desk.edit(people["rafe"], shot.pk, uuid.uuid4(), None, command(do="remove", shape=str(shape)))
    actions.deliver(more.pk)
    more.refresh_from_db()
    assert more.state == "proved" and more.version == 2
    one, two = files_of(asked), files_of(more)
    assert set(one) == set(two) and all(one[name] == two[name] for name in one if name.endswith(".png"))
    with pytest.raises(Refused, match="no shape yet"):
        actions.ask(people["rafe"], shot.pk, asked.matte_id)


def test_only_what_changed_is_made_again(shot, people, asked, monkeypatch):
    """After a key on one frame: frames beyond its stretch are taken over, byte for byte, and the manifest tells which."""
    actions.deliver(asked.pk)
    shape = str(asked.matte.entries.get().shape_id)
    desk.edit(people["rafe"], shot.pk, uuid.uuid4(), None, command(do="live", shape=shape, ranges=[[1001, 1006]]))
    written, whole = [], make._written
    monkeypatch.setattr(make, "_written", lambda plan, at, *rest: (written.append(at), whole(plan, at, *rest))[1])
    more = again(asked, people)
    assert sorted(written) == [6, 7] and more.state == "proved"
    assert more.receipt["says"][0].startswith("2 of 8 files were read back") and "6 were taken over unchanged" in more.receipt["says"][0]
    rows = {f.frame: (f.change, f.taken) for f in more.frames.all()}
    assert rows == {f: ("same", True) if f < 1007 else ("changed", False) for f in range(1001, 1009)}
    assert [r["change"] for r in manifest.load(more.package)["frames"]] == ["same"] * 6 + ["changed"] * 2
    assert [o["frame"] for o in more.odd] == [1007]  # the range ends without any matte: to be looked at
    sent_now, sent_before = (sent.matte(d, d.frames.get(frame=1008)) for d in (more, asked))
    assert sent_now.max() == 0 and sent_before.sum(dtype=np.int64) / 65535 == pytest.approx(900, abs=1)


def test_a_file_that_was_damaged_since_is_noticed_and_made_anew(people, asked):
    actions.deliver(asked.pk)
    still = asked.package / "KITE_010_kite.1004.png"
    whole = still.read_bytes()
    still.write_bytes(whole[:-30] + b"?" + whole[-29:])
    more = again(asked, people)
    assert more.state == "proved" and (more.package / still.name).read_bytes() == whole
    assert [row.frame for row in more.frames.filter(taken=False)] == [1004]


@pytest.mark.parametrize("harm", ["byte", "gone"])
def test_a_plates_still_that_was_damaged_in_the_earlier_package_is_made_anew_too(people, asked, harm):
    """What is taken over is held against the list of the package that it comes from, not against itself."""
    first = again(asked, people, recipe=Recipe(plate=True))
    still = next(p for p in sorted((first.package / "plate").iterdir()) if "1003" in p.name)
    whole = still.read_bytes()
    still.write_bytes(whole[:-30] + b"?" + whole[-29:]) if harm == "byte" else still.unlink()
    more = again(asked, people, recipe=Recipe(plate=True))
    assert more.state == "proved" and (more.package / "plate" / still.name).read_bytes() == whole
    assert [row.frame for row in more.frames.filter(taken=False)] == [1003]


def test_what_no_list_of_an_earlier_package_tells_of_is_read_like_any_other(people, asked, monkeypatch):
    actions.deliver(asked.pk)
    read: list[int] = []
    whole = proof.checks.still
    monkeypatch.setattr(proof.checks, "still", lambda *given: (read.append(given[3]), whole(*given))[1])
    data = manifest.load(asked.package)
    data["files"] = [row for row in data["files"] if "1005" not in row["name"]]
    manifest.write(asked.package, data)
    more = again(asked, people)
    assert more.state == "proved" and read == [4] and more.receipt["by_hash"] == 7


def test_what_is_odd_waits_for_somebody_to_answer_for_it(shot, people, asked, client):
    shape = str(asked.matte.entries.get().shape_id)
    desk.edit(people["rafe"], shot.pk, uuid.uuid4(), None, command(do="live", shape=shape, ranges=[[1001, 1003], [1005, 1008]]))
    it = again(asked, people)
    assert [(o["frame"], o["what"]) for o in it.odd] == [(1004, "empty")]
    for who, code in (("noor", 403), ("rafe", 200)):
        client.force_login(people[who], backend=BACKEND)
        assert client.get(f"/deliveries/{it.pk}/fetch").status_code == code
    assert b"no matte, though frames before and after it have" in client.get(f"/deliveries/{it.pk}").content
    with pytest.raises(NotAllowed):
        actions.accept(people["noor"], it.pk)
    client.post(f"/deliveries/{it.pk}/accept", {"frame": "1004"})
    client.force_login(people["noor"], backend=BACKEND)
    assert client.get(f"/deliveries/{it.pk}/fetch").status_code == 200
    it.refresh_from_db()
    files = files_of(it)
    assert "meant so" in files["summary.txt"].decode() and json.loads(files["receipt.json"])["odd"][0]["accepted"]
    assert json.loads(files["manifest.json"])["files"][0]["sha256"] == manifest.digest(it.package / "KITE_010_kite.1001.png")


def test_cancel_stops_between_frames_and_leaves_no_files(people, asked, monkeypatch):
    monkeypatch.setattr(making, "LOOK_EVERY", 0.0)
    whole, count = making._save, []

    def cancelled_meanwhile(rows):
        whole(rows)
        count.append(len(rows))
        if len(count) == 2:
            actions.cancel(people["rafe"], asked.pk)

    monkeypatch.setattr(making, "_save", cancelled_meanwhile)
    actions.deliver(asked.pk)
    asked.refresh_from_db()
    assert asked.state == "cancelled" and not asked.folder.exists() and asked.frames.filter(done=True).count() < 8
    with pytest.raises(Refused):
        actions.cancel(people["rafe"], asked.pk)


def test_a_paused_delivery_keeps_what_is_made_and_goes_on(people, asked, monkeypatch):
    monkeypatch.setattr(making, "CHUNK", 3)
    making.begin(asked.pk)
    first, *rest = asked.chunks.values_list("pk", flat=True)
    making.chunk(asked.pk, first)
    actions.pause(people["rafe"], asked.pk)
    for pk in rest:
        making.chunk(asked.pk, pk)
    assert asked.frames.filter(done=True).count() == 3
    with pytest.raises(Refused, match="waiting or being rendered"):
        actions.pause(people["rafe"], asked.pk)
    actions.go_on(people["rafe"], asked.pk)
    for pk in rest:
        making.chunk(asked.pk, pk)
    making.finish(asked.pk)
    asked.refresh_from_db()
    assert asked.state == "proved"
    with pytest.raises(Refused, match="not paused"):
        actions.go_on(people["rafe"], asked.pk)


def test_a_killed_worker_loses_no_finished_frame(asked, monkeypatch):
    """Killed after a file is in place and before anything is said of it: that file is found and kept."""
    monkeypatch.setattr(making, "CHUNK", 4)
    whole, calls = make.write_still, []

    def killed(path, *rest):
        if path.name.endswith("1003.png"):
            raise KeyboardInterrupt
        whole(path, *rest)

    monkeypatch.setattr(make, "write_still", killed)
    with pytest.raises(KeyboardInterrupt):
        actions.deliver(asked.pk)
    DeliveredFrame.objects.filter(delivery=asked).update(done=False, measured={})
    there = {p.name for p in asked.package.glob("*.png")}
    assert there and Chunk.objects.filter(delivery=asked, state="working").count() == 1
    monkeypatch.setattr(make, "write_still", lambda path, *rest: (calls.append(path.name), whole(path, *rest)))
    for pk in asked.chunks.values_list("pk", flat=True):
        making.chunk(asked.pk, pk)
    making.finish(asked.pk)
    asked.refresh_from_db()
    assert asked.state == "proved" and asked.ended <= timezone.now() and not there & set(calls)


def test_a_chunk_done_twice_or_a_finish_done_twice_changes_nothing(asked):
    actions.deliver(asked.pk)
    before = packing.zip_path(asked).read_bytes()
    actions.deliver(asked.pk)
    assert packing.zip_path(asked).read_bytes() == before


@pytest.mark.parametrize("kind", ["full disk", "missing plate frame", "no permission"])
def test_what_a_person_can_mend_holds_a_delivery_up(shot, people, asked, monkeypatch, kind):
    it = actions.ask(people["rafe"], shot.pk, asked.matte_id, Recipe(content="straight"), "cut-out")
    still = shot.plates.get().still(1003)
    kept, whole = still.read_bytes(), make.write_still
    if kind == "missing plate frame":
        still.unlink()
    else:
        full = NotWritten("KITE_010_kite.1003.png cannot be written: No space left on device")  # as who writes stills says it
        error = full if kind == "full disk" else PermissionError(13, "Permission denied")

        def fails(path, *rest):
            raise error

        monkeypatch.setattr(make, "write_still", fails)
    actions.deliver(it.pk)
    it.refresh_from_db()
    says = {"full disk": "No space left", "missing plate frame": "Frame 1003 of the plate is missing", "no permission": "Permission denied"}
    assert it.state == "held up" and says[kind] in it.message and "go on" in it.message
    still.write_bytes(kept)
    monkeypatch.setattr(make, "write_still", whole)
    actions.go_on(people["rafe"], it.pk)
    for pk in it.chunks.values_list("pk", flat=True):
        making.chunk(it.pk, pk)
    making.finish(it.pk)
    it.refresh_from_db()
    assert it.state == "proved" and it.message == ""
    pixels = cv2.imread(str(it.package / "KITE_010_kite.1003.png"), cv2.IMREAD_UNCHANGED)
    assert pixels.shape == (64, 96, 4) and pixels.dtype == np.uint16


@pytest.mark.django_db(transaction=True)
def test_a_database_that_is_lost_on_the_way_holds_it_up_until_it_goes_on_by_itself(asked, monkeypatch):
    with monkeypatch.context() as patch:
        patch.setattr(making.make, "make_stills", lambda *_: lose_the_database())
        actions.deliver(asked.pk)
    connection.close()
    asked.refresh_from_db()
    assert (asked.state, asked.message) == ("held up", DatabaseAway().message)
    again = ProcrastinateJob.objects.get(task_name="delivery.again", args__delivery_id=asked.pk)
    assert again.scheduled_at > timezone.now()
    making.again(asked.pk)
    actions.deliver(asked.pk)
    asked.refresh_from_db()
    assert asked.state == "proved"


@pytest.mark.parametrize("step", ["make_stills", "plan_of"])
def test_a_fault_of_ours_holds_it_up_with_what_is_made_and_it_goes_on(people, asked, monkeypatch, caplog, step):
    with monkeypatch.context() as patch:
        patch.setattr(making.make if step == "make_stills" else making, step, lambda *_: 1 / 0)
        actions.deliver(asked.pk)
    asked.refresh_from_db()
    assert asked.state == "held up" and "Something went wrong on our side" in asked.message and "ZeroDivisionError" in caplog.text
    actions.go_on(people["rafe"], asked.pk)
    actions.deliver(asked.pk)
    asked.refresh_from_db()
    assert asked.state == "proved"


def test_damage_while_writing_makes_it_fail_by_name(asked, monkeypatch):
    whole = make.write_still

    def one_is_black(path, pixels, *rest):
        whole(path, pixels * 0 if path.name.endswith("1004.png") else pixels, *rest)

    monkeypatch.setattr(make, "write_still", one_is_black)
    actions.deliver(asked.pk)
    asked.refresh_from_db()
    assert asked.state == "failed" and "KITE_010_kite.1004.png is empty" in asked.wrong[0] and not asked.folder.exists()


def test_several_plain_mattes_asked_for_at_once_are_a_package_each(shot, people, asked, client):
    other = str(uuid.uuid4())
    desk.edit(people["rafe"], shot.pk, uuid.uuid4(), None, command(do="copy matte", matte=other, of=str(asked.matte_id), name="arm"))
    client.force_login(people["rafe"], backend=BACKEND)
    where, what = f"/shots/{shot.pk}/deliveries", {"matte": [str(asked.matte_id), other], "recipe": "starter:compositor, stills of 16 bits"}
    said = client.post(f"{where}/shown", {**FORM, **what}).json()
    assert said["lines"][0].startswith("2 packages, one of each matte")
    assert "2 packages are asked for" in client.post(where, what, follow=True).content.decode()
    made = Delivery.objects.exclude(pk=asked.pk)
    assert sorted(d.matte.name for d in made) == ["arm", "kite"] and not any(d.others for d in made)


def test_a_movie_is_made_of_chunks_too_and_several_mattes_go_into_one_file(shot, people, asked):
    movie = again(asked, people, recipe=Recipe(format="ffv1", pattern="{shot}_{matte}_{version}"), recipe_name="archive")
    assert movie.state == "proved" and (movie.package / "KITE_010_kite_002.mkv").stat().st_size > 0
    desk.edit(people["rafe"], shot.pk, uuid.uuid4(), None, command(do="new matte", matte=(other := str(uuid.uuid4())), name="tail"))
    shape = str(asked.matte.entries.get().shape_id)
    desk.edit(
        people["rafe"], shot.pk, uuid.uuid4(), None, command(do="add line", entry=str(uuid.uuid4()), matte=other, shape=shape, mode="add")
    )
    both = actions.ask(people["rafe"], shot.pk, [asked.matte_id, uuid.UUID(other)], Recipe(content="packed"), "packed")
    actions.deliver(both.pk)
    both.refresh_from_db()
    pixels = cv2.imread(str(both.package / "KITE_010_kite-tail.1002.png"), cv2.IMREAD_UNCHANGED)
    assert both.state == "proved" and np.array_equal(pixels[..., 2], pixels[..., 1]) and pixels[..., 0].max() == 0
    with pytest.raises(BadRecipe, match="one matte"):
        actions.ask(people["rafe"], shot.pk, [asked.matte_id, uuid.UUID(other)], Recipe(), "plain")


def test_recipes_are_saved_in_versions_and_offered(production, people, shot, client):
    rafe = people["rafe"]
    made = recipes.save(rafe, production.pk, "Grading", "noor's house", Recipe(format="tiff16").to_json())
    assert recipes.save(rafe, production.pk, "Grading", "noor's house", Recipe(format="tiff16").to_json()) == made
    newer = recipes.save(rafe, production.pk, "Grading", "noor's house", Recipe(format="exr32").to_json())
    assert (made.version, newer.version) == (1, 2)
    names = [o.name for o in recipes.offered(production.pk)]
    assert names[0] == "Grading 2" and {"compositor", "editor", "look on the phone"} <= set(names)
    assert (
        recipes.chosen(production.pk, f"own:{made.pk}").core.format == "tiff16"
        and recipes.chosen(production.pk, "Grading").core.format == "exr32"
    )
    for name, how in (("", {}), ("x" * 60, {}), ("a\nb\x00", {}), ("fine", {"format": "gif"})):
        with pytest.raises((Refused, BadRecipe)):
            recipes.save(rafe, production.pk, name, "", how)
    with pytest.raises(NotAllowed):
        recipes.save(people["noor"], production.pk, "mine", "", {})
    recipes.put_away(rafe, newer.pk)
    assert "Grading 2" not in [o.name for o in recipes.offered(production.pk)]
    with pytest.raises(NotThere, match="Choose one of"):
        recipes.chosen(production.pk, "Grading")


FORM = {
    "format": "png16",
    "content": "matte",
    "compression": "zip",
    "pattern": "{shot}_{matte}.{frame}",
    "size": "half",
    "spare": "2",
    "start": "1",
}


def test_the_form_says_what_follows_before_anything_is_made(shot, people, asked, client):
    client.force_login(people["rafe"], backend=BACKEND)
    where, what = f"/shots/{shot.pk}/deliveries/shown", {"matte": str(asked.matte_id), "first": "1002", "last": "1007"}
    said = client.post(where, {**FORM, **what}).json()
    assert said["example"] == "KITE_010_kite.0001.png" and said["last"] == "KITE_010_kite.0008.png" and said["size"] == [48, 32]
    assert "the plate has no more" in said["lines"][1] and said["pairs"] == [[1, 1001], [2, 1002], [8, 1008]]
    shown = cv2.imdecode(np.frombuffer(base64.b64decode(said["picture"].split(",")[1]), np.uint8), cv2.IMREAD_COLOR)
    assert said["pictured"] == 5 and shown.shape == (32, 48, 3) and shown[16, 20].min() > 250 and shown[2, 2].max() == 0
    over = client.post(where, {**FORM, **what, "content": "over", "colour": "#ff0000"}).json()["picture"]
    shown = cv2.imdecode(np.frombuffer(base64.b64decode(over.split(",")[1]), np.uint8), cv2.IMREAD_COLOR)
    assert shown[2, 2].tolist() == [0, 0, 255]
    named = {**FORM, **what, "pattern": "{matte}_{version}.{frame}"}
    assert client.post(where, named).json()["example"] == "kite_002.0001.png"  # the first one has been asked for
    odd = {**FORM, **what, "format": "vp9", "pattern": "{matte}", "size": "own", "width": "95", "height": "64"}
    assert client.post(where, odd).json()["field"] == "pad" and "95 x 64 has an odd width" in client.post(where, odd).json()["wrong"]
    assert client.post(where, {**odd, "pad": "on"}).json()["size"] == [95, 64]
    wrong = client.post(where, {**FORM, **what, "pattern": "../{frame}"}).json()
    assert wrong["field"] == "pattern" and "may not hold /" in wrong["wrong"]
    assert "whole number" in client.post(where, {**FORM, **what, "spare": "two"}).json()["wrong"]
    page = client.post(f"/shots/{shot.pk}/deliveries", {**FORM, **what, "recipe": "starter:compositor"})
    it = Delivery.objects.first()
    assert page["Location"] == f"/deliveries/{it.pk}" and it.recipe_name == "compositor, changed" and it.core_recipe.spare == 2
    assert [f.number for f in it.frames.all()] == list(range(1, 9))


def test_the_list_of_deliveries_follows_by_itself_while_one_is_under_way(shot, people, client):
    trace(shot, people["rafe"])
    client.force_login(people["rafe"])
    asked = actions.ask(people["rafe"], shot.pk, shot.mattes.get().pk)
    page = f"/shots/{shot.pk}/deliveries"
    assert 'data-waiting="yes"' in client.get(page).content.decode()
    actions.deliver(asked.pk)
    done = client.get(page).content.decode()
    assert 'data-waiting="no"' in done and "proved" in done
