"""Files are written under a temporary name and then renamed, so that a file that has its name is whole.

Each writer has a temporary name of its own. Two workers may write the same file: one that was silent for long was taken for dead.
"""

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
