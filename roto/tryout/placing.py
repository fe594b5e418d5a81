"""Where a line's picture is put: maps (3, 3) from what is shown to the tryout's picture, and pictures warped by them.

Maps are of plate px, the middle of the first pixel at (0.5, 0.5). A map that does nothing, or moves by whole pixels, copies; others are
sampled by OpenCV: cubic where the picture gets larger or stays, the mean over areas first where it gets smaller.
"""

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.motion import interpolate, placement
from roto.tryout.model import Place, Swing, keys_of

Picture = NDArray[np.float32]
Box = tuple[int, int, int, int]
"""x0, y0, x1, y1 in px; the last ones not included"""
NEAREST_EYE = 1e-3
"""share of the eye's distance: nothing nearer to the eye is seen"""
EXACT = 1e-9
"""px: a map that moves by whole pixels to within this copies"""


def fitted(own: tuple[int, int], size: tuple[int, int], fit: str) -> Floats:
    """The map that lays a picture of one size (width, height) into the middle of one of another: whole, filling it, or as large as it
    is."""
    across, down = size[0] / own[0], size[1] / own[1]
    scale = {"fit": min(across, down), "fill": max(across, down), "own": 1.0}[fit]
    return np.array([[scale, 0, (size[0] - scale * own[0]) / 2], [0, scale, (size[1] - scale * own[1]) / 2], [0, 0, 1.0]])


def mirrored(way: str, size: tuple[int, int]) -> Floats:
    """The map that turns a picture's left to its right (sides), or its top to its bottom (upright)."""
    x, y = (-1.0 if way == "sides" else 1.0), (-1.0 if way == "upright" else 1.0)
    return np.array([[x, 0, size[0] if x < 0 else 0.0], [0, y, size[1] if y < 0 else 0.0], [0, 0, 1.0]])


def swung(swing: Swing, degrees: float, size: tuple[int, int]) -> Floats:
    """The map of a swing about an edge, seen by an eye before the middle of the hinge that sees `swing.view` degrees across the picture; so
    that by 90 degrees it is seen from its edge, which is nothing.

    A point P lies at A + u e + v n, e along the hinge and n square to it. Swung by t it lies at A + u e + v (cos t n + sin t k), k towards
    the eye; from a distance d it is seen at c + (X - c) d / (d - v sin t). All of it is linear in P, so that it is one map.
    """
    a, b = np.array(swing.hinge[0]), np.array(swing.hinge[1])
    e = (b - a) / np.linalg.norm(b - a)
    n = np.array([-e[1], e[0]])
    c = (a + b) / 2
    far = size[0] / 2 / math.tan(math.radians(swing.view) / 2)
    t = math.radians(degrees)
    out = np.zeros((3, 3))
    v = np.array([n[0], n[1], -n @ a])  # v of a point (x, y, 1)
    u = np.array([e[0], e[1], -e @ a])
    below = np.array([0, 0, far]) - math.sin(t) * v
    for i in range(2):
        there = u * e[i] + v * (math.cos(t) * n[i]) + np.array([0, 0, a[i] - c[i]])
        out[i] = there * far + c[i] * below
    out[2] = below
    return out / far


def pulled(corners: Floats, size: tuple[int, int]) -> Floats:
    """The map that takes the corners of a picture (left top, right top, right bottom, left bottom) so far away; corners: (4, 2)."""
    w, h = size
    home = np.array([(0, 0), (w, 0), (w, h), (0, h)], np.float32)
    return np.asarray(cv2.getPerspectiveTransform(home, (home + corners).astype(np.float32)), np.float64)


def placed(place: Place, moment: float, frame: int, size: tuple[int, int]) -> Floats:
    """The map of a line's own placing at a moment of the exposure of a frame; what it rides on comes after."""
    out = mirrored(place.mirror, size) if place.mirror else np.eye(3)
    when, number = np.array([moment]), np.array([frame])
    if (corners := keys_of(place.corners, 4, "corners")) is not None:
        out = pulled(interpolate.evaluate(corners, when, number)[0], size) @ out
    if place.swing is not None:
        angle = keys_of(place.swing.angle, 1, "angle")
        out = swung(place.swing, 0.0 if angle is None else float(interpolate.evaluate(angle, when, number)[0, 0, 0]), size) @ out
    if (keys := keys_of(place.keys, 3, "place")) is not None:
        pivot = place.pivot or (size[0] / 2, size[1] / 2)
        own = np.eye(3)
        own[:2] = placement.matrices(interpolate.evaluate(keys, when, number), pivot)[0]
        out = own @ out
    return out


def box_of(own: Floats, size: tuple[int, int], target: tuple[int, int]) -> Box | None:
    """The box of the target (width, height) that a picture of that size covers by a map; None where it is not seen."""
    w, h = size
    corners = np.array([(0, 0, 1), (w, 0, 1), (w, h, 1), (0, h, 1)], np.float64) @ own.T
    if (corners[:, 2] <= NEAREST_EYE).all() or not np.isfinite(corners).all() or abs(np.linalg.det(own)) < 1e-12:
        return None
    if (corners[:, 2] <= NEAREST_EYE).any():
        return 0, 0, target[0], target[1]
    there = corners[:, :2] / corners[:, 2:]
    low, high = np.floor(there.min(axis=0)) - 1, np.ceil(there.max(axis=0)) + 1
    x0, y0 = max(0, int(max(low[0], -1e9))), max(0, int(max(low[1], -1e9)))
    x1, y1 = min(target[0], int(min(high[0], 1e9))), min(target[1], int(min(high[1], 1e9)))
    return (x0, y0, x1, y1) if x0 < x1 and y0 < y1 else None


