"""The proof of a package: which file is meant, what was taken over and is not what it was, what need not be read."""

import hashlib
import shutil
from dataclasses import replace

import cv2
import numpy as np
import pytest

from roto.errors import Cancelled
from roto.matte.stack import Entry
from roto.package import make, manifest, proof
from roto.package.compose import Sources
from roto.package.recipe import Recipe

from .packing import KITE, made, plate, recipe_of

LONG = replace(KITE, last=40)
TAKEN = {1, 2, 4}


@pytest.fixture(scope="module")
def packages(tmp_path_factory):
    """A package of 40 frames with the plate beside, once made."""
    folder = tmp_path_factory.mktemp("package")
    it, measured = made(folder, recipe_of("png16", plate=True), (LONG,))
    return folder, it, measured


@pytest.fixture
def package(packages, tmp_path):
    folder, it, measured = packages
    shutil.copytree(folder, tmp_path / "package")
    return tmp_path / "package", it, measured


def test_whatever_file_is_touched_is_the_one_that_is_named(package):
    """One byte of one file at a time, through pictures, plates and documents alike."""
    folder, it, measured = package
    names = [row["name"] for row in manifest.load(folder)["files"]]
    assert len(names) == 81 and proof.prove(folder, it, measured).proved
    for name in [*names[::9], names[-1]]:
        path = folder / name
        whole = path.read_bytes()
        path.write_bytes(whole[:-1] + bytes([whole[-1] ^ 1]))
        wrong = proof.prove(folder, it, measured).wrong
        assert [w.split(" is ")[0] for w in wrong] == [name] and "size or hash differs" in wrong[0]
        path.write_bytes(whole)


def test_what_lies_deeper_in_the_folder_is_seen_too(package):
    folder, it, measured = package
    (folder / "plate" / "old").mkdir()
    (folder / "plate" / "old" / "a.png").write_bytes(b"left over")
    (folder / ".hidden").write_bytes(b"of the system")
    (folder / "plate" / it.plate_names[3]).unlink()
    wrong = proof.prove(folder, it, measured).wrong
    assert sorted(wrong) == sorted(
        [f"plate/{it.plate_names[3]} is missing.", "plate/old/a.png is in the package, but not in the manifest."]
    )


def test_progress_counts_frames_up_to_all_of_them(package):
    folder, it, measured = package
    told: list[tuple[int, int]] = []
    proof.prove(folder, it, measured, lambda done, of: told.append((done, of)), taken={0, 1, 2})
    assert (
        told[0][0] >= 3 and told[-1] == (40, 40) and [d for d, _ in told] == sorted(d for d, _ in told) and all(of == 40 for _, of in told)
    )


def test_a_proof_that_is_stopped_reads_no_further(package, monkeypatch):
    folder, it, measured = package
    read: list[int] = []
    whole = proof.checks.still
    monkeypatch.setattr(proof.checks, "still", lambda *given: (read.append(given[3]), whole(*given))[1])

    def stop(done: int, of: int) -> None:
        raise Cancelled()

    with pytest.raises(Cancelled):
        proof.prove(folder, it, measured, stop)
    assert 0 < len(read) < 30  # of 80 pictures


def taken_over(folder, tmp_path):
    """A second package of which three frames come from the first one, and what it lists."""
    first, measured = made(tmp_path / "first", Recipe(plate=True))
    folder.mkdir()
    second = make.plan(first.sources, Recipe(plate=True), version=2, named=str)
    taken = make.take_over_all(second, folder, {at: first.stills(tmp_path / "first", at) for at in TAKEN})
    more = {m.at: m.measured for m in make.make_stills(second, [k for k in range(6) if k not in taken], folder, 2)}
    listed = manifest.listed(manifest.load(tmp_path / "first"))
    known = {new: listed[old] for at in taken for new, old in zip(second.still_names(at), first.still_names(at), strict=True)}
    manifest.write(folder, manifest.manifest(second, 1, manifest.entries(folder, second, known), {}))
    return second, {at: measured[at] for at in taken} | more, taken


def test_frames_are_taken_over_as_they_are_and_proved_by_their_hash_alone(tmp_path, monkeypatch):
    folder = tmp_path / "second"
    it, measured, taken = taken_over(folder, tmp_path)
    assert taken == TAKEN
    for at in taken:
        for name in it.still_names(at):
            assert (folder / name).read_bytes() == (tmp_path / "first" / name).read_bytes()
    read: list[int] = []
    whole = proof.checks.still
    monkeypatch.setattr(proof.checks, "still", lambda *given: (read.append(given[3]), whole(*given))[1])
    receipt = proof.prove(folder, it, measured, taken=taken)
    assert receipt.proved and receipt.harmed == () and sorted(set(read)) == [0, 3, 5] and receipt.by_hash == 3
    assert receipt.says[0].startswith("6 of 12 files were read back") and "6 were taken over" in receipt.says[0]
    assert set(receipt.measured) == set(range(6))  # what is odd is looked for over all frames


