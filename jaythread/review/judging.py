"""Findings of a matte as rows: judged from what was read, and brought into step with what people have said to them."""

import hashlib
from collections.abc import Sequence

import numpy as np
from django.db import transaction
from django.utils import timezone

from jaythread.desk.analysis import fit
from jaythread.desk.document import matte_frames
from jaythread.desk.models import Matte
from jaythread.productions.models import Shot
from jaythread.review.models import Finding, FrameCheck, State
from roto.check import findings
from roto.check.edges import Edges
from roto.check.motion import Moving
from roto.check.neighbours import Meeting
from roto.check.reading import Reading


def seen(row: FrameCheck, off: float | None) -> findings.Seen:
    """What was read of a frame, as the core judges it. off: px that its weakest outline lies off the picture's edge, where known."""
    moving, told = row.read["moving"], row.edges
    return findings.Seen(
        frame=row.frame,
        reading=Reading.from_json(row.read["reading"]),
        moving=None if moving is None else Moving.from_json(moving),
        edges=None if told is None or told["edges"] is None else Edges.from_json(told["edges"]),
        capped=row.read["capped"],
        fringe=row.read["fringe"],
        starved=0.0 if told is None else told.get("starved", 0.0),
        fit=off,
        meets=None if told is None else {name: Meeting.from_json(one) for name, one in told["meets"].items()},
    )


def fits(shot: Shot, row: Matte) -> dict[int, float]:
    """px that the weakest outline of a frame is off by, where that was measured and nobody looked at it since."""
    rows = {r.frame: r for r in row.fits.all()}
    if not rows:
        return {}
    look = matte_frames.ready(shot, row, shot.plates.first())
    each = fit.scores(look, rows)
    if not each:
        return {}
    worst = np.nan_to_num(np.stack(list(each.values())), nan=-1.0).max(axis=0)
    looked = {f for f, r in rows.items() if r.looked and r.looked == look.keys[f - shot.first]}
    return {int(f): float(off) for f, off in zip(look.frames, worst, strict=True) if off >= 0 and int(f) not in looked}


def judge(shot: Shot, row: Matte, whole: bool = False) -> None:
    """Find anew. whole: all is read as it is now; then what is not found any more was put right."""
    off = fits(shot, row)
    rows = list(row.checks.defer("small").filter(frame__range=shot.working))
    found = findings.find([seen(one, off.get(one.frame)) for one in rows], *shot.working, shot.width)
    keys = {one.frame: f"{one.key} {one.edges_key}" for one in rows}
    with transaction.atomic():
        Matte.objects.select_for_update().get(pk=row.pk)
        _bring_into_step(row, found, keys, whole)


def _key(one: findings.Finding, keys: dict[int, str]) -> str:
    on = [keys.get(f, "") for f in range(one.first, one.last + 1)]
    return hashlib.blake2b("\n".join([one.what, one.other, *on]).encode(), digest_size=20).hexdigest()


def _bring_into_step(row: Matte, found: Sequence[findings.Finding], keys: dict[int, str], whole: bool) -> None:
    """A finding that is there already keeps its row, and what was said to it as long as it was measured on the same."""
    there = list(Finding.objects.filter(matte=row).exclude(state=State.RIGHT))
    now = timezone.now()
    for one in found:
        key = _key(one, keys)
        same = [old for old in there if old.what == one.what and old.other == one.other and old.first <= one.last and one.first <= old.last]
        kept = next((old for old in same if old.key == key and old.box == _box(one)), None) or next(iter(same), None)
        new = kept or Finding(matte=row, what=one.what, other=one.other)
        if kept is not None:
            there.remove(kept)
        told = {
            "first": one.first, "last": one.last, "box": _box(one), "amount": one.amount, "harm": float(one.harm),
            "says": one.says[:300], "why": one.why[:300], "key": key,
        }  # fmt: skip
        if kept is not None and all(getattr(kept, name) == value for name, value in told.items()):
            continue
        if kept is None or kept.key != key:
            new.state, new.user, new.reason, new.changed = State.OPEN, None, "", now
        for name, value in told.items():
            setattr(new, name, value)
        new.save()
    if whole:
        Finding.objects.filter(pk__in=[old.pk for old in there]).update(state=State.RIGHT, changed=now)


def _box(one: findings.Finding) -> list[int] | None:
    return None if one.box is None else [int(v) for v in one.box]
