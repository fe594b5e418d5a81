"""A backup brought back into an empty house: rows and files are what they were, packages are proved; a damaged one changes nothing."""

import os
import shutil
import subprocess
import sys
import tarfile
from pathlib import Path

import psycopg
import pytest
from django.core.files.storage import default_storage
from django.core.management import call_command
from django.core.management.base import CommandError

from jaythread import environment
from jaythread.delivery import actions as delivery
from jaythread.keeping import backup

from ..conftest import FIRST, edited, trace

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def house(shot, people):
    """Two packages that share most of their files."""
    shape = trace(shot, people["rafe"])
    for k in range(2):
        edited(people["rafe"], shot, do="live", shape=shape, ranges=[[FIRST, FIRST + 7 - k]])
        it = delivery.ask(people["rafe"], shot.pk, shot.mattes.get().pk)
        delivery.deliver(it.pk)
    return shot


@pytest.fixture
def elsewhere(settings, tmp_path):
    """An empty database and an empty folder: what a command there says."""
    it = settings.DATABASES["default"]
    name = f"{it['NAME']}_restored"

    def sql(said):
        with psycopg.connect(host=it["HOST"], port=it["PORT"], user=it["USER"], dbname="postgres", autocommit=True) as connection:
            connection.execute(said)

    sql(f'drop database if exists "{name}" with (force)')
    sql(f'create database "{name}"')
    env = {
        **os.environ,
        "JAY_DB": name,
        "JAY_DB_PORT": it["PORT"],
        "JAY_FILES": str(tmp_path / "new" / "files"),
        "JAY_RUN": str(tmp_path / "new"),
    }

    def run(*words):
        return subprocess.run([sys.executable, "manage.py", *words], env=env, capture_output=True, text=True, cwd=environment.BASE)

    yield run
    sql(f'drop database if exists "{name}" with (force)')


def contents(root):
    return {p.relative_to(root).as_posix(): p.read_bytes() for p in Path(root).rglob("*") if p.is_file()}


def test_what_is_brought_back_is_what_was_and_its_packages_are_proved(house, elsewhere, tmp_path):
    target = tmp_path / "backups" / "night.tar"
    call_command("backup", target)
    with tarfile.open(target) as bag:
        links = [it for it in bag if it.islnk()]
    assert links, "what packages share is in it once"
    done = elsewhere("restore", str(target))
    assert done.returncode == 0 and "All packages in it are proved" in done.stdout, done.stderr
    assert contents(tmp_path / "new" / "files") == contents(default_storage.path(""))
    said = elsewhere("shell", "-c", "from jaythread.desk.models import Edit, Shape; print(Shape.objects.get().name, Edit.objects.count())")
    assert said.stdout.split("\n")[-2] == f"kite body {house.edits.count()}", said.stderr
    again = elsewhere("restore", str(target))
    assert again.returncode == 1 and "has tables already" in again.stderr
    assert not [p for p in target.parent.iterdir() if p != target], "nothing is left lying about"


@pytest.mark.parametrize("harm", ["cut short", "a byte in a picture", "no backup", "a file from elsewhere", "a way out"])
def test_a_damaged_backup_is_told_before_anything_is_touched(house, elsewhere, tmp_path, harm):
    target = tmp_path / "night.tar"
    backup.make(target)
    data = bytearray(target.read_bytes())
    if harm == "cut short":
        data = data[: len(data) * 2 // 3]
    elif harm == "no backup":
        data = bytearray(b"hello" * 1000)
    elif harm in ("a file from elsewhere", "a way out"):
        with tarfile.open(target, "a") as bag:
            bag.add(__file__, "files/more.py" if harm == "a file from elsewhere" else "files/../../out.py")
        data = target.read_bytes()
    else:
        with tarfile.open(target) as bag:
            it = next(one for one in bag if one.name.endswith(".png"))
        data[it.offset_data + it.size // 2] ^= 1
    target.write_bytes(data)
    done = elsewhere("restore", str(target))
    assert done.returncode == 1 and "is no whole backup" in done.stderr
    assert elsewhere("restore", str(target)).stderr == done.stderr, "the house is empty still"
    assert not (tmp_path / "new" / "files").exists() and not list(tmp_path.rglob("out.py"))


def test_a_backup_is_made_where_nothing_is_and_files_that_go_meanwhile_are_no_harm(house, tmp_path, monkeypatch):
    target = tmp_path / "night.tar"
    gone = [Path(default_storage.path("")) / "plates" / "not-there.png"]
    listed = backup._files
    monkeypatch.setattr(backup, "_files", lambda: [*gone, *listed()])
    backup.make(target)
    with pytest.raises(CommandError, match="there already"):
        call_command("backup", target)
    monkeypatch.setattr(backup, "_program", lambda name: shutil.which("false"))
    with pytest.raises(CommandError, match="pg_dump ended with"):
        call_command("backup", tmp_path / "other.tar")
    assert [p.name for p in tmp_path.glob("*.tar*")] == ["night.tar"]
