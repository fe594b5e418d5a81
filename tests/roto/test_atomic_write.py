"""Files that have their name are whole, also where the disk is full."""

import errno
import os
import resource
import signal
from fractions import Fraction

import numpy as np
import pytest
from PIL import Image

from roto.atomic_write import LEFTOVERS, put_in_place, temporary_name, write_whole
from roto.errors import NotWritten
from roto.package import manifest
from roto.picture import stills
from roto.picture.movie_writing import write_movie
from roto.picture.writing import Header, write_still

NOISE = np.random.default_rng(1).integers(0, 255, (64, 96, 3), dtype=np.uint8)
WRITERS = {
    "bytes": lambda path: write_whole(path, NOISE.tobytes()),
    "matte.png": lambda path: stills.write_matte(path, NOISE[:, :, 0].astype(np.float32) / 255, "16"),
    "matte.exr": lambda path: stills.write_matte(path, NOISE[:, :, 0].astype(np.float32) / 255, "float"),
    "picture.png": lambda path: stills.write_picture(path, NOISE),
    "picture.jpg": lambda path: stills.write_picture(path, NOISE),
    "still.tif": lambda path: write_still(path, NOISE, "8", Header(channels=tuple("RGB"))),
    "still.jpg": lambda path: write_still(path, NOISE, "8", Header(channels=tuple("RGB"))),
    "still.exr": lambda path: write_still(path, NOISE.astype(np.float32) / 255, "half", Header(channels=tuple("RGB"))),
    "wide.png": lambda path: write_still(path, NOISE, "8", Header(channels=tuple("RGB"), pixel_aspect=2.0)),
    "movie.mov": lambda path: write_movie(path, "prores", [NOISE] * 3, Fraction(24)),
    "words.txt": lambda path: manifest.write_text(path, "straw " * 5000),
}


@pytest.fixture
def no_room():
    """No file grows beyond a few kB, as if the disk were full: the system itself says no."""
    before, handler = resource.getrlimit(resource.RLIMIT_FSIZE), signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
    resource.setrlimit(resource.RLIMIT_FSIZE, (2000, before[1]))
    yield
    resource.setrlimit(resource.RLIMIT_FSIZE, before)
    signal.signal(signal.SIGXFSZ, handler)


@pytest.mark.parametrize("name", WRITERS)
def test_where_there_is_no_room_nothing_has_the_name_and_nothing_is_left(tmp_path, no_room, name):
    with pytest.raises((OSError, NotWritten)):
        WRITERS[name](tmp_path / name)
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("name", WRITERS)
def test_where_there_was_one_it_stays_as_it_is(tmp_path, name, request):
    (tmp_path / name).write_bytes(b"the one before")
    request.getfixturevalue("no_room")
    with pytest.raises((OSError, NotWritten)):
        WRITERS[name](tmp_path / name)
    assert (tmp_path / name).read_bytes() == b"the one before" and len(list(tmp_path.iterdir())) == 1


@pytest.mark.parametrize("name", WRITERS)
def test_with_room_it_is_there_and_nothing_else(tmp_path, name):
    WRITERS[name](tmp_path / name)
    assert [path.name for path in tmp_path.iterdir()] == [name] and (tmp_path / name).stat().st_size > 2000


def test_what_is_shorter_than_it_ought_to_be_gets_no_name(tmp_path):
    beside = temporary_name(tmp_path / "kite.png")
    beside.write_bytes(b"half")
    with pytest.raises(OSError) as error:
        put_in_place(beside, tmp_path / "kite.png", 8)
    assert error.value.errno == errno.ENOSPC and list(tmp_path.iterdir()) == []
    beside.write_bytes(b"all of it")
    assert put_in_place(beside, tmp_path / "kite.png", 9).read_bytes() == b"all of it"
    assert beside.match(LEFTOVERS) and not os.path.exists(beside)


def test_the_width_of_a_pixel_is_said_where_another_library_looks_for_it(tmp_path):
    for ending, told in ((".png", "aspect"), (".jpg", "jfif_density")):
        write_still(tmp_path / f"wide{ending}", NOISE, "8", Header(channels=tuple("RGB"), pixel_aspect=1.5))
        write_still(tmp_path / f"plain{ending}", NOISE, "8", Header(channels=tuple("RGB")))
        with Image.open(tmp_path / f"wide{ending}") as wide, Image.open(tmp_path / f"plain{ending}") as plain:
            across, down = wide.info[told]
            assert down / across == 1.5 and plain.info.get(told, (1, 1)) == (1, 1)
            assert np.array_equal(np.asarray(wide), np.asarray(plain))
            assert np.abs(np.asarray(wide).astype(int) - NOISE).mean() < (0.01 if ending == ".png" else 4)
