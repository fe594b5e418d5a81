"""The ways in which a line of the stack combines with what lies below it: one table, read by all who need to know.

A mode that combines shapes has a rule for areas and a rule for alpha. The rule for areas says what becomes of the alpha below a point
outside and inside of the shape: it stays, it becomes 0, or it becomes 1. The rule for alpha follows from it, since every mode is linear in
both sides; `roto.matte.render.mixing` has it as vector loops. A mode whose alpha is found has no such rule: within its shape alpha is
solved from the picture, learned from finished frames, or read from files.
"""

from dataclasses import dataclass

import numpy as np

ZERO, ONE, PASS = 0, 1, 2
"""what becomes of the alpha below a point: 0, 1, or it stays"""
ADD, CUT, KEEP = 0, 1, 2
"""numbers of the modes that combine, as the compiled loops have them"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Mode:
    """One way to combine.

    key: as it is stored and sent. offer, offer_outside: the words in a list to choose from, for the shape and for its outside.
    sentence: how the matte's sentence says it of a name. in_svg: what an SVG file says of it.
    code: its number in the compiled loops, None where alpha is found. outside, inside: its rule for areas.
    grows: 1 where a larger shape makes a larger matte, -1 where it makes a smaller one.
    """

    key: str
    offer: str
    offer_outside: str = ""
    sentence: str
    in_svg: str = ""
    code: int | None
    outside: int = PASS
    inside: int = PASS
    grows: int = 1


SOLVE = "solve"
"""the mode of a fringe: within its shape alpha is solved from the plate (`roto.matte.matting.fringe`)"""
TEACH = "teach"
"""the mode of a taught line: within its shape alpha is learned from finished frames (`roto.matte.teaching`)"""
BRING = "bring"
"""the mode of a brought-in line: within its shape alpha is that of files (`roto.matte.matting.from_files`)"""

_ALL = (
    Mode(key="add", offer="adds", offer_outside="adds its outside", sentence="{} adds", in_svg="adds", code=ADD, inside=ONE),
    Mode(key="cut", offer="cuts", offer_outside="cuts its outside", sentence="{} cuts", in_svg="cuts", code=CUT, inside=ZERO, grows=-1),
    Mode(
        key="keep", offer="keeps overlap", offer_outside="keeps its outside", sentence="keep where {} overlaps",
        in_svg="keeps only the overlap, which SVG cannot draw", code=KEEP, outside=ZERO,
    ),
    Mode(key=SOLVE, offer="is solved", sentence="{} is solved from the plate", code=None),
    Mode(key=TEACH, offer="is taught", sentence="{} is taught by finished frames", code=None),
    Mode(key=BRING, offer="comes from files", sentence="{} comes from files", code=None),
)  # fmt: skip
MODES = {mode.key: mode for mode in _ALL}
COMBINES = tuple(mode for mode in _ALL if mode.code is not None)
"""those that combine shapes, in order of their numbers"""
FOUND = frozenset(mode.key for mode in _ALL if mode.code is None)
"""those whose alpha is found: solved, taught, brought in"""
AREA_RULES = np.array([[mode.outside, mode.inside] for mode in COMBINES], np.int64)
"""(modes, 2): what becomes of the alpha below, outside and inside of the shape"""
