"""Packages: every format read back by programs of others, damage found by name, what is odd, what need not be made again."""

import json
import re
import shutil
import subprocess
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from roto.errors import BadPackage, BadRecipe
from roto.matte.render import render
from roto.motion import edits
from roto.package import anomalies, cache_keys, compose, make, manifest, names, proof, recipe, sheet
from roto.package.compose import Sources
from roto.package.formats import FORMATS
from roto.package.recipe import CONTENTS, Recipe
from roto.package.statistics import Measure, measure
from roto.picture import reading_back

from .packing import ARM, HIGH, KITE, LAST, WIDE, X, Y, made, plate, recipe_of


def possible() -> list[tuple[str, str]]:
    out = []
    for key in FORMATS:
        for what in CONTENTS:
            try:
                recipe_of(key, what)
            except BadRecipe:
                continue
            out.append((key, what))
    return out


@pytest.mark.parametrize(("key", "what"), possible(), ids=lambda v: v)
def test_every_format_and_content_is_made_read_back_and_proved(tmp_path, key, what):
    it, measured = made(tmp_path / "package", recipe_of(key, what, plate=what == "straight"), (KITE, ARM))
    receipt = proof.prove(tmp_path / "package", it, measured)
    assert receipt.wrong == () and receipt.checked == len(it.names) + len(it.plate_names) and receipt.odd == ()


LOSSLESS = [k for k in FORMATS if FORMATS[k].tolerance < 1e-3]


@pytest.mark.parametrize("key", [k for k in LOSSLESS if not FORMATS[k].movie])
def test_other_programs_find_the_same_values(tmp_path, key):
    """By OpenCV, which is no reader of the proof, and by ImageMagick where it is installed."""
    made(tmp_path, recipe_of(key))
    kind = FORMATS[key]
    path = tmp_path / f"KITE_010_kite.0003{kind.ending}"
    truth = render(KITE, 3).alpha
    if kind.ending != ".exr":
        got = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
        assert got.shape == (HIGH, WIDE) and str(got.dtype) == {"8": "uint8", "16": "uint16", "float": "float32"}[kind.depth]
        assert np.abs(got / (1 if kind.depth == "float" else np.iinfo(got.dtype).max) - truth).max() <= kind.tolerance + 1e-6
    magick = shutil.which("convert-im6.q16") or shutil.which("convert")
    if (
        magick
        and "ImageMagick" in subprocess.run([magick, "-version"], capture_output=True, text=True).stdout
        and kind.depth in ("8", "16")
    ):
        raw = subprocess.run([magick, str(path), "-depth", "16", "gray:-"], capture_output=True, check=True).stdout
        seen = np.frombuffer(raw, "<u2").reshape(HIGH, WIDE) / 65535
        assert np.abs(seen - truth).max() <= 0.5 / 255 + 1e-4


def probed(path):
    """What another program says of a movie's first stream."""
    command = ["ffprobe", "-v", "error", "-show_streams", "-of", "json", str(path)]
    return json.loads(subprocess.run(command, capture_output=True, check=True).stdout)["streams"][0]


@pytest.mark.skipif(not shutil.which("ffprobe"), reason="ffmpeg is not installed")
@pytest.mark.parametrize("key", [k for k in FORMATS if FORMATS[k].movie])
def test_a_movie_as_another_program_sees_it(tmp_path, key):
    how = recipe_of(key, "straight" if FORMATS[key].alpha else "over", start=1001)
    made(tmp_path, how)
    path = tmp_path / f"KITE_010_kite{how.kind.ending}"
    said = probed(path)
    assert said["r_frame_rate"] == "24/1" and (said["width"], said["height"]) == (WIDE, HIGH)
    if how.kind.ending in (".mov", ".mp4"):
        assert reading_back.movie_header(path).timecode == "00:00:41:17"
    frames = [f / np.iinfo(f.dtype).max for f in reading_back.movie_frames(path, reading_back.movie_header(path))]
    assert len(frames) == LAST
    for k, frame in enumerate(frames, 1):
        if how.kind.alpha:
            assert np.abs(frame[..., 3] - render(KITE, k).alpha).max() <= how.kind.tolerance + 1e-7
            solid = render(KITE, k).alpha == 1
            assert np.abs(frame[solid][:, :3] - plate(k)[solid] / 255).mean() < 0.01


