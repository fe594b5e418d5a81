"""The manifest: what a package holds, file by file and frame by frame."""

import hashlib
import json
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from roto.atomic_write import write_whole
from roto.errors import BadPackage
from roto.exchange.document import in_lines
from roto.matte.stack import sentence
from roto.package.make import PLATE, Plan
from roto.package.recipe import CONTENTS, timecode

MANIFEST = "manifest.json"
VERSION = 2
AT_ONCE = 16 << 20
"""bytes: of a file that is hashed in one piece"""


@dataclass(frozen=True, slots=True, kw_only=True)
class FileEntry:
    """One file of a package. name: its path from the package's folder. kind: matte, plate or document."""

    name: str
    kind: str
    bytes: int
    sha256: str


def digest(path: Path) -> str:
    """SHA-256 of a file as hexadecimal."""
    if path.stat().st_size <= AT_ONCE:
        return hashlib.sha256(path.read_bytes()).hexdigest()
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def entry(folder: Path, name: str, kind: str = "matte") -> FileEntry:
    """The manifest's row of a file that is there."""
    path = folder / name
    return FileEntry(name=name, kind=kind, bytes=path.stat().st_size, sha256=digest(path))


def entries(folder: Path, plan: Plan, known: dict[str, FileEntry] | None = None) -> list[FileEntry]:
    """The files with pictures. known: by name, files that were taken over from a package that was proved, as its manifest has them."""
    names = all_names(plan)
    there = {name: replace(it, name=name) for name, it in (known or {}).items()}
    with ThreadPoolExecutor(2) as pool:
        fresh = pool.map(lambda it: there.get(it[0]) or entry(folder, *it), names)
        return list(fresh)


def listed(data: dict[str, Any]) -> dict[str, FileEntry]:
    """By name, the files that a manifest lists."""
    fields = ("name", "kind", "bytes", "sha256")
    return {row["name"]: FileEntry(**{k: row[k] for k in fields}) for row in data["files"]}


def alpha_says(content: str) -> str:
    """What alpha is, if there is any."""
    return {"straight": "straight", "premultiplied": "premultiplied"}.get(content, "none")


def manifest(plan: Plan, revision: int, files: list[FileEntry], changes: dict[int, str]) -> dict[str, Any]:
    """The manifest as JSON data. changes: by piece, "new", "changed" or "same" against the package before this one."""
    recipe, matte = plan.recipe, plan.matte
    kind = recipe.kind
    movie = kind.movie
    rows = [
        {
            "number": p.number,
            "frame": p.frame,
            "timecode": timecode(p.number, matte.rate),
            "file": plan.names[0 if movie else k],
            "change": changes.get(k, "new"),
        }
        for k, p in enumerate(plan.pieces)
    ]
    shown = [p.frame for p in plan.pieces]
    return {
        "format": "matte package",
        "version": VERSION,
        "shot": matte.shot,
        "matte": plan.matte_name,
        "mattes": [{"name": m.name, "stack": sentence(m)} for m in plan.sources.mattes],
        "stack": sentence(matte),
        "revision": revision,
        "package": plan.version,
        "recipe": {"name": plan.recipe_name, "settings": recipe.to_json()},
        "range": [plan.first, plan.last],
        "spare": [plan.first - min(shown), max(shown) - plan.last],
        "numbers": [plan.pieces[0].number, plan.pieces[-1].number],
        "reversed": recipe.reverse,
        "size": list(plan.size),
        "padded": dict(zip(("right", "bottom"), (b - a for a, b in zip(plan.size, kind.padded(plan.size), strict=True)), strict=True)),
        "pixel_aspect": recipe.pixel_aspect,
        "rate": str(matte.rate),
        "shutter": {"angle": matte.shutter.angle, "phase": matte.shutter.phase},
        "kind": kind.says,
        "depth": kind.depth,
        "channels": list(plan.channels),
        "content": CONTENTS[recipe.content],
        "alpha": alpha_says(recipe.content),
        "colour": "linear light, sRGB primaries" if kind.linear else "sRGB as displayed",
        "values": "mattes and alpha are coverage: 0 outside, full scale (1 in float) inside, without any curve",
        "files": [{"name": f.name, "kind": f.kind, "bytes": f.bytes, "sha256": f.sha256} for f in files],
        "frames": rows,
    }


def all_names(plan: Plan) -> list[tuple[str, str]]:
    """Paths and kinds of the files with pictures, in order."""
    return [(name, "matte") for name in plan.names] + [(f"{PLATE}/{name}", "plate") for name in plan.plate_names]


def write(folder: Path, data: dict[str, Any], name: str = MANIFEST) -> Path:
    """Write JSON aside, then put it in place."""
    return write_text(folder / name, in_lines(data))


def write_text(path: Path, text: str) -> Path:
    """Write a text file, whole or not at all; returns its path."""
    path.parent.mkdir(parents=True, exist_ok=True)
    return write_whole(path, text.encode())


def load(folder: Path) -> dict[str, Any]:
    """The manifest of a package; BadPackage where there is none that can be read."""
    try:
        data = json.loads((folder / MANIFEST).read_text())
    except (OSError, ValueError, RecursionError) as error:
        raise BadPackage(f"The package has no readable {MANIFEST}: {error}") from error
    if not isinstance(data, dict) or data.get("format") != "matte package" or not isinstance(data.get("files"), list):
        raise BadPackage(f"{MANIFEST} is not the manifest of a matte package.")
    return data
