"""Coverage is the exact area of each pixel inside the outline."""

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from roto.curve.flatten import polygon
from roto.matte.render import render
from roto.matte.stack import Entry

from .build import blob, corners, matte, rectangle, shape


def alpha(*entries, frame=6, **more):
    return render(matte(*entries, **more), frame).alpha


def filled(points: np.ndarray, tolerance: float = 1e-4) -> shapely.Geometry:
    """The non-zero filled area by another library: the outline noded into faces, those kept that it winds around."""
    ring = polygon(points, tolerance)
    closed = np.vstack([ring, ring[:1]])
    faces = shapely.get_parts(shapely.polygonize([shapely.node(shapely.LineString(closed))]))
    x0, y0 = closed[:-1].T
    x1, y1 = closed[1:].T

    def winds(face):
        x, y = face.representative_point().coords[0]
        up, down = (y0 <= y) & (y1 > y), (y1 <= y) & (y0 > y)
        with np.errstate(divide="ignore", invalid="ignore"):
            right = x0 + (y - y0) * (x1 - x0) / (y1 - y0) > x
        return (up & right).sum() != (down & right).sum()

    return shapely.union_all([f for f in faces if winds(f)])


def truth(area: shapely.Geometry, width: int, height: int) -> np.ndarray:
    shapely.prepare(area)
    x, y = np.meshgrid(np.arange(width), np.arange(height))
    return shapely.area(shapely.intersection(area, shapely.box(x, y, x + 1, y + 1)))


@pytest.mark.parametrize("cross", [0.0, 0.3])
def test_every_pixel_is_its_area(cross):
    points = blob(n=24, cross=cross)
    error = np.abs(alpha(shape(points)) - truth(filled(points), 120, 100))
    edge = error[error > 1e-6]
    assert error.max() < 0.004
    assert edge.mean() < 0.0005


@pytest.mark.parametrize(
    ("name", "points", "area"),
    [
        ("rectangle", rectangle(10.25, 10.5, 20.75, 20.0), 10.5 * 9.5),
        ("the other way round", rectangle(10.25, 10.5, 20.75, 20.0)[::-1], 10.5 * 9.5),
        ("partly outside", rectangle(-50, -50, 10.5, 10.5), 10.5**2),
        ("far outside on all sides", rectangle(-1e6, -1e6, 1e6, 1e6), 120 * 100),
        ("wholly outside", rectangle(-50, 10, -20, 20), 0),
        ("bow-tie", corners((10, 10), (50, 50), (50, 10), (10, 50)), 800),
        ("wound twice counts once", corners((10, 10), (30, 10), (30, 30), (10, 30), (10, 10), (30, 10), (30, 30), (10, 30)), 400),
        ("thin as a hair", corners((10, 10.2), (90, 10.3), (10, 10.4)), 8),
        ("on whole pixels", rectangle(3, 4, 7, 9), 20),
    ],
)
def test_sums_to_the_exact_area(name, points, area):
    got = alpha(shape(points))
    assert got.sum(dtype=float) == pytest.approx(area, abs=1e-3)
    assert got.min() >= 0 and got.max() <= 1


def test_whole_pixels_are_black_and_white_only():
    assert set(np.unique(alpha(shape(rectangle(3, 4, 7, 9))))) == {0.0, 1.0}


@given(dx=st.integers(-30, 30), dy=st.integers(-20, 20), seed=st.integers(0, 9), cross=st.sampled_from([0.0, 0.3]))
@settings(max_examples=30, deadline=None)
def test_whole_pixel_shift_changes_nothing(dx, dy, seed, cross):
    points = np.round(blob(n=9, radius=15, seed=seed, cross=cross) * 64) / 64
    moved = points.copy()
    moved[:, :2] += (dx, dy)
    there = alpha(shape(points))
    assert np.allclose(np.roll(alpha(shape(moved)), (-dy, -dx), (0, 1))[20:80, 30:90], there[20:80, 30:90], atol=1e-6)


@given(seed=st.integers(0, 30), cross=st.sampled_from([0.0, 0.4]), soft=st.booleans())
@settings(max_examples=20, deadline=None)
def test_direction_does_not_matter(seed, cross, soft):
    points = blob(n=8, seed=seed, cross=cross)
    back = points[::-1][:, [0, 1, 4, 5, 2, 3]]
    more = {"inner": 2.0, "outer": 3.0} if soft else {}
    assert np.abs(alpha(shape(points, **more)) - alpha(shape(back, **more))).max() < 4e-4  # a tie of two sides may fall either way


