"""SVG and the piece of the time line: out and in, from our hand and from elsewhere, friendly and not."""

from dataclasses import replace
from fractions import Fraction
from xml.etree import ElementTree

import numpy as np
import opentimelineio as otio
import pytest
from hypothesis import given
from hypothesis import strategies as st
from shapely.geometry import Polygon

from benchmarks.scenes import blob, matte, shape
from roto.errors import BadDocument
from roto.exchange import document, editorial, svg, svg_reading
from roto.exchange.editorial import Marker, Media
from roto.matte.render import render
from roto.matte.stack import Entry
from roto.motion import edits
from roto.package import documents, make
from roto.package.compose import Sources
from roto.package.recipe import Recipe

SIZE = (200, 100)
SAIL = shape(blob((90.0, 50.0), 30.0, 1), "sail", (2.0, 0.5))
HOLE = shape(blob((90.0, 50.0), 10.0, 2), "hole <&> 'x'")
KITE = replace(matte(SAIL, size=SIZE), entries=(Entry(shape=SAIL), Entry(shape=HOLE, mode="cut")), last=8)
SVG = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 100">{}</svg>'


def rendered(taken: svg_reading.Taken, frame: int = 1) -> np.ndarray:
    lines = tuple(Entry(shape=edits.trace(f"{k}", o.name, frame, o.points, o.curves), mode=o.mode) for k, o in enumerate(taken.outlines))
    return render(replace(KITE, entries=lines, first=frame), frame).alpha


@pytest.mark.parametrize("frame", [1, 5])
def test_a_frame_goes_out_and_comes_back_as_the_same_picture(frame):
    taken = svg_reading.read(svg.one_frame(KITE, frame).encode(), SIZE)
    assert [(o.name, o.mode) for o in taken.outlines] == [("sail", "add"), ("hole <&> 'x'", "cut")]
    assert np.abs(rendered(taken, frame) - render(KITE, frame).alpha).max() < 0.003


def test_the_whole_range_is_animated_by_the_standard():
    live = replace(SAIL, live=((1, 4),))
    text = svg.whole_range(replace(KITE, entries=(Entry(shape=live),), rate=Fraction(25)))
    root = ElementTree.fromstring(text)
    path = root.find("{*}path")
    moves = {a.get("attributeName"): a for a in path.findall("{*}animate")}
    assert (
        moves["d"].get("dur") == "0.320000s" and moves["d"].get("calcMode") == "discrete" and len(moves["d"].get("values").split(";")) == 8
    )
    assert moves["visibility"].get("values").split(";") == ["visible"] * 4 + ["hidden"] * 4
    one = moves["d"].get("values").split(";")[3]
    taken = svg_reading.read(SVG.format(f'<path d="{one}"/>').encode(), SIZE)
    assert np.abs(taken.outlines[0].points[:, :2] - SAIL.outlines(np.array([4]))[0, :, :2]).max() < 0.001
    assert "animated" in " ".join(svg_reading.read(text.encode(), SIZE).report)


@pytest.mark.parametrize(
    ("inside", "area", "says"),
    [
        ('<rect x="10" y="20" width="30" height="40"/>', 1200, ""),
        ('<circle cx="50" cy="50" r="20"/>', np.pi * 400, ""),
        ('<ellipse cx="50" cy="50" rx="20" ry="10"/>', np.pi * 200, ""),
        ('<polygon points="0,0 40,0 40,30"/>', 600, ""),
        ('<polyline points="0,0 40,0 40,30"/>', 600, ""),
        ('<path d="M10 10h20v20h-20z"/>', 400, ""),
        ('<path d="M10 10h20v20h-20"/>', 400, "is open"),
        ('<path d="m50 30q20 0 20 20t-20 20t-20-20t20-20z"/>', 1333, ""),
        ('<path d="M30 50a20 20 0 1 1 40 0a20 20 0 1 1 -40 0z"/>', np.pi * 400, ""),
        ('<path d="M0 0h40v40h-40zM10 10v20h20v-20z"/>', 1200, "2 outlines"),
        ('<path fill-rule="evenodd" d="M0 0h40v40h-40zM10 10h20v20h-20z"/>', 1200, "2 outlines"),
        ('<g transform="translate(20 10) scale(2)"><rect width="10" height="10"/></g>', 400, ""),
        ('<g transform="rotate(30 50 50)"><rect x="40" y="40" width="20" height="20"/></g>', 400, ""),
        ('<rect width="10" height="10" transform="matrix(1 0 .5 1 20 20) skewX(10)"/>', 100, ""),
        ('<rect width="10" height="10"/><text>hello</text><image/><rect width="5" height="5" display="none"/>', 100, "Left out: 1 'text'"),
        ('<rect width="10" height="10"/><path d="M1 2 nonsense"/>', 100, "cannot be read"),
        ('<rect width="10" height="10"/><rect width="9" height="9" transform="warp(3)"/>', 100, "not known"),
    ],
)  # fmt: skip
def test_plain_svg_from_elsewhere_becomes_shapes(inside, area, says):
    taken = svg_reading.read(SVG.format(inside).encode(), SIZE)
    assert rendered(taken).sum() == pytest.approx(area, rel=0.012)
    assert says in " ".join(taken.report)


