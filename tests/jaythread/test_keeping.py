"""Whole shots: renamed, removed, brought back with everything, and cleared away for good when the time is over."""

import uuid
from datetime import timedelta

import pytest
from django.utils import timezone

from jaythread.delivery import actions as delivery
from jaythread.desk.edit import actions as desk
from jaythread.errors import NotAllowed, NotThere, Refused
from jaythread.keeping import actions
from jaythread.plates.models import Plate
from jaythread.productions.models import Production, Shot
from jaythread.productions.policies import shot_for
from jaythread.receiving import actions as receiving
from jaythread.review import board

from ..conftest import FIRST, LAST, command, edited, trace
from . import every_command

pytestmark = pytest.mark.django_db


@pytest.fixture
def delivered(shot, people):
    """A shot with a traced matte, something undone, something that came of an edit, a package and a link to it; its secret."""
    rafe = people["rafe"]
    shape = trace(shot, rafe)
    edited(rafe, shot, do="place", shape=shape, frame=LAST, move=(9, 0))
    desk.undo(rafe, shot.pk, uuid.uuid4())
    shot.edits.filter(revision=2).update(follows=shot.edits.get(revision=1))
    it = delivery.ask(rafe, shot.pk, shot.mattes.get().pk)
    delivery.deliver(it.pk)
    receiving.send(rafe, it.pk)
    return receiving.make_link(rafe, it.pk, "somebody", 3)[1]


def test_a_removed_shot_is_nowhere_and_comes_back_with_all_that_it_had(shot, people, production, delivered):
    marta = people["marta"]
    before = every_command.state(shot)
    with pytest.raises(NotAllowed):
        actions.remove(people["rafe"], shot.pk)
    actions.remove(marta, shot.pk)
    for who in people.values():
        with pytest.raises(NotThere):
            shot_for(who, shot.pk, "look")
    assert board.board(marta, production.pk) == [] and not production.shots.exists()
    with pytest.raises(NotThere):
        receiving.package_by(delivered)
    with pytest.raises(NotThere):
        actions.bring_back(people["otto"], shot.pk)
    Shot.objects.create(production=production, name="kite_010")
    with pytest.raises(Refused, match="by now"):
        actions.bring_back(marta, shot.pk)
    production.shots.all().delete()
    back = actions.bring_back(marta, shot.pk)
    assert (back.name, back.production, back.removed) == ("KITE_010", production, None)
    assert [m.name for m in board.board(marta, production.pk)] == ["kite"] and receiving.package_by(delivered)
    assert every_command.state(back) == before


def test_after_thirty_days_rows_and_files_are_gone_and_nothing_else(shot, people, production, delivered, settings):
    other = Shot.objects.create(production=production, name="MILL_040")
    for kind in ("fringes", "taught", "tryouts"):
        (settings.MEDIA_ROOT / kind / str(shot.pk)).mkdir(parents=True)
        (settings.MEDIA_ROOT / kind / str(shot.pk) / "1001.jpg").write_bytes(b"kite")
    files = [p for p in settings.MEDIA_ROOT.rglob("*") if p.is_file()]
    assert any("plates" in str(p) for p in files) and any("deliveries" in str(p) for p in files)
    actions.remove(people["marta"], shot.pk)
    assert actions.clear_out(timezone.now() + timedelta(days=29)) == 0 and Plate.objects.exists()
    assert actions.clear_out(timezone.now() + timedelta(days=31)) == 1
    assert list(Shot.objects.all()) == [other] and not [p for p in settings.MEDIA_ROOT.rglob("*") if p.is_file()]


def test_the_shelf_is_nobodys_and_there_is_one(shot, people, production):
    other = Shot.objects.create(production=production, name="MILL_040")
    for it in (shot, other):
        actions.remove(people["marta"], it.pk)
    shelf = Production.objects.get(shelf=True)
    assert shelf.shots.count() == 2 and not shelf.memberships.exists()
    with pytest.raises(NotThere):
        actions.remove(people["marta"], shot.pk)


def test_a_shot_is_renamed_unless_its_name_is_used(shot, people, production):
    rafe = people["rafe"]
    for bad in ("", "a/b", "x" * 61, "sail\u202e"):
        with pytest.raises(Refused, match="Give the shot a name"):
            actions.rename(rafe, shot.pk, bad)
    other = Shot.objects.create(production=production, name="MILL_040", first=FIRST, last=LAST, width=96, height=64)
    with pytest.raises(Refused, match="already"):
        actions.rename(rafe, shot.pk, "mill_040")
    assert actions.rename(rafe, shot.pk, " KITE_011 ").name == "KITE_011"
    line = {**every_command.PLATE_LINE, "shows": {"kind": "clip", "shot": "KITE_011"}}
    desk.edit(rafe, other.pk, uuid.uuid4(), None, command(do="new tryout", tryout=str(uuid.uuid4()), name="pass", lines=[line]))
    with pytest.raises(Refused, match="'pass' of MILL_040 shows KITE_011"):
        actions.rename(rafe, shot.pk, "KITE_012")


def test_on_the_page_a_lead_finds_it_again(client, shot, people, production):
    client.force_login(people["marta"], backend="jaythread.accounts.session_store.People")
    page = client.post(f"/shots/{shot.pk}/remove", follow=True).content.decode()
    assert "KITE_010 is removed" in page and "Bring back KITE_010" in page
    page = client.post(f"/shots/{shot.pk}/bring-back", follow=True).content.decode()
    assert "KITE_010 is back" in page and "Bring back" not in page
    page = client.post(f"/shots/{shot.pk}/rename", {"name": ".."}, follow=True).content.decode()
    assert "Give the shot a name" in page and Shot.objects.get().name == "KITE_010"
