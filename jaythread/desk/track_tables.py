"""Tracks as tables of comma-separated values, out and in."""

import csv
import io
import math
import uuid

import numpy as np
from django.db import transaction

from jaythread.desk import actions, journal, scene
from jaythread.desk.models import Track
from jaythread.desk.tracks import data_of, free_name, track_row
from jaythread.errors import Refused
from jaythread.productions.policies import User, shot_for
from roto.motion.keys import Keys
from roto.track.track import Track as CoreTrack

COLUMNS = ("frame", "point", "x", "y", "sure", "by_hand")
"""of a track's table, one row a frame and point: plate px from the top left corner; sure 0..1; by_hand 0 or 1"""
MOST_ROWS = 200_000


def export_table(user: User, shot_id: int, track_id: uuid.UUID) -> tuple[str, str]:
    """A file's name and the table of a track."""
    shot = shot_for(user, shot_id, "look")
    row = track_row(shot, str(track_id))
    safe = "".join(c if c.isalnum() or c in "-_" else "-" for c in row.name)
    return f"{shot.name}_{safe}.track.csv", table(scene.core_track(row))


def table(track: CoreTrack) -> str:
    """A track as a table of comma-separated values; the first line says what the columns are."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for k, frame in enumerate(track.points.frames.tolist()):
        for point, (x, y) in enumerate(track.points.values[k]):
            writer.writerow([frame, point, repr(float(x)), repr(float(y)), f"{track.sure[k]:.4f}", int(frame in track.hand)])
    return out.getvalue()


def from_table(track_id: str, name: str, text: str) -> CoreTrack:
    """A track from such a table; sure and by_hand may be left out. Raises Refused with the line that is wrong."""
    rows = csv.reader(io.StringIO(text))
    try:
        head = [cell.strip().lower() for cell in next(rows)]
        at = {column: head.index(column) for column in COLUMNS if column in head}
    except (StopIteration, csv.Error):
        at = {}
    if not {"frame", "x", "y"} <= set(at):
        raise Refused(f"The first line must name the columns: {', '.join(COLUMNS)}. Frame, x and y are needed.")
    found: dict[int, dict[int, tuple[float, float]]] = {}
    sure: dict[int, float] = {}
    hand: set[int] = set()
    try:
        for number, cells in enumerate(rows, 2):
            if number > MOST_ROWS:
                raise Refused(f"A track's table may have {MOST_ROWS} lines.")
            if not any(cells):
                continue
            frame, point = int(cells[at["frame"]]), int(cells[at["point"]]) if "point" in at else 0
            place = (float(cells[at["x"]]), float(cells[at["y"]]))
            if not all(map(math.isfinite, place)) or not 0 <= point < 4 or abs(frame) > 10**7:
                raise ValueError
            found.setdefault(frame, {})[point] = place
            sure[frame] = min(1.0, max(0.0, float(cells[at["sure"]]))) if "sure" in at else 1.0
            if "by_hand" in at and int(cells[at["by_hand"]]):
                hand.add(frame)
    except (ValueError, IndexError, csv.Error) as error:
        raise Refused(f"Line {number} cannot be read: it needs a whole frame, a point from 0 to 3, and two numbers x and y.") from error
    counts = {tuple(sorted(points)) for points in found.values()}
    if len(counts) != 1 or next(iter(counts)) != tuple(range(len(next(iter(counts))))):
        raise Refused("Every frame of a track must have the same points, counted from 0.")
    frames = sorted(found)
    values = np.array([[found[f][p] for p in sorted(found[f])] for f in frames])
    home = min(hand, default=frames[0])
    keys = Keys.build(frames, values)
    return CoreTrack(
        id=track_id, name=name, home=home, points=keys, sure=np.array([sure[f] for f in frames]), hand=frozenset(hand | {home})
    )


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
