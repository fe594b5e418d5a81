"""Bringing pictures in: what follows the files, and what is refused with a sentence and leaves nothing behind."""

import errno
import io
import zipfile
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import OpenImageIO as oiio
import pytest
from django.core.files.storage import default_storage
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from jaythread import room
from jaythread.errors import NoRoom, Refused
from jaythread.jobs import actions as jobs
from jaythread.jobs import progress
from jaythread.jobs.models import Job
from jaythread.plates import actions, intake, showing
from jaythread.plates.models import Plate
from jaythread.productions.models import Shot
from roto.errors import BadPicture, BadUpload, NotWritten
from roto.picture import stills

from ..conftest import picture, write_stills

pytestmark = pytest.mark.django_db


def give(people, production, *paths: Path, name="KITE_010"):
    files = [SimpleUploadedFile(p.name, p.read_bytes()) for p in paths]
    return actions.bring_in(people["rafe"], production.pk, name, files)


def plate_of(shot) -> Plate:
    actions.decode(shot.plates.get().pk)
    return shot.plates.get()


def write_movie(path: Path, codec="libx264", frames=6, pix="yuv420p", rate=Fraction(24000, 1001), stamps=None, alpha=False, **more) -> Path:
    with av.open(str(path), "w") as out:
        for key, value in more.get("metadata", {}).items():
            out.metadata[key] = value
        stream = out.add_stream(codec, rate=rate, options=more.get("options", {}))
        stream.width, stream.height, stream.pix_fmt = 96, 64, pix
        if stamps:
            stream.codec_context.time_base = Fraction(1, 1000)
        for k in range(frames):
            frame = av.VideoFrame.from_ndarray(picture(1001 + k), format="rgb24")
            if stamps:
                frame.pts, frame.time_base = stamps[k], Fraction(1, 1000)
            for packet in stream.encode(frame):
                out.mux(packet)
        for packet in stream.encode():
            out.mux(packet)
    return path


def zipped(path: Path, members: dict[str, bytes]) -> Path:
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as bag:
        for name, data in members.items():
            bag.writestr(name, data)
    return path


def test_stills_keep_their_numbers_and_gaps_are_said(people, production, tmp_path):
    paths = [p for p in write_stills(tmp_path / "in", 1001, 1006) if "1003" not in p.name and "1004" not in p.name]
    shot = give(people, production, *paths)
    assert (shot.first, shot.last, shot.width, shot.height, shot.rate) == (1001, 1006, 96, 64, 24)
    plate = plate_of(shot)
    assert plate.state == "ready" and any("1003-1004" in note for note in plate.notes)
    assert plate.still(1003) is None and plate.still(1002).name == "KITE_010.1002.png"
    assert (stills.read(plate.still(1005)) == picture(1005)).all()


@pytest.mark.parametrize(
    ("ending", "dtype", "space"),
    [
        (".png", "uint16", "display"),
        (".tif", "float", "linear"),
        (".exr", "half", "linear"),
        (".dpx", "uint10", "log"),
        (".jpg", "uint8", "display"),
    ],
)
def test_every_kind_of_still_is_decoded_to_its_values(people, production, tmp_path, ending, dtype, space):
    values = picture(1001).astype(np.float32) / 255
    for frame in (1, 2):
        path = tmp_path / f"mill.{frame:04d}{ending}"
        spec = oiio.ImageSpec(96, 64, 3, "uint16" if dtype == "uint10" else dtype)
        if dtype == "uint10":
            spec.attribute("oiio:BitsPerSample", 10)
        out = oiio.ImageOutput.create(str(path))
        assert out.open(str(path), spec) and out.write_image(values) and out.close()
    shot = give(people, production, *sorted(tmp_path.glob("mill.*")))
    plate = plate_of(shot)
    assert (plate.state, plate.space, shot.first, shot.last) == ("ready", space, 1, 2)
    read = stills.read(plate.still(1))
    top = {"uint8": 255, "uint16": 65535}.get(str(read.dtype), 1)
    off = np.abs(read / top - values)
    assert off.mean() < 0.02 if ending == ".jpg" else off.max() < 0.002


