"""The sections of the guide, from docs/guide.md: each paragraph that begins with words in bold."""

import re
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from markdown_it import MarkdownIt

DOCS = Path(__file__).resolve().parents[2] / "docs"
GUIDE = DOCS / "guide.md"
PICTURES = DOCS / "screenshots"
HEAD = re.compile(r"^\*\*(.+?)\*\*[.:,]?")
SHOWN = {
    "a-shot": "bring-in", "the-desk": "desk-matte", "trace": "desk-trace", "place": "desk-place",
    "keys-make-themselves": "desk-keys-at-once",
    "soften": "desk-soften", "hair-and-fuzz": "desk-taught", "taught-lines": "desk-taught", "carry": "desk-carry", "check": "desk-check",
    "looking": "desk-matte",
    "deliver": "deliver", "tryouts": "tryout", "the-check-sheet": "check-sheet", "compare": "compare",
    "the-board": "board", "looking-at-what-waits": "looking", "hand-over": "bench", "the-picture": "plate",
}  # fmt: skip
"""by section, the picture of docs/screenshots that shows it"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Section:
    """slug: names it in addresses. html: its text. words: the same without marks, for searching. picture: a file of docs/screenshots."""

    slug: str
    title: str
    html: str
    words: str
    picture: str


@cache
def sections() -> dict[str, Section]:
    """All sections by slug, in the guide's order."""
    out: dict[str, Section] = {}
    marks = MarkdownIt("commonmark")
    title, body = "", []
    for paragraph in [*GUIDE.read_text().split("\n\n"), "**End**"]:
        head = HEAD.match(paragraph.strip())
        if head is None:
            body.append(paragraph)
            continue
        if title:
            text = "\n\n".join(body)
            slug = re.sub(r"[^a-z0-9]+", "-", title.lower()).strip("-")
            plain = re.sub(r"[*`]", "", text)
            picture = f"{SHOWN[slug]}.png" if slug in SHOWN and (PICTURES / f"{SHOWN[slug]}.png").exists() else ""
            out[slug] = Section(slug=slug, title=title, html=marks.render(text), words=plain, picture=picture)
        title, body = head.group(1).rstrip("."), [paragraph]
    return out


def found(wanted: str) -> list[Section]:
    """The sections that hold all of some words."""
    words = wanted.lower().split()
    return [s for s in sections().values() if all(w in f"{s.title} {s.words}".lower() for w in words)]
