"""What a production's files take and which packages keep theirs; shots that go to another production."""

import os
import uuid
from datetime import timedelta
from pathlib import Path

import pytest
from django.core.files.storage import default_storage
from django.utils import timezone

from jaythread.bell import actions as bell
from jaythread.comparing import sides
from jaythread.delivery import actions as delivery
from jaythread.delivery.models import Delivery
from jaythread.desk.edit import actions as desk
from jaythread.errors import NotAllowed, NotThere, Refused
from jaythread.keeping import actions, space
from jaythread.keeping.models import Housekeeping
from jaythread.plates.models import Plate
from jaythread.productions import actions as productions
from jaythread.productions.models import Shot
from jaythread.receiving import actions as receiving
from jaythread.receiving.models import Link

from ..conftest import FIRST, LAST, command, edited, trace
from . import every_command

pytestmark = pytest.mark.django_db


@pytest.fixture
def packages(shot, people):
    """Four packages of a matte, the shape moved before each."""
    shape = trace(shot, people["rafe"])
    made = []
    for k in range(4):
        edited(people["rafe"], shot, do="place", shape=shape, frame=FIRST + k, move=(k + 1, 0))
        made.append(delivery.ask(people["rafe"], shot.pk, shot.mattes.get().pk))
        delivery.deliver(made[-1].pk)
    return made


def states():
    return [d.state for d in Delivery.objects.order_by("version")]


def test_the_newest_packages_keep_their_files_and_a_cleared_one_comes_out_the_same_again(shot, people, packages, client):
    place, first = shot.production_id, packages[0]
    before = {p.name: p.read_bytes() for p in first.package.rglob("*.png")}
    space.rule(people["marta"], place, "2", "")
    assert space.clear_packages(place) == 2 and states() == ["cleared", "cleared", "proved", "proved"]
    assert not first.folder.exists() and packages[2].package.exists()
    client.force_login(people["rafe"], backend="jaythread.accounts.session_store.People")
    page = client.get(f"/deliveries/{first.pk}")
    assert page.status_code == 200 and "asked for again" in page.content.decode()
    gone = client.get(f"/deliveries/{first.pk}/fetch")
    assert gone.status_code == 404 and "cleared away" in gone.content.decode()
    offered = [s["id"] for s in sides.choices(shot, shot.mattes.get()) if s["of"] == "packages"]
    assert offered == [f"package {d.pk}" for d in packages[:1:-1]]
    for _ in range(4):
        desk.undo(people["rafe"], shot.pk, uuid.uuid4())
    edited(people["rafe"], shot, do="place", shape=str(shot.shapes.get().pk), frame=FIRST, move=(1, 0))
    again = delivery.ask(people["rafe"], shot.pk, shot.mattes.get().pk)
    delivery.deliver(again.pk)
    after = {p.name: p.read_bytes() for p in again.package.rglob("*.png")}
    assert sorted(before.values()) == sorted(after.values())


def test_what_somebody_still_waits_for_keeps_its_files(shot, people, packages):
    place = shot.production_id
    link, _ = receiving.make_link(people["rafe"], packages[0].pk, "somebody", 3)
    receiving.send(people["rafe"], packages[1].pk)
    space.rule(people["marta"], place, "1", "")
    assert space.clear_packages(place) == 1 and states() == ["proved", "proved", "cleared", "proved"]
    Link.objects.update(until=timezone.now() - timedelta(days=1))
    assert space.clear_packages(place) == 1 and states()[0] == "cleared"
    assert link.delivery.pk == packages[0].pk


def test_without_a_rule_all_is_kept(shot, packages):
    assert space.clear_packages(shot.production_id) == 0 and states() == ["proved"] * 4
    space.look_after_all()
    assert states() == ["proved"] * 4 and Housekeeping.objects.get().measured


def test_what_files_take_is_added_up_and_leads_are_told_once(shot, people, production, packages):
    row = space.measure(production.pk)
    plate = Plate.objects.get()
    on_disk = sum(p.stat().st_blocks * 512 for p in plate.folder.rglob("*") if p.is_file())
    assert row.plates == on_disk > 0
    each = sum(p.stat().st_blocks * 512 for d in packages for p in d.folder.rglob("*") if p.is_file())
    assert 0 < row.packages < each, "files that packages share are counted once"
    Path(default_storage.path("taught")).mkdir()
    (Path(default_storage.path("taught")) / str(shot.pk)).mkdir()
    (Path(default_storage.path("taught")) / str(shot.pk) / "a.npz").write_bytes(os.urandom(100_000))
    assert space.measure(production.pk).others >= row.others + 100_000
    space.rule(people["marta"], production.pk, "", "1")
    Housekeeping.objects.update(warn_at=0)
    for _ in range(2):
        space.measure(production.pk)
    assert [w.says for w in bell.words_of(people["marta"])].count(
        f"Saltmarsh takes {row.total / 1e9:.1f} GB, and you wanted to be told at 0 GB."
    ) == 1


@pytest.mark.parametrize(("keep", "warn_at"), [("0", ""), ("many", ""), ("-1", ""), ("1.5", ""), ("1001", ""), ("", "0"), ("", "²")])
def test_a_rule_is_whole_numbers(people, production, keep, warn_at):
    with pytest.raises(Refused, match="whole number"):
        space.rule(people["marta"], production.pk, keep, warn_at)
    with pytest.raises(NotAllowed):
        space.rule(people["rafe"], production.pk, "3", "")


def test_a_shot_goes_to_another_production_with_all_that_it_has(shot, people, production, packages):
    marta, before = people["marta"], every_command.state(shot)
    other = productions.make_production(marta, "Saltmarsh, second unit")
    with pytest.raises(NotAllowed):
        actions.move(people["rafe"], shot.pk, other.pk)
    moved = actions.move(marta, shot.pk, other.pk)
    assert moved.production == other and every_command.state(moved) == before
    with pytest.raises(NotThere):
        desk.undo(people["rafe"], shot.pk, uuid.uuid4())  # who is not in it sees nothing of it
    with pytest.raises(Refused, match="already"):
        actions.move(marta, shot.pk, other.pk)
    Shot.objects.create(production=production, name="kite_010")
    with pytest.raises(Refused, match="Rename"):
        actions.move(marta, shot.pk, production.pk)
    with pytest.raises(NotThere):
        actions.move(marta, shot.pk, 99999)


def test_a_shot_that_a_tryout_needs_stays(shot, people, production):
    marta = people["marta"]
    other = productions.make_production(marta, "Saltmarsh, second unit")
    beside = Shot.objects.create(production=production, name="KITE_020", first=FIRST, last=LAST, width=96, height=64)
    lines = [{**every_command.PLATE_LINE, "shows": {**every_command.PLATE_LINE["shows"], "shot": shot.name}}]
    desk.edit(people["rafe"], beside.pk, uuid.uuid4(), None, command(do="new tryout", tryout=str(uuid.uuid4()), name="t", lines=lines))
    for one in (shot, beside):
        with pytest.raises(Refused, match="Take it out"):
            actions.move(marta, one.pk, other.pk)
