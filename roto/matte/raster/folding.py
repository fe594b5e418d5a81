"""What a run of areas makes of the alpha below it at a point, from how each of its outlines winds there.

A *run* is a stretch of stack entries that combine as areas. Per point it maps the alpha below it to 0, to 1, or passes it on; the
areas of 'one' and of 'passed' are therefore all that a pixel needs. An entry that does anything but pass on has the last word over all
before it, so where no group lies between it is enough to know the last of those that decide.
"""

from roto.arrays import Flags, Whole
from roto.jit import leaf
from roto.matte.modes import AREA_RULES, ONE, PASS, ZERO
from roto.simd import lowest_bit

OPENS, CLOSES = 3, 4
"""marks of a run: what follows combines by itself, from black; it ends at CLOSES + ADD, CUT or KEEP, which lays it onto what lies below"""
BITS = 32
"""entries in a word of those that decide"""


@leaf
def fold(wind: Whole, first: int, last: int, mode: Whole, invert: Flags) -> int:
    """What a run makes of the alpha below it where its entries wind like this."""
    state = PASS
    held = PASS
    for e in range(first, last):
        how = mode[e]
        if how == OPENS:
            held = state
            state = ZERO
            continue
        inside = (wind[e] != 0) != invert[e]
        if how >= CLOSES:
            inside = (state == ONE) != invert[e]
            state = held
            how -= CLOSES
        becomes = AREA_RULES[how, 1 if inside else 0]
        if becomes != PASS:
            state = becomes
    return state


@leaf
def mark(deciding, e, last, wind, mode, invert):
    """Note whether an entry decides what the run makes of the alpha below it, or passes it on. The last entries come first."""
    inside = (wind[e] != 0) != invert[e]
    at = last - 1 - e
    bit = 1 << (at & (BITS - 1))
    if AREA_RULES[mode[e], 1 if inside else 0] != PASS:
        deciding[0, at // BITS] |= bit
    else:
        deciding[0, at // BITS] &= ~bit


@leaf
def last_word(deciding, words, last, mode):
    """What a run makes of the alpha below it: what the last of those entries does that decide. deciding: int64 (words,)."""
    for w in range(words):
        if deciding[w] != 0:
            e = last - 1 - (w * BITS + lowest_bit(deciding[w]))
            does = AREA_RULES[mode[e], 1]
            return does if does != PASS else AREA_RULES[mode[e], 0]
    return PASS


@leaf
def folded(deciding, words, wind, first, last, mode, invert):
    """As `fold`, from the entry that has the last word; words: of those that decide, 0 where marks of groups lie between."""
    return last_word(deciding[0], words, last, mode) if words else fold(wind, first, last, mode, invert)
