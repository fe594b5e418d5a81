"""For people: a sheet of small pictures of a package's frames, and a page of plain words."""

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from roto.package.make import Plan
from roto.package.recipe import CONTENTS
from roto.picture import stills
from roto.picture.reading_back import as_unit

MOST, COLUMNS, WIDTH, GAP = 48, 6, 256, 12
"""small pictures on a sheet, how many in a row, how wide (px), and what is between them (px)"""
PAPER, INK, OCHRE = (0xF2, 0xEF, 0xE9), (0x2A, 0x33, 0x3C), (0xB0, 0x6A, 0x12)


def chosen(count: int, odd: Sequence[int], most: int = MOST) -> list[int]:
    """Which of so many frames stand on the sheet: the odd ones, the ends, and as many between as fit, evenly.

    >>> chosen(100, [41], 5)
    [0, 33, 41, 66, 99]
    """
    must = sorted({0, count - 1, *odd})[:most]
    if count <= most:
        return list(range(count))
    rest = np.linspace(0, count - 1, max(2, most - len(set(odd)))).astype(int)
    return sorted({*must, *rest.tolist()})[:most] if len({*must, *rest.tolist()}) <= most else must


def small(pixels: NDArray[Any], width: int = WIDTH) -> NDArray[np.uint8]:
    """A picture (h, w) or (h, w, c) of any numbers as a small one (h, w, 3) of bytes; what has alpha lies on grey, straight."""
    unit: NDArray[Any] = as_unit(pixels)
    height = max(1, round(unit.shape[0] * width / unit.shape[1]))
    if unit.shape[1] > width:
        unit = cv2.resize(unit, (width, height), interpolation=cv2.INTER_AREA)
    unit = np.clip(unit, 0, 1)
    if unit.ndim == 2:
        unit = np.repeat(unit[:, :, None], 3, axis=2)
    elif unit.shape[2] == 4:
        unit = unit[:, :, :3] * unit[:, :, 3:] + 0.35 * (1 - unit[:, :, 3:])
    elif unit.shape[2] == 2:
        unit = np.dstack([unit, unit[:, :, :1] * 0])
    return np.rint(unit[:, :, :3] * 255).astype(np.uint8)


def write_sheet(path: Path, pictures: Sequence[tuple[str, NDArray[np.uint8], bool]]) -> None:
    """Write a sheet: (label, picture (h, w, 3), whether something is odd about it) each."""
    tall = max(p.shape[0] for _, p, _ in pictures)
    columns = min(COLUMNS, len(pictures))
    rows = -(-len(pictures) // columns)
    cell = tall + 26
    sheet = np.empty((rows * (cell + GAP) + GAP, columns * (WIDTH + GAP) + GAP, 3), np.uint8)
    sheet[:] = PAPER
    for k, (label, picture, odd) in enumerate(pictures):
        y, x = GAP + (k // columns) * (cell + GAP), GAP + (k % columns) * (WIDTH + GAP)
        if odd:
            sheet[y - 4 : y + picture.shape[0] + 4, x - 4 : x + picture.shape[1] + 4] = OCHRE
        sheet[y : y + picture.shape[0], x : x + picture.shape[1]] = picture
        cv2.putText(sheet, label, (x, y + tall + 20), cv2.FONT_HERSHEY_SIMPLEX, 0.5, OCHRE if odd else INK, 1, cv2.LINE_AA)
    stills.write_picture(path, sheet)


def summary(plan: Plan, data: dict[str, Any], receipt: dict[str, Any]) -> str:
    """What a package holds and how it was proved, in words; data: the manifest."""
    recipe, kind = plan.recipe, plan.recipe.kind
    numbers = data["numbers"]
    lines = [
        f"{plan.matte.shot}, matte {data['matte']}, package {plan.version}",
        "",
        f"What it is:    {CONTENTS[recipe.content]}, {kind.says}, {plan.size[0]} x {plan.size[1]} pixels,"
        f" {plan.matte.rate} frames a second.",
        f"Frames:        {len(plan.pieces)}, numbered {numbers[0]} to {numbers[1]}"
        + (", running backwards" if recipe.reverse else "")
        + f"; the piece that matters is {plan.first}-{plan.last} of the shot, with {data['spare'][0]} and {data['spare'][1]} spare frames.",
        f"Channels:      {', '.join(plan.channels)}. {data['values'].capitalize()}.",
    ]
    if data["alpha"] != "none":
        lines.append(f"Alpha:         {data['alpha']}. Colours are {data['colour']}, freed from the old ground at the edge.")
    lines += [f"Made of:       {m['name']}: {m['stack']}." for m in data["mattes"]]
    counts = {c: sum(row["change"] == c for row in data["frames"]) for c in ("new", "changed", "same")}
    lines.append("Since the last package: " + ", ".join(f"{n} {c}" for c, n in counts.items() if n) + ".")
    if counts["changed"] and counts["same"]:
        lines.append("Changed:       " + spans([row["number"] for row in data["frames"] if row["change"] == "changed"]) + ".")
    lines += ["", *[f"Proof:         {line}" for line in receipt["says"]]]
    lines += [f"To look at:    {row['says']}" + (" Looked at and meant so." if row.get("accepted") else "") for row in receipt["odd"]]
    return "\n".join(lines) + "\n"


def spans(numbers: Sequence[int]) -> str:
    """Numbers as spans.

    >>> spans([1, 2, 3, 7, 9, 10])
    '1-3, 7, 9-10'
    """
    out: list[list[int]] = []
    for n in sorted(numbers):
        if out and n == out[-1][1] + 1:
            out[-1][1] = n
        else:
            out.append([n, n])
    return ", ".join(str(a) if a == b else f"{a}-{b}" for a, b in out)
