"""One row a command that an edit may say, on a shot with something of everything; used by the tests that go through all of them.

Words in braces stand for ids of what `furnished` puts there, {new} and {new2} for fresh ones.
"""

import uuid

from jaythread.desk.edit import actions
from jaythread.desk.exchange import track_tables
from jaythread.desk.models import Shape, Track

from ..conftest import FIRST, LAST, command, trace

SIX = [[0, 0, 0, 0, 0, 0], [9, 0, 0, 0, 0, 0], [9, 9, 0, 0, 0, 0]]
NO = [False] * 3
PLATE_LINE = {"id": "a", "shows": {"kind": "clip"}}
LOOP = [[0, 0], [30, 0], [30, 30], [0, 30]]
ROWS = {
    "trace": {"shape": "{new}", "entry": "{new2}", "matte": "{matte}", "name": "sail", "frame": FIRST, "points": SIX, "curves": NO},
    "freehand": {"shape": "{new}", "entry": "{new2}", "matte": "{matte}", "name": "sail", "frame": FIRST, "path": LOOP, "tolerance": 1.0},
    "fringe": {
        "shape": "{new}", "entry": "{new2}", "matte": "{matte}", "of": "{body}", "name": "tufts", "frame": FIRST,
        "path": [[10, 20], [40, 20]], "radius": 5.0,
    },
    "duplicate": {"shape": "{body}", "twin": "{new}", "entry": "{new2}", "matte": "{matte}"},
    "appearance": {"shape": "{body}", "name": "patched kite", "colour": 5, "profile": "smooth", "blur": False, "lens_kind": "disc"},
    "live": {"shape": "{body}", "ranges": [[FIRST, FIRST + 2], [FIRST + 5, FIRST + 6]]},
    "remove": {"shape": "{body}"},
    "lock": {"shape": "{body}", "locked": True},
    "form": {"shape": "{body}", "frame": FIRST + 3, "points": {"1": [45, 18, 0, 0, 2, 2]}, "scope": "here"},
    "place": {"shape": "{body}", "frame": FIRST + 2, "move": [3, 4], "turn": 20.0, "size": 1.2, "about": [30, 30]},
    "soften": {"shape": "{body}", "frame": FIRST + 1, "inner": 1.0, "outer": 3.0, "shift": -0.5, "opacity": 0.8, "lens": 1.2},
    "reach": {"shape": "{body}", "frame": FIRST + 1, "points": {"1": [None, 7.0]}},
    "one reach": {"shape": "{soft}"},
    "add point": {"shape": "{body}", "segment": 1, "t": 0.25},
    "retrace": {"shape": "{tail}", "frame": FIRST, "points": [*SIX, [0, 9, 0, 0, 0, 0]], "curves": [False] * 4},
    "remove points": {"shape": "{body}", "points": [1]},
    "point kind": {"shape": "{body}", "points": [0, 2], "to": "curve"},
    "steady": {"shape": "{body}"},
    "redraw": {"shape": "{body}", "frame": FIRST, "path": [[9, 18], [42, 19], [44, 52], [8, 51]], "closed": True},
    "mirror": {"shape": "{body}", "angle": 90.0, "about": [48, 32]},
    "align": {"shape": "{body}", "frame": FIRST + 3, "points": [0, 1], "how": "level"},
    "snap": {"shape": "{body}", "frame": FIRST, "points": [1], "within": 100.0},
    "new tryout": {"tryout": "{new}", "name": "words behind", "lines": [PLATE_LINE]},
    "tryout": {"tryout": "{tryout}", "name": "in front", "lines": [PLATE_LINE, {"id": "b", "shows": {"kind": "bars"}}]},
    "tryout line": {"tryout": "{tryout}", "line": {**PLATE_LINE, "through": {"matte": "{matte}", "soften": 2.0}}},
    "tryout key": {"tryout": "{tryout}", "line": "a", "channel": "place", "frame": FIRST + 2, "values": [[4, 0], [10, 0], [0, 0]]},
    "remove tryout": {"tryout": "{tryout}"},
    "new group": {"shape": "{new}", "name": "all", "members": ["{body}"], "frame": FIRST, "colour": 1},
    "ride": {"shape": "{body}", "group": "{group}"},
    "key here": {"shape": "{body}", "channel": "form", "frame": FIRST + 1},
    "move key": {"shape": "{body}", "channel": "form", "frame": FIRST + 3, "to": FIRST + 5},
    "key kind": {"shape": "{body}", "channel": "form", "frame": FIRST, "kind": "hold"},
    "drop key": {"shape": "{body}", "channel": "form", "frame": FIRST + 3},
    "flow again": {"shape": "{twin}", "channel": "form", "frame": FIRST + 2},
    "copy key": {"shape": "{body}", "channel": "form", "frame": FIRST + 3, "to": FIRST + 6},
    "shift keys": {"shape": "{body}", "channels": ["form", "placement"], "by": 2},
    "stretch keys": {"shape": "{body}", "channels": ["form"], "span": [FIRST, FIRST + 3], "to": [FIRST, FIRST + 6]},
    "retime keys": {"shape": "{body}", "channel": "form", "moves": {str(FIRST + 3): FIRST + 4}},
    "reverse keys": {"shape": "{body}", "channels": ["form"], "span": [FIRST, FIRST + 3]},
    "only key": {"shape": "{body}", "channels": ["form"], "frame": FIRST + 3},
    "take keys": {"shape": "{body}", "other": "{twin}", "channels": ["placement"]},
    "share edge": {"shape": "{body}", "other": "{beside}", "points": [1, 2], "frame": FIRST},
    "entry": {"entry": "{line}", "mode": "cut", "inverted": True, "opacity": 0.5, "order": 7.5},
    "add line": {"entry": "{new}", "matte": "{second}", "shape": "{body}", "mode": "cut"},
    "bring line": {"shape": "{new}", "entry": "{new2}", "matte": "{matte}", "brought": "{brought}", "name": "theirs"},
    "drop line": {"entry": "{line}"},
    "new matte": {"matte": "{new}", "name": "arm"},
    "copy matte": {"matte": "{new}", "of": "{matte}", "name": "kite again"},
    "matte": {"matte": "{matte}", "name": "kite and hand", "inverted": True},
    "shot picture": {"rate": [25, 1], "pixel_aspect": 2.0, "first": 101, "along": True},
    "working range": {"first": FIRST + 1, "last": LAST - 1},
    "shift matte": {"matte": "{matte}", "frame": FIRST, "shift": 2.5},
    "soften as lens": {"shape": "{body}", "frame": FIRST, "sigma": 0.8, "shift": 0.1},
    "soften matte": {"matte": "{matte}", "frame": FIRST, "lens": 1.5},
    "remove matte": {"matte": "{second}"},
    "shutter": {"angle": 90.0, "phase": -10.0},
    "new track": {"track": "{new}", "name": "nail", "frame": FIRST, "points": [[20, 20]], "half": 5.0, "model": "move", "search": 5.0},
    "correct track": {"track": "{path}", "frame": FIRST + 2, "points": {"0": [30, 30]}},
    "rename track": {"track": "{path}", "name": "nail"},
    "track patch": {"track": "{followed}", "frame": FIRST + 1, "half": 8.0, "model": "affine", "search": 9.0, "holds_out": ["{body}"]},
    "remove track": {"track": "{followed}"},
    "join tracks": {"track": "{new}", "name": "both", "tracks": ["{path}", "{followed}"], "frame": FIRST},
    "smooth track": {"track": "{path}", "frames": 2.0},
    "cut track": {"track": "{path}", "first": FIRST, "last": FIRST + 2},
    "carry": {"shape": "{body}", "frame": FIRST, "track": "{path}", "how": "move"},
    "bake": {"shape": "{riding}", "first": FIRST, "last": LAST, "tolerance": 0.5},
    "thin keys": {"shape": "{body}", "tolerance": 5.0},
    "bring back": {"revision": 10},
}  # fmt: skip


