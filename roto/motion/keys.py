"""Keys of one channel, as arrays.

A channel has ``n`` parts of ``d`` numbers (a form: n points of 6 numbers). A key may hold only some parts: each part runs
through the keys that hold it, so correcting one point leaves the others' paths alone.
"""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Self

import numpy as np
from numpy.typing import NDArray

from roto.arrays import Flags, Floats
from roto.errors import BadKeys

HOLD, STRAIGHT, FLOWING = 0, 1, 2
KIND_NAMES = ("hold", "straight", "flowing")
FARTHEST_FRAME = 1e15
"""beyond it a frame's number is not exact any more as a moment in time"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Keys:
    """The keys of one channel.

    frames: int64 (K,), strictly rising. values: float64 (K, n, d). held: bool (K, n), which parts a key holds.
    kinds: int8 (K,), how the stretch after the key runs. speeds: float64 (K, n, d), units per frame: NaN where the speed
    follows from the neighbours, a number where the key was made without a change and keeps the in-between's speed.
    Numbers come in pairs (d is even); a stretch whose pair does not change stands still in that pair.
    """

    frames: NDArray[np.int64]
    values: Floats
    held: Flags
    kinds: NDArray[np.int8]
    speeds: Floats

    def __post_init__(self) -> None:
        if len(self.frames) > 1 and not (np.diff(self.frames) > 0).all():
            raise BadKeys("Keys must be in rising order, one a frame.")
        held = self.held[:, :, None]
        if not np.isfinite(np.where(held, self.values, 0.0)).all():
            raise BadKeys("A key holds a number that is not finite.")
        if len(self.frames) and not self.held.any(axis=0).all():
            raise BadKeys("Some part of the channel has no key at all.")

    @classmethod
    def build(cls, frames: Iterable[int], values: object, *, held: object = None, kinds: object = None, speeds: object = None) -> Self:
        """Make keys from anything array-like; missing columns get their defaults (all parts held, flowing, speeds free)."""
        given = np.asarray(list(frames))
        whole = given.dtype.kind in "iu" or (given.dtype.kind == "f" and (given == np.trunc(given)).all())
        if not whole or np.abs(given).max(initial=0) > FARTHEST_FRAME:
            raise BadKeys("Keys stand on whole frames, with numbers of a reasonable size.")
        number = given.astype(np.int64)
        value = np.array(values, dtype=np.float64)
        if value.ndim != 3 or len(value) != len(number):
            raise BadKeys("Values need the shape (keys, parts, numbers).")
        hold = np.ones(value.shape[:2], bool) if held is None else np.array(held, dtype=bool)
        kind = np.full(len(number), FLOWING, np.int8) if kinds is None else np.array(kinds, dtype=np.int8)
        speed = np.full_like(value, np.nan) if speeds is None else np.array(speeds, dtype=np.float64)
        if hold.shape != value.shape[:2] or kind.shape != number.shape or speed.shape != value.shape:
            raise BadKeys("Held parts, kinds and speeds must match the values.")
        return cls(frames=number, values=value, held=hold, kinds=kind, speeds=speed)

    @property
    def nbytes(self) -> int:
        """Memory of the numbers."""
        return self.frames.nbytes + self.values.nbytes + self.held.nbytes + self.kinds.nbytes + self.speeds.nbytes

    @property
    def parts(self) -> int:
        """How many parts the channel has."""
        return int(self.values.shape[1])

    def index(self, frame: int) -> int | None:
        """Where the key at this frame stands, or None."""
        at = int(np.searchsorted(self.frames, frame))
        return at if at < len(self.frames) and self.frames[at] == frame else None

    def put(self, frame: int, values: Floats, held: Flags, *, speeds: Floats | None = None, kind: int = FLOWING) -> Self:
        """A key at this frame for the held parts (n,); parts it held before keep theirs. To hold nothing is no key."""
        if not held.any():
            return self
        speed = np.full(self.values.shape[1:], np.nan) if speeds is None else speeds
        at = self.index(frame)
        if at is not None:
            where = held[:, None]
            new = replace(self, values=self.values.copy(), held=self.held.copy(), speeds=self.speeds.copy())
            new.values[at] = np.where(where, values, self.values[at])
            new.speeds[at] = np.where(where, speed, self.speeds[at])
            new.held[at] |= held
            return new
        at = int(np.searchsorted(self.frames, frame))
        return replace(
            self,
            frames=np.insert(self.frames, at, frame),
            values=np.insert(self.values, at, np.where(held[:, None], values, 0.0), axis=0),
            held=np.insert(self.held, at, held, axis=0),
            kinds=np.insert(self.kinds, at, kind),
            speeds=np.insert(self.speeds, at, np.where(held[:, None], speed, np.nan), axis=0),
        )

    def drop(self, frame: int) -> Self:
        """Without the key at this frame; refused when a part would be left without any key."""
        at = self.index(frame)
        if at is None:
            raise BadKeys(f"There is no key on frame {frame}.")
        keep = np.arange(len(self.frames)) != at
        if not self.held[keep].any(axis=0).all():
            raise BadKeys("The last key of a point cannot be removed: the shape would have no place to be.")
        return replace(
            self, frames=self.frames[keep], values=self.values[keep], held=self.held[keep], kinds=self.kinds[keep], speeds=self.speeds[keep]
        )