@pytest.mark.parametrize("key", [k for k in FORMATS if FORMATS[k].movie])
def test_a_movie_is_read_from_any_frame_on(tmp_path, monkeypatch, key):
    how = recipe_of(key, "straight" if FORMATS[key].alpha else "over")
    moving = [np.roll(plate(1), 9 * k, axis=1) for k in range(40)]  # longer than the distance of whole pictures in some kinds
    pictures = [np.dstack([p, np.roll(p[..., 0], 5, axis=0)]) if how.kind.alpha else p for p in moving]
    path = tmp_path / f"kite{how.kind.ending}"
    make.write_movie(path, key, pictures, Fraction(24000, 1001))
    monkeypatch.setattr(reading_back, "other_reader", lambda: "")
    found = reading_back.movie_header(path)
    whole = list(reading_back.movie_frames(path, found))
    assert len(whole) == 40
    for at in (0, 1, 7, 23, 38, 39):
        rest = list(reading_back.movie_from(path, found, at))
        assert len(rest) == 40 - at and all(np.array_equal(one, other) for one, other in zip(rest, whole[at:], strict=True)), at
    assert list(reading_back.movie_from(path, found, 40)) == []


@pytest.mark.parametrize("reader", ["another program, if there is one", "the library that wrote it"])
@pytest.mark.parametrize("key", ["prores", "vp9", "h264"])
@pytest.mark.parametrize("size", [(177, 99), (178, 99), (177, 100)])
def test_a_format_of_even_sizes_says_so_and_pads_where_it_may(tmp_path, monkeypatch, key, size, reader):
    if reader == "the library that wrote it":
        monkeypatch.setattr(reading_back, "other_reader", lambda: "")
    how = recipe_of(key, size="own", width=size[0], height=size[1])
    with pytest.raises(BadRecipe, match="even sizes only") as error:
        make.plan(Sources(mattes=(KITE,)), how)
    assert error.value.path == "pad" and "odd" in error.value.message
    it, measured = made(tmp_path, replace(how, pad=True))
    assert proof.prove(tmp_path, it, measured).wrong == ()
    data = manifest.load(tmp_path)
    added = {"right": size[0] % 2, "bottom": size[1] % 2}
    assert data["size"] == list(size) and data["padded"] == added
    path = tmp_path / f"KITE_010_kite{how.kind.ending}"
    found = reading_back.movie_header(path)
    assert found.size == (size[0] + added["right"], size[1] + added["bottom"])
    last = next(reading_back.movie_frames(path, found))
    if added["right"]:
        assert np.abs(last[:, -1].astype(int) - last[:, -2]).max() <= 4 * (257 if last.dtype == np.uint16 else 1)  # like the one beside it


@pytest.mark.parametrize("what", ["straight", "premultiplied"])
def test_a_cut_out_over_another_ground_is_what_the_subject_would_be_there(tmp_path, what):
    """The subject's true colour comes back at the edge: nothing of the old ground is carried along."""
    colour, old, new = np.array([0.8, 0.4, 0.2]), np.array([0.1, 0.3, 0.7]), np.array([0.5, 0.5, 0.1])
    alpha = render(KITE, 3).alpha[:, :, None]
    mixed = np.rint(255 * (alpha * colour + (1 - alpha) * old)).astype(np.uint8)
    source = Sources(mattes=(KITE,), plate=lambda frame: mixed)
    got = compose.picture(source, Recipe(content=what), 3)
    laid = got[..., :3] * (got[..., 3:] if what == "straight" else 1) + (1 - got[..., 3:]) * new
    assert np.abs(laid - (alpha * colour + (1 - alpha) * new)).max() < 0.03
    assert np.abs(laid - (alpha * mixed / 255 + (1 - alpha) * new)).max() > 0.1  # what would come of the plate's own colours


def test_exr_says_what_it_is(tmp_path):
    how = replace(recipe_of("exr16", "layers"), pixel_aspect=2.0, start=1001)
    film = replace(KITE, rate=Fraction(24000, 1001)), replace(ARM, rate=Fraction(24000, 1001))
    made(tmp_path, how, film)
    path = tmp_path / "KITE_010_kite-arm.1003.exr"
    found = reading_back.header(path)
    assert (found.size, found.depth, set(found.channels)) == ((WIDE, HIGH), "half", {"kite.Y", "arm.Y"})
    assert (found.rate, found.pixel_aspect, found.timecode) == (Fraction(24000, 1001), 2.0, "00:00:41:19")
    pixels = reading_back.read_still(path, found)
    for name, it in (("kite.Y", KITE), ("arm.Y", ARM)):
        assert np.abs(pixels[..., found.channels.index(name)].astype(float) - render(it, 3).alpha).max() < 2**-11


