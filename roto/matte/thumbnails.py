"""A matte made small: the same shapes on a picture of another size, for little pictures of it."""

from dataclasses import replace

from roto.matte.modes import FOUND
from roto.matte.shutter import Shutter
from roto.matte.stack import Matte, within
from roto.motion.sized import sized, sized_keys


def so_far(matte: Matte, width: int) -> list[Matte]:
    """The matte up to each line of its stack, bottom first, so many px wide and without motion blur.

    Each can be rendered by itself; the inversion of the whole matte is left out, and so are fringes. Within a group it is what the group
    has come to so far.
    """
    factor = width / matte.size[0]
    size = (width, max(1, round(matte.size[1] * factor)))
    entries = tuple(replace(e, shape=sized(e.shape, factor)) for e in matte.entries)
    shift, lens = sized_keys(matte.shift, factor), sized_keys(matte.lens, factor)
    bare = replace(matte, size=size, shutter=Shutter(angle=0.0), inverted=False, shift=shift, lens=lens)
    groups = within(entries)
    starts = [0 if group is None else groups.index(group) for group in groups]
    return [replace(bare, entries=tuple(e for e in entries[start : k + 1] if e.mode not in FOUND)) for k, start in enumerate(starts)]
