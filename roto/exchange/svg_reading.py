"""Outlines from SVG files that came from anywhere: plain paths and basic shapes, with a report of what could not be taken.

XML is read by defusedxml (no entities, no outside files), path data and basic shapes by fontTools.
"""

import math
import re
from collections import Counter
from dataclasses import dataclass
from typing import Any
from xml.etree.ElementTree import Element, ParseError

import numpy as np
from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring
from fontTools.pens.recordingPen import RecordingPen
from fontTools.svgLib.path import parse_path
from fontTools.svgLib.path.shapes import PathBuilder

from roto.arrays import Floats
from roto.errors import BadDocument

LARGEST = 20 << 20
"""bytes: of a file that is taken; outlines of a thousand frames traced by machine are below it"""
MOST_SHAPES, MOST_POINTS = 500, 2000
DEEPEST = 100
"""groups in groups"""
DRAWN = ("path", "rect", "circle", "ellipse", "polygon", "polyline")
PASSED = ("svg", "g", "a", "title", "desc", "metadata", "defs", "style", "namedview", "switch")
SAME = 1e-6
SMOOTH = math.cos(math.radians(1.0))
"""tangents that point away from each other within a degree make a curve point"""
_NUMBER = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?")
_CALL = re.compile(r"([a-zA-Z]+)\s*\(([^)]*)\)")


@dataclass(frozen=True, slots=True, kw_only=True)
class Outline:
    """One closed outline. points: (n, 6) in plate px. curves: (n,) bool. mode: add or cut (a hole of the path that it was part of)."""

    name: str
    points: Floats
    curves: tuple[bool, ...]
    mode: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Taken:
    """outlines: bottom first. report: what was done and what could not be taken, in sentences."""

    outlines: tuple[Outline, ...]
    report: tuple[str, ...]


def looks_like_svg(data: bytes) -> bool:
    """Whether a file is more likely SVG than JSON.

    >>> looks_like_svg(b'  <svg xmlns="..."/>'), looks_like_svg(b'{"format": "shapes"}')
    (True, False)
    """
    return data.lstrip(b"\xef\xbb\xbf \t\r\n")[:1] == b"<"


def read(data: bytes, size: tuple[int, int]) -> Taken:
    """Outlines of an SVG file for a plate of that size. Raises BadDocument with what is wrong."""
    if len(data) > LARGEST:
        raise BadDocument("file", f"has {len(data) >> 20} MB; an SVG file of shapes may have {LARGEST >> 20}. Save just the paths.")
    try:
        root = fromstring(data, forbid_dtd=False)
    except DefusedXmlException as error:
        raise BadDocument("file", "defines entities or leads to other files, which is not taken. Save it as plain SVG.") from error
    except (ParseError, ValueError, LookupError, RecursionError) as error:
        raise BadDocument("file", f"is not SVG that can be read: {error}") from error
    if _tag(root) != "svg":
        raise BadDocument("file", f"is XML, but not SVG: its first element is '{_tag(root)[:40]}'.")
    report: list[str] = []
    left: Counter[str] = Counter()
    found: list[Outline] = []
    _walk(root, _fit(root, size, report), found, left, 0, report)
    if not found:
        raise BadDocument("file", "holds no path, rectangle, circle, ellipse or polygon that is drawn.")
    report.insert(0, f"{len(found)} outline{'s' if len(found) > 1 else ''} taken.")
    report += [f"Left out: {count} '{what}'." for what, count in sorted(left.items())]
    return Taken(outlines=tuple(found), report=tuple(report))


def _tag(element: Element) -> str:
    return str(element.tag).rpartition("}")[2]


def _fit(root: Element, size: tuple[int, int], report: list[str]) -> Floats:
    """From the file's units to plate px: the view box laid on the plate where both have the same proportions, else as it is."""
    numbers = [float(v) for v in _NUMBER.findall(root.get("viewBox", ""))]
    if len(numbers) != 4:
        plain = [_NUMBER.match(root.get(k, "")) for k in ("width", "height")]
        numbers = [0.0, 0.0, *(float(m.group()) for m in plain if m)]
    if len(numbers) != 4 or numbers[2] <= 0 or numbers[3] <= 0:
        report.append("The file does not say how large it is: its units were taken as pixels of the plate.")
        return np.eye(3)
    x, y, width, height = numbers
    sx, sy = size[0] / width, size[1] / height
    if abs(sx / sy - 1) > 0.01:
        report.append(f"The file is {width:g} x {height:g}, which is not the plate's shape: its units were taken as pixels of the plate.")
        return np.eye(3)
    if abs(sx - 1) > SAME:
        report.append(f"The file is {width:g} x {height:g}: scaled by {sx:.4g} to fit the plate.")
    return np.array([[sx, 0, -x * sx], [0, sy, -y * sy], [0, 0, 1.0]])