@pytest.mark.parametrize("second", ["area", "soft"])
def test_a_box_is_the_crop_byte_for_byte(second):
    more = {"inner": 1.5, "outer": 4.0, "profile": "smooth"} if second == "soft" else {}
    scene = matte(
        shape(blob(cross=0.2), move=(40, 9)),
        Entry(shape=shape(blob(n=9, seed=4, centre=(40, 60)), name="b", **more), mode="cut"),
        angle=180,
    )
    whole = render(scene, 6).alpha
    for box in [(13, 7, 90, 61), (0, 0, 5, 100), (70, 90, 120, 100), (50, 50, 51, 51)]:
        x0, y0, x1, y1 = box
        assert np.array_equal(render(scene, 6, box=box).alpha, whole[y0:y1, x0:x1])
    assert np.array_equal(render(scene, 6, threads=2).alpha, whole)


def halves(**more):
    """A blob as a whole, and the same cut in two along a wavy line, each half drawn its own way round."""
    line = np.array([[60, 0], [64, 30], [55, 60], [62, 100]], float)
    left = corners((0, 0), *map(tuple, line), (0, 100))
    right = corners((120, 0), *map(tuple, line), (120, 100))
    return shape(left, "left", **more), shape(right, "right", **more)


@pytest.mark.parametrize("angle", [0.0, 270.0])
def test_abutting_halves_leave_no_seam(angle):
    both = alpha(*halves(move=(37.3, 11.9)), angle=angle)
    one = alpha(shape(rectangle(0, 0, 120, 100), move=(37.3, 11.9)), angle=angle)
    assert np.abs(both - one).max() < 1e-6


def test_coinciding_edges_do_not_thicken():
    points = blob()
    alone = alpha(shape(points))
    assert np.abs(alpha(shape(points), shape(points, "again")) - alone).max() < 1e-6
    assert alpha(shape(points), Entry(shape=shape(points, "again"), mode="cut")).max() < 1e-6
    assert np.abs(alpha(shape(points), Entry(shape=shape(points[::-1][:, [0, 1, 4, 5, 2, 3]], "again"), mode="keep")) - alone).max() < 1e-6


@pytest.mark.parametrize("modes", ["adds", "adds and cuts"])
def test_a_heap_of_outlines_is_its_exact_area(modes):
    """Sixty outlines on one heap, each with hundreds of crossings a row."""
    rng = np.random.default_rng(4)
    outlines = [blob(12, tuple(rng.uniform(40, 80, 2)), rng.uniform(8, 26), k, 0.1, cross=0.2 * (k % 3 == 0)) for k in range(60)]
    cuts = [modes != "adds" and k % 4 == 3 for k in range(60)]
    area = shapely.Polygon()
    for points, cut in zip(outlines, cuts, strict=True):
        area = shapely.difference(area, filled(points)) if cut else shapely.union(area, filled(points))
    lines = [Entry(shape=shape(p, str(k)), mode="cut" if cut else "add") for k, (p, cut) in enumerate(zip(outlines, cuts, strict=True))]
    assert np.abs(alpha(*lines) - truth(area, 120, 100)).max() < 0.003


@given(st.integers(0, 10**6), st.integers(2, 40), st.booleans())
@settings(max_examples=30, deadline=None)
def test_polygons_that_share_corners_and_sides_are_their_exact_area(seed, count, inverted):
    """Triangles between whole and half pixels: many sides on top of each other, many corners on one height."""
    rng = np.random.default_rng(seed)
    some = [rng.integers(0, 17, (3, 2)) / 2.0 + [20, 20] for _ in range(count)]
    lines = [Entry(shape=shape(corners(*map(tuple, t)), str(k)), mode=("add", "cut", "keep")[k % 5 % 3]) for k, t in enumerate(some)]
    area = shapely.Polygon()
    for line, t in zip(lines, some, strict=True):
        by = {"add": shapely.union, "cut": shapely.difference, "keep": shapely.intersection}[line.mode]
        area = by(area, shapely.Polygon(t))
    got = alpha(*lines, inverted=inverted)
    want = truth(area, 120, 100) if not area.is_empty else np.zeros((100, 120))
    assert np.abs(got - (1 - want if inverted else want)).max() < 1e-5


def test_stack_of_areas_equals_polygon_operations():
    a, b, c = (blob(n=9, centre=centre, radius=30, seed=k) for k, centre in enumerate([(50, 50), (70, 45), (60, 65)]))
    got = alpha(shape(a, "a"), Entry(shape=shape(b, "b"), mode="cut"), Entry(shape=shape(c, "c"), mode="add", inverted=True))
    fa, fb, fc = filled(a), filled(b), filled(c)
    want = shapely.union(shapely.difference(fa, fb), shapely.difference(shapely.box(0, 0, 120, 100), fc))
    assert np.abs(got - truth(want, 120, 100)).max() < 0.004
