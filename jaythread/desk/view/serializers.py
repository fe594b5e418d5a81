"""What the desk's page is sent: plain data, with the outlines of every frame as base64 of little-endian float32 (frames, points, 6)."""

import base64
import json
import uuid
from typing import Any

import numpy as np

from jaythread.accounts.actions import preference
from jaythread.brought.models import State
from jaythread.desk.document import core_cache
from jaythread.desk.document.as_data import entry_data
from jaythread.desk.edit import journal
from jaythread.desk.edit.registry import Outcome
from jaythread.desk.edit.row_changes import CHANNELS, touched
from jaythread.desk.models import Edit, Matte, Shape
from jaythread.desk.view.clips import ready_plates
from jaythread.plates.models import Plate
from jaythread.productions.models import Shot
from jaythread.productions.policies import User
from roto.matte.modes import MODES
from roto.matte.stack import sentence, within
from roto.motion import interpolate
from roto.motion.group import group_of
from roto.motion.keys import Keys
from roto.motion.placement import MOVE, SIZE, TURN
from roto.motion.shape import Shape as CoreShape
from roto.track.between import known_of, where_next
from roto.track.ride import carrier_of
from roto.tryout import sentences


def knots(keys: Keys) -> list[dict[str, Any]]:
    """The keys of a channel for the thread board."""
    return [
        {
            "frame": int(f),
            "kind": int(keys.kinds[k]),
            "parts": np.flatnonzero(keys.held[k]).tolist(),
            "full": bool(keys.held[k].all()),
            "settled": bool(not np.isnan(keys.speeds[k][keys.held[k]]).all()),
        }
        for k, f in enumerate(keys.frames)
    ]


def placed(core: CoreShape, frames: np.ndarray) -> list[list[float]]:
    """Move (px), turn (degrees), size (factor), where the pivot is in the picture (px), skew (degrees) and how much taller (factor), on
    every frame; one row where nothing moves."""
    frames = frames if len(core.place.frames) > 1 or core.rides else frames[:1]
    values = interpolate.evaluate(core.place, frames, frames)
    pivot = np.zeros((len(frames), 1, 6))
    pivot[:, 0, :2] = values[:, MOVE] + core.pivot
    for ride in core.rides:
        pivot = ride.carry(pivot, frames.astype(np.float64), frames)
    size, taller = np.exp(values[:, SIZE, :1]), np.exp(values[:, SIZE, 1:])
    rows = np.concatenate([values[:, MOVE], values[:, TURN, :1], size, pivot[:, 0, :2], values[:, TURN, 1:], taller], axis=1)
    return np.asarray(rows.round(5)).tolist()


def reaches(core: CoreShape, frames: np.ndarray) -> list[list[list[float] | None]] | None:
    """Inner and outer reach of each point on every frame, or one row where they are not keyed over time; None for points that take theirs
    from their neighbours, and for shapes with one reach."""
    found = core.reaches_at(frames if core.reach is not None and len(core.reach.frames) > 1 else frames[:1])
    if found is None:
        return None
    return [[None if np.isnan(pair[0]) else pair.round(3).tolist() for pair in row] for row in found]


SUGGESTED = 3
"""frames that are named, at the most, where a key would help most"""
LEAN = 400_000
"""numbers of outlines in one answer; a longer shot opens with its first frame's, and all others follow as they are (see `outlines`)"""


def packed(points: np.ndarray) -> str:
    return base64.b64encode(points.astype("<f4").tobytes()).decode()


def shape(core: CoreShape, revision: int, shot: Shot, lean: bool = False, locked: bool = False) -> dict[str, Any]:
    """A shape with its evaluated outlines and settings; when lean, with that of the first frame alone."""
    group = group_of(core)
    frames = np.arange(shot.first, shot.last + 1)
    soft = core.settings_at(frames if len(core.settings.frames) > 1 else frames[:1])
    return {
        "id": core.id,
        "name": core.name,
        "kind": core.kind,
        "group": group.id if group else None,
        "carrier": riding(core),
        "locked": locked,
        "revision": revision,
        "colour": core.colour,
        "profile": core.profile,
        "blur": core.blur,
        "lensKind": core.lens_kind,
        "pivot": core.pivot,
        "curves": (core.kinds == 1).tolist(),
        "live": [list(r) for r in core.live],
        "form": knots(core.form),
        "placement": knots(core.place),
        "settings": knots(core.settings),
        "reach": knots(core.reach) if core.reach is not None else [],
        "reaches": reaches(core, frames),
        "soft": [[round(v, 4) for v in s] for s in soft],
        "placed": placed(core, frames),
        "outlines": None if lean else packed(core.outlines(frames)),
        "opening": packed(core.outlines(frames[:1])) if lean else None,
    }


