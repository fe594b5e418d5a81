"""A shot's picture corrected after it came in: rate, pixels, numbers; stills that are missing; a newer picture in the plate's place."""

import io
import uuid
import zipfile
from fractions import Fraction

import av
import numpy as np
import OpenImageIO as oiio
import pytest
from PIL import Image

from jaythread.delivery import actions as delivering
from jaythread.delivery import planning
from jaythread.delivery.models import Delivery
from jaythread.desk.document import core_cache
from jaythread.desk.edit import actions
from jaythread.desk.models import FrameFit, Note, Shape, Track
from jaythread.errors import Refused
from jaythread.jobs.models import Job
from jaythread.plates import actions as plates
from jaythread.plates import changes
from jaythread.plates import frames as plate_frames
from jaythread.plates.models import Plate
from roto.errors import BadRecipe
from roto.package.recipe import Recipe
from roto.picture import stills
from roto.picture.changes import Change
from roto.picture.stills import read

from ..conftest import FIRST, LAST, carry_out, edited, picture, trace, write_stills

pytestmark = pytest.mark.django_db
EVERY = np.arange(FIRST, LAST + 1)


@pytest.fixture
def rafe(people):
    return people["rafe"]


def outlines(shape, frames):
    return core_cache.shapes([Shape.objects.get(pk=shape)])[shape].outlines(frames)


def displayed(shot, frame):
    return plate_frames.as_bytes(shot.plates.first(), frame)


@pytest.fixture
def keyed(shot, rafe):
    """A shape that moves, is live for a while and rides on a track; a note; a frame that was looked at."""
    shape, track = trace(shot, rafe), str(uuid.uuid4())
    edited(rafe, shot, do="form", shape=shape, frame=FIRST + 4, points={"0": [15, 25, 0, 0, 0, 0]})
    edited(rafe, shot, do="live", shape=shape, ranges=[[FIRST + 1, FIRST + 6]])
    edited(rafe, shot, do="new track", track=track, name="tip", frame=FIRST, points=[(20, 18)], half=9, model="move")
    edited(rafe, shot, do="correct track", track=track, frame=FIRST + 3, points={"0": [30, 22]})
    edited(rafe, shot, do="carry", shape=shape, frame=FIRST, track=track, how="move")
    Note.objects.create(shot=shot, frame=FIRST + 2, says="slips", by="noor")
    FrameFit.objects.create(matte=shot.mattes.get(), frame=FIRST + 2, key="k", shapes={}, looked="k")
    FrameFit.objects.create(matte=shot.mattes.get(), frame=FIRST + 3, key="k", shapes={})
    return shape


def test_numbers_change_and_everything_goes_along_or_keeps_its_frames(shot, rafe, keyed):
    before, shown = outlines(keyed, EVERY), displayed(shot, FIRST + 3)
    edited(rafe, shot, do="working range", first=FIRST + 1, last=LAST - 1)
    edited(rafe, shot, do="shot picture", first=101)
    assert (shot.first, shot.last, shot.working) == (101, 108, (102, 107))
    assert np.array_equal(displayed(shot, 104), shown)  # the files were not touched
    assert np.allclose(outlines(keyed, EVERY - 900), before)
    core = core_cache.shapes([Shape.objects.get(pk=keyed)])[keyed]
    assert core.live == ((102, 107),) and Track.objects.get().data["frames"][0] == 101
    assert Note.objects.get().frame == 103 and sorted(FrameFit.objects.values_list("frame", flat=True)) == [103, 104]
    actions.undo(rafe, shot.pk, uuid.uuid4())
    shot.refresh_from_db()
    assert (shot.first, shot.working) == (FIRST, (FIRST + 1, LAST - 1)) and np.array_equal(outlines(keyed, EVERY), before)
    assert Note.objects.get().frame == FIRST + 2 and np.array_equal(displayed(shot, FIRST + 3), shown)
    was = Plate.objects.get().picture_version
    edited(rafe, shot, do="shot picture", first=FIRST + 1, along=False)
    assert Plate.objects.get().picture_version != was  # browsers fetch anew
    assert not FrameFit.objects.exclude(looked="").exists()  # other pictures lie under the outlines now
    assert np.array_equal(outlines(keyed, EVERY), before) and np.array_equal(displayed(shot, FIRST + 4), shown)


