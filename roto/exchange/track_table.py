"""Tracks as tables of comma-separated values, out and in."""

import csv
import io
import math

import numpy as np

from roto.errors import BadTrack
from roto.motion.keys import Keys
from roto.track.track import Track

COLUMNS = ("frame", "point", "x", "y", "sure", "by_hand")
"""of a track's table, one row a frame and point: plate px from the top left corner; sure 0..1; by_hand 0 or 1"""
MOST_ROWS = 200_000


def table(track: Track) -> str:
    """A track as a table of comma-separated values; the first line says what the columns are."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for k, frame in enumerate(track.points.frames.tolist()):
        for point, (x, y) in enumerate(track.points.values[k]):
            writer.writerow([frame, point, repr(float(x)), repr(float(y)), f"{track.confidence[k]:.4f}", int(frame in track.manual)])
    return out.getvalue()


def from_table(track_id: str, name: str, text: str) -> Track:
    """A track from such a table; sure and by_hand may be left out. Raises BadTrack with the line that is wrong."""
    rows = csv.reader(io.StringIO(text))
    try:
        head = [cell.strip().lower() for cell in next(rows)]
        at = {column: head.index(column) for column in COLUMNS if column in head}
    except (StopIteration, csv.Error):
        at = {}
    if not {"frame", "x", "y"} <= set(at):
        raise BadTrack(f"The first line must name the columns: {', '.join(COLUMNS)}. Frame, x and y are needed.")
    found: dict[int, dict[int, tuple[float, float]]] = {}
    confidence: dict[int, float] = {}
    hand: set[int] = set()
    try:
        for number, cells in enumerate(rows, 2):
            if number > MOST_ROWS:
                raise BadTrack(f"A track's table may have {MOST_ROWS} lines.")
            if not any(cells):
                continue
            frame, point = int(cells[at["frame"]]), int(cells[at["point"]]) if "point" in at else 0
            place = (float(cells[at["x"]]), float(cells[at["y"]]))
            if not all(map(math.isfinite, place)) or not 0 <= point < 4 or abs(frame) > 10**7:
                raise ValueError
            found.setdefault(frame, {})[point] = place
            confidence[frame] = min(1.0, max(0.0, float(cells[at["sure"]]))) if "sure" in at else 1.0
            if "by_hand" in at and int(cells[at["by_hand"]]):
                hand.add(frame)
    except (ValueError, IndexError, csv.Error) as error:
        raise BadTrack(f"Line {number} cannot be read: it needs a whole frame, a point from 0 to 3, and two numbers x and y.") from error
    counts = {tuple(sorted(points)) for points in found.values()}
    if len(counts) != 1 or next(iter(counts)) != tuple(range(len(next(iter(counts))))):
        raise BadTrack("Every frame of a track must have the same points, counted from 0.")
    frames = sorted(found)
    values = np.array([[found[f][p] for p in sorted(found[f])] for f in frames])
    home = min(hand, default=frames[0])
    keys = Keys.build(frames, values)
    return Track(
        id=track_id,
        name=name,
        home=home,
        points=keys,
        confidence=np.array([confidence[f] for f in frames]),
        manual=frozenset(hand | {home}),
    )
