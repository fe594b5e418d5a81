"""Numbered stills: which files belong together, which frames they are, what is missing."""

import re
import stat
import zipfile
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path, PurePosixPath

from roto.errors import BadUpload
from roto.picture import stills

NUMBER = re.compile(r"^(.*?)(-?\d+)$")
MOST_UNPACKED = 64 << 30
"""bytes: what a zip may unpack to; ten thousand frames of 2K float."""
MOST_RATIO = 200
"""times: how far a zip may expand; real plates are far below, only made-up bombs above."""
LAST_NUMBER = 10_000_000
"""frames: the largest number that a still may bear; beyond it stand dates and times"""
LONGEST = 100_000
"""frames from the first still to the last, more than an hour"""
FREE_EXPANSION = 64 << 20
"""bytes: below this, expansion is not looked at (a flat test picture packs well)."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Sequence:
    """files: name by frame number, in order. gaps: missing frames as (first, last)."""

    files: dict[int, str]
    gaps: tuple[tuple[int, int], ...]

    @property
    def first(self) -> int:
        """The lowest number."""
        return min(self.files)

    @property
    def last(self) -> int:
        """The highest number."""
        return max(self.files)


def number_of(name: str) -> int | None:
    """The frame number in a file's name: the last run of digits before the ending.

    >>> number_of("KITE_010.1001.png"), number_of("plate0042.exr"), number_of("still.png")
    (1001, 42, None)
    """
    found = NUMBER.match(PurePosixPath(name).stem)
    return int(found.group(2).lstrip("-")) if found else None


def pictures_of(names: list[str]) -> tuple[list[str], list[str]]:
    """Which of some files are stills that can be taken, and which are not."""
    pictures = [n for n in names if PurePosixPath(n).suffix.lower() in stills.EXTENSIONS]
    return pictures, [n for n in names if n not in set(pictures)]


def left_out(names: list[str]) -> str:
    """The remark on files that are no stills.

    >>> left_out(["readme.txt"]), left_out(["a.txt", "b.txt", "c.pdf", "d.md"])
    ('Left out, since it is no still: readme.txt.', 'Left out, since they are no stills: a.txt, b.txt, c.pdf and 1 more.')
    """
    some = ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")
    return f"Left out, since {'it is no still' if len(names) == 1 else 'they are no stills'}: {some}."


def arrange(names: list[str]) -> Sequence:
    """Sort stills by the numbers in their names. One still without a number becomes frame 1; names without numbers among many,
    two files for one frame, or files of two different sequences are refused."""
    pictures = sorted(n for n in names if PurePosixPath(n).suffix.lower() in stills.EXTENSIONS)
    other = sorted(set(names) - set(pictures))
    if other:
        raise BadUpload(f"'{other[0]}' is not a still that can be taken (PNG, JPEG, TIFF, EXR, DPX). Leave it out and try again.")
    if not pictures:
        raise BadUpload("There is no picture in what was given.")
    if len(pictures) == 1 and number_of(pictures[0]) is None:
        return Sequence(files={1: pictures[0]}, gaps=())
    files: dict[int, str] = {}
    stems = set()
    for name in pictures:
        number = number_of(name)
        if number is None:
            raise BadUpload(f"'{name}' has no frame number in its name. Number the stills, for example KITE_010.1001.png.")
        if number in files:
            raise BadUpload(f"'{files[number]}' and '{name}' are both frame {number}. Give one sequence at a time.")
        stems.add(NUMBER.match(PurePosixPath(name).stem).group(1).lower())  # type: ignore[union-attr]
        files[number] = name
    if len(stems) > 1:
        a, b = sorted(stems)[:2]
        raise BadUpload(f"Two sequences are mixed here ('{a}...' and '{b}...'). Give one sequence at a time.")
    numbers = sorted(files)
    if numbers[-1] > LAST_NUMBER:
        raise BadUpload(
            f"'{files[numbers[-1]]}' bears the number {str(numbers[-1])[:30]}, which is no frame's. Number the stills otherwise."
        )
    if numbers[-1] - numbers[0] >= LONGEST:
        raise BadUpload(
            f"The stills run from {numbers[0]} to {numbers[-1]}, but only {len(numbers)} of these frames are there. Number them without"
            f" such a gap; a shot has {LONGEST} frames at the most."
        )
    gaps = tuple((a + 1, b - 1) for a, b in pairwise(numbers) if b > a + 1)
    return Sequence(files={n: files[n] for n in numbers}, gaps=gaps)


def unpack(archive: Path, folder: Path) -> list[str]:
    """Unpack a zip of stills, flat, into a folder; refuses names that lead outside, links, and absurd expansion. Returns the names."""
    try:
        with zipfile.ZipFile(archive) as bag:
            members = [m for m in bag.infolist() if not m.is_dir() and not _beside_the_point(m.filename)]
            for member in members:
                parts = PurePosixPath(member.filename.replace("\\", "/"))
                if parts.is_absolute() or ".." in parts.parts or ":" in parts.parts[0]:
                    raise BadUpload(f"The zip holds the name '{member.filename}', which leads outside of it. Pack the stills again.")
                if stat.S_ISLNK(member.external_attr >> 16):
                    raise BadUpload(f"The zip holds a link ('{member.filename}'). Pack the stills themselves.")
            whole = sum(m.file_size for m in members)
            packed = max(1, sum(m.compress_size for m in members))
            if whole > MOST_UNPACKED or (whole > FREE_EXPANSION and whole / packed > MOST_RATIO):
                raise BadUpload(
                    f"The zip would unpack to {whole >> 20} MB from {packed >> 20} MB; that cannot be right. It was not opened."
                )
            names = [PurePosixPath(m.filename.replace("\\", "/")).name for m in members]
            if len(set(names)) != len(names):
                raise BadUpload("Two files in the zip have the same name in different folders. Give one sequence at a time.")
            arrange(pictures_of(names)[0] or names)
            for member, name in zip(members, names, strict=True):
                with bag.open(member) as source, (folder / name).open("wb") as target:
                    left = member.file_size
                    while chunk := source.read(min(1 << 20, left + 1)):
                        left -= len(chunk)
                        if left < 0:
                            raise BadUpload(f"'{name}' in the zip is larger than the zip says. It was not taken.")
                        target.write(chunk)
            return names
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError, OSError) as error:
        raise BadUpload(f"'{archive.name}' is not a zip that can be opened ({error}). Pack the stills again.") from error


def _beside_the_point(name: str) -> bool:
    """Files that packing programs leave behind and nobody means."""
    parts = PurePosixPath(name).parts
    return any((p.startswith(".") and p != "..") or p in ("__MACOSX", "Thumbs.db") for p in parts)
