"""What the demo's artist has traced so far: the edits of a part-done shot, as the page would send them."""

import uuid
from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from demo.scenes import KITE_OUTLINE, Scene, kite_pose
from demo.sprites import Pose

Points = NDArray[np.float64]
Edit = dict[str, Any]


class Motion(NamedTuple):
    """How a sprite moves: its pose by time, the place of it that a pose puts, the number of the first frame."""

    pose: Callable[[float], Pose]
    anchor: tuple[float, float]
    first: int


def bulged(corners: object, bulge: float) -> Points:
    """Points (n, 6) of a polygon whose sides are arcs of parabolas that rise by `bulge` px."""
    p = np.asarray(corners, float)
    along = np.roll(p, -1, axis=0) - p
    outward = np.stack([along[:, 1], -along[:, 0]], axis=1) / np.linalg.norm(along, axis=1, keepdims=True)
    control = p + along / 2 + outward * 2 * bulge
    out = 2 / 3 * (control - p)
    into = 2 / 3 * (control - np.roll(p, -1, axis=0))
    return np.concatenate([p, np.roll(into, 1, axis=0), out], axis=1)


def rounded(places: object) -> Points:
    """Points (n, 6) of a smooth closed curve through places."""
    p = np.asarray(places, float)
    tangent = (np.roll(p, -1, axis=0) - np.roll(p, 1, axis=0)) / 6
    return np.concatenate([p, -tangent, tangent], axis=1)


def put(points: Points, pose: Pose, anchor: tuple[float, float]) -> Points:
    """Points of a sprite as they stand in the picture."""
    m = pose.matrix(anchor)
    out = points @ np.kron(np.eye(3), m[:, :2].T)
    out[:, :2] += m[:, 2]
    return out


def carried(
    matte: str,
    name: str,
    colour: int,
    points: Points,
    curves: bool,
    motion: Motion,
    frames: list[int],
    mode: str = "add",
) -> list[Edit]:
    """A shape traced on the first of the frames and placed on the others."""
    pose, anchor, first = motion
    shape = str(uuid.uuid4())
    start = pose(float(frames[0] - first))
    here = put(points, start, anchor)
    middle = (here[:, :2].min(axis=0) + here[:, :2].max(axis=0)) / 2
    back = np.linalg.inv(np.vstack([start.matrix(anchor), [0, 0, 1]]))
    local = back @ (*middle, 1.0)
    edits: list[Edit] = [
        {
            "do": "trace",
            "shape": shape,
            "entry": str(uuid.uuid4()),
            "matte": matte,
            "name": name,
            "frame": frames[0],
            "points": here.tolist(),
            "curves": [curves] * len(here),
            "mode": mode,
            "colour": colour,
        }
    ]
    before, was = start, middle
    for frame in frames[1:]:
        now = pose(float(frame - first))
        place = now.matrix(anchor) @ local
        edits.append(
            {
                "do": "place",
                "shape": shape,
                "frame": frame,
                "move": (place - was).tolist(),
                "turn": now.turn - before.turn,
                "size": now.size / before.size,
            }
        )
        before, was = now, place
    return edits


def _laid(name: str, place: tuple[float, float], motion: Motion, frames: list[int]) -> list[Edit]:
    """A track laid by hand at a place of a sprite."""
    pose, anchor, first = motion
    track = str(uuid.uuid4())
    places = [(pose(float(f - first)).matrix(anchor) @ [*place, 1.0]).tolist() for f in frames]
    begun = {"do": "new track", "track": track, "name": name, "frame": frames[0], "points": [places[0]]}
    later = zip(frames[1:], places[1:], strict=True)
    return [begun, *({"do": "correct track", "track": track, "frame": f, "points": {0: p}} for f, p in later)]


