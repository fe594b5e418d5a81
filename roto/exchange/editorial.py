"""The piece of the time line that a package belongs to: OpenTimelineIO, and an edit decision list (CMX 3600) beside it."""

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

import opentimelineio as otio
from opentimelineio.opentime import RationalTime, TimeRange

TITLE = 60
"""characters of a list's title"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Media:
    """One row of the time line. stills: (what comes before the number, what after, digits) of numbered stills; None for one file `name`.
    first, frames: as they are numbered. alpha: what alpha it carries, for the record."""

    name: str
    first: int
    frames: int
    stills: tuple[str, str, int] | None = None
    folder: str = "./"
    alpha: str = "none"


@dataclass(frozen=True, slots=True, kw_only=True)
class Marker:
    """A note on a frame (as the media number it), or to a last one."""

    frame: int
    says: str
    by: str = ""
    last: int | None = None


def timeline(name: str, rate: Fraction, media: Sequence[Media], markers: Sequence[Marker] = (), first: int = 0) -> otio.schema.Timeline:
    """A time line whose tracks are the media, bottom first; markers lie on the topmost. first: the frame at which it begins."""
    fps = float(rate)
    it = otio.schema.Timeline(name=name, global_start_time=RationalTime(first, fps))
    for row in media:
        span = TimeRange(RationalTime(row.first, fps), RationalTime(row.frames, fps))
        if row.stills is None:
            reference = otio.schema.ExternalReference(target_url=row.folder + row.name, available_range=span)
        else:
            before, after, digits = row.stills
            reference = otio.schema.ImageSequenceReference(
                target_url_base=row.folder, name_prefix=before, name_suffix=after, start_frame=row.first, frame_step=1, rate=fps,
                frame_zero_padding=digits, available_range=span,
            )  # fmt: skip
        clip = otio.schema.Clip(name=row.name, media_reference=reference, source_range=span, metadata={"alpha": row.alpha})
        track = otio.schema.Track(name=row.name, kind=otio.schema.TrackKind.Video, children=[clip])
        it.tracks.append(track)
    for marker in markers:
        ends = sorted((marker.frame, marker.frame if marker.last is None else marker.last))
        span = TimeRange(RationalTime(ends[0], fps), RationalTime(ends[1] - ends[0] + 1, fps))
        said = otio.schema.Marker(name=marker.says, marked_range=span, color=otio.schema.MarkerColor.CYAN, metadata={"by": marker.by})
        it.tracks[-1][0].markers.append(said)
    return it


def one_line(text: str) -> str:
    """Text for a format whose records are lines: no line ends, nothing that cannot be printed.

    >>> one_line("hair lost\\r\\n002  AX V C\\u2028end")
    'hair lost 002 AX V C end'
    """
    return " ".join("".join(c if c.isprintable() else " " for c in text).split())


def as_otio(line: otio.schema.Timeline) -> str:
    """The time line as an .otio file's text."""
    return str(otio.adapters.write_to_string(line, "otio_json")) + "\n"


def as_edl(line: otio.schema.Timeline) -> str:
    """The topmost track as an edit decision list, which knows one. Whatever somebody wrote stays on its own line."""
    top = otio.schema.Timeline(name=one_line(line.name)[:TITLE], global_start_time=line.global_start_time)
    top.tracks.append(line.tracks[-1].deepcopy())
    for clip in top.tracks[0]:
        clip.name = one_line(clip.name)
        for marker in clip.markers:
            marker.name = one_line(marker.name)
    return str(otio.adapters.write_to_string(top, "cmx_3600"))