def _copied(picture: Picture, dx: int, dy: int, box: Box) -> Picture:
    x0, y0, x1, y1 = box
    out = np.zeros((y1 - y0, x1 - x0, picture.shape[2]), np.float32)
    h, w = picture.shape[:2]
    left, top, right, bottom = max(x0, dx), max(y0, dy), min(x1, w + dx), min(y1, h + dy)
    if left < right and top < bottom:
        out[top - y0 : bottom - y0, left - x0 : right - x0] = picture[top - dy : bottom - dy, left - dx : right - dx]
    return out


def resized(picture: NDArray[np.float32], size: tuple[int, int]) -> NDArray[np.float32]:
    """A picture at another size (width, height): the mean over areas where it gets smaller, straight between pixels where larger."""
    if picture.shape[1::-1] == size:
        return picture
    way = cv2.INTER_AREA if picture.shape[1] > size[0] else cv2.INTER_LINEAR
    return np.asarray(cv2.resize(picture, size, interpolation=way), np.float32).reshape(size[1], size[0], *picture.shape[2:])


def _shrinks(own: Floats, size: tuple[int, int]) -> float:
    """How many times smaller a map makes a picture in its middle, along the way in which it does so least."""
    middle = np.array([size[0] / 2, size[1] / 2, 1.0])
    there = own @ middle
    if there[2] <= NEAREST_EYE:
        return 1.0
    jacobian = own[:2, :2] / there[2] - np.outer(there[:2], own[2, :2]) / there[2] ** 2
    return float(1 / max(np.linalg.svd(jacobian, compute_uv=False)[0], 1e-6))


def warped(picture: Picture, own: Floats, box: Box) -> Picture:
    """What a box of the target shows of a picture (h, w, c) that a map takes there; nothing where the picture does not reach."""
    own = own / own[2, 2] if own[2, 2] else own
    rest = own - np.eye(3)
    move = np.rint(own[:2, 2])
    if np.abs(rest[:2, :2]).max() < EXACT and np.abs(rest[2]).max() < EXACT and np.abs(own[:2, 2] - move).max() < EXACT:
        return _copied(picture, int(move[0]), int(move[1]), box)
    h, w = picture.shape[:2]
    smaller = _shrinks(own, (w, h))
    if smaller > 1.5:
        step = min(int(smaller), w, h)
        picture = resized(picture, (max(1, w // step), max(1, h // step)))
        own = own @ np.diag([w / picture.shape[1], h / picture.shape[0], 1.0])
    x0, y0, x1, y1 = box
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    to_box = np.array([[1, 0, -x0 - 0.5], [0, 1, -y0 - 0.5], [0, 0, 1.0]])
    index = to_box @ own @ half
    flags = cv2.INTER_LINEAR if smaller > 1.5 else cv2.INTER_CUBIC
    size = (x1 - x0, y1 - y0)
    out = np.asarray(cv2.warpPerspective(picture, index, size, flags=flags, borderMode=cv2.BORDER_REPLICATE), np.float32)
    out = out.reshape(size[1], size[0], picture.shape[2])
    np.clip(out, 0.0, picture.max(axis=(0, 1)), out=out)  # cubics swing beyond what they run through
    inside = _covered(np.linalg.inv(own), picture.shape[1::-1], box)
    return out if inside is None else out * inside[:, :, None]


def _covered(back: Floats, size: tuple[int, ...], box: Box) -> NDArray[np.float32] | None:
    """How far each pixel of a box lies within a picture of that size, by its distance to the sides; None where all do. back: the map from
    the box's picture to it. What lies behind the eye is not seen."""
    x0, y0, x1, y1 = box
    bends = np.abs(back[2, :2]).max() > EXACT * abs(back[2, 2])
    if not bends:
        back = back / back[2, 2]
        corners = np.array([(x, y, 1.0) for x in (x0 + 0.5, x1 - 0.5) for y in (y0 + 0.5, y1 - 0.5)]) @ back.T
        room = [(corners[:, k].min(), size[k] - corners[:, k].max()) for k in (0, 1)]
        if all(min(ends) >= np.hypot(*back[k, :2]) / 2 for k, ends in enumerate(room)):
            return None
    x, y = (np.arange(x0, x1) + 0.5)[None, :], (np.arange(y0, y1) + 0.5)[:, None]
    below = back[2, 0] * x + back[2, 1] * y + back[2, 2] if bends else np.ones((1, 1))
    seen = below > 0
    below = np.where(seen, below, 1.0)
    out = np.where(seen, 1.0, 0.0)
    for k in (0, 1):
        at = (back[k, 0] * x + back[k, 1] * y + back[k, 2]) / below
        slope = np.hypot(back[k, 0] - at * back[2, 0], back[k, 1] - at * back[2, 1]) / below  # px of it a px of the box
        for away in (at, size[k] - at):
            out = out * np.clip(0.5 + away / np.maximum(slope, 1e-9), 0, 1)
    return np.broadcast_to(out, (y1 - y0, x1 - x0)).astype(np.float32)
