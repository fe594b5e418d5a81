"""Reading a package back: with Pillow, which shares no code with the writer (OpenImageIO)."""

import struct
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from roto.matte.render import Solver, render
from roto.matte.stack import Matte
from roto.package.manifest import digest, file_name, load

SAMPLED = 5
"""frames rendered afresh and compared by value: the ends and some between"""
WORST_STEP = 1
"""units of 1/65535: how far a value may be from a fresh render, for a machine that rounds otherwise"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Receipt:
    """proved: nothing is wrong. wrong: sentences that name the file. checked: files read; compared: frames rendered afresh."""

    wrong: tuple[str, ...]
    checked: int
    compared: tuple[int, ...]

    @property
    def proved(self) -> bool:
        return not self.wrong


def header(path: Path) -> tuple[int, int, int, int]:
    """Width, height, bit depth and colour type of a PNG, from its IHDR chunk (ISO/IEC 15948)."""
    with path.open("rb") as file:
        head = file.read(26)
    if len(head) < 26 or head[:8] != b"\x89PNG\r\n\x1a\n" or head[12:16] != b"IHDR":
        raise ValueError("it is not a PNG")
    width, height, depth, colour = struct.unpack(">IIBB", head[16:26])
    return width, height, depth, colour


def read_back(path: Path) -> NDArray[np.uint16]:
    """Values (h, w) of a 16-bit grey PNG."""
    with Image.open(path) as picture:
        return np.asarray(picture, dtype=np.uint16)


def sampled(first: int, last: int) -> tuple[int, ...]:
    """The frames to compare by value.

    >>> sampled(1001, 1072)
    (1001, 1019, 1036, 1054, 1072)
    """
    return tuple(sorted({round(float(f)) for f in np.linspace(first, last, SAMPLED)}))


def _check(path: Path, row: dict, matte: Matte, compare: bool, fringes: Solver | None) -> str:
    """What is wrong with one file, or nothing."""
    name = path.name
    if not path.exists():
        return f"{name} is missing."
    if path.stat().st_size != row["bytes"] or digest(path) != row["sha256"]:
        return f"{name} is not the file that was written: its size or hash differs from the manifest."
    try:
        width, height, depth, colour = header(path)
        pixels = read_back(path)
    except (OSError, ValueError, SyntaxError) as error:
        return f"{name} cannot be read back: {error}"
    if (width, height) != matte.size or pixels.shape != (matte.size[1], matte.size[0]):
        return f"{name} is {width} x {height} pixels instead of {matte.size[0]} x {matte.size[1]}."
    if (depth, colour) != (16, 0):
        return f"{name} is not a 16-bit grey picture."
    if compare:
        want = np.rint(render(matte, row["frame"], fringes=fringes).alpha.astype(np.float64) * 65535)
        off = np.abs(pixels.astype(np.float64) - want).max()
        if off > WORST_STEP:
            return f"{name} differs from a fresh render of frame {row['frame']} by up to {off:.0f} of 65535."
    return ""


def prove(
    folder: Path, matte: Matte, progress: Callable[[int, int], None] = lambda done, of: None, fringes: Solver | None = None
) -> Receipt:
    """Read every file of a package of 16-bit mattes back and compare it with its manifest and with fresh renders."""
    data = load(folder)
    wrong: list[str] = []
    wanted = {file_name(matte, f): f for f in range(matte.first, matte.last + 1)}
    listed = {row["name"]: row for row in data["files"]}
    wrong += [f"{name} is not in the manifest." for name in wanted if name not in listed]
    wrong += [f"{name} is in the manifest, but the delivery does not ask for it." for name in listed if name not in wanted]
    wrong += [
        f"{name} says it is frame {listed[name]['frame']}." for name in wanted if name in listed and listed[name]["frame"] != wanted[name]
    ]
    if [row["frame"] for row in data["files"]] != sorted(row["frame"] for row in data["files"]):
        wrong.append("The manifest's files are not in order.")
    here = {p.name for p in folder.glob("*.png")}
    wrong += [f"{name} is in the package, but not in the manifest." for name in sorted(here - set(listed))]
    compared = sampled(matte.first, matte.last)
    for k, (name, frame) in enumerate(wanted.items()):
        if name in listed:
            problem = _check(folder / name, listed[name], matte, frame in compared, fringes)
            if problem:
                wrong.append(problem)
        progress(k + 1, len(wanted))
    return Receipt(wrong=tuple(wrong), checked=len(wanted), compared=compared)
