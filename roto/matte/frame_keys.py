"""The one builder of 'what a frame depends on': names by frame, so that what did not change need not be made again.

Equal input gives equal names. Solved fringes, delivered frames and measured fits are all kept under such names.
"""

import hashlib
from collections.abc import Iterable, Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from roto.arrays import Floats
from roto.matte.shutter import Shutter


class FrameKeys:
    """Names by frame. Each begins with `common` and a value of its own frame (`each`); `mix` adds what else the frame depends on."""

    def __init__(self, common: str, each: Mapping[int, object]) -> None:
        self._mixes = {f: hashlib.blake2b(f"{common} {own!r}".encode(), digest_size=24) for f, own in each.items()}

    def mix(self, frames: Iterable[int], same: bytes, *parts: Sequence[bytes]) -> None:
        """Add to these frames what is the same on all of them, and then one item of each part a frame, in order."""
        for frame, *own in zip(frames, *parts, strict=True):
            self._mixes[frame].update(b"".join((same, *own)))

    def mix_everywhere(self, same: str) -> None:
        """Add something to every frame."""
        for mix in self._mixes.values():
            mix.update(same.encode())

    def names(self) -> dict[int, str]:
        """By frame, the name of all that was mixed in."""
        return {f: mix.hexdigest() for f, mix in self._mixes.items()}


def rows_of(values: NDArray[np.generic] | None, count: int) -> list[bytes]:
    """An array (F, ...) as bytes by frame; of nothing, nothing for each of `count` frames."""
    return [b""] * count if values is None else [row.tobytes() for row in values]


def exposures(shutter: Shutter, frames: NDArray[np.int64]) -> tuple[Floats, Floats]:
    """When the shutter opens and closes on each frame: two arrays (F,) of frame times."""
    opens, closes = zip(*(shutter.exposure(int(f)) for f in frames), strict=True)
    return np.array(opens), np.array(closes)
