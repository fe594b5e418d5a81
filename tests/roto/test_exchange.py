"""The shape document, and rendering it with nothing but the core."""

import json
import subprocess
import sys
from dataclasses import replace

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
    (("shapes", 0, "form", 1, "frame"), 2**70, r"document.shapes\[0\].form\[1\].frame"),
    (("shapes", 1, "placement", 1, "frame"), 4.5, r"document.shapes\[1\].placement\[1\].frame"),
    (("shapes", 1, "placement", 2, "kind"), "sideways", r"document.shapes\[1\].placement\[2\].kind"),
    (("shapes", 1, "placement", 2, "values", 1), ["1", 0], r"document.shapes\[1\].placement\[2\].values\[1\]\[0\]"),
    (("shapes", 1, "placement", 2, "values"), None, r"document.shapes\[1\].placement\[2\].values"),
    (("shapes", 1, "placement", 1, "wobble"), 1, r"document.shapes\[1\].placement\[1\]"),
    (("shapes", 0, "form", 0, "values", 0, 1), 1e308, "A point of 'kite body' on frame 1 lies outside"),
    (("shapes", 0, "settings", 0, "values", 0, 0), 1e300, "A reach of 'kite body' on frame 1 lies outside 0 to 1000 px"),
    (("shapes", 0, "settings", 0, "values", 1, 0), -1e9, "An edge shift of 'kite body'"),
    (("shapes", 0, "settings", 0, "values", 2, 0), 7, "An opacity of 'kite body' on frame 1 lies outside 0 to 1"),
    (("shapes", 1, "placement", 0, "values", 2, 0), 400, "A size of 'line hand'"),
    (("shapes", 1, "pivot"), [1e9, 0], "The pivot of 'line hand'"),
    (("shift",), [[3, 1e9]], r"document.shift\[0\]\[1\]"),
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


def test_a_long_shot_is_read_as_it_was_written_and_its_last_number_is_looked_at():
    n, frames = 9, range(1, 400)
    rng = np.random.default_rng(2)
    long = [replace(shape(blob(n), f"s{k}"), form=Keys.build(frames, rng.normal(0, 300, (len(frames), n, 6)))) for k in range(3)]
    text = document.dumps(matte(*long))
    again = document.loads(text)
    assert all((a.shape.form.values == b.form.values).all() for a, b in zip(again.entries, long, strict=True))
    data = json.loads(text)
    for junk, says in (("x", r"form\[398\].values\[8\]\[5\]"), (1e30, "A point of 's2' on frame 399"), ([1], "values")):
        data["shapes"][2]["form"][-1]["values"][-1][-1] = junk
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