def test_an_alpha_is_set_aside_and_a_zip_is_as_good_as_files(people, production, tmp_path):
    members = {}
    for frame in range(1, 4):
        rgba = np.dstack([picture(1000 + frame)[:, :, ::-1], np.full((64, 96), 255, np.uint8)])
        members[f"stills/kite_{frame:03d}.png"] = cv2.imencode(".png", rgba)[1].tobytes()
        members[f"__MACOSX/._kite_{frame:03d}.png"] = b"x"
    shot = give(people, production, zipped(tmp_path / "kite.zip", members))
    plate = plate_of(shot)
    assert any("alpha" in note for note in plate.notes) and (shot.first, shot.last) == (1, 3)
    assert stills.read(plate.still(2)).shape == (64, 96, 3)


@pytest.mark.parametrize(
    ("ending", "codec", "pix"),
    [(".mp4", "libx264", "yuv420p"), (".mov", "png", "rgb24"), (".mkv", "ffv1", "yuv444p10le"), (".webm", "libvpx-vp9", "yuv420p")],
)
def test_movies_bring_range_size_and_rate(people, production, tmp_path, ending, codec, pix):
    shot = give(people, production, write_movie(tmp_path / f"kite{ending}", codec, pix=pix))
    assert (shot.first, shot.last, shot.width, shot.height) == (1, 6, 96, 64)
    assert shot.rate == Fraction(24000, 1001) or (ending in (".webm", ".mkv") and abs(shot.rate - Fraction(24000, 1001)) < 0.01)
    plate = plate_of(shot)
    assert plate.state == "ready" and plate.job.done == 6
    read = stills.read(plate.still(4))
    off = np.abs(read / (255 if read.dtype == np.uint8 else 65535) - picture(1004) / 255)
    assert off.mean() < 0.05 and (ending != ".mov" or off.max() == 0)


def test_a_start_timecode_numbers_the_frames_and_a_turned_movie_stands_upright(people, production, tmp_path):
    path = write_movie(tmp_path / "kite.mov", "png", pix="rgb24", rate=Fraction(24), metadata={"timecode": "00:00:41:17"})
    shot = give(people, production, path)
    assert (shot.first, shot.last) == (1001, 1006)
    turned = turned_copy(write_movie(tmp_path / "plain.mp4"), tmp_path / "turned.mp4")
    shot = give(people, production, turned, name="TURNED")
    assert (shot.width, shot.height) == (64, 96)
    plate = plate_of(shot)
    assert any("Turned by 90" in note for note in plate.notes)
    off = np.abs(stills.read(plate.still(1)).astype(int) - np.rot90(picture(1001), -1))
    assert off.mean() < 12


def turned_copy(source: Path, target: Path) -> Path:
    """The movie with the display matrix of a quarter turn clockwise in its track header (ISO/IEC 14496-12, tkhd)."""
    data = bytearray(source.read_bytes())
    at = data.index(b"tkhd") + 4 + 4 + 4 * 5 + 8 + 8
    one, minus = (1 << 16).to_bytes(4, "big"), ((-1 << 16) & 0xFFFFFFFF).to_bytes(4, "big")
    zero, w = bytes(4), (1 << 30).to_bytes(4, "big")
    data[at : at + 36] = zero + one + zero + minus + zero + zero + (64 << 16).to_bytes(4, "big") + zero + w
    target.write_bytes(data)
    return target


def test_a_varying_rate_is_said_and_every_frame_is_kept(people, production, tmp_path):
    path = write_movie(tmp_path / "vary.mkv", "ffv1", pix="bgr0", rate=Fraction(25), stamps=[0, 40, 80, 250, 290, 700])
    shot = give(people, production, path)
    plate = plate_of(shot)
    assert any("varies" in note for note in plate.notes) and shot.last - shot.first + 1 == plate.job.done == 6
    assert (stills.read(plate.still(shot.last)) == picture(1006)).all()