@given(st.lists(st.tuples(st.floats(5, 195), st.floats(5, 95)), min_size=3, max_size=12, unique=True))
def test_any_polygon_keeps_its_area(points):
    ring = Polygon(points)
    if not ring.is_valid or ring.area < 1:
        return
    data = "M" + "L".join(f"{x:.3f},{y:.3f}" for x, y in points) + "z"
    assert rendered(svg_reading.read(SVG.format(f'<path d="{data}"/>').encode(), SIZE)).sum() == pytest.approx(ring.area, abs=0.3)


def test_another_size_is_fitted_and_said():
    text = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 400 200"><rect width="20" height="20"/></svg>'
    taken = svg_reading.read(text.encode(), SIZE)
    assert rendered(taken).sum() == pytest.approx(100) and "scaled by 0.5" in " ".join(taken.report)
    odd = svg_reading.read(text.replace("400 200", "300 300").encode(), SIZE)
    assert rendered(odd).sum() == pytest.approx(400) and "not the plate's shape" in " ".join(odd.report)


BOMB = '<!DOCTYPE svg [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;">]><svg xmlns="http://www.w3.org/2000/svg"><text>&b;</text></svg>'
LEAK = '<!DOCTYPE svg [<!ENTITY x SYSTEM "file:///etc/passwd">]><svg xmlns="http://www.w3.org/2000/svg"><text>&x;</text></svg>'


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (BOMB.encode(), "entities"),
        (LEAK.encode(), "entities"),
        (b"<svg><path", "not SVG that can be read"),
        (b"<html/>", "not SVG"),
        (SVG.format("").encode(), "no path"),
        (b"<svg>" + b" " * svg_reading.LARGEST + b"</svg>", "MB"),
        (SVG.format("<g>" * 200 + "</g>" * 200).encode(), "deep"),
        (SVG.format("<rect width='1' height='1'/>" * 600).encode(), "more than 500"),
        (SVG.format('<path d="M0 0L' + " ".join(f"{k % 90} {k % 77}" for k in range(5000)) + 'z"/>').encode(), "2000 points"),
        (SVG.format('<path d="M0 0L1e300 0L0 1e300z"/>').encode(), "no path"),
    ],
)  # fmt: skip
def test_hostile_svg_is_refused_with_a_sentence(data, says):
    with pytest.raises(BadDocument, match=says):
        svg_reading.read(data, SIZE)


@pytest.mark.parametrize("text", ["[" * 100_000, '{"a":' * 50_000, '{"format": "shapes"', "\x00", "[1,2"])
def test_hostile_json_is_refused_with_a_sentence(text):
    with pytest.raises(BadDocument):
        document.loads(text)


def test_the_time_line_names_the_stills_their_range_and_the_notes(tmp_path):
    rate = Fraction(24000, 1001)
    film = replace(KITE, rate=rate, first=1001, last=1008)
    it = make.plan(Sources(mattes=(film,)), Recipe(start=1, editorial=True), first=1002, last=1007)
    names = documents.write_all(it, tmp_path, notes=[Marker(frame=1004, says="the edge boils", by="noor")], plate_name="KITE_010.mov")
    assert names == ["shapes/KITE_010_kite.shapes.json", "KITE_010_kite.otio", "KITE_010_kite.edl"]
    line = otio.adapters.read_from_file(str(tmp_path / "KITE_010_kite.otio"))
    clip = line.tracks[1][0]
    stills = clip.media_reference
    assert [stills.target_url_for_image_number(k) for k in (0, 5)] == ["./KITE_010_kite.0001.png", "./KITE_010_kite.0006.png"]
    assert clip.source_range.start_time.value == 1 and clip.source_range.duration.value == 6 and abs(stills.rate - float(rate)) < 1e-9
    assert [(m.name, m.marked_range.start_time.value) for m in clip.markers] == [("the edge boils", 3)]
    assert line.tracks[0][0].media_reference.target_url == "KITE_010.mov"
    edl = (tmp_path / "KITE_010_kite.edl").read_text()
    assert edl.startswith("TITLE: KITE_010 kite") and "FROM CLIP NAME:  KITE_010_kite" in edl and ".png" in edl
    again = otio.adapters.read_from_file(str(tmp_path / "KITE_010_kite.edl"), rate=24)
    assert again.tracks[0][0].duration().value == 6


def test_what_somebody_wrote_does_not_become_an_event_of_the_list():
    says = "lost\r\n002  AX       V     C        00:00:00:00 00:00:01:00 00:00:00:00 00:00:01:00\u2028end\x07"
    line = editorial.timeline(
        "KITE\nFCM: DROP FRAME", Fraction(24), [Media(name="kite\n.mov", first=0, frames=24)], [Marker(frame=3, says=says)]
    )
    rows = editorial.as_edl(line).splitlines()
    assert rows[0] == "TITLE: KITE FCM: DROP FRAME" and sum(row.startswith("00") for row in rows) == 1
    assert not any(row.startswith("FCM") for row in rows) and "* FROM CLIP NAME:  kite .mov" in rows


def test_a_movie_is_one_file_on_the_time_line():
    line = editorial.timeline("KITE", Fraction(25), [Media(name="kite.mov", first=0, frames=50, alpha="straight")])
    clip = line.tracks[0][0]
    assert clip.media_reference.target_url == "./kite.mov" and clip.metadata["alpha"] == "straight" and clip.duration().rate == 25