def test_rate_and_pixels_go_into_what_is_delivered(shot, rafe, keyed):
    edited(rafe, shot, do="shot picture", rate=[24000, 1001], pixel_aspect=2.0)
    assert shot.rate == Fraction(24000, 1001)
    made = delivering.ask(rafe, shot.pk, shot.mattes.get().pk, Recipe(format="exr16"), "compositor")
    delivering.deliver(made.pk)
    made = Delivery.objects.get(pk=made.pk)
    assert made.state == "proved", made.message
    spec = oiio.ImageInput.open(str(next(made.package.rglob("*.exr")))).spec()
    assert spec.getattribute("PixelAspectRatio") == 2.0
    with pytest.raises(Refused, match="already"):
        edited(rafe, shot, do="shot picture", pixel_aspect=2.0)


def test_a_package_that_was_asked_for_keeps_to_its_own_pictures_when_the_numbers_change(shot, rafe, keyed):
    made = delivering.ask(rafe, shot.pk, shot.mattes.get().pk, Recipe(content="straight"), "cut-out")
    edited(rafe, shot, do="shot picture", first=101)
    delivering.deliver(made.pk)
    made = Delivery.objects.get(pk=made.pk)
    assert made.state == "proved", made.message
    assert (made.package / f"KITE_010_kite.{FIRST}.png").exists()


@pytest.fixture
def gappy(production, rafe, tmp_path):
    """A shot of which one still is missing."""
    stills = [p for p in write_stills(tmp_path / "given") if str(FIRST + 3) not in p.name]
    it = plates.bring_in_folder(rafe, production.pk, "GAPPY", tmp_path / "given", [p.name for p in stills])
    plates.decode(it.plates.get().pk)
    edited(rafe, it, do="new matte", matte=str(uuid.uuid4()), name="kite")
    trace(it, rafe)
    return it


def test_a_missing_still_is_left_out_or_shows_the_one_before(gappy, rafe):
    shot, cut_out = gappy, Recipe(content="straight")
    assert shot.plates.get().gaps == [FIRST + 3]
    with pytest.raises(BadRecipe, match=str(FIRST + 3)):
        delivering.ask(rafe, shot.pk, shot.mattes.get().pk, cut_out)
    left = delivering.ask(rafe, shot.pk, shot.mattes.get().pk, Recipe(content="straight", missing="leave"))
    delivering.deliver(left.pk)
    left.refresh_from_db()
    leaving = Recipe(content="straight", missing="leave")
    core = core_cache.matte(shot, shot.mattes.get())
    told = planning.shown(shot, (core,), leaving, None, None, "cut-out", 2)["lines"]
    assert "1 left out, since the plate has no picture of it" in told
    assert left.state == "proved" and left.frames.count() == LAST - FIRST
    assert not (left.package / f"GAPPY_kite.{FIRST + 3}.png").exists()
    plates.hold_gaps(rafe, shot.plates.get().pk, True)
    assert np.array_equal(displayed(shot, FIRST + 3), displayed(shot, FIRST + 2))
    held = delivering.ask(rafe, shot.pk, shot.mattes.get().pk, cut_out)
    delivering.deliver(held.pk)
    held.refresh_from_db()
    assert held.state == "proved" and held.frames.count() == LAST - FIRST + 1
    assert np.array_equal(read(held.package / f"GAPPY_kite.{FIRST + 3}.png"), read(held.package / f"GAPPY_kite.{FIRST + 2}.png"))
    plain = delivering.ask(rafe, shot.pk, shot.mattes.get().pk, Recipe())  # a plain matte needs no picture
    assert len(planning.plan_of(plain).pieces) == LAST - FIRST + 1


