"""Mattes in and out: the shape document, SVG, a shape to another shot."""

import uuid
from dataclasses import replace

import numpy as np
from django.db import transaction

from jaythread.desk import policies
from jaythread.desk.document import core_cache, lookups
from jaythread.desk.document.as_data import new_track_data
from jaythread.desk.edit import actions
from jaythread.desk.edit.row_changes import Change, change, compare
from jaythread.desk.models import Matte
from jaythread.errors import OtherNumbers, Refused
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, shot_for
from roto.errors import BadDocument
from roto.exchange import document, svg, svg_reading
from roto.matte.stack import Entry
from roto.matte.stack import Matte as CoreMatte
from roto.motion import edits, retime
from roto.motion.group import group_of, groups_of
from roto.motion.shape import GROUP
from roto.motion.shape import Shape as CoreShape
from roto.track.ride import carrier_of, go_over, own_carrier, rides_of, with_carrier
from roto.track.thin import baked
from roto.track.track import Track


def export_document(user: User, shot_id: int, matte_id: uuid.UUID) -> tuple[str, str]:
    """A file's name and the shape document of a matte."""
    shot, row = policies.matte_for(user, shot_id, matte_id, "look")
    return f"{shot.name}_{row.name}.shapes.json", document.dumps(core_cache.matte(shot, row))


@transaction.atomic
def copy_to(user: User, shot_id: int, shape_id: str, to_shot: int) -> Matte:
    """A shape of one shot copied with all its keys to the top of another shot's newest matte, as one edit there; they stay at the same
    distance from the first frame. What its group does to it becomes its own placement. Makes a matte where there is none."""
    source = shot_for(user, shot_id, "look")
    target = shot_for(user, to_shot, "trace", lock=True)
    if source.pk == target.pk:
        raise Refused("That is this shot itself. Duplicate the shape instead.")
    core = go_over(core_cache.shape(lookups.shape_row(source, shape_id)), None)
    if core.kind == GROUP:
        raise Refused("Copy the shapes of a group, one by one.")
    if carrier_of(core) is not None:  # its track is not there
        core = baked(core, np.arange(source.first, source.last + 1), free=True)
    by = target.first - source.first
    core = retime.shift_keys(core, retime.CHANNELS, by)
    new = replace(
        core, id=str(uuid.uuid4()), name=lookups.free_shape_name(target, core.name), live=tuple((a + by, b + by) for a, b in core.live)
    )
    done = []
    matte = target.mattes.order_by("-made").first()
    if matte is None:
        matte_id, order = str(uuid.uuid4()), 1.0
        done.append(change("matte", [matte_id], None, {"name": "main", "inverted": False, "shift": []}))
    else:
        matte_id, order = str(matte.pk), lookups.entry_on_top(matte, new.id, "add")["order"]
    line = {"matte": matte_id, "shape": new.id, "order": order, "mode": "add", "inverted": False, "opacity": 1.0}
    done += [*compare(new.id, None, new), change("entry", [str(uuid.uuid4())], None, line)]
    actions.save(user, target, f"copied {new.name} from {source.name}", done)
    return Matte.objects.get(pk=matte_id)


@transaction.atomic
def copy_matte_to(user: User, shot_id: int, matte_id: uuid.UUID, to_shot: int, begin: int | None = None) -> Matte:
    """A whole matte, its shapes, groups and tracks, in another shot as one edit there. begin: the frame there that this shot's first one
    comes to; the other shot's first where none is said."""
    source, row = policies.matte_for(user, shot_id, matte_id, "look")
    target = shot_for(user, to_shot, "trace", lock=True)
    if source.pk == target.pk:
        raise Refused("That is this shot itself. Copy the matte instead.")
    core = document.loads(document.dumps(core_cache.matte(source, row)), target.first if begin is None else begin)
    return _take(target, user, core, source.name)


def export_svg(user: User, shot_id: int, matte_id: uuid.UUID, frame: int | None) -> tuple[str, str]:
    """A file's name and the shapes of a matte as SVG: of a frame, or of the whole range, animated."""
    shot, row = policies.matte_for(user, shot_id, matte_id, "look")
    core = core_cache.matte(shot, row)
    if frame is None:
        return f"{shot.name}_{row.name}.svg", svg.whole_range(core)
    return f"{shot.name}_{row.name}.{frame}.svg", svg.one_frame(core, frame)


def _over(shape: CoreShape, groups: dict[str, CoreShape]) -> CoreShape:
    """The shape, or group, riding on what has taken its group's place."""
    group = group_of(shape)
    return shape if group is None else replace(shape, rides=rides_of(groups[group.id], own_carrier(shape)))


def _on_new(shape: CoreShape, made: dict[str, Track], shot: Shot, done: list[Change]) -> CoreShape:
    """The shape riding on this shot's own copy of its track, which is made when it is first met."""
    own = own_carrier(shape)
    if own is None or own.track is None:
        return shape
    if own.track.id not in made:
        made[own.track.id] = replace(own.track, id=str(uuid.uuid4()), name=lookups.free_track_name(shot, own.track.name))
        done.append(change("track", [made[own.track.id].id], None, new_track_data(made[own.track.id], None)))
    return with_carrier(shape, replace(own, track=made[own.track.id]))


