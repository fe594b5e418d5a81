"""What a package holds: file names and the manifest."""

import hashlib
import json
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from roto.errors import BadPackage
from roto.matte.stack import Matte, sentence

MANIFEST = "manifest.json"


@dataclass(frozen=True, slots=True, kw_only=True)
class FileEntry:
    """One file of a package."""

    name: str
    frame: int
    bytes: int
    sha256: str


def padding(first: int, last: int) -> int:
    """Digits of a frame number: at least four, as many as the longest needs.

    >>> padding(1001, 1072), padding(1, 20), padding(99990, 100010)
    (4, 4, 6)
    """
    return max(4, len(str(abs(first))), len(str(abs(last))))


def file_name(matte: Matte, frame: int, ending: str = ".png") -> str:
    """<shot>_<matte>.<padded frame>.png"""
    return f"{matte.shot}_{matte.name}.{frame:0{padding(matte.first, matte.last)}d}{ending}"


def digest(path: Path) -> str:
    """SHA-256 of a file as hexadecimal."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def entry(folder: Path, name: str, frame: int) -> FileEntry:
    path = folder / name
    return FileEntry(name=name, frame=frame, bytes=path.stat().st_size, sha256=digest(path))


def manifest(matte: Matte, revision: int, files: list[FileEntry], depth: str = "16") -> dict[str, Any]:
    """The manifest as JSON data."""
    return {
        "format": "matte package",
        "version": 1,
        "shot": matte.shot,
        "matte": matte.name,
        "stack": sentence(matte),
        "revision": revision,
        "range": [matte.first, matte.last],
        "size": list(matte.size),
        "rate": str(matte.rate),
        "shutter": {"angle": matte.shutter.angle, "phase": matte.shutter.phase},
        "depth": depth,
        "content": "alpha, linear, 0 outside and full scale inside",
        "files": [asdict(f) for f in sorted(files, key=lambda f: f.frame)],
    }


def write(folder: Path, data: dict[str, Any]) -> Path:
    """Write the manifest aside, then put it in place."""
    aside = folder / f".{MANIFEST}.part"
    aside.write_text(json.dumps(data, indent=1) + "\n")
    return aside.replace(folder / MANIFEST)


def load(folder: Path) -> dict[str, Any]:
    try:
        return json.loads((folder / MANIFEST).read_text())
    except (OSError, ValueError) as error:
        raise BadPackage(f"The package has no readable {MANIFEST}: {error}") from error
