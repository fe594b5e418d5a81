"""How the core's inner loops are compiled.

`kernel` is numba's njit without the lock on Python, cached on disk, with C's rules for division. `leaf` also leaves out the counting
of references: for functions that neither make nor keep arrays it is a third of their time. They must not allocate. `inlined` is `leaf`
compiled into the place that calls it: for what is called for a row or a pixel with many arrays, each of which costs ten pushes.

The largest take minutes. Of several processes that need the same one, one compiles it, and the others wait for it and read what was kept.
"""

import fcntl
import hashlib
import os
import re
import shutil
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, TextIO

from numba import config, njit
from numba.core.compiler_lock import global_compiler_lock

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


folder = _kept_in()
_held: set[TextIO] = set()


@contextmanager
def _alone(name: str) -> Iterator[None]:
    """While no other process compiles the function of that name; at once where files cannot be locked."""
    if folder is None:
        yield
        return
    try:
        lock = (folder / f"{name}.lock").open("w")
        fcntl.flock(lock, fcntl.LOCK_EX)
    except OSError:
        yield
        return
    _held.add(lock)
    try:
        yield
    finally:
        _held.discard(lock)
        lock.close()


def _let_go() -> None:
    """A process that was forked meanwhile does not compile: it closes what would keep the locks held."""
    while _held:
        _held.pop().close()


os.register_at_fork(after_in_child=_let_go)


@contextmanager
def _kept_here() -> Iterator[None]:
    """While a function is made whose compiled code is kept in the folder: that of libraries stays with them, whatever becomes of ours."""
    before = getattr(config, "CACHE_DIR")  # noqa: B009
    try:
        if folder is not None:
            setattr(config, "CACHE_DIR", str(folder))  # noqa: B010 - numba makes its settings at run time
        yield
    finally:
        setattr(config, "CACHE_DIR", before)  # noqa: B010


def _compiled(**how: Any) -> Callable[..., Any]:
    make = njit(nogil=True, cache=True, error_model="numpy", no_cfunc_wrapper=True, **how)  # type: ignore[call-overload]

    def decorate(function: Callable[..., Any]) -> Any:
        with _kept_here():
            made = make(function)
        plain, name = made.compile, f"{function.__module__}.{function.__qualname__}"

        def once(signature: Any) -> Any:
            with global_compiler_lock, _alone(name):  # in this order: a thread that compiles may come to want what another one holds
                return plain(signature)

        made.compile = once
        return made

    return decorate


kernel: Callable[..., Any] = _compiled()
leaf: Callable[..., Any] = _compiled(_nrt=False)
inlined: Callable[..., Any] = _compiled(_nrt=False, forceinline=True)
