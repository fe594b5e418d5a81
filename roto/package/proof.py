"""Reading a package back, with other libraries than wrote it, and comparing it with what was to be made.

Of the package: every file that the manifest names is there, in order, and nothing else is.
Of a file: its hash is the manifest's. It reads to its end. Size, depth, channels, rate and timecode are right.
Of its matte: it covers what it covered before it was written. It is black where the shapes cannot be.
Of some frames: every value equals that of a fresh render.
Frames taken over from a package that was proved are proved by their hash alone.
"""

import hashlib
import os
from collections.abc import Callable, Collection, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from roto.errors import BadPackage
from roto.package import anomalies as oddities
from roto.package import checks
from roto.package.make import PLATE, Plan
from roto.package.manifest import AT_ONCE, MANIFEST, all_names, load
from roto.package.statistics import Measure
from roto.picture import reading_back

SAMPLED = 5
"""frames rendered afresh and compared by value: the ends and some between"""
EACH = 4
"""one frame in so many is held against its outlines, too: black where none of them is. All are held against what was rendered."""
SHARE = 16
"""files that a thread hashes in a row: less has threads wait for each other"""
RECEIPT, SUMMARY, SHEET = "receipt.json", "summary.txt", "contact-sheet.png"
BESIDE = (MANIFEST, RECEIPT, SUMMARY)
"""files of a package that the manifest does not list: itself, and what is written after it"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Receipt:
    """wrong: sentences that name the file. odd: what an artist should look at. checked: files read; by_hash: how many of them by hash
    alone; compared: frames rendered afresh. measured: by piece. says: how it was proved, in sentences. harmed: pieces that were taken over
    and are not what they were: to be made anew."""

    wrong: tuple[str, ...]
    odd: tuple[oddities.Odd, ...] = ()
    checked: int = 0
    by_hash: int = 0
    compared: tuple[int, ...] = ()
    measured: dict[int, Measure] = field(default_factory=dict)
    says: tuple[str, ...] = ()
    harmed: tuple[int, ...] = ()

    @property
    def proved(self) -> bool:
        """Whether nothing was wrong."""
        return not self.wrong

    def to_json(self) -> dict[str, Any]:
        """The receipt as JSON data."""
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
    over, workers = set(taken), max(1, workers)
    compared = tuple(k for k in sampled(len(plan.pieces)) if k not in over)
    names = all_names(plan)
    boxes = checks.expected_boxes(plan, [k for k in range(len(plan.pieces)) if k not in over][::EACH])
    wanted = checks.Wanted(plan=plan, made=made, compared=set(compared), boxes=boxes)
    hashes, problems, found = _read(folder, wanted, listed, over, workers, progress)
    if plan.recipe.kind.movie:
        for name, kind in names:
            if hashes.get(name) is False:
                more, measures = checks.movie(folder / name, wanted, kind, progress, workers)
                problems += more
                found |= measures
    other = "is not the file that was written: its size or hash differs from the manifest."
    wrong += [f"{name} {other}" for name in listed if hashes[name]] + problems
    found |= {k: made[k] for k in over if k in made and k not in found}
    in_time = sorted(found, key=lambda k: plan.pieces[k].frame)
    odds = oddities.find([plan.pieces[k].frame for k in in_time], [found[k] for k in in_time], plan.size) if found and not wrong else []
    by_hash = len(set(taken)) if not plan.recipe.kind.movie else 0
    says = _says(plan, len(names), by_hash, [plan.pieces[k].frame for k in compared])
    return Receipt(
        wrong=tuple(wrong), odd=tuple(odds), checked=len(names), by_hash=by_hash, measured=found, says=says,
        compared=tuple(plan.pieces[k].frame for k in compared), harmed=tuple(sorted(k for k in over if _harmed(plan, k, hashes))),
    )  # fmt: skip


def _read(
    folder: Path,
    wanted: checks.Wanted,
    listed: dict[str, dict[str, Any]],
    over: set[int],
    workers: int,
    progress: Callable[[int, int], None],
) -> tuple[dict[str, bool | None], list[str], dict[int, Measure]]:
    """Read every still that was not taken over, and hash all else: by name whether the hash differs, what is wrong, what was measured."""
    plan, count = wanted.plan, len(wanted.plan.pieces)
    at_of = {name: k for k, name in enumerate(plan.names)} | {f"{PLATE}/{name}": k for k, name in enumerate(plan.plate_names)}
    read = [] if plan.recipe.kind.movie else [(n, kind) for n, kind in all_names(plan) if n in listed and at_of[n] not in over]
    by_name = {name for name, _ in read}
    rest = [row for name, row in listed.items() if name not in by_name]
    hashes: dict[str, bool | None] = {}
    problems: dict[str, str] = {}
    found: dict[int, Measure] = {}
    read.sort(key=lambda it: at_of[it[0]] not in wanted.compared)  # those that take longest begin
    pool = ThreadPoolExecutor(workers)
    try:
        stills = pool.map(lambda it: _still(folder, wanted, listed[it[0]], it[1], at_of[it[0]]), read)
        hashed = pool.map(lambda rows: _hashes_differ(folder, rows), [rest[k : k + SHARE] for k in range(0, len(rest), SHARE)])
        for done, ((name, _), (differs, problem, measured)) in enumerate(zip(read, stills, strict=True), 1):
            hashes[name] = differs
            if problem:
                problems[name] = problem
            if measured is not None:
                found[at_of[name]] = measured
            progress(len(over) + (count - len(over)) * done // len(read), count)
        for some in hashed:
            hashes |= some
    finally:
        pool.shutdown(cancel_futures=True)  # whoever stops it waits for what is in hand alone
    return hashes, [problems[name] for name, _ in all_names(plan) if name in problems], found


def _harmed(plan: Plan, at: int, differs: dict[str, bool | None]) -> bool:
    """Whether a still that was taken over is gone or another one; those of a movie are proved by the movie."""
    if plan.recipe.kind.movie:
        return False
    return any(differs.get(name) is not False for name in plan.still_names(at))


def _still(folder: Path, wanted: checks.Wanted, row: dict[str, Any], kind: str, at: int) -> tuple[bool | None, str, Measure | None]:
    """Of the still of a piece: whether its hash differs (None: it is missing), else what is wrong with it, and what it measures."""
    path, data = folder / row["name"], None
    if path.suffix == ".png" and row["bytes"] <= AT_ONCE:  # read once, for its hash and for its rows
        try:
            data = path.read_bytes()
        except FileNotFoundError:
            return None, "", None
        differs: bool | None = len(data) != row["bytes"] or hashlib.sha256(data).hexdigest() != row["sha256"]
    else:
        differs = _hashes_differ(folder, [row])[row["name"]]
    return (differs, *checks.still(path, wanted, kind, at, data)) if differs is False else (differs, "", None)


def still_reader(plan: Plan) -> str:
    """Which library reads the stills of a package back."""
    return plan.recipe.kind.read_by(len(plan.channels))


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
    asked, said, here = set(wanted), set(names), _files_in(folder)
    for name in wanted:
        if name not in said:
            yield f"{name} is not in the manifest."
        elif name not in here:
            yield f"{name} is missing."
    for row in data["files"]:
        name = row["name"]
        if row.get("kind") != "document" and name not in asked:
            yield f"{name} is in the manifest, but the delivery does not ask for it."
        elif row.get("kind") == "document" and name not in here:
            yield f"{name} is missing."
    if [n for n in names if n in asked] != [n for n in wanted if n in said]:
        yield "The manifest's files are not in order."
    movie = plan.recipe.kind.movie
    meant = [(p.number, p.frame, plan.names[0 if movie else k]) for k, p in enumerate(plan.pieces)]
    for (number, frame, name), row in zip(meant, rows, strict=False):
        if row != (number, frame, name):
            yield f"{name} should be number {number}, frame {frame}; the manifest says {row[0]} and {row[1]}."
    if len(rows) != len(meant):
        yield f"The manifest lists {len(rows)} frames instead of {len(meant)}."
    for name in sorted(here - said - set(BESIDE)):
        yield f"{name} is in the package, but not in the manifest."


def _files_in(folder: Path) -> set[str]:
    """Paths from a folder of all files in it, but for hidden ones."""
    out = set()
    for where, _, files in os.walk(folder):
        inside = Path(where).relative_to(folder).as_posix()
        out |= {name if inside == "." else f"{inside}/{name}" for name in files if not name.startswith(".")}
    return out


def _hashes_differ(folder: Path, rows: Collection[dict[str, Any]]) -> dict[str, bool | None]:
    """By name, whether a file is another one than the manifest says; None of one that is missing."""
    out: dict[str, bool | None] = {}
    for row in rows:
        try:
            with (folder / row["name"]).open("rb", buffering=0) as file:
                size = os.fstat(file.fileno()).st_size
                found = hashlib.sha256(file.read()) if size <= AT_ONCE else hashlib.file_digest(file, "sha256")
                out[row["name"]] = size != row["bytes"] or found.hexdigest() != row["sha256"]
        except FileNotFoundError:
            out[row["name"]] = None
    return out
