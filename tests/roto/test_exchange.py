"""The shape document, and rendering it with nothing but the core."""

import json
import subprocess
import sys

import numpy as np
import OpenImageIO as oiio
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from roto.__main__ import main
from roto.errors import BadDocument
from roto.exchange import document
from roto.matte.render import render
from roto.matte.stack import Entry
from roto.motion import correct, placement
from roto.motion.keys import FLOWING, HOLD, STRAIGHT, Keys
from roto.motion.live_ranges import tidy

from .build import blob, matte, rectangle, shape


def busy(seed: int = 0):
    """A matte that uses everything that a document can hold."""
    rng = np.random.default_rng(seed)
    kite = shape(blob(n=6, seed=seed), name="kite body", inner=1.5, outer=1 / 3, profile="smooth", live=tidy([(2, 5), (7, 11)]))
    for frame in (4, 9):
        moved = kite.outlines(np.array([frame]))[0] + rng.normal(0, 2, (6, 6))
        kite = kite.with_form_key(frame, moved, rng.random(6) < 0.5)
    turns = Keys.build(
        [1, 5, 11], [placement.values(turn=t, size=1 + t / 500) for t in rng.uniform(-400, 400, 3)], kinds=[HOLD, STRAIGHT, FLOWING]
    )
    hand = shape(rectangle(40, 30, 70, 66), "line hand", place=correct.key_here(turns, 8), pivot=(55, 48), blur=False, colour=4)
    lines = (kite, Entry(shape=hand, mode="cut", opacity=0.7), Entry(shape=kite, mode="keep", inverted=True))
    return matte(*lines, angle=172.8, inverted=True)


@given(seed=st.integers(0, 50))
@settings(max_examples=10, deadline=None)
def test_nothing_is_lost_on_the_way(seed):
    one = busy(seed)
    text = document.dumps(one)
    two = document.loads(text)
    assert document.dumps(two) == text
    for frame in (1, 4, 6, 8):
        assert np.array_equal(render(one, frame).alpha, render(two, frame).alpha)


BROKEN = [
    (("size",), [0, 5], r"document.size\[0\]"),
    (("rate",), "23.976", "document.rate"),
    (("range",), [5, 1], "document.range"),
    (("shutter", "angle"), 400, "document.shutter.angle"),
    (("stack", 0, "mode"), "paint", r"document.stack\[0\].mode"),
    (("stack", 1, "shape"), "nobody", r"document.stack\[1\].shape"),
    (("shapes", 0, "form", 1, "parts"), [77], r"document.shapes\[0\].form\[1\].parts"),
    (("shapes", 0, "form", 0, "values", 0), [1, 2, 3], r"document.shapes\[0\].form\[0\].values"),
    (("shapes", 0, "form", 0, "frame"), 99, r"document.shapes\[0\].form: Keys must be in rising order"),
    (("shapes", 1, "id"), "kite body", r"document.shapes\[1\].id"),
    (("shapes", 0, "live"), [[9, 2]], r"document.shapes\[0\]"),
    (("shapes", 0, "wobble"), True, r"document.shapes\[0\]"),
    (("shapes", 0, "points"), [], r"document.shapes\[0\].points"),
]


@pytest.mark.parametrize(("path", "value", "says"), BROKEN, ids=[b[2] for b in BROKEN])
def test_a_wrong_field_is_named_with_its_path(path, value, says):
    data = json.loads(document.dumps(busy()))
    place = data
    for step in path[:-1]:
        place = place[step]
    place[path[-1]] = value
    with pytest.raises(BadDocument, match=says):
        document.from_json(data)


@pytest.mark.parametrize("text", [b"", b"{", b"\xff\xfe", b"[NaN]", b'{"format": Infinity}', b"[]", b"null"])
def test_what_is_no_document_is_said(text):
    with pytest.raises(BadDocument, match="document"):
        document.loads(text)


def test_the_command_renders_stills_that_others_read(tmp_path):
    it = busy()
    (tmp_path / "kite.json").write_text(document.dumps(it))
    for depth in ("8", "16", "float"):
        assert main(["render", str(tmp_path / "kite.json"), str(tmp_path / depth), "--frames", "4-6", "--depth", depth]) == 0
    want = render(it, 5).alpha
    with Image.open(tmp_path / "8" / "KITE_010_kite.0005.png") as eight, Image.open(tmp_path / "16" / "KITE_010_kite.0005.png") as sixteen:
        assert eight.mode == "L" and np.abs(np.asarray(eight) / 255 - want).max() <= 0.5 / 255 + 1e-6
        assert np.abs(np.asarray(sixteen, float) / 65535 - want).max() <= 0.5 / 65535 + 1e-6
    exr = oiio.ImageBuf(str(tmp_path / "float" / "KITE_010_kite.0005.exr"))
    assert exr.spec().channelnames == ("Y",) and np.array_equal(exr.get_pixels()[:, :, 0], want)
    assert sorted(p.name for p in (tmp_path / "16").iterdir()) == [f"KITE_010_kite.{f:04d}.png" for f in (4, 5, 6)]


def test_the_command_knows_no_application(tmp_path):
    (tmp_path / "kite.json").write_text(document.dumps(busy()))
    code = (
        "import sys, roto.__main__ as m; code = m.main(sys.argv[1:]); "
        "sys.exit(code or any(n.split('.')[0] in ('django', 'jaythread', 'psycopg') for n in sys.modules))"
    )
    done = subprocess.run(
        [sys.executable, "-c", code, "render", str(tmp_path / "kite.json"), str(tmp_path / "out"), "--frames", "3"], check=False
    )
    assert done.returncode == 0


def test_a_bad_document_ends_the_command_with_a_sentence(tmp_path, capsys):
    (tmp_path / "bad.json").write_text("{}")
    assert main(["render", str(tmp_path / "bad.json"), str(tmp_path / "out")]) == 2
    assert "Not done: document" in capsys.readouterr().err and not (tmp_path / "out").exists()
