"""Several machines that share nothing but the database and a store that speaks S3: one takes in, others decode, render and hand out."""

import hashlib
import io
import uuid
import zipfile
from datetime import timedelta

import cv2
import numpy as np
import pytest
from django.conf import settings as current
from django.utils import timezone

from jaythread import store
from jaythread.delivery import actions as delivery
from jaythread.delivery import making, packing
from jaythread.delivery.models import Chunk, Delivery
from jaythread.desk.edit import actions as desk
from jaythread.errors import StoreAway
from jaythread.keeping import actions as keeping
from jaythread.keeping import space
from jaythread.plates import actions as plates
from jaythread.plates import showing
from jaythread.plates.models import Plate, Upload
from jaythread.tryouts import graphics

from ..conftest import FIRST, carry_out, command, picture, trace, write_stills
from .test_pieces import TUS, at, begin, piece

pytestmark = pytest.mark.django_db
BACKEND = "jaythread.accounts.session_store.People"


@pytest.fixture
def machine(settings, tmp_path):
    """Go to a machine: each has a folder of files of its own."""

    def at(name: str):
        settings.MEDIA_ROOT = tmp_path / f"at-{name}"
        settings.MEDIA_ROOT.mkdir(exist_ok=True)
        return settings.MEDIA_ROOT

    return at


@pytest.fixture
def shot_of_several(bucket, machine, production, people, tmp_path):
    """Taken in at one machine, decoded at another."""
    machine("web")
    stills = write_stills(tmp_path / "given")
    it = plates.bring_in_folder(people["rafe"], production.pk, "KITE_010", tmp_path / "given", [p.name for p in stills])
    machine("worker")
    plates.decode(it.plates.get().pk)
    desk.edit(people["rafe"], it.pk, uuid.uuid4(), None, command(do="new matte", matte=str(uuid.uuid4()), name="kite"))
    it.refresh_from_db()
    return it


def test_a_plate_taken_in_by_one_machine_is_decoded_by_another_and_shown_by_a_third(shot_of_several, machine, client, people):
    assert not list(machine("third").rglob("*.*"))
    client.force_login(people["rafe"], backend=BACKEND)
    plate = shot_of_several.plates.get()
    reply = client.get(f"/plates/{plate.pk}/full/1003.png")
    shown = cv2.imdecode(np.frombuffer(reply.content, np.uint8), cv2.IMREAD_COLOR)[:, :, ::-1]
    assert np.array_equal(shown, picture(FIRST + 2))
    assert client.get(f"/plates/{plate.pk}/proxy/1003.jpg").status_code == 200
    assert client.get(f"/plates/{plate.pk}/proxy/1999.jpg").status_code == 404
    had = sorted(path.name for path in machine("third").rglob("*.*") if path.is_file())
    assert had == ["1003.jpg", "KITE_010.1003.png"], "no more than was asked for"


