"""The step Check: how well a matte's outlines lie on the picture, frame by frame; which frames were looked at; where to key next."""

import uuid
from dataclasses import replace
from typing import Any

import cv2
import numpy as np

from jaythread.desk import policies
from jaythread.desk.analysis import plate_analysis
from jaythread.desk.document import core_cache, lookups
from jaythread.desk.document.matte_frames import MatteFrames, ready
from jaythread.desk.models import FrameFit, Matte, StackEntry
from jaythread.errors import NotThere, Refused
from jaythread.jobs.models import Job
from jaythread.jobs.progress import Progress
from jaythread.jobs.registry import Kind, Prepared, register
from jaythread.plates import frames as plate_frames
from jaythread.plates.models import Mixed, Plate
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, shot_for
from roto.curve.flatten import flatten
from roto.motion.shape import CLOSED
from roto.motion.shape import Shape as CoreShape
from roto.track import edge_fit, mixing

FLAT = 0.2
"""px: how finely what covers an outline is drawn"""
NEAR = 4
"""px beside another shape within which its edge may be taken for this one's"""
SHOWN = 0.75
"""px of offset from which a place is marked in the picture"""
WEAKEST = 8
"""frames in the list"""
LOOKS, ENOUGH = 6, 60
"""frames on which it is read how a plate was mixed, and places of edges that must be known there for it to be kept"""


def _cover(look: MatteFrames, but: str, k: int) -> np.ndarray | None:
    """Where other shapes that add lie on a frame, (h, w): there the matte has no edge of this one. None for a shape that cuts."""
    if look.modes[but] != "add":
        return None
    width, height = look.core.size
    mask = np.zeros((height, width), np.float32)
    for other, points in look.outlines.items():
        if other != but and look.modes[other] == "add" and look.shapes[other].is_live(int(look.frames[k])):
            vertices, _ = flatten(points[k : k + 1], FLAT)
            cv2.fillPoly(mask, [np.rint(vertices * 16 - 8).astype(np.int32)], 1.0, shift=4)
    return np.asarray(cv2.dilate(mask, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * NEAR + 1,) * 2)))


def measured(look: MatteFrames, k: int, picture: np.ndarray, only: str | None = None) -> dict[str, tuple[edge_fit.Fit, np.ndarray]]:
    """The fit of each live shape on a frame, and the segments of its places."""
    out = {}
    for shape_id, points in look.outlines.items():
        if only not in (None, shape_id) or not look.shapes[shape_id].is_live(int(look.frames[k])):
            continue
        segments, t = edge_fit.parameters(points)
        cover = _cover(look, shape_id, k)
        window = edge_fit.window_of(points[k])
        out[shape_id] = (edge_fit.measure(picture, points[k], segments, t, cover, window, light=look.light), segments)
    return out


def _knowing_how_mixed(look: MatteFrames, plate: Plate | None) -> MatteFrames:
    """Frames to be measured, once it is known how the plate's edges were mixed: read from some frames of the shapes, and kept, the first
    time that enough is known of them."""
    if plate is None or plate.mixed != Mixed.UNKNOWN:
        return look
    profiles = []
    for k in np.unique(np.linspace(0, len(look.frames) - 1, LOOKS).astype(int)).tolist():
        try:
            picture = plate_frames.as_displayed(plate, int(look.frames[k]))
        except NotThere:
            continue
        profiles += [mixing.profile(picture, one) for one, _ in measured(replace(look, light=False), k, picture).values()]
    if sum(one.places for one in profiles) < ENOUGH:
        return look
    plate.mixed = Mixed.LIGHT if mixing.in_light(profiles) else Mixed.SHOWN
    same = Plate.objects.filter(pk=plate.pk, mixed=Mixed.UNKNOWN, display_version=plate.display_version)
    if not same.update(mixed=plate.mixed):
        plate.refresh_from_db(fields=["mixed"])
    return replace(look, light=plate.mixed == Mixed.LIGHT)


def _prepare(shot: Shot, subject: str, settings: object) -> Prepared:
    """The matte is there."""
    lookups.matte_row(shot, subject)
    return Prepared()


def _measure(job: Job, progress: Progress) -> str:
    """Measure the frames of the working range where the fit is not known, or has changed since; safe to run again."""
    row = lookups.matte_row(job.shot, job.subject)
    plate = job.shot.plates.first()
    look = _knowing_how_mixed(ready(job.shot, row, plate), plate)
    known = dict(FrameFit.objects.filter(matte=row).values_list("frame", "key"))
    first, last = job.shot.working
    wanted = [k for k, f in enumerate(look.frames) if first <= f <= last and known.get(int(f)) != look.fit_keys[k]]
    progress.begin(len(wanted))
    for done, k in enumerate(wanted, 1):
        _keep(row, look, k, plate)
        progress.step(done)
    return ""


