"""How the core's inner loops are compiled.

`kernel` is numba's njit without the lock on Python, cached on disk, with C's rules for division. `leaf` also leaves out the counting
of references: for functions that neither make nor keep arrays it is a third of their time. They must not allocate. `inlined` is `leaf`
compiled into the place that calls it: for what is called for a row or a pixel with many arrays, each of which costs ten pushes.
"""

import hashlib
import re
import shutil
from collections.abc import Callable
from pathlib import Path
from typing import Any

from numba import config, njit

HERE = Path(__file__).parent
IMPORT = re.compile(r"^\s*from (roto[\w.]*) import (\([^)]*\)|.*)$", re.MULTILINE)


def _sources() -> list[Path]:
    """The files with compiled functions, and all those of the core that they take something from."""
    texts = {path: path.read_text() for path in HERE.rglob("*.py")}
    found = [path for path, text in texts.items() if "from roto.jit import" in text]
    for path in found:
        for module, names in IMPORT.findall(texts[path]):
            base = HERE.joinpath(*module.split(".")[1:])
            near = [
                base.with_suffix(".py"),
                *(base / f"{name.split()[0]}.py" for name in names.replace("(", "").split(",") if name.strip()),
            ]
            found += [p for p in near if p in texts and p not in found]
    return sorted(found)


def _kept_in() -> Path | None:
    """Where compiled code is kept: a folder for exactly these sources, since a function's own file does not tell what it calls."""
    mark = hashlib.sha256()
    for path in _sources():
        mark.update(path.read_bytes())
    folder = HERE / "__pycache__" / f"jit-{mark.hexdigest()[:16]}"
    try:
        if not folder.is_dir():
            for old in folder.parent.glob("jit-*"):
                shutil.rmtree(old, ignore_errors=True)
            folder.mkdir(parents=True, exist_ok=True)
    except OSError:
        return None
    return folder


if (folder := _kept_in()) is not None:
    setattr(config, "CACHE_DIR", str(folder))  # noqa: B010 - numba makes its settings at run time

kernel: Callable[..., Any] = njit(nogil=True, cache=True, error_model="numpy", no_cfunc_wrapper=True)  # type: ignore[call-overload]
leaf: Callable[..., Any] = njit(nogil=True, cache=True, error_model="numpy", _nrt=False, no_cfunc_wrapper=True)  # type: ignore[call-overload]
inlined: Callable[..., Any] = njit(nogil=True, cache=True, error_model="numpy", _nrt=False, no_cfunc_wrapper=True, forceinline=True)  # type: ignore[call-overload]
