"""Tryouts delivered as looks: what is received is what was composed, frozen, named, proved; what hides is answered for."""

import io
import zipfile

import cv2
import numpy as np
import pytest
from PIL import Image

from jaythread.delivery import actions, making, packing
from jaythread.delivery.models import Delivery, State
from jaythread.errors import Refused
from jaythread.tryouts import pictures, sources
from jaythread.tryouts.actions import bundled
from roto.__main__ import main
from roto.errors import Cancelled
from roto.package import make
from roto.package.recipe import STARTERS, Recipe
from roto.picture.writing import Header, write_still
from roto.tryout.bundle import dumps, loads

from ..conftest import FIRST, LAST, edited
from .test_tryouts import begun, other, rafe, traced  # noqa: F401 - fixtures

pytestmark = pytest.mark.django_db
STILLS = Recipe(content="tryout", format="png16")


def delivered(rafe, shot, row, recipe=STILLS):  # noqa: F811
    it = actions.ask(rafe, shot.pk, [], recipe, "by hand", tryout=row.pk)
    actions.deliver(it.pk)
    it.refresh_from_db()
    return it


def stills(it) -> dict[str, np.ndarray]:
    with zipfile.ZipFile(packing.zip_path(it)) as bag:
        names = sorted(n for n in bag.namelist() if n.startswith("KITE") and n.endswith(".png"))
        return {name: np.asarray(Image.open(io.BytesIO(bag.read(name)))).astype(int) for name in names}


def test_what_is_received_is_what_was_composed(traced, rafe):  # noqa: F811
    row = begun(rafe, traced, "behind")
    it = delivered(rafe, traced, row)
    assert (it.state, it.wrong, it.odd, it.name) == (State.PROVED, [], [], "words behind")
    got = stills(it)
    assert list(got) == [f"KITE_010_words-behind.{f}.png" for f in range(FIRST, LAST + 1)]
    for frame in (FIRST, LAST):
        wanted = pictures.picture(traced, row, frame, None).astype(int)
        pixels = got[f"KITE_010_words-behind.{frame}.png"]
        assert np.abs(pixels - wanted).max() <= 1  # Pillow gives the upper eight bits of each channel


def test_it_is_frozen_and_a_change_makes_anew_only_the_frames_that_it_touches(traced, rafe):  # noqa: F811
    row = begun(rafe, traced, "bars")
    before = delivered(rafe, traced, row)
    bars = row.lines[1]
    edited(rafe, traced, do="tryout line", tryout=str(row.pk), line={**bars, "live": [FIRST, FIRST + 5]})
    after = delivered(rafe, traced, row)
    assert after.state == State.PROVED and {f.frame: f.taken for f in after.frames.all()} == {
        f: f <= FIRST + 5 for f in range(FIRST, LAST + 1)
    }
    assert stills(before)[f"KITE_010_over-bars.{LAST}.png"][0].max() == 0 < stills(after)[f"KITE_010_over-bars.{LAST}.png"][0].max()
    edited(rafe, traced, do="remove tryout", tryout=str(row.pk))
    assert Delivery.objects.get(pk=before.pk).name == "over bars"


def test_a_movie_for_the_phone_is_proved(traced, rafe):  # noqa: F811
    recipe = STARTERS["a tryout on the phone"][1]
    row = begun(rafe, traced, "larger")
    it = delivered(rafe, traced, row, recipe)
    assert (it.state, it.wrong) == (State.PROVED, [])
    for path in (it.folder / make.FRAMES).glob("*.npy"):  # as packages of earlier days kept them
        write_still(path.with_suffix(".png"), np.load(path), "8", Header(channels=tuple("RGB")))
        path.unlink()
    again = delivered(rafe, traced, row, recipe)
    assert (again.state, again.wrong) == (State.PROVED, []) and again.frames.filter(taken=True).count() == 8