def traced(scene: Scene, matte: str) -> list[Edit]:
    """The edits for one shot of the production."""
    if scene.name == "KITE_010":
        body = carried(
            matte,
            "kite body",
            0,
            bulged(KITE_OUTLINE, 14.0),
            False,
            Motion(kite_pose, (300, 300), 1001),
            [1001, 1009, 1017, 1025, 1033, 1041, 1053],
        )
        patch = np.array([(330, 330), (420, 330), (400, 420), (320, 410)], float)
        hole = carried(
            matte,
            "patch",
            3,
            np.concatenate([patch, np.zeros((4, 4))], axis=1),
            False,
            Motion(kite_pose, (300, 300), 1001),
            [1001, 1017, 1033, 1053],
            "cut",
        )
        soft = {"do": "soften", "shape": body[0]["shape"], "frame": 1001, "inner": 1.0, "outer": 1.5}
        laid = _laid("cross of the spars", (300, 255), Motion(kite_pose, (300, 300), 1001), [1001, 1013, 1025, 1037])
        return [*body, soft, *hole, *laid, *_rider(laid[0]["track"])]
    if scene.name == "MILL_040":
        blade = np.array([(5, -60), (62, -70), (58, -258), (5, -262)], float)
        flat = np.concatenate([blade, np.zeros((4, 4))], axis=1)
        return carried(
            matte,
            "first sail",
            1,
            flat,
            False,
            Motion(lambda t: Pose(640, 262, 2.6 * t, 0.86), (0, 0), 1001),
            [1001, 1013, 1025, 1037, 1048],
        )
    if scene.name == "MAKER_030":
        return _maker(scene, matte)
    return []


def _rider(track: str) -> list[Edit]:
    """A second matte, of the knot where the spars cross: its shape rides on their track, and is live as long as that is laid."""
    matte, shape = str(uuid.uuid4()), str(uuid.uuid4())
    middle = kite_pose(0.0).matrix((300, 300)) @ (300.0, 255.0, 1.0)
    turn = np.arange(6) * np.pi / 3
    ring = rounded(middle + 11 * np.stack([np.cos(turn), np.sin(turn)], axis=1))
    outline = {"points": ring.tolist(), "curves": [True] * len(ring)}
    return [
        {"do": "new matte", "matte": matte, "name": "knot"},
        {"do": "trace", "shape": shape, "entry": str(uuid.uuid4()), "matte": matte, "name": "knot", "frame": 1001, "colour": 7, **outline},
        {"do": "carry", "shape": shape, "frame": 1001, "track": track, "how": "move"},
        {"do": "live", "shape": shape, "ranges": [[1001, 1037]]},
    ]


def finished(scene: Scene, matte: str) -> list[Edit]:
    """The edits of a shot that is traced to the end, for measuring against its true matte."""
    every = [*range(scene.first, scene.first + scene.frames - 1, 4), scene.first + scene.frames - 1]
    if scene.name == "KITE_010":
        tail, body = (layer.pose for layer in scene.layers)
        shapes = [carried(matte, "kite body", 0, bulged(KITE_OUTLINE, 14.0), False, Motion(body, (300, 300), scene.first), every)]
        shapes += [carried(matte, name, 1, points, curves, Motion(tail, (60, 6), scene.first), every) for name, points, curves in _tail()]
        return _softly(shapes, 1.1)
    if scene.name == "MILL_040":
        pose = scene.layers[1].pose
        blade = {"spar": ((-7, 10), (7, 10), (5, -265), (-5, -265)), "sail": ((5, -60), (62, -70), (58, -258), (5, -262))}
        shapes = []
        for quarter in range(4):
            turned = np.array([[0, -1], [1, 0]], float)
            for name, corners in blade.items():
                points = cornered(np.array(corners, float) @ np.linalg.matrix_power(turned, quarter).T)
                shapes.append(carried(matte, f"{name} {quarter + 1}", quarter, points, False, Motion(pose, (0, 0), scene.first), every))
        return _softly(shapes, 0.9)
    if scene.name == "FERRY_020":
        pose = scene.layers[0].pose
        hull = rounded([(60, 300), (1440, 300), (1560, 150), (1500, 480), (1380, 560), (160, 560), (40, 420)])
        straight = {
            "deck": [(200, 300), (240, 120), (1160, 120), (1210, 300)],
            "funnel": [(420, 120), (440, 20), (620, 20), (640, 120)],
            "stripe": [(60, 420), (1500, 420), (1490, 450), (56, 450)],
        }
        shapes = [carried(matte, "hull", 0, hull, True, Motion(pose, (800, 360), scene.first), every)]
        shapes += [carried(matte, n, 1, cornered(c), False, Motion(pose, (800, 360), scene.first), every) for n, c in straight.items()]
        return _softly(shapes, 2.4)
    return traced(scene, matte)


def cornered(places: object) -> Points:
    """Points (n, 6) of a polygon."""
    p = np.asarray(places, float)
    return np.concatenate([p, np.zeros((len(p), 4))], axis=1)


