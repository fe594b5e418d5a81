"""Tracks as tables of comma-separated values, out and in."""

import uuid

from django.db import transaction

from jaythread.desk import actions, journal, scene
from jaythread.desk.models import Track
from jaythread.desk.tracks import data_of, free_name, track_row
from jaythread.errors import Refused
from jaythread.productions.policies import User, shot_for
from roto.exchange.track_table import from_table, table


def export_table(user: User, shot_id: int, track_id: uuid.UUID) -> tuple[str, str]:
    """A file's name and the table of a track."""
    shot = shot_for(user, shot_id, "look")
    row = track_row(shot, str(track_id))
    safe = "".join(c if c.isalnum() or c in "-_" else "-" for c in row.name)
    return f"{shot.name}_{safe}.track.csv", table(scene.core_track(row))


@transaction.atomic
def import_table(user: User, shot_id: int, name: str, text: bytes) -> Track:
    """A new track of the shot from a table, as one edit."""
    shot = shot_for(user, shot_id, "trace", lock=True)
    key = str(uuid.uuid4())
    try:
        made = from_table(key, free_name(shot, name.strip()[:54] or "track"), text.decode("utf-8-sig"))
    except UnicodeDecodeError as error:
        raise Refused("That file is not text: a track's table is a CSV file in UTF-8.") from error
    done = [journal.change("track", [key], None, {"name": made.name, "data": {**data_of(made, None), "linear": {}}})]
    actions.apply(shot, done)
    actions.record(shot, user, uuid.uuid4(), f"took in the track {made.name} from a table", done)
    return Track.objects.get(pk=key)
