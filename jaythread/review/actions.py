"""What can be done with the check of a matte: look at it, answer a finding, have one put right."""

import uuid
from typing import Any

import cv2
import numpy as np
from django.db import transaction
from django.utils import timezone

from jaythread.desk import policies
from jaythread.desk.models import Matte
from jaythread.errors import NotThere, Refused
from jaythread.plates import frames as plate_frames
from jaythread.productions.models import Shot
from jaythread.productions.policies import User, account, shot_for
from jaythread.review import judging
from jaythread.review.models import Finding, FrameCheck, State
from jaythread.review.reader import read_of
from jaythread.review.reading import keys_of
from roto.check.findings import KINDS
from roto.motion.live_ranges import tidy
from roto.motion.shape import GROUP, Shape
from roto.picture import stills

LONGEST = 300
"""characters of a reason"""
PUT_RIGHT_SHOWN = 30
"""findings that were put right, the newest, that are told"""
GRAVE = 6.0
"""harm from which a receiver would ask: what is gone, late, early, jumps, stands away or still, boils, flickers; gaps, holes, specks"""
TINT, GROUND = (214, 122, 36), 128
"""the tint of the sheet, and the grey that a cut-out lies on, as displayed"""
WAYS = ("matte", "tint", "cut-out", "plate")


def state(user: User, shot_id: int, matte_id: uuid.UUID) -> dict[str, Any]:
    """All that is known of a matte's frames: what is found, what was measured over time, which frames have changed since."""
    shot, row = policies.matte_for(user, shot_id, matte_id, "look")
    read = read_of(shot, row, shot.plates.first())
    keys = keys_of(shot, read)
    rows = {one.frame: one for one in row.checks.defer("small")}
    fresh = [f for f, key in keys.frames.items() if f in rows and rows[f].key == key]
    edged = sum(f in rows and rows[f].edges_key == key for f, key in keys.edges.items())
    shapes = [e.shape for e in read.core.entries if e.shape.kind != GROUP]
    found = list(row.findings.exclude(state=State.RIGHT).select_related("user"))
    found += list(row.findings.filter(state=State.RIGHT).select_related("user").order_by("-changed")[:PUT_RIGHT_SHOWN])
    return {
        "revision": shot.revision, "frames": shot.working, "fresh": fresh,
        "complete": len(fresh) == len(keys.frames) and edged == len(keys.edges),
        "findings": [_told(one, shapes, shot.working) for one in found], "curves": _curves(rows, shot.working) | {"fit": _fit(shot, row)},
    }  # fmt: skip


def _told(one: Finding, shapes: list[Shape], within: tuple[int, int]) -> dict[str, Any]:
    return {
        "id": one.pk, "what": one.what, "first": one.first, "last": one.last, "box": one.box, "amount": round(one.amount, 2),
        "says": one.says, "why": one.why, "mend": KINDS[one.what].mend if one.what in KINDS else "", "state": one.state,
        "by": one.user.get_username() if one.user else "", "reason": one.reason,
        "acts": mends(one, shapes, within) if one.state == State.OPEN else [],
    }  # fmt: skip


def _curves(rows: dict[int, FrameCheck], within: tuple[int, int]) -> dict[str, list[float | None]]:
    """By name, a number a frame of the working range; null where nothing is known."""
    names = ("area", "x", "y", "outline", "edge", "pieces", "alone")
    out: dict[str, list[float | None]] = {name: [] for name in (*names, "speed")}
    before: dict[str, Any] | None = None
    for frame in range(within[0], within[1] + 1):
        read = rows[frame].read if frame in rows else None
        told = None if read is None or read["reading"]["area"] < 0.5 else read["reading"]
        for name in names[:-1]:
            none = 0 if read is not None and name in ("area", "pieces") else None  # of an empty frame
            out[name].append(none if told is None else told[name])
        moving = None if read is None else read["moving"]
        out["alone"].append(None if moving is None or told is None else moving["by"])
        way = None if told is None or before is None else float(np.hypot(told["x"] - before["x"], told["y"] - before["y"]))
        out["speed"].append(None if way is None else round(way, 2))
        before = told
    return out


def _fit(shot: Shot, row: Matte) -> list[float | None]:
    """px that the weakest outline lies off the picture's edge, a number a frame of the working range, where that was measured."""
    off = judging.fits(shot, row)
    return [round(off[f], 2) if f in off else None for f in range(shot.working[0], shot.working[1] + 1)]


def grave(matte: Matte, first: int, last: int) -> list[Finding]:
    """What the check thinks wrong on these frames and a receiver would ask about, answered or not. Nothing where the matte has changed
    since it was looked at."""
    shot = matte.shot
    keys = keys_of(shot, read_of(shot, matte, shot.plates.first())).frames
    rows = dict(matte.checks.values_list("frame", "key"))
    if any(rows.get(f) != key for f, key in keys.items() if first <= f <= last):
        return []
    found = matte.findings.exclude(state=State.RIGHT).filter(first__lte=last, last__gte=first, harm__gte=GRAVE)
    return list(found.select_related("user"))