@pytest.mark.parametrize("size", [(48, 32), (192, 128), (40, 40)])
def test_another_size_keeps_areas_and_stays_between_black_and_white(size):
    how = Recipe(size="own", width=size[0], height=size[1])
    small = compose.picture(Sources(mattes=(KITE,)), how, 3)
    assert small.shape == size[::-1] and small.min() >= 0 and small.max() <= 1
    assert small.mean() == pytest.approx(render(KITE, 3).alpha.mean(), rel=0.01)


def test_frames_follow_from_the_settings():
    how = Recipe(start=1, spare=2, reverse=True, padding=6)
    it = make.plan(Sources(mattes=(KITE,)), how, first=2, last=4)
    assert [(p.number, p.frame) for p in it.pieces] == [(1, 6), (2, 5), (3, 4), (4, 3), (5, 2), (6, 1)]
    assert it.names[0] == "KITE_010_kite.000001.png"
    with pytest.raises(BadRecipe, match="frames 1-6 only"):
        make.plan(Sources(mattes=(KITE,)), how, first=0, last=4)
    data = manifest.manifest(it, 3, [], {0: "changed"})
    assert data["spare"] == [1, 2] and data["reversed"] and data["frames"][0]["change"] == "changed" and data["revision"] == 3


@given(st.text(max_size=40), st.text(max_size=30))
def test_no_text_makes_a_name_that_leads_anywhere(shot, name):
    got = names.name_from("{shot}_{matte}.{frame}", ".png", shot=shot, matte=name, version=1, recipe=name, number=7, padding=4)
    assert Path(got).name == got and got.isascii() and got.isprintable() and not got.startswith(".") and got.endswith(".0007.png")


HOSTILE = [
    ("../{frame}", "may not hold /"),
    ("a\\{frame}", "may not hold"),
    ("{shot}\x07{frame}", "character number 7"),
    ("..{frame}", "dot"),
    ("{frame}{frame}", "once"),
    ("{shot}", "once"),
    ("{0}{frame}", "there is no"),
    ("{shot.__class__}{frame}", "there is no"),
    ("", "empty"),
    ("x" * 200 + "{frame}", "characters"),
    ("con.{frame}", "device"),
    ("{shot}:{frame}", "may not hold"),
]


@pytest.mark.parametrize(("pattern", "says"), HOSTILE)
def test_hostile_patterns_are_refused_with_a_reason(pattern, says):
    with pytest.raises(BadRecipe, match=says):
        make.plan(Sources(mattes=(KITE,)), Recipe(pattern=pattern))


@pytest.mark.parametrize(
    ("said", "field"),
    [
        ({"format": "gif"}, "format"),
        ({"format": "jpeg", "content": "straight"}, "content"),
        ({"format": "prores", "pattern": "{shot}", "content": "packed"}, "content"),
        ({"content": "layers"}, "content"),
        ({"size": "own", "width": 0}, "size"),
        ({"colour": [0, 0]}, "colour"),
        ({"colour": [0, float("nan"), 1]}, "colour"),
        ({"spare": -1}, "spare"),
        ({"spare": True}, "spare"),
        ({"pixel_aspect": float("inf")}, "pixel_aspect"),
        ({"start": "1"}, "start"),
        ({"unheard of": 1}, "unheard of"),
        ([], "recipe"),
    ],
)
def test_a_wrong_recipe_is_refused_by_its_field(said, field):
    with pytest.raises(BadRecipe) as error:
        Recipe.from_json(said)
    assert error.value.path == field


def test_recipes_come_back_from_json_as_they_were():
    for _, how in recipe.STARTERS.values():
        assert Recipe.from_json(json.loads(json.dumps(how.to_json()))) == how


def test_the_same_shapes_and_recipe_give_the_same_bytes(tmp_path):
    for key in ("png16", "tiff16", "exr16", "prores", "vp9", "pngmov", "h264"):
        what = "straight" if FORMATS[key].alpha else "matte"
        for where in ("a", "b"):
            made(tmp_path / key / where, recipe_of(key, what, editorial=True))
        files = [{p.name: p.read_bytes() for p in (tmp_path / key / where).rglob("*") if p.is_file()} for where in ("a", "b")]
        assert files[0] == files[1] and len(files[0]) > 1


