"""The same pictures by general libraries: two 2-D drawing libraries, two distance transforms, a polygon library."""

import cairocffi as cairo
import cv2
import numpy as np
import shapely
import skia
from scipy.ndimage import distance_transform_edt

from roto.arrays import Floats


def cairo_alpha(points: Floats, size: tuple[int, int]) -> np.ndarray:
    """8-bit alpha (h, w) of one outline (n, 6) by cairo at its best anti-aliasing."""
    width, height = size
    surface = cairo.ImageSurface(cairo.FORMAT_A8, width, height)
    context = cairo.Context(surface)
    context.set_antialias(cairo.ANTIALIAS_BEST)
    context.set_fill_rule(cairo.FILL_RULE_WINDING)
    context.move_to(*points[0, :2])
    for p, q in zip(points, np.roll(points, -1, axis=0), strict=True):
        context.curve_to(p[0] + p[4], p[1] + p[5], q[0] + q[2], q[1] + q[3], q[0], q[1])
    context.fill()
    surface.flush()
    rows = np.frombuffer(surface.get_data(), np.uint8).reshape(height, surface.get_stride())
    return rows[:, :width]


def skia_alpha(points: Floats, size: tuple[int, int]) -> np.ndarray:
    """8-bit alpha (h, w) of one outline (n, 6) by skia."""
    path = skia.PathBuilder() if hasattr(skia, "PathBuilder") else skia.Path()
    path.moveTo(*map(float, points[0, :2]))
    for p, q in zip(points, np.roll(points, -1, axis=0), strict=True):
        path.cubicTo(*map(float, (p[0] + p[4], p[1] + p[5], q[0] + q[2], q[1] + q[3], q[0], q[1])))
    path.close()
    whole = path.detach() if hasattr(path, "detach") else path
    out = np.zeros((size[1], size[0]), np.uint8)
    info = skia.ImageInfo.Make(size[0], size[1], skia.kAlpha_8_ColorType, skia.kPremul_AlphaType)
    surface = skia.Surface.MakeRasterDirect(info, out)
    surface.getCanvas().drawPath(whole, skia.Paint(AntiAlias=True, Color=0xFFFFFFFF))
    return out


def averaged(draw, moments: Floats, size: tuple[int, int]) -> np.ndarray:  # type: ignore[no-untyped-def]
    """The mean of several outlines (T, n, 6), as float32: the quickest plain way, sums in 16 bits."""
    total = np.zeros((size[1], size[0]), np.uint16)
    for points in moments:
        cv2.add(total, draw(points, size), dst=total, dtype=cv2.CV_16U)
    return total.astype(np.float32) * np.float32(1 / (255 * len(moments)))


def scipy_distance(filled: np.ndarray) -> np.ndarray:
    """Signed distance in px to the edge of a filled picture, exact between pixel centres."""
    return distance_transform_edt(filled) - distance_transform_edt(~filled)


def opencv_distance(filled: np.ndarray) -> np.ndarray:
    inside = cv2.distanceTransform(filled.astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    return inside - cv2.distanceTransform((~filled).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)


def filled_area(ring: Floats) -> shapely.Geometry:
    """The non-zero filled area of a closed polygon (V, 2): noded into faces, those kept that it winds around."""
    closed = np.vstack([ring, ring[:1]])
    faces = shapely.get_parts(shapely.polygonize([shapely.node(shapely.LineString(closed))]))
    x0, y0 = closed[:-1].T
    x1, y1 = closed[1:].T

    def winds(face: shapely.Polygon) -> bool:
        x, y = face.representative_point().coords[0]
        up, down = (y0 <= y) & (y1 > y), (y1 <= y) & (y0 > y)
        with np.errstate(divide="ignore", invalid="ignore"):
            right = x0 + (y - y0) * (x1 - x0) / (y1 - y0) > x
        return bool((up & right).sum() != (down & right).sum())

    return shapely.union_all([f for f in faces if winds(f)])


def exact_areas(area: shapely.Geometry, size: tuple[int, int]) -> np.ndarray:
    """The area of each pixel (h, w) inside, by polygon clipping, a strip of rows and then a pixel at a time."""
    out = np.zeros((size[1], size[0]))
    for row in range(size[1]):
        strip = shapely.clip_by_rect(area, -1e4, row, 1e4, row + 1)
        if strip.is_empty:
            continue
        shapely.prepare(strip)
        x = np.arange(size[0])
        cells = shapely.box(x, row, x + 1, row + 1)
        whole, touched = shapely.contains_properly(strip.buffer(1e-9), cells), shapely.intersects(strip, cells)
        out[row, whole] = 1.0
        edge = touched & ~whole
        out[row, edge] = shapely.area(shapely.intersection(strip, cells[edge]))
    return out