def mends(one: Finding, shapes: list[Shape], within: tuple[int, int]) -> list[dict[str, Any]]:
    """Edits that may put a finding right, each with the words of its button."""
    if one.what in ("gone", "late", "early"):
        return _to_be_live(one, shapes)
    if one.what in ("stray", "jump", "frozen"):
        return [act for shape in shapes for act in _without_keys(one, shape)]
    if one.what == "no blur":
        sharp = [s for s in shapes if not s.blur]
        return [{"says": f"Blur {s.name} as it moves", "command": {"do": "appearance", "shape": s.id, "blur": True}} for s in sharp]
    return []


def _to_be_live(one: Finding, shapes: list[Shape]) -> list[dict[str, Any]]:
    """Shapes that are live right beside the frames in question, and not there, made live there too."""
    beside = {"late": [one.last + 1], "early": [one.first - 1]}.get(one.what, [one.first - 1, one.last + 1])
    out = []
    for shape in shapes:
        if shape.live and any(shape.is_live(f) for f in beside) and not shape.is_live(one.first):
            ranges = [list(r) for r in tidy([*shape.live, (one.first, one.last)])]
            out.append({"says": f"Let {shape.name} be live there", "command": {"do": "live", "shape": shape.id, "ranges": ranges}})
    return out


def _without_keys(one: Finding, shape: Shape) -> list[dict[str, Any]]:
    """The keys of a shape on a frame, taken away, where others stay."""
    drops = []
    for frame in range(one.first, one.last + 1):
        for channel, keys in (("form", shape.form), ("place", shape.place)):
            if keys.index(frame) is not None and len(keys.frames) > 1:
                drops.append({"do": "drop key", "shape": shape.id, "channel": channel, "frame": frame})
    if not drops or len(drops) > 12:
        return []
    where = f"on {one.first}" if one.first == one.last else f"on {one.first}-{one.last}"
    says = f"Take the key{'s' if len(drops) > 1 else ''} of {shape.name} {where} away"
    command = drops[0] if len(drops) == 1 else {"do": "together", "summary": says, "commands": drops}
    return [{"says": says, "command": command}]


@transaction.atomic
def answer(user: User, shot_id: int, finding_id: int, meant: bool, reason: str) -> Finding:
    """Say that what was found is meant so, and why; or that it is open again. Refused where it was put right meanwhile, and where
    somebody else has answered it."""
    shot = shot_for(user, shot_id, "trace")
    one = Finding.objects.select_for_update(of=("self",)).select_related("user").filter(pk=finding_id, matte__shot=shot).first()
    if one is None:
        raise NotThere("That finding is not there any more.")
    if one.state == State.RIGHT:
        raise Refused("That was put right meanwhile: there is nothing left to answer.")
    says = " ".join(reason.split())
    if len(says) > LONGEST or not says.isprintable():
        raise Refused(f"Say why in at most {LONGEST} characters.")
    if meant and not says:
        raise Refused("Say in a few words why it is meant so: whoever looks next will ask.")
    mine = account(user)
    if meant and one.state == State.MEANT and one.user_id not in (None, mine):
        raise Refused(f"{one.user} has answered this already: {one.reason}")
    one.state, one.user_id, one.reason = (State.MEANT, mine, says) if meant else (State.OPEN, None, "")
    one.changed = timezone.now()
    one.save()
    return one


def small(user: User, shot_id: int, matte_id: uuid.UUID, frame: int, way: str) -> tuple[bytes, str]:
    """The small picture of a frame, and its kind of file. way: one of WAYS."""
    shot, row = policies.matte_for(user, shot_id, matte_id, "look")
    check = row.checks.filter(frame=frame).first()
    if way not in WAYS:
        raise NotThere()
    if check is None and way != "plate":
        raise NotThere("That frame was not looked at yet.")
    if check is not None and way == "matte":
        return bytes(check.small), "image/png"
    picture = _plate(shot, row, frame, check)
    if check is not None and way != "plate":
        alpha = cv2.imdecode(np.frombuffer(bytes(check.small), np.uint8), cv2.IMREAD_GRAYSCALE)
        assert alpha is not None, "it was encoded here"
        cover = cv2.resize(alpha, picture.shape[1::-1])[..., None].astype(np.float32) / 255
        ground = np.array(TINT, np.float32) if way == "tint" else np.float32(GROUND)
        share = 0.55 * cover if way == "tint" else 1 - cover
        picture = np.rint(picture * (1 - share) + ground * share).astype(np.uint8)
    return stills.encode_picture(picture, ".jpg"), "image/jpeg"


def _plate(shot: Shot, row: Matte, frame: int, check: FrameCheck | None) -> np.ndarray:
    plate = shot.plates.first()
    if plate is None:
        raise NotThere("The shot has no plate.")
    width = min(320, shot.width)
    return cv2.resize(
        plate_frames.small(plate, frame), (width, max(1, round(shot.height * width / shot.width))), interpolation=cv2.INTER_AREA
    )
