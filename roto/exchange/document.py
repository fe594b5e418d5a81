"""The shape document: one matte as one JSON file (schema beside this file), written and read without loss."""

import json
from collections.abc import Mapping
from dataclasses import asdict
from fractions import Fraction
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from jsonschema import Draft202012Validator

from roto.arrays import Floats
from roto.errors import BadDocument, RotoError
from roto.matte.shutter import Shutter
from roto.matte.stack import Entry, Matte, Source
from roto.motion import bounds, placement
from roto.motion.group import DEEPEST, group_of, groups_of
from roto.motion.keys import KIND_NAMES, Keys
from roto.motion.live_ranges import tidy
from roto.motion.shape import BELL, CURVE, GROUP, Shape, settings_values
from roto.track.ride import carrier_of, own_carrier, rides_of
from roto.track.sheet import Lattice
from roto.track.track import Carrier, Track

SCHEMA = Path(__file__).with_name("shapes.schema.json")
POINT_NAMES = ("corner", "curve")
CHANNELS = ("form", "placement", "settings", "reach")
KEY_FIELDS = {"frame", "kind", "values", "parts", "speeds"}


@lru_cache
def _validator() -> Draft202012Validator:
    return Draft202012Validator(json.loads(SCHEMA.read_text()))


def channel_to_json(keys: Keys) -> list[dict[str, Any]]:
    """Keys as the document writes them."""
    out = []
    for k, frame in enumerate(keys.frames):
        held = np.flatnonzero(keys.held[k])
        key: dict[str, Any] = {"frame": int(frame), "kind": KIND_NAMES[keys.kinds[k]]}
        if len(held) < keys.parts:
            key["parts"] = held.tolist()
        key["values"] = keys.values[k, held].tolist()
        speeds = keys.speeds[k, held]
        if not np.isnan(speeds).all():
            key["speeds"] = [None if np.isnan(row).any() else row.tolist() for row in speeds]
        out.append(key)
    return out


def _all_at_once(rows: list[dict[str, Any]], parts: int, width: int) -> Floats | None:
    """The values (K, parts, width) of keys that hold all parts; None where some do not, or do not fit."""
    if any("parts" in row or len(row["values"]) != parts or any(len(v) != width for v in row["values"]) for row in rows):
        return None
    return np.array([row["values"] for row in rows], dtype=np.float64)


def channel_from_json(rows: list[dict[str, Any]], parts: int, width: int, path: str) -> Keys:
    """Keys from the document; `path` leads the messages."""
    values = np.zeros((len(rows), parts, width))
    speeds = np.full((len(rows), parts, width), np.nan)
    held = np.zeros((len(rows), parts), bool)
    every = list(range(parts))
    together = _all_at_once(rows, parts, width)
    if together is not None:
        values[:], held[:] = together, True
    for k, row in enumerate(rows):
        if together is not None and "speeds" not in row:
            continue
        which = row.get("parts", every)
        if any(p >= parts for p in which):
            raise BadDocument(f"{path}[{k}].parts", f"there are only {parts} parts, counted from 0.")
        if len(row["values"]) != len(which) or any(len(v) != width for v in row["values"]):
            raise BadDocument(f"{path}[{k}].values", f"must be {len(which)} rows of {width} numbers.")
        values[k, which] = row["values"]
        held[k, which] = True
        if "speeds" in row:
            if len(row["speeds"]) != len(which) or any(s is not None and len(s) != width for s in row["speeds"]):
                raise BadDocument(f"{path}[{k}].speeds", f"must be {len(which)} rows of {width} numbers or null.")
            speeds[k, which] = [[np.nan] * width if s is None else s for s in row["speeds"]]
    kinds = [KIND_NAMES.index(row.get("kind", "flowing")) for row in rows]
    try:
        return Keys.build([row["frame"] for row in rows], values, held=held, kinds=kinds, speeds=speeds)
    except RotoError as error:
        raise BadDocument(path, error.message) from error


