"""Names of stills, what is shown of a plate, and files that appear whole or not at all."""

import io

import numpy as np
import pytest
from PIL import Image

from roto.errors import BadPicture, BadUpload
from roto.picture import display, sequence, stills

GOOD = [
    (["a.0001.png", "a.0002.png"], {1: "a.0001.png", 2: "a.0002.png"}, ()),
    (["a.3.png", "a.1.png", "a.10.png"], {1: "a.1.png", 3: "a.3.png", 10: "a.10.png"}, ((2, 2), (4, 9))),
    (["still.tif"], {1: "still.tif"}, ()),
    (["KITE_010_v2.1001.EXR"], {1001: "KITE_010_v2.1001.EXR"}, ()),
    (["shot7_0099.dpx", "shot7_0100.dpx"], {99: "shot7_0099.dpx", 100: "shot7_0100.dpx"}, ()),
]


@pytest.mark.parametrize(("names", "files", "gaps"), GOOD)
def test_stills_are_sorted_by_their_numbers(names, files, gaps):
    found = sequence.arrange(names)
    assert (found.files, found.gaps) == (files, gaps) and list(found.files) == sorted(files)


@pytest.mark.parametrize(
    ("names", "says"),
    [
        ([], "no picture"),
        (["a.1.png", "a.01.png"], "both frame 1"),
        (["a.1.png", "b.2.png"], "Two sequences"),
        (["a.1.png", "x.txt"], "'x.txt'"),
    ],
)
def test_names_that_do_not_make_a_sequence(names, says):
    with pytest.raises(BadUpload, match=says):
        sequence.arrange(names)


@pytest.mark.parametrize(
    ("kind", "depth", "named", "space"),
    [("png", "uint8", "", "display"), ("openexr", "half", "", "linear"), ("tiff", "float", "", "linear"), ("dpx", "uint10", "", "log"),
     ("dpx", "uint10", "Rec709", "display"), ("tiff", "uint16", "scene_linear", "linear"), ("tiff", "uint16", "KodakLog", "log")],
)  # fmt: skip
def test_the_colour_space_is_guessed(kind, depth, named, space):
    assert display.guess(kind, depth, named) == space


def test_known_values_on_the_screen():
    grey = np.full((1, 1, 3), 0.18, np.float32)
    assert display.to_screen(grey, "linear")[0, 0, 0] == 118  # 18 % grey by IEC 61966-2-1
    code = np.full((1, 1, 3), round(685 / 1023 * 65535), np.uint16)
    assert display.to_screen(code, "log")[0, 0, 0] == 255  # reference white
    assert display.to_screen(np.full((1, 1, 3), round(95 / 1023 * 65535), np.uint16), "log")[0, 0, 0] <= 1  # reference black
    assert display.to_screen(np.array([[[-1, 0.5, 9]]], np.float32), "display")[0, 0].tolist() == [0, 128, 255]
    assert np.isfinite(display.to_screen(np.array([[[np.nan, np.inf, -np.inf]]], np.float32), "linear")).all()


@pytest.mark.parametrize("depth", ["8", "16", "float"])
def test_the_same_matte_writes_the_same_bytes_and_reads_back(tmp_path, depth):
    alpha = np.linspace(0, 1, 64 * 48, dtype=np.float32).reshape(48, 64)
    ending = "exr" if depth == "float" else "png"
    paths = [tmp_path / f"{k}.{ending}" for k in "ab"]
    for path in paths:
        stills.write_matte(path, alpha, depth)
    assert paths[0].read_bytes() == paths[1].read_bytes()
    assert sorted(p.name for p in tmp_path.iterdir()) == [f"a.{ending}", f"b.{ending}"]  # nothing half written lies about
    got = stills.read(paths[0])[:, :, 0]
    top = {"8": 255, "16": 65535, "float": 1}[depth]
    assert np.abs(got / top - alpha).max() <= (0 if depth == "float" else 0.51 / top)  # float32 rounds a little before the step does


def test_what_cannot_be_written_or_read_is_said(tmp_path):
    with pytest.raises(BadPicture, match="cannot be written"):
        stills.write_matte(tmp_path / "nowhere" / "a.png", np.zeros((4, 4), np.float32))
    (tmp_path / "no.png").write_bytes(b"not a picture at all")
    with pytest.raises(BadPicture, match=r"no\.png"):
        stills.probe(tmp_path / "no.png")


def test_a_picture_with_alpha_goes_to_the_page_as_it_is():
    given = np.zeros((3, 4, 4), np.uint8)
    given[..., 0], given[..., 1], given[1, 2, 3] = 200, 90, 255
    with Image.open(io.BytesIO(stills.encode_picture(given, ".png"))) as seen:
        assert seen.mode == "RGBA" and np.array_equal(np.asarray(seen), given)
