"""Scripts of the pages, as far as a page has to know of them."""

import re
from functools import lru_cache
from pathlib import Path

from django.conf import settings

STATIC = Path(settings.BASE) / "jaythread" / "static"
IMPORT = re.compile(r'^(?:import|export) .*?"(\.[^"]+)";$', re.MULTILINE)


@lru_cache
def come_to(name: str) -> tuple[str, ...]:
    """All scripts that one comes to by its imports, by their paths below the static files: a page asks for them at once, not for each when
    the one before it has been read.

    >>> "desk/net/api.js" in come_to("tryouts/tryout.js")
    True
    """
    found: dict[Path, None] = {}
    todo = [STATIC / name]
    while todo:
        path = todo.pop()
        new = [(path.parent / other).resolve() for other in IMPORT.findall(path.read_text())]
        todo += [one for one in new if one not in found]
        found |= dict.fromkeys(new)
    return tuple(path.relative_to(STATIC.resolve()).as_posix() for path in found)