def riding(core: CoreShape) -> dict[str, Any] | None:
    """On which track a shape rides, how, and whether by its group."""
    carrier = carrier_of(core)
    if carrier is None:
        return None
    return {"track": carrier.track.id if carrier.track else None, "how": carrier.how, "byGroup": carrier.inherited}


def preview(shot: Shot, made: Outcome) -> dict[str, Any]:
    """Shapes, or the path of a track, as they would become."""
    frames = np.arange(shot.first, shot.last + 1)
    paths = [] if made.track is None or made.after else [packed(made.track.points_at(frames, frames))]
    return {"shapes": [shape(one, 0, shot) for one in made.after], "paths": paths, "summary": made.summary}


def tracks(shot: Shot) -> list[dict[str, Any]]:
    """Tracks with their points on every frame of the shot: little-endian float32 (frames, points, 2), as base64."""
    frames = np.arange(shot.first, shot.last + 1)
    out = []
    for row in shot.tracks.all():
        core = core_cache.track(row)
        out.append(
            {
                "id": str(row.pk), "name": row.name, "revision": row.revision, "home": core.home, "frames": core.points.frames.tolist(),
                "confidence": core.confidence.round(3).tolist(), "manual": sorted(core.manual),
                "parts": 4 if core.sheet else core.points.parts, "hows": core.hows,
                "patch": row.data.get("patch"), "path": packed(core.shown_at(frames)),
                "next": where_next(known_of(core), core.manual, SUGGESTED) if core.sheet else [],
            }
        )  # fmt: skip
    return out


def tryouts(shot: Shot) -> list[dict[str, Any]]:
    """Tryouts with their lines as the document has them, and a sentence of each."""
    names = {str(m.pk): m.name for m in shot.mattes.all()}
    return [
        {
            "id": str(row.pk), "name": row.name, "revision": row.revision, "lines": row.lines,
            "sentences": [sentences.sentence(line, names) for line in row.to_core().lines],
        }
        for row in shot.tryouts.all()
    ]  # fmt: skip


def stack(matte: Matte) -> list[dict[str, Any]]:
    """The lines of a stack in the order in which they count, each with the group's line that it counts within."""
    rows, entries = core_cache.lines(matte)
    groups = {id(entry): str(row.pk) for row, entry in zip(rows, entries, strict=True)}
    return [
        {
            **{k: v for k, v in entry_data(row).items() if k not in ("matte", "source")},
            "id": str(row.pk),
            "within": groups[id(group)] if group else None,
        }
        for row, group in zip(rows, within(entries), strict=True)
    ]


def mattes(shot: Shot) -> list[dict[str, Any]]:
    out = []
    for m in shot.mattes.all():
        core = core_cache.matte(shot, m)
        frames = np.arange(shot.first, shot.last + 1)
        shifts, lenses = (at(frames).round(3).tolist() if keys else [] for at, keys in ((core.shift_at, m.shift), (core.lens_at, m.lens)))
        out.append(
            {
                "id": str(m.pk), "name": m.name, "inverted": m.inverted, "shift": m.shift, "shifts": shifts,
                "lens": m.lens, "lenses": lenses, "lensKind": m.lens_kind, "sentence": sentence(core), "stack": stack(m),
            }
        )  # fmt: skip
    return out


def shapes(shot: Shot, only: set[str] | None = None, may_lean: bool = False) -> list[dict[str, Any]]:
    rows = Shape.objects.filter(shot=shot)
    if only is not None:
        rows = rows.filter(pk__in=only)
    found = list(rows)
    cores = core_cache.shapes(found)
    lean = may_lean and sum(c.form.parts for c in cores.values()) * (shot.last - shot.first + 1) * 6 > LEAN
    return [shape(cores[str(row.pk)], row.revision, shot, lean, row.locked) for row in found]


def outlines(shot: Shot) -> bytes:
    """The outlines of all shapes on every frame: a line of JSON, [[id, revision, numbers], ...], padded with blanks to a multiple of four
    bytes, then all numbers one after the other, little-endian float32."""
    frames = np.arange(shot.first, shot.last + 1)
    rows = list(Shape.objects.filter(shot=shot))
    cores = core_cache.shapes(rows)
    parts = [cores[str(row.pk)].outlines(frames).astype("<f4") for row in rows]
    head = json.dumps([[str(row.pk), row.revision, part.size] for row, part in zip(rows, parts, strict=True)])
    line = head + " " * (-(len(head) + 1) % 4) + "\n"
    return b"".join([line.encode(), *(part.tobytes() for part in parts)])


def other_shots(shot: Shot) -> list[dict[str, Any]]:
    """The other shots of the production, with their mattes: where something can be copied to."""
    rows = Shot.objects.filter(production=shot.production_id).exclude(pk=shot.pk).prefetch_related("mattes")
    return [{"id": s.pk, "name": s.name, "mattes": [{"id": str(m.pk), "name": m.name} for m in s.mattes.all()]} for s in rows]


