"""Names of files in a package: made from a pattern, fit for every file system that they may land on."""

import re
import unicodedata

from roto.errors import BadRecipe

FIELDS = ("shot", "matte", "version", "frame", "recipe")
LONGEST = 120
"""bytes of a file's name: every file system takes 255, but packages are put into deep folders"""
RESERVED = frozenset({"CON", "PRN", "AUX", "NUL", *(f"{port}{k}" for port in ("COM", "LPT") for k in range(1, 10))})
"""names that some systems keep for devices, whatever their ending"""
_PLAIN = re.compile(r"[^A-Za-z0-9_-]+")
_FIELD = re.compile(r"\{([^{}]*)\}")


def safe(text: str, instead: str = "matte") -> str:
    """A text as a part of a file's name: letters, digits, - and _; accents are taken off, all else becomes one '-'.

    >>> safe("straw hat (tufts)"), safe("../étai"), safe("§§")
    ('straw-hat-tufts', 'etai', 'matte')
    """
    plain = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode()
    return _PLAIN.sub("-", plain).strip("-")[:60] or instead


def check_pattern(pattern: str, movie: bool) -> str:
    """The pattern, when names can be made from it; BadRecipe with what is wrong and what to do."""
    if not pattern.strip():
        raise BadRecipe("pattern", "is empty; write for example {shot}_{matte}.{frame}.")
    for field in _FIELD.findall(pattern):
        if field not in FIELDS:
            raise BadRecipe("pattern", f"there is no {{{field}}}; use {', '.join(f'{{{f}}}' for f in FIELDS)}.")
    rest = _FIELD.sub("", pattern)
    wrong = next((c for c in rest if not (c.isascii() and (c.isalnum() or c in "._- "))), None)
    if wrong is not None:
        shown = wrong if wrong.isprintable() else f"the character number {ord(wrong)}"
        raise BadRecipe("pattern", f"may not hold {shown!s}; use letters, digits, '.', '_', '-', and the fields in braces.")
    if pattern[0] in ". " or ".." in pattern or (rest.endswith((" ", ".")) and not pattern.endswith("}")):
        raise BadRecipe("pattern", "may not begin with a dot, end with a dot or a space, or hold two dots in a row.")
    if movie and "{frame}" in pattern:
        raise BadRecipe("pattern", "a movie is one file: leave {frame} out.")
    if not movie and pattern.count("{frame}") != 1:
        raise BadRecipe("pattern", "must hold {frame} once, so that every still has a name of its own.")
    return pattern


def name_from(pattern: str, ending: str, *, shot: str, matte: str, version: int, recipe: str, number: int | None, padding: int) -> str:
    """A file's name. number: what is put for {frame}, padded with zeros to so many digits; None for a movie.

    >>> name_from("{shot}_{matte}.{frame}", ".png", shot="KITE_010", matte="kite", version=1, recipe="", number=7, padding=4)
    'KITE_010_kite.0007.png'
    """
    name = _filled(pattern, shot, matte, version, recipe, "" if number is None else f"{number:0{padding + (number < 0)}d}") + ending
    if name.split(".")[0].strip().upper() in RESERVED:
        raise BadRecipe("pattern", f"makes the name '{name}', which some systems keep for a device; put something before it.")
    if len(name) > LONGEST:
        raise BadRecipe("pattern", f"makes names of {len(name)} characters; {LONGEST} are the most.")
    return name


def around_number(pattern: str, ending: str, *, shot: str, matte: str, version: int, recipe: str) -> tuple[str, str]:
    """What stands before and after the number in the names of numbered stills.

    >>> around_number("{shot}.{frame}_{matte}", ".exr", shot="KITE_010", matte="kite", version=1, recipe="")
    ('KITE_010.', '_kite.exr')
    """
    before, _, after = pattern.partition("{frame}")
    return _filled(before, shot, matte, version, recipe, ""), _filled(after, shot, matte, version, recipe, "") + ending


def _filled(pattern: str, shot: str, matte: str, version: int, recipe: str, frame: str) -> str:
    said = {"shot": safe(shot, "shot"), "matte": safe(matte), "recipe": safe(recipe, "recipe"), "version": f"{version:03d}"}
    said["frame"] = frame
    return _FIELD.sub(lambda found: said[found.group(1)], pattern)