def _transform(text: str) -> Floats:
    """The matrix (3, 3) of a transform attribute. Raises ValueError for what is none."""
    out = np.eye(3)
    for name, inside in _CALL.findall(text):
        v = [float(n) for n in _NUMBER.findall(inside)]
        one = np.eye(3)
        if name == "matrix" and len(v) == 6:
            one[:2] = np.array(v).reshape(3, 2).T
        elif name == "translate" and v:
            one[:2, 2] = v[0], v[1] if len(v) > 1 else 0
        elif name == "scale" and v:
            one[0, 0], one[1, 1] = v[0], v[1] if len(v) > 1 else v[0]
        elif name == "rotate" and v:
            c, s = math.cos(math.radians(v[0])), math.sin(math.radians(v[0]))
            about = np.array(v[1:3] if len(v) > 2 else (0.0, 0.0))
            one[:2, :2] = [[c, -s], [s, c]]
            one[:2, 2] = about - one[:2, :2] @ about
        elif name == "skewX" and v:
            one[0, 1] = math.tan(math.radians(v[0]))
        elif name == "skewY" and v:
            one[1, 0] = math.tan(math.radians(v[0]))
        else:
            raise ValueError(name)
        out = out @ one
    return out


def _hidden(element: Element) -> bool:
    style = element.get("style", "").replace(" ", "")
    return (
        element.get("display") == "none" or "display:none" in style or element.get("visibility") == "hidden" or "visibility:hidden" in style
    )


def _walk(element: Element, place: Floats, found: list[Outline], left: Counter[str], depth: int, report: list[str]) -> None:
    if depth > DEEPEST:
        raise BadDocument("file", f"has groups {DEEPEST} deep and more. Take the groups apart and save it again.")
    for child in element:
        tag = _tag(child)
        if tag == "defs" or not isinstance(child.tag, str):
            continue
        if _hidden(child):
            left[f"{tag} that is hidden"] += 1
            continue
        try:
            here = place @ _transform(child.get("transform", ""))
        except ValueError:
            left[f"{tag} with a transform that is not known"] += 1
            continue
        if tag in ("g", "svg", "a", "switch"):
            _walk(child, here, found, left, depth + 1, report)
        elif tag in DRAWN:
            _take(child, tag, here, found, left, report)
        elif tag not in PASSED:
            left[tag] += 1


def _take(element: Element, tag: str, place: Floats, found: list[Outline], left: Counter[str], report: list[str]) -> None:
    title = next((c.text for c in element if _tag(c) == "title" and c.text), None)
    name = (title or element.get("id") or f"outline {len(found) + 1}").strip()[:60]
    try:
        parts = _subpaths(_data(element))
    except (ValueError, IndexError, TypeError, AttributeError, AssertionError, NotImplementedError, OverflowError) as error:
        left[f"{tag} whose outline cannot be read ({str(error)[:60] or type(error).__name__})"] += 1
        return
    if any(_tag(c).startswith("animate") for c in element):
        report.append(f"'{name}' is animated; its first outline was taken, the movement was not.")
    opened = sum(not closed for _, _, closed in parts)
    if opened:
        report.append(f"'{name}' is open; it was closed by a straight side.")
    areas = []
    for points, curves, _ in parts:
        moved = _moved(points, place)
        if (len(moved) < 3 and not curves.any()) or len(moved) < 2:
            left["outline of fewer than three points"] += 1
            continue
        if len(moved) == 2:
            moved, curves = _halved(moved), np.ones(4, bool)
        if len(moved) > MOST_POINTS or len(found) >= MOST_SHAPES:
            raise BadDocument("file", f"has more than {MOST_SHAPES} outlines, or one of more than {MOST_POINTS} points. Simplify it first.")
        if not np.isfinite(moved).all() or np.abs(moved).max() > 1e7:
            left["outline beyond any place that makes sense"] += 1
            continue
        areas.append(_area(moved))
        hole = len(areas) > 1 and (areas[-1] * areas[0] < 0 or "evenodd" in element.get("fill-rule", "") + element.get("style", ""))
        which = f"{name[:52]} {len(areas)}" if len(areas) > 1 else name
        found.append(
            Outline(name=which, points=moved, curves=tuple(bool(c) for c in curves), mode="cut" if hole or _cuts(element) else "add")
        )
    if len(areas) > 1:
        report.append(f"'{name}' has {len(areas)} outlines; each is a shape of its own, holes cut.")