def head(shot: Shot, user: User) -> dict[str, Any]:
    """What may change with every edit beside shapes."""
    back, forth = journal.next_to(user, shot, "undo"), journal.next_to(user, shot, "redo")
    return {
        "revision": shot.revision,
        "working": list(shot.working),
        "numbers": f"{shot.first}-{shot.last} {shot.rate} {shot.pixel_aspect:g}",
        "shutter": {"angle": shot.shutter_angle, "phase": shot.shutter_phase},
        "mattes": mattes(shot),
        "tracks": tracks(shot),
        "tryouts": tryouts(shot),
        "undo": back.summary if back else None,
        "redo": journal.plain(forth.summary) if forth else None,
    }


def clips(shot: Shot) -> list[dict[str, Any]]:
    """Other plates of the production, for trying the cut-out on."""
    plates = ready_plates(shot)
    return [{"id": p.pk, "version": p.picture_version, "name": p.shot.name, "first": p.shot.first, "last": p.shot.last} for p in plates]


def modes() -> list[dict[str, Any]]:
    """The ways in which a line of a stack may combine."""
    return [{"key": mode.key, "offer": mode.offer, "outside": mode.offer_outside, "solves": mode.code is None} for mode in MODES.values()]


def desk(shot: Shot, user: User, may_trace: bool) -> dict[str, Any]:
    """All that the desk needs to open."""
    plate: Plate | None = shot.plates.first()
    return {
        "shot": {
            "id": shot.pk,
            "name": shot.name,
            "first": shot.first,
            "last": shot.last,
            "size": [shot.width, shot.height],
            "rate": float(shot.rate),
            "rateText": shot.rate_text,
            "pixelAspect": shot.pixel_aspect,
        },
        "plate": None
        if plate is None
        else {
            "id": plate.pk,
            "state": plate.state,
            "version": plate.picture_version,
            "cuts": plate.cut_frames,
            "missing": [] if plate.holds else plate.gaps,
        },
        "clips": clips(shot),
        "modes": modes(),
        "shots": other_shots(shot),
        "brought": [{"id": row.pk, "name": row.name} for row in shot.brought.filter(state=State.READY)],
        "mayTrace": may_trace,
        "people": sorted(shot.production.memberships.values_list("user__username", flat=True)),
        "keys": preference(user).keys,
        "keyKind": preference(user).key_kind,
        "shapes": shapes(shot, may_lean=True),
        **head(shot, user),
    }


def after(edit: Edit, shot: Shot, user: User) -> dict[str, Any]:
    """What an edit changed. The answer to an edit that only moved keys holds just that: no other row need be read."""
    what = touched(shot, edit.changes) if edit.touched is None else edit.touched
    made = {shape_id: core_cache.known(shape_id, edit.revision) for shape_id in what}
    locked = set(Shape.objects.filter(pk__in=what, locked=True).values_list("pk", flat=True)) if len(what) > 1 else set()
    known = [shape(core, edit.revision, shot, locked=uuid.UUID(core.id) in locked) for core in made.values() if core]
    there = known if len(known) == len(what) else shapes(shot, what)
    out = {"edit": str(edit.pk), "summary": edit.summary, "shapes": there, "gone": sorted(what - {s["id"] for s in there})}
    only_keys = all(c["table"] in CHANNELS for c in edit.changes)
    if edit.way == Edit.Way.DO and not edit.reversed and edit.revision == shot.revision and only_keys:
        return {**out, "revision": shot.revision, "undo": edit.summary, "redo": None}
    return {**out, **head(shot, user)}


def since(shot: Shot, user: User, revision: int) -> dict[str, Any]:
    """What has changed after a revision that the page knows, and who else changed it; just the revision when nothing has."""
    if revision >= shot.revision:
        return {"revision": shot.revision}
    later = list(Edit.objects.filter(shot=shot, revision__gt=revision).select_related("user").order_by("revision"))
    what = touched(shot, [c for edit in later for c in edit.changes])
    there = shapes(shot, what)
    others = [{"who": e.user.get_username(), "summary": e.summary} for e in later if e.user_id != user.pk]
    return {"shapes": there, "gone": sorted(what - {s["id"] for s in there}), "others": others[-5:], **head(shot, user)}


def done(shot: Shot, most: int = 300) -> list[dict[str, Any]]:
    """What was done in a shot, newest first; what was taken back is marked."""
    rows = Edit.objects.filter(shot=shot).select_related("user").defer("changes").order_by("-revision")[:most]
    return [
        {
            "id": str(row.pk),
            "summary": row.summary,
            "who": row.user.get_username(),
            "when": row.made.strftime("%d %b %H:%M"),
            "reversed": row.reversed,
        }
        for row in rows
    ]
