"""Changes as data: which rows were what before, and are what after. Applying them backwards is an undo.

A change is {table, key, before, after}; before or after is None where the row did not or does not exist.
"""

import base64
import uuid
from typing import Any

import numpy as np
from django.db.models import ProtectedError

from jaythread.desk import scene
from jaythread.desk.models import FormKey, LiveRange, Matte, PlacementKey, ReachKey, SettingKey, Shape, StackEntry, Track
from jaythread.errors import Refused
from jaythread.productions.models import Shot
from roto.motion.group import group_of
from roto.motion.keys import Keys
from roto.motion.shape import Shape as CoreShape
from roto.track.ride import own_carrier

Change = dict[str, Any]
CHANNELS: dict[str, tuple[Any, str]] = {
    "form": (FormKey, "form"),
    "placement": (PlacementKey, "place"),
    "settings": (SettingKey, "settings"),
    "reach": (ReachKey, "reach"),
}


def as_uuid(text: str) -> uuid.UUID:
    """An id that a page has sent; refused when it is none."""
    try:
        return uuid.UUID(text)
    except ValueError as error:
        raise Refused(f"'{text}' is not an id.") from error


def change(table: str, key: list[Any], before: dict[str, Any] | None, after: dict[str, Any] | None) -> Change:
    return {"table": table, "key": key, "before": before, "after": after}


def _pack(array: np.ndarray) -> str:
    return base64.b64encode(array.tobytes()).decode()


def key_row(keys: Keys, k: int) -> dict[str, Any]:
    """One key as data, to the last bit."""
    return {
        "kind": int(keys.kinds[k]),
        "held": _pack(keys.held[k].astype(np.int8)),
        "values": _pack(keys.values[k].astype("<f8")),
        "speeds": _pack(keys.speeds[k].astype("<f8")),
    }


def shape_row(shape: CoreShape) -> dict[str, Any]:
    """What a shape is beside its keys; what it rides on, and which points have a reach of their own, only where there is something."""
    group = group_of(shape)
    return {
        "name": shape.name, "kind": shape.kind, "points": _pack(shape.kinds), "colour": shape.colour, "profile": shape.profile,
        "blur": shape.blur, "pivot": list(shape.pivot), "live": [list(r) for r in shape.live], **({"group": group.id} if group else {}),
        **({"own": _pack(np.array(shape.own, np.int8))} if shape.own else {}),
        **({"carrier": carrier} if (carrier := carrier_row(shape)) else {}),
    }  # fmt: skip


def carrier_row(shape: CoreShape) -> dict[str, Any] | None:
    """A shape's own carrier as its row keeps it."""
    carrier = own_carrier(shape)
    if carrier is None:
        return None
    return {"track": carrier.track.id if carrier.track else None, "how": carrier.how, "before": carrier.before.ravel().tolist()}


def compare(shape_id: str, old: CoreShape | None, new: CoreShape | None) -> list[Change]:
    """The changes that lead from one state of a shape to another; None where there is no shape."""
    before = shape_row(old) if old else None
    after = shape_row(new) if new else None
    out = [] if before == after else [change("shape", [shape_id], before, after)]
    for table, (_, attribute) in CHANNELS.items():
        rows: list[dict[int, dict[str, Any]]] = []
        for side in (old, new):
            keys = getattr(side, attribute) if side else None
            rows.append({int(f): key_row(keys, k) for k, f in enumerate(keys.frames)} if keys is not None else {})
        for frame in sorted(set(rows[0]) | set(rows[1])):
            if rows[0].get(frame) != rows[1].get(frame):
                out.append(change(table, [shape_id, frame], rows[0].get(frame), rows[1].get(frame)))
    return out


def read(shot: Shot, table: str, key: list[Any]) -> dict[str, Any] | None:
    """A row as it is now."""
    if table in CHANNELS:
        row = CHANNELS[table][0].objects.filter(shape_id=key[0], frame=key[1]).first()
        if row is None:
            return None
        packed = {name: base64.b64encode(bytes(getattr(row, name))).decode() for name in ("held", "values", "speeds")}
        return {"kind": row.kind, **packed}
    if table == "shape":
        shape = Shape.objects.filter(pk=key[0], shot=shot).first()
        return shape_row(scene.core_shapes([shape])[key[0]]) if shape and shape.form_keys.exists() else None
    if table == "lock":
        return {"locked": Shape.objects.filter(pk=key[0], shot=shot, locked=True).exists()}
    if table == "entry":
        entry = StackEntry.objects.filter(pk=key[0]).first()
        return entry_row(entry) if entry else None
    if table == "matte":
        matte = Matte.objects.filter(pk=key[0], shot=shot).first()
        return matte_row(matte) if matte else None
    if table == "track":
        track = Track.objects.filter(pk=key[0], shot=shot).first()
        return track_row(track) if track else None
    fresh = Shot.objects.get(pk=shot.pk)
    return {"angle": fresh.shutter_angle, "phase": fresh.shutter_phase, "cap": fresh.shutter_cap}


