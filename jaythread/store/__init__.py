"""Where the files of the house lie: in a folder of this machine, or in a store that several machines share.

With a shared store (JAY_STORE) the folder is what this machine has at hand of it. What is made is sent there, what is wanted is brought
from there, and what nobody looked at for longest goes from the folder when that holds more than JAY_AT_HAND says. Paths are those of the
folder in both cases, and without a shared store nothing here does more than name them.

A file does not change once it has its name, so what is at hand is as good as what is in the store. The few that do change are asked for
with `current`.
"""

import os
import secrets
import shutil
import threading
import time
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path
from typing import IO, cast

from django.conf import settings
from django.core.files.storage import default_storage, storages

from jaythread.store.s3 import SharedStore
from roto.atomic_write import LEFTOVERS, put_in_place, temporary_name

SIDE_BY_SIDE = 8
"""files that are on their way at a time"""
NEW = 600
"""seconds for which a file stays at hand in any case: somebody may be about to read it"""
NOT_SENT = "incoming"
"""the folder of what is being given, which lies on one machine until it is taken"""

_brought = [0]
_counting, _clearing = threading.Lock(), threading.Lock()


def folder(name: str) -> Path:
    """Where what has this name lies at hand, or would."""
    return Path(default_storage.path(name))


def shared() -> SharedStore | None:
    """The store that several machines share, where there is one."""
    return cast(SharedStore, storages["shared"]) if "shared" in settings.STORAGES else None


def _name(path: Path) -> str:
    return path.relative_to(folder("")).as_posix()


def here(path: Path, current: bool = False) -> Path:
    """A file, at hand now where there is one at all; its path, as given. current: it may have been changed, or taken away, by another
    machine. StoreAway where the store does not answer."""
    it = shared()
    if it is None:
        return path
    mark = _mark(path)
    if mark is not None:
        try:
            os.utime(path, ns=(time.time_ns(), mark[1]))  # looked at now, whatever the disk keeps of that by itself
        except FileNotFoundError:  # it went just now, since there was too much at hand
            mark = None
    if mark is None or (current and it.mark(_name(path)) != mark):
        _fetched(it, path)
    return path


def _mark(path: Path) -> tuple[int, int] | None:
    try:
        found = path.stat()
    except FileNotFoundError:
        return None
    return found.st_size, found.st_mtime_ns


def _fetched(it: SharedStore, path: Path) -> None:
    """Bring a file from the store in place of what is at hand; none there, none here."""
    beside = temporary_name(path)
    try:
        made = it.fetch(_name(path), beside)
        if made is None:
            path.unlink(missing_ok=True)
            return
        os.utime(beside, ns=(time.time_ns(), made))
        _make_room(put_in_place(beside, path).stat().st_size)
    finally:
        beside.unlink(missing_ok=True)


def bring(place: Path) -> Path:
    """All files of a folder, at hand now; its path."""
    it = shared()
    if it is not None:
        sizes = it.sizes(f"{_name(place)}/")
        wanted = [path for name, size in sizes.items() if (_mark(path := folder(name)) or (-1,))[0] != size]
        with ThreadPoolExecutor(SIDE_BY_SIDE) as pool:
            list(pool.map(lambda path: _fetched(it, path), wanted))
    return place


def keep(path: Path) -> Path:
    """Send a file, or all files of a folder, to the store; it is there when this returns. StoreAway where it does not answer."""
    it = shared()
    if it is None:
        return path
    some = [path]
    if path.is_dir():
        sizes = it.sizes(f"{_name(path)}/")
        some = [p for p in sorted(path.rglob("*")) if p.is_file() and not p.match(LEFTOVERS) and sizes.get(_name(p)) != p.stat().st_size]
    with ThreadPoolExecutor(min(SIDE_BY_SIDE, max(1, len(some)))) as pool:
        list(pool.map(lambda one: it.send(one, _name(one)), some))
    _make_room(sum(one.stat().st_size for one in some))
    return path


class Sending:
    """Sends files that are whole while others are being made."""

    def __init__(self, pool: ThreadPoolExecutor | None) -> None:
        self._pool, self._under_way = pool, list[Future[Path]]()

    def __call__(self, *paths: Path) -> None:
        if self._pool is not None:
            self._under_way += [self._pool.submit(keep, path) for path in paths]

    def wait(self) -> None:
        """Until all that was given is in the store. StoreAway where it does not answer: each time, once something could not be sent."""
        while self._under_way:
            self._under_way[0].result()
            self._under_way.pop(0)