def test_pieces_of_a_file_come_to_whichever_machine_and_are_taken_at_another(bucket, machine, production, people, client, tmp_path):
    client.force_login(people["rafe"], backend=BACKEND)
    (still,) = write_stills(tmp_path / "given", 1001, 1001)
    data, whole = still.read_bytes(), []
    for _ in range(2):  # one is taken, the other is not wanted any more
        where = begin(client, still.name, len(data))["Location"]
        for k, begun in enumerate(range(0, len(data), 500)):
            machine(("one", "two", "three")[k % 3])
            assert at(client, where) == begun
            assert piece(client, where, begun, data[begun : begun + 500]).status_code == 204
        assert not [path for path in tmp_path.glob("at-*/**/*") if path.is_file()], "nothing of it stays where it came to"
        whole.append(where)
        assert len(store.names(Upload.objects.latest("made").folder)) == -(-len(data) // 500)
    assert piece(client, whole[0], len(data), b"more").status_code == 422
    machine("four")
    said = {"upload": [whole[0].rsplit("/", 1)[1]], "name": "KITE_011"}
    assert client.post(f"/productions/{production.pk}/bring-in", said).status_code == 302
    plate = Plate.objects.get()
    machine("worker")
    assert store.here(plate.folder / "source" / still.name).read_bytes() == data
    store.drop(Upload.objects.get().piece(500))
    said = {"upload": [whole[1].rsplit("/", 1)[1]], "name": "KITE_012"}
    page = client.post(f"/productions/{production.pk}/bring-in", said).content.decode()
    assert "is not all there any more. Send it again." in page and at(client, whole[1]) == 0
    assert client.delete(whole[1], headers=TUS).status_code == 204
    assert store.folders(store.folder("pieces")) == [] and not Upload.objects.exists()


def test_a_piece_for_which_the_store_is_away_is_sent_again(bucket, settings, machine, production, people, client):
    machine("one")
    client.force_login(people["rafe"], backend=BACKEND)
    where, there = begin(client, "plate.mov", 10)["Location"], current.STORAGES
    assert piece(client, where, 0, b"abcd").status_code == 204
    away(settings, bucket)
    assert piece(client, where, 4, b"efghij").status_code == 503 and at(client, where) == 4
    settings.STORAGES = there
    assert piece(client, where, 4, b"efghij").status_code == 204 and at(client, where) == 10


def test_another_colour_space_reaches_machines_that_had_the_pictures_as_they_were(shot_of_several, machine, people):
    plate = shot_of_several.plates.get()
    machine("third")
    before = plate.proxy(1003).read_bytes()
    machine("another worker")
    showing.change_space(people["rafe"], plate.pk, "linear")
    job = plate.__class__.objects.get(pk=plate.pk).showing
    carry_out(job)
    machine("third")
    after = Plate.objects.get(pk=plate.pk)
    assert after.proxy(1003).read_bytes() != before and not store.there(plate.folder / "proxy" / "1005.jpg")


def sums(bag: zipfile.ZipFile) -> dict[str, str]:
    return {name: hashlib.sha256(bag.read(name)).hexdigest() for name in bag.namelist() if name.endswith((".png", ".json"))}


def test_a_package_that_three_machines_make_is_the_one_that_a_single_machine_makes(
    shot_of_several, machine, people, client, monkeypatch, settings
):
    monkeypatch.setattr(making, "CHUNK", 3)
    trace(shot_of_several, people["rafe"])
    asked = delivery.ask(people["rafe"], shot_of_several.pk, shot_of_several.mattes.get().pk)
    machine("one")
    making.begin(asked.pk)
    chunks = list(Chunk.objects.filter(delivery=asked))
    assert len(chunks) == 3
    for name, chunk in zip(("one", "two", "three"), chunks, strict=True):
        machine(name)
        making.chunk(asked.pk, chunk.pk)
    machine("four")  # the machines before may be gone by now
    making.finish(asked.pk)
    asked.refresh_from_db()
    assert (asked.state, asked.wrong) == ("proved", [])
    machine("web")
    client.force_login(people["noor"], backend=BACKEND)
    reply = client.get(f"/deliveries/{asked.pk}/fetch")
    data = b"".join(reply.streaming_content)
    assert int(reply["Content-Length"]) == len(data) and not list((machine("web") / "deliveries").rglob("*.zip")), (
        "it streams from the store"
    )
    with zipfile.ZipFile(io.BytesIO(data)) as bag:
        several = sums(bag)

    settings.STORAGES = {name: how for name, how in settings.STORAGES.items() if name != "shared"}
    for plate in shot_of_several.plates.all():  # the machine that has everything
        machine("worker")
        assert plate.still(FIRST).exists()
    Delivery.objects.filter(pk=asked.pk).update(state="cancelled")
    alone = delivery.ask(people["rafe"], shot_of_several.pk, shot_of_several.mattes.get().pk)
    delivery.deliver(alone.pk)
    with zipfile.ZipFile(packing.zip_path(alone)) as bag:
        one = sums(bag)
    of_frames = {name: value for name, value in several.items() if name.startswith("KITE_010_kite.")}
    assert len(of_frames) == 8 and of_frames == {name: one[name] for name in of_frames}


def test_what_goes_goes_everywhere_and_space_is_counted_in_the_store(shot_of_several, machine, people, production):
    trace(shot_of_several, people["rafe"])
    asked = delivery.ask(people["rafe"], shot_of_several.pk, shot_of_several.mattes.get().pk)
    delivery.deliver(asked.pk)
    machine("elsewhere")
    found = space.measure(production.pk)
    assert found.packages == store.size(asked.folder) > 0 and found.plates == store.size(shot_of_several.plates.get().folder) > 0
    house = store.shared()
    assert house is not None and {name.split("/")[0] for name in house.sizes("")} == {"plates", "deliveries"}
    keeping.remove(people["marta"], shot_of_several.pk)
    assert keeping.clear_out(timezone.now() + timedelta(days=40)) == 1
    assert house.sizes("") == {}, "in the store as well, whichever machine does it"


def test_of_what_is_at_hand_the_longest_unseen_goes_and_comes_back_when_it_is_wanted(bucket, machine, monkeypatch):
    root = machine("small")
    monkeypatch.setattr(store, "NEW", -1)
    for k in range(10):
        path = store.folder(f"plates/1/source/{k}.png")
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(bytes([k]) * 1000)
        store.keep(path)
    (root / "incoming").mkdir()
    for place in ("incoming/given.png", "plates/1/source/mine.png"):  # not in the store yet
        (root / place).write_bytes(b"x" * 1000)
    store.here(store.folder("plates/1/source/0.png"))
    assert store.clear_out(6000) == 6
    there = sorted(path.name for path in root.rglob("*.png"))
    assert {"0.png", "given.png", "mine.png"} <= set(there)
    assert store.here(store.folder("plates/1/source/1.png")).read_bytes() == b"\1" * 1000
    assert store.clear_out(10**9) == 0


def test_a_file_that_another_machine_changed_is_known_as_changed(bucket, machine):
    machine("one")
    mine = store.folder("deliveries/1/package/receipt.json")
    mine.parent.mkdir(parents=True)
    mine.write_text("first")
    store.keep(mine)
    machine("two")
    theirs = store.here(store.folder("deliveries/1/package/receipt.json"))
    theirs.write_text("other")  # as long as before
    store.keep(theirs)
    machine("one")
    assert store.here(mine).read_text() == "first" and store.here(mine, current=True).read_text() == "other"
    store.drop(store.folder("deliveries/1"))
    assert not store.here(mine, current=True).exists()
    assert store.names(mine.parent) == [] and store.folders(store.folder("deliveries")) == []


def test_a_folder_is_not_taken_for_one_whose_name_begins_alike(bucket, machine):
    machine("one")
    for shot in (1, 12):
        path = store.folder(f"notes/{shot}/a.png")
        path.parent.mkdir(parents=True)
        path.write_bytes(b"kite")
        store.keep(path.parent)
    store.drop(store.folder("notes/1"))
    machine("two")
    assert [path.name for path in store.bring(store.folder("notes/12")).iterdir()] == ["a.png"]
    assert store.folders(store.folder("notes")) == ["12"]


def test_a_graphic_is_read_by_another_machine(shot_of_several, machine, people):
    machine("web")
    _, png = cv2.imencode(".png", np.full((8, 8, 3), (255, 0, 0), np.uint8))
    it = graphics.take_in(people["rafe"], shot_of_several.pk, "flag.png", [png.tobytes()])
    machine("worker")
    graphics._kept.clear()
    light = graphics.light(shot_of_several.production_id, str(it.pk), "none")
    assert np.allclose(light[0, 0], [0, 0, 1, 1])


def test_what_was_made_and_could_not_be_sent_is_sent_when_it_is_taken_up_again(shot_of_several, machine, people, monkeypatch):
    trace(shot_of_several, people["rafe"])
    asked = delivery.ask(people["rafe"], shot_of_several.pk, shot_of_several.mattes.get().pk)
    machine("worker")
    making.begin(asked.pk)

    def refused(*said):
        raise StoreAway()

    with monkeypatch.context() as now:
        now.setattr("jaythread.store.s3.SharedStore.send", refused)
        making.chunk(asked.pk, Chunk.objects.get(delivery=asked).pk)
    assert Delivery.objects.get(pk=asked.pk).state == "held up" and list(asked.package.glob("*.png"))
    making.again(asked.pk)
    making.chunk(asked.pk, Chunk.objects.get(delivery=asked).pk)
    machine("another")
    making.finish(asked.pk)
    asked.refresh_from_db()
    assert (asked.state, asked.message) == ("proved", "")


def away(settings, bucket):
    """The store does not answer from now on."""
    options = {**bucket, "at": "http://127.0.0.1:9"}
    settings.STORAGES = {**settings.STORAGES, "shared": {"BACKEND": "jaythread.store.s3.SharedStore", "OPTIONS": options}}


def test_while_the_store_is_away_it_is_said_and_a_package_goes_on_by_itself_when_it_is_back(
    shot_of_several, bucket, settings, machine, people, client
):
    trace(shot_of_several, people["rafe"])
    asked = delivery.ask(people["rafe"], shot_of_several.pk, shot_of_several.mattes.get().pk)
    machine("worker")
    making.begin(asked.pk)
    there = current.STORAGES
    away(settings, bucket)
    making.chunk(asked.pk, Chunk.objects.get(delivery=asked).pk)
    asked.refresh_from_db()
    assert asked.state == "held up" and asked.message == StoreAway().message
    making.again(asked.pk)
    making.chunk(asked.pk, Chunk.objects.get(delivery=asked).pk)
    asked.refresh_from_db()
    assert asked.state == "held up", "and is held up again while it is away"
    machine("third")
    client.force_login(people["rafe"], backend=BACKEND)
    reply = client.get(f"/plates/{shot_of_several.plates.get().pk}/full/1004.png")
    assert reply.status_code == 503 and StoreAway().message in reply.content.decode()
    told = client.get("/health")
    assert told.status_code == 503 and told.json()["says"][-1] == StoreAway().message
    settings.STORAGES = there
    machine("worker")
    making.again(asked.pk)
    making.chunk(asked.pk, Chunk.objects.get(delivery=asked).pk)
    machine("fourth")
    making.finish(asked.pk)
    asked.refresh_from_db()
    assert asked.state == "proved" and client.get("/health").status_code == 200
