"""The quick PNG of mattes, read by three libraries that did not write it."""

import io
import struct
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


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 2**32 - 1), st.sampled_from([8, 16]), st.sampled_from([1, 3]), st.tuples(st.integers(1, 12), st.integers(1, 40)))
def test_rows_of_any_filters_are_read_as_another_library_does(seed, bits, count, size):
    """Any bytes are rows of some picture, whatever filters stand in front of them."""
    height, width = size
    rng = np.random.default_rng(seed)
    rows = rng.integers(0, 256, (height, 1 + width * count * bits // 8), np.uint8)
    rows[:, 0] = rng.integers(0, 5, height)
    data = _file(width, height, bits, 0 if count == 1 else 2, zlib.compress(rows.tobytes()))
    other = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    found = png.decode(data)
    assert found is not None and found.dtype == other.dtype
    assert (found == (other[:, :, None] if count == 1 else other[:, :, ::-1])).all()


def _file(width: int, height: int, bits: int, colour: int, packed: bytes) -> bytes:
    head = struct.pack(">IIBBBBB", width, height, bits, colour, 0, 0, 0)
    parts = [(b"IHDR", head), (b"IDAT", packed[:7]), (b"IDAT", packed[7:]), (b"IEND", b"")]
    chunks = [struct.pack(">I", len(d)) + n + d + struct.pack(">I", zlib.crc32(n + d)) for n, d in parts]
    return b"\x89PNG\r\n\x1a\n" + b"".join(chunks)


ROWS = bytes([4, *range(12)]) * 4
WHOLE = _file(4, 4, 8, 2, zlib.compress(ROWS))
NOT_OURS = {
    "a filter that is none": _file(4, 4, 8, 2, zlib.compress(bytes([9, *range(12)]) * 4)),
    "a row too few": _file(4, 4, 8, 2, zlib.compress(ROWS[:-13])),
    "cut short": WHOLE[:-20],
    "a byte that changed": WHOLE[:-20] + bytes([WHOLE[-20] ^ 1]) + WHOLE[-19:],
    "no picture": _file(0, 4, 8, 2, zlib.compress(ROWS)),
    "a palette": _file(4, 4, 8, 3, zlib.compress(ROWS)),
    "not packed": _file(4, 4, 8, 2, ROWS),
    "not a PNG": b"BM" + bytes(60),
    "empty": b"",
}


@pytest.mark.parametrize("harm", NOT_OURS)
def test_what_is_damaged_or_of_another_kind_is_left_to_the_other_reader(harm):
    assert png.decode(WHOLE) is not None
    assert png.decode(NOT_OURS[harm]) is None
