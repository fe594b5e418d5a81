"""Tracks as tables of comma-separated values, out and in."""

import uuid

from django.db import transaction

from jaythread.desk.document import core_cache
from jaythread.desk.document.as_data import new_track_data
from jaythread.desk.document.lookups import free_track_name, track_row
from jaythread.desk.edit import actions
from jaythread.desk.edit.row_changes import change
from jaythread.desk.models import Track
from jaythread.errors import Refused
from jaythread.productions.policies import User, shot_for
from roto.exchange.track_table import from_table, table


def export_table(user: User, shot_id: int, track_id: uuid.UUID) -> tuple[str, str]:
    """A file's name and the table of a track."""
    shot = shot_for(user, shot_id, "look")
    row = track_row(shot, str(track_id))
    safe = "".join(c if c.isalnum() or c in "-_" else "-" for c in row.name)
    return f"{shot.name}_{safe}.track.csv", table(core_cache.track(row))


@transaction.atomic
def import_table(user: User, shot_id: int, name: str, text: bytes) -> Track:
    """A new track of the shot from a table, as one edit."""
    shot = shot_for(user, shot_id, "trace", lock=True)
    key = str(uuid.uuid4())
    try:
        made = from_table(key, free_track_name(shot, name.strip()[:54] or "track"), text.decode("utf-8-sig"))
    except UnicodeDecodeError as error:
        raise Refused("That file is not text: a track's table is a CSV file in UTF-8.") from error
    actions.save(user, shot, f"took in the track {made.name} from a table", [change("track", [key], None, new_track_data(made, None))])
    return Track.objects.get(pk=key)