MEASURING = register(
    Kind(name="fit.measure", may="trace", busy="This matte is being measured already.", prepare=_prepare, run=_measure),
)


def _keep(row: Matte, look: MatteFrames, k: int, plate: Plate | None) -> None:
    frame = int(look.frames[k])
    try:
        picture = plate_frames.as_displayed(plate, frame)
    except NotThere:
        found = {}  # a frame that is missing from the stills: nothing is known of it
    else:
        fits = measured(look, k, picture)
        found = {i: edge_fit.by_segment(one, segments, look.shapes[i].form.parts) for i, (one, segments) in fits.items()}
    shapes = {i: [[_rounded(a), round(b, 3), round(c, 4), _rounded(d)] for a, b, c, d in rows] for i, rows in found.items()}
    FrameFit.objects.update_or_create(matte=row, frame=frame, defaults={"key": look.fit_keys[k], "shapes": shapes})


def _rounded(px: float | None) -> float | None:
    return None if px is None else round(px, 3)


def scores(look: MatteFrames, rows: dict[int, FrameFit]) -> dict[str, np.ndarray]:
    """px (F,) that each shape is off by on each frame, all in all; NaN where it is not known, or has changed since it was measured."""
    return {shape_id: edge_fit.scores_over_time(frames) for shape_id, frames in _told(look, rows).items()}


def _told(look: MatteFrames, rows: dict[int, FrameFit]) -> dict[str, list[Any]]:
    """By shape, what was measured of its segments on each frame; None where it has changed since."""
    out = {}
    keys = look.fit_keys
    for shape_id in look.shapes:
        frames: list[Any] = []
        for k, frame in enumerate(look.frames):
            row = rows.get(int(frame))
            fresh = row is not None and row.key == keys[k]
            frames.append(row.shapes.get(shape_id) if row is not None and fresh else None)
        out[shape_id] = frames
    return out


def state(user: User, shot_id: int, matte_id: uuid.UUID) -> dict[str, Any]:
    """The fit of every frame: [px of its weakest shape or null, that shape, whether it was looked at]; which are weakest; where to key.

    measured: frames of the working range that are measured as they are now. A frame without anything known has null.
    """
    shot, row = policies.matte_for(user, shot_id, matte_id, "look")
    look = ready(shot, row, shot.plates.first())
    rows = {r.frame: r for r in row.fits.all()}
    told_of = _told(look, rows)
    mean = {i: edge_fit.scores_over_time(one) for i, one in told_of.items()}
    stretches = {i: np.where(np.isnan(mean[i])[:, None], np.nan, edge_fit.stretches_over_time(one)) for i, one in told_of.items()}
    each = {i: np.fmax(mean[i], stretches[i][:, 1]) for i in told_of}
    ids = list(each)
    table = np.stack([each[i] for i in ids]) if ids else np.full((1, len(look.frames)), np.nan)
    frames: dict[int, list[Any]] = {}
    for k, frame in enumerate(look.frames.tolist()):
        column = np.nan_to_num(table[:, k], nan=-1.0)
        worst = int(column.argmax())
        known = column[worst] >= 0
        kept = rows.get(frame)
        seen = bool(kept and kept.looked and kept.looked == look.keys[k])
        frames[frame] = [round(float(column[worst]), 2) if known else None, ids[worst] if known else None, seen]
    first, last = shot.working
    within = [first <= f <= last for f in frames]
    told = np.array(
        [np.nan if seen or off is None or not here else off for (off, _, seen), here in zip(frames.values(), within, strict=True)]
    )
    keyed = [worst is not None and _has_key(look.shapes[worst], frame) for frame, (_, worst, _) in frames.items()]
    weakest = edge_fit.weakest(told, np.array(keyed), shot.first)
    return {
        "revision": shot.revision,
        "frames": frames,
        "measured": sum(
            within[k] and f in rows and rows[f].key == key for k, (f, key) in enumerate(zip(frames, look.fit_keys, strict=True))
        ),
        "weakest": weakest[:WEAKEST],
        "weak": edge_fit.WEAK,
        "key": _where_to_key(look, {i: np.where(within, values[:, 0], np.nan) for i, values in stretches.items()}),
    }


def _has_key(shape: CoreShape, frame: int) -> bool:
    return shape.form.index(frame) is not None or shape.place.index(frame) is not None