def test_a_newer_picture_takes_the_plates_place_and_a_bad_one_leaves_the_old(shot, rafe, keyed, tmp_path):
    before, old = outlines(keyed, EVERY), displayed(shot, FIRST)
    darker = tmp_path / "newer"
    write_stills(darker)
    for path in darker.iterdir():
        write = oiio.ImageBuf(str(path))
        oiio.ImageBufAlgo.mul(write, write, 0.5)
        write.write(str(path))
    names = sorted(p.name for p in darker.iterdir())
    plates.replace_plate(rafe, shot.pk, darker, names)
    plates.decode(shot.plates.first().pk)
    assert shot.plates.count() == 2 and abs(int(displayed(shot, FIRST)[20, 70].mean()) - old[20, 70].mean() / 2) < 2
    assert np.array_equal(outlines(keyed, EVERY), before)
    other = write_stills(tmp_path / "other")
    plates.replace_plate(rafe, shot.pk, tmp_path / "other", [p.name for p in other])
    plates.cancel(rafe, shot.plates.first().pk)
    assert shot.plates.count() == 2 and shot.plates.first().state == "ready"
    small = write_stills(tmp_path / "small", size=(48, 32))
    with pytest.raises(Refused, match="48 x 32"):
        plates.replace_plate(rafe, shot.pk, tmp_path / "small", [p.name for p in small])
    broken = write_stills(tmp_path / "broken")
    whole = broken[3].read_bytes()
    broken[3].write_bytes(whole[:200] + bytes(len(whole) - 220) + whole[-20:])
    plates.replace_plate(rafe, shot.pk, tmp_path / "broken", [p.name for p in broken])
    plates.decode(shot.plates.first().pk)
    assert shot.plates.count() == 2 and shot.plates.first().state == "ready" and displayed(shot, FIRST) is not None


def test_files_that_are_no_stills_are_left_out_with_a_remark(production, rafe, tmp_path):
    folder = tmp_path / "bag"
    stills = write_stills(tmp_path / "given")
    folder.mkdir()
    with zipfile.ZipFile(folder / "plate.zip", "w") as bag:
        bag.writestr("notes/readme.txt", "Shot on the dunes.")
        for path in stills:
            bag.write(path, f"stills/{path.name}")
    shot = plates.bring_in_folder(rafe, production.pk, "BAGGED", folder, ["plate.zip"])
    plates.decode(shot.plates.get().pk)
    plate = Plate.objects.get(shot=shot)
    assert plate.state == "ready" and any("readme.txt" in note for note in plate.notes)
    assert sorted(p.name for p in (plate.folder / "source").iterdir()) == sorted(p.name for p in stills)


def test_pixels_that_are_not_square_are_read_from_the_file(production, rafe, tmp_path):
    folder = tmp_path / "wide"
    folder.mkdir()
    with av.open(str(folder / "wide.mov"), "w") as movie:
        stream = movie.add_stream("mpeg4", rate=25)
        stream.width, stream.height, stream.pix_fmt = 96, 64, "yuv420p"
        stream.codec_context.sample_aspect_ratio = Fraction(4, 3)
        for frame in range(4):
            movie.mux(stream.encode(av.VideoFrame.from_ndarray(picture(FIRST + frame), format="rgb24")))
        movie.mux(stream.encode())
    shot = plates.bring_in_folder(rafe, production.pk, "WIDE", folder, ["wide.mov"])
    assert shot.pixel_aspect == pytest.approx(4 / 3, abs=1e-3) and any("1.3333 times as wide" in n for n in shot.plates.get().notes)


def test_the_page_corrects_it_and_says_what_was_wrong(client, people, shot):
    client.force_login(people["rafe"])
    where = f"/shots/{shot.pk}/picture"
    said = {"rate": "24000/1001", "pixel_aspect": "1.5", "first": "7", "along": "along"}
    assert "numbered from 7" in client.post(where, said, follow=True).content.decode()
    shot.refresh_from_db()
    assert (shot.first, shot.pixel_aspect) == (7, 1.5)
    for wrong in ({"rate": "quick"}, {"pixel_aspect": "0"}, {"first": "one"}):
        assert "Give the rate as 25" in client.post(where, {**said, **wrong}, follow=True).content.decode()


def newer(rafe, shot, folder, change):
    """A newer picture, each still of which is `change(number, pixels)`."""
    for path in write_stills(folder):
        pixels = stills.read(path)
        stills.write_picture(path, change(int(path.stem[-4:]), pixels.copy()))
    plates.replace_plate(rafe, shot.pk, folder, sorted(p.name for p in folder.iterdir()))
    plate = shot.plates.first()
    plates.decode(plate.pk)
    carry_out(Job.objects.get(kind="plate.changes", subject=str(plate.pk)))
    return Plate.objects.get(pk=plate.pk)


