"""How the lines of a stack combine in a pixel row: the rule of each mode for alpha, at a moment and as a mean over a step."""

import numpy as np

from roto.arrays import Singles
from roto.jit import inlined, leaf
from roto.matte.modes import ADD, CUT, KEEP
from roto.matte.raster.spans import widen


@leaf
def mix(mode: int, a: float, b: float) -> float:
    """Alpha `b` laid onto alpha `a`: the rule of each mode for alpha."""
    if mode == ADD:
        return a + b - a * b
    if mode == CUT:
        return a * (1.0 - b)
    return a * b


@leaf
def mix_moving(mode: int, cur: Singles, turn: Singles, b: Singles, db: Singles) -> None:
    """`mix` of means over a step in which either side also changes, evenly, by `turn` and `db`: the mean of a product is that of the
    means plus a twelfth of the changes' product. In loops that compile to vector instructions."""
    zero, one, twelfth = np.float32(0.0), np.float32(1.0), np.float32(1.0 / 12.0)
    if mode == ADD:
        for x in range(len(cur)):
            rest, room = one - b[x], one - cur[x]
            value = one - room * rest - turn[x] * db[x] * twelfth
            value = value if value > zero else zero
            cur[x] = value if value < one else one
            turn[x] = turn[x] * rest + db[x] * room
    elif mode == CUT:
        for x in range(len(cur)):
            rest, here = one - b[x], cur[x]
            value = here * rest - turn[x] * db[x] * twelfth
            cur[x] = value if value > zero else zero
            turn[x] = turn[x] * rest - db[x] * here
    else:
        for x in range(len(cur)):
            here = cur[x]
            value = here * b[x] + turn[x] * db[x] * twelfth
            value = value if value > zero else zero
            cur[x] = value if value < one else one
            turn[x] = turn[x] * b[x] + db[x] * here


@leaf
def apply_line(invert: bool, opacity: float, mode: int, b: Singles, db: Singles) -> None:
    """Inversion and opacity of a line of the stack, in place."""
    part = np.float32(-opacity if invert else opacity)
    base = np.float32(opacity if invert else 0.0)
    if mode == KEEP:
        base += np.float32(1.0 - opacity)
    for x in range(len(b)):
        b[x] = base + part * b[x]
        db[x] = part * db[x]


@leaf
def entry_alpha(value: float, invert: bool, opacity: float, mode: int) -> float:
    """What a line of the stack lays on, from its own alpha."""
    b = 1.0 - value if invert else value
    return 1.0 - opacity * (1.0 - b) if mode == KEEP else opacity * b


@inlined
def combine(
    is_area: bool, mode: int, invert: bool, opacity: float, one_ground: float, pass_ground: float, value: Singles, passed: Singles,
    change: Singles, lo: int, hi: int, cur: Singles, turn: Singles, clo: int, chi: int, ground: float,
) -> tuple[int, int, float]:  # fmt: skip
    """Lay one run onto `cur` (and its change over the step, `turn`); returns its new valid range and its value outside of it."""
    widen(turn, clo, chi, lo, hi, 0.0)
    clo, chi = widen(cur, clo, chi, lo, hi, ground)
    if is_area:
        if one_ground != 0.0 or pass_ground != 1.0:
            for x in range(clo, chi):
                if x < lo or x >= hi:
                    cur[x] = one_ground + pass_ground * cur[x]
                    turn[x] *= pass_ground
        for x in range(lo, hi):
            cur[x] = value[x] + passed[x] * cur[x]
            turn[x] *= passed[x]
        return clo, chi, one_ground + pass_ground * ground
    outside = entry_alpha(0.0, invert, opacity, mode)
    if outside != (1.0 if mode == KEEP else 0.0):
        left = outside if mode == KEEP else 1.0 - outside
        for x in range(clo, chi):
            if x < lo or x >= hi:
                cur[x] = mix(mode, cur[x], outside)
                turn[x] *= left
    mix_moving(mode, cur[lo:hi], turn[lo:hi], value[lo:hi], change[lo:hi])
    return clo, chi, mix(mode, ground, outside)


@leaf
def close(
    mode: int, invert: bool, opacity: float, held: Singles, held_turn: Singles, hlo: int, hhi: int, held_ground: float, cur: Singles,
    turn: Singles, clo: int, chi: int, ground: float,
) -> tuple[int, int, float]:  # fmt: skip
    """Lay a group onto what was put aside at its beginning, into `cur` and `turn`; returns the valid range and the value outside of it."""
    apply_line(invert, opacity, mode, cur[clo:chi], turn[clo:chi])
    outside = entry_alpha(ground, invert, opacity, mode)
    widen(turn, clo, chi, hlo, hhi, 0.0)
    clo, chi = widen(cur, clo, chi, hlo, hhi, outside)
    widen(held_turn, hlo, hhi, clo, chi, 0.0)
    widen(held, hlo, hhi, clo, chi, held_ground)
    mix_moving(mode, held[clo:chi], held_turn[clo:chi], cur[clo:chi], turn[clo:chi])
    for x in range(clo, chi):
        cur[x] = held[x]
        turn[x] = held_turn[x]
    return clo, chi, mix(mode, held_ground, outside)
