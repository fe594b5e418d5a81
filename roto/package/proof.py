"""Reading a package back, with other libraries than wrote it, and comparing it with what was to be made.

Every file is there, in order, what its manifest says, readable to its end, of the right size, depth and channels, says the right rate and
timecode; its matte covers what it covered before it was written, is black where the shapes cannot be, and on some frames equals a fresh
render value by value. Frames taken over from a package that was proved are proved by their hash.
"""

import hashlib
from collections.abc import Callable, Collection, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from roto.errors import BadPackage
from roto.package import checks
from roto.package import odd as oddities
from roto.package.make import PLATE, Plan
from roto.package.manifest import MANIFEST, all_names, load
from roto.package.measured import Measure
from roto.picture import reading_back

SAMPLED = 5
"""frames rendered afresh and compared by value: the ends and some between"""
EACH = 4
"""one frame in so many is held against its outlines, too: black where none of them is. All are held against what was rendered."""
RECEIPT, SUMMARY, SHEET = "receipt.json", "summary.txt", "contact-sheet.png"
BESIDE = (MANIFEST, RECEIPT, SUMMARY)
"""files of a package that the manifest does not list: itself, and what is written after it"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Receipt:
    """wrong: sentences that name the file. odd: what an artist should look at. checked: files read; by_hash: how many of them by hash
    alone; compared: frames rendered afresh. measured: by piece. says: how it was proved, in sentences."""

    wrong: tuple[str, ...]
    odd: tuple[oddities.Odd, ...] = ()
    checked: int = 0
    by_hash: int = 0
    compared: tuple[int, ...] = ()
    measured: dict[int, Measure] = field(default_factory=dict)
    says: tuple[str, ...] = ()

    @property
    def proved(self) -> bool:
        return not self.wrong

    def to_json(self) -> dict[str, Any]:
        return {
            "proved": self.proved, "checked": self.checked, "by_hash": self.by_hash, "compared": list(self.compared),
            "says": list(self.says), "wrong": list(self.wrong), "odd": [o.to_json() for o in self.odd],
        }  # fmt: skip


def sampled(count: int) -> tuple[int, ...]:
    """Which of so many pieces to compare by value.

    >>> sampled(72)
    (0, 18, 36, 53, 71)
    """
    return tuple(sorted({round(float(k)) for k in np.linspace(0, count - 1, SAMPLED)}))


def prove(
    folder: Path,
    plan: Plan,
    made: dict[int, Measure],
    progress: Callable[[int, int], None] = lambda done, of: None,
    *,
    taken: Collection[int] = (),
    workers: int = 2,
) -> Receipt:
    """Read a package back. made: by piece, what was measured before it was written. taken: pieces that were taken over from a package that
    was proved; hashes prove them. BadPackage when there is no manifest to go by."""
    data = load(folder)
    wrong = [*_listing(folder, plan, data)]
    listed = {row["name"]: row for row in data["files"]}
    len(plan.pieces)
    over = set(taken)
    compared = tuple(k for k in sampled(len(plan.pieces)) if k not in over)
    names = all_names(plan)
    found: dict[int, Measure] = {k: made[k] for k in over if k in made}
    with ThreadPoolExecutor(max(1, workers)) as pool:
        outlined = [k for k in range(len(plan.pieces)) if k not in over][::EACH]
        boxes = pool.submit(checks.expected_boxes, plan, outlined)
        hashes = dict(zip(listed, pool.map(lambda row: _hash_differs(folder, row), listed.values()), strict=True))
        wrong += [
            f"{name} is not the file that was written: its size or hash differs from the manifest." for name, bad in hashes.items() if bad
        ]
        readable = [(name, kind) for name, kind in names if name in listed and not hashes[name] and (folder / name).exists()]
        wanted = checks.Wanted(plan=plan, made=made, compared=set(compared), boxes=boxes.result())
        if plan.recipe.kind.movie:
            for name, kind in readable:
                problems, measured = checks.movie(folder / name, wanted, kind, progress)
                wrong += problems
                found |= measured
        else:
            _stills(folder, wanted, readable, over, pool, progress, wrong, found)
    in_time = sorted(found, key=lambda k: plan.pieces[k].frame)
    odds = oddities.find([plan.pieces[k].frame for k in in_time], [found[k] for k in in_time], plan.size) if found and not wrong else []
    by_hash = len(set(taken)) if not plan.recipe.kind.movie else 0
    says = _says(plan, len(names), by_hash, [plan.pieces[k].frame for k in compared])
    return Receipt(
        wrong=tuple(wrong), odd=tuple(odds), checked=len(names), by_hash=by_hash, measured=found, says=says,
        compared=tuple(plan.pieces[k].frame for k in compared),
    )  # fmt: skip


def _stills(
    folder: Path,
    wanted: checks.Wanted,
    readable: list[tuple[str, str]],
    over: set[int],
    pool: ThreadPoolExecutor,
    progress: Callable[[int, int], None],
    wrong: list[str],
    found: dict[int, Measure],
) -> None:
    """Every still that was not taken over; what is wrong and what is measured is put into the last two."""
    plan, count = wanted.plan, len(wanted.plan.pieces)
    at_of = {name: k for k, name in enumerate(plan.names)} | {f"{PLATE}/{name}": k for k, name in enumerate(plan.plate_names)}
    todo = [(name, kind, at_of[name]) for name, kind in readable if at_of[name] not in over]
    results = pool.map(lambda one: checks.still(folder / one[0], wanted, one[1], one[2]), todo)
    for done, ((_, _, at), (problem, measured)) in enumerate(zip(todo, results, strict=True), 1):
        wrong += [problem] if problem else []
        if measured is not None:
            found[at] = measured
        progress(min(count, count - len(todo) + done), count)


def still_reader(plan: Plan) -> str:
    """Which library reads the stills of a package back."""
    if plan.recipe.kind.ending == ".png" and len(plan.channels) > 1:
        return "FFmpeg's own decoder" if plan.recipe.kind.depth == "16" else "Pillow"
    return {".png": "ISA-L, or Pillow", ".tif": "tifffile", ".exr": "FFmpeg's own decoder", ".jpg": "Pillow"}[plan.recipe.kind.ending]


def _says(plan: Plan, files: int, by_hash: int, compared: list[int]) -> tuple[str, ...]:
    kind = plan.recipe.kind
    reader = reading_back.program_version() if kind.movie else still_reader(plan)
    first = f"Every file ({files}) was read back by another library than wrote it ({reader})"
    out = [first + ": all there, in order, of the right size, depth and channels, unchanged since they were written."]
    if by_hash:
        over = by_hash * (2 if plan.plate_names else 1)
        out[0] = f"{files - over} of {files} files were read back by another library than wrote them ({reader}). "
        out[0] += f"{over} were taken over unchanged from packages that had been read back, and were proved by their hash."
    if compared:
        out.append(f"Frames rendered afresh and compared value by value: {', '.join(map(str, compared))}.")
    return tuple(out)


def _listing(folder: Path, plan: Plan, data: dict[str, Any]) -> Iterator[str]:
    """What is wrong with the list of files itself."""
    try:
        names = [row["name"] for row in data["files"]]
        rows = [(row["number"], row["frame"], row["file"]) for row in data["frames"]]
    except (KeyError, TypeError) as error:
        raise BadPackage(f"{MANIFEST} lacks something: {error}.") from error
    wanted = [name for name, _ in all_names(plan)]
    for name in wanted:
        if name not in names:
            yield f"{name} is not in the manifest."
        elif not (folder / name).exists():
            yield f"{name} is missing."
    for row in data["files"]:
        name = row["name"]
        if row.get("kind") != "document" and name not in wanted:
            yield f"{name} is in the manifest, but the delivery does not ask for it."
        elif row.get("kind") == "document" and not (folder / name).exists():
            yield f"{name} is missing."
    pictures = [n for n in names if n in set(wanted)]
    if pictures != [n for n in wanted if n in set(names)]:
        yield "The manifest's files are not in order."
    movie = plan.recipe.kind.movie
    meant = [(p.number, p.frame, plan.names[0 if movie else k]) for k, p in enumerate(plan.pieces)]
    for (number, frame, name), said in zip(meant, rows, strict=False):
        if said != (number, frame, name):
            yield f"{name} should be number {number}, frame {frame}; the manifest says {said[0]} and {said[1]}."
    if len(rows) != len(meant):
        yield f"The manifest lists {len(rows)} frames instead of {len(meant)}."
    here = {p.relative_to(folder).as_posix() for p in folder.rglob("*") if p.is_file() and not p.name.startswith(".")}
    for name in sorted(here - set(names) - set(BESIDE)):
        yield f"{name} is in the package, but not in the manifest."


def _hash_differs(folder: Path, row: dict[str, Any]) -> bool:
    path = folder / row["name"]
    if not path.exists():
        return False  # said already
    data = path.read_bytes() if path.stat().st_size < 1 << 24 else None
    if data is not None:
        return len(data) != row["bytes"] or hashlib.sha256(data).hexdigest() != row["sha256"]
    with path.open("rb") as file:
        return path.stat().st_size != row["bytes"] or hashlib.file_digest(file, "sha256").hexdigest() != row["sha256"]