def shape_to_json(shape: Shape) -> dict[str, Any]:
    """One shape as the document writes it."""
    group = group_of(shape)
    return {
        "id": shape.id,
        "name": shape.name,
        "kind": shape.kind,
        **({"group": group.id} if group else {}),
        **_carrier_to_json(shape),
        "colour": shape.colour,
        "profile": shape.profile,
        "blur": shape.blur,
        **({} if shape.lens_kind == BELL else {"lens": shape.lens_kind}),
        "pivot": [float(v) for v in shape.pivot],
        "points": [POINT_NAMES[k] for k in shape.kinds],
        "live": [list(r) for r in shape.live],
        "form": channel_to_json(shape.form),
        "placement": channel_to_json(shape.place),
        "settings": channel_to_json(shape.settings),
        **({} if shape.reach is None else {"reach": channel_to_json(shape.reach), "own_reach": list(shape.own)}),
    }


def group_to_json(group: Shape) -> dict[str, Any]:
    """What moves shapes together, as the document writes it."""
    return {
        "id": group.id,
        "name": group.name,
        **({"group": its.id} if (its := group_of(group)) else {}),
        "colour": group.colour,
        "pivot": [float(v) for v in group.pivot],
        "placement": channel_to_json(group.place),
        **_carrier_to_json(group),
    }


def _carrier_to_json(shape: Shape) -> dict[str, Any]:
    carrier = own_carrier(shape)
    if carrier is None:
        return {}
    track = carrier.track.id if carrier.track else None
    return {"carrier": {"track": track, "how": carrier.how, "before": carrier.before.ravel().tolist()}}


def _carrier_from_json(row: dict[str, Any], path: str, tracks: dict[str, Track]) -> Carrier | None:
    if "carrier" not in row:
        return None
    said = row["carrier"]
    if said["track"] not in (None, *tracks):
        raise BadDocument(f"{path}.carrier.track", f"there is no track '{said['track']}' in the document.")
    before = np.array(said["before"], dtype=np.float64).reshape(3, 3)
    if abs(np.linalg.det(before)) < 1e-12:
        raise BadDocument(f"{path}.carrier.before", "takes the whole picture to a line or a point.")
    track = tracks[said["track"]] if said["track"] else None
    if track is not None and said["how"] not in track.hows:
        raise BadDocument(f"{path}.carrier.how", f"'{track.name}' has too few points for that.")
    return Carrier(track=track, how=said["how"], before=before)


def track_to_json(track: Track) -> dict[str, Any]:
    """A track as the document writes it."""
    return {
        "id": track.id,
        "name": track.name,
        "home": track.home,
        "points": channel_to_json(track.points),
        "sure": track.confidence.tolist(),
        "hand": sorted(track.manual),
        **({"sheet": asdict(track.sheet)} if track.sheet is not None else {}),
    }


def track_from_json(row: dict[str, Any], path: str) -> Track:
    """A track from a document that fits the schema."""
    points = channel_from_json(row["points"], len(row["points"][0]["values"]), 2, f"{path}.points")
    if np.abs(points.values).max() > bounds.FARTHEST:
        raise BadDocument(f"{path}.points", f"lie more than {bounds.FARTHEST:,.0f} px away.")
    confidence = np.array(row.get("sure", [1.0] * len(points.frames)), dtype=np.float64)
    try:
        return Track(
            id=row["id"], name=row["name"], home=row["home"], points=points, confidence=confidence, manual=frozenset(row.get("hand", [])),
            sheet=Lattice(**row["sheet"]) if "sheet" in row else None,
        )  # fmt: skip
    except RotoError as error:
        raise BadDocument(path, error.message) from error


def _reach_from_json(row: dict[str, Any], path: str) -> dict[str, Any]:
    if "reach" not in row:
        return {}
    count = len(row["points"])
    own = row.get("own_reach", [True] * count)
    if len(own) != count:
        raise BadDocument(f"{path}.own_reach", f"must say so of each of the {count} points.")
    return {"reach": channel_from_json(row["reach"], count, 2, f"{path}.reach"), "own": tuple(own)}