def matte_row(matte: Matte) -> dict[str, Any]:
    return {"name": matte.name, "inverted": matte.inverted, "shift": matte.shift}


def track_row(track: Track) -> dict[str, Any]:
    return {"name": track.name, "data": track.data}


def entry_row(entry: StackEntry) -> dict[str, Any]:
    return {
        "matte": str(entry.matte_id), "shape": str(entry.shape_id), "order": entry.order, "mode": entry.mode, "inverted": entry.inverted,
        "opacity": entry.opacity,
    }  # fmt: skip


def write(shot: Shot, table: str, key: list[Any], row: dict[str, Any] | None) -> None:
    """Make a row be this."""
    if table in CHANNELS:
        model = CHANNELS[table][0]
        if row is None:
            model.objects.filter(shape_id=key[0], frame=key[1]).delete()
        else:
            packed = {name: base64.b64decode(row[name]) for name in ("held", "values", "speeds")}
            one = model(shape_id=key[0], frame=key[1], kind=row["kind"], **packed)
            fields = ["kind", "held", "values", "speeds"]
            model.objects.bulk_create([one], update_conflicts=True, unique_fields=["shape", "frame"], update_fields=fields)
    elif table == "shape":
        if row is None:
            Shape.objects.filter(pk=key[0], shot=shot).delete()
            return
        plain = {name: row[name] for name in ("name", "kind", "colour", "profile", "blur")}
        Shape.objects.update_or_create(
            pk=key[0],
            defaults={
                "shot": shot,
                "points": base64.b64decode(row["points"]),
                "pivot_x": row["pivot"][0],
                "pivot_y": row["pivot"][1],
                "group_id": row.get("group"),
                "own_reach": base64.b64decode(row.get("own", "")),
                "carrier": row.get("carrier"),
                **plain,
            },
        )
        LiveRange.objects.filter(shape_id=key[0]).delete()
        LiveRange.objects.bulk_create(LiveRange(shape_id=key[0], first=a, last=b) for a, b in row["live"])
    elif table == "track":
        if row is None:
            if Shape.objects.filter(shot=shot, carrier__track=key[0]).exists():
                raise Refused("Shapes ride on this track; it stays.")
            Track.objects.filter(pk=key[0], shot=shot).delete()
        else:
            Track.objects.update_or_create(pk=key[0], defaults={"shot": shot, "revision": shot.revision + 1, **row})
    elif table == "lock":
        Shape.objects.filter(pk=key[0], shot=shot).update(locked=bool(row and row["locked"]))
    elif table == "entry":
        if row is None:
            StackEntry.objects.filter(pk=key[0]).delete()
        else:
            StackEntry.objects.update_or_create(
                pk=key[0],
                defaults={
                    "matte_id": row["matte"], "shape_id": row["shape"],
                    **{n: row[n] for n in ("order", "mode", "inverted", "opacity")},
                },
            )  # fmt: skip
    elif table == "matte":
        if row is None:
            try:
                Matte.objects.filter(pk=key[0], shot=shot).delete()
            except ProtectedError as error:
                raise Refused("This matte has been delivered; it stays.") from error
        else:
            Matte.objects.update_or_create(pk=key[0], defaults={"shot": shot, **row})
    else:
        assert row is not None
        Shot.objects.filter(pk=shot.pk).update(shutter_angle=row["angle"], shutter_phase=row["phase"], shutter_cap=row["cap"])


def turned(changes: list[Change]) -> list[Change]:
    """The same changes backwards."""
    return [{**c, "before": c["after"], "after": c["before"]} for c in reversed(changes)]


def outermost(changes: list[Change]) -> list[Change]:
    """One change a row: from what it was before the first of them."""
    first: dict[tuple[str, str], Change] = {}
    for one in changes:
        first.setdefault((one["table"], str(one["key"])), one)
    return list(first.values())


def shapes_in(changes: list[Change]) -> set[str]:
    """The shapes whose own rows are touched."""
    return {c["key"][0] for c in changes if c["table"] in ("shape", "lock") or c["table"] in CHANNELS}


def carried_by(shot: Shot, changes: list[Change]) -> set[str]:
    """The shapes and groups that ride on tracks that are touched."""
    tracks = sorted({c["key"][0] for c in changes if c["table"] == "track"})
    return {str(pk) for pk in Shape.objects.filter(shot=shot, carrier__track__in=tracks).values_list("pk", flat=True)} if tracks else set()
