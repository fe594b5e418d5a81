"""Shapes as SVG: one frame, or the whole range as standard animated SVG (SVG 1.1 with SMIL: `animate`), readable by any browser.

SVG knows no feather, no in-betweening and no overlap to keep: outlines are exact, the rest is said in each path's description.
"""

from collections.abc import Sequence
from xml.sax.saxutils import escape, quoteattr

import numpy as np

from roto.arrays import Floats
from roto.matte.modes import FOUND, MODES
from roto.matte.stack import Matte
from roto.motion.shape import DIVIDING, GROUP, Shape

WHITE, BLACK = "#ffffff", "#000000"


def path_data(points: Floats) -> str:
    """The `d` of a closed outline: points (n, 6), numbers in plate px to a thousandth.

    >>> path_data(np.array([[0, 0, 0, 0, 0, 0], [4, 0, 0, 0, 0, 0], [0, 3, 0, 0, 0, 0]]))
    'M0 0L4 0L0 3Z'
    """
    here = points[:, :2]
    out = [f"M{_pair(here[0])}"]
    for k in range(len(points)):
        n = (k + 1) % len(points)
        if points[k, 4:].any() or points[n, 2:4].any():
            out.append(f"C{_pair(here[k] + points[k, 4:])} {_pair(here[n] + points[n, 2:4])} {_pair(here[n])}")
        elif n:
            out.append(f"L{_pair(here[n])}")
    return "".join(out) + "Z"


def _pair(place: Floats) -> str:
    return " ".join(f"{v:.3f}".rstrip("0").rstrip(".") if v else "0" for v in (round(float(c), 3) + 0.0 for c in place))


def _outlines(shape: Shape, frames: Sequence[int]) -> Floats:
    numbers = np.array(frames)
    return shape.edge(numbers.astype(np.float64), numbers)


def one_frame(matte: Matte, frame: int) -> str:
    """The shapes that are live on a frame, as an SVG document."""
    rows = []
    for at, entry in enumerate(matte.entries):
        if entry.shape.kind != GROUP and entry.mode not in FOUND and entry.shape.is_live(frame):
            rows.append(_path(matte, at, path_data(_outlines(entry.shape, [frame])[0]), frame, ""))
    return _document(matte, rows, f"{matte.shot}, matte {matte.name}, frame {frame}")


def whole_range(matte: Matte) -> str:
    """All shapes over the shot's range: the outline of every frame, switched at the shot's rate, around and around."""
    frames = range(matte.first, matte.last + 1)
    seconds = f"{float(len(frames) / matte.rate):.6f}s"
    rows = []
    for at, entry in enumerate(matte.entries):
        if entry.shape.kind == GROUP or entry.mode in FOUND:
            continue
        drawn = [path_data(outline) for outline in _outlines(entry.shape, frames)]
        live = ["visible" if entry.shape.is_live(f) else "hidden" for f in frames]
        inside = ""
        for name, values in (("d", drawn), ("visibility", live)):
            if len(set(values)) > 1:
                said = ";".join(values)
                inside += f'<animate attributeName="{name}" calcMode="discrete" dur="{seconds}" repeatCount="indefinite" values="{said}"/>'
        still = "" if live[0] == "visible" else ' visibility="hidden"'
        rows.append(_path(matte, at, drawn[0], matte.first, inside, still))
    return _document(matte, rows, f"{matte.shot}, matte {matte.name}, frames {matte.first} to {matte.last} at {matte.rate} a second")


def _path(matte: Matte, at: int, data: str, frame: int, inside: str, more: str = "") -> str:
    entry = matte.entries[at]
    inner, outer, shift, opacity, lens = entry.shape.settings_at(frame)[0]
    said = [MODES[entry.mode].in_svg] + (["inverted, which SVG does not draw"] if entry.inverted else [])
    said += [f"{name} {value:g}" for name, value in (("inner reach", inner), ("outer reach", outer), ("edge shift", shift)) if value]
    said += [f"lens softness {lens:g}, a {entry.shape.lens_kind}"] if lens else []
    said += ["a dividing edge"] if entry.shape.kind == DIVIDING else []
    fill = BLACK if entry.mode == "cut" else WHITE
    shown = opacity * entry.opacity
    see = "" if shown == 1 else f' fill-opacity="{shown:g}"'
    note = f"<title>{escape(entry.shape.name)}</title><desc>{escape(', '.join(said))}</desc>"
    head = f'<path id="shape-{at + 1}" class="{entry.mode}" fill="{fill}"{see} fill-rule="nonzero"{more}'
    return f"{head} d={quoteattr(data)}>{note}{inside}</path>"


def _document(matte: Matte, rows: Sequence[str], says: str) -> str:
    width, height = matte.size
    head = f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}" viewBox="0 0 {width} {height}"'
    return (
        f'<?xml version="1.0" encoding="UTF-8"?>\n{head} style="background:{BLACK}">\n<title>{escape(says)}</title>\n'
        + "\n".join(rows)
        + "\n</svg>\n"
    )