def _cuts(element: Element) -> bool:
    """Whether it is one of our own that cuts."""
    return element.get("class") == "cut"


def _data(element: Element) -> str:
    builder = PathBuilder()
    plain: Any = Element(_tag(element), {k: v for k, v in element.attrib.items() if k != "transform"})
    if _tag(element) == "polyline":
        plain.tag = "polygon"
    builder.add_path_from_element(plain)
    return " ".join(p for p in builder.paths if p)


def _subpaths(data: str) -> list[tuple[Floats, np.ndarray, bool]]:
    """Closed outlines (n, 6) of path data, which of their points are curves, and whether they were closed in the file."""
    pen = RecordingPen()
    parse_path(data, pen)
    out: list[tuple[Floats, np.ndarray, bool]] = []
    places: list[tuple[float, float]] = []
    legs: list[tuple[Any, Any]] = []
    for what, arguments in pen.value:
        if what == "moveTo":
            places, legs = [arguments[0]], []
        elif what == "lineTo":
            if math.dist(arguments[0], places[-1]) > SAME:
                legs.append(((0.0, 0.0), (0.0, 0.0)))
                places.append(arguments[0])
        elif what in ("curveTo", "qCurveTo"):
            a, end = places[-1], arguments[-1]
            if what == "curveTo":
                b, c = arguments[0], arguments[1]
            else:  # the same curve as a cubic
                q = arguments[0]
                b = (a[0] + 2 / 3 * (q[0] - a[0]), a[1] + 2 / 3 * (q[1] - a[1]))
                c = (end[0] + 2 / 3 * (q[0] - end[0]), end[1] + 2 / 3 * (q[1] - end[1]))
            legs.append(((b[0] - a[0], b[1] - a[1]), (c[0] - end[0], c[1] - end[1])))
            places.append(end)
        elif what in ("closePath", "endPath") and len(places) > 1:
            out.append((*_closed(places, legs), what == "closePath" or math.dist(places[0], places[-1]) < SAME))
    return out


def _closed(places: list[Any], legs: list[Any]) -> tuple[Floats, np.ndarray]:
    """Points (n, 6) and which are curves, from places and the tangents of the legs between them."""
    if math.dist(places[0], places[-1]) > SAME:
        legs, places = [*legs, ((0.0, 0.0), (0.0, 0.0))], [*places, places[0]]
    count = len(legs)
    points = np.zeros((count, 6))
    for k, (leaves, arrives) in enumerate(legs):
        points[k, :2] = places[k]
        points[k, 4:] = leaves
        points[(k + 1) % count, 2:4] = arrives
    a, b = points[:, 2:4], points[:, 4:]
    long = np.hypot(*a.T) * np.hypot(*b.T)
    smooth = (long > SAME) & ((a * b).sum(axis=1) < -SMOOTH * np.maximum(long, SAME))
    return points, smooth


def _moved(points: Floats, place: Floats) -> Floats:
    out = points.copy()
    out[:, :2] = points[:, :2] @ place[:2, :2].T + place[:2, 2]
    for k in (2, 4):
        out[:, k : k + 2] = points[:, k : k + 2] @ place[:2, :2].T
    return out


def _halved(points: Floats) -> Floats:
    """Two curved legs as four, since a shape has three points at least (de Casteljau, in the middle)."""
    out = []
    for k in range(2):
        a, d = points[k, :2], points[1 - k, :2]
        b, c = a + points[k, 4:], d + points[1 - k, 2:4]
        ab, bc, cd = (a + b) / 2, (b + c) / 2, (c + d) / 2
        abc, bcd = (ab + bc) / 2, (bc + cd) / 2
        middle = (abc + bcd) / 2
        out.append((a, ab - a, middle, abc - middle, bcd - middle, cd - d))
    rows = []
    for k, (a, leaves, middle, arrives, goes, _) in enumerate(out):
        rows.append([*a, *out[1 - k][5], *leaves])
        rows.append([*middle, *arrives, *goes])
    return np.array(rows, dtype=np.float64)


def _area(points: Floats) -> float:
    """Twice the signed area of the outline with its tangents' ends as corners; tells which way it runs."""
    at = points[:, :2]
    corners = np.concatenate(
        [at[:, None], (at + points[:, 4:])[:, None], np.roll(at + points[:, 2:4], -1, axis=0)[:, None]], axis=1
    ).reshape(-1, 2)
    x, y = corners.T
    return float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum())