@pytest.mark.parametrize("part", [0, 1])
@pytest.mark.parametrize("harm", ["changed", "gone", "shorter"])
def test_what_was_harmed_before_it_was_taken_over_is_told_by_its_piece(tmp_path, harm, part):
    folder = tmp_path / "second"
    it, measured, taken = taken_over(folder, tmp_path)
    path = folder / it.still_names(2)[part]
    data = path.read_bytes()
    path.unlink()
    if harm != "gone":
        path.write_bytes(data[:-1] + b"?" if harm == "changed" else data[:-9])
    receipt = proof.prove(folder, it, measured, taken=taken)
    assert receipt.harmed == (2,) and not receipt.proved and path.name in receipt.wrong[0]
    list(make.make_stills(it, [2], folder, 1))
    assert path.read_bytes() == data  # the same shapes make the same bytes
    assert proof.prove(folder, it, measured, taken=taken).proved


def test_a_piece_is_not_taken_over_where_a_part_of_it_is_gone(tmp_path):
    first, _ = made(tmp_path / "first", Recipe(plate=True))
    (tmp_path / "first" / "plate" / first.plate_names[4]).unlink()
    wanted = {at: first.stills(tmp_path / "first", at) for at in (3, 4)} | {5: [tmp_path / "elsewhere.png"]}
    assert make.take_over_all(first, tmp_path / "second", wanted) == {3}
    assert not (tmp_path / "second" / first.names[4]).exists()


def test_taking_over_never_writes_into_the_earlier_package(tmp_path):
    """The files are one on the disk until one is made anew; then each package has its own."""
    folder = tmp_path / "second"
    it, _, _ = taken_over(folder, tmp_path)
    old = tmp_path / "first" / it.names[2]
    before = hashlib.sha256(old.read_bytes()).hexdigest()
    assert old.stat().st_nlink == 2 and (folder / it.names[2]).stat().st_ino == old.stat().st_ino
    other = make.plan(Sources(mattes=(replace(KITE, inverted=True),), plate=plate), Recipe(plate=True), named=str)
    list(make.make_stills(other, [2], folder, 1))
    assert hashlib.sha256(old.read_bytes()).hexdigest() == before != hashlib.sha256((folder / it.names[2]).read_bytes()).hexdigest()


@pytest.mark.parametrize("mode", ["cut", "invert"])
def test_black_is_asked_for_only_where_the_shapes_say_so(tmp_path, mode):
    """A hole may stand anywhere, and what is inverted is white out there: neither is taken for dirt."""
    hole = Entry(shape=replace(KITE.entries[0].shape, id="hole", name="hole"), mode="cut")
    it = replace(KITE, entries=(*KITE.entries, hole)) if mode == "cut" else replace(KITE, inverted=True)
    plan, measured = made(tmp_path, Recipe(), (it,))
    assert proof.prove(tmp_path, plan, measured).proved


def test_dirt_beside_the_shapes_is_found_even_if_it_was_there_before_writing(tmp_path):
    """A speck that the render itself had made: measured before and after alike, so only the outlines can tell."""
    plan, measured = made(tmp_path, Recipe())
    path = tmp_path / plan.names[0]
    pixels = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    pixels[1, 1] = 900
    cv2.imwrite(str(path), pixels)
    data = manifest.load(tmp_path)
    row = next(r for r in data["files"] if r["name"] == plan.names[0])
    row["bytes"], row["sha256"] = path.stat().st_size, manifest.digest(path)
    manifest.write(tmp_path, data)
    measured[0] = make.measure(pixels)
    wrong = proof.prove(tmp_path, plan, measured).wrong
    assert len(wrong) == 1 and "is not black where no shape is on frame 1" in wrong[0]


def test_a_fresh_render_tells_a_shifted_matte_that_measures_the_same(tmp_path):
    """Two pixels change places within the matte: area, centre and box stay nearly the same, the values do not."""
    plan, measured = made(tmp_path, Recipe())
    at = proof.sampled(6)[1]
    path = tmp_path / plan.names[at]
    pixels = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    soft = np.argwhere((pixels > 20000) & (pixels < 40000))[:2]
    (a, b), (c, d) = soft
    pixels[a, b], pixels[c, d] = pixels[c, d], pixels[a, b]
    cv2.imwrite(str(path), pixels)
    data = manifest.load(tmp_path)
    row = next(r for r in data["files"] if r["name"] == plan.names[at])
    row["bytes"], row["sha256"] = path.stat().st_size, manifest.digest(path)
    manifest.write(tmp_path, data)
    wrong = proof.prove(tmp_path, plan, measured).wrong
    assert len(wrong) == 1 and f"differs from a fresh render of frame {plan.pieces[at].frame}" in wrong[0]