@contextmanager
def sending() -> Iterator[Sending]:
    """Takes files and sends them meanwhile; at the end all of them are in the store."""
    if shared() is None:
        yield Sending(None)
        return
    with ThreadPoolExecutor(SIDE_BY_SIDE) as pool:
        it = Sending(pool)
        yield it
        it.wait()


def there(path: Path) -> bool:
    """Whether there is such a file, without bringing it."""
    it = shared()
    return path.exists() or (it is not None and it.mark(_name(path)) is not None)


def answers() -> None:
    """Ask the shared store, where there is one, whether it takes, gives and takes away. StoreAway where it does not."""
    it = shared()
    if it is not None:
        it.try_out(f"health/{secrets.token_hex(8)}")


def size(place: Path) -> int:
    """What the files of a folder take in the shared store, in bytes."""
    it = shared()
    return 0 if it is None else sum(it.sizes(f"{_name(place)}/").values())


def made(path: Path) -> float:
    """When a file was made, in seconds since 1970; 0 where there is none."""
    it = shared()
    mark = _mark(path) if it is None else it.mark(_name(path))
    return 0.0 if mark is None else mark[1] / 1e9


def opened(path: Path) -> tuple[IO[bytes], int]:
    """A file to be read from its beginning, and its size in bytes: from the store itself where it is not at hand. FileNotFoundError where
    there is none."""
    it = shared()
    if it is None or it.mark(_name(path)) == _mark(path):
        return path.open("rb"), path.stat().st_size
    return it.stream(_name(path))


def drop(path: Path) -> None:
    """A file, or a folder with all that is in it, goes: here and in the store."""
    if path.is_dir():
        shutil.rmtree(path, ignore_errors=True)
    else:
        path.unlink(missing_ok=True)
    it = shared()
    if it is not None:
        it.remove([_name(path), *it.sizes(f"{_name(path)}/")])


def names(place: Path) -> list[str]:
    """What the files of a folder are called, in order: of the store, where there is one."""
    it = shared()
    if it is None:
        return sorted(path.name for path in place.iterdir() if path.is_file()) if place.is_dir() else []
    begin = f"{_name(place)}/"
    return sorted(name.removeprefix(begin) for name in it.sizes(begin) if "/" not in name.removeprefix(begin))


def folders(place: Path) -> list[str]:
    """What the folders in a folder are called, in order."""
    it = shared()
    if it is None:
        return sorted(path.name for path in place.iterdir() if path.is_dir()) if place.is_dir() else []
    begin = f"{_name(place)}/"
    return sorted({name.removeprefix(begin).partition("/")[0] for name in it.sizes(begin) if "/" in name.removeprefix(begin)})


def _make_room(more: int) -> None:
    """So many bytes have come; now and then it is looked whether that is too much to have at hand."""
    with _counting:
        _brought[0] += more
    if _brought[0] * 20 > settings.AT_HAND and _clearing.acquire(blocking=False):
        try:
            _brought[0] = 0
            clear_out(settings.AT_HAND)
        finally:
            _clearing.release()


def clear_out(most: int) -> int:
    """Of the files at hand take away those that nobody looked at for longest, until they are a tenth below so many bytes; how many went.
    None goes that the store does not have, whole, and none that is new."""
    it, root = shared(), folder("")
    if it is None:
        return 0
    there = []
    for where, inside, files in os.walk(root):
        if Path(where) == root and NOT_SENT in inside:
            inside.remove(NOT_SENT)
        for name in files:
            path = Path(where) / name
            try:
                found = path.stat()
            except FileNotFoundError:
                continue
            there.append((found.st_atime, found.st_size, found.st_ctime, path))
    left, gone, now = sum(size for _, size, _, _ in there), 0, time.time()
    if left <= most:
        return 0
    for looked, size, came, path in sorted(there):
        if left <= most * 0.9:
            break
        mark = it.mark(_name(path)) if now - max(looked, came) > NEW else None
        if mark is not None and mark[0] == size:
            path.unlink(missing_ok=True)
            left, gone = left - size, gone + 1
    return gone
