"""Files are written under a temporary name and then renamed, so that a file that has its name is whole.

Each writer has a temporary name of its own. Two workers may write the same file: one that was silent for long was taken for dead.
"""

import errno
import os
import secrets
from pathlib import Path

LEFTOVERS = ".*.part*"
"""what matches the temporary files that killed writers leave behind"""


def temporary_name(path: Path) -> Path:
    """A hidden name beside a file, with the same ending, that nobody else uses.

    >>> one = temporary_name(Path("a/kite.0001.png"))
    >>> one.parent.name, one.name.startswith(".kite.0001."), one.suffix
    ('a', True, '.png')
    """
    return path.with_name(f".{path.stem}.{os.getpid():x}-{secrets.token_hex(4)}.part{path.suffix}")


def put_in_place(beside: Path, path: Path, size: int | None = None) -> Path:
    """Give a file that was written its name. What it holds is on the disk before it has it, and is as long as it ought to be; returns
    the path. OSError, with the file taken away, where it is not."""
    try:
        with beside.open("rb", buffering=0) as file:
            os.fsync(file.fileno())  # also tells of a disk that was full, where writing did not
            if size is not None and os.fstat(file.fileno()).st_size != size:
                raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        return beside.replace(path)
    except OSError:
        beside.unlink(missing_ok=True)
        raise


def write_whole(path: Path, *parts: bytes | memoryview) -> Path:
    """Write a file of these parts, whole or not at all; returns its path. OSError where it cannot be."""
    beside = temporary_name(path)
    try:
        with beside.open("wb", buffering=0) as file:
            for part in parts:
                rest = memoryview(part)
                while rest:
                    rest = rest[file.write(rest) :]
    except OSError:
        beside.unlink(missing_ok=True)
        raise
    return put_in_place(beside, path, sum(len(part) for part in parts))
