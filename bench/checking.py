"""Is a package what its manifest says? Written from the manifest's description alone, without any of the sender's code."""

import hashlib
import json
from pathlib import Path
from typing import Any

import av
from PIL import Image

BESIDE = {"manifest.json", "receipt.json", "summary.txt"}
STILLS, MOVIES = (".png", ".tif", ".jpg", ".exr"), (".mov", ".mkv", ".webm", ".mp4")


def manifest(folder: Path) -> dict[str, Any]:
    """The manifest's data; empty where there is none that can be read."""
    try:
        data = json.loads((folder / "manifest.json").read_text())
    except (OSError, ValueError, RecursionError):
        return {}
    return data if isinstance(data, dict) and data.get("format") == "matte package" else {}


def size_of(path: Path) -> tuple[int, int]:
    """Width and height of a still or a movie."""
    if path.suffix in (".exr", *MOVIES):
        with av.open(str(path), format="exr_pipe" if path.suffix == ".exr" else None) as file:
            frame = next(file.decode(video=0))
            return frame.width, frame.height
    with Image.open(path) as picture:
        return picture.size


def check(folder: Path, names: list[str]) -> tuple[list[str], list[str]]:
    """What is wrong, in sentences; and which files should be sent again."""
    data = manifest(folder)
    if not data:
        return ["There is no manifest that can be read."], ["manifest.json"]
    wrong, again = [], []
    listed = {row["name"]: row for row in data["files"]}
    for name, row in listed.items():
        path = folder / name
        if name not in names:
            wrong.append(f"{name} is missing.")
            again.append(name)
        elif path.stat().st_size != row["bytes"] or hashlib.sha256(path.read_bytes()).hexdigest() != row["sha256"]:
            wrong.append(f"{name} is not what the manifest says.")
            again.append(name)
    wrong += [f"{name} is not in the manifest." for name in names if name not in listed and name not in BESIDE]
    if not again:
        wrong += _frames(folder, data, listed)
    return wrong, again


def _frames(folder: Path, data: dict[str, Any], listed: dict[str, Any]) -> list[str]:
    """Numbers without a gap, in order, each with a picture of the right size."""
    wrong = []
    numbers = [row["number"] for row in data["frames"]]
    first, last = data["numbers"]
    if numbers != list(range(first, last + 1)):
        wrong.append(f"The frames are not numbered {first} to {last} without a gap.")
    wrong += [f"Frame {row['number']} has no file." for row in data["frames"] if row["file"] not in listed]
    width, height = data["size"]
    for name in dict.fromkeys(row["file"] for row in data["frames"]):
        try:
            found = size_of(folder / name)
        except (OSError, ValueError, StopIteration, av.error.FFmpegError) as error:
            wrong.append(f"{name} cannot be read: {error}.")
            continue
        if found not in ((width, height), (width + width % 2, height + height % 2)):
            wrong.append(f"{name} is {found[0]} x {found[1]}, not {width} x {height}.")
    return wrong