def groups_from_json(rows: list[dict[str, Any]], tracks: dict[str, Track]) -> dict[str, Shape]:
    """The groups of a document that fits the schema, by id; a group may ride on one that stands anywhere in the list."""
    at = {row["id"]: k for k, row in enumerate(rows)}
    done: dict[str, Shape] = {}

    def made(k: int, above: tuple[str, ...]) -> Shape:
        row, path = rows[k], f"document.groups[{k}]"
        if row["id"] not in done:
            outer = row.get("group")
            if outer is not None and outer not in at:
                raise BadDocument(f"{path}.group", f"there is no group '{outer}' in the document.")
            if outer == row["id"] or outer in above:
                raise BadDocument(f"{path}.group", f"'{row['name']}' rides on what rides on it.")
            if len(above) >= DEEPEST:
                raise BadDocument(f"{path}.group", f"groups stand in each other more than {DEEPEST} deep.")
            riding = None if outer is None else made(at[outer], (*above, row["id"]))
            done[row["id"]] = _group_from_json(row, path, riding, tracks)
        return done[row["id"]]

    for k in range(len(rows)):
        made(k, ())
    return done


def _group_from_json(row: dict[str, Any], path: str, outer: Shape | None, tracks: dict[str, Track]) -> Shape:
    place = channel_from_json(row["placement"], 3, 2, f"{path}.placement")
    x, y = (float(v) for v in row["pivot"])
    handle = Keys.build(place.frames[:1], np.array([[[x, y, 0.0, 0.0, 0.0, 0.0]]]))
    rides = rides_of(outer, _carrier_from_json(row, path, tracks))
    made = Shape(
        id=row["id"],
        name=row["name"],
        kind=GROUP,
        colour=row.get("colour", 0),
        pivot=(x, y),
        kinds=np.zeros(1, np.int8),
        form=handle,
        place=place,
        rides=rides,
    )
    try:
        return bounds.check(made)
    except RotoError as error:
        raise BadDocument(path, error.message) from error


def shape_from_json(row: dict[str, Any], path: str, groups: dict[str, Shape], tracks: dict[str, Track]) -> Shape:
    """One shape from a document that fits the schema."""
    if row.get("group") not in (None, *groups):
        raise BadDocument(f"{path}.group", f"there is no group '{row['group']}' in the document.")
    first = row["form"][0]["frame"]
    rest = [{"frame": first, "values": placement.AT_REST.tolist()}]
    hard = [{"frame": first, "values": settings_values().tolist()}]
    try:
        made = Shape(
            id=row["id"],
            name=row["name"],
            kind=row.get("kind", "closed"),
            colour=row.get("colour", 0),
            profile=row.get("profile", "straight"),
            blur=row.get("blur", True),
            lens_kind=row.get("lens", BELL),
            pivot=(float(row.get("pivot", (0, 0))[0]), float(row.get("pivot", (0, 0))[1])),
            kinds=np.array([CURVE if p == "curve" else 0 for p in row["points"]], np.int8),
            live=tidy([(a, b) for a, b in row.get("live", [])]),
            **_reach_from_json(row, path),
            rides=rides_of(groups[row["group"]] if row.get("group") else None, _carrier_from_json(row, path, tracks)),
            form=channel_from_json(row["form"], len(row["points"]), 6, f"{path}.form"),
            place=channel_from_json(row.get("placement", rest), 3, 2, f"{path}.placement"),
            settings=channel_from_json(row.get("settings", hard), 3, 2, f"{path}.settings"),
        )
        return bounds.check(made)
    except BadDocument:
        raise
    except RotoError as error:
        raise BadDocument(path, error.message) from error


