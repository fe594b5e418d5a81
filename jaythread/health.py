"""How the machine room is: asked by whatever watches over it, at `/health`, without an account. It tells nothing of anybody's work."""

import shutil
import uuid
from datetime import datetime
from typing import Any

from django.core.files.base import ContentFile
from django.core.files.storage import default_storage
from django.db import DatabaseError, connection
from django.http import HttpRequest, JsonResponse
from django.utils import timezone
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_GET

from jaythread import store
from jaythread.errors import StoreAway

LEAST_FREE = 2 << 30
"""bytes on the files' disk, below which it is said"""
LONG = 300
"""seconds for which work that is due may wait"""
SILENT = 60
"""seconds without a sign of life after which a worker counts as gone"""
QUEUE = """
    select (select count(*) from procrastinate_workers where last_heartbeat > now() - make_interval(secs => %s)),
           (select count(*) from procrastinate_jobs where status = 'todo' and (scheduled_at is null or scheduled_at <= now())),
           (select min(coalesce(greatest(j.scheduled_at, e.at), e.at))
              from procrastinate_jobs j join procrastinate_events e on e.job_id = j.id
             where j.status = 'todo' and (j.scheduled_at is null or j.scheduled_at <= now()) and e.type = 'deferred')
"""


@require_GET
@never_cache
def health(request: HttpRequest) -> JsonResponse:
    """200 while pages can be served, 503 where the database or the files do not answer. `says`: sentences of what wants looking after."""
    told: dict[str, Any] = {"database": False, "files": False}
    told |= dict.fromkeys(("free_bytes", "workers", "waiting", "waiting_seconds"))
    says = [*_database(told), *_files(told)]
    well = told["database"] and told["files"]
    return JsonResponse({"well": well, "says": says, **told}, status=200 if well else 503)


def _database(told: dict[str, Any]) -> list[str]:
    try:
        with connection.cursor() as cursor:
            cursor.execute(QUEUE, [SILENT])
            workers, waiting, oldest = cursor.fetchone()
    except DatabaseError:
        return ["The database does not answer."]
    seconds = _since(oldest)
    told |= {"database": True, "workers": workers, "waiting": waiting, "waiting_seconds": seconds}
    says = [] if workers else [f"No worker has given a sign of life for {SILENT} seconds: start one with manage.py worker."]
    return [*says, f"Work has waited for {seconds} seconds: more workers would help."] if seconds > LONG else says


def _since(moment: datetime | None) -> int:
    return 0 if moment is None else max(0, round((timezone.now() - moment).total_seconds()))


def _files(told: dict[str, Any]) -> list[str]:
    """A file is written, read and taken away again."""
    name = f"health/{uuid.uuid4().hex}"
    try:
        kept = default_storage.save(name, ContentFile(b"kite"))
        with default_storage.open(kept) as file:
            told["files"] = file.read() == b"kite"
        default_storage.delete(kept)
        store.answers()
    except StoreAway as error:
        told["files"] = False
        return [error.message]
    except OSError as error:
        return [f"The files cannot be written: {error.strerror or 'no more is known'}."]
    try:
        told["free_bytes"] = shutil.disk_usage(default_storage.path("")).free
    except NotImplementedError:  # a store without a disk of its own
        return []
    return ["There is little room left for files."] if told["free_bytes"] < LEAST_FREE else []