def _write(path: Path, pixels: np.ndarray) -> None:
    cv2.imwrite(str(path), pixels)


DAMAGE = {
    "missing": (lambda f: f.unlink(), "is missing"),
    "one byte": (lambda f: f.write_bytes(f.read_bytes()[:-20] + b"\x00" + f.read_bytes()[-19:]), "not the file that was written"),
    "one too many": (lambda f: shutil.copy(f, f.with_name("KITE_010_kite.0099.png")), "0099.png is in the package"),
    "cut short": (lambda f: f.write_bytes(f.read_bytes()[: f.stat().st_size // 2]), "cannot be read back"),
    "no picture": (lambda f: f.write_text("sorry"), "cannot be read back"),
    "8 bits": (lambda f: _write(f, np.zeros((HIGH, WIDE), np.uint8)), "depth of 8"),
    "size": (lambda f: _write(f, np.zeros((HIGH, WIDE - 1), np.uint16)), "95 x 64 pixels instead"),
    "channels": (lambda f: _write(f, np.zeros((HIGH, WIDE, 3), np.uint16)), "channels R, G, B"),
    "empty": (lambda f: _write(f, np.zeros((HIGH, WIDE), np.uint16)), "is empty"),
    "filled": (lambda f: _write(f, np.full((HIGH, WIDE), 65535, np.uint16)), "white from edge to edge"),
    "another frame": (lambda f: shutil.copy(f.with_name("KITE_010_kite.0005.png"), f), "does not show frame 3|covers|lost exact"),
    "specks": (lambda f: _specks(f), "lost exact|covers"),
}
BY_HASH = ("missing", "one byte", "one too many")


def _specks(path: Path) -> None:
    pixels = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    pixels[2, 2] = 300
    _write(path, pixels)


@pytest.mark.parametrize("kind", DAMAGE)
def test_damage_is_found_by_name(tmp_path, kind):
    """What happened after writing shows in the hash; what happened while writing must show by itself, so the manifest is made to agree."""
    it, measured = made(tmp_path, Recipe())
    harm, says = DAMAGE[kind]
    path = tmp_path / "KITE_010_kite.0003.png"
    harm(path)
    if kind not in BY_HASH:
        data = manifest.load(tmp_path)
        row = next(r for r in data["files"] if r["name"] == path.name)
        row["bytes"], row["sha256"] = path.stat().st_size, manifest.digest(path)
        manifest.write(tmp_path, data)
    wrong = proof.prove(tmp_path, it, measured).wrong
    assert len(wrong) == 1 and re.search(says, wrong[0]) and ("0003.png" in wrong[0] or "0099.png" in wrong[0])


def test_a_manifest_that_lies_is_found(tmp_path):
    it, measured = made(tmp_path, Recipe())
    data = manifest.load(tmp_path)
    data["frames"][1]["frame"] = 5
    data["files"][0], data["files"][1] = data["files"][1], data["files"][0]
    manifest.write(tmp_path, data)
    wrong = proof.prove(tmp_path, it, measured).wrong
    assert any("not in order" in w for w in wrong) and any("should be number 2, frame 2" in w for w in wrong)
    (tmp_path / "manifest.json").write_text("[" * 5000)
    with pytest.raises(BadPackage):
        proof.prove(tmp_path, it, measured)


def test_a_movie_with_a_lost_frame_or_lost_alpha_is_found(tmp_path):
    it, measured = made(tmp_path, recipe_of("ffv1", "straight"))
    name = it.names[0]
    for harm, says in ((lambda f: f[:-1], "holds 5 frames instead of 6"), (lambda f: [p[..., :3] for p in f], "lost its alpha")):
        frames = [np.ascontiguousarray(f) for f in reading_back.movie_frames(tmp_path / name, reading_back.movie_header(tmp_path / name))]
        make.write_movie(tmp_path / "x.mkv", "ffv1", harm(frames), Fraction(24))
        (tmp_path / "x.mkv").replace(tmp_path / name)
        listed = [manifest.entry(tmp_path, name, "matte")]
        listed += [manifest.entry(tmp_path, "shapes/KITE_010_kite.shapes.json", "document")]
        manifest.write(tmp_path, manifest.manifest(it, 1, listed, {}))
        assert any(says in w for w in proof.prove(tmp_path, it, measured).wrong)
        it, measured = made(tmp_path, recipe_of("ffv1", "straight"))


def _m(area: float, x: float = 30.0) -> Measure:
    return Measure(area=area, x=x, y=20.0, zeros=0, ones=int(area), box=(10, 10, 50, 30) if area else (0, 0, 0, 0))


@pytest.mark.parametrize(
    ("areas", "xs", "found"),
    [
        ([100, 101, 102, 101, 100, 101], [30] * 6, []),
        ([100, 101, 0, 101, 100, 101], [30] * 6, [(3, "empty")]),
        ([0, 0, 100, 101, 100, 101], [30] * 6, [(2, "empty")]),
        ([100, 101, 100, 101, 100, 0], [30] * 6, [(6, "empty")]),
        ([0] * 6, [30] * 6, [(1, "empty")]),
        ([100, 101, 160, 161, 160, 161], [30] * 6, [(3, "area")]),
        ([100, 101, 102, 101, 100, 101], [30, 31, 32, 63, 64, 65], [(4, "centre")]),
        ([100, 110, 121, 133, 146, 161], [30, 33, 36, 39, 42, 45], []),
        ([100, 100, 6144, 100, 100, 100], [30] * 6, [(3, "full"), (3, "area"), (4, "area")]),
    ],
)
def test_what_a_receiver_would_ask_about_is_listed(areas, xs, found):
    rows = anomalies.find(range(1, 7), [_m(a, x) for a, x in zip(areas, xs, strict=True)], (96, 64))
    assert [(r.frame, r.what) for r in rows] == found and all(str(r.frame) in r.says or "No frame" in r.says for r in rows)


@given(st.integers(1, 70), st.integers(1, 9), st.sampled_from(["u1", "<u2", ">u2", "f4", "f2"]), st.integers(0, 2**32 - 1))
def test_a_picture_is_measured_as_numpy_does(width, height, kind, seed):
    rng = np.random.default_rng(seed)
    unit = np.repeat(rng.choice([0.0, 0.0, 1.0, 0.4], (height, -(-width // 8))), 8, axis=1)[:, :width]
    top = np.iinfo(kind).max if "u" in kind else 1
    picture = (np.rint(unit * top) if "u" in kind else unit).astype(kind)
    got, value = measure(picture), picture.astype(np.float64)
    rows, columns = np.nonzero(value)
    assert (got.zeros, got.ones) == (int((value == 0).sum()), int((value == top).sum()))
    assert got.area == pytest.approx(value.sum() / top)
    if len(rows):
        assert got.box == (columns.min(), rows.min(), columns.max() + 1, rows.max() + 1)
        assert got.x == pytest.approx((value * np.arange(width)).sum() / value.sum() + 0.5)


@given(st.integers(1, 40), st.integers(1, 9), st.sampled_from(["u1", "u2"]), st.sampled_from([3, 4]), st.integers(0, 2**32 - 1))
def test_a_picture_without_a_matte_is_measured_by_the_mean_of_its_colours(width, height, kind, count, seed):
    rng, top = np.random.default_rng(seed), np.iinfo(kind).max
    picture = rng.choice([0, 0, 0, top, top // 3], (height, width, count)).astype(kind)
    got, value = measure(picture, "over"), picture[:, :, :3].astype(np.float64).sum(axis=2) / (3 * top)
    rows, columns = np.nonzero(value)
    assert (got.zeros, got.ones) == (int((value == 0).sum()), int((value == 1).sum()))
    assert got.area == pytest.approx(value.sum())
    if len(rows):
        assert got.box == (columns.min(), rows.min(), columns.max() + 1, rows.max() + 1)
        assert got.x == pytest.approx((value * np.arange(width)).sum() / value.sum() + 0.5)
        assert got.y == pytest.approx((value * np.arange(height)[:, None]).sum() / value.sum() + 0.5)
    else:
        assert (got.x, got.y) == (width / 2, height / 2)


def _changed(at: int):
    sail = KITE.entries[0].shape
    return replace(KITE, entries=(replace(KITE.entries[0], shape=edits.move_points(sail, at, {3: [60, 30, -2, 0, 2, 0]})),))


def test_only_frames_that_changed_have_another_name():
    frames = list(range(1, 101))
    before = cache_keys.matte_keys(replace(KITE, last=100), frames)
    assert before == cache_keys.matte_keys(replace(KITE, last=100, name="another", shot="MILL_040"), frames)
    keyed = KITE
    for frame in (40, 44, 48, 52, 56, 60):
        now = keyed.entries[0].shape.outlines(np.array([frame]))[0]
        keyed = keyed.with_shape(edits.move_points(keyed.entries[0].shape, frame, {3: now[3]}))
    moved = keyed.with_shape(edits.move_points(keyed.entries[0].shape, 50, {3: [60, 30, -2, 0, 2, 0]}))
    a, b = (cache_keys.matte_keys(it, frames) for it in (keyed, moved))
    changed = [f for f in frames if a[f] != b[f]]
    assert changed and min(changed) > 40 and max(changed) < 60 and 50 in changed
    for frame in frames[::9]:  # equal names are a promise of equal pictures
        assert (a[frame] == b[frame]) == np.array_equal(render(keyed, frame).alpha, render(moved, frame).alpha) or a[frame] != b[frame]


@pytest.mark.parametrize(
    "other",
    [
        replace(KITE, inverted=True),
        replace(KITE, shift=((1, 1.0),)),
        replace(KITE, shutter=replace(KITE.shutter, angle=90.0)),
        replace(KITE, entries=(replace(KITE.entries[0], opacity=0.5),)),
        replace(KITE, entries=(replace(KITE.entries[0], shape=edits.soften(KITE.entries[0].shape, 1, inner=2.0)),)),
        replace(KITE, entries=(replace(KITE.entries[0], shape=replace(KITE.entries[0].shape, profile="smooth")),)),
        replace(KITE, entries=(*KITE.entries, replace(ARM.entries[0], mode="cut"))),
        replace(KITE, entries=(replace(KITE.entries[0], shape=replace(KITE.entries[0].shape, live=((2, 6),))),)),
    ],
)
def test_whatever_changes_the_picture_changes_the_name(other):
    assert not np.array_equal(render(KITE, 1).alpha, render(other, 1).alpha)
    assert cache_keys.matte_keys(KITE, [1]) != cache_keys.matte_keys(other, [1])


def test_the_sheet_and_the_words_tell_people_what_is_there(tmp_path):
    it, measured = made(tmp_path, Recipe(content="straight"))
    pictures = [(str(k), sheet.small(compose.picture(it.sources, it.recipe, k)), k == 2) for k in range(1, 4)]
    sheet.write_sheet(tmp_path / "sheet.png", pictures)
    with Image.open(tmp_path / "sheet.png") as shown:
        pixels = np.asarray(shown)
    assert tuple(pixels[10, 12 + 256 + 12 + 40]) == sheet.OCHRE  # the frame round the odd one
    receipt = proof.prove(tmp_path, it, measured)
    text = sheet.summary(it, manifest.load(tmp_path), receipt.to_json())
    for words in ("KITE_010, matte kite", "96 x 64", "straight", "6 new", "sail adds", "read back by another library"):
        assert words in text


MAGICK = shutil.which("convert-im6.q16")


@pytest.mark.skipif(not MAGICK, reason="ImageMagick is not installed")
@pytest.mark.parametrize(
    ("key", "what"), [("png16", "straight"), ("png8", "straight"), ("tiff16", "straight"), ("tiff16", "premultiplied")]
)
def test_another_program_lays_the_cut_out_over_a_ground_as_we_do(tmp_path, key, what):
    made(tmp_path, recipe_of(key, what))
    ground = np.dstack([255 - X, 40 + Y, 90 + 0 * X]).clip(0, 255).astype(np.uint8)
    Image.fromarray(ground).save(tmp_path / "ground.png")
    still = tmp_path / f"KITE_010_kite.0003{FORMATS[key].ending}"
    laid = [MAGICK, str(tmp_path / "ground.png"), str(still), "-composite", "-depth", "16", "-colorspace", "sRGB", "rgb:-"]
    raw = subprocess.run(laid, capture_output=True, check=True).stdout
    seen = np.frombuffer(raw, "<u2").reshape(HIGH, WIDE, 3) / 65535
    cut = compose.picture(Sources(mattes=(KITE,), plate=plate), Recipe(content="straight"), 3)
    ours = cut[..., :3] * cut[..., 3:] + (1 - cut[..., 3:]) * ground / 255
    assert np.abs(seen - ours).max() <= 1 / 255 + 1e-6