def test_what_differs_in_a_newer_picture_is_said_and_shown(shot, rafe, people, tmp_path, client):
    def painted(number, pixels):
        if number == FIRST + 4:
            pixels[30:50, 60:90] = 250
        return pixels

    plate = newer(rafe, shot, tmp_path / "painted", painted)
    assert len(plate.changes["says"]) == 1 and plate.changes["says"][0].startswith(
        f"1 of 8 frames differs: {FIRST + 4}. Most on {FIRST + 4}:"
    )
    assert 0.08 < plate.changes["shares"][str(FIRST + 4)] < 0.14 and plate.changes["shares"][str(FIRST)] == 0
    client.force_login(rafe)
    page = client.get(f"/plates/{plate.pk}/changes").content.decode()
    assert "what differs from version 1" in page and "1 of 8 frames differs" in page
    assert "What differs from version" in client.get(f"/plates/{plate.pk}").content.decode()
    shown = np.asarray(Image.open(io.BytesIO(client.get(f"/plates/{plate.pk}/changes/{FIRST + 4}.png").content)))
    coloured = shown[..., 0].astype(int) - shown[..., 2] > 60
    assert coloured[34:46, 64:86].mean() > 0.9 and not coloured[:20].any()
    assert client.get(f"/plates/{plate.pk}/changes/{LAST + 9}.png").status_code == 404
    client.force_login(people["otto"])
    assert client.get(f"/plates/{plate.pk}/changes").status_code == 404
    assert client.get(f"/plates/{plate.pk}/changes/{FIRST}.png").status_code == 404
    client.force_login(rafe)
    first = shot.plates.last()
    assert client.get(f"/plates/{first.pk}/changes").status_code == 404 and first.version == 1


def test_the_same_picture_brighter_or_another_one_later_is_told_from_each_other(shot, rafe, tmp_path, client):
    same = newer(rafe, shot, tmp_path / "same", lambda number, pixels: pixels)
    assert same.changes["says"] == ["Nothing differs that can be seen on the 8 frames that both have."]
    dark = newer(rafe, shot, tmp_path / "dark", lambda number, pixels: pixels // 2)
    assert dark.changes["says"][0] == "It is 50 % darker all over. Shapes lie as they lay." and dark.changes["before"] == 2
    Plate.objects.filter(pk=dark.pk).update(changes=None)
    client.force_login(rafe)
    assert "Look what differs" in client.get(f"/plates/{dark.pk}/changes").content.decode()
    client.post(f"/plates/{dark.pk}/changes")
    assert "goes on by itself" in client.get(f"/plates/{dark.pk}/changes").content.decode()
    late = {f: stills.read(p) for f, p in zip(EVERY, write_stills(tmp_path / "late"), strict=True)}
    plate = newer(rafe, shot, tmp_path / "later", lambda number, pixels: late[max(FIRST, number - 1)] // 2)
    assert (
        plate.changes["says"][0] == f"From {FIRST + 1} to {LAST} it shows what version 3 shows 1 frame earlier: keys there are off by that."
    )


def test_a_picture_that_lies_elsewhere_and_frames_that_come_and_go_are_said(shot, rafe):
    def one(**more):
        return Change(**{"share": 0.2, "move": None, "gain": None} | more)

    first = shot.plates.get()
    longer = Plate(shot=shot, version=2, names={str(f): "" for f in range(FIRST + 1, LAST + 3)})
    moved = {f: one(move=(-2.0, 0.0)) for f in range(FIRST + 1, LAST + 1)}
    says = changes._says(first, longer, moved, [], 2.0)
    assert says[0] == "The picture is moved by 4.0 px to the left: shapes are off by that." and says[1].startswith("All 7 frames differ: ")
    assert says[2:] == [f"Frames {LAST + 1}-{LAST + 2} are new.", f"Frame {FIRST} is not there any more."]
    assert changes._says(first, first, {FIRST: one(share=0.0)}, [], 1.0) == [
        "Nothing differs that can be seen on the one frame that both have."
    ]
    assert changes._says(first, first, {}, [], 1.0) == []
