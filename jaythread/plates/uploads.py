"""Files that come in pieces: begun, gone on with where they broke off, taken as if they had come at once."""

import os
import shutil
import uuid
from collections.abc import Callable, Iterable
from datetime import timedelta
from pathlib import Path

from django.db import transaction
from django.utils import timezone

from jaythread import room, store
from jaythread.errors import Conflict, NotAllowed, NotThere, Refused
from jaythread.front_door import one_name
from jaythread.plates.models import Upload
from jaythread.productions.models import Membership
from jaythread.productions.policies import User, account, may

MOST = 1 << 40
"""bytes of a file"""
OPEN = 20_000
"""files of one person at a time: the stills of a shot"""
KEPT = timedelta(days=7)
"""how long one that is not taken is kept"""
AT_ONCE = 1 << 20


def begin(user: User, name: str, length: int) -> Upload:
    """A file of so many bytes is to come. NotAllowed for who may bring nothing in anywhere; NoRoom where there is none for it."""
    mine = Membership.objects.filter(user_id=account(user)).select_related("production")
    if not any(may(member, "bring in") for member in mine):
        raise NotAllowed("Files are brought in by artists and leads.")
    if not 0 < length <= MOST:
        raise Refused("A file has at least one byte, and at most a million million.")
    if Upload.objects.filter(user_id=account(user)).count() >= OPEN:
        raise Refused(f"{OPEN} files of yours have come and were not taken. Take them, or wait for {KEPT.days} days.")
    room.look(length)
    it = Upload.objects.create(
        user_id=account(user), name=one_name(name, 200, "Give the file a name of at most 200 characters."), length=length
    )
    if store.shared() is None:
        it.path.parent.mkdir(parents=True, exist_ok=True)
        it.path.touch()
    return it


def of(user: User, upload_id: uuid.UUID, lock: bool = False) -> Upload:
    """One's own; nobody else's is there."""
    mine = Upload.objects.filter(pk=upload_id, user_id=account(user))
    it = (mine.select_for_update() if lock else mine).first()
    if it is None:
        raise NotThere("That file is not there any more. Send it again.")
    return it


def go_on(user: User, upload_id: uuid.UUID, offset: int, read: Callable[[int], bytes]) -> Upload:
    """The next piece, from there on. Conflict where another byte is wanted next; what came of a piece that broke off stays, except in a
    shared store, where it is sent again."""
    with transaction.atomic():
        it = of(user, upload_id, lock=True)
        if offset != it.offset:
            raise Conflict("Another piece is wanted next.")
        left = it.length - offset
        came = _written(it.path, "ab", left, read) if store.shared() is None else _sent(it, offset, left, read)
    if came == left and read(1):
        raise Refused("More has come than the file was said to have.")
    return it


def _written(path: Path, how: str, most: int, read: Callable[[int], bytes]) -> int:
    """So many bytes at most onto the disk; how many there were."""
    left = most
    with path.open(how) as file:
        while left and (data := read(min(AT_ONCE, left))):
            file.write(data)
            left -= len(data)
        file.flush()
        os.fsync(file.fileno())
    return most - left


def _sent(it: Upload, offset: int, most: int, read: Callable[[int], bytes]) -> int:
    """A piece into the store that several machines share: the next one may come to another of them."""
    path = it.piece(offset)
    path.parent.mkdir(parents=True, exist_ok=True)
    try:
        came = _written(path, "wb", most, read)
        if came:
            store.keep(path)
            it.parts = [*it.parts, came]
            it.save(update_fields=["parts"])
    finally:
        shutil.rmtree(it.folder, ignore_errors=True)  # here it only passes through
    return came


def lay(it: Upload, target: Path) -> None:
    """A file that is whole, under another name."""
    if store.shared() is None:
        os.link(it.path, target)
        return
    begin = 0
    with target.open("wb") as whole:
        for size in it.parts:
            try:
                piece, _ = store.opened(it.piece(begin))
            except FileNotFoundError as error:  # a backup that was brought back has none
                Upload.objects.filter(pk=it.pk).update(parts=[])
                raise Refused(f"{it.name} is not all there any more. Send it again.") from error
            with piece:
                shutil.copyfileobj(piece, whole, AT_ONCE)
            begin += size
        whole.flush()
        os.fsync(whole.fileno())


def whole(user: User, ids: Iterable[str]) -> list[Upload]:
    """Those that are taken now, in the order asked for. Refused where one is not whole."""
    found = []
    for said in ids:
        try:
            it = of(user, uuid.UUID(said))
        except ValueError as error:
            raise Refused("That is no file that came in pieces.") from error
        if it.offset != it.length:
            raise Refused(f"{it.name} is not all there yet: {it.offset} of {it.length} bytes.")
        found.append(it)
    return found


def drop(uploads: Iterable[Upload]) -> None:
    """They are taken, or not wanted any more."""
    for it in uploads:
        it.path.unlink(missing_ok=True)
        if store.shared() is not None:
            store.drop(it.folder)
        it.delete()


def clear_out() -> int:
    """Those that nobody took within KEPT go; returns how many."""
    old = list(Upload.objects.filter(made__lt=timezone.now() - KEPT))
    drop(old)
    return len(old)
