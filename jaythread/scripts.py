"""Scripts of the pages, as far as a page has to know of them; and what templates say of it: {% load scripts %}."""

import re
from functools import lru_cache
from pathlib import Path

from django import template
from django.conf import settings
from django.templatetags.static import static
from django.utils.html import format_html_join
from django.utils.safestring import SafeString

STATIC = Path(settings.BASE) / "jaythread" / "static"
IMPORT = re.compile(r'^(?:import|export) .*?"(\.[^"]+)";$', re.MULTILINE)

register = template.Library()


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


@register.simple_tag
def at_once(name: str) -> SafeString:
    """For a page's head: a script and all that it comes to are fetched while the page is still coming."""
    return format_html_join("", '<link rel="modulepreload" href="{}">', ((static(one),) for one in (name, *come_to(name))))


@register.simple_tag
def later(name: str) -> SafeString:
    """The same for a page that will be gone to from this one."""
    return format_html_join("", '<link rel="prefetch" as="script" href="{}">', ((static(one),) for one in (name, *come_to(name))))
