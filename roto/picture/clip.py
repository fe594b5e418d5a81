"""A clip: the pictures of another shot's plate as they run beside this shot's frames."""

from dataclasses import dataclass
from fractions import Fraction

from roto.errors import RotoError


class BadClip(RotoError):
    """That clip cannot be shown so."""

    code = "clip.bad"


@dataclass(frozen=True, slots=True, kw_only=True)
class Clip:
    """first, last: the frames that its plate has. rate: its own, frames a second. begin: the frame that it starts on, its first (backwards:
    its last) where none is said. reverse: whether it runs backwards. Where it ends, its end frame is held."""

    first: int
    last: int
    rate: Fraction
    begin: int | None = None
    reverse: bool = False

    def __post_init__(self) -> None:
        if self.begin is not None and not self.first <= self.begin <= self.last:
            raise BadClip(f"The clip has frames {self.first}-{self.last} only: let it begin on one of these.")

    def frame_at(self, passed: int, rate: Fraction) -> int:
        """The frame that stands beside a shot's frame, so many frames after its first. rate: the shot's. Both run at their true speed.

        >>> slow = Clip(first=1, last=10, rate=Fraction(12))
        >>> [slow.frame_at(k, Fraction(24)) for k in range(5)]
        [1, 1, 2, 2, 3]
        >>> Clip(first=1, last=3, rate=Fraction(24), reverse=True).frame_at(5, Fraction(24))
        1
        """
        steps = int(passed * self.rate / rate)
        if self.reverse:
            return max(self.first, (self.last if self.begin is None else self.begin) - steps)
        return min(self.last, (self.first if self.begin is None else self.begin) + steps)

    def frames(self, count: int, rate: Fraction) -> list[int]:
        """The frames beside so many frames of a shot."""
        return [self.frame_at(k, rate) for k in range(count)]
