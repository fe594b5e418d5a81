"""The quick PNG of mattes, read by three libraries that did not write it."""

import io
import zlib

import cv2
import numpy as np
import OpenImageIO as oiio
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from roto.matte.render import render
from roto.picture import png, stills

from .build import blob, matte, shape


def runs(draw_widths: list[tuple[int, int]], size: tuple[int, int], kind) -> np.ndarray:
    """A picture of runs: (value, length) one after the other, black after the last."""
    flat = np.zeros(size[0] * size[1], kind)
    at = 0
    for value, length in draw_widths:
        flat[at : at + length] = value
        at += length
    return flat.reshape(size)


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.tuples(st.sampled_from([0, 1, 255, 256, 65535, 4660]), st.integers(1, 700)), max_size=30),
    st.tuples(st.integers(1, 40), st.integers(1, 600)),
    st.sampled_from([np.uint8, np.uint16]),
)
def test_any_runs_come_back(lengths, size, kind):
    picture = runs([(v & (255 if kind == np.uint8 else 65535), n) for v, n in lengths], size, kind)
    data = png.encode(picture)
    again = np.array(Image.open(io.BytesIO(data)))
    assert again.dtype == kind and (again == picture).all()
    assert (cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED) == picture).all()


@pytest.mark.parametrize("kind", [np.uint8, np.uint16])
@pytest.mark.parametrize("count", [1, 3, 4])
def test_unpacked_pictures_come_back(count, kind):
    picture = np.random.default_rng(5).integers(0, np.iinfo(kind).max, (31, 57, count), kind, endpoint=True)
    data = png.encode(picture[:, :, 0] if count == 1 else picture, packed=False)
    found = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED).reshape(picture.shape)
    assert found.dtype == kind and (found[..., [2, 1, 0, 3][:count] if count > 1 else [0]] == picture).all()
    assert picture.nbytes < len(data) < picture.nbytes + 200


@pytest.mark.parametrize("kind", [np.uint8, np.uint16])
@pytest.mark.parametrize("count", [3, 4])
def test_colours_and_straight_alpha_come_back(count, kind):
    picture = np.random.default_rng(4).integers(0, np.iinfo(kind).max, (31, 57, count), kind, endpoint=True)
    data = np.frombuffer(png.encode(picture), np.uint8)
    found = cv2.imdecode(data, cv2.IMREAD_UNCHANGED)
    assert found.dtype == kind and (found[..., [2, 1, 0, 3][:count]] == picture).all()
    if kind == np.uint8:
        assert (np.array(Image.open(io.BytesIO(data.tobytes()))) == picture).all()


@pytest.mark.parametrize("length", [1, 2, 3, 4, 10, 11, 18, 130, 257, 258, 259, 260, 261, 516, 517, 777])
def test_repeats_of_every_length(length):
    picture = np.zeros((60, 800), np.uint8)
    picture[30, 5 : 5 + length] = 77
    assert (np.array(Image.open(io.BytesIO(png.encode(picture)))) == picture).all()


def test_the_stream_is_what_zlib_would_undo_and_its_sums_are_right():
    picture = render(matte(shape(blob(), outer=2.0), size=(640, 360)), 1, depth="16").alpha
    data = png.encode(picture)
    start = data.index(b"IDAT") + 4
    long = int.from_bytes(data[start - 8 : start - 4], "big")
    raw = np.frombuffer(zlib.decompress(data[start : start + long]), np.uint8).reshape(360, -1)
    assert (raw[:, 0] == 2).all()
    assert (np.add.accumulate(raw[:, 1:], axis=0, dtype=np.uint8) == picture.astype(">u2").view(np.uint8).reshape(360, -1)).all()
    assert int.from_bytes(data[start + long : start + long + 4], "big") == zlib.crc32(data[start - 4 : start + long])
    assert data == png.encode(picture)


@pytest.mark.parametrize("soft", [{}, {"inner": 20, "outer": 150}], ids=["hard", "soft"])
def test_a_matte_is_read_by_another_library_and_is_about_as_small_as_zlib_makes_it(tmp_path, soft):
    picture = render(matte(shape(blob(radius=30), **soft), size=(640, 360)), 1, depth="16").alpha
    path = tmp_path / "matte.png"
    stills.write_matte(path, picture, "16")
    read = oiio.ImageInput.open(str(path)).read_image("uint16")
    assert (read[:, :, 0] == picture).all()
    zipped = len(zlib.compress(picture.astype(">u2").tobytes(), 1))
    assert path.stat().st_size < 1.6 * zipped + 4000
