"""Files are written aside and then renamed, so that what has its name is whole.

Each writer has an aside of its own: two workers may be at the same file, when one was silent for so long that it was taken for dead.
"""

import os
import secrets
from pathlib import Path

LEFT = ".*.part*"
"""what matches the asides that killed writers leave behind"""


def aside(path: Path) -> Path:
    """A hidden name beside a file, with the same ending, that nobody else uses.

    >>> one = aside(Path("a/kite.0001.png"))
    >>> one.parent.name, one.name.startswith(".kite.0001."), one.suffix
    ('a', True, '.png')
    """
    return path.with_name(f".{path.stem}.{os.getpid():x}-{secrets.token_hex(4)}.part{path.suffix}")