def furnished(shot, who) -> dict[str, str]:
    """Put something of everything into a shot; the ids by their words."""

    def do(**said):
        actions.edit(who, shot.pk, uuid.uuid4(), None, command(**said))

    ids = {name: str(uuid.uuid4()) for name in ("new", "new2", "second", "group", "followed", "tryout")}
    ids |= {"matte": str(shot.mattes.get().pk)}
    far = ((60, 20), (80, 20), (80, 50), (60, 50))
    ids["body"] = trace(shot, who)
    ids["twin"] = trace(shot, who, far, name="twin")
    ids["beside"] = trace(shot, who, ((40.2, 20), (55, 20), (55, 50), (40.2, 50)), name="beside")
    ids["tail"], ids["soft"], ids["riding"] = (trace(shot, who, far, name=name) for name in ("tail", "soft", "riding"))
    for frame, y in ((FIRST + 2, 58), (FIRST + 3, 64)):
        do(do="form", shape=ids["body"], frame=frame, points={2: [50, y, 0, 0, 0, 0]})
    for frame, x in ((FIRST + 2, 62), (FIRST + 6, 90), (FIRST + 1, 60.5)):  # the last one lets the key on FIRST + 2 stand
        do(do="form", shape=ids["twin"], frame=frame, points={0: [x, 20, 0, 0, 0, 0]})
    for name in ("body", "twin"):
        do(do="place", shape=ids[name], frame=FIRST + 4, move=(6, 0))
    do(do="reach", shape=ids["soft"], frame=FIRST, points={0: (1.0, 2.0)})
    do(do="new matte", matte=ids["second"], name="second")
    do(do="new group", shape=ids["group"], name="group", members=[ids["twin"]], frame=FIRST)
    rows = [f"{FIRST + k},0,{20 + 3 * k},{20 + k % 2},1,{int(k == 0)}" for k in range(6)]
    table = "\n".join(["frame,point,x,y,sure,by_hand", *rows])
    ids["path"] = str(track_tables.import_table(who, shot.pk, "path", table.encode()).pk)
    do(do="new track", track=ids["followed"], name="followed", frame=FIRST, points=[(40, 40)], half=6, model="move")
    do(do="carry", shape=ids["riding"], frame=FIRST, track=ids["path"], how="move")
    do(do="new tryout", tryout=ids["tryout"], name="in use", lines=[PLATE_LINE])
    theirs = shot.brought.create(user=who, name="another house", source="theirs.mov", first=FIRST, last=LAST, begun=FIRST, state="ready")
    return ids | {"brought": str(theirs.pk), "line": str(shot.mattes.get(name="kite").entries.get(shape=ids["body"]).pk)}