def _where_to_key(look: MatteFrames, each: dict[str, np.ndarray]) -> dict[str, Any] | None:
    best: dict[str, Any] | None = None
    for shape_id, values in each.items():
        shape = look.shapes[shape_id]
        frame = edge_fit.where_to_key(values, np.union1d(shape.form.frames, shape.place.frames).tolist(), int(look.frames[0]))
        if frame is not None:
            off = float(values[frame - look.frames[0]])
            if best is None or off > best["off"]:
                best = {"shape": shape_id, "name": shape.name, "frame": frame, "off": round(off, 2)}
    return best


def on_frame(user: User, shot_id: int, matte_id: uuid.UUID, frame: int) -> dict[str, Any]:
    """Where outlines are off on a frame: [x, y, and how far the edge lies from there in x and y, how sure], of places that are off by
    SHOWN px or more; and per shape how much of its outline is known, percent."""
    shot, row = policies.matte_for(user, shot_id, matte_id, "look")
    plate = shot.plates.first()
    look = ready(shot, row, plate)
    if not shot.first <= frame <= shot.last:
        raise NotThere("That frame is not in the shot.")
    marks, known = [], {}
    for shape_id, (one, _) in measured(look, frame - shot.first, plate_frames.as_displayed(plate, frame)).items():
        off = np.flatnonzero(np.abs(np.nan_to_num(one.offset)) >= SHOWN)
        way = one.outward[off] * one.offset[off][:, None]
        marks += np.concatenate([one.places[off], way, one.confidence[off][:, None]], axis=1).round(2).tolist()
        known[shape_id] = round(100 * one.known)
    return {"frame": frame, "revision": shot.revision, "marks": marks, "known": known}


def look_at(user: User, shot_id: int, matte_id: uuid.UUID, frame: int, looked: bool) -> None:
    """Say that a frame was looked at, or not; it holds until something changes there."""
    shot, row = policies.matte_for(user, shot_id, matte_id, "trace")
    if not shot.first <= frame <= shot.last:
        raise NotThere("That frame is not in the shot.")
    key = ready(shot, row, shot.plates.first()).keys[frame - shot.first]
    FrameFit.objects.update_or_create(matte=row, frame=frame, defaults={"looked": key if looked else ""})


def _in_light(plate: Plate | None, picture: np.ndarray, found: edge_fit.Fit) -> bool:
    """Whether an edge that was found is to be looked for in linear light; where that is not known of the plate, by the edge itself."""
    if plate is not None and plate.mixed != Mixed.UNKNOWN:
        return plate.mixed == Mixed.LIGHT
    return mixing.in_light([mixing.profile(picture, found)])


def pull(user: User, shot_id: int, shape_id: str, frame: int, points: list[int], radius: float) -> dict[str, Any]:
    """Where points of a shape would lie on the picture's edge: index to six numbers; how far they would move (px); known, percent."""
    shot = shot_for(user, shot_id, "look")
    shape = core_cache.shape(lookups.shape_row(shot, shape_id))
    if shape.kind != CLOSED:
        raise Refused("Only closed outlines are pulled to an edge.")
    if not 1 <= radius <= 60:
        raise Refused("Pull within 1 to 60 px.")
    which = [p for p in points if 0 <= p < shape.form.parts] or list(range(shape.form.parts))
    outline = shape.outlines(np.array([frame]))
    segments, t = edge_fit.parameters(outline)
    cuts = not StackEntry.objects.filter(shape__pk=shape_id, mode="add").exists()  # what cuts is seen within what it cuts from
    others = None if cuts else plate_analysis.beside(shot, shape_id, frame)
    within = edge_fit.window_of(outline[0], radius) if radius > 3 else radius
    plate = shot.plates.first()
    picture = plate_frames.as_displayed(plate, frame)
    found = edge_fit.measure(picture, outline[0], segments, t, others, within)
    if _in_light(plate, picture, found):
        found = edge_fit.measure(picture, outline[0], segments, t, others, within, light=True)
    beside = np.isin(segments, which) | np.isin((segments + 1) % shape.form.parts, which)
    known = float(np.isfinite(found.offset[beside]).mean())
    if known < 0.1:
        raise Refused("The picture shows no edge there: too little contrast, or another shape lies over it.")
    moved = edge_fit.pulled(outline[0], found, segments, t, which)
    far = np.hypot(*(moved - outline[0])[:, :2].T)[which]
    return {
        "points": {i: moved[i].tolist() for i in which},
        "mean": round(float(far.mean()), 2),
        "most": round(float(far.max()), 2),
        "known": round(100 * known),
    }
