"""Graphics of a production: taken in, and read for composing."""

import os
import shutil
import threading
import uuid
from collections.abc import Iterable
from pathlib import Path, PurePosixPath

from cachetools import LRUCache
from django.db import transaction

from jaythread import store
from jaythread.productions.policies import User, account, shot_for
from jaythread.tryouts.models import Graphic
from roto.errors import BadTryout
from roto.tryout import graphics
from roto.tryout.placing import Picture

KEPT = 256 << 20
"""bytes of graphics that are kept as light; a larger one is read again for each frame"""
_kept: LRUCache[tuple[str, str], Picture] = LRUCache(KEPT, getsizeof=lambda picture: picture.nbytes)
_lock = threading.Lock()


def take_in(user: User, shot_id: int, said: str, parts: Iterable[bytes]) -> Graphic:
    """A file (its name, and its bytes in parts) as a graphic of the shot's production. It is looked at before it is kept; a bad
    one leaves nothing."""
    shot = shot_for(user, shot_id, "trace")
    name = PurePosixPath(said or "graphic").name
    key = uuid.uuid4()
    it = Graphic(
        pk=key, production_id=shot.production_id, user_id=account(user), name=name[:80], file=f"graphic{Path(name).suffix.lower()[:6]}",
        width=0, height=0,
    )  # fmt: skip
    it.path.parent.mkdir(parents=True)
    try:
        with it.path.open("wb") as into:
            for part in parts:
                into.write(part)
            into.flush()
            os.fsync(into.fileno())  # nobody else has it: it is on the disk before it is said to be taken
        it.width, it.height = graphics.check(it.path)
        graphics.read(it.path)
        with transaction.atomic():
            store.keep(it.path)
            it.save(force_insert=True)
    except BaseException:
        shutil.rmtree(it.path.parent, ignore_errors=True)
        raise
    return it


def light(production_id: int, graphic_id: str, alpha: str) -> Picture:
    """A graphic as premultiplied linear light; BadTryout where it is gone."""
    with _lock:
        found = _kept.get((graphic_id, alpha))
    if found is None:
        found = graphics.premultiplied(graphics.read(row(production_id, graphic_id).path), alpha)
        if found.nbytes <= KEPT:
            with _lock:
                _kept[graphic_id, alpha] = found
    return found


def row(production_id: int, graphic_id: str) -> Graphic:
    """A graphic of a production; BadTryout where it is gone."""
    try:
        found = Graphic.objects.filter(pk=uuid.UUID(graphic_id), production=production_id).first()
    except ValueError:
        found = None
    if found is None or not found.path.exists():
        raise BadTryout("file", "the graphic is not there any more. Choose another one.")
    return found