def bad_inputs(folder: Path) -> dict[str, tuple[list[Path], str]]:
    """Everything that must be refused, by name."""
    folder.mkdir()
    good = write_stills(folder / "good", 1, 3)
    small = write_stills(folder / "small", 4, 4, size=(48, 64))
    png = good[0].read_bytes()
    cut = folder / "KITE_010.1004.png"
    cut.write_bytes(png[: len(png) // 2])
    empty = folder / "KITE_010.1005.png"
    empty.write_bytes(b"")
    liar = folder / "KITE_010.1006.jpg"
    liar.write_bytes(png)
    nothing = folder / "notes.txt"
    nothing.write_text("hello")
    movie = write_movie(folder / "whole.mp4")
    short = folder / "short.mp4"
    short.write_bytes(movie.read_bytes()[: movie.stat().st_size // 2])
    zero = folder / "zero.mov"
    zero.write_bytes(b"")
    named = folder / "really.mov"
    named.write_bytes(png)
    sound = folder / "sound.mp4"
    with av.open(str(sound), "w") as out:
        stream = out.add_stream("aac", rate=48000)
        stream.layout = "mono"
        frame = av.AudioFrame.from_ndarray(np.zeros((1, 1024), np.float32), format="fltp", layout="mono")
        frame.sample_rate, frame.pts = 48000, 0
        out.mux(stream.encode(frame))
        out.mux(stream.encode())
    huge = folder / "huge.0001.png"
    spec = oiio.ImageSpec(stills.LARGEST + 1, 1, 1, "uint8")
    out = oiio.ImageOutput.create(str(huge))
    assert out.open(str(huge), spec) and out.write_image(np.zeros((1, stills.LARGEST + 1, 1), np.uint8)) and out.close()
    bomb = io.BytesIO()
    with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as bag, bag.open("kite_1.png", "w") as member:
        for _ in range(100):
            member.write(bytes(1 << 20))
    expanding = folder / "bomb.zip"
    expanding.write_bytes(bomb.getvalue())
    broken = folder / "broken.zip"
    broken.write_bytes(b"PK" + bytes(60))
    numberless = folder / "still.png"
    numberless.write_bytes(png)
    other = folder / "MILL.0009.png"
    other.write_bytes(png)
    return {
        "mixed sizes": ([*good, *small], "All must be one size"),
        "cut short": ([*good, cut], "cut short"),
        "zero bytes": ([*good, empty], "empty"),
        "wrong ending": ([liar], "not what its name says"),
        "not a picture": ([nothing], "not a still that can be taken"),
        "movie cut short": ([short], "cut short"),
        "movie of zero bytes": ([zero], "empty"),
        "not a movie": ([named], "not be what its name says"),
        "no video": ([sound], "no video stream"),
        "too large": ([huge], "longest side"),
        "zip leading outside": ([zipped(folder / "out.zip", {"../KITE.0001.png": png})], "leads outside"),
        "zip from the root": ([zipped(folder / "root.zip", {"/etc/KITE.0001.png": png})], "leads outside"),
        "zip that expands": ([expanding], "cannot be right"),
        "zip that is none": ([broken], "not a zip"),
        "zip with two of a name": ([zipped(folder / "two.zip", {"a/k.1.png": png, "b/k.1.png": png})], "same name"),
        "no numbers": ([good[0], numberless], "no frame number"),
        "two sequences": ([*good, other], "Two sequences"),
        "movie and stills": ([movie, *good], "one movie"),
    }


NAMES = [
    *("mixed sizes", "cut short", "zero bytes", "wrong ending", "not a picture", "movie cut short", "movie of zero bytes", "not a movie"),
    *("no video", "too large", "zip leading outside", "zip from the root", "zip that expands", "zip that is none"),
    *("zip with two of a name", "no numbers", "two sequences", "movie and stills"),
]


@pytest.mark.parametrize("name", NAMES)
def test_refused_with_a_sentence_and_nothing_stays(people, production, tmp_path, name):
    zoo = bad_inputs(tmp_path / "zoo")
    assert set(zoo) == set(NAMES)
    paths, why = zoo[name]
    with pytest.raises(BadUpload, match=why) as refused:
        give(people, production, *paths)
    assert refused.value.message.endswith(".")
    assert not Shot.objects.exists() and not Plate.objects.exists()
    assert not [p for p in Path(default_storage.path("")).rglob("*") if p.is_file()]


def test_a_still_that_breaks_in_its_middle_fails_the_plate_with_its_name(people, production, tmp_path):
    paths = write_stills(tmp_path / "in", 1, 3)
    data = bytearray(paths[1].read_bytes())
    middle = len(data) // 2
    data[middle : middle + 40] = bytes(40)
    paths[1].write_bytes(data)
    plate = plate_of(give(people, production, *paths))
    assert plate.state == "failed" and paths[1].name in plate.message
    assert not plate.folder.exists()


def test_cancelling_while_decoding_leaves_no_files(people, production, tmp_path, monkeypatch):
    shot = give(people, production, *write_stills(tmp_path / "in", 1, 6))
    plate = shot.plates.get()
    whole = actions.display.to_screen

    def at_the_third(pixels, space):
        if Job.objects.get().done == 2:
            actions.cancel(people["rafe"], plate.pk)
        return whole(pixels, space)

    monkeypatch.setattr(actions.display, "to_screen", at_the_third)
    monkeypatch.setattr(progress, "TELL_EVERY", 0.0)
    actions.decode(plate.pk)
    plate.refresh_from_db()
    assert (plate.state, Job.objects.get().done) == ("cancelled", 3) and not plate.folder.exists()
    actions.remove_shot(people["rafe"], plate.pk)
    assert not Shot.objects.exists()


@pytest.mark.parametrize("numbers", [("1", "10000000"), ("20261128120000", "20261128120001"), ("7", "4294967303")])
def test_numbers_that_are_no_frames_are_refused(people, production, tmp_path, numbers):
    one = write_stills(tmp_path / "in", 1, 1)[0]
    paths = [one.rename(one.with_name(f"a.{numbers[0]}.png"))]
    paths.append(paths[0].with_name(f"a.{numbers[1]}.png"))
    paths[1].write_bytes(paths[0].read_bytes())
    with pytest.raises(BadUpload, match=r"no frame's|at the most"):
        give(people, production, *paths)
    assert not Shot.objects.exists()


@pytest.mark.parametrize(
    ("rate", "taken"), [((2147483647, 1), 24), ((1, 2147483647), 24), ((0, 1), 24), ((30000, 1001), Fraction(30000, 1001))]
)
def test_a_rate_that_cannot_be_is_said_and_another_assumed(people, production, tmp_path, rate, taken):
    spec = oiio.ImageSpec(64, 48, 3, "half")
    spec.attribute("framesPerSecond", oiio.TypeDesc("rational"), rate)
    (tmp_path / "in").mkdir()
    stills.write(tmp_path / "in" / "a.1001.exr", spec, np.zeros((48, 64, 3), np.float32))
    shot = give(people, production, tmp_path / "in" / "a.1001.exr")
    assert shot.rate == taken and any("cannot be" in note or "do not say" in note for note in shot.plates.get().notes) == (taken == 24)


def test_a_still_with_too_many_pixels_is_refused_by_what_its_head_says(people, production, tmp_path, monkeypatch):
    path = write_stills(tmp_path / "in", 1, 1)[0]
    monkeypatch.setattr(intake, "MOST_PIXELS", 96 * 64 - 1)
    monkeypatch.setattr(intake.stills, "read", lambda path: pytest.fail("it was decoded"))
    with pytest.raises(BadUpload, match="million together"):
        give(people, production, path)


def files_of(plate):
    return {path.relative_to(plate.folder): path.read_bytes() for path in plate.folder.rglob("*") if path.is_file()}


@pytest.mark.parametrize("when", ["while it waits", "in the middle", "a still cannot be read"])
def test_a_change_of_colour_space_that_does_not_come_to_its_end_leaves_the_plate_as_it_was(people, shot, when, monkeypatch):
    plate = shot.plates.get()
    before = files_of(plate)
    showing.change_space(people["rafe"], plate.pk, "linear")
    job = plate.showing
    if when == "while it waits":
        showing.cancel(people["rafe"], plate.pk)
    else:
        whole, made = showing.display.to_screen, []

        def to_screen(pixels, space):
            made.append(space)
            if len(made) == 3 and when == "in the middle":
                showing.cancel(people["rafe"], plate.pk)
            elif len(made) == 3:
                raise BadPicture("KITE_010.1003.png breaks off.")
            return whole(pixels, space)

        monkeypatch.setattr(showing.display, "to_screen", to_screen)
        monkeypatch.setattr(progress, "TELL_EVERY", 0.0)
    jobs.carry_out(job.pk)
    job.refresh_from_db()
    plate = shot.plates.get()
    assert job.state == ("failed" if when.startswith("a still") else "cancelled")
    assert (plate.state, plate.space, files_of(plate) == before) == ("ready", "display", True)
    with pytest.raises(Refused, match="nothing to cancel"):
        showing.cancel(people["rafe"], plate.pk)


def test_the_colour_space_changes_what_is_shown_and_not_the_matte(client, people, shot):
    plate = shot.plates.get()
    client.force_login(people["rafe"], backend="jaythread.accounts.session_store.People")

    def shown():
        data = client.get(f"/plates/{plate.pk}/full/1001.png").content
        return cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR)[:, :, ::-1]

    assert (shown() == picture(1001)).all()
    client.post(f"/plates/{plate.pk}", {"space": "linear"})
    assert (shown() == picture(1001)).all()  # until it is made
    jobs.carry_out(plate.showing.pk)
    grey = picture(1001)[5, 5].astype(float) / 255
    want = np.where(grey <= 0.0031308, grey * 12.92, 1.055 * grey ** (1 / 2.4) - 0.055) * 255
    assert np.abs(shown()[5, 5] - want).max() <= 0.51
    assert (stills.read(plate.still(1001)) == picture(1001)).all()


def whole(path: Path) -> bytes:
    return path.read_bytes()


def test_where_there_is_no_room_what_was_given_stays_and_is_tried_again(people, production, tmp_path, monkeypatch):
    own, written = stills.write_picture, []

    def full(path, pixels):
        written.append(path.name)
        if len(written) == 3:
            raise NotWritten(f"{path.name} cannot be written: No space left on device")
        own(path, pixels)

    paths = write_stills(tmp_path / "in", 1, 6)
    given = [whole(path) for path in paths]
    monkeypatch.setattr(stills, "write_picture", full)
    plate = plate_of(give(people, production, *paths))
    assert (plate.state, plate.may_be_tried) == ("failed", True) and "No space left" in plate.message
    kept = sorted((plate.folder / "source").iterdir())
    assert [whole(path) for path in kept] == given and not (plate.folder / "proxy").exists()

    actions.try_again(people["rafe"], plate.pk)
    assert Plate.objects.get().state == "waiting"
    actions.decode(plate.pk)
    plate = Plate.objects.get()
    assert plate.state == "ready" and len(list((plate.folder / "proxy").iterdir())) == 6
    with pytest.raises(Refused, match="Bring it in anew"):
        actions.try_again(people["rafe"], plate.pk)


def test_files_for_which_there_is_no_room_are_not_taken_and_it_is_said_how_much_is_wanting(people, production, tmp_path, monkeypatch):
    paths = write_stills(tmp_path / "in", 1, 3)
    monkeypatch.setattr(room, "free", lambda: room.SPARE - (5 << 20))
    with pytest.raises(NoRoom, match="not enough room for files: 5 MB more would be needed"):
        give(people, production, *paths)
    assert not Shot.objects.exists() and not [p for p in Path(default_storage.path("")).rglob("*") if p.is_file()]

    client = Client()
    client.force_login(people["rafe"], "jaythread.accounts.session_store.People")
    reply = client.post(
        f"/productions/{production.pk}/bring-in", {"name": "KITE_010", "files": [SimpleUploadedFile("a.1.png", whole(paths[0]))]}
    )
    assert reply.status_code == 507 and "5 MB more would be needed" in reply.content.decode()

    monkeypatch.setattr(room, "free", lambda: 1 << 40)
    shot = give(people, production, *paths)
    monkeypatch.setattr(room, "free", lambda: 0)
    plate = plate_of(shot)
    assert plate.may_be_tried and "Make room, then try again" in plate.message


@pytest.mark.parametrize("path", ["/productions/{}/bring-in", "/api/shots/{}/jobs"])
def test_a_disk_that_runs_full_in_the_middle_is_a_sentence(people, production, shot, monkeypatch, path):
    def full(*args, **more):
        raise OSError(errno.ENOSPC, "No space left on device", "/srv/files/incoming")

    monkeypatch.setattr("jaythread.plates.actions.bring_in", full)
    monkeypatch.setattr("jaythread.jobs.actions.ask", full)
    client = Client()
    client.force_login(people["rafe"], "jaythread.accounts.session_store.People")
    api = path.startswith("/api")
    body = {"kind": "check.read", "subject": str(shot.mattes.get().pk)} if api else {"name": "MILL_040"}
    more = {"content_type": "application/json"} if api else {}
    reply = client.post(path.format(shot.pk if api else production.pk), body, **more)
    assert reply.status_code == 507 and "no room left for files" in reply.content.decode() and "/srv" not in reply.content.decode()