def filled(value, ids: dict[str, str]):
    """A row with the ids put in."""
    if isinstance(value, dict):
        return {k: filled(v, ids) for k, v in value.items()}
    if isinstance(value, list):
        return [filled(v, ids) for v in value]
    return value.format(**ids) if isinstance(value, str) else value


def state(shot):
    """Everything that a refused edit must leave, and an undo must bring back, to the last bit."""
    from jaythread.desk.document import core_cache
    from roto.exchange import document

    shot.refresh_from_db()
    shapes = [(s.name, s.locked, s.carrier) for s in Shape.objects.filter(shot=shot).order_by("name", "pk")]
    tracks = [(t.name, t.data) for t in Track.objects.filter(shot=shot).order_by("name")]
    cores = core_cache.shapes(list(Shape.objects.filter(shot=shot)))
    alone = [(i, core.outlines(range(FIRST, LAST + 1)).tolist()) for i, core in sorted(cores.items())]
    mattes = [document.dumps(core_cache.matte(shot, m)) for m in shot.mattes.order_by("name")]
    tryouts = [(t.name, t.lines) for t in shot.tryouts.order_by("name")]
    numbers = (shot.rate, shot.pixel_aspect, shot.plates.get().offset)
    return mattes, shapes, tracks, alone, shot.shutter, shot.working, numbers, tryouts
