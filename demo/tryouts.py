"""What the demo's artist tries the mattes in: the edits that begin a tryout or two on each shot, as the page would send them."""

import uuid
from typing import Any

from demo.scenes import Scene
from demo.tracing import Edit, Motion, carried, cornered

PLATE = {"kind": "clip"}


def tried(scene: Scene, matte: str, edits: list[Edit]) -> list[Edit]:
    """The edits for one shot, after those that traced it. matte: the id of its first matte."""
    width, height = scene.width, scene.height
    if scene.name == "KITE_010":
        words = {"kind": "words", "text": "SALTMARSH", "size": 220}
        over = [_line(1), _line(2, {"kind": "bars", "proportion": 2.35}), _line(3, through=_through(matte))]
        return [_tryout("over bars", over), _tryout("words behind", [_line(1), _line(2, words), _line(3, through=_through(matte))])]
    if scene.name == "FERRY_020":
        passed, made = _of(str(uuid.uuid4()), "passed", [])
        box = cornered([(-3000, -900), (90, -900), (90, 1600), (-3000, 1600)])
        last = scene.first + scene.frames - 1
        shape = carried(passed, "passed already", 2, box, False, Motion(scene.layers[0].pose, (800, 360), scene.first), [scene.first, last])
        live = [_line(1), _line(2, {"kind": "clip", "shot": "MILL_040"}, through=_through(passed))]
        return [*made, *shape, _tryout("from the dunes to the mill", live)]
    if scene.name == "MAKER_030":
        shapes = {edit["name"]: edit["shape"] for edit in edits if edit["do"] == "trace"}
        face, first = _of(str(uuid.uuid4()), "face", [shapes["face"]])
        hat, second = _of(str(uuid.uuid4()), "hat", [shapes["hat"]])
        hidden = [_line(1), _line(2, through=_through(face, grow=6.0, soften=4.0), done={"blocks": 36})]
        larger = {"pivot": [width / 2, height * 0.44], "keys": [{"frame": scene.first, "values": [[0, 0], [0, 0], [0.26, 0]]}]}
        shadow = {"shadow": {"turn": 75.0, "away": 16.0, "blur": 22.0}}
        wide = [_line(1), _line(2, through=_through(hat, along=True), place=larger, done=shadow)]
        return [*first, *second, _tryout("face under blocks", hidden), _tryout("a larger hat", wide)]
    if scene.name == "MILL_040":
        ends = {"one": {"at": [width * 0.12, height * 0.5]}, "other": {"at": [width * 0.92, height * 0.24]}}
        band = {"kind": "light", **ends, "core": 3.0, "glow": 46.0}
        light = [_line(1), _line(2, band, through=_through(matte, outside=True), done={"added": True})]
        return [_tryout("light behind the sail", light)]
    return []


def _of(matte: str, name: str, shapes: list[str]) -> tuple[str, list[Edit]]:
    """Another matte of shapes that are there."""
    lines = [{"do": "add line", "entry": str(uuid.uuid4()), "matte": matte, "shape": shape} for shape in shapes]
    return matte, [{"do": "new matte", "matte": matte, "name": name}, *lines]


def _through(matte: str, **more: Any) -> dict[str, Any]:
    return {"matte": matte, **more}


def _line(at: int, shows: dict[str, Any] | None = None, **more: Any) -> dict[str, Any]:
    return {"id": f"line {at}", "shows": shows or PLATE, **more}


def _tryout(name: str, lines: list[dict[str, Any]]) -> Edit:
    return {"do": "new tryout", "tryout": str(uuid.uuid4()), "name": name, "lines": lines}