def to_json(matte: Matte) -> dict[str, Any]:
    """A matte as a document."""
    shapes = {e.shape.id: e.shape for e in matte.entries if e.shape.kind != GROUP}
    lines = {e.shape.id: e.shape for e in matte.entries if e.shape.kind == GROUP}
    groups = lines | {g.id: g for it in (*shapes.values(), *lines.values()) for g in groups_of(it)}
    carriers = [carrier_of(it) for it in (*shapes.values(), *groups.values())]
    tracks = {c.track.id: c.track for c in carriers if c is not None and c.track is not None}
    return {
        "format": "shapes",
        "version": 1,
        "shot": matte.shot,
        "matte": matte.name,
        "size": list(matte.size),
        "rate": str(matte.rate),
        "range": [matte.first, matte.last],
        "shutter": {"angle": matte.shutter.angle, "phase": matte.shutter.phase, "cap": matte.shutter.cap},
        "inverted": matte.inverted,
        **({"shift": [list(key) for key in matte.shift]} if matte.shift else {}),
        **({"lens": {"of": matte.lens_kind, "keys": [list(key) for key in matte.lens]}} if matte.lens else {}),
        "stack": [_line(e) for e in matte.entries],
        **({"tracks": [track_to_json(t) for t in tracks.values()]} if tracks else {}),
        "groups": [group_to_json(g) for g in groups.values()],
        "shapes": [shape_to_json(s) for s in shapes.values()],
    }


def _line(entry: Entry) -> dict[str, Any]:
    said = {"shape": entry.shape.id, "mode": entry.mode, "inverted": entry.inverted, "opacity": entry.opacity}
    return said | ({"source": source} if (source := entry.source.as_data()) else {})


def _no_constant(name: str) -> float:
    raise BadDocument("document", f"{name} is not a number that a document may hold.")


def _renumbered(document: dict[str, Any], by: int) -> dict[str, Any]:
    """A document that fits the schema, with all its frames moved."""

    def keys(row: dict[str, Any]) -> dict[str, Any]:
        moved = {name: [{**key, "frame": key["frame"] + by} for key in row[name]] for name in CHANNELS if row.get(name)}
        return {**row, **moved, **({"live": [[a + by, b + by] for a, b in row["live"]]} if "live" in row else {})}

    def track(row: dict[str, Any]) -> dict[str, Any]:
        points = [{**key, "frame": key["frame"] + by} for key in row["points"]]
        return {**row, "home": row["home"] + by, "points": points, "hand": [f + by for f in row.get("hand", [])]}

    first, last = document["range"]
    return {
        **document,
        "range": [first + by, last + by],
        "shift": [[frame + by, px] for frame, px in document.get("shift", [])],
        **({"lens": {**lens, "keys": [[frame + by, px] for frame, px in lens["keys"]]}} if (lens := document.get("lens")) else {}),
        "tracks": [track(row) for row in document.get("tracks", [])],
        "groups": [keys(row) for row in document.get("groups", [])],
        "shapes": [keys(row) for row in document["shapes"]],
    }


def _plain(keys: Any) -> bool:
    """Whether the keys of a channel fit the schema, told quickly. Where this cannot say so, the schema is asked."""
    if not isinstance(keys, list) or not keys:
        return False
    rows: list[Any] = []
    for key in keys:
        if (
            type(key) is not dict
            or not key.keys() <= KEY_FIELDS
            or type(key.get("frame")) is not int
            or abs(key["frame"]) > bounds.LAST_FRAME
        ):
            return False
        if key.get("kind", "flowing") not in KIND_NAMES or "parts" in key or "speeds" in key or type(key.get("values")) is not list:
            return False
        rows.append(key["values"])
    try:
        numbers = np.array(rows)
    except ValueError:
        return False
    return numbers.ndim == 3 and numbers.dtype.kind in "if"


def _lean(document: Any) -> Any:
    """A document without all but the first key of the channels that are known to be right: checking each number of a long shot by the
    schema would take minutes."""
    if not isinstance(document, dict):
        return document

    def lean(row: Any) -> Any:
        if not isinstance(row, dict):
            return row
        return {name: value[:1] if name in (*CHANNELS, "points") and _plain(value) else value for name, value in row.items()}

    parts = ("tracks", "groups", "shapes")
    return {name: [lean(row) for row in value] if name in parts and isinstance(value, list) else value for name, value in document.items()}