def _tail() -> list[tuple[str, Points, bool]]:
    """The kite's tail: the line with its width, and the bows on it."""
    u = np.linspace(0, 1, 15)
    line = np.stack([60 + 40 * np.sin(u * 7), 6 + 330 * u], axis=1)
    along = np.stack([280 * np.cos(u * 7), np.full(15, 330.0)], axis=1)
    beside = 2.5 * np.stack([-along[:, 1], along[:, 0]], axis=1) / np.linalg.norm(along, axis=1, keepdims=True)
    out = [("line", rounded(np.concatenate([line + beside, (line - beside)[::-1]])), True)]
    for k, v in enumerate((0.35, 0.6, 0.85)):
        x, y = 60 + 40 * np.sin(v * 7), 6 + 330 * v
        for side in (-26, 26):
            out.append((f"bow {k + 1} {side}", cornered([(x + side, y - 13), (x, y), (x + side, y + 13)]), False))
    return out


def _softly(shapes: list[list[Edit]], reach: float) -> list[Edit]:
    """All the edits, and a soft edge for each shape."""
    soft = [{"do": "soften", "shape": e[0]["shape"], "frame": e[0]["frame"], "inner": reach, "outer": reach} for e in shapes]
    return [edit for edits in shapes for edit in edits] + soft


HEAD_KEYS = [1001, 1009, 1017, 1025, 1033, 1041, 1049, 1057, 1065, 1072]
TUFTS = ((200, 22), (300, 86), (416, 158), (340, 266), (200, 272), (60, 266), (-16, 158), (100, 86))
"""an outline drawn generously around the hat and its tufts"""


def _maker(scene: Scene, matte: str) -> list[Edit]:
    """The kite maker: torso, sleeve, hand with its fingers, face and hat, and a fringe around the hat's tufts."""
    arm, body, head = (layer.pose for layer in scene.layers)
    torso = rounded([(230, 130), (330, 170), (390, 330), (400, 700), (60, 700), (70, 330), (130, 170)])
    sleeve = rounded([(30, 20), (180, 30), (300, 42), (300, 84), (180, 96), (30, 100), (8, 60)])
    palm = rounded([(292, 46), (340, 30), (392, 36), (404, 62), (392, 90), (340, 96), (292, 82)])
    face = rounded([(200, 150), (262, 190), (262, 270), (200, 330), (138, 270), (138, 190)])
    hat = rounded([(200, 60), (285, 120), (370, 175), (200, 205), (30, 175), (115, 120)])
    every = [*range(1001, 1072, 4), 1072]
    traced_shapes = [
        carried(matte, "torso", 2, torso, True, Motion(body, (230, 400), 1001), [1001, 1017, 1033, 1049, 1072]),
        carried(matte, "sleeve", 4, sleeve, True, Motion(arm, (40, 60), 1001), every),
        carried(matte, "hand", 3, palm, True, Motion(arm, (40, 60), 1001), every),
        carried(matte, "face", 0, face, True, Motion(head, (200, 320), 1001), HEAD_KEYS),
        carried(matte, "hat", 6, hat, True, Motion(head, (200, 320), 1001), HEAD_KEYS),
    ]
    fringe = carried(matte, "tufts", 7, rounded(TUFTS), True, Motion(head, (200, 320), 1001), HEAD_KEYS, "solve")
    soft = [{"do": "soften", "shape": edits[0]["shape"], "frame": 1001, "inner": 1.3, "outer": 1.3} for edits in traced_shapes]
    solved = {"do": "soften", "shape": fringe[0]["shape"], "frame": 1001, "inner": 2.0, "outer": 6.0}
    hem = cornered([(-40, 710), (500, 710), (500, 900), (-40, 900)])
    traced_shapes.insert(1, carried(matte, "hem", 2, hem, False, Motion(body, (230, 400), 1001), [1001, 1017, 1033, 1049, 1072], "cut"))
    for k, dy in enumerate((-18, -6, 7, 20)):
        finger = rounded([(380, 58 + dy), (436, 56 + 1.6 * dy), (440, 66 + 1.6 * dy), (380, 70 + dy)])
        traced_shapes.insert(4 + k, carried(matte, f"finger {k + 1}", 3, finger, True, Motion(arm, (40, 60), 1001), every))
    hand = [edits[0]["shape"] for edits in traced_shapes if edits[0]["name"] in ("hand", *(f"finger {k}" for k in range(1, 5)))]
    grouped = {"do": "new group", "shape": str(uuid.uuid4()), "name": "hand and fingers", "members": hand, "frame": 1001, "colour": 3}
    locked = {"do": "lock", "shape": traced_shapes[1][0]["shape"], "locked": True}  # the hem is done
    return [edit for edits in traced_shapes for edit in edits] + soft + [*fringe, solved, grouped, locked]
