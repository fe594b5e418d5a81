"""A backup of the house: database and files in one tar, and the way back into an empty house.

The database is written first, as it is at one moment (pg_dump); files are never changed once they have their name, so those that it
tells of are whole when they are copied after it. What is made meanwhile is in the next backup.
"""

import hashlib
import io
import json
import os
import shutil
import subprocess
import tarfile
from collections.abc import Callable, Iterator
from pathlib import Path, PurePosixPath
from typing import Any, cast

from django.conf import settings
from django.db import connection
from django.utils import timezone

from jaythread import store
from roto.atomic_write import LEFTOVERS, put_in_place, temporary_name
from roto.errors import RotoError

FORMAT, VERSION = "jay thread backup", 1
ABOUT, DUMP, SUMS, FILES = "about.json", "database.dump", "sums.json", "files/"
PASSED_OVER = ("health", "incoming", "pieces")
"""folders of the files that hold nothing that lasts"""
PIECE = 1 << 20
Told = Callable[[str], None]


class BackupFailed(RotoError):
    """The backup could not be made, or not be brought back."""

    code = "backup"


def _program(name: str) -> str:
    """PostgreSQL's own program, the newest that is installed."""
    found = sorted(
        Path("/usr/lib/postgresql").glob(f"*/bin/{name}"), key=lambda path: int(path.parts[-3]) if path.parts[-3].isdigit() else 0
    )
    program = str(found[-1]) if found else shutil.which(name)
    if not program:
        raise BackupFailed(f"The program {name} is not here. Install PostgreSQL's client (Debian: postgresql-client).")
    return program


def _run(program: str, *words: str) -> None:
    """Run one of PostgreSQL's programs on the database of the settings; its password goes by the environment, where nobody reads it."""
    it = settings.DATABASES["default"]
    env = {"PGHOST": it["HOST"], "PGPORT": it["PORT"], "PGUSER": it["USER"], "PGPASSWORD": it.get("PASSWORD", ""), "PGDATABASE": it["NAME"]}
    env |= {"PGSSLMODE": it["OPTIONS"]["sslmode"]} if it["OPTIONS"].get("sslmode") else {}
    done = subprocess.run(
        [_program(program), *words], env={**os.environ, **{k: str(v) for k, v in env.items()}}, capture_output=True, text=True
    )
    if done.returncode:
        raise BackupFailed(f"{program} ended with: {(done.stderr.strip() or 'no reason given').splitlines()[-1]}")


def _files() -> Iterator[Path]:
    """All files that last, in order."""
    root = store.folder("")
    it = store.shared()
    if it is not None:
        for name in sorted(it.sizes("")):
            if name.partition("/")[0] not in PASSED_OVER:
                yield store.here(root / name)
        return
    for where, folders, names in os.walk(root):
        inside = Path(where).relative_to(root)
        folders[:] = sorted(one for one in folders if inside != Path() or one not in PASSED_OVER)
        for name in sorted(names):
            path = Path(where) / name
            if not path.match(LEFTOVERS):
                yield path


class _Summed(io.RawIOBase):
    """A file that is read once, and its hash made on the way."""

    def __init__(self, file: io.BufferedReader) -> None:
        self.file, self.sum = file, hashlib.sha256()

    def read(self, size: int = -1) -> bytes:
        data = self.file.read(size)
        self.sum.update(data)
        return data


def make(target: Path, told: Told = lambda said: None) -> dict[str, int]:
    """Write a backup, aside and then renamed; returns how many files and bytes are in it. Raises BackupFailed or OSError."""
    if target.exists():
        raise BackupFailed(f"{target} is there already. Choose another name.")
    target.parent.mkdir(parents=True, exist_ok=True)
    beside, dump = temporary_name(target), temporary_name(target.with_suffix(".dump"))
    sums: dict[str, str] = {}
    total = 0
    try:
        _run("pg_dump", "--format=custom", f"--file={dump}")
        told("The database is written.")
        with tarfile.open(beside, "w", format=tarfile.PAX_FORMAT) as bag:
            _put(bag, ABOUT, json.dumps({"format": FORMAT, "version": VERSION, "made": timezone.now().isoformat()}).encode())
            sums[DUMP] = _add(bag, dump, DUMP)
            root, seen = store.folder(""), dict[tuple[int, int], str]()
            for count, path in enumerate(_files(), 1):
                name = FILES + path.relative_to(root).as_posix()
                try:
                    there = path.stat()
                    again = seen.setdefault((there.st_dev, there.st_ino), name)
                    sums[name] = _link(bag, name, again, sums) if again != name else _add(bag, path, name)
                except FileNotFoundError:  # cleared away meanwhile
                    continue
                total += there.st_size
                if count % 1000 == 0:
                    told(f"{count} files, {total / 1e9:.1f} GB.")
            _put(bag, SUMS, json.dumps(sums).encode())
        put_in_place(beside, target)
    finally:
        for left in (beside, dump):
            left.unlink(missing_ok=True)
    return {"files": len(sums) - 1, "bytes": total}


