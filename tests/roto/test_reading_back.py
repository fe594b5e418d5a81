"""Reading stills back: in strips, from any writer, and what is damaged is refused with a reason."""

import io
import struct
import zlib
from itertools import pairwise

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from roto.errors import BadPicture
from roto.matte.render import render
from roto.package.statistics import Measuring, measure
from roto.picture import png, reading_back, reading_png

from .build import blob, matte, shape

MATTE = render(matte(shape(blob(radius=30), inner=1.0, outer=2.0), size=(200, 120)), 1, depth="16").alpha


def chunk(name: bytes, data: bytes) -> bytes:
    return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))


def png_of(rows: bytes, size: tuple[int, int], depth: int = 16, parts: int = 1, stream: bytes | None = None) -> bytes:
    """A PNG of these bytes (rows with their filters), its stream cut into so many pieces."""
    packed = zlib.compress(rows, 6) if stream is None else stream
    cuts = np.linspace(0, len(packed), parts + 1).astype(int).tolist()
    body = b"".join(chunk(b"IDAT", packed[a:b]) for a, b in pairwise(cuts))
    head = chunk(b"IHDR", struct.pack(">IIBBBBB", *size, depth, 0, 0, 0, 0))
    return b"\x89PNG\r\n\x1a\n" + head + chunk(b"tEXt", b"Title\0kite") + body + chunk(b"IEND", b"")


def plain_rows(picture: np.ndarray) -> np.ndarray:
    """Rows as a PNG has them, each after a 0 for 'no filter'."""
    return np.concatenate([np.zeros((len(picture), 1), np.uint8), picture.astype(">u2").view(np.uint8).reshape(len(picture), -1)], axis=1)


def read(path) -> list[np.ndarray]:
    return list(reading_png.plain(reading_back.strips(path, reading_back.header(path))))


@settings(max_examples=40, deadline=None)
@given(
    st.integers(1, 80),
    st.integers(1, 60),
    st.sampled_from([np.uint8, np.uint16]),
    st.sampled_from(["own", "opencv", "pillow"]),
    st.integers(1, 4000),
    st.integers(0, 999),
)
def test_any_writers_file_comes_back_in_strips_of_any_size(tmp_path_factory, width, height, kind, writer, strip, seed):
    rng = np.random.default_rng(seed)
    picture = (rng.integers(0, 5, (height, -(-width // 6))).repeat(6, axis=1)[:, :width] * (np.iinfo(kind).max // 4)).astype(kind)
    path = tmp_path_factory.mktemp("read") / "a.png"
    if writer == "own":
        path.write_bytes(png.encode(picture))
    elif writer == "pillow":
        Image.fromarray(picture).save(path)
    else:
        cv2.imwrite(str(path), picture)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(reading_png, "STRIP", strip)
        strips = read(path)
    assert np.array_equal(np.concatenate(strips), picture)
    whole, by_strips = measure(picture), Measuring()
    for part in strips:
        by_strips.add(part)
    got = by_strips.measure()
    assert got.area == pytest.approx(whole.area) and (got.zeros, got.ones, got.box) == (whole.zeros, whole.ones, whole.box)
    assert (got.x, got.y) == pytest.approx((whole.x, whole.y))


@pytest.mark.parametrize("parts", [1, 2, 7])
def test_a_stream_in_pieces_is_one_stream(tmp_path, parts):
    (tmp_path / "a.png").write_bytes(png_of(plain_rows(MATTE).tobytes(), (200, 120), parts=parts))
    assert np.array_equal(np.concatenate(read(tmp_path / "a.png")), MATTE)


def test_a_file_that_begins_plain_and_goes_on_with_filters_is_read_all_the_same(tmp_path, monkeypatch):
    rows = plain_rows(MATTE)
    for y in range(70, 120):  # each byte as the difference from the one above it: filter 2
        rows[y, 0] = 2
        rows[y, 1:] = plain_rows(MATTE)[y, 1:] - plain_rows(MATTE)[y - 1, 1:]
    monkeypatch.setattr(reading_png, "STRIP", 20 * 401)
    data = png_of(rows.tobytes(), (200, 120))
    (tmp_path / "a.png").write_bytes(data)
    assert np.array_equal(np.array(Image.open(io.BytesIO(data))), MATTE)
    assert np.array_equal(np.concatenate(read(tmp_path / "a.png")), MATTE)


ROWS = plain_rows(MATTE).tobytes()
WHOLE = png_of(ROWS, (200, 120))
STREAM = zlib.compress(ROWS, 6)
HARM = {
    "a byte of the stream": (WHOLE[:300] + bytes([WHOLE[300] ^ 1]) + WHOLE[301:], "damaged"),
    "cut short": (WHOLE[: len(WHOLE) // 2], "to its end|buffer"),
    "rows missing": (png_of(ROWS[: 401 * 100], (200, 120)), "ends after|to its end"),
    "rows too many": (png_of(ROWS + ROWS[:401], (200, 120)), "after its last row"),
    "half a row": (png_of(ROWS[: 401 * 100 + 17], (200, 120)), "to its end"),
    "a sum that is not its rows'": (png_of(b"", (200, 120), stream=STREAM[:-4] + b"\0\0\0\1"), "to its end|last row"),
    "a stream that is none": (png_of(b"", (200, 120), stream=b"\x78\x01kites and tails"), "to its end"),
    "no stream at all": (WHOLE[:8] + chunk(b"IHDR", struct.pack(">IIBBBBB", 200, 120, 16, 0, 0, 0, 0)) + chunk(b"IEND", b""), "to its end"),
}


@pytest.mark.parametrize("kind", HARM)
def test_what_is_damaged_is_refused_with_a_reason(tmp_path, kind):
    data, says = HARM[kind]
    (tmp_path / "a.png").write_bytes(data)
    with pytest.raises(BadPicture, match=says):
        read(tmp_path / "a.png")


@pytest.mark.parametrize("data", [b"", b"sorry", b"\x89PNG\r\n\x1a\n", b"II*\0", b"\x76\x2f\x31\x01" + b"a" * 50, b"\xff\xd8\xff"])
def test_what_is_no_picture_is_said_before_its_pixels_are_asked_for(tmp_path, data):
    (tmp_path / "a.png").write_bytes(data)
    with pytest.raises(BadPicture, match="not a picture"):
        reading_back.header(tmp_path / "a.png")