COLOURS = 8
"""of threads, given out in turn"""
LARGEST = 64 << 20
"""bytes: of a shape document that is taken in; a thousand shapes keyed on every frame of a long shot"""


def take_in(
    user: User, shot_id: int, data: bytes, name: str = "", frame: int | None = None, begin: int | None = None
) -> tuple[Matte, list[str]]:
    """Shapes from a file: a shape document, or SVG, which becomes shapes keyed on a frame (the shot's first when none is said).

    begin: the frame that a document's first one comes to; where none is said, all come by their numbers. Returns the new matte, and a
    report of what could not be taken.
    """
    if svg_reading.looks_like_svg(data):
        return _import_svg(user, shot_id, data, name, frame)
    if len(data) > LARGEST:
        raise BadDocument("file", f"has {len(data) >> 20} MB; a shape document may have {LARGEST >> 20}.")
    matte = import_document(user, shot_id, data, begin)
    where = [] if begin is None else [f"Its first frame is {begin} here."]
    return matte, [f"{matte.entries.count()} lines taken, with all their keys.", *where]


@transaction.atomic
def _import_svg(user: User, shot_id: int, data: bytes, name: str, frame: int | None) -> tuple[Matte, list[str]]:
    shot = shot_for(user, shot_id, "trace", lock=True)
    taken = svg_reading.read(data, (shot.width, shot.height))
    at = shot.first if frame is None else min(shot.last, max(shot.first, frame))
    entries = []
    for k, one in enumerate(taken.outlines):
        plain = "".join("-" if c in lookups.NOT_IN_NAMES or not c.isprintable() else c for c in one.name)[:50].strip()
        shape = edits.trace(f"outline {k}", plain or f"outline {k + 1}", at, one.points, one.curves, colour=k % COLOURS)
        entries.append(Entry(shape=shape, mode=one.mode))
    core = CoreMatte(
        shot=shot.name, name=name.strip() or "from SVG", size=(shot.width, shot.height), rate=shot.rate, first=shot.first, last=shot.last,
        entries=tuple(entries),
    )  # fmt: skip
    matte = _take(shot, user, core, "SVG")
    return matte, [*taken.report, f"Keyed on frame {at}."]


@transaction.atomic
def import_document(user: User, shot_id: int, text: bytes, begin: int | None = None) -> Matte:
    """A new matte in this shot from a shape document, as one edit; pixels are taken as they are, ids are made anew. begin: see `take_in`.
    OtherNumbers where none is said and the document has no frame of this shot."""
    shot = shot_for(user, shot_id, "trace", lock=True)
    core = document.loads(text, begin)
    if begin is None and (core.last < shot.first or core.first > shot.last):
        theirs, ours = f"{core.first} to {core.last}", f"{shot.first} to {shot.last}"
        raise OtherNumbers(f"These shapes are of frames {theirs}; this shot has {ours}. Say on which frame they begin.")
    return _take(shot, user, core, "a shape document")


def _take(shot: Shot, user: User, core: CoreMatte, source: str) -> Matte:
    plain = "".join("-" if c in lookups.NOT_IN_NAMES else c for c in core.name)[:36].strip() or "matte"
    name, k = plain, 1
    while shot.mattes.filter(name__iexact=name).exists():
        k += 1
        name = f"{plain} {k}"
    matte_id = str(uuid.uuid4())
    lens = {"lens": [list(key) for key in core.lens], "lens_kind": core.lens_kind} if core.lens else {}
    row = {"name": name, "inverted": core.inverted, "shift": [list(key) for key in core.shift], **lens}
    done = [change("matte", [matte_id], None, row)]
    renamed: dict[str, str] = {}
    groups: dict[str, CoreShape] = {}
    new_tracks: dict[str, Track] = {}
    for shape in (e.shape for e in core.entries):
        for group in reversed([*([shape] if shape.kind == GROUP else []), *groups_of(shape)]):  # the outermost first
            if group.id in groups:
                continue
            groups[group.id] = _over(_on_new(replace(group, id=str(uuid.uuid4())), new_tracks, shot, done), groups)
            renamed[group.id] = groups[group.id].id
            done += compare(groups[group.id].id, None, groups[group.id])
    for order, entry in enumerate(core.entries):
        if entry.shape.id not in renamed:
            renamed[entry.shape.id] = str(uuid.uuid4())
            done += compare(renamed[entry.shape.id], None, _over(_on_new(entry.shape, new_tracks, shot, done), groups))
        row = {
            "matte": matte_id, "shape": renamed[entry.shape.id], "order": float(order), "mode": entry.mode, "inverted": entry.inverted,
            "opacity": entry.opacity,
        }  # fmt: skip
        done.append(change("entry", [str(uuid.uuid4())], None, row))
    actions.save(user, shot, f"took in the matte {name} from {source}", done)
    return Matte.objects.get(pk=matte_id)
