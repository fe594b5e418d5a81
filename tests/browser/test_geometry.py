"""Where page and core must agree, both are asked: how a cubic runs, what a placement does, how a view maps; and the page's own lists."""

import json

import numpy as np
import pytest

from roto.curve.split import cubic_at
from roto.motion import edits
from roto.motion.shape import CURVE, keep_smooth

from ..roto.build import blob, rectangle, shape

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def ask(artist):
    """Run a few lines in the page with its own modules at hand; gives what they return."""
    artist.go("/sign-in")

    def run(code: str, *given):
        script = f"""
            const done = arguments[arguments.length - 1];
            const given = JSON.parse(arguments[0]);
            const shape = given[0] && given[0][0] && given[0][0].length === 6 ? new Float32Array(given[0].flat()) : null;
            const all = ["geom/outline", "geom/view", "model/live", "model/hit"].map((m) => import(`/static/desk/${{m}}.js`));
            Promise.all(all).then(([O, V, L, H]) => done(JSON.stringify((() => {{ {code} }})())))
              .catch((error) => done(JSON.stringify(`failed: ${{error}}`)));
        """
        return json.loads(artist.browser.execute_async_script(script, json.dumps(given)))

    return run


def test_a_cubic_runs_alike_in_page_and_core(ask):
    points = blob(n=7)
    t = [0.0, 0.13, 0.5, 0.77, 1.0]
    got = ask("return given[1].map((t) => [0, 3, 6].map((s) => O.cubicAt(shape, s, t)))", points.tolist(), t)
    want = np.stack([cubic_at(points[None], s, np.array(t))[0] for s in (0, 3, 6)], axis=1)
    assert np.abs(np.array(got) - want).max() < 1e-4


def test_a_placement_does_the_same_in_page_and_core(ask):
    it = shape(blob(n=6))
    said = {"pivot": [44.0, 61.5], "move": [3.25, -8.0], "turn": 71.0, "size": 1.4}
    code = "const s = given[1]; return [...O.placed(shape, s.pivot, s.move, s.turn, s.size)]"
    got = np.array(ask(code, it.outlines(np.array([1]))[0].tolist(), said)).reshape(6, 6)
    after = edits.place(it, 1, move=tuple(said["move"]), turn=said["turn"], size=said["size"], about=tuple(said["pivot"]))
    assert np.abs(got - after.outlines(np.array([1]))[0]).max() < 1e-4


def test_a_turned_tangent_keeps_its_partner_opposite(ask):
    points = blob(n=6)
    got = np.array(ask("return [...O.turnTangent(shape, 2, 4, given[1], given[2], true)]", points.tolist(), 90, 20))
    got = got.reshape(1, 6, 6)
    assert np.allclose(got[0, 2, 4:6], [90, 20] - points[2, :2], atol=1e-4)
    assert np.allclose(keep_smooth(got, np.full(6, CURVE, np.int8)), got, atol=1e-3)  # the core finds nothing left to straighten
    assert np.linalg.norm(got[0, 2, 2:4]) == pytest.approx(np.linalg.norm(points[2, 2:4]), rel=1e-5)


@pytest.mark.parametrize(("x", "y", "inside"), [(60, 50, True), (10, 10, False), (60, 12, False), (60, 16, True)])
def test_the_page_knows_inside_from_outside(ask, x, y, inside):
    points = blob(n=40, rough=0.0)
    flat = points.tolist()
    assert ask("return O.winds(shape, given[1], given[2])", flat, x, y) is inside
    near = ask("return O.nearest(shape, given[1], given[2]).distance", flat, x, y)
    assert near == pytest.approx(abs(35 - np.hypot(x - 60, y - 50)), abs=0.05)


def test_a_view_maps_there_and_back_and_zooms_at_the_pointer(ask):
    code = """
        const v = V.zoomAt(V.pan(V.fit([1920, 1080], [1008, 566]), 31, -7), 5.5, 400, 200);
        const [x, y] = V.toPlate(v, 400, 200);
        const w = V.zoomAt(v, 3, 400, 200);
        return [V.toScreen(v, ...V.toPlate(v, 123, 45)), V.toScreen(w, x, y), V.zoomAt(v, 1e9, 0, 0).scale, V.exact(v, [1008, 566])];
    """
    there, pointer, most, exact = ask(code)
    assert np.allclose(there, [123, 45]) and np.allclose(pointer, [400, 200]) and most == 64
    assert exact["scale"] == 1 and exact["x"] == round(exact["x"]) and exact["y"] == round(exact["y"])


def test_the_whole_picture_fits_with_room_around_it(ask):
    for size, stage in (((1920, 1080), (1008, 566)), ((720, 1280), (1008, 566)), ((4096, 2160), (1648, 846))):
        view = ask("return V.fit(given[0], given[1])", size, stage)
        for side in (0, 1):
            room = stage[side] - size[side] * view["scale"]
            assert room > 0.1 * stage[side] and (view["x"], view["y"])[side] == pytest.approx(room / 2)


SHOT = {"first": 1, "last": 100}


@pytest.mark.parametrize(
    ("act", "ranges", "frame", "want"),
    [
        ("startHere", [], 20, [[20, 100]]),
        ("endHere", [], 20, [[1, 20]]),
        ("offHere", [], 20, [[1, 19], [21, 100]]),
        ("startHere", [[10, 30], [50, 60]], 20, [[20, 30], [50, 60]]),
        ("startHere", [[10, 30], [50, 60]], 40, [[10, 30], [40, 60]]),
        ("startHere", [[10, 30]], 40, [[10, 30], [40, 100]]),
        ("endHere", [[10, 30], [50, 60]], 40, [[10, 40], [50, 60]]),
        ("endHere", [[10, 30]], 5, [[1, 5], [10, 30]]),
        ("offHere", [[10, 30]], 10, [[11, 30]]),
        ("offHere", [[10, 10], [20, 30]], 10, [[20, 30]]),
        ("offHere", [[10, 30]], 5, [[10, 30]]),
    ],
)
def test_live_ranges_become(ask, act, ranges, frame, want):
    assert ask(f"return L.{act}(given[0], given[1], given[2])", ranges, frame, SHOT) == want


def test_a_loop_holds_what_lies_in_it(ask):
    loop = [[0, 0], [10, 0], [10, 10], [5, 3], [0, 10]]
    assert [ask("return H.inLoop(given[0], given[1], given[2])", loop, x, y) for x, y in ((2, 2), (5, 8), (8, 6), (12, 5))] == [
        True,
        False,
        True,
        False,
    ]


def test_a_corners_sign_opens_along_its_bisector(ask):
    points = rectangle(0, 0, 40, 20).tolist()
    got = [ask("return O.bisector(shape, given[1])", points, i) for i in range(4)]
    assert np.allclose(got, np.radians([45, 135, -135, -45]))
