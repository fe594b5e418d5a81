"""Sweeping a group of sides that touch in a pixel row, from the top of the row down, from height to height where sides begin, end or cross;
so the winding of each outline is known in every span.

J. L. Bentley and T. A. Ottmann, "Algorithms for reporting and counting geometric intersections", IEEE Transactions on Computers C-28, 1979.
Most heights at which a side ends have the next one of its outline begin: it takes its place. Where others do, all is put into order anew.
"""

import numpy as np

from roto.jit import leaf
from roto.matte.modes import AREA_RULES, PASS
from roto.matte.raster.emission import turn
from roto.matte.raster.folding import BITS, fold, folded, last_word, mark

TIE = 1e-9
"""px: sides that stand closer than this are ordered by how they part."""
WAY, OWNER, ORDER, TOPS = range(4)
"""columns of a side's ids in the row: which way it runs, whose it is, the order from left to right, and that from the top down"""
X, SLOPE, SIDE, FROM, END, LEFT, RIGHT, WOUND, CROSS, NEXT, PLACES = range(11)
"""columns of a place in the order from left to right, at some height of the sweep: where its side stands at height 0 and how far on a row
below, which one it is, from where on it is to be added, where it ends; what the run makes of the alpha below it left and right of it, how
often its outline has wound left of it, the height at which it crosses the next one, and which side goes on with it"""
GAPS = (1750, 701, 301, 132, 57, 23, 10, 4, 1)
"""of Shell's sort (M. Ciura, "Best increments for the average case of Shellsort", 2001)"""


@leaf
def sort_ids(ids, column, start, stop, pieces, by):
    """Put sides into rising order of one of their numbers, those that agree by their own number."""
    for gap in GAPS:
        for i in range(start + gap, stop):
            k, m = ids[i, column], i
            value = pieces[k, by]
            while m >= start + gap:
                other = ids[m - gap, column]
                if pieces[other, by] < value or (pieces[other, by] == value and other < k):
                    break
                ids[m, column] = other
                m -= gap
            ids[m, column] = k