def from_json(document: Any, begin: int | None = None) -> Matte:
    """A matte from a document. Raises BadDocument with the path of the first wrong field and why.

    begin: the frame that the first one of its range comes to; None leaves all frames as they are numbered.
    """
    wrong = min(_validator().iter_errors(_lean(document)), key=lambda e: len(e.absolute_path) * -1, default=None)
    if wrong is not None:
        raise BadDocument(wrong.json_path.replace("$", "document", 1), wrong.message)
    if begin is not None:
        document = _renumbered(document, begin - document["range"][0])
    tracks = {row["id"]: track_from_json(row, f"document.tracks[{i}]") for i, row in enumerate(document.get("tracks", []))}
    groups = groups_from_json(document.get("groups", []), tracks)
    shapes: dict[str, Shape] = {}
    for i, row in enumerate(document["shapes"]):
        if row["id"] in shapes:
            raise BadDocument(f"document.shapes[{i}].id", f"'{row['id']}' is used twice.")
        shapes[row["id"]] = shape_from_json(row, f"document.shapes[{i}]", groups, tracks)
    entries = []
    for i, line in enumerate(document["stack"]):
        it = shapes.get(line["shape"], groups.get(line["shape"]))
        if it is None:
            raise BadDocument(f"document.stack[{i}].shape", f"there is no shape '{line['shape']}' in the document.")
        source = Source.from_data(line.get("source", {}))
        opacity = line.get("opacity", 1.0)
        entries.append(Entry(shape=it, mode=line["mode"], inverted=line.get("inverted", False), opacity=opacity, source=source))
    first, last = document["range"]
    if last < first:
        raise BadDocument("document.range", "ends before it starts.")
    shutter = document.get("shutter", {"angle": 0})
    return Matte(
        shot=document["shot"],
        name=document["matte"],
        size=(document["size"][0], document["size"][1]),
        rate=Fraction(document["rate"]),
        first=first,
        last=last,
        shutter=Shutter(angle=shutter["angle"], phase=shutter.get("phase"), cap=shutter.get("cap", Shutter().cap)),
        entries=tuple(entries),
        inverted=document.get("inverted", False),
        shift=_keyed(document.get("shift", [])),
        lens=_keyed(document["lens"]["keys"]) if "lens" in document else (),
        lens_kind=document["lens"]["of"] if "lens" in document else BELL,
    )


def _keyed(rows: list[list[float]]) -> tuple[tuple[int, float], ...]:
    return tuple(sorted({int(frame): float(px) for frame, px in rows}.items()))


def dumps(matte: Matte) -> str:
    """The document as text, a line for each shape, group, track and line of the stack; the same matte gives the same text."""
    return in_lines(to_json(matte))


def in_lines(data: Mapping[str, Any]) -> str:
    """JSON text of a mapping that people can read, too: a line for each of its values, and for each item of a list of mappings."""
    rows = []
    for name, value in data.items():
        if isinstance(value, list) and value and isinstance(value[0], dict):
            inside = ",\n".join("  " + json.dumps(item, ensure_ascii=False) for item in value)
            rows.append(f' "{name}": [\n{inside}\n ]')
        else:
            rows.append(f' "{name}": {json.dumps(value, ensure_ascii=False)}')
    return "{\n" + ",\n".join(rows) + "\n}\n"


def loads(text: str | bytes, begin: int | None = None) -> Matte:
    """A matte from the document's text; begin: see `from_json`."""
    try:
        document = json.loads(text, parse_constant=_no_constant)
    except (ValueError, UnicodeDecodeError, RecursionError) as error:
        raise BadDocument("document", f"is not JSON: {error}") from error
    return from_json(document, begin)