def _put(bag: tarfile.TarFile, name: str, data: bytes) -> None:
    it = tarfile.TarInfo(name)
    it.size, it.mode = len(data), 0o600
    bag.addfile(it, io.BytesIO(data))


def _add(bag: tarfile.TarFile, path: Path, name: str) -> str:
    """Put a file in; its hash."""
    with path.open("rb") as file:
        it = bag.gettarinfo(arcname=name, fileobj=file)
        it.type, it.uname, it.gname, it.mode = tarfile.REGTYPE, "", "", 0o644  # also of one that has other names: whole in the first place
        it.size = os.fstat(file.fileno()).st_size
        summed = _Summed(file)
        bag.addfile(it, cast(Any, summed))
    return summed.sum.hexdigest()


def _link(bag: tarfile.TarFile, name: str, first: str, sums: dict[str, str]) -> str:
    """A file that is in already, by another name: packages share what did not change."""
    it = tarfile.TarInfo(name)
    it.type, it.linkname = tarfile.LNKTYPE, first
    bag.addfile(it)
    return sums[first]


def _empty() -> None:
    """BackupFailed where there is anything that a backup would be laid over."""
    if connection.introspection.table_names():
        raise BackupFailed("The database has tables already. Bring a backup back into an empty one (JAY_DB or JAY_DB_URL names it).")
    root, it = store.folder(""), store.shared()
    if it is not None and it.sizes(""):
        raise BackupFailed("There are files in the store already. Bring a backup back into an empty one (JAY_STORE names it).")
    if root.exists() and any(root.iterdir()):
        raise BackupFailed(f"There are files in {root} already. Bring a backup back into an empty folder (JAY_FILES names it).")


def bring_back(source: Path, told: Told = lambda said: None) -> dict[str, int]:
    """Bring a backup back into an empty database and an empty folder. All of it is read and held against its sums before the database is
    touched. Raises BackupFailed or OSError."""
    _empty()
    root = store.folder("")
    aside = root.with_name(f".{root.name}-coming")
    shutil.rmtree(aside, ignore_errors=True)
    aside.mkdir(parents=True)
    try:
        try:
            sums = _unpacked(source, aside, told)
        except (tarfile.TarError, ValueError, KeyError, EOFError) as error:
            raise BackupFailed(f"{source} is no whole backup of Jay Thread: {error}") from error
        told("All files are as they were.")
        _run(
            "pg_restore",
            "--no-owner",
            "--no-privileges",
            "--exit-on-error",
            "--single-transaction",
            f"--dbname={_name()}",
            str(aside / DUMP),
        )
        told("The database is back.")
        if root.exists():
            root.rmdir()
        files = aside / FILES
        files.mkdir(exist_ok=True)
        files.rename(root)
        store.keep(root)
    finally:
        shutil.rmtree(aside, ignore_errors=True)
    return {"files": len(sums) - 1}


def _name() -> str:
    return str(settings.DATABASES["default"]["NAME"])


def _unpacked(source: Path, aside: Path, told: Told) -> dict[str, str]:
    """Everything in a backup, written into a folder, each file held against its sum; the sums."""
    found: dict[str, str] = {}
    about: dict[str, Any] = {}
    sums: dict[str, str] = {}
    with tarfile.open(source) as bag:
        for count, it in enumerate(bag, 1):
            if it.name in (ABOUT, SUMS):
                data = json.loads(cast(Any, bag.extractfile(it)).read())
                about, sums = (data, sums) if it.name == ABOUT else (about, data)
                continue
            target = _within(aside, it.name)
            target.parent.mkdir(parents=True, exist_ok=True)
            if it.islnk():
                os.link(_within(aside, it.linkname), target)
                found[it.name] = found[it.linkname]
            elif it.isreg():
                found[it.name] = _copied(cast(Any, bag.extractfile(it)), target)
            else:
                raise ValueError(f"{it.name} is no file")
            if count % 1000 == 0:
                told(f"{count} files.")
    if about.get("format") != FORMAT or about.get("version") != VERSION:
        raise ValueError("it does not say that it is one of this version")
    wrong = sorted(name for name in {*sums, *found} if sums.get(name) != found.get(name))
    if wrong:
        raise ValueError(f"{wrong[0]} is not what was put in ({len(wrong)} such)")
    return sums


def _within(folder: Path, name: str) -> Path:
    """Where a file of a backup is put: nothing lands outside of the folder. ValueError for what would."""
    path = PurePosixPath(name)
    if path.is_absolute() or ".." in path.parts or (name != DUMP and not name.startswith(FILES)):
        raise ValueError(f"it has a file {name!r}, which none of ours has")
    return folder / path


def _copied(source: Any, target: Path) -> str:
    """Write a file; its hash."""
    found = hashlib.sha256()
    with target.open("xb") as into:
        while data := source.read(PIECE):
            found.update(data)
            into.write(data)
        into.flush()
        os.fsync(into.fileno())
    return found.hexdigest()