def test_a_movie_goes_on_where_its_worker_was_lost_and_leaves_nothing_when_it_is_cancelled(traced, rafe, monkeypatch):  # noqa: F811
    recipe, row = STARTERS["a tryout on the phone"][1], begun(rafe, traced, "larger")
    made, real = [], make.compose.whole_numbers

    def lost(sources, recipe, frame):
        made.append(frame)
        if len(made) == 4:
            raise KeyboardInterrupt
        return real(sources, recipe, frame)

    it = actions.ask(rafe, traced.pk, [], recipe, tryout=row.pk)
    making.begin(it.pk)
    with monkeypatch.context() as patch:
        patch.setattr(make.compose, "whole_numbers", lost)
        with pytest.raises(KeyboardInterrupt):
            making.finish(it.pk)
    there = {FIRST + int(path.stem) for path in (it.folder / "frames").glob("*.npy")}
    assert 0 < len(there) < 8 and not [*it.package.glob("*.mp4")]
    made.clear()
    write = make.write_still
    monkeypatch.setattr(make, "write_still", lambda path, *said: (made.append(FIRST + int(path.stem)), write(path, *said))[1])
    making.finish(it.pk)
    it.refresh_from_db()
    assert (it.state, it.wrong) == (State.PROVED, []) and it.frames.filter(done=True).count() == 8
    assert sorted(made) == sorted({*range(FIRST, LAST + 1)} - there), "what is there is not made again"
    second = actions.ask(rafe, traced.pk, [], recipe, tryout=begun(rafe, traced, "bars").pk)
    making.begin(second.pk)
    asked = []

    def stop(delivery, last):
        asked.append(last)
        if len(asked) == 3:
            raise Cancelled
        return last

    monkeypatch.setattr(making, "LOOK_EVERY", 0.0)
    monkeypatch.setattr(making, "_look", stop)
    making.finish(second.pk)
    second.refresh_from_db()
    assert second.state == State.CANCELLED and not second.folder.exists() and len(asked) == 3


def test_where_nothing_is_hidden_somebody_answers_for_it(traced, rafe):  # noqa: F811
    row = begun(rafe, traced, "hidden")
    edited(rafe, traced, do="live", shape=str(traced.shapes.get().pk), ranges=[(FIRST, LAST - 2)])
    it = delivered(rafe, traced, row)
    assert it.state == State.PROVED and [o["frame"] for o in it.open_odd] == [LAST - 1, LAST]
    assert "nothing is covered" in it.open_odd[0]["says"]
    assert not actions.accept(rafe, it.pk).open_odd


def test_what_cannot_be_delivered_is_a_sentence(traced, rafe, other):  # noqa: F811
    with pytest.raises(Refused, match="Choose the tryout"):
        actions.ask(rafe, traced.pk, [traced.mattes.get().pk], STILLS)
    row = begun(rafe, traced, "revealed")
    clip = row.lines[1]
    edited(rafe, traced, do="tryout line", tryout=str(row.pk), line={**clip, "shows": {**clip["shows"], "shot": "GONE_000"}})
    with pytest.raises(Refused, match="GONE_000 is not here"):
        actions.ask(rafe, traced.pk, [], STILLS, tryout=row.pk)
    assert not Delivery.objects.exists()


def test_it_travels_as_a_document_and_is_made_without_web_or_database(traced, rafe, tmp_path, capsys):  # noqa: F811
    row = begun(rafe, traced, "larger")
    text = bundled(traced, row)
    assert loads(dumps(loads(text))).tryout == row.to_core()
    (tmp_path / "it.json").write_text(text)
    plate = str(traced.plates.get().folder / "source")
    assert main(["tryout", str(tmp_path / "it.json"), str(tmp_path / "out"), "--plate", plate, "--frames", "1002-1003"]) == 0
    made = np.asarray(Image.open(tmp_path / "out" / "KITE_010_larger.1003.png")).astype(int)
    assert np.array_equal(made, pictures.picture(traced, row, 1003, None))
    bare = text.replace('"mattes": {', '"mattes": {}, "x": {')
    for wrong, says in (("{", "no JSON"), ('{"format": "cake"}', "must be"), (bare, "not in the file")):
        (tmp_path / "it.json").write_text(wrong)
        assert main(["tryout", str(tmp_path / "it.json"), str(tmp_path / "out"), "--plate", plate]) == 2
        assert says in capsys.readouterr().err


@pytest.mark.parametrize("deep", [False, True])
def test_clips_of_8_bits_and_of_more_go_out_alike(traced, rafe, deep):  # noqa: F811
    """With more bits, the plate is looked at once to see so; then its light is what counts."""
    plate = traced.plates.get()
    if deep:
        for frame in range(FIRST, LAST + 1):
            pixels = cv2.imread(str(plate.still(frame))).astype(np.uint16) * 257
            plate.still(frame).unlink()
            cv2.imwrite(str(plate.still(frame)), pixels)
    row = begun(rafe, traced, "behind")
    it = delivered(rafe, traced, row, Recipe(content="tryout", format="png8"))
    assert it.state == State.PROVED and ((plate.pk, plate.picture_version) in sources._deeper) == deep
    got = stills(it)
    for frame in (FIRST, LAST):
        assert np.abs(got[f"KITE_010_words-behind.{frame}.png"] - pictures.picture(traced, row, frame, None).astype(int)).max() <= 1