@leaf
def _between(m, at, before, ids, wind, words, first, last, mode, invert):
    """What the run makes of the alpha below it between the sides at places m and m + 1 once they have changed places: where the one that
    was behind is passed first. Notes in their rows what has been passed before each then; the rows still stand as they did."""
    a, b = int(at[m, SIDE]), int(at[m + 1, SIDE])
    one, other = ids[a, OWNER], ids[b, OWNER]
    if words == 0:
        for q in range(m + 2):
            if q != m:
                wind[ids[int(at[q, SIDE]), OWNER]] += ids[int(at[q, SIDE]), WAY]
        state = fold(wind, first, last, mode, invert)
        for q in range(m + 2):
            if q != m:
                wind[ids[int(at[q, SIDE]), OWNER]] -= ids[int(at[q, SIDE]), WAY]
        return state
    wound = at[m, WOUND] if one == other else at[m + 1, WOUND]
    at[m + 1, WOUND] = wound
    if one == other:
        at[m, WOUND] += ids[b, WAY]
    for w in range(words):
        before[m + 1, w] = before[m, w]
    place = last - 1 - other
    bit = 1 << (place & (BITS - 1))
    inside = (wound + ids[b, WAY] != 0.0) != invert[other]
    if AREA_RULES[mode[other], 1 if inside else 0] != PASS:
        before[m + 1, place // BITS] |= bit
    else:
        before[m + 1, place // BITS] &= ~bit
    return last_word(before[m + 1], words, last, mode)


@leaf
def _drawn(m, at, until, sums, two, box):
    """Add what the side at place m bounds, from where it was added last to another height."""
    if at[m, LEFT] != at[m, RIGHT] and until > at[m, FROM]:
        xa, xb = at[m, X] + at[m, FROM] * at[m, SLOPE], at[m, X] + until * at[m, SLOPE]
        turn(sums, two, box, int(at[m, LEFT]), int(at[m, RIGHT]), xa, xb, until - at[m, FROM])
    at[m, FROM] = until


@leaf
def _meet(m, active, at, height):
    """Note at which height the sides at places m and m + 1 change places, if they do before one of them ends."""
    if m < 0 or m >= active:
        return
    at[m, CROSS] = np.inf
    if m == active - 1:
        return
    by = at[m + 1, SLOPE] - at[m, SLOPE]
    gap = at[m + 1, X] - at[m, X] + height * by
    if gap < -TIE:
        at[m, CROSS] = height
    elif by < 0.0:
        y = height - max(gap, 0.0) / by
        if y < min(at[m, END], at[m + 1, END]):
            at[m, CROSS] = y


@leaf
def _stands(m, k, pieces, at, height):
    """Put side k at place m, from a height on."""
    at[m, X] = pieces[k, 0] - pieces[k, 1] * pieces[k, 6]
    at[m, SLOPE], at[m, SIDE], at[m, FROM], at[m, END] = pieces[k, 6], k, height, pieces[k, 3]


@leaf
def _goes_on(coming, stop, active, height, pieces, ids, at, sums, two, box):
    """Where every side that ends at a height is gone on with by one of its outline that begins there, put those in their places; returns
    the place in the order from the top after them, or -1 where some do not go on, or others begin."""
    after = coming
    while after < stop and pieces[ids[after, TOPS], 1] <= height:
        after += 1
    used = coming
    for m in range(active):
        if at[m, END] > height:
            continue
        k, found = int(at[m, SIDE]), -1
        for q in range(used, after):
            o = ids[q, TOPS]
            same = ids[o, OWNER] == ids[k, OWNER] and ids[o, WAY] == ids[k, WAY]
            if same and pieces[o, 3] > height and abs(pieces[o, 0] - pieces[k, 2]) <= TIE:
                found = q
                break
        if found < 0:
            return -1
        ids[found, TOPS], ids[used, TOPS] = ids[used, TOPS], ids[found, TOPS]
        at[m, NEXT] = ids[used, TOPS]
        used += 1
    for q in range(used, after):
        if pieces[ids[q, TOPS], 3] > height:
            return -1
    for m in range(active):
        if at[m, END] <= height:
            _drawn(m, at, height, sums, two, box)
            _stands(m, int(at[m, NEXT]), pieces, at, height)
            _meet(m - 1, active, at, height)
            _meet(m, active, at, height)
    return after


@leaf
def _in_order(active, at, height):
    """Put sides into the order in which they stand at a height, those that stand together into that in which they part."""
    for q in range(1, active):
        m = q
        while m > 0:
            gap = at[m, X] + height * at[m, SLOPE] - at[m - 1, X] - height * at[m - 1, SLOPE]
            if gap > TIE or (gap >= -TIE and at[m, SLOPE] >= at[m - 1, SLOPE]):
                break
            for c in range(PLACES):
                at[m, c], at[m - 1, c] = at[m - 1, c], at[m, c]
            m -= 1


@leaf
def _passed(active, at, height, before, ids, wind, deciding, words, state, first, last, mode, invert):
    """Note what the run makes of the alpha below it left and right of each side, from left to right."""
    for w in range(words):
        deciding[1, w] = deciding[0, w]
    for m in range(active):
        k = int(at[m, SIDE])
        for w in range(words):
            before[m, w] = deciding[0, w]
        at[m, LEFT], at[m, WOUND] = state, wind[ids[k, OWNER]]
        wind[ids[k, OWNER]] += ids[k, WAY]
        if words:
            mark(deciding, ids[k, OWNER], last, wind, mode, invert)
        state = folded(deciding, words, wind, first, last, mode, invert)
        at[m, RIGHT] = state
        _meet(m, active, at, height)
    for m in range(active):
        wind[ids[int(at[m, SIDE]), OWNER]] -= ids[int(at[m, SIDE]), WAY]
    for w in range(words):
        deciding[0, w] = deciding[1, w]


@leaf
def _change_places(m, active, at, height, before, ids, wind, words, first, last, mode, invert, sums, two, box):
    """The sides at places m and m + 1 cross at a height."""
    left, right = at[m, LEFT], at[m + 1, RIGHT]
    middle = float(_between(m, at, before, ids, wind, words, first, last, mode, invert))
    if at[m, LEFT] != middle or at[m, RIGHT] != right:
        _drawn(m, at, height, sums, two, box)
    if at[m + 1, LEFT] != left or at[m + 1, RIGHT] != middle:
        _drawn(m + 1, at, height, sums, two, box)
    at[m, LEFT], at[m, RIGHT], at[m + 1, LEFT], at[m + 1, RIGHT] = middle, right, left, middle
    for c in range(PLACES):
        at[m, c], at[m + 1, c] = at[m + 1, c], at[m, c]
    at[m, CROSS] = np.inf
    _meet(m - 1, active, at, height)
    _meet(m + 1, active, at, height)


@leaf
def sweep_group(start, stop, pieces, ids, at, before, wind, deciding, words, state, first, last, mode, invert, sums, two, box):
    """Sweep one group from the top down (Bentley and Ottmann, "Algorithms for reporting and counting geometric intersections", 1979). Most
    heights at which a side ends have the next one of its outline begin; where others do, all is put into order anew."""
    for g in range(start, stop):
        ids[g, TOPS] = ids[g, ORDER]
    sort_ids(ids, TOPS, start, stop, pieces, 1)
    active, coming, height = 0, start, 0.0
    while True:
        following = pieces[ids[coming, TOPS], 1] if coming < stop else np.inf
        cross, at_cross = -1, np.inf
        for m in range(active):
            following = min(following, at[m, END])
            if at[m, CROSS] < at_cross:
                cross, at_cross = m, at[m, CROSS]
        if at_cross < following:
            height = max(height, at_cross)
            _change_places(cross, active, at, height, before, ids, wind, words, first, last, mode, invert, sums, two, box)
            continue
        if following == np.inf:
            return
        height = max(height, following)
        on = _goes_on(coming, stop, active, height, pieces, ids, at, sums, two, box) if active else -1
        if on >= 0:
            coming = on
            continue
        stay = 0
        for m in range(active):
            _drawn(m, at, min(height, at[m, END]), sums, two, box)
            if at[m, END] > height:
                for c in range(PLACES):
                    at[stay, c] = at[m, c]
                stay += 1
        active = stay
        while coming < stop and pieces[ids[coming, TOPS], 1] <= height:
            if pieces[ids[coming, TOPS], 3] > height:
                _stands(active, ids[coming, TOPS], pieces, at, height)
                active += 1
            coming += 1
        _in_order(active, at, height)
        _passed(active, at, height, before, ids, wind, deciding, words, state, first, last, mode, invert)
